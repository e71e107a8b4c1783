"""A study for the tests of packages."""

from __future__ import annotations

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from intake.models import Capture
from testkit import Bench

SAMPLES = "clock_s,gpu_power_w,gpu_temp_c\n" + "".join(f"{at / 2},{180 + at % 7},{60 + at % 3}\n" for at in range(20))


@pytest.fixture
def odd(bench: Bench) -> Bench:
    """A study with accepted and rejected passes, one seen through two windows, one with samples beside it."""
    bench.fill(3, 3)
    first, second, third, *_ = [
        row["id"] for row in bench.tester.get(f"/studies/{bench.id}/passes") if row["capture_id"]
    ]
    captures = {one.on_pass_id: one.pk for one in Capture.objects.all()}
    body = {"file": SimpleUploadedFile("watts.csv", SAMPLES.encode()), "role": "samples", "offset_s": "0.25"}
    assert bench.tester.client.post(f"/api/passes/{first}/files", body).status_code == 201
    windows = {"windows": [[0.5, 3.0], [4.0, 7.0]]}
    bench.tester.put(f"/captures/{captures[second]}/windows", windows)
    bench.accept(first, second)
    bench.tester.put(f"/studies/passes/{third}/state", {"state": "rejected", "reason_code": "odd", "reason": "a call"})
    return bench
