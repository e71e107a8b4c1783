"""What holds the rate, what each side could do alone, and what another resolution would show, as the core gives it."""

from __future__ import annotations

from typing import Any

from problems import Problem
from rennbahn.comparing.resolutions import pixels_of
from rennbahn.comparing.sentences import Naming
from rennbahn.kinds.answer import sentence_parts
from rennbahn.kinds.expected import alone_of, expected_of
from rennbahn.kinds.limit_words import expected_sentence, expected_words, limits_sentence, resolution_words
from rennbahn.kinds.limits import limits_of
from rennbahn.plain import plain

from findings.queries import Answer, Asked, answer_for

#: No display has more pixels a side.
_MOST_PIXELS = 32_768


def held_by(study_id: int, asked: Asked, resolution: str = "") -> dict[str, Any]:
    """The limits of a study as plain data of the form of `HeldOut`. Raises :class:`NotFound` and :class:`Problem`."""
    wanted = None
    if resolution:
        wanted = pixels_of(resolution)
        if wanted is None or max(wanted) > _MOST_PIXELS:
            message = f"“{resolution}” is no resolution: write width and height in pixels, as 3440 × 1440."
            raise Problem("bad_resolution", message, field="resolution")
    laid = answer_for(study_id, asked)
    return laid.record.answered(("limits", asked, wanted), lambda: _held(laid, wanted))


def _held(laid: Answer, wanted: tuple[int, int] | None) -> dict[str, Any]:
    sheet = laid.record.pooled
    core = sheet.study
    limits = laid.record.answered("limits", lambda: limits_of(sheet))
    found: dict[str, Any] = plain(limits)
    sizes = {test.facts.pixels: test.facts.resolution for test in core.tests if test.facts.resolution is not None}
    found |= {
        "sentence": sentence_parts(limits_sentence(limits)),
        "alone": plain(alone_of(sheet, laid.pair, laid.group)),
        "expected": None,
        "resolutions": [resolution_words(size) for _, size in sorted(sizes.items(), key=lambda one: one[0] or 0)],
    }
    if wanted is not None:
        expected = expected_of(sheet, limits, laid.pair, wanted)
        tests = {test.id: test for test in core.tests}
        told = plain(expected)
        for one, plainly in zip(expected.scenes, told["scenes"], strict=True):
            plainly["words"] = expected_words(one, tests)
        found["expected"] = told | {"sentence": sentence_parts(expected_sentence(expected, Naming.of(core).lanes))}
    return found
