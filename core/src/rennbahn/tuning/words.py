"""A tuning log as text to read."""

from __future__ import annotations

from rennbahn.display import fixed, fps
from rennbahn.tables import aligned
from rennbahn.tuning.answer import Tuning
from rennbahn.tuning.log import TuningLog
from rennbahn.tuning.sentences import next_words, sentences_of, set_words

_HEADS = ["Step", "Set", "State", "fps", "W", "fps a W", "What is to be known"]


def tuning_text(log: TuningLog, found: Tuning) -> str:
    """Steps in a table, then sentences."""
    rows = []
    for step, told in zip(log.steps, found.steps, strict=True):
        known = [
            "past a limit: " + ", ".join(told.over_limit) if told.over_limit else "",
            "beyond a failure" if told.beyond_a_failure else "",
            "another gives more and draws less" if told.on_front is False else "",
        ]
        rows.append(
            [
                f"{step.id} ({step.sample})" if step.sample else step.id,
                set_words(log, step),
                told.state,
                "–" if told.fps is None else fps(told.fps),
                "–" if told.w is None else fixed(told.w, 1),
                "–" if told.fps_per_w is None else fixed(told.fps_per_w, 3),
                "; ".join(filter(None, known)),
            ]
        )
    parts = [aligned(_HEADS, rows)] if rows else []
    parts += sentences_of(log, found, "The part")
    return "\n\n".join([*parts, next_words(log, found)])
