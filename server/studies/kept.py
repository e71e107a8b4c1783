"""Studies that are kept to named people: for everybody else there is no such study, whatever is asked for."""

from __future__ import annotations

from django.contrib.auth.models import AnonymousUser, User
from django.db import transaction
from django.http import HttpRequest
from people.access import require
from people.models import Role
from problems import NotFound, Problem

from studies.models import HIDDEN, Lane, Pass, Study, Test
from studies.record import note


def hide_for(user: User | AnonymousUser) -> None:
    """From here on, in this request, there are no studies but those that this person may see."""
    HIDDEN.set(frozenset(getattr(user, "hidden_studies", None) or ()))


def show_all() -> None:
    """Nothing is hidden: as at work, and before anybody is known."""
    HIDDEN.set(frozenset())


def refuse_hidden(study_id: int | None) -> None:
    """Raises :class:`NotFound` for a study that whoever asks may not see, as for one that there is not."""
    if study_id is not None and study_id in HIDDEN.get():
        raise NotFound("study")


def study_of(name: str, value: int) -> int | None:
    """The study of what an address names; None of what belongs to none, or is not there."""
    if name in ("study_id", "other_study_id", "joined"):
        return value
    if name == "lane_id":
        return Lane.objects.filter(pk=value).values_list("study", flat=True).first()
    if name == "test_id":
        return Test.objects.filter(pk=value).values_list("study", flat=True).first()
    if name == "pass_id":
        return Pass.objects.filter(pk=value).values_list("test__study", flat=True).first()
    return None


def keep_to(user: User | AnonymousUser, study_id: int, names: list[str] | None) -> None:
    """Keep a study to some people and to who says so; None opens it to all. Raises :class:`Problem` of strangers."""
    lead = require(user, Role.LEAD)
    with transaction.atomic():
        study = Study.objects.select_for_update().filter(pk=study_id).first()
        if study is None:
            raise NotFound("study")
        if names is None:
            study.kept_to.clear()
            study.kept = False
        else:
            people = list(User.objects.filter(username__in=names, person__isnull=False))
            strange = set(names) - {one.get_username() for one in people}
            if strange:
                raise Problem("stranger", f"Nobody here is called {sorted(strange)[0]!r}.", field="names")
            study.kept_to.set({*people, lead})
            study.kept = True
        study.save(update_fields=["kept"])
        told = ", ".join(sorted(one.get_username() for one in study.kept_to.all()))
        note(study, lead, "kept the study to some" if study.kept else "opened the study to all", told)


class KeptMiddleware:
    """Begins and ends every request with nothing hidden: threads serve one person after the other."""

    def __init__(self, get_response: object) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> object:
        """Answer."""
        show_all()
        try:
            return self.get_response(request)  # type: ignore[operator]
        finally:
            show_all()
