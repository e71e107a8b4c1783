"""A study at the bench, as one person sees it: next steps, the run under way, the verdict, the time."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

from bench.queries import description_of
from django.contrib.auth.models import AnonymousUser, User
from django.db.models import Max, Q
from django.utils import timezone
from doubting.queries import doubts_on
from intake.measuring import LOW_COLUMNS
from intake.models import Arrival, ArrivalState
from people.access import role_of
from people.models import Role
from planning.building import costs_of, factors_of, lanes_of, told_by, work_of
from planning.calendar import BenchTime
from planning.queries import bench_time, one_study, plan_of
from rennbahn.checks.settling import is_doubted
from rennbahn.checks.words import verdict_line
from rennbahn.planning.cautions import cautions_of
from rennbahn.planning.fairness import LaneDescription
from rennbahn.planning.schedule import PlannedPass
from rennbahn.planning.timeline import Change, Standing, Timeline, changes_before, plan
from rennbahn.running import Question, Step, Upcoming, questions_of, steps_of, worth_of_mismatch
from studies.models import BenchSession, Lane, Pass, PassRole, PassState, StudyState, Test

from running.models import ActKind, RunAct
from running.queries import open_session, really_run, session_out, sessions_of
from running.schemas import (
    CardOut,
    ComingOut,
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
from running.standing import lane_descriptions, standing_of

Caller = User | AnonymousUser
#: Steps of so many passes are told ahead, so that a browser goes on while the network is away.
AHEAD = 6
#: So many sessions that ended are listed.
_EARLIER = 30


def run_of(user: Caller, study_id: int) -> RunOut:
    """Everything of a study at the bench. Raises :class:`NotFound`."""
    return _Station(user, study_id).told()


@dataclass(frozen=True)
class _Next:
    """The passes that come, with what is done before each."""

    passes: Sequence[PlannedPass]
    changes: Sequence[tuple[Change, ...]]


class _Station:
    """A study at the bench, as one person sees it."""

    def __init__(self, user: Caller, study_id: int) -> None:
        self.user, self.study = user, one_study(study_id)
        self.kept = plan_of(self.study)
        self.costs = costs_of(self.kept.costs)
        self.work = work_of(self.study, self.costs)
        self.session = open_session(study_id)
        self.lanes = lanes_of(self.study)
        self.tests = list(self.study.tests.all())
        self.passes = {one.pk: one for one in self._passes()}

    def _passes(self) -> list[Pass]:
        ids = [int(one.id) for one in self.next.passes[:AHEAD]]
        acted = self.last_run.pass_id if self.last_run else None
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
    def last_run(self) -> RunAct | None:
        """The run that began last in this session."""
        if self.session is None:
            return None
        return RunAct.objects.filter(session=self.session, kind=ActKind.BEGAN).order_by("-pk").first()

    @cached_property
    def descriptions(self) -> list[LaneDescription]:
        """The lanes as the fairness check sees them."""
        return lane_descriptions(self.study)

    def told(self) -> RunOut:
        """Everything."""
        role = role_of(self.user)
        may, why = self._may_run(role)
        number = RunAct.objects.filter(session__study=self.study).aggregate(last=Max("pk"))["last"]
        me = self.user.get_username()
        verdict = self._verdict()
        under_way = self._under_way()
        return RunOut(
            study_id=self.study.pk,
            question=self.study.question,
            number=number or 0,
            now=timezone.now(),
            me=me,
            may_run=may,
            why_not=why,
            may_simulate=not really_run(self.study.pk),
            session=session_out(self.session) if self.session else None,
            earlier=[one for one in sessions_of(self.study.pk, _EARLIER + 1) if one.ended_at is not None],
            driving=bool(self.session and self.session.driver.get_username() == me),
            paused=self._paused(),
            steps=self._steps() if self.session else [],
            coming=[
                self._coming(one, changes)
                for one, changes in zip(self.next.passes[:AHEAD], self.next.changes, strict=True)
            ],
            under_way=under_way,
            verdict=verdict,
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

    def _paused(self) -> bool:
        if self.session is None:
            return False
        last = RunAct.objects.filter(session=self.session, kind__in=(ActKind.PAUSED, ActKind.RESUMED)).last()
        return last is not None and last.kind == ActKind.PAUSED

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
                length_s=float(test.scene.length_s),
                warm_ups=test.scene.warm_up_runs,
                warm_up_words=test.scene.warm_up,
                new_scene=new_scene,
                lane_words=lane.name,
                test_words=f"{test.scene.game.name}, {test.scene.name}",
            )
            steps = steps_of(upcoming)
            found += [(int(one.id), step, place, len(steps)) for place, step in enumerate(steps, start=1)]
        acts = RunAct.objects.filter(session=self.session, pass_id__in={pk for pk, *_ in found})
        ticked = acts.filter(Q(kind__in=(ActKind.DONE, ActKind.ANYWAY)) | Q(kind=ActKind.READ_BACK, data__agrees=True))
        done = set(ticked.values_list("step", flat=True))
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
            setting=question.setting, wanted=question.wanted, where=question.where, others=list(question.others),
            shows=shows,
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
            card=_card(lane, test),
        )

    def _under_way(self) -> UnderWayOut | None:
        last = self.last_run
        if last is None or last.pass_id is None:
            return None
        after = RunAct.objects.filter(session=self.session, pk__gt=last.pk, pass_id=last.pass_id)
        kinds = {act.kind: act for act in after}
        over = {ActKind.ABORTED, ActKind.SKIPPED, ActKind.LATER}
        if over & set(kinds):
            return None
        one = self.passes.get(last.pass_id)
        warm_up = bool(last.data.get("warm_up"))
        if one is None or (not warm_up and one.state != PassState.PLANNED):
            return None
        ended = kinds.get(ActKind.ENDED)
        if warm_up and (ended is not None or ActKind.DONE in kinds):
            return None
        return UnderWayOut(
            pass_id=last.pass_id,
            step=last.step,
            warm_up=warm_up,
            began_at=last.at,
            ended_at=ended.at if ended else None,
            says=str(last.data.get("says", "")),
            refused=_refused_since(self.study.pk, last.at),
        )

    def _verdict(self) -> VerdictOut | None:
        """The oldest pass of this session that came in and has no word yet."""
        if self.session is None:
            return None
        one = (
            Pass.objects.filter(session=self.session, state=PassState.RECORDED)
            .exclude(role=PassRole.WARM_UP)
            .exclude(pk__in=_judged(self.session))
            .select_related("lane", "test__scene__game", "test__condition", "capture__current", "capture__arrival")
            .order_by("recorded_at", "pk")
            .first()
        )
        if one is None:
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
            simulated=self.session.simulated,
        )

    def _last(self) -> LastOut | None:
        """The pass that came in last in this session."""
        if self.session is None:
            return None
        one = (
            Pass.objects.filter(session=self.session)
            .exclude(role=PassRole.WARM_UP)
            .select_related("lane", "test__scene__game")
            .order_by("-recorded_at", "-pk")
            .first()
        )
        if one is None:
            return None
        test = f"{one.test.scene.game.name}, {one.test.scene.name}"
        return LastOut(pass_id=one.pk, lane=one.lane.name, test=test, number=one.number, state=one.state)

    def _mismatch(self) -> MismatchOut | None:
        """A setting that read back otherwise since nothing was done about it."""
        if self.session is None:
            return None
        last = RunAct.objects.filter(session=self.session, kind=ActKind.READ_BACK).order_by("-pk").first()
        if last is None or last.data.get("agrees") or last.pass_id is None:
            return None
        if RunAct.objects.filter(session=self.session, pk__gt=last.pk, step=last.step, kind=ActKind.ANYWAY).exists():
            return None
        if last.pass_id not in {int(one.id) for one in self.next.passes[:1]}:
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
        used, planned = _used(self.session) if self.session else (0.0, 0.0)
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
            now=self.standing,
        )  # fmt: skip


def _judged(session: BenchSession) -> list[int]:
    """Passes of a session that somebody had a word about."""
    spoken = (ActKind.ACCEPTED, ActKind.LEFT, ActKind.REJECTED, ActKind.REPEATED)
    found = RunAct.objects.filter(session=session, kind__in=spoken, pass_id__isnull=False)
    return [pk for pk in found.values_list("pass_id", flat=True) if pk is not None]


def _used(session: BenchSession) -> tuple[float, float]:
    """Seconds at the bench since the session began, without pauses, and what the plan gave for what was done."""
    acts = RunAct.objects.filter(session=session)
    pauses, began = 0.0, None
    for kind, at in acts.filter(kind__in=(ActKind.PAUSED, ActKind.RESUMED)).values_list("kind", "at"):
        if kind == ActKind.PAUSED:
            began = began or at
        elif began is not None:
            pauses, began = pauses + (at - began).total_seconds(), None
    end = began or session.ended_at or timezone.now()
    done = acts.filter(kind__in=(ActKind.DONE, ActKind.ENDED)).values_list("data", flat=True)
    planned = sum(float(data.get("planned_s") or 0.0) for data in done)
    return max(0.0, (end - session.begun_at).total_seconds() - pauses), planned


def _tray(study_id: int) -> list[TrayOut]:
    """Files that wait for a place."""
    found = Arrival.objects.filter(study=study_id, state=ArrivalState.WAITING).order_by("-arrived_at", "-pk")
    return [
        TrayOut(
            id=one.pk, name=one.name, written_at=one.written_at,
            refused=str((one.refusal or {}).get("message", "")),
        )
        for one in found[:20]
    ]  # fmt: skip


def _refused_since(study_id: int, moment: dt.datetime) -> str:
    """Why the last file that came since is no capture; empty where none is."""
    came = Arrival.objects.filter(study=study_id, state=ArrivalState.WAITING, arrived_at__gte=moment)
    last = came.filter(refusal__isnull=False).order_by("-pk").first()
    return f"{last.name}: {last.refusal['message']}" if last and last.refusal else ""


def _card(lane: Lane, test: Test) -> CardOut:
    condition = lane.condition or test.condition
    resolution, settings = told_by(condition) or ("", "")
    scene = test.scene
    return CardOut(
        game=scene.game.name, scene=scene.name, kind=scene.kind, condition=condition.name, resolution=resolution,
        settings=settings, start=scene.start, route=scene.route, end=scene.end, length_s=float(scene.length_s),
    )  # fmt: skip
