"""What parts two editions of an article, number by number: flips of a verdict first."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass


@dataclass(frozen=True)
class Correction:
    """A number or a sentence that says another thing: what it is of, as it was, as it is now (empty: gone).

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
    """All that both editions say and that differs, and what is gone; each by key as (of, text, verdict)."""
    found = []
    for key, (of, text, verdict) in before.items():
        now = after.get(key)
        if now is None:
            continue
        if (text, verdict) != now[1:]:
            found.append(Correction(key, of, text, now[1], bool(verdict and now[2]) and verdict != now[2]))
    return sorted(found, key=lambda one: not one.flip)
