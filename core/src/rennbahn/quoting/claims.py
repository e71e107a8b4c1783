"""Bare numbers in prose: a number with a unit that is tied to nothing that was measured."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass
from decimal import Decimal

from rennbahn.quoting.quotes import Quote

#: What makes a number a claim: percent, rates, times, power, and money by three capital letters or a sign.
_CLAIM = re.compile(
    r"(?<![\w.,])(?P<sign>[+−-]?)(?P<number>\d{1,3}(?:[ \u202f]\d{3})+|\d+(?:[.,]\d+)?)\s?"
    r"(?P<unit>%|percent\b|fps\b|ms\b|W\b|watts?\b|[A-Z]{3}\b|€|£|\$)"
)
#: So many guesses of what a bare number might be.
_MOST_GUESSES = 5
_UNITS = {"percent": "%", "watt": "W", "watts": "W"}


@dataclass(frozen=True)
class Bare:
    """A bare number: where it stands in the text, as it is written, and which quotes it might be, likeliest first."""

    start: int
    stop: int
    text: str
    guesses: tuple[Quote, ...] = ()


def bare_numbers(text: str, quotes: Iterable[Quote] = ()) -> list[Bare]:
    """The bare numbers of a text. A guess shows the same digits with the same unit, whatever its sign.

    A decimal comma is read as a point.
    """
    known = [(one, *said) for one in quotes if (said := _said(one.text)) is not None]
    found = []
    for match in _CLAIM.finditer(text):
        value, unit = _number(match["number"]), _UNITS.get(match["unit"], match["unit"])
        guesses = [one for one, number, other in known if other == unit and _same(value, number)]
        found.append(Bare(match.start(), match.end(), match.group(), tuple(guesses[:_MOST_GUESSES])))
    return found


def _said(text: str) -> tuple[Decimal, str] | None:
    """The digits and the unit of a quote."""
    match = re.search(r"(\d+(?:\.\d+)?)\s?(\S+)$", text)
    return (Decimal(match[1]), match[2]) if match else None


def _number(text: str) -> Decimal:
    return Decimal(text.replace(" ", "").replace("\u202f", "").replace(",", "."))


def _same(written: Decimal, number: Decimal) -> bool:
    """Whether a number would be written so, with as many decimals as were written."""
    places = Decimal(1).scaleb(min(int(written.as_tuple().exponent), 0))
    return abs(written - number) <= places / 2
