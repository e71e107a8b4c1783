"""Frame times of passes as a block of a report prints them."""

from __future__ import annotations

from typing import Any

from intake.excerpts import PrintedPass, PrintedTrace, printed, rounded, said_of, stretch_of
from rennbahn.quoting import excerpts_words
from studies.models import PassState, Study


def printed_trace(told: dict[str, Any]) -> PrintedTrace:
    """As it is kept with a block."""
    return PrintedTrace(
        told["test_id"],
        tuple((one["pass_id"], one["offset_s"]) for one in told["passes"]),
        told.get("from_s"),
        told.get("to_s"),
    )


def traces_printed(study: Study, asked: PrintedTrace) -> dict[str, Any]:
    """What a block of frame times shows, in the form of `TracesPrinted`. Raises :class:`NotFound`, :class:`Problem`."""
    found = printed(study, asked)
    test = found[0].capture.on_pass.test
    start, stop = stretch_of(found[0])
    words = f"{test.scene.game.name}, {test.condition.name}"
    passes = [_pass(one) for one in found]
    told = [(one["said"], each.excerpt) for one, each in zip(passes, found, strict=True)]
    part = None if asked.from_s is None and asked.to_s is None else (start, stop)
    return {
        "test": words, "budget_ms": 1000.0 / study.target_hz, "from_s": start, "to_s": stop, "passes": passes,
        "text": excerpts_words(words, part, told),
    }  # fmt: skip


def _pass(one: PrintedPass) -> dict[str, Any]:
    own, excerpt = one.capture.on_pass, one.excerpt
    return {
        "pass_id": own.pk, "lane": own.lane.name, "position": own.lane.position, "number": own.number,
        "said": said_of(one),
        "file": one.capture.arrival.name, "sha256": one.capture.arrival.sha256,
        "uncounted": own.state != PassState.ACCEPTED, "offset_s": one.offset_s,
        "end_s": rounded(excerpt.drawn.end_s + one.offset_s, 4), "low_ms": rounded(excerpt.drawn.low_ms, 3),
        "high_ms": rounded(excerpt.drawn.high_ms, 3),
        "counts": [[start + one.offset_s, stop + one.offset_s] for start, stop in one.capture.windows],
        "frames": excerpt.frames, "average_fps": excerpt.average_fps, "longest_ms": excerpt.longest_ms,
        "over_budget": excerpt.over_budget,
    }  # fmt: skip
