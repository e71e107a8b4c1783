"""The door of studies that are kept to some: whatever an address names, its study is asked for first."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from django.http import HttpRequest
from films.models import Film
from intake.models import Arrival, Capture, Pack, PassFile
from packages.models import Brought
from problems import NotFound
from studies.kept import hide_for, refuse_hidden, study_of
from studies.models import HIDDEN

#: What belongs to a study beside what studies know themselves: how its study is found.
_BELONGS: Mapping[str, Callable[[int], Any]] = {
    "arrival_id": lambda pk: Arrival.objects.filter(pk=pk).values_list("study", flat=True),
    "capture_id": lambda pk: Capture.objects.filter(pk=pk).values_list("on_pass__test__study", flat=True),
    "file_id": lambda pk: PassFile.objects.filter(pk=pk).values_list("on_pass__test__study", flat=True),
    "film_id": lambda pk: Film.all_films.filter(pk=pk).values_list("study", flat=True),
    "brought_id": lambda pk: Brought.objects.filter(pk=pk).values_list("study", flat=True),
    "pack_id": lambda pk: Pack.objects.filter(pk=pk).values_list("study", flat=True),
}
OF_STUDIES = frozenset({*_BELONGS, "study_id", "other_study_id", "lane_id", "test_id", "pass_id"})


def ask(request: HttpRequest) -> None:
    """Hide what is kept from whoever asks. Raises :class:`NotFound` where the address itself names some of it."""
    hide_for(request.user)
    if not HIDDEN.get() or request.resolver_match is None:
        return
    named = {name: value for name, value in request.resolver_match.kwargs.items() if name in OF_STUDIES}
    if request.GET.get("joined", "").isdecimal():
        named["joined"] = int(request.GET["joined"])
    for name, value in named.items():
        try:
            refuse_hidden(_BELONGS[name](value).first() if name in _BELONGS else study_of(name, int(value)))
        except (ValueError, OverflowError):
            raise NotFound("study") from None
