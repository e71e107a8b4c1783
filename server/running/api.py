"""At the bench: sessions, acts, and files that test machines send by themselves."""

from __future__ import annotations

from typing import Any

import clock
from django.http import HttpRequest, HttpResponse
from intake.uploads import whole_upload
from ninja import File, Form, Router, Status, UploadedFile
from people import links
from people.access import user_of
from people.links import from_bench
from strict import Moment

from running import link, program, queries, services, station
from running import sessions as sittings
from running.schemas import (
    ActsIn,
    AssignIn,
    BenchSessionOut,
    ClockOut,
    LearnedOut,
    LinkIn,
    LinkMade,
    LinkOut,
    LinkTaken,
    MachineOut,
    PulseOut,
    RunOut,
    SessionEnd,
    SessionIn,
)

router = Router(tags=["running"])
FILE: Any = File(None)  # type: ignore[type-arg]
#: Seconds that the server's clock is ahead of a test machine's. A clock may be years off: an empty battery.
AHEAD: Any = Form(None, ge=-4e9, le=4e9, allow_inf_nan=False)  # type: ignore[type-arg]


@router.get("/studies/{int:study_id}/run", response=RunOut)
def run(request: HttpRequest, study_id: int, session: int | None = None) -> RunOut:
    """A study at the bench: the next steps, the run under way, the verdict on the last pass.

    In the session that is named, one's own, or the one that runs; 0 names none, as before one begins.
    """
    return station.run_of(user_of(request), study_id, session)


@router.get("/studies/{int:study_id}/run/pulse", response=PulseOut)
def pulse(request: HttpRequest, study_id: int, session: int | None = None) -> PulseOut:
    """Whether anything was done at the bench since."""
    return queries.pulse(study_id, user_of(request).get_username(), session)


@router.post("/studies/{int:study_id}/run/acts", response=RunOut)
def do_acts(request: HttpRequest, study_id: int, payload: ActsIn, session: int | None = None) -> RunOut:
    """Do some acts in order, each once, whatever was sent before. What became of each is said in `outcomes`."""
    done = services.do_acts(user_of(request), study_id, payload)
    link.place_what_waits(user_of(request), study_id)
    found = station.run_of(user_of(request), study_id, session)
    found.outcomes = done
    return found


@router.get("/studies/{int:study_id}/sessions", response=list[BenchSessionOut])
def sessions(request: HttpRequest, study_id: int) -> list[BenchSessionOut]:
    """The sessions of a study, newest first."""
    return queries.sessions_of(study_id)


@router.post("/studies/{int:study_id}/sessions", response={201: RunOut})
def begin_session(request: HttpRequest, study_id: int, payload: SessionIn) -> Status[RunOut]:
    """Begin a sitting at the bench."""
    begun = sittings.begin_session(user_of(request), study_id, payload)
    return Status(201, station.run_of(user_of(request), study_id, begun.pk))


@router.post("/studies/{int:study_id}/sessions/end", response=RunOut)
def end_session(request: HttpRequest, study_id: int, payload: SessionEnd) -> RunOut:
    """End the sitting that runs."""
    sittings.end_session(user_of(request), study_id, payload)
    link.place_what_waits(user_of(request), study_id)
    return station.run_of(user_of(request), study_id, 0)


@router.post("/files/{int:arrival_id}/assign", response=LinkTaken)
def assign(request: HttpRequest, arrival_id: int, payload: AssignIn) -> LinkTaken:
    """A waiting file is the capture of this pass, read as files of its logger are."""
    return link.assign(user_of(request), arrival_id, payload.pass_id)


@router.get("/learned-costs", response=list[LearnedOut])
def learned_costs(request: HttpRequest) -> list[LearnedOut]:
    """What changes really took, for plans to come."""
    return queries.learned()


@router.get("/machines", response=list[MachineOut])
def machines(request: HttpRequest) -> list[MachineOut]:
    """The test machines that send their files by themselves, and who sits at each."""
    return queries.machines_out()


@router.get("/bench-links", response=list[LinkOut])
def bench_links(request: HttpRequest) -> list[LinkOut]:
    """One's own tokens of test machines."""
    return [queries.link_out(one) for one in links.links_of(user_of(request))]


@router.post("/bench-links", response={201: LinkMade})
def make_bench_link(request: HttpRequest, payload: LinkIn) -> Status[LinkMade]:
    """Make a token for a test machine. It is shown this once, with the program that has it filled in."""
    made, token = links.make_link(user_of(request), payload.name, payload.columns_name)
    whole = program.filled_in(request.build_absolute_uri("/"), token)
    return Status(201, LinkMade(link=queries.link_out(made), token=token, program=whole))


@router.post("/bench-links/{int:link_id}/revoke", response=LinkOut)
def revoke_bench_link(request: HttpRequest, link_id: int) -> LinkOut:
    """Let a token open nothing any more."""
    return queries.link_out(links.revoke_link(user_of(request), link_id))


@router.get("/bench-link.py")
def bench_link(request: HttpRequest) -> HttpResponse:
    """The program for the test machine, without a token."""
    response = HttpResponse(program.source(), content_type="text/x-python; charset=utf-8")
    response.headers["Content-Disposition"] = 'attachment; filename="bench_link.py"'
    return response


@router.get("/link/clock", auth=from_bench, response=ClockOut)
def link_clock(request: HttpRequest) -> ClockOut:
    """The server's clock, by which a test machine puts its own right."""
    return ClockOut(now_s=clock.now().timestamp())


@router.post("/link/files", auth=from_bench, response={201: LinkTaken})
def link_file(
    request: HttpRequest,
    written_at: Form[Moment],
    now: Form[Moment],
    ahead_s: float | None = AHEAD,
    file: UploadedFile | None = FILE,
) -> Status[LinkTaken]:
    """A file of the test machine that the token belongs to. Both times are by its own clock, which is put right.

    By `ahead_s`, how far the server's clock is ahead as the machine found out, or else by what it says is now.
    """
    upload = whole_upload(request, file)
    return Status(201, link.from_bench(request.auth, upload, written_at, now, ahead_s))  # type: ignore[attr-defined]
