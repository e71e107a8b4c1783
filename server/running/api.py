"""At the bench: sessions, acts, and files that test machines send by themselves."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse
from intake.uploads import whole_upload
from ninja import File, Form, Router, Status, UploadedFile
from people import links
from people.access import user_of
from people.links import from_bench
from strict import Moment

from running import link, program, queries, services, station
from running.schemas import (
    ActsIn,
    AssignIn,
    BenchSessionOut,
    LearnedOut,
    LinkIn,
    LinkMade,
    LinkOut,
    LinkTaken,
    PulseOut,
    RunOut,
    SessionEnd,
    SessionIn,
)

router = Router(tags=["running"])
FILE: Any = File(None)  # type: ignore[type-arg]


@router.get("/studies/{int:study_id}/run", response=RunOut)
def run(request: HttpRequest, study_id: int) -> RunOut:
    """A study at the bench: the next steps, the run under way, the verdict on the last pass."""
    return station.run_of(user_of(request), study_id)


@router.get("/studies/{int:study_id}/run/pulse", response=PulseOut)
def pulse(request: HttpRequest, study_id: int) -> PulseOut:
    """Whether anything was done at the bench since."""
    return queries.pulse(study_id)


@router.post("/studies/{int:study_id}/run/acts", response=RunOut)
def do_acts(request: HttpRequest, study_id: int, payload: ActsIn) -> RunOut:
    """Do some acts in order, each once, whatever was sent before. What became of each is said in `outcomes`."""
    done = services.do_acts(user_of(request), study_id, payload)
    found = station.run_of(user_of(request), study_id)
    found.outcomes = done
    return found


@router.get("/studies/{int:study_id}/sessions", response=list[BenchSessionOut])
def sessions(request: HttpRequest, study_id: int) -> list[BenchSessionOut]:
    """The sessions of a study, newest first."""
    return queries.sessions_of(study_id)


@router.post("/studies/{int:study_id}/sessions", response={201: RunOut})
def begin_session(request: HttpRequest, study_id: int, payload: SessionIn) -> Status[RunOut]:
    """Begin a sitting at the bench."""
    services.begin_session(user_of(request), study_id, payload)
    return Status(201, station.run_of(user_of(request), study_id))


@router.post("/studies/{int:study_id}/sessions/end", response=RunOut)
def end_session(request: HttpRequest, study_id: int, payload: SessionEnd) -> RunOut:
    """End the sitting that runs."""
    services.end_session(user_of(request), study_id, payload)
    return station.run_of(user_of(request), study_id)


@router.post("/files/{int:arrival_id}/assign", response=LinkTaken)
def assign(request: HttpRequest, arrival_id: int, payload: AssignIn) -> LinkTaken:
    """A waiting file is the capture of this pass, read as files of its logger are."""
    return link.assign(user_of(request), arrival_id, payload.pass_id)


@router.get("/learned-costs", response=list[LearnedOut])
def learned_costs(request: HttpRequest) -> list[LearnedOut]:
    """What changes really took, for plans to come."""
    return queries.learned()


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


@router.post("/link/files", auth=from_bench, response={201: LinkTaken})
def link_file(
    request: HttpRequest,
    written_at: Form[Moment],
    now: Form[Moment],
    file: UploadedFile | None = FILE,
    simulated: Form[bool] = False,
) -> Status[LinkTaken]:
    """A file of the test machine that the token belongs to. Both times are by its own clock, which is put right."""
    upload = whole_upload(request, file)
    return Status(201, link.from_bench(request.auth, upload, written_at, now, simulated=simulated))  # type: ignore[attr-defined]
