"""Tuning logs."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse
from intake.uploads import whole_upload
from ninja import File, Router, Status, UploadedFile
from people.access import user_of
from sheets import csv_answer

from tuning import exports, making, queries, services, stepping
from tuning import marks as marked
from tuning.schemas import (
    BeforeAfterIn,
    ConclusionIn,
    LogEdit,
    LogIn,
    LogOut,
    LogRow,
    MachineIn,
    MarkOut,
    QuickIn,
    ReadBackIn,
    SetupMade,
    StabilityIn,
    StrikeIn,
    StudyMade,
    TunedStepIn,
)

router = Router(tags=["tuning"])
FILE: Any = File(None)  # type: ignore[type-arg]


@router.get("", response=list[LogRow])
def logs(request: HttpRequest) -> list[LogRow]:
    """All tuning logs, newest first."""
    return queries.all_logs()


@router.post("", response={201: LogOut})
def begin(request: HttpRequest, payload: LogIn) -> Status[LogOut]:
    """Begin a tuning log."""
    return Status(201, queries.log_out(services.save_log(user_of(request), payload).pk))


@router.get("/marks", response=list[MarkOut])
def marks(request: HttpRequest, study_id: int | None = None) -> list[MarkOut]:
    """Setups that failed stability somewhere, also in one game only; of a study's where one is named."""
    return marked.marks(study_id)


@router.get("/origins", response=list[MarkOut])
def origins(request: HttpRequest) -> list[MarkOut]:
    """Setups that were steps of tuning logs."""
    return marked.origins()


@router.get("/{int:log_id}", response=LogOut)
def log(request: HttpRequest, log_id: int) -> LogOut:
    """A tuning log: steps, what is proven of them, and what to try next."""
    return queries.log_out(log_id)


@router.put("/{int:log_id}", response=LogOut)
def edit(request: HttpRequest, log_id: int, payload: LogEdit) -> LogOut:
    """Change what is said of a log: its limits, its rival."""
    return queries.log_out(services.save_log(user_of(request), payload, log_id).pk)


@router.get("/{int:log_id}/steps.csv")
def table(request: HttpRequest, log_id: int) -> HttpResponse:
    """The steps as a table."""
    return csv_answer(*exports.log_csv(log_id))


@router.post("/{int:log_id}/backed-up", response=LogOut)
def backed_up(request: HttpRequest, log_id: int) -> LogOut:
    """Data is backed up."""
    return queries.log_out(services.back_up(user_of(request), log_id).pk)


@router.put("/{int:log_id}/machine", response=LogOut)
def machine(request: HttpRequest, log_id: int, payload: MachineIn) -> LogOut:
    """Work on a log at a test machine, whose captures are passes of its last step."""
    return queries.log_out(services.at_machine(user_of(request), log_id, payload.machine_id).pk)


@router.post("/{int:log_id}/steps", response={201: LogOut})
def add_step(request: HttpRequest, log_id: int, payload: TunedStepIn) -> Status[LogOut]:
    """Take a step."""
    return Status(201, queries.log_out(stepping.add_step(user_of(request), log_id, payload).log_id))


@router.post("/{int:log_id}/study", response={201: StudyMade})
def before_and_after(request: HttpRequest, log_id: int, payload: BeforeAfterIn) -> Status[StudyMade]:
    """Two steps as the lanes of a study."""
    return Status(201, StudyMade(study_id=making.before_and_after(user_of(request), log_id, payload).pk))


@router.put("/steps/{int:step_id}/read-back", response=LogOut)
def read_back(request: HttpRequest, step_id: int, payload: ReadBackIn) -> LogOut:
    """What a second place says of the settings of a step."""
    return queries.log_out(stepping.read_back(user_of(request), step_id, payload).log_id)


@router.put("/steps/{int:step_id}/conclusion", response=LogOut)
def conclude(request: HttpRequest, step_id: int, payload: ConclusionIn) -> LogOut:
    """What a step comes to, in words."""
    return queries.log_out(stepping.conclude(user_of(request), step_id, payload).log_id)


@router.post("/steps/{int:step_id}/runs", response={201: LogOut})
def add_run(request: HttpRequest, step_id: int, payload: StabilityIn) -> Status[LogOut]:
    """Note a stability run."""
    return Status(201, queries.log_out(stepping.add_run(user_of(request), step_id, payload).step.log_id))


@router.post("/steps/{int:step_id}/passes", response={201: LogOut})
def add_pass(request: HttpRequest, step_id: int, payload: QuickIn) -> Status[LogOut]:
    """Note the figures of a quick pass."""
    return Status(201, queries.log_out(stepping.add_pass(user_of(request), step_id, payload).step.log_id))


@router.post("/steps/{int:step_id}/captures", response={201: LogOut})
def add_capture(request: HttpRequest, step_id: int, file: UploadedFile | None = FILE) -> Status[LogOut]:
    """Measure a capture as a quick pass of a step, once however often it is sent."""
    made = stepping.add_capture(user_of(request), step_id, whole_upload(request, file))
    return Status(201, queries.log_out(made.step.log_id))


@router.post("/steps/{int:step_id}/simulated", response={201: LogOut})
def simulate(request: HttpRequest, step_id: int) -> Status[LogOut]:
    """Run a step on the simulated bench."""
    return Status(201, queries.log_out(stepping.simulate(user_of(request), step_id).log_id))


@router.post("/steps/{int:step_id}/setup", response={201: SetupMade})
def make_setup(request: HttpRequest, step_id: int) -> Status[SetupMade]:
    """A step as a setup, for lanes of studies."""
    made = making.make_setup(user_of(request), step_id)
    return Status(201, SetupMade(setup_id=made.setup_id, name=made.setup.name))


@router.put("/runs/{int:run_id}/struck", response=LogOut)
def strike_run(request: HttpRequest, run_id: int, payload: StrikeIn) -> LogOut:
    """Strike a stability run out: it was noted wrongly."""
    return queries.log_out(stepping.strike(user_of(request), "run", run_id, payload))


@router.put("/passes/{int:quick_id}/struck", response=LogOut)
def strike_pass(request: HttpRequest, quick_id: int, payload: StrikeIn) -> LogOut:
    """Strike a quick pass out."""
    return queries.log_out(stepping.strike(user_of(request), "pass", quick_id, payload))
