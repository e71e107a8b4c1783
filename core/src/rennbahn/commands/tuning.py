"""`rennbahn tuning LOG.json...`"""

from __future__ import annotations

from typing import Any

from rennbahn.commands.files import add_answering
from rennbahn.plain import plain
from rennbahn.tuning import log_from_json, tuning_of
from rennbahn.tuning.words import tuning_text


def add_to(commands: Any) -> None:
    """Make it one of the commands."""
    add_answering(
        commands, "tuning", "LOG.json", "what is proven of what was set, what it gives, and what to try next",
        "settings, steps in order, and a rival", log_from_json, tuning_of, tuning_text, plain,
    )  # fmt: skip
