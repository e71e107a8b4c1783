"""Bench: parts, rigs and setups."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse
from ninja import File, Router, Status, UploadedFile
from people.access import user_of
from sheets import Imported, csv_answer, table_file

from bench import queries, services, sums, tables
from bench.schemas import (
    KindOut,
    PartEdit,
    PartIn,
    PartOut,
    RigEdit,
    RigIn,
    RigOut,
    SetupEdit,
    SetupIn,
    SetupOut,
    SheetOut,
    SumIn,
    SumLine,
    SumOut,
    TickIn,
    TickOut,
)

router = Router(tags=["bench"])
FILE: Any = File(None)  # type: ignore[type-arg]


@router.get("/part-kinds", response=list[KindOut])
def part_kinds(request: HttpRequest) -> list[KindOut]:
    """The kinds of part with their facts, in the order of a setup sheet."""
    return queries.all_kinds()


@router.get("/parts", response=list[PartOut])
def parts(request: HttpRequest) -> list[PartOut]:
    """All parts."""
    return queries.all_parts()


@router.post("/parts", response={201: PartOut})
def add_part(request: HttpRequest, payload: PartIn) -> Status[PartOut]:
    """Add a part."""
    return Status(201, queries.one_part(services.add_part(user_of(request), payload).pk))


@router.put("/parts/{int:part_id}", response=PartOut)
def edit_part(request: HttpRequest, part_id: int, payload: PartEdit) -> PartOut:
    """Edit a part; of one that a run used, facts can only be added."""
    return queries.one_part(services.edit_part(user_of(request), part_id, payload).pk)


@router.get("/parts.csv")
def parts_csv(request: HttpRequest) -> HttpResponse:
    """All parts as CSV."""
    return csv_answer(tables.parts_csv(), "parts.csv")


@router.post("/parts.csv", response=Imported)
def import_parts(request: HttpRequest, file: UploadedFile | None = FILE) -> Imported:
    """Add and change parts by a CSV table: all rows or none."""
    return tables.import_parts(user_of(request), table_file(file))


@router.get("/rigs", response=list[RigOut])
def rigs(request: HttpRequest) -> list[RigOut]:
    """All rigs."""
    return queries.all_rigs()


@router.post("/rigs", response={201: RigOut})
def add_rig(request: HttpRequest, payload: RigIn) -> Status[RigOut]:
    """Make a rig."""
    return Status(201, queries.one_rig(services.save_rig(user_of(request), payload).pk))


@router.put("/rigs/{int:rig_id}", response=RigOut)
def edit_rig(request: HttpRequest, rig_id: int, payload: RigEdit) -> RigOut:
    """Rebuild a rig; its setups follow, used ones as their next version."""
    return queries.one_rig(services.save_rig(user_of(request), payload, rig_id).pk)


@router.get("/setups", response=list[SetupOut])
def setups(request: HttpRequest) -> list[SetupOut]:
    """The newest version of every setup."""
    return queries.all_setups()


@router.post("/setups", response={201: SetupOut})
def add_setup(request: HttpRequest, payload: SetupIn) -> Status[SetupOut]:
    """Make a setup."""
    version = services.save_setup(user_of(request), payload)
    return Status(201, queries.setup_out(queries.setup_version(version.pk)))


@router.put("/setups/{int:setup_id}", response=SetupOut)
def edit_setup(request: HttpRequest, setup_id: int, payload: SetupEdit) -> SetupOut:
    """Edit a setup; one that a run used becomes the next version."""
    version = services.save_setup(user_of(request), payload, setup_id)
    return queries.setup_out(queries.setup_version(version.pk))


@router.get("/setup-versions/{int:version_id}", response=SheetOut)
def setup_version(request: HttpRequest, version_id: int) -> SheetOut:
    """One version of a setup, as a study used it, with where one looks for what it says."""
    return queries.sheet_out(queries.setup_version(version_id))


@router.get("/setup-versions/{int:version_id}/ticks", response=list[TickOut])
def ticks(request: HttpRequest, version_id: int) -> list[TickOut]:
    """What was seen to on a setup's sheet, by whom and when, day by day."""
    return queries.ticks_of(version_id)


@router.post("/setup-versions/{int:version_id}/ticks", response=list[TickOut])
def tick(request: HttpRequest, version_id: int, payload: TickIn) -> list[TickOut]:
    """Tick a line of a setup's sheet, or take a tick back."""
    services.tick(user_of(request), version_id, payload)
    return queries.ticks_of(version_id)


@router.get("/sums", response=list[SumOut])
def all_sums(request: HttpRequest) -> list[SumOut]:
    """The sums of the trade, and what each asks for."""
    return sums.all_sums()


@router.post("/sums/{name}", response=list[list[SumLine]])
def work_out(request: HttpRequest, name: str, payload: SumIn) -> list[list[SumLine]]:
    """Work a sum out, once for each of what stands beside each other. Nothing is kept."""
    return sums.lines(name, payload)
