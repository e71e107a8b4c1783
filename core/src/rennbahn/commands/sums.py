"""`rennbahn sums SUM NAME=NUMBER...`"""

from __future__ import annotations

import argparse
import sys
from typing import Any

from rennbahn.commands.files import REFUSED, emit
from rennbahn.errors import RennbahnError
from rennbahn.plain import plain
from rennbahn.sums import SUMS, alternatives, lines_of, sum_named, sum_text


def add_to(commands: Any) -> None:
    """Make it one of the commands."""
    sums = commands.add_parser("sums", help="sums of the trade, with their formulas; without a name, which there are")
    sums.add_argument("name", nargs="?", metavar="SUM", help=", ".join(one.name for one in SUMS))
    sums.add_argument("of", nargs="*", metavar="NAME=NUMBER", help="what it is made of; `and` before a further one")
    sums.add_argument("--json", action="store_true", help="one JSON object a line")
    sums.set_defaults(run=_sums)


def _sums(arguments: argparse.Namespace) -> int:
    try:
        if arguments.name is None:
            print("\n".join(f"{one.name:<12} {one.words} ({', '.join(x.name for x in one.of)})" for one in SUMS))
            return 0
        asked, told = sum_named(arguments.name), alternatives(arguments.of)
        if arguments.json:
            for of in told:
                emit({"sum": asked.name, "of": of, "lines": plain(lines_of(asked, of))})
        else:
            print(sum_text(asked, told))
    except RennbahnError as error:
        print(error.message, file=sys.stderr)
        return REFUSED
    return 0
