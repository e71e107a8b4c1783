"""Seeing captures through other windows: what they would be, and trimming them."""

from __future__ import annotations

import itertools
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from django.contrib.auth.models import AnonymousUser, User
from django.db import transaction
from people.access import require
from people.models import Role
from problems import NotFound, Problem
from studies.acts import keep_act
from studies.deciding import decide_again
from studies.events import CaptureSeenAnew, tell
from studies.models import Decision, Study
from studies.record import note
from studies.services import open_study

from intake.measuring import Ahead, captures_at_rest, measure_ahead, see_through
from intake.models import Capture
from intake.reading import Measured
from intake.schemas import WindowsIn

Caller = User | AnonymousUser


def check_windows(windows: Sequence[Sequence[float]]) -> None:
    """Raises :class:`Problem` of windows that end before they begin, or are not one after the other."""
    for number, (start, stop) in enumerate(windows):
        if start >= stop:
            raise Problem("bad_window", "A window needs a beginning before its end.", field=f"windows.{number}")
    if any(later[0] < earlier[1] for earlier, later in itertools.pairwise(windows)):
        raise Problem(
            "windows_overlap", "Windows follow each other and do not overlap.", field="windows",
            hint="Put them in order, or make one of two that touch.",
        )  # fmt: skip


def set_windows(user: Caller, capture_id: int, data: WindowsIn) -> Capture:
    """Trim captures to stretches of seconds, without changing them, and measure them again: all or none."""
    tester = require(user, Role.TESTER)
    windows = data.windows
    check_windows(windows)
    ids = [capture_id, *data.also]
    ahead = trims_ahead(dict.fromkeys(ids, windows))
    with transaction.atomic():
        study, captures = locked_captures(ids)
        changed = [Trim(one, windows, ahead.get(one.pk)) for one in captures if one.windows != windows]
        if changed:
            trim(tester, study, changed)
    return captures[0]


@dataclass(frozen=True)
class Trim:
    """A capture, through which windows it is to be seen, and what was measured through them already."""

    capture: Capture
    windows: list[list[float]]
    ahead: Ahead | None


def trims_ahead(windows: Mapping[int, list[list[float]]]) -> dict[int, Ahead]:
    """What captures are through other windows, by their ids, made before anything is locked."""
    captures = captures_at_rest().filter(pk__in=windows)
    return {one.pk: measure_ahead(one, windows[one.pk]) for one in captures if one.windows != windows[one.pk]}


def measured_through(study_id: int, passes: Sequence[int], windows: list[list[float]]) -> dict[int, Measured]:
    """What passes would measure through other windows (see :func:`check_windows`), by pass: those that have a capture.

    Nothing is kept. Raises :class:`Problem` where no frame lies within them.
    """
    captures = captures_at_rest().filter(on_pass__in=passes, on_pass__test__study=study_id)
    return {one.on_pass_id: measure_ahead(one, windows).found for one in captures}


def trim(tester: User, study: Study, trims: Sequence[Trim]) -> Decision:
    """See captures through other windows, as one act that can be taken back. Called with study and captures locked."""
    passes = [each.capture.on_pass for each in trims]
    told = {each.capture.pk: _window_words(each.windows) for each in trims}
    alike = set(told.values())
    words = alike.pop() if len(alike) == 1 else "what is proposed for each"
    before = {str(each.capture.pk): list(each.capture.windows) for each in trims}
    act = keep_act(study, tester, "trimmed", passes, f"to {words}", windows=before)
    for each in trims:
        one, words = each.capture.on_pass, told[each.capture.pk]
        see_through(study, each.capture, each.windows, each.ahead)
        note(study, tester, "trimmed the pass", words, one)
        decide_again(tester, study, one, f"trimmed to {words}")
        tell(CaptureSeenAnew(study, one, repr(before[str(each.capture.pk)]), repr(each.windows)))
    return act


def _window_words(windows: list[list[float]]) -> str:
    return ", ".join(f"{start:g} s to {stop:g} s" for start, stop in windows) or "the whole capture"


def locked_captures(ids: Sequence[int]) -> tuple[Study, list[Capture]]:
    """Captures of one open study, in the order in which they are named, all locked. Raises :class:`NotFound`."""
    ids = list(dict.fromkeys(ids))
    captures = Capture.objects.filter(pk__in=ids)
    studies = set(captures.values_list("on_pass__test__study", flat=True))
    if len(studies) != 1:
        raise NotFound("capture" if len(ids) == 1 else "captures in one study")
    study = open_study(studies.pop())
    locked = (
        captures.select_related(
            "arrival", "on_pass__lane__condition", "on_pass__test__scene__game", "on_pass__test__condition"
        )
        .select_for_update(of=("self",))
        .order_by("pk")
        .in_bulk()
    )
    if len(locked) < len(ids):
        raise NotFound("capture" if len(ids) == 1 else "captures in one study")
    return study, [locked[pk] for pk in ids]
