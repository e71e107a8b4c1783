"""Checking passes as they come in: the core's checks over the passes of one test, from what is kept of each."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.db.models import F
from intake.models import CaptureProfile, PassDoubt
from intake.queries import RAN_COLUMNS, hours_of
from planning.noise import learned_noise
from rennbahn.checks import (
    CheckedLane,
    CheckedPass,
    CheckedScene,
    CheckedTest,
    Context,
    Doubt,
    Profile,
    ReadBack,
    doubts_of,
)
from rennbahn.checks.profile import PROFILE_VERSION
from rennbahn.planning.noise import Estimate
from studies.models import Pass, PassRole, PassState, Study, Test

_CLOCKS = ("frame_time", "timestamp", "fps")
_ROW = (
    "pk", "lane_id", "number", "session_id", "role", "run_as", "capture__columns", *RAN_COLUMNS,
)  # fmt: skip


def check_test(study: Study, test_id: int, newest: int) -> None:
    """Check the passes of a test anew, within the transaction in which `newest`, one of them, came in or changed."""
    context = context_of(study, test_id)
    found = doubts_of(context)
    PassDoubt.objects.filter(on_pass__test=test_id).delete()
    PassDoubt.objects.bulk_create(_kept(doubt, newest) for doubt in found)


def _kept(doubt: Doubt, newest: int) -> PassDoubt:
    return PassDoubt(
        on_pass_id=int(doubt.on) if doubt.on is not None else newest,
        check_id=doubt.check,
        weak=doubt.weak,
        words=doubt.words,
        evidence=dict(doubt.evidence),
        window=list(doubt.window) if doubt.window else None,
    )


def context_of(study: Study, test_id: int) -> Context:
    """The passes of a test that stand, with their profiles, in the order in which they were run."""
    test = Test.objects.select_related("scene__game", "condition").get(pk=test_id)
    kept = CaptureProfile.objects.filter(
        capture__on_pass__test=test, basis=F("capture__basis"), version=PROFILE_VERSION
    )
    profiles = dict(kept.values_list("capture__on_pass_id", "data"))
    rows = [
        row
        for row in Pass.objects.filter(test=test, state__in=(PassState.RECORDED, PassState.ACCEPTED))
        .exclude(role=PassRole.WARM_UP)
        .order_by("ran_at", "recorded_at", "pk")
        .values_list(*_ROW)
        if profiles.get(row[0])
    ]
    hours = hours_of([row[7:] for row in rows])
    return Context(
        scenes=(
            CheckedScene(
                str(test.scene_id), test.scene.game.name, test.scene.name, test.scene.kind, float(test.scene.length_s)
            ),
        ),
        tests=(CheckedTest(str(test.pk), str(test.scene_id), test.condition.name),),
        lanes=tuple(CheckedLane(str(lane.pk), lane.name) for lane in study.lanes.all()),
        passes=tuple(_checked(test, row, profiles[row[0]], hour) for row, hour in zip(rows, hours.of, strict=True)),
        noise=_noise(study, test.scene_id),
    )


def _checked(test: Test, row: tuple[Any, ...], profile: dict[str, Any], hour: float | None) -> CheckedPass:
    pk, lane, number, session, role, run_as, columns, *_ = row
    told: Mapping[str, Any] = (run_as or {}).get("bench") or {}
    back = told.get("read_back")
    return CheckedPass(
        id=str(pk),
        lane=str(lane),
        test=str(test.pk),
        number=number,
        profile=Profile.from_json(profile),
        clock_h=hour,
        session=None if session is None else str(session),
        control=role == PassRole.CONTROL,
        after_load=bool(told.get("after_load", False)),
        read_back=ReadBack(back["setting"], back["wanted"], back["seen"]) if back else None,
        expected_channels=tuple(use["channel"] for use in columns.get("map") or () if use["channel"] not in _CLOCKS),
    )


def _noise(study: Study, scene: int) -> dict[str, dict[str, Estimate]]:
    """What other passes of the scene taught."""
    known = learned_noise(study.low_school, {scene}).scenes.get(scene)
    if known is None:
        return {}
    kept = {kind: one for kind, one in known.estimates.items() if kind in ("average_fps", "low_1")}
    return {str(scene): kept}
