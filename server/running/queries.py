"""What one asks about the bench: sessions, whether anything was done, what changes took, tokens of test machines."""

from __future__ import annotations

from collections.abc import Mapping

from django.db.models import Count, Max
from people.links import machines
from people.models import BenchToken
from problems import NotFound
from rennbahn.plain import plain
from rennbahn.planning.schedule import Costs
from rennbahn.running import learned_costs
from rennbahn.running.costs import TAUGHT
from studies.models import BenchSession, Pass, PassState, Study

from running.models import ChangeTook, RunAct
from running.schemas import (
    BenchSessionOut,
    LearnedOut,
    LinkOut,
    MachineOut,
    PulseOut,
)
from running.sitting import session_for

#: What a change took is learned from so many of the last times.
_LAST_TIMES = 60


def pulse(study_id: int, username: str = "", session_id: int | None = None) -> PulseOut:
    """Whether anything was done at the bench: what onlookers ask again and again. Raises :class:`NotFound`."""
    if not Study.objects.filter(pk=study_id).exists():
        raise NotFound("study")
    number = last_act(study_id)
    session = session_for(study_id, username, session_id)
    return PulseOut(number=number, driver=session.driver.get_username() if session else "")


def last_act(study_id: int) -> int:
    """The number of what was done last at the bench of a study; 0 before anything was."""
    last = RunAct.objects.filter(session__study=study_id).aggregate(last=Max("pk"))["last"]
    return last or 0


def link_out(one: BenchToken) -> LinkOut:
    """A token without its secret."""
    return LinkOut(
        id=one.pk, name=one.machine.name, columns_name=one.columns_name, made_at=one.made_at,
        last_used_at=one.last_used_at, revoked_at=one.revoked_at,
    )  # fmt: skip


def machines_out() -> list[MachineOut]:
    """The test machines that somebody holds a valid token of, and who sits there just now."""
    own = machines()
    busy = BenchSession.objects.filter(machine__in=own, ended_at=None).select_related("driver", "study")
    taken = {one.machine_id: f"{one.driver.get_username()}: {one.study}" for one in busy}
    return [MachineOut(id=one.pk, name=one.name, taken=taken.get(one.pk, "")) for one in own]


def really_run(study_id: int) -> bool:
    """Whether any pass of a study was really run."""
    run = Pass.objects.filter(test__study=study_id).exclude(state__in=(PassState.PLANNED, PassState.DID_NOT_RUN))
    return run.exclude(session__simulated=True).exists()


def sessions_of(study_id: int, most: int | None = None) -> list[BenchSessionOut]:
    """The sessions of a study, newest first, all of them or so many. Raises :class:`NotFound`."""
    if not Study.objects.filter(pk=study_id).exists():
        raise NotFound("study")
    found = BenchSession.objects.filter(study=study_id).select_related("driver", "begun_by", "machine")
    return [session_out(one) for one in found.annotate(count=Count("passes")).order_by("-begun_at", "-pk")[:most]]


def learned() -> list[LearnedOut]:
    """What changes really took, beside what plans take for granted."""
    took = took_by_cost()
    offered = learned_costs(took)
    usual = plain(Costs())
    return [
        LearnedOut(cost=cost, seconds=offered.get(cost), times=len(took.get(cost, ())), planned=float(usual[cost]))
        for cost in TAUGHT
    ]


def took_by_cost() -> dict[str, list[float]]:
    """Seconds that changes took, the last times of each; a simulated bench teaches nothing."""
    found: dict[str, list[float]] = {}
    rows = ChangeTook.objects.filter(session__simulated=False).order_by("-pk").values_list("cost", "seconds")
    for cost, seconds in rows[: _LAST_TIMES * len(TAUGHT)]:
        own = found.setdefault(cost, [])
        if len(own) < _LAST_TIMES:
            own.append(seconds)
    return found


def session_out(one: BenchSession, lanes: Mapping[int, str] | None = None) -> BenchSessionOut:
    """A sitting; `lanes` names those of its study, where they are to be named."""
    count: int = getattr(one, "count", 0)
    return BenchSessionOut(
        id=one.pk, machine=one.machine.name if one.machine and not one.simulated else "",
        lanes=[lanes[pk] for pk in one.lanes if pk in lanes] if lanes else [], begun_at=one.begun_at,
        ended_at=one.ended_at, begun_by=one.begun_by.get_username(), driver=one.driver.get_username(),
        room_c=one.room_c, notes=one.notes, simulated=one.simulated, speed=one.speed, passes=count,
    )  # fmt: skip
