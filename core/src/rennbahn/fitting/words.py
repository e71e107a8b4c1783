"""A matrix in sentences: how much works, and what does not."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping

from rennbahn.fitting.attempts import NOT_TRIED, OUTCOMES, STATE_WORDS, WORKING, Place


def matrix_sentences(states: Mapping[Place, str]) -> tuple[str, ...]:
    """Sentences over a matrix: first how much of it works, then what stands in the way, then what nobody tried."""
    if not states:
        return ()
    counts = Counter(states.values())
    tried = len(states) - counts[NOT_TRIED]
    if not tried:
        return (f"Nothing of {_many(len(states))} was tried yet.",)
    found = [f"Of {_many(len(states))} {tried} {_were(tried)} tried; {_works(counts)}."]
    for state in OUTCOMES:
        places = [one for one, own in states.items() if own == state]
        if state in WORKING or not places:
            continue
        named = "; ".join(_named(one) for one in places[:4])
        more = f"; and {len(places) - 4} more" if len(places) > 4 else ""
        found.append(f"{STATE_WORDS[state].capitalize()}: {named}{more}.")
    if counts[NOT_TRIED]:
        found.append(f"{counts[NOT_TRIED]} {_were(counts[NOT_TRIED])} not tried.")
    return tuple(found)


def _works(counts: Counter[str]) -> str:
    works, limited = counts["works"], counts["limited"]
    told = f"{works} work{'s' if works == 1 else ''}"
    return f"{told}, {limited} more with limits" if limited else told


def _many(number: int) -> str:
    return f"{number} combination{'' if number == 1 else 's'}"


def _were(number: int) -> str:
    return "was" if number == 1 else "were"


def _named(place: Place) -> str:
    return " + ".join(filter(None, (place.row, place.via, place.column)))
