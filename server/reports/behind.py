"""What stands behind a number of an article: passes, windows and the hashes of their captures."""

from __future__ import annotations

from typing import Any

from intake.models import Capture
from studies.models import PassState, Test
from studies.queries import group_key
from studies.schemas import GroupOut

from reports.material import Studies


def behind(studies: Studies, said: str) -> dict[str, Any]:
    """A number by study and key, with every pass that it stands on."""
    study, _, key = said.partition(":")
    quote = studies.quotes(int(study))[key]
    record = studies.record(int(study))
    lanes, tests = {int(one) for one in quote.lanes}, {int(one) for one in quote.tests}
    if not tests:
        tests = _tests_of(record.tests, record.groups, key)
    rows = (
        Capture.objects.filter(
            on_pass__test__in=tests, on_pass__lane__in=lanes, on_pass__state=PassState.ACCEPTED
        )
        .order_by("on_pass__lane__position", "on_pass__test__position", "on_pass__number")
        .values_list(
            "on_pass__lane__name", "on_pass__test__scene__game__name", "on_pass__test__condition__name",
            "on_pass__number", "arrival__name", "arrival__sha256", "windows",
        )
    )  # fmt: skip
    passes = [
        {"lane": lane, "test": f"{game}, {condition}", "number": at, "file": file, "sha256": sha, "windows": windows}
        for lane, game, condition, at, file, sha, windows in rows
    ]
    return {
        "key": said, "of": quote.of, "text": quote.text, "interval": quote.interval, "value": quote.value,
        "name": key, "study": record.study.question, "package": f"study-{study}.zip", "passes": passes,
    }  # fmt: skip


def _tests_of(tests: list[Test], groups: list[GroupOut], key: str) -> set[int]:
    """The tests of the group that a number is of; all where it names none."""
    named = next((group.key for group in groups if f'"{group.key}"' in key), None)
    return {one.pk for one in tests if named is None or group_key(one.condition) == named}
