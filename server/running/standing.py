"""How the bench stands, which passes come in which order, and what lanes say of themselves."""

from __future__ import annotations

from dataclasses import replace

from bench.queries import description_of
from planning.building import lanes_of
from planning.models import Plan
from planning.queries import bench_time
from rennbahn.planning.fairness import LaneDescription
from rennbahn.planning.schedule import Work
from rennbahn.planning.timeline import Standing, plan
from studies.models import BenchSession, Pass, Study

from running.models import ActKind, BenchRun


def standing_of(study_id: int, work: Work, session: BenchSession | None) -> Standing:
    """How the bench stands: the lane that was built last, and in a session that runs the game and what it was told.

    Of a session it is its own test machine that stands so.
    """
    runs = BenchRun.objects.filter(session__study=study_id).order_by("-pk")
    if session is not None:
        runs = runs.filter(session__machine=session.machine_id, session__simulated=session.simulated)
    last = runs.first()
    if last is not None and session is not None and _on_its_way(last, session):
        # A warm-up run is a step to its pass: the others stay as they were, and what was done of them is done.
        last = runs.exclude(pass_id=last.pass_id, session=session).first()
    at_lane = {int(lane.id): at for at, lane in enumerate(work.lanes)}
    at_test = {int(test.id): at for at, test in enumerate(work.tests)}
    known = Pass.objects.filter(pk=last.pass_id) if last and last.pass_id is not None else Pass.objects.none()
    place = known.values_list("lane_id", "test_id").first()
    if last is None or place is None or place[0] not in at_lane or place[1] not in at_test:
        return Standing(off=True)
    lane, test = at_lane[place[0]], at_test[place[1]]
    told = {work.tests[test].game: work.told(lane, test)}
    if session is None or last.session_id != session.pk:
        return Standing(lane, None, told, off=True)
    gone = session.acts.filter(at__gte=last.began_at, kind=ActKind.SKIPPED, pass_id=last.pass_id).first()
    crashed = gone is not None and gone.data.get("code") in ("crashed", "did_not_launch", "unstable")
    return Standing(lane, None if crashed else work.tests[test].game, told)


def _on_its_way(last: BenchRun, session: BenchSession) -> bool:
    """Whether the run that began last is a warm-up whose pass is still the next."""
    if not last.warm_up or last.session_id != session.pk:
        return False
    given_up = (ActKind.SKIPPED, ActKind.LATER, ActKind.ORDERED)
    return not session.acts.filter(at__gt=last.began_at, kind__in=given_up).exists()


def work_here(work: Work, session: BenchSession) -> Work:
    """What of a study's work is done in a session: the passes of its lanes, of those that no other session runs."""
    others = BenchSession.objects.filter(study=session.study_id, ended_at=None).exclude(pk=session.pk)
    taken = {lane for one in others for lane in one.lanes}
    own = {
        at for at, lane in enumerate(work.lanes)
        if (int(lane.id) in session.lanes if session.lanes else int(lane.id) not in taken)
    }  # fmt: skip
    return work if len(own) == len(work.lanes) else replace(work, passes=tuple(p for p in work.passes if p.lane in own))


def sequence_for(kept: Plan, work: Work, order: str, now: Standing) -> list[int]:
    """The order of all passes still to be run, as the plan has it or in another order."""
    return sequence_and_day(kept, work, order, now)[0]


def sequence_and_day(kept: Plan, work: Work, order: str, now: Standing) -> tuple[list[int], int]:
    """The same, and how many of them the plan has in its first session."""
    when = bench_time(kept)
    timeline = plan(
        work,
        order,  # type: ignore[arg-type]
        when.sessions(),
        seed=kept.seed,
        by_hand=[str(pk) for pk in kept.sequence],
        now=now,
    )
    sequence = [int(slot.one.id) for slot in timeline.slots] + [int(one.id) for one in timeline.unplaceable]
    first = timeline.slots[0].session if timeline.slots else 0
    return sequence, sum(slot.session == first for slot in timeline.slots)


def lane_descriptions(study: Study) -> list[LaneDescription]:
    """The lanes of a study as the fairness check sees them, the baseline first."""
    return [
        LaneDescription(
            str(lane.pk), lane.name, description_of(lane.setup_version), lane.condition.name if lane.condition else ""
        )
        for lane in lanes_of(study)
    ]
