"""A sitting at the bench as it stands: read off its runs and acts, never out of words."""

from __future__ import annotations

import datetime as dt
from collections.abc import Collection
from functools import cached_property

import clock
from django.db.models import Count, Q
from rennbahn.running.lateness import LAST_FILES, late_after_s
from studies.models import BenchSession, Pass, PassRole, PassState

from running.models import ActKind, BenchRun, RunAct

#: Acts by which somebody has had a word about a pass.
_SPOKEN = (ActKind.ACCEPTED, ActKind.LEFT, ActKind.REJECTED, ActKind.REPEATED)


class Sitting:
    """A session, and what one asks of it."""

    def __init__(self, session: BenchSession) -> None:
        self.session = session

    @cached_property
    def last_run(self) -> BenchRun | None:
        """The run that began last."""
        return self.session.runs.order_by("-pk").first()

    def awaits_file(self, run: BenchRun) -> bool:
        """Whether a run that ended waits for its file: of a pass until it has a result, of a warm-up until it came."""
        if run.warm_up:
            let_go = self.session.acts.filter(kind=ActKind.DONE, step=run.step, pass_id=run.pass_id)
            return self.session.machine_id is not None and run.arrival_id is None and not let_go.exists()
        return Pass.objects.filter(pk=run.pass_id or 0, state=PassState.PLANNED).exists()

    @cached_property
    def under_way(self) -> BenchRun | None:
        """The run that is under way, or that ended and waits for its file."""
        run = self.last_run
        if run is None or run.broken_off or (run.ended_at is not None and not self.awaits_file(run)):
            return None
        return run if Pass.objects.filter(pk=run.pass_id or 0).exists() else None

    @property
    def paused(self) -> bool:
        """Whether whoever drives took a break."""
        last = self.session.acts.filter(kind__in=(ActKind.PAUSED, ActKind.RESUMED)).last()
        return last is not None and last.kind == ActKind.PAUSED

    def ticked(self, passes: Collection[int]) -> set[str]:
        """Keys of the steps to these passes that are done: ticked, read back as wanted, warmed up."""
        acts = self.session.acts.filter(pass_id__in=passes).filter(
            Q(kind__in=(ActKind.DONE, ActKind.ANYWAY)) | Q(kind=ActKind.READ_BACK, data__agrees=True)
        )
        warm = self.session.runs.filter(
            warm_up=True, pass_id__in=passes, broken_off=False, ended_at__isnull=False, arrival__isnull=False
        )
        return set(acts.values_list("step", flat=True)) | set(warm.values_list("step", flat=True))

    def to_judge(self) -> Pass | None:
        """The oldest pass of this session that has a result and no word since its last file came."""
        words: dict[int, int] = {}
        told = self.session.acts.filter(kind__in=(*_SPOKEN, ActKind.CAME), pass_id__isnull=False)
        for pk, kind in told.order_by("pk").values_list("pass_id", "kind"):
            words[pk or 0] = kind != ActKind.CAME
        waits = Pass.objects.filter(session=self.session, state=PassState.RECORDED).exclude(role=PassRole.WARM_UP)
        return (
            waits.exclude(pk__in=[pk for pk, spoken in words.items() if spoken])
            .select_related("lane", "test__scene__game", "test__condition", "capture__current", "capture__arrival")
            .order_by("recorded_at", "pk")
            .first()
        )

    def last_in(self) -> Pass | None:
        """The pass whose result came in last."""
        own = Pass.objects.filter(session=self.session).exclude(role=PassRole.WARM_UP)
        return own.select_related("lane", "test__scene__game").order_by("-recorded_at", "-pk").first()

    def mismatch(self) -> RunAct | None:
        """The reading of a setting that was another than wanted, if nothing was done about it since."""
        last = self.session.acts.filter(kind=ActKind.READ_BACK).order_by("-pk").first()
        if last is None or last.data.get("agrees") or last.pass_id is None:
            return None
        anyway = self.session.acts.filter(pk__gt=last.pk, step=last.step, kind=ActKind.ANYWAY)
        return None if anyway.exists() else last

    def used(self) -> tuple[float, float]:
        """Seconds at the bench since the session began, without pauses, and what the plan gave for what was done."""
        pauses, began = 0.0, None
        for kind, at in self.session.acts.filter(kind__in=(ActKind.PAUSED, ActKind.RESUMED)).values_list("kind", "at"):
            if kind == ActKind.PAUSED:
                began = began or at
            elif began is not None:
                pauses, began = pauses + (at - began).total_seconds(), None
        end = began or self.session.ended_at or clock.now()
        done = self.session.acts.filter(kind__in=(ActKind.DONE, ActKind.ENDED)).values_list("data", flat=True)
        planned = sum(float(data.get("planned_s") or 0.0) for data in done)
        return max(0.0, (end - self.session.begun_at).total_seconds() - pauses), planned

    def late_after_s(self) -> float:
        """From when on a file is late, in true seconds after its run's end: learned from this bench's files."""
        ended = BenchRun.objects.filter(
            session__machine=self.session.machine_id, session__simulated=self.session.simulated,
            ended_at__isnull=False, arrival__isnull=False, broken_off=False,
        )  # fmt: skip
        times = ended.order_by("-pk").values_list("ended_at", "arrival__arrived_at")[:LAST_FILES]
        took = [(came - ended_at).total_seconds() for ended_at, came in times if ended_at is not None]
        return late_after_s(took if self.session.machine_id is not None else [], self.session.speed)


def session_for(study_id: int, username: str, session_id: int | None) -> BenchSession | None:
    """The session of a study that somebody looks at: the one that is named, one's own, or the one that runs.

    0 names none: one looks at how another could begin.
    """
    whole = BenchSession.objects.select_related("driver", "begun_by", "machine", "study")
    found = whole.filter(study=study_id).annotate(count=Count("passes"))
    if session_id is not None:
        return found.filter(pk=session_id, ended_at=None).first()
    open_ones = sorted(found.filter(ended_at=None), key=lambda one: one.pk, reverse=True)
    own = (one for one in open_ones if one.driver.get_username() == username)
    return next(own, open_ones[0] if open_ones else None)


def bench_clock(session: BenchSession, moment: dt.datetime) -> dt.datetime:
    """When that was by the bench's own clock: a simulated bench lives faster than true time."""
    return session.begun_at + (moment - session.begun_at) * session.speed
