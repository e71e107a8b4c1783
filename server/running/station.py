"""A study at the bench, as one person sees it: next steps, the run under way, the verdict, the time."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import clock
from bench.queries import description_of
from django.contrib.auth.models import AnonymousUser, User
from django.db.models import Count
from doubting.queries import doubts_on, told_by_capture
from intake.measuring import LOW_COLUMNS
from intake.models import Arrival, ArrivalState
from people.access import role_of
from people.models import Role
from planning.building import factors_of, lanes_of, told_by
from planning.calendar import BenchTime
from planning.queries import bench_time, one_study, plan_of, planned_work
from rennbahn.checks.settling import is_doubted
from rennbahn.checks.words import verdict_line
from rennbahn.planning.cautions import cautions_of
from rennbahn.planning.fairness import LaneDescription
from rennbahn.planning.schedule import PlannedPass, PlannedTest
from rennbahn.planning.timeline import Change, Standing, Timeline, changes_before, plan
from rennbahn.running import Question, Step, Upcoming, questions_of, shuffled_choices, steps_of, worth_of_mismatch
from studies.models import BenchSession, Lane, Pass, PassRole, PassState, StudyState, Test

from running.models import BenchRun
from running.queries import last_act, machines_out, really_run, session_out, sessions_of
from running.schemas import (
    CardOut,
    ComingOut,
    LaneHere,
    LastOut,
    MismatchOut,
    ProgressOut,
    QuestionOut,
    RunOut,
    StepOut,
    TrayOut,
    UnderWayOut,
    VerdictOut,
)
from running.simulated import bench_of, wanted_of
from running.sitting import Sitting, session_for
from running.standing import lane_descriptions, standing_of, work_here

Caller = User | AnonymousUser
#: Steps of so many passes are told ahead, so that a browser goes on while the network is away.
AHEAD = 6
#: So many sessions that ended are listed.
_EARLIER = 30


def run_of(user: Caller, study_id: int, session_id: int | None = None) -> RunOut:
    """Everything of a study at the bench, in the session that is named or that runs. Raises :class:`NotFound`."""
    return _Station(user, study_id, session_id).told()


@dataclass(frozen=True)
class _Next:
    """The passes that come, with what is done before each."""

    passes: Sequence[PlannedPass]
    changes: Sequence[tuple[Change, ...]]


class _Station:
    """A study at the bench, as one person sees it."""

    def __init__(self, user: Caller, study_id: int, session_id: int | None) -> None:
        self.user, self.study = user, one_study(study_id)
        # Read before all else: what is done meanwhile then has a higher number than this answer, which is asked anew.
        # Read last, an answer from before an act would have the act's number, and stand on screen for good.
        self.number = last_act(study_id)
        self.kept = plan_of(self.study)
        self.session = session_for(study_id, user.get_username(), session_id)
        self.sitting = Sitting(self.session) if self.session else None
        work = planned_work(self.study, self.kept)
        self.work = work_here(work, self.session) if self.session else work
        self.lanes = lanes_of(self.study)
        self.tests = list(self.study.tests.all())
        self.passes = {one.pk: one for one in self._passes()}

    def _passes(self) -> list[Pass]:
        ids = [int(one.id) for one in self.next.passes[:AHEAD]]
        last = self.sitting.last_run if self.sitting else None
        acted = last.pass_id if last else None
        return list(Pass.objects.filter(pk__in=[*ids, *([acted] if acted is not None else [])]))

    @cached_property
    def standing(self) -> Standing:
        """How the bench stands."""
        return standing_of(self.study.pk, self.work, self.session)

    @cached_property
    def next(self) -> _Next:
        """All that comes, in the session's order; passes planned since come last."""
        planned = {int(one.id): one for one in self.work.passes}
        wanted = self.session.sequence if self.session else []
        rest = [pk for pk in planned if pk not in set(wanted)]
        passes = [planned[pk] for pk in [*wanted, *rest] if pk in planned] if self.session else list(planned.values())
        return _Next(passes, changes_before(self.work, passes[:AHEAD], self.standing))

    @cached_property
    def descriptions(self) -> list[LaneDescription]:
        """The lanes as the fairness check sees them."""
        return lane_descriptions(self.study)

    def told(self) -> RunOut:
        """Everything."""
        role = role_of(self.user)
        may, why = self._may_run(role)
        me = self.user.get_username()
        return RunOut(
            study_id=self.study.pk,
            question=self.study.question,
            number=self.number,
            now=clock.now(),
            me=me,
            may_run=may,
            why_not=why,
            may_simulate=not really_run(self.study.pk),
            session=session_out(self.session, self.lane_names) if self.session else None,
            others=[session_out(one, self.lane_names) for one in self.others],
            machines=machines_out() if self.session is None else [],
            lanes=self._lanes() if self.session is None else [],
            earlier=[one for one in sessions_of(self.study.pk, _EARLIER + 1) if one.ended_at is not None],
            driving=bool(self.session and self.session.driver.get_username() == me),
            paused=self.sitting is not None and self.sitting.paused,
            steps=self._steps() if self.session else [],
            coming=[
                self._coming(one, changes)
                for one, changes in zip(self.next.passes[:AHEAD], self.next.changes, strict=True)
            ],
            under_way=self._under_way(),
            verdict=self._verdict(),
            last=self._last(),
            mismatch=self._mismatch(),
            tray=_tray(self.study.pk),
            progress=self._progress(),
        )

    def _may_run(self, role: Role | None) -> tuple[bool, str]:
        if role is None or role == Role.VIEWER:
            return False, "You look on: a tester or a lead runs passes."
        if self.study.archived_at is not None or self.study.state == StudyState.FINISHED:
            return False, "The study is finished or put away; a lead can open it again."
        return True, ""

    @cached_property
    def lane_names(self) -> dict[int, str]:
        """The study's lanes by their ids."""
        return {lane.pk: lane.name for lane in self.lanes}

    @cached_property
    def others(self) -> list[BenchSession]:
        """Other sessions that run in this study, at other test machines."""
        found = BenchSession.objects.filter(study=self.study, ended_at=None).annotate(count=Count("passes"))
        others = found.exclude(pk=self.session.pk if self.session else 0)
        return list(others.select_related("driver", "begun_by", "machine").order_by("pk"))

    def _lanes(self) -> list[LaneHere]:
        """The lanes that a session could run, with what is left of each."""
        left = Counter(one.lane for one in self.work.passes)
        taken = {pk: str(one.machine or "") for one in self.others for pk in one.lanes or self.lane_names}
        return [
            LaneHere(id=lane.pk, name=lane.name, left=left[at], taken=taken.get(lane.pk, ""))
            for at, lane in enumerate(self.lanes)
        ]

    def _steps(self) -> list[StepOut]:
        """The steps that are not done yet, of the passes that come."""
        found: list[tuple[int, Step, int, int]] = []
        standing = self.standing
        seen_games: set[tuple[int, int]] = set()
        lane_before = standing.lane
        for one, changes in zip(self.next.passes[:AHEAD], self.next.changes, strict=True):
            lane, test = self.lanes[one.lane], self.tests[one.test]
            kinds = {change.kind for change in changes}
            place = (one.lane, test.scene_id)
            new_scene = "load" in kinds or (place not in seen_games and not self._ran_here(lane, test))
            seen_games.add(place)
            fresh_lane = one.lane != lane_before or "start" in kinds
            lane_before = one.lane
            upcoming = Upcoming(
                id=one.id,
                changes=changes,
                questions=questions_of(self.descriptions, str(lane.pk), factors_of(self.study)),
                cautions=[c.words for c in cautions_of(description_of(lane.setup_version))] if fresh_lane else [],
                length_s=self.work.tests[one.test].length_s,
                warm_ups=test.scene.warm_up_runs,
                warm_up_words=test.scene.warm_up,
                new_scene=new_scene,
                lane_words=lane.name,
                test_words=f"{test.scene.game.name}, {test.scene.name}",
            )
            steps = steps_of(upcoming)
            found += [(int(one.id), step, place, len(steps)) for place, step in enumerate(steps, start=1)]
        done = self.sitting.ticked({pk for pk, *_ in found}) if self.sitting else set()
        return [self._step_out(*one) for one in found if one[1].key not in done]

    def _ran_here(self, lane: Lane, test: Test) -> bool:
        return (
            Pass.objects.filter(session=self.session, lane=lane, test__scene=test.scene_id).exists()
            if self.session
            else False
        )

    def _step_out(self, pass_id: int, step: Step, place: int, of: int) -> StepOut:
        return StepOut(
            key=step.key,
            pass_id=pass_id,
            kind=step.kind,
            title=step.title,
            words=step.words,
            caution=step.caution,
            seconds=step.seconds,
            cost=step.cost,
            question=self._question_out(pass_id, step.question) if step.question else None,
            run=step.run,
            runs=step.runs,
            place=place,
            of=of,
        )

    def _question_out(self, pass_id: int, question: Question) -> QuestionOut:
        shows = None
        if self.session is not None and self.session.simulated and question.key.startswith("setting:"):
            one = self.passes.get(pass_id) or Pass.objects.get(pk=pass_id)
            shows = bench_of(self.study, self.session).reads_back(wanted_of(self.session, one), question.setting)
        return QuestionOut(
            setting=question.setting, wanted=question.wanted, where=question.where,
            choices=shuffled_choices(question, pass_id), shows=shows,
        )  # fmt: skip

    def _coming(self, one: PlannedPass, changes: Sequence[Change]) -> ComingOut:
        lane, test = self.lanes[one.lane], self.tests[one.test]
        kept = self.passes.get(int(one.id))
        kinds = {change.kind for change in changes}
        return ComingOut(
            pass_id=int(one.id),
            lane=lane.name,
            lane_id=lane.pk,
            lane_position=lane.position,
            test_id=test.pk,
            number=one.number,
            of=test.passes_wanted,
            role=kept.role if kept else PassRole.COUNTED,
            after_load=bool(kinds & {"load", "restart"}),
            card=_card(lane, test, self.work.tests[one.test]),
        )

    def _under_way(self) -> UnderWayOut | None:
        run = self.sitting.under_way if self.sitting else None
        if self.sitting is None or run is None or run.pass_id is None:
            return None
        return UnderWayOut(
            pass_id=run.pass_id,
            step=run.step,
            warm_up=run.warm_up,
            began_at=run.began_at,
            ended_at=run.ended_at,
            says=run.says,
            refused=_refused_since(self.study.pk, run),
            late_after_s=self.sitting.late_after_s(),
        )

    def _verdict(self) -> VerdictOut | None:
        one = self.sitting.to_judge() if self.sitting else None
        if self.session is None or one is None:
            return None
        doubts = doubts_on(one.pk)
        capture = getattr(one, "capture", None)
        figures = capture.current if capture else None
        low = getattr(figures, LOW_COLUMNS["1", self.study.low_school]) if figures else None
        return VerdictOut(
            pass_id=one.pk,
            lane=one.lane.name,
            test=f"{one.test.scene.game.name}, {one.test.scene.name}",
            number=one.number,
            average_fps=figures.average_fps if figures else None,
            low_1_fps=low,
            file_name=capture.arrival.name if capture else "",
            sentence=verdict_line([d.weak for d in doubts]),
            doubted=is_doubted([d.weak for d in doubts]),
            doubts=doubts,
            told_by_file=told_by_capture(one),
            simulated=self.session.simulated,
        )

    def _last(self) -> LastOut | None:
        one = self.sitting.last_in() if self.sitting else None
        if one is None:
            return None
        test = f"{one.test.scene.game.name}, {one.test.scene.name}"
        return LastOut(pass_id=one.pk, lane=one.lane.name, test=test, number=one.number, state=one.state)

    def _mismatch(self) -> MismatchOut | None:
        """A setting that read back otherwise since nothing was done about it."""
        last = self.sitting.mismatch() if self.sitting else None
        if last is None or last.pass_id not in {int(one.id) for one in self.next.passes[:1]}:
            return None
        setting, seen = str(last.data["setting"]), str(last.data["seen"])
        place = next(one for one in self.next.passes if int(one.id) == last.pass_id)
        lane = self.lanes[place.lane]
        asked = questions_of(self.descriptions, str(lane.pk), factors_of(self.study))
        question = next((one for one in asked if one.setting == setting), None)
        if question is None:
            return None
        return MismatchOut(
            act=last.pk, step=last.step, pass_id=last.pass_id, setting=setting, wanted=question.wanted, seen=seen,
            worth=worth_of_mismatch(question, seen, lane.name),
        )  # fmt: skip

    def _progress(self) -> ProgressOut:
        when = bench_time(self.kept)
        timeline = self._laid_out(when)
        used, planned = self.sitting.used() if self.sitting else (0.0, 0.0)
        deadline = self.kept.deadline.replace(tzinfo=None) if self.kept.deadline else None
        run = Pass.objects.filter(test__study=self.study).exclude(state=PassState.PLANNED)
        return ProgressOut(
            run=run.exclude(role=PassRole.WARM_UP).count(),
            left=len(self.next.passes),
            used_s=used,
            left_s=timeline.total_s,
            behind_s=used - planned,
            ends=when.moment(timeline.end_s) if timeline.slots else None,
            deadline=deadline,
            late=bool(timeline.dropped) or not timeline.fits,
            dropped=[f"{self.tests[t].scene.game.name}, {self.tests[t].condition.name}" for t in timeline.dropped],
        )

    def _laid_out(self, when: BenchTime) -> Timeline:
        deadline = when.seconds(self.kept.deadline.replace(tzinfo=None)) if self.kept.deadline else None
        order = [one.id for one in self.next.passes]
        return plan(
            self.work, "by_hand", when.sessions(), deadline_s=deadline, seed=self.kept.seed, by_hand=order,
            now=self.standing, keep_dates=True,
        )  # fmt: skip


