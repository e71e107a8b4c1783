"""Traces, their layers and their shape as the API speaks of them."""

from __future__ import annotations

from typing import Annotated

from answering import Out
from pydantic import Field
from strict import In


class TracePassIn(In):
    """A pass whose trace is shown, moved by so many seconds."""

    pass_id: int
    offset_s: Annotated[float, Field(ge=-3600, le=3600, allow_inf_nan=False)] = 0.0


class TraceOut(Out):
    """A trace to draw: where its frames are to be had, and its percentile curve (q = 50 to 99.9 in steps of 0.1)."""

    pass_id: int
    lane_id: int
    capture_id: int
    number: int
    state: str
    frames: int
    #: Of the whole capture; stretches of it that count, from and to in seconds, are `windows`, none for all of it.
    length_s: float
    windows: list[list[float]]
    #: What the frames shown were made by: another one is another picture. `basis` is the same of its figures.
    key: str
    basis: str
    curve_ms: list[float]


class TestTraces(Out):
    """All passes of a test, with the budget of the target rate."""

    __test__ = False

    test_id: int
    budget_ms: float
    traces: list[TraceOut]


class SpanOut(Out):
    """A stretch of a trace, s, and the longest frame in it, ms."""

    from_s: float
    to_s: float
    longest_ms: float


class BehindOut(Out):
    """The frames behind a low figure: by end clock in s and ms; of many the longest, `count` is how many there are."""

    low: str
    fps: float
    from_ms: float
    count: int
    end_s: list[float]
    ms: list[float]


class SampledOut(Out):
    """A sampled channel on the clock of the capture, gaps left out."""

    channel: str
    unit: str
    at_s: list[float]
    values: list[float]


class LayersOut(Out):
    """What lies over the trace of a capture; clocks are those of the whole capture, in s."""

    stutters: list[SpanOut]
    pauses: list[SpanOut]
    beats_s: list[float]
    beat_period_s: float | None
    cap: str
    held_fps: float | None
    held_by: str
    behind: list[BehindOut]
    #: The course of the pass: mean frame time in ms of each stretch of `course_every_s`.
    course_every_s: float
    course_ms: list[float]
    samples: list[SampledOut]


class CornersOut(Out):
    """Shares of frames by which side is over the budget."""

    both_inside: float
    processor_over: float
    card_over: float
    both_over: float


class CloudOut(Out):
    """How many frames lie in which square of processor and card time."""

    budget_ms: float
    square_ms: float
    processor: list[int]
    card: list[int]
    count: list[int]
    corners: CornersOut


class ShapeOut(Out):
    """How often which frame time (shares between `edges_ms`), percentiles of the steps (q = 50 to 99.9), the clouds."""

    edges_ms: list[float]
    share: list[float]
    steps_ms: list[float]
    cloud: CloudOut | None


class AgreementOut(Out):
    """By how much a trace is moved to agree best with another, s, and how alike they are then, -1 to 1."""

    pass_id: int
    offset_s: float
    likeness: float
