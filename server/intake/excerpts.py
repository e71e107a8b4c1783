"""Stretches of traces as they are printed: of chosen passes of a test, beneath each other on one scale."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from problems import NotFound, Problem
from rennbahn import capture as core
from rennbahn.capture.pack import unpack
from rennbahn.measures.excerpt import Excerpt, excerpt_of
from studies.models import PassState, Study

from intake.models import Capture, Channel
from intake.reading import FRAMES

#: So many traces are read beneath each other.
MOST_PRINTED = 6


@dataclass(frozen=True)
class PrintedTrace:
    """Which stretch of which passes of a test, told in a clock that is common to them."""

    test: int
    #: Each pass with what lays it on the common clock, s.
    passes: tuple[tuple[int, float], ...]
    from_s: float | None = None
    to_s: float | None = None


@dataclass(frozen=True)
class PrintedPass:
    """A pass with the stretch of its capture, told by its own clock."""

    capture: Capture
    whole: core.Capture
    offset_s: float
    excerpt: Excerpt


def printed(study: Study, asked: PrintedTrace) -> list[PrintedPass]:
    """The stretches of the passes that are asked for, in their order. Raises :class:`NotFound`, :class:`Problem`."""
    kept = {
        one.on_pass_id: one
        for one in Capture.objects.filter(
            on_pass__in=[pk for pk, _ in asked.passes], on_pass__test=asked.test, on_pass__test__study=study
        ).select_related(
            "arrival", "on_pass__lane", "on_pass__session", "on_pass__test__scene__game", "on_pass__test__condition"
        )
    }
    if any(pk not in kept for pk, _ in asked.passes):
        raise NotFound("pass with a capture in this test")
    frames = dict(
        Channel.objects.filter(name=FRAMES, capture__in=kept.values()).values_list("capture__on_pass", "data")
    )
    whole = {pk: core.Capture(unpack(bytes(data))) for pk, data in frames.items()}
    end = max(whole[pk].duration_s + offset for pk, offset in asked.passes)
    start, stop = asked.from_s or 0.0, end if asked.to_s is None else min(asked.to_s, end)
    if stop <= start:
        raise Problem("no_frames", "No pass has a frame in this stretch.", field="to_s")
    budget_ms = 1000.0 / study.target_hz
    return [
        PrintedPass(
            kept[pk], whole[pk], offset,
            excerpt_of(whole[pk], kept[pk].windows, budget_ms, start - offset, stop - offset),
        )
        for pk, offset in asked.passes
    ]  # fmt: skip


def stretch_of(one: PrintedPass) -> tuple[float, float]:
    """The stretch in the common clock, s."""
    return one.excerpt.from_s + one.offset_s, one.excerpt.to_s + one.offset_s


def said_of(one: PrintedPass) -> str:
    """Which pass it is, with what one has to know of it."""
    own = one.capture.on_pass
    state = PassState(own.state)
    marks = [
        "" if state is PassState.ACCEPTED else state.label.lower(),
        "simulated" if own.session is not None and own.session.simulated else "",
        f"laid {one.offset_s:+.2f} s" if one.offset_s else "",
    ]
    known = ", ".join(filter(None, marks))
    return f"{own.lane.name}, pass {own.number}" + (f" ({known})" if known else "")


def rounded(values: Sequence[float] | np.ndarray[tuple[int], np.dtype[np.float64]], places: int) -> list[float]:
    """Values as a picture needs them."""
    found: list[float] = np.round(np.asarray(values), places).tolist()
    return found
