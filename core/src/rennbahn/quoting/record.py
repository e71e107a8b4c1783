"""What parts two editions of an article, number by number: flips of a verdict first."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass


@dataclass(frozen=True)
class Correction:
    """A number or a sentence that says another thing: what it is of, as it was, as it is now (empty: said no more).

    `flip` where its verdict is another word.
    """

    key: str
    of: str
    before: str
    after: str
    flip: bool


def corrections(
    before: Mapping[str, tuple[str, str, str]], after: Mapping[str, tuple[str, str, str]]
) -> list[Correction]:
    """All that is said otherwise, and what is said no more; each by key as (of, text, verdict)."""
    found = []
    for key, (of, text, verdict) in before.items():
        _, now, turned = after.get(key, (of, "", ""))
        if (text, verdict) != (now, turned):
            found.append(Correction(key, of, text, now, bool(verdict and turned) and verdict != turned))
    return sorted(found, key=lambda one: not one.flip)
