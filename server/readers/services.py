"""What a lead does about readers."""

from __future__ import annotations

from django.contrib.auth.models import AnonymousUser, User
from django.db import IntegrityError, transaction
from page_marks import check_seen, mark_of
from people.access import require
from people.edits import last_edit, note_edit
from people.models import Role
from problems import Conflict, NotFound, Problem

from readers.models import Reader
from readers.schemas import ReaderEdit, ReaderIn

Caller = User | AnonymousUser
_FIELDS = tuple(ReaderIn.model_fields)


def save_reader(user: Caller, data: ReaderIn, reader_id: int | None = None) -> Reader:
    """Add a reader, or change one. Raises :class:`Conflict` where the name is taken."""
    lead = require(user, Role.LEAD)
    if not data.currency and (data.price_per_kwh is not None or data.budget is not None):
        raise Problem("no_currency", "Money needs its currency.", field="currency", hint="Three letters, as in EUR.")
    with transaction.atomic():
        reader = Reader() if reader_id is None else Reader.objects.select_for_update().filter(pk=reader_id).first()
        if reader is None:
            raise NotFound("reader")
        if isinstance(data, ReaderEdit):
            own = reader.pk
            check_seen(f"“{reader.name}”", data.seen, reader_mark(reader), lambda: last_edit("reader", own))
        for name in _FIELDS:
            setattr(reader, name, getattr(data, name))
        try:
            with transaction.atomic():
                reader.save()
        except IntegrityError:
            raise Conflict("reader_exists", f"There is already a reader “{data.name}”.", field="name") from None
        note_edit(lead, "reader", reader.pk)
    return reader


def remove_reader(user: Caller, reader_id: int) -> None:
    """Take a reader away; nothing that was measured hangs on them."""
    require(user, Role.LEAD)
    if not Reader.objects.filter(pk=reader_id).delete()[0]:
        raise NotFound("reader")


def reader_mark(reader: Reader) -> str:
    """A mark of all that is said of a reader."""
    # As the database gives it back: 0.3 and 0.3000 are one price.
    own = [getattr(reader, name) for name in _FIELDS]
    return mark_of([float(value) if name in _MONEY and value is not None else value
                    for name, value in zip(_FIELDS, own, strict=True)])  # fmt: skip


_MONEY = ("price_per_kwh", "budget")
