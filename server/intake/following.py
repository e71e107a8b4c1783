"""What intake does when a study changes: captures that are measured against something else are queued."""

from __future__ import annotations

from studies.models import Study

from intake.measuring import count_fresh, expect_anew, stale_captures
from intake.models import Capture
from intake.tasks import queue_once


def catch_up(study: Study) -> None:
    """Have the captures of a study measured by what it says now. Called within the transaction of the change."""
    expect_anew(study)
    count_fresh(Capture.objects.filter(on_pass__test__study=study))
    if stale_captures().filter(on_pass__test__study=study).exists():
        queue_once(study.pk)
