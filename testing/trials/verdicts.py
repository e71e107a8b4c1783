"""The verdicts put on trial: simulated studies whose truth is known, judged as findings judge and as a hand would.

Each case returns rates over the same draws, so that the two columns differ by nothing but the judgement.
"""

from __future__ import annotations

import math
import statistics
from collections.abc import Callable, Mapping
from dataclasses import replace
from itertools import combinations

import numpy as np
from rennbahn.comparing.cells import Sheet
from rennbahn.comparing.model import AVERAGE, Lane, Method, Pass, Scene, Study, Test
from rennbahn.inference.looks import SequentialRule
from rennbahn.inference.sessions import Between
from rennbahn.kinds.budget import inside_of
from rennbahn.kinds.fit import Fit
from rennbahn.planning.needs import Asked, needs_of
from rennbahn.planning.noise import Estimate

from trials.draws import Hand, Judged, Row, Truth, back_to_back, half, in_rounds, rate, there_and_back, up_to

#: Who claims a direction that is not there does so on one of two sides.
_SIDES = 2.0


class _Columns:
    """What findings and a hand said of the same draws, by what it was about."""

    def __init__(self) -> None:
        self.ours: dict[str, list[bool]] = {}
        self.hand: dict[str, list[bool]] = {}

    def judge(self, study: Study, ratio: list[float], tests: range | None = None) -> Judged:
        """Note whether intervals hold the truth, of tests and suite, and what the suite claims."""
        found, by_hand = Judged.of(study), Hand(study)
        whole = statistics.fmean(ratio)
        for one, kept in ((found, self.ours), (by_hand, self.hand)):
            kept.setdefault("tests", []).extend(one.covers(g, ratio[g]) for g in tests or range(len(ratio)))
            kept.setdefault("suite", []).append(one.suite_covers(whole))
            kept.setdefault("claims", []).append(one.suite_claims())
        return found

    def row(self, words: str, key: str, wanted: tuple[float, float], reached: tuple[float, float] | None = None) -> Row:
        """Both rates of something."""
        sides = _SIDES if key == "claims" else 1.0
        return Row(words, rate(self.ours[key]) / sides, rate(self.hand[key]) / sides, wanted, reached)


_COVERS, _A_SIDE = (0.94, 0.975), (0.0, 0.035)


def unlike_lanes(rng: np.random.Generator, studies: int) -> list[Row]:
    """Lanes of 0.5 and 2% noise, the quiet one with more passes."""
    rows = []
    for (a, b), tests in (((6, 2), 6), ((4, 3), 3)):
        found = _Columns()
        truth = Truth([0.005] * tests, [0.0] * tests, passes=(a, b), louder=4.0)
        for _ in range(studies):
            found.judge(truth.draw(rng, Method()), [0.0] * tests)
        name = f"{a} and {b} passes, {tests} tests"
        rows += [
            found.row(f"{name}: tests hold the truth", "tests", _COVERS),
            found.row(f"{name}: the suite holds the truth", "suite", _COVERS),
            found.row(f"{name}: the suite claims falsely, a side", "claims", _A_SIDE),
        ]
    return rows


def unlike_scenes(rng: np.random.Generator, studies: int) -> list[Row]:
    """Noise of 0.4 to 2.5% by scene; the quietest scene is truly 2% apart."""
    count, rows = 14, []
    for passes, wanted in ((3, (0.93, 0.97)), (2, (0.9, 0.97))):
        found, loud = _Columns(), _Columns()
        seen: dict[bool, list[bool]] = {True: [], False: []}
        for _ in range(studies):
            noise = np.exp(rng.uniform(math.log(0.004), math.log(0.025), count))
            noise[0], noise[1] = 0.025, 0.004
            ratio = [0.0] * count
            ratio[1] = math.log(1.02)
            study = Truth(noise.tolist(), ratio, passes=(passes, passes)).draw(rng, Method())
            judged = found.judge(study, ratio)
            loud.judge(study, ratio, range(1))
            seen[True].append(judged.margins[1].verdict == "ahead")
            seen[False].append(Hand(study).claims(1))
        rows += [
            found.row(f"{passes} passes: all scenes together hold the truth", "tests", (0.94, 0.965), (0.935, 0.97)),
            loud.row(f"{passes} passes: the loudest scene holds the truth", "tests", wanted, (0.89, 0.97)),
        ]
        if passes > 2:
            rows.append(
                Row("the quietest scene, truly 2% apart, is seen", rate(seen[True]), rate(seen[False]), (0.95, 1.0))
            )
    return rows


