"""Checking passes as they come in: the core's checks over one test at once, and later over the whole study.

What is about one test is found within the transaction of whatever changed it, from what is kept of each capture. What
shows only over all tests (a lane's habit, a rank, a shifted session) is found by the worker, from figures alone.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from datetime import datetime
from typing import Any

from django.db.models import F, QuerySet
from django.utils.timezone import localtime
from intake.measuring import LOW_COLUMNS
from intake.models import CaptureProfile, PassDoubt
from intake.queries import RAN_COLUMNS, hours_of
from people.house import zone
from planning.noise import learned_noise
from rennbahn.checks import (
    NEAR,
    WIDE,
    CheckedLane,
    CheckedPass,
    CheckedScene,
    CheckedTest,
    Context,
    Doubt,
    Profile,
    ReadBack,
    Repeated,
    concerned,
    doubts_of,
    marks_passes,
    repeats_of,
)
from rennbahn.checks.profile import PROFILE_VERSION
from rennbahn.planning.noise import Estimate
from studies.models import STANDING, Pass, PassRole, Study, Test

from doubting.models import CheckOff, RepeatFound, WideDoubt

#: Of so many tests at once nobody waits long, at a screen or for the study.
CHECKED_AT_ONCE = 8

_CLOCKS = ("frame_time", "timestamp", "fps")
_OWN = ("pk", "lane_id", "test_id", "number", "session_id", "role", "repeats_id")
_ROW = (*_OWN, "run_as", "capture__columns", *RAN_COLUMNS)
_FIGURES = ("frames", "duration_s", "average_fps", "cap", "lock_fps", "cap_name", "flags", "bound_by")


def check_tests(study: Study, tests: Iterable[int]) -> None:
    """Check the passes of some tests anew, each test by itself, in as many statements as for one.

    Called within the transaction in which one of the passes came, changed or went.
    """
    contexts, near = contexts_of(study, set(tests)), asked_of(study, NEAR)
    passes: list[PassDoubt] = []
    wide: list[WideDoubt] = []
    repeats: list[RepeatFound] = []
    for test_id, context in contexts.items():
        found = [doubt for doubt in doubts_of(context, near) if doubt.lane is None or doubt.test is not None]
        passes += [_on_pass(doubt, int(pk)) for doubt in found if _of_passes(doubt) for pk in concerned(context, doubt)]
        wide += _wide(study, context, [doubt for doubt in found if not _of_passes(doubt)], test_id)
        repeats += [_repeat(one) for one in repeats_of(context)]
    PassDoubt.objects.filter(on_pass__test__in=contexts).delete()
    PassDoubt.objects.bulk_create(passes)
    WideDoubt.objects.filter(study=study, of_test__in=contexts).delete()
    WideDoubt.objects.bulk_create(wide)
    RepeatFound.objects.filter(one__test__in=contexts).delete()
    RepeatFound.objects.bulk_create(repeats)


def check_study(study: Study) -> None:
    """Check what shows only over all tests, within the caller's transaction."""
    context = wide_context_of(study)
    found = [doubt for doubt in doubts_of(context, asked_of(study, WIDE)) if doubt.on is None]
    WideDoubt.objects.filter(study=study, of_test=None).delete()
    WideDoubt.objects.bulk_create(_wide(study, context, found, None))


def asked_of(study: Study, checks: Iterable[str]) -> list[str]:
    """Those of some checks that are asked in a study."""
    off = set(CheckOff.objects.filter(study=study).values_list("check_id", flat=True))
    return [check for check in checks if check not in off]


def _of_passes(doubt: Doubt) -> bool:
    """Whether it is about passes that it names, one or two that disagree."""
    return doubt.on is not None or "passes" in doubt.evidence


def _on_pass(doubt: Doubt, pk: int) -> PassDoubt:
    return PassDoubt(
        on_pass_id=pk,
        check_id=doubt.check,
        weak=doubt.weak,
        words=doubt.words,
        evidence=dict(doubt.evidence),
        window=list(doubt.window) if doubt.window else None,
    )


def _repeat(one: Repeated) -> RepeatFound:
    return RepeatFound(
        one_id=int(one.repeat), of_id=int(one.of), agrees=one.agrees, other_session=one.other_session,
        suspect_id=int(one.suspect) if one.suspect else None, words=one.words,
        evidence={"figure": one.figure, "off": one.off, "noise": one.noise, "p": one.p},
    )  # fmt: skip


def _wide(study: Study, context: Context, doubts: Iterable[Doubt], test_id: int | None) -> Iterable[WideDoubt]:
    """Doubts about more than passes, one of those that are about the same."""
    rows = {
        key: WideDoubt(
            study=study, of_test_id=test_id, key=key, check_id=doubt.check, weak=doubt.weak, marks=marks_passes(doubt),
            words=doubt.words, evidence=dict(doubt.evidence), passes=[int(pk) for pk in concerned(context, doubt)],
        )
        for doubt in doubts
        for key in [_key_of(doubt)]
    }  # fmt: skip
    return rows.values()


def _key_of(doubt: Doubt) -> str:
    """What a doubt is about: the same one made anew has the same."""
    session = doubt.evidence.get("session", "")
    return f"{doubt.check} lane {doubt.lane or ''} test {doubt.test or ''} session {session}"[:120]


