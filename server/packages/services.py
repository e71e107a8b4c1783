"""What one can do with a data package: bring it, to be read back as a study."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.models import AnonymousUser, User
from django.core.files.uploadedfile import UploadedFile
from django.db import transaction
from intake.pieces import drop_pieces, keep_piece
from people.access import require
from people.models import Role
from problems import Conflict, NotFound, Problem
from storing import place

from packages.models import Brought, BroughtState
from packages.tasks import queue_brought

Caller = User | AnonymousUser
#: Packages that one person has half sent.
MOST_HALF_SENT = 2


def begin(user: Caller, name: str) -> Brought:
    """Begin a package, whose pieces follow."""
    lead = require(user, Role.LEAD)
    if Brought.objects.filter(by=lead, state=BroughtState.ARRIVING).count() >= MOST_HALF_SENT:
        raise Conflict(
            "too_many_half_sent", f"{MOST_HALF_SENT} packages of yours are half sent.", hint="Throw one away first."
        )
    return Brought.objects.create(name=name, by=lead)


def add_piece(user: Caller, brought_id: int, position: int, upload: UploadedFile[Any]) -> Brought:
    """Keep the next piece (see :func:`intake.pieces.keep_piece`)."""
    lead = require(user, Role.LEAD)
    content = upload.read()
    placed = place(content)
    with transaction.atomic():
        brought = _arriving(lead, brought_id)
        keep_piece(brought, position, content, placed)
    return brought


def close(user: Caller, brought_id: int) -> Brought:
    """Have a package read back that was sent whole."""
    lead = require(user, Role.LEAD)
    with transaction.atomic():
        brought = _arriving(lead, brought_id)
        if not brought.size:
            raise Problem("no_file", "Nothing of the package came.", field="file")
        brought.state = BroughtState.RUNNING
        brought.save(update_fields=["state"])
        queue_brought(brought.pk)
    return brought


def drop(user: Caller, brought_id: int) -> None:
    """Throw away what there is of a package that was never sent whole."""
    lead = require(user, Role.LEAD)
    with transaction.atomic():
        brought = _arriving(lead, brought_id)
        drop_pieces(brought)
        brought.delete()


def _arriving(lead: User, brought_id: int) -> Brought:
    """A package that its bringer still sends, held. Nobody else's is seen."""
    brought = Brought.objects.select_for_update().filter(pk=brought_id, by=lead).first()
    if brought is None:
        raise NotFound("package")
    if brought.state != BroughtState.ARRIVING:
        raise Conflict("package_state", f"The package is {BroughtState(brought.state).label.lower()} already.")
    return brought
