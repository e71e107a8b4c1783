"""What stands behind a number of an article: passes, windows and the hashes of their captures."""

from __future__ import annotations

from typing import Any

from studies.models import Pass, PassState

from reports.material import Studies


def behind(studies: Studies, said: str) -> dict[str, Any]:
    """A number by study and key, with every accepted pass of its lanes in its tests."""
    study, _, key = said.partition(":")
    quote, record = studies.quotes(int(study))[key], studies.record(int(study))
    tests = quote.tests or tuple(one.id for one in record.core.tests if quote.group in ("", one.group))
    rows = (
        Pass.objects.filter(
            test__in=[int(one) for one in tests], lane__in=[int(one) for one in quote.lanes], state=PassState.ACCEPTED
        )
        .order_by("lane__position", "test__position", "number")
        .values_list(
            "lane__name", "test__scene__game__name", "test__condition__name", "number", "capture__arrival__name",
            "capture__arrival__sha256", "capture__windows",
        )
    )  # fmt: skip
    passes = [
        {
            "lane": lane, "test": f"{game}, {condition}", "number": number, "file": file or "", "sha256": sha or "",
            "windows": windows or [],
        }
        for lane, game, condition, number, file, sha, windows in rows
    ]  # fmt: skip
    return {
        "key": said, "of": quote.of, "text": quote.text, "interval": quote.interval, "value": quote.value,
        "name": key, "study": record.study.question, "package": f"study-{study}.zip", "passes": passes,
    }  # fmt: skip