def _tray(study_id: int) -> list[TrayOut]:
    """Files that wait for a place."""
    found = Arrival.objects.filter(study=study_id, state=ArrivalState.WAITING).order_by("-arrived_at", "-pk")
    return [
        TrayOut(
            id=one.pk, name=one.name, written_at=one.written_at,
            refused=str((one.refusal or {}).get("message", "")), why=one.waits_why, likely_pass_id=one.likely_pass_id,
        )
        for one in found[:20]
    ]  # fmt: skip


def _refused_since(study_id: int, run: BenchRun) -> str:
    """Why the last file that came since a run began could not be taken; empty where every one could."""
    came = Arrival.objects.filter(study=study_id, state=ArrivalState.WAITING, arrived_at__gte=run.began_at)
    last = came.exclude(waits_why="", refusal=None).filter(for_run_id=None).order_by("-pk").first()
    if last is None:
        return ""
    return f"{last.name}: {last.refusal['message'] if last.refusal else last.waits_why}"


def _card(lane: Lane, test: Test, planned: PlannedTest) -> CardOut:
    condition = lane.condition or test.condition
    resolution, settings = told_by(condition) or ("", "")
    scene = test.scene
    return CardOut(
        game=scene.game.name, scene=scene.name, kind=scene.kind, condition=condition.name, resolution=resolution,
        settings=settings, start=scene.start, route=scene.route, end=scene.end,
        length_s=planned.length_s if planned.length_known else None,
    )  # fmt: skip
