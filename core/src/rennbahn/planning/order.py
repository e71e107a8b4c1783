"""In which order passes are run.

Lane after lane is quickest where changing lanes is dear; what drifts meanwhile falls on the lanes unequally. The other
orders spend changes to spread it. How much each leaves is computed by `timeline`, not asserted here.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence

import numpy as np

from rennbahn.planning.schedule import OrderName, PlannedPass, Work


def ordered(work: Work, order: OrderName, seed: int = 0, by_hand: Sequence[str] = ()) -> list[PlannedPass]:
    """All passes of `work`, each once, in an order.

    - `lane_by_lane`: all of one lane, then the next; the passes of a test follow each other.
    - `in_rounds`: all of one lane, then the next; within a lane all tests once, then again, so that a drift shows
      between passes of the same cell.
    - `alternating`: the lanes in turn, forward and back (A B B A), every test once a turn; tests run backward on the
      way back, so that every cell has the same mean time where passes are even in number.
    - `by_game`: the same within each game before the next game is loaded; games begin with lanes in turn.
    - `random`: rounds of every test in every lane, lanes and games shuffled within each round from `seed`.
    - `by_hand`: pass ids in `by_hand`; passes it does not name follow in the order of `alternating`.

    Control passes stand where their lane begins and ends in any order but one by hand. A game that is patched goes
    before those that are not, and lane after lane the one whose part goes back first.
    """
    if order == "by_hand":
        return _by_hand(work, by_hand)
    games = _games(work)
    own = [one for one in work.passes if not one.control]
    lanes = _first(lane.until_s for lane in work.lanes)
    if order == "lane_by_lane":
        found = sorted(own, key=lambda one: (lanes[one.lane], games[work.tests[one.test].game], one.test, one.number))
    elif order == "in_rounds":
        rounds = enumerate(_rounds(own))
        turn = {one.id: number for number, members in rounds for one in members}
        found = sorted(own, key=lambda one: (lanes[one.lane], turn[one.id], games[work.tests[one.test].game], one.test))
    elif order == "by_game":
        found = _by_game(work, own)
    elif order == "random":
        found = _random(work, own, np.random.default_rng(seed))
    else:
        found = _turns(work, own, 0)
    return _with_controls(work, found)


def _with_controls(work: Work, found: list[PlannedPass]) -> list[PlannedPass]:
    """Each lane's control passes before its first pass and after its last, the earlier half of them before."""
    controls: dict[int, list[PlannedPass]] = {}
    for one in sorted((one for one in work.passes if one.control), key=lambda one: one.number):
        controls.setdefault(one.lane, []).append(one)
    if not controls:
        return found
    first: dict[int, int] = {}
    last: dict[int, int] = {}
    for at, one in enumerate(found):
        first.setdefault(one.lane, at)
        last[one.lane] = at
    placed: list[PlannedPass] = []
    for at, one in enumerate(found):
        own = controls.get(one.lane, [])
        if first[one.lane] == at:
            placed += own[: (len(own) + 1) // 2]
        placed.append(one)
        if last[one.lane] == at:
            placed += own[(len(own) + 1) // 2 :]
    # A lane of nothing but control passes has no first pass to stand before.
    return placed + [one for lane, own in controls.items() if lane not in first for one in own]


def _games(work: Work) -> dict[str, int]:
    """Games by their place within a turn: what is patched first, else in the order they appear."""
    patched = {test.game: test.patched_s for test in work.tests}
    places = zip(patched, _first(patched.values()), strict=True)
    return dict(sorted(places, key=lambda found: found[1]))


def _first(dates: Iterable[float | None]) -> list[int]:
    """The place of each thing by its date; what has none comes last, and equals stay as they are."""
    known = [math.inf if at is None else at for at in dates]
    places = [0] * len(known)
    for place, which in enumerate(sorted(range(len(known)), key=lambda at: (known[at], at))):
        places[which] = place
    return places


def _rounds(passes: Iterable[PlannedPass]) -> list[list[PlannedPass]]:
    """The first pass of every cell, then the second, and so on, whatever they are numbered."""
    cells: dict[tuple[int, int], list[PlannedPass]] = {}
    for one in passes:
        cells.setdefault((one.lane, one.test), []).append(one)
    rounds: list[list[PlannedPass]] = []
    for cell in cells.values():
        for turn, one in enumerate(sorted(cell, key=lambda one: one.number)):
            if turn == len(rounds):
                rounds.append([])
            rounds[turn].append(one)
    return rounds


def _turns(work: Work, passes: Iterable[PlannedPass], first: int) -> list[PlannedPass]:
    """Rounds of all lanes, forward and back in turn, beginning with lane `first`."""
    count = len(work.lanes)
    games = _games(work)

    def forward(one: PlannedPass) -> tuple[int, int, int]:
        return (one.lane - first) % count, games[work.tests[one.test].game], one.test

    found: list[PlannedPass] = []
    for turn, members in enumerate(_rounds(passes)):
        found += sorted(members, key=forward, reverse=turn % 2 == 1)
    return found


def _by_game(work: Work, passes: Sequence[PlannedPass]) -> list[PlannedPass]:
    found: list[PlannedPass] = []
    for game, position in _games(work).items():
        own = [one for one in passes if work.tests[one.test].game == game]
        found += _turns(work, own, position % max(len(work.lanes), 1))
    return found


def _random(work: Work, passes: Sequence[PlannedPass], rng: np.random.Generator) -> list[PlannedPass]:
    """Within a round the lanes are shuffled, and within a lane the games; tests of one game stay together."""
    games = _games(work)
    found: list[PlannedPass] = []
    for members in _rounds(passes):
        lanes = rng.permutation(len(work.lanes))
        shuffled = [rng.permutation(len(games)) for _ in work.lanes]
        found += sorted(
            members,
            key=lambda one: (
                int(lanes[one.lane]), int(shuffled[one.lane][games[work.tests[one.test].game]]), one.test,
            ),
        )  # fmt: skip
    return found


def _by_hand(work: Work, wanted: Sequence[str]) -> list[PlannedPass]:
    known = {one.id: one for one in work.passes}
    named = [known[one] for one in dict.fromkeys(wanted) if one in known]
    placed = {one.id for one in named}
    return named + [one for one in _turns(work, work.passes, 0) if one.id not in placed]
