"""`rennbahn tuning LOG.json...`"""

from __future__ import annotations

import argparse
import sys
from typing import Any

from rennbahn.commands.files import REFUSED, emit, load
from rennbahn.errors import RennbahnError
from rennbahn.plain import plain
from rennbahn.tuning import log_from_json, tuning_of
from rennbahn.tuning.words import tuning_text


def add_to(commands: Any) -> None:
    """Make it one of the commands."""
    tuning = commands.add_parser("tuning", help="what is proven of what was set, what it gives, and what to try next")
    tuning.add_argument("files", nargs="+", metavar="LOG.json", help="settings, steps in order, and a rival")
    tuning.add_argument(
        "--json", action="store_true", help="one JSON object; of several files one a line, with its file"
    )
    tuning.set_defaults(run=_tuning)


def _tuning(arguments: argparse.Namespace) -> int:
    refused = False
    for number, name in enumerate(arguments.files):
        try:
            log = log_from_json(load(name))
        except RennbahnError as error:
            refused = True
            print(f"{name}: {error.message}", file=sys.stderr)
            continue
        found = tuning_of(log)
        if arguments.json:
            emit(({"file": name} if len(arguments.files) > 1 else {}) | plain(found))
        else:
            print(("\n" if number else "") + tuning_text(log, found))
    return REFUSED if refused else 0
