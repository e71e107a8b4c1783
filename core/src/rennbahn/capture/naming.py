"""Which lane, test and pass a file belongs to, as far as its name says so."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import PurePath

_PASS = re.compile(r"(?:^|[^a-z])(?:pass|run|take|p|r)[ _.#-]*([0-9]{1,2})(?![0-9])", re.IGNORECASE)
_LAST_NUMBER = re.compile(r"(?:^|[^0-9])([0-9]{1,2})$")
_PACKED = {".gz", ".zst", ".zip"}


@dataclass(frozen=True)
class Place:
    """Where a file belongs: indices into the lanes and tests given, and the pass number; None where it does not say."""

    lane: int | None
    test: int | None
    number: int | None


def places_of(names: Sequence[str], lanes: Sequence[str], tests: Sequence[Sequence[str]]) -> list[Place]:
    """Read lane, test and pass out of file names.

    A lane or a test is recognised by the words of its name that others do not share. `tests` holds for each the parts
    of its name (game, scene, conditions). Where two fit equally well, none is chosen.
    """
    lane_words = [_words(lane) for lane in lanes]
    test_words = [_words(" ".join(test)) for test in tests]
    return [_place(name, lane_words, test_words) for name in names]


def _place(name: str, lanes: Sequence[set[str]], tests: Sequence[set[str]]) -> Place:
    path = PurePath(name)
    stem = path.stem if path.suffix.lower() not in _PACKED else PurePath(path.stem).stem
    squeezed = re.sub(r"[^a-z0-9]+", "", stem.lower())
    words = _words(stem)
    found = _PASS.search(stem) or _LAST_NUMBER.search(stem)
    return Place(
        _best(lanes, words, squeezed),
        _best(tests, words, squeezed),
        int(found[1]) if found and int(found[1]) else None,
    )


def _words(text: str) -> set[str]:
    spaced = re.sub(r"(?<=[a-z])(?=[A-Z])", " ", text)
    return {word.lower() for word in re.split(r"[\W_]+", spaced) if word}


def _best(candidates: Sequence[set[str]], words: set[str], squeezed: str) -> int | None:
    """The one candidate whose telling words are best met. A word tells by how few candidates have it."""
    if len(candidates) == 1:
        return 0
    scores = []
    for own in candidates:
        met = {word for word in own if word in words or (len(word) > 3 and word in squeezed)}
        scores.append(
            sum(1.0 / sum(word in other for other in candidates) for word in met if _telling(word, candidates))
        )
    if not scores or max(scores) == 0.0 or scores.count(max(scores)) > 1:
        return None
    return scores.index(max(scores))


def _telling(word: str, candidates: Sequence[set[str]]) -> bool:
    return not all(word in other for other in candidates)
