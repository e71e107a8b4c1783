"""A doubted pass that was run again: reproduced or not, how sure, and which of two is to be doubted."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import pytest
from rennbahn.checks import (
    CheckedLane,
    CheckedPass,
    CheckedScene,
    CheckedTest,
    Context,
    Doubt,
    Profile,
    Repeated,
    concerned,
    repeats_of,
)

NOISE = 0.005


def profile(average: float, low: float) -> Profile:
    """What the comparison of rates needs, and nothing else."""
    return Profile(
        frames=3000, duration_s=30.0, average_fps=average, low_1_fps=low, cap="none", lock_fps=0.0, cap_name="",
        lock_share=0.0, cap_meant=False, stutters=0, stutter_lost_ms=0.0, flags=(), bound_by="gpu", bin_s=0.5, fps=(),
        uneven=(), courses={}, gaps=(), channels=(), digest="", sketch=(),
    )  # fmt: skip


@dataclass
class Bench:
    """Five cells of three passes; in the first a fourth, that was run to repeat the second."""

    rng: np.random.Generator
    off_first: float = 0.0
    off_repeat: float = 0.0
    session: str = "of Monday"
    siblings: int = 3

    def context(self) -> Context:
        passes = []
        for cell in range(5):
            for number in range(1, 5 if cell == 0 else 4):
                if cell == 0 and number in (1, 3) and self.siblings < 3:
                    continue
                off = {2: self.off_first, 4: self.off_repeat}.get(number, 0.0) if cell == 0 else 0.0
                average = 60.0 * math.exp(off + self.rng.normal(0.0, NOISE))
                low = 40.0 * math.exp(off + self.rng.normal(0.0, 2.0 * NOISE))
                repeats = "0-2" if cell == 0 and number == 4 else None
                session = self.session if repeats else "of Monday"
                passes.append(
                    CheckedPass(
                        f"{cell}-{number}", "a", f"t{cell}", number, profile(average, low), session=session,
                        repeats=repeats,
                    )
                )  # fmt: skip
        return Context(
            tuple(CheckedScene(f"s{cell}", "Moss Republic", "square") for cell in range(5)),
            tuple(CheckedTest(f"t{cell}", f"s{cell}") for cell in range(5)),
            (CheckedLane("a", "plain fins"),),
            tuple(passes),
        )

    def repeated(self) -> Repeated:
        (found,) = repeats_of(self.context())
        return found


def test_a_repeat_that_agrees_reproduces_and_says_what_it_is_worth() -> None:
    found = Bench(np.random.default_rng(1), -0.06, -0.06).repeated()
    assert (found.repeat, found.of, found.agrees, found.suspect) == ("0-4", "0-2", True, None)
    assert found.words.startswith("Reproduced: pass 4 agrees with pass 2 (")
    assert "Both are of one session" in found.words
    apart = Bench(np.random.default_rng(1), -0.06, -0.06, session="of Tuesday").repeated()
    assert apart.other_session
    assert "It was run in another session" in apart.words
    assert "worth more" in apart.words


@pytest.mark.parametrize(("first", "repeat", "suspect"), [(-0.06, 0.0, "0-2"), (0.0, -0.06, "0-4")])
def test_one_that_does_not_agree_asks_which_to_doubt_with_the_numbers(
    first: float, repeat: float, suspect: str
) -> None:
    found = Bench(np.random.default_rng(2), first, repeat).repeated()
    assert (found.agrees, found.suspect) == (False, suspect)
    assert found.off == pytest.approx(math.expm1(repeat - first), abs=0.05)
    assert f"side against pass {suspect[-1]}: doubt that one." in found.words


def test_where_there_are_no_others_nobody_can_tell() -> None:
    found = Bench(np.random.default_rng(3), -0.08, 0.0, siblings=0).repeated()
    assert (found.agrees, found.suspect) == (False, None)
    assert found.words.endswith("The other passes cannot tell which of the two is off: run a third.")


def test_rates_under_simulation_stand_in_the_docs() -> None:
    """Good passes agree; one that is off by twelve times the noise is not reproduced, and it is told which it was."""
    rng = np.random.default_rng(4)
    trials = 300
    fine = [Bench(rng).repeated() for _ in range(trials)]
    both = [Bench(rng, -0.06, -0.06).repeated() for _ in range(trials)]
    first = [Bench(rng, -0.06, 0.0).repeated() for _ in range(trials)]
    assert sum(one.agrees for one in fine) / trials >= 0.96
    assert sum(one.agrees for one in both) / trials >= 0.96
    assert sum(one.agrees for one in first) / trials <= 0.02
    assert sum(one.suspect == "0-2" for one in first) / trials >= 0.95
    assert sum(one.suspect == "0-4" for one in first) / trials <= 0.01


def test_a_doubt_says_which_passes_it_is_about() -> None:
    context = Bench(np.random.default_rng(5), session="of Tuesday").context()
    assert concerned(context, Doubt("lock", "", on="0-1")) == ("0-1",)
    assert concerned(context, Doubt("off_siblings", "", evidence={"passes": ["0-1", "0-2"]})) == ("0-1", "0-2")
    assert concerned(context, Doubt("wrong_length", "", test="t1")) == ("1-1", "1-2", "1-3")
    assert concerned(context, Doubt("offset", "", evidence={"session": "of Tuesday"})) == ("0-4",)
    assert len(concerned(context, Doubt("order", "", lane="a"))) == 16
    assert concerned(context, Doubt("slow_first", "", lane="a")) == (), "only first passes after loading"
