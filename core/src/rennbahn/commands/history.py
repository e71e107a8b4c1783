"""`rennbahn history CELLS.json...`"""

from __future__ import annotations

from typing import Any

from rennbahn.commands.files import add_answering
from rennbahn.history import history_from_json, history_of
from rennbahn.history.words import history_text
from rennbahn.plain import plain


def add_to(commands: Any) -> None:
    """Make it one of the commands."""
    add_answering(
        commands, "history", "CELLS.json", "cells of many days: how unlike sessions are, margins, steps",
        "cells, and pairs to compare", history_from_json, history_of, history_text, plain,
    )  # fmt: skip