def contexts_of(study: Study, tests: Collection[int]) -> dict[int, Context]:
    """Of each of some tests, its passes that stand, with their profiles, in the order in which they were run."""
    its = Test.objects.select_related("scene__game", "condition").in_bulk(tests)
    kept = CaptureProfile.objects.filter(
        capture__on_pass__test__in=its, basis=F("capture__basis"), version=PROFILE_VERSION
    )
    profiles = dict(kept.values_list("capture__on_pass_id", "data"))
    rows: dict[int, list[tuple[Any, ...]]] = {pk: [] for pk in sorted(its)}
    for row in _standing(Pass.objects.filter(test__in=its)).values_list(*_ROW):
        if profiles.get(row[0]):
            rows[row[_OWN.index("test_id")]].append(row)
    noise = _noise(study, {test.scene_id for test in its.values()})
    return {pk: _context(study, [its[pk]], _with_profiles(own, profiles), noise) for pk, own in rows.items()}


def _with_profiles(rows: list[tuple[Any, ...]], profiles: Mapping[int, dict[str, Any]]) -> list[CheckedPass]:
    """Passes of a test from their rows, with all that is kept of their captures."""
    hours = hours_of([row[len(_ROW) - len(RAN_COLUMNS) :] for row in rows])
    passes = []
    for row, hour in zip(rows, hours.of, strict=True):
        run_as, columns = row[len(_OWN)], row[len(_OWN) + 1]
        told: Mapping[str, Any] = (run_as or {}).get("bench") or {}
        passes.append(
            _checked(
                row, hour, Profile.from_json(profiles[row[0]]),
                after_load=bool(told.get("after_load", False)),
                read_backs=tuple(
                    ReadBack(back["setting"], back["wanted"], back["seen"]) for back in told.get("read_backs") or ()
                ),
                expected_channels=tuple(
                    use["channel"] for use in columns.get("map") or () if use["channel"] not in _CLOCKS
                ),
            )
        )  # fmt: skip
    return passes


def wide_context_of(study: Study) -> Context:
    """All passes of a study that stand, by their figures alone: no profile is decoded."""
    low = f"capture__current__{LOW_COLUMNS['1', study.low_school]}"
    columns = [f"capture__current__{name}" for name in _FIGURES]
    asked = (*_OWN, "run_as__bench__after_load", low, *columns, *RAN_COLUMNS)
    passes = Pass.objects.filter(test__study=study, capture__current__isnull=False)
    rows = list(_standing(passes).values_list(*asked))
    hours = hours_of([row[len(asked) - len(RAN_COLUMNS) :] for row in rows])
    checked = [
        _checked(row, hour, _brief(row[len(_OWN) + 1], *row[len(_OWN) + 2 : -len(RAN_COLUMNS)]),
                 after_load=row[len(_OWN)] is True)
        for row, hour in zip(rows, hours.of, strict=True)
    ]  # fmt: skip
    tests = list(study.tests.select_related("scene__game", "condition"))
    return _context(study, tests, checked, _noise(study, {test.scene_id for test in tests}))


def _standing(passes: QuerySet[Pass]) -> QuerySet[Pass]:
    """Those that are compared with each other, in the order in which they were run."""
    return (
        passes.filter(state__in=STANDING).exclude(role=PassRole.WARM_UP).order_by("ran_at", "recorded_at", "pk")
    )  # fmt: skip


def _context(
    study: Study, tests: list[Test], passes: list[CheckedPass], noise: Mapping[str, Mapping[str, Estimate]]
) -> Context:
    scenes = {test.scene_id: test for test in tests}
    return Context(
        scenes=tuple(
            CheckedScene(
                str(pk), test.scene.game.name, test.scene.name, test.scene.kind,
                test.length_s or test.scene.length_s,
            )
            for pk, test in scenes.items()
        ),
        tests=tuple(CheckedTest(str(test.pk), str(test.scene_id), test.condition.name) for test in tests),
        lanes=tuple(CheckedLane(str(lane.pk), lane.name) for lane in study.lanes.all()),
        passes=tuple(passes),
        noise={scene: noise[scene] for scene in map(str, scenes) if scene in noise},
    )  # fmt: skip


def _checked(row: tuple[Any, ...], hour: float | None, profile: Profile, **told: Any) -> CheckedPass:
    pk, lane, test, number, session, role, repeats = row[: len(_OWN)]
    return CheckedPass(
        id=str(pk), lane=str(lane), test=str(test), number=number, profile=profile, clock_h=hour,
        session=_session_words(session, row[-1]), control=role == PassRole.CONTROL,
        repeats=None if repeats is None else str(repeats), **told,
    )  # fmt: skip


def _session_words(session: int | None, begun_at: datetime | None) -> str | None:
    """A sitting at the bench as people call it; its number where two began in one minute is told apart by neither."""
    return None if session is None or begun_at is None else f"of {localtime(begun_at, zone()):%d %b %H:%M}"


def _brief(
    low_1: float, frames: int, duration_s: float, average: float, cap: str, lock: float | None, cap_name: str,
    flags: list[str], bound_by: str,
) -> Profile:  # fmt: skip
    """A profile that holds figures alone: enough for what compares rates over tests."""
    return Profile(
        frames=frames, duration_s=duration_s, average_fps=average, low_1_fps=low_1, cap=cap, lock_fps=lock or 0.0,
        cap_name=cap_name, lock_share=0.0, cap_meant=False, stutters=0, stutter_lost_ms=0.0, flags=tuple(flags),
        bound_by=bound_by, bin_s=0.5, fps=(), uneven=(), courses={}, gaps=(), channels=(), digest="", sketch=(),
    )  # fmt: skip


def _noise(study: Study, scenes: set[int]) -> dict[str, dict[str, Estimate]]:
    """What other passes of the scenes taught."""
    return {
        str(scene): {kind: one for kind, one in known.estimates.items() if kind in ("average_fps", "low_1")}
        for scene, known in learned_noise(study.low_school, scenes).scenes.items()
    }
