"""What one can ask about packages that were brought."""

from __future__ import annotations

from intake.models import Capture
from people.access import require
from people.models import Role
from problems import NotFound
from studies.models import HIDDEN

from packages.models import Brought
from packages.schemas import BroughtOut
from packages.services import Caller

_MOST_LISTED = 20


def brought_by(user: Caller) -> list[BroughtOut]:
    """The packages that somebody brought, newest first."""
    lead = require(user, Role.LEAD)
    found = Brought.objects.filter(by=lead).exclude(study__in=HIDDEN.get() or ()).select_related("study", "by")
    return [brought_out(one) for one in found[:_MOST_LISTED]]


def one_brought(user: Caller, brought_id: int) -> BroughtOut:
    """One of them. Raises :class:`NotFound`."""
    lead = require(user, Role.LEAD)
    found = Brought.objects.filter(pk=brought_id, by=lead).select_related("study", "by").first()
    if found is None:
        raise NotFound("package")
    return brought_out(found)


def brought_out(one: Brought) -> BroughtOut:
    """A package as the API gives it."""
    return BroughtOut(
        id=one.pk, name=one.name, size=one.size, state=one.state, words=one.words, study_id=one.study_id,
        question=one.study.question if one.study else "", captures=one.captures, made_at=one.made_at,
        read=Capture.objects.filter(on_pass__test__study=one.study_id).count() if one.study_id else 0,
        by=one.by.get_username(),
    )  # fmt: skip