def shifted_rounds(rng: np.random.Generator, studies: int) -> list[Row]:
    """Each lane's rounds shifted by 0.5%, all tests together."""
    rows = []
    for noise in (0.01, 0.005):
        found = _Columns()
        truth = Truth([noise] * 12, [0.0] * 12, round_shift=0.005)
        for _ in range(studies):
            found.judge(truth.draw(rng, Method()), [0.0] * 12)
        of = f"noise of {noise:.1%}"
        rows += [
            found.row(f"{of}: the suite holds the truth", "suite", (0.93, 0.97)),
            found.row(f"{of}: the suite claims falsely, a side", "claims", (0.0, 0.04)),
        ]
    return rows


def shifted_sessions(rng: np.random.Generator, studies: int) -> list[Row]:
    """Sessions of a lane shifted as wholes: three of two passes, and one alone."""
    several, stated, unsaid = _Columns(), _Columns(), _Columns()
    said: list[bool] = []
    three = Truth(
        [0.01] * 12, [0.0] * 12, passes=(6, 6), session_shift=0.005,
        sessions=lambda lane, _, number: f"{'AB'[lane]} {number // 2}",
    )  # fmt: skip
    single = Truth([0.01] * 12, [0.0] * 12, session_shift=0.003, sessions=lambda lane, _, __: "AB"[lane])
    for _ in range(studies):
        several.judge(three.draw(rng, Method()), [0.0] * 12)
        one = single.draw(rng, Method())
        stated.judge(replace(one, method=Method(between=Between(0.003))), [0.0] * 12)
        said.append(unsaid.judge(one, [0.0] * 12).suite.apart == ("a", "b"))
    return [
        several.row("three sessions of two passes, 0.5%: the suite holds the truth", "suite", (0.93, 0.97)),
        stated.row("one session a lane, 0.3%, stated: the suite holds the truth", "suite", (0.94, 0.975)),
        unsaid.row("..., nothing stated: the suite holds the truth", "suite", (0.7, 0.85)),
        Row("..., and that is said", rate(said), None, (1.0, 1.0)),
    ]


def drifting(rng: np.random.Generator, studies: int) -> list[Row]:
    """Equal lanes, 14 tests of three passes at 0.5% noise, on a bench that slows by what is allowed for or twice it."""
    count, passes = 14, 3
    method = Method(drift_allowance=0.01)
    zero = [0.0] * count
    bound, rounds, twice, back = _Columns(), _Columns(), _Columns(), _Columns()
    widths: list[float] = []
    for _ in range(studies):
        for found, hours, drift in (
            (bound, back_to_back(count, passes), -0.01), (rounds, in_rounds(count, passes), -0.01),
            (twice, in_rounds(count, passes), -0.02), (back, there_and_back(count), -0.01),
        ):  # fmt: skip
            judged = found.judge(Truth([0.005] * count, zero, drift=drift, hours=hours).draw(rng, method), zero)
            if found is back:
                still = Judged.of(Truth([0.005] * count, zero).draw(rng, Method()))
                widths.append(half(judged) / half(still))
    return [
        bound.row("at the bound, lane after lane: tests hold the truth", "tests", (0.94, 1.0)),
        bound.row("..: the suite holds the truth", "suite", (0.94, 1.0)),
        bound.row("..: the suite claims falsely, a side", "claims", _A_SIDE),
        rounds.row("at the bound, in rounds: the suite claims falsely, a side", "claims", _A_SIDE),
        twice.row("at twice the bound, in rounds: the suite holds the truth", "suite", (0.93, 0.975)),
        back.row("at the bound, there and back: the suite claims falsely, a side", "claims", _A_SIDE),
        Row("there and back: intervals as wide as without drift", statistics.fmean(widths), None, (0.9, 1.25)),
    ]


