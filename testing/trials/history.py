"""Histories on trial: sessions, drivers and passes whose truth is known, by what is answered and by a hand.

A hand holds two cells of different days against each other as if they had been run together.
"""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np
from rennbahn.history import Cell, HistoryAsked, history_of

from trials.rates import Rate

#: Session effects are drawn evenly between these standard deviations of ln x.
_SESSIONS = (0.002, 0.01)
_NOISE = (0.004, 0.015)


def trial(histories: int, seed: int) -> list[Rate]:
    """All of it, where few cells returned and where many did."""
    rng = np.random.default_rng(seed)
    return [*_margins(histories, rng, returned=3), *_margins(histories, rng, returned=30), *_steps(histories, rng)]


def _margins(histories: int, rng: np.random.Generator, returned: int) -> list[Rate]:
    held: dict[str, list[bool]] = {"between": [], "within": [], "hand": []}
    ahead = behind = by_hand = 0
    for _ in range(histories):
        sd = float(rng.uniform(*_SESSIONS))
        cells, true = _cells(rng, sd, returned)
        # Two parts that differ by nothing at all, of two sessions; and two of one session.
        pairs = [(len(cells) - 3, len(cells) - 2), (len(cells) - 2, len(cells) - 1)]
        apart, together = history_of(HistoryAsked(tuple(cells), tuple(pairs))).margins
        for name, one in (("between", apart), ("within", together)):
            gap = true[one.b] - true[one.a]
            if one.low is not None and one.high is not None:
                held[name].append(math.log1p(one.low) <= gap <= math.log1p(one.high))
        ahead += apart.verdict == "ahead"
        behind += apart.verdict == "behind"
        if apart.low is not None and apart.high is not None and apart.widened_by is not None:
            half = (math.log1p(apart.high) - math.log1p(apart.low)) / 2.0 / (1.0 + apart.widened_by)
            off = abs(math.log1p(apart.margin) - (true[apart.b] - true[apart.a]))
            held["hand"].append(off <= half)
            by_hand += off > half
    where = f"{returned} cells that returned"
    return [
        Rate(f"{where}: an interval between sessions holds", float(np.mean(held["between"])),
             float(np.mean(held["hand"])), "94 to 98%"),
        Rate(f"{where}: an interval within a session holds", float(np.mean(held["within"])), None, "94 to 96%"),
        Rate(f"{where}: a direction that is not there, up", ahead / histories, by_hand / histories / 2.0,
             "at most 2.5%"),
        Rate(f"{where}: a direction that is not there, down", behind / histories, by_hand / histories / 2.0,
             "at most 2.5%"),
    ]  # fmt: skip


def _cells(rng: np.random.Generator, sd: float, returned: int) -> tuple[list[Cell], list[float]]:
    """Cells of one driver, of which some came back in other sessions, and three at the end to be compared."""
    cells: list[Cell] = []
    true: list[float] = []
    noise = float(rng.uniform(*_NOISE))
    tests = [f"t{n}" for n in range(6)]

    def run(part: str, test: str, session: str, level: float, shift: float) -> None:
        count = int(rng.integers(2, 5))
        logs = math.log(level) + shift + rng.normal(0.0, noise, count)
        cells.append(Cell(part, test, session, f"2026-0{1 + len(cells) % 9}-01", tuple(np.exp(logs).tolist())))
        true.append(math.log(level))

    for n in range(returned):
        for turn in range(2):
            run(f"p{n}", tests[n % 6], f"s{n}.{turn}", 90.0, float(rng.normal(0.0, sd)))
    # Of one session's shift every cell in it has its own share: what returns is a setup in a test.
    run("a", tests[0], "old", 100.0, float(rng.normal(0.0, sd)))
    new = float(rng.normal(0.0, sd))
    run("b", tests[0], "new", 100.0, new)
    run("c", tests[0], "new", 103.0, new)
    return cells, true


def _steps(histories: int, rng: np.random.Generator) -> list[Rate]:
    """Parts over drivers that changed nothing, and one driver that changed a part by 5%."""
    wrong = found = by_hand = 0
    for _ in range(histories):
        sd, noise = float(rng.uniform(*_SESSIONS)), float(rng.uniform(*_NOISE))
        for real in (False, True):
            cells = []
            for part in range(3):
                for day in range(6):
                    level = math.log(80.0) + (0.05 if real and part == 0 and day >= 3 else 0.0)
                    shift = float(rng.normal(0.0, sd))
                    passes = np.exp(level + shift + rng.normal(0.0, noise, 3))
                    cells.append(
                        Cell(f"p{part}", "t", f"{part}.{day}", f"2026-0{1 + day}-01", tuple(passes.tolist()), f"{day}")
                    )
            steps = history_of(HistoryAsked(tuple(cells))).steps
            true_step = (2, 3)
            if real:
                found += any((one.from_, one.to) == true_step for one in steps)
            else:
                wrong += bool(steps)
                by_hand += _by_hand(cells)
    return [
        Rate("a step that is not there, anywhere in a history", wrong / histories, by_hand / histories, "at most 5%"),
        Rate("a step of 5% is named", found / histories, None, ""),
    ]


def _by_hand(cells: list[Cell]) -> bool:
    """Whether some neighbours differ by more than two standard errors of their own passes."""
    for a, b in pairwise(cells):
        if a.part != b.part:
            continue
        v = (a.squares + b.squares) / (len(a.passes) + len(b.passes) - 2)
        if abs(math.log(b.level / a.level)) > 2.0 * math.sqrt(v * (1 / len(a.passes) + 1 / len(b.passes))):
            return True
    return False
