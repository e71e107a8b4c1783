"""What one can ask about packages that were brought."""

from __future__ import annotations

from collections.abc import Sequence

from django.db.models import Count, QuerySet
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
    return _told(list(_of(user)[:_MOST_LISTED]))


def one_brought(user: Caller, brought_id: int) -> BroughtOut:
    """One of them. Raises :class:`NotFound`."""
    found = _of(user).filter(pk=brought_id).first()
    if found is None:
        raise NotFound("package")
    return _told([found])[0]


def _of(user: Caller) -> QuerySet[Brought]:
    lead = require(user, Role.LEAD)
    return Brought.objects.filter(by=lead).exclude(study__in=HIDDEN.get()).select_related("study", "by")


def _told(some: Sequence[Brought]) -> list[BroughtOut]:
    there = Capture.objects.filter(on_pass__test__study__in=[one.study_id for one in some if one.study_id])
    read = dict(there.values_list("on_pass__test__study").annotate(Count("pk")).order_by())
    return [
        BroughtOut(
            id=one.pk, name=one.name, size=one.size, state=one.state, words=one.words, study_id=one.study_id,
            question=one.study.question if one.study else "", captures=one.captures,
            read=read.get(one.study_id or 0, 0), made_at=one.made_at, by=one.by.get_username(),
        )
        for one in some
    ]  # fmt: skip