def other_games(rng: np.random.Generator, studies: int) -> list[Row]:
    """Twelve games of three tests from many such games, 2% apart from game to game and 1% within."""
    games, tests, middle = 12, 3, 0.03
    mean: list[bool] = []
    single: list[bool] = []
    by_test: list[bool] = []
    alone: list[bool] = []
    for _ in range(studies):
        of_game = rng.normal(middle, 0.02, games)
        ratio = (np.repeat(of_game, tests) + rng.normal(0.0, 0.01, games * tests)).tolist()
        study = Truth([0.006] * (games * tests), ratio, tests_a_game=tests).draw(rng, Method())
        suite = Judged.of(study).suite
        another = rng.normal(middle, 0.02) + statistics.fmean(rng.normal(0.0, 0.01, tests))
        for interval, truth, kept in (
            (suite.games_interval, middle, mean), (suite.single_game_interval, another, single),
        ):  # fmt: skip
            assert interval is not None
            kept.append(math.log1p(interval[0]) <= truth <= math.log1p(interval[1]))
        by_test.append(Hand(study).suite_covers(middle))
        alone.append(Hand(study).suite_covers(another))
    few = Truth([0.006] * 21, [middle] * 21, tests_a_game=3)
    told = [Judged.of(few.draw(rng, Method())).suite.games_interval is not None for _ in range(min(studies, 20))]
    return [
        Row("the mean of other such games", rate(mean), rate(by_test), (0.94, 0.965)),
        Row("a single other game", rate(single), rate(alone), (0.94, 0.965)),
        Row("told of seven games", rate(told), None, (0.0, 0.0)),
    ]


def budgets(rng: np.random.Generator, studies: int) -> list[Row]:
    """Twelve cells of three passes, one late in 1.2% of frames, the others never."""
    holds, hand = [], []
    for _ in range(studies):
        angles = math.asin(math.sqrt(0.012)) + rng.normal(0.0, 0.012, 3)
        late = (np.sin(np.maximum(angles, 0.0)) ** 2).tolist()
        found = inside_of([late, *([[0.0] * 3] * 11)])
        holds.append(found[0].holds is True)
        hand.append(statistics.fmean(late) <= 0.01)
    return [Row("a cell that misses is said to hold", rate(holds), rate(hand), (0.0, 0.025))]


def ladders(rng: np.random.Generator, studies: int) -> list[Row]:
    """Six equal lanes of 0.4 to 2% noise with six to two passes, eight tests."""
    noise, passes, tests = np.geomspace(0.004, 0.02, 6), (6, 5, 4, 4, 3, 2), 8
    lanes = tuple(Lane(str(i), str(i)) for i in range(6))
    scenes = tuple(Scene(str(g), f"Game {g}", "run") for g in range(tests))
    pairs = list(combinations(range(6), 2))
    covered = np.zeros(len(pairs))
    suites: list[bool] = []
    for _ in range(studies):
        found = tuple(
            Pass(f"{i} {g} {k}", str(i), str(g), "accepted",
                 figures={AVERAGE: 100.0 * math.exp(rng.normal(0.0, float(noise[i])))})
            for i in range(6) for g in range(tests) for k in range(passes[i])
        )  # fmt: skip
        study = Study("trial", Method(), lanes, scenes, tuple(Test(s.id, s.id) for s in scenes), found, ())
        fit = Fit(Sheet(study), AVERAGE, range(6))
        weights = np.zeros((len(pairs) * tests, 6, tests))
        for at, ((a, b), g) in enumerate((pair, g) for pair in pairs for g in range(tests)):
            weights[at, b, g], weights[at, a, g] = 1.0, -1.0
        estimates = fit.weighed(weights)
        inside = np.abs(estimates.middle) <= estimates.reach(0.05)
        covered += inside.reshape(len(pairs), tests).mean(axis=1)
        whole = fit.lane_weights(fit.common())
        over = fit.weighed(np.stack([whole[b] - whole[a] for a, b in pairs]))
        suites += (np.abs(over.middle) <= over.reach(0.05)).tolist()
    return [
        Row("tests hold the truth", float(covered.mean()) / studies, None, (0.94, 0.965)),
        Row("tests of the worst pair hold the truth", float(covered.min()) / studies, None, (0.93, 0.97), (0.9, 0.97)),
        Row("suites of pairs hold the truth", rate(suites), None, (0.935, 0.97)),
    ]


