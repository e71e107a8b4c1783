"""A rate that is wanted of two lanes, test by test, as the core gives it."""

from __future__ import annotations

from typing import Any

from rennbahn.comparing.sentences import Naming
from rennbahn.kinds.crossing import crossing_of, crossing_words
from rennbahn.plain import plain

from findings.queries import Asked, answer_for


def crossed(study_id: int, asked: Asked, target: float | None) -> dict[str, Any]:
    """Which tests a rate parts two lanes in, as plain data of the form of `CrossingOut`; the study's own rate without
    another. Raises :class:`NotFound`.
    """
    laid = answer_for(study_id, asked)
    rate = target or laid.study.target_hz
    figure = laid.figures["average" if laid.study.leading == "average_fps" else "low_1"]
    found = crossing_of(laid.sheet, laid.pair, figure, rate, laid.group)
    told: dict[str, Any] = plain(found)
    return told | {"words": crossing_words(found, Naming.of(laid.sheet.study))}
