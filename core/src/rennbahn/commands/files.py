"""JSON in and out, and commands that are no more than that."""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any, TypeVar

from rennbahn.errors import RennbahnError

T = TypeVar("T")
A = TypeVar("A")

#: Some file was refused.
REFUSED = 2


def load(path: str) -> Any:
    """What a file holds. Raises :class:`RennbahnError` (`unreadable`)."""
    try:
        return json.loads(Path(path).read_text(encoding="utf-8"))
    except OSError as error:
        raise RennbahnError("unreadable", f"cannot be opened: {error.strerror}") from None
    except (UnicodeDecodeError, json.JSONDecodeError) as error:
        raise RennbahnError("unreadable", f"is no JSON: {error}") from None


def emit(data: object) -> None:
    """One document on a line."""
    print(json.dumps(data, ensure_ascii=False, allow_nan=False))


def add_answering(
    commands: Any,
    name: str,
    metavar: str,
    words: str,
    of: str,
    read: Callable[[Any], T],
    answer: Callable[[T], A],
    text: Callable[[T, A], str],
    as_json: Callable[[A], Mapping[str, Any]],
) -> None:
    """Make a command of one that reads files, answers each, and tells it as text or as JSON."""

    def run(arguments: argparse.Namespace) -> int:
        refused = False
        for number, file in enumerate(arguments.files):
            try:
                asked = read(load(file))
                found = answer(asked)
            except RennbahnError as error:
                refused = True
                print(f"{file}: {error.message}", file=sys.stderr)
                continue
            if arguments.json:
                emit({**({"file": file} if len(arguments.files) > 1 else {}), **as_json(found)})
            else:
                print(("\n" if number else "") + text(asked, found))
        return REFUSED if refused else 0

    command = commands.add_parser(name, help=words)
    command.add_argument("files", nargs="+", metavar=metavar, help=of)
    command.add_argument(
        "--json", action="store_true", help="one JSON object; of several files one a line, with its file"
    )
    command.set_defaults(run=run)