def looking(rng: np.random.Generator, studies: int) -> list[Row]:
    """Equal lanes of four tests, looked at after every pass from three to twelve, stopped at the first settled look.

    The hand looks as often, at 95% each time.
    """
    rule = SequentialRule(12)
    truth = Truth([0.008] * 4, [0.0] * 4, passes=(rule.limit, rule.limit))
    covered: dict[bool, list[bool]] = {True: [], False: []}
    claims: dict[bool, list[bool]] = {True: [], False: []}
    for _ in range(studies):
        whole = truth.draw(rng, Method())
        for strict in (True, False):
            method = Method(looks=rule if strict else None, equal_band=0.002)
            stop = None
            for n in range(rule.first, rule.limit + 1):
                stop = Judged.of(up_to(replace(whole, method=method), n))
                if stop.suite.verdict != "open":
                    break
            assert stop is not None
            covered[strict].append(stop.suite_covers(0.0))
            claims[strict].append(stop.suite_claims())
    return [
        Row("the interval holds the truth", rate(covered[True]), rate(covered[False]), (0.94, 1.0)),
        Row("the suite claims a difference", rate(claims[True]), rate(claims[False]), (0.0, 0.05), (0.0, 0.06)),
    ]


def settling(rng: np.random.Generator, studies: int) -> list[Row]:
    """Do the further passes that an open verdict asks for settle it?"""
    rows = []
    wanted, far = (0.78, 0.88), (0.5, 0.7)
    for name, unlike, louder, passes, reached in (
        ("equal noise", False, 1.0, (3, 3), None), ("scenes of 0.4 to 2.5%", True, 1.0, (3, 3), None),
        ("one lane three times louder, 4 and 3 passes", False, 3.0, (4, 3), far),
    ):  # fmt: skip
        settled: list[bool] = []
        for _ in range(studies):
            noise = np.exp(rng.uniform(math.log(0.004), math.log(0.025), 6)).tolist() if unlike else [0.008] * 6
            truth = Truth(noise, rng.normal(0.0, 0.01, 6).tolist(), passes=passes, louder=louder)
            study = truth.draw(rng, Method())
            for g, margin in enumerate(Judged.of(study).margins):
                k = margin.further_passes
                if margin.verdict != "open" or k is None or k > 60:
                    continue
                more = replace(truth, passes=(k, k)).draw(rng, Method())
                added = tuple(replace(one, id=f"more {one.id}") for one in more.passes if one.test == str(g))
                again = Judged.of(replace(study, passes=study.passes + added))
                settled.append(again.margins[g].verdict != "open")
        rows.append(Row(f"{name}: so many do settle it", rate(settled), None, wanted, reached))
    return rows


def power(rng: np.random.Generator, studies: int) -> list[Row]:
    """Studies at the margin that the plan calls resolvable: how often findings show it."""
    rows = []
    for scenes, passes, noise in ((14, 3, 0.006), (3, 4, 0.008)):
        asked = [Asked(str(g), {AVERAGE: Estimate(noise, "scene")}, passes) for g in range(scenes)]
        margin = needs_of(asked, AVERAGE, 0.02, 0.01)[0].resolvable[AVERAGE] or math.nan
        truth = Truth([noise] * scenes, [math.log1p(margin)] * scenes, passes=(passes, passes))
        shown = []
        for _ in range(studies):
            study = truth.draw(rng, Method(equal_band=1e-4))
            shown += [one.verdict == "ahead" for one in Judged.of(study).margins]
        rows.append(Row(f"{scenes} tests of {passes} passes show it", rate(shown), None, (0.89, 0.91), (0.88, 0.92)))
    return rows


#: What is tried, by what it is about.
CASES: Mapping[str, Callable[[np.random.Generator, int], list[Row]]] = {
    "lanes of 0.5 and 2% noise": unlike_lanes,
    "scenes of 0.4 to 2.5% noise": unlike_scenes,
    "rounds shifted by 0.5%": shifted_rounds,
    "sessions shifted as wholes": shifted_sessions,
    "equal lanes on a bench that slows by 1% an hour, as is allowed for, or twice that": drifting,
    "other games than those measured": other_games,
    "a budget, most cells never late": budgets,
    "a ladder of six unlike lanes": ladders,
    "equal lanes, stopped at the first settled look of up to twelve": looking,
    "further passes that an open verdict asks for": settling,
    "a margin that the plan calls shown in 90%": power,
}
