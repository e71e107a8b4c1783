"""Which lane, test and pass a file belongs to, as far as its name says so.

A name is read as words and numbers, each of which says one thing only: the number behind "run" is the pass and no part
of a lane, the 2 of a game's title is no pass. What is fully named is sure; what is named in part is a guess, and is
marked as one; what names several alike names nothing.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import PurePath

_TOKEN = re.compile(r"\d+(?:[.,]\d+)*|[^\W\d_]+")
_CAMEL = re.compile(r"(?<=[a-z])(?=[A-Z])")
_PASS_WORDS = {"pass", "run", "take", "lauf", "p", "r"}
_MOST_PASS = 99
_PACKED = {".gz", ".zst", ".zip"}
#: A run of letters this long is found in a name without gaps, too: mossrepublic.
_SQUEEZED = 5


@dataclass(frozen=True)
class Place:
    """Where a file belongs: indices into the lanes and tests given, and the pass number; None where it does not say.

    A guess is named in part only and has to be looked at.
    """

    lane: int | None
    test: int | None
    number: int | None
    lane_guess: bool = False
    test_guess: bool = False


def places_of(names: Sequence[str], lanes: Sequence[str], tests: Sequence[Sequence[str]]) -> list[Place]:
    """Read lane, test and pass out of file names. `tests` holds for each its game, scene and conditions."""
    of_lanes = _Candidates(lanes)
    games = list(dict.fromkeys(test[0].casefold() for test in tests))
    of_games = _Candidates(games)
    within = {game: [at for at, test in enumerate(tests) if test[0].casefold() == game] for game in games}
    of_tests = {game: _Candidates([" ".join(tests[at][1:]) for at in found]) for game, found in within.items()}
    everywhere = _Candidates([" ".join(test[1:]) for test in tests])
    return [_place(_Name(name), of_lanes, games, of_games, within, of_tests, everywhere) for name in names]


def _place(
    name: _Name,
    lanes: _Candidates,
    games: list[str],
    of_games: _Candidates,
    within: dict[str, list[int]],
    of_tests: dict[str, _Candidates],
    everywhere: _Candidates,
) -> Place:
    number = name.take_pass()
    # The title of a game is the longest of what a name holds, so it takes its words first.
    game, game_guess = of_games.choose(name)
    lane, lane_guess = lanes.choose(name)
    test, test_guess = None, False
    if game is not None:
        own = within[games[game]]
        at, guess = of_tests[games[game]].choose(name)
        test = None if at is None else own[at]
        test_guess = game_guess or guess
    elif len(games) > 1:
        test, _ = everywhere.choose(name)
        test_guess = test is not None
    if number is None:
        number = name.last_number()
    return Place(lane, test, number, lane_guess, test_guess)


class _Name:
    """The words and numbers of a file's name, each taken once."""

    def __init__(self, name: str) -> None:
        path = PurePath(name)
        stem = path.stem if path.suffix.lower() not in _PACKED else PurePath(path.stem).stem
        self.tokens = tokens_of(stem)
        self.squeezed = "".join(self.tokens)
        self.taken = [False] * len(self.tokens)

    def take_pass(self) -> int | None:
        """The number that a word like "run" stands before."""
        for at in range(len(self.tokens) - 1, 0, -1):
            if self.tokens[at - 1] in _PASS_WORDS and _is_pass(self.tokens[at]):
                self.taken[at - 1] = self.taken[at] = True
                return int(self.tokens[at])
        return None

    def last_number(self) -> int | None:
        """A number at the end that nothing else has taken."""
        if self.tokens and not self.taken[-1] and _is_pass(self.tokens[-1]):
            return int(self.tokens[-1])
        return None

    def find(self, token: str) -> int | None:
        """Where a token stands that nothing has taken yet."""
        free = (at for at, own in enumerate(self.tokens) if own == token and not self.taken[at])
        return next(free, None)


def tokens_of(text: str) -> list[str]:
    """Words and numbers in lower case: `Kolk16-120W` is kolk, 16, 120, w; 12.4 is one number."""
    spaced = _CAMEL.sub(" ", text)
    return [token.casefold().replace(",", ".") for token in _TOKEN.findall(spaced)]


def _is_pass(token: str) -> bool:
    return token.isascii() and token.isdigit() and len(token) <= 2 and 1 <= int(token) <= _MOST_PASS


class _Candidates:
    """Names among which one is chosen by the words that tell them apart."""

    def __init__(self, names: Sequence[str]) -> None:
        self.tokens = [tokens_of(name) for name in names]
        every = [set(own) for own in self.tokens]
        common = set.intersection(*every) if every else set()
        #: What tells a name from the others: words that all of them have say nothing.
        self.telling = [[token for token in own if token not in common] for own in self.tokens]

    def choose(self, name: _Name) -> tuple[int | None, bool]:
        """The one that is named, and whether that is a guess. What names it is taken."""
        if len(self.tokens) == 1:
            self._take(name, 0)
            return 0, False
        full = [at for at in range(len(self.tokens)) if self._full(name, at)]
        # Of "Kolk" and "Kolk 16" the longer one is meant where both are named.
        longest = [at for at in full if not any(_within(self.telling[at], self.telling[other]) for other in full)]
        if len(longest) == 1:
            at = longest[0]
            guess = not self._surely(name, at)
            self._take(name, at)
            return at, guess
        if longest:
            return None, False
        met = [self._met(name, at) for at in range(len(self.tokens))]
        best = max(met, default=0)
        if best == 0 or met.count(best) > 1:
            return None, False
        self._take(name, met.index(best))
        return met.index(best), True

    def _full(self, name: _Name, at: int) -> bool:
        own = self.telling[at]
        if not own:
            return False
        if all(name.find(token) is not None for token in own):
            return not _all_numbers(own) or self._stands_beside(name, at) or all(len(token) > 1 for token in own)
        joined = "".join(self.tokens[at])
        return len(joined) >= _SQUEEZED and not joined.isdigit() and joined in name.squeezed

    def _surely(self, name: _Name, at: int) -> bool:
        """A small number may be the pass; beside the word that stands beside it in the name too, it is meant."""
        if not any(_is_pass(token) for token in self.telling[at]):
            return True
        joined = "".join(self.tokens[at])
        return self._stands_beside(name, at) or (len(joined) >= _SQUEEZED and joined in name.squeezed)

    def _stands_beside(self, name: _Name, at: int) -> bool:
        own = self.tokens[at]
        for place, token in enumerate(own):
            where = name.find(token)
            if token not in self.telling[at] or where is None or not token[0].isdigit():
                continue
            before = place > 0 and where > 0 and own[place - 1] == name.tokens[where - 1]
            after = place + 1 < len(own) and where + 1 < len(name.tokens) and own[place + 1] == name.tokens[where + 1]
            if before or after:
                return True
        return False

    def _met(self, name: _Name, at: int) -> int:
        """How many words met tell this one apart from every other; a number alone tells nothing."""
        others = [set(own) for other, own in enumerate(self.tokens) if other != at]
        met = [token for token in self.telling[at] if name.find(token) is not None]
        only = [token for token in met if not any(token in own for own in others)]
        return len(only) if any(not token[0].isdigit() and len(token) > 1 for token in only) else 0

    def _take(self, name: _Name, at: int) -> None:
        for token in self.tokens[at]:
            where = name.find(token)
            if where is not None:
                name.taken[where] = True


def _within(own: Sequence[str], other: Sequence[str]) -> bool:
    return set(own) < set(other)


def _all_numbers(tokens: Sequence[str]) -> bool:
    return all(token[0].isdigit() for token in tokens)
