"""Sums of the trade, asked of the core."""

from __future__ import annotations

from rennbahn.errors import RennbahnError
from rennbahn.sums import SUMS, lines_of, shown, sum_named

from bench.schemas import AskedOut, SumIn, SumLine, SumOut


def all_sums() -> list[SumOut]:
    """Which sums there are, and what each asks for."""
    return [
        SumOut(
            name=one.name, words=one.words,
            of=[AskedOut(name=of.name, words=of.words, whole=of.whole, usual=of.usual) for of in one.of],
        )
        for one in SUMS
    ]  # fmt: skip


def lines(name: str, data: SumIn) -> list[list[SumLine]]:
    """What a sum comes to, once for each of what stands beside each other. Raises :class:`RennbahnError`."""
    asked, found = sum_named(name), []
    for at, of in enumerate(data.of):
        try:
            told = lines_of(asked, of)
        except RennbahnError as error:
            raise RennbahnError(error.code, error.message, field=f"of.{at}.{error.field or ''}") from None
        found.append([SumLine(words=x.words, value=x.value, shown=shown(x), unit=x.unit, how=x.how) for x in told])
    return found
