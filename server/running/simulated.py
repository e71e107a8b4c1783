"""The simulated bench beside a study: setups, scenes and conditions as the core plays them."""

from __future__ import annotations

from collections.abc import Mapping

from bench.queries import description_of
from planning.building import lanes_of, told_by
from rennbahn.planning.lengths import RECKONED_S
from rennbahn.simulation import SimulatedBench, SimulatedTest, Wanted
from scenes.models import Condition
from studies.models import BenchSession, Pass, Study, Test

from running.models import ActKind, BenchRun, RunAct

#: What goes wrong at the demo's bench, how often a pass: enough that a session meets some of it.
FAULTS: Mapping[str, float] = {
    "slow_first": 0.15, "hiccups": 0.04, "throttle": 0.03, "background": 0.04, "cut_log": 0.02, "missing_log": 0.02,
    "crash": 0.01, "setting_not_applied": 0.02,
}  # fmt: skip


def bench_of(study: Study, session: BenchSession) -> SimulatedBench:
    """The bench that plays a study's passes."""
    return SimulatedBench(
        lanes={str(lane.pk): description_of(lane.setup_version) for lane in lanes_of(study)},
        tests={str(test.pk): played_test(test) for test in study.tests.all()},
        seed=session.seed,
        faults=FAULTS,
    )


def played_test(test: Test, condition: Condition | None = None) -> SimulatedTest:
    """A test as the bench plays it, under a condition that replaces its own."""
    condition = condition or test.condition
    resolution, settings = told_by(condition) or ("", "")
    return SimulatedTest(
        id=str(test.pk),
        game=test.scene.game.name,
        scene=test.scene.name,
        kind=test.scene.kind,
        length_s=float(test.scene.length_s or RECKONED_S),
        resolution=resolution,
        settings=settings,
        leans_on=tuple(test.scene.leans_on),
        engine_cap_fps=test.scene.game.engine_cap_fps,
        frame_limit_fps=condition.frame_limit_fps,
    )


def wanted_of(session: BenchSession, one: Pass, began: BenchRun | None = None) -> Wanted:
    """A pass as the simulated bench is asked for it; begun again it is another attempt."""
    attempts = session.runs.filter(pass_id=one.pk)
    if began is not None:
        attempts = attempts.filter(pk__lte=began.pk)
    # A setting that read back otherwise was set again since: the bench is another one then.
    again = RunAct.objects.filter(
        session=session, kind=ActKind.READ_BACK, pass_id=one.pk, data__agrees=False,
    )  # fmt: skip
    count = attempts.count() + again.count() + (0 if began is not None else 1)
    hour = ((began.began_at if began else session.begun_at) - session.begun_at).total_seconds() / 3600.0 * session.speed
    return Wanted(
        lane=str(one.lane_id),
        test=str(one.test_id),
        number=one.number,
        hour=max(0.0, hour),
        after_load=bool(began and began.after_load),
        attempt=max(1, count),
    )
