"""Bench: parts and setups."""

from __future__ import annotations

from django.http import HttpRequest
from ninja import Router, Status
from people.access import user_of

from bench import queries, services
from bench.models import PartKind
from bench.schemas import KindOut, PartIn, PartOut, SetupIn, SetupOut

router = Router(tags=["bench"])


@router.get("/part-kinds", response=list[KindOut])
def part_kinds(request: HttpRequest) -> list[KindOut]:
    """The kinds of part, in the order of a setup sheet."""
    return [KindOut(kind=kind, label=label) for kind, label in PartKind.choices]


@router.get("/parts", response=list[PartOut])
def parts(request: HttpRequest) -> list[PartOut]:
    """All parts."""
    return queries.all_parts()


@router.post("/parts", response={201: PartOut})
def add_part(request: HttpRequest, payload: PartIn) -> Status[PartOut]:
    """Add a part."""
    part = services.add_part(user_of(request), payload)
    return Status(201, PartOut(id=part.pk, kind=part.kind, name=part.name, notes=part.notes, setups=0))


@router.get("/setups", response=list[SetupOut])
def setups(request: HttpRequest) -> list[SetupOut]:
    """The newest version of every setup."""
    return queries.all_setups()


@router.post("/setups", response={201: SetupOut})
def add_setup(request: HttpRequest, payload: SetupIn) -> Status[SetupOut]:
    """Make a setup."""
    version = services.save_setup(user_of(request), payload)
    return Status(201, queries.setup_out(queries.setup_version(version.pk)))


@router.put("/setups/{setup_id}", response=SetupOut)
def edit_setup(request: HttpRequest, setup_id: int, payload: SetupIn) -> SetupOut:
    """Edit a setup; one that a run used becomes the next version."""
    version = services.save_setup(user_of(request), payload, setup_id)
    return queries.setup_out(queries.setup_version(version.pk))


@router.get("/setup-versions/{version_id}", response=SetupOut)
def setup_version(request: HttpRequest, version_id: int) -> SetupOut:
    """One version of a setup, as a study used it."""
    return queries.setup_out(queries.setup_version(version_id))
