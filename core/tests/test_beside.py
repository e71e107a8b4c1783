"""What stands beside an answer: margins that were not run, what each side could do alone, memory that runs out."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from rennbahn.comparing.cells import Sheet
from rennbahn.comparing.facts import LaneFacts, PassFacts, TestFacts
from rennbahn.comparing.model import AVERAGE, Lane, Method, Pass, Scene, Study, Test
from rennbahn.comparing.sentences import Naming
from rennbahn.errors import RennbahnError
from rennbahn.kinds.expected import alone_of, expected_of
from rennbahn.kinds.ladder import ladder_of
from rennbahn.kinds.ladder_words import short_words
from rennbahn.kinds.limit_words import expected_sentence, expected_words, limits_sentence
from rennbahn.kinds.limits import Limits, limits_of
from scipy import stats
from trials.beside import CASES

FULL_HD, QUAD_HD, ULTRA_HD = (1920, 1080), (2560, 1440), (3840, 2160)
NAMES = {"a": "Old", "b": "New"}
STUDIES = 40


def study(
    times: dict[str, dict[tuple[int, int], tuple[float, float]]], *, noise: float = 0.003, scenes: int = 3
) -> Study:
    """Lanes by resolution with the ms of processor and card a frame, alike in some scenes; four passes a cell."""
    rng = np.random.default_rng(5)
    sizes = list(next(iter(times.values())))
    passes = []
    for lane, own in times.items():
        for scene in range(scenes):
            for at, size in enumerate(sizes):
                for number in range(4):
                    scatter = math.exp(rng.normal(0.0, noise))
                    processor, card = (ms * scatter for ms in own[size])
                    passes.append(
                        Pass(f"{lane}{scene}{at}{number}", lane, f"t{scene}.{at}", "accepted",
                             figures={AVERAGE: 1000.0 / max(processor, card)},
                             facts=PassFacts(gpu_busy_ms=card, cpu_busy_ms=processor))
                    )  # fmt: skip
    return Study(
        "trial", Method(), tuple(Lane(lane, NAMES[lane]) for lane in times),
        tuple(Scene(f"s{scene}", f"Game {scene}", "yard") for scene in range(scenes)),
        tuple(Test(f"t{scene}.{at}", f"s{scene}", f"{size[1]}", str(size[1]), TestFacts(size, "high"))
              for scene in range(scenes) for at, size in enumerate(sizes)),
        tuple(passes), (),
    )  # fmt: skip


#: The card grows with the pixels and holds both lanes from 1440 on; b's card is 1.25 times as quick.
CARDS = {
    "a": {FULL_HD: (8.0, 7.5), QUAD_HD: (8.0, 12.0), ULTRA_HD: (8.0, 25.0)},
    "b": {FULL_HD: (8.0, 6.0), QUAD_HD: (8.0, 9.6), ULTRA_HD: (8.0, 20.0)},
}


def without(times: dict[str, dict[tuple[int, int], tuple[float, float]]], *sizes: tuple[int, int]) -> Study:
    return study({lane: {size: ms for size, ms in own.items() if size not in sizes} for lane, own in times.items()})


def test_a_margin_between_two_resolutions_lies_between_theirs() -> None:
    one = without(CARDS, QUAD_HD)
    sheet = Sheet(one)
    found = expected_of(sheet, limits_of(sheet), ("a", "b"), QUAD_HD)
    assert found.count == 3
    for scene in found.scenes:
        assert scene.how == "between"
        # Measured: equal at 1080, 25% at 2160; the truth between them is 25%.
        assert scene.low is not None
        assert scene.low < 0.01
        assert scene.high == pytest.approx(0.25, abs=0.02)
        assert scene.low < 12.0 / 9.6 - 1.0 - 0.02 < scene.high
    text = expected_sentence(found, NAMES).text
    assert text.startswith("At 2560 × 1440, not run: about +1")
    assert "an estimate from 3 scenes at other resolutions, not a measurement" in text
    tests = {test.id: test for test in one.tests}
    assert expected_words(found.scenes[0], tests) == "between 1920 × 1080 and 3840 × 2160"


def test_beyond_the_largest_a_margin_goes_on_by_no_more_than_before() -> None:
    one = without(CARDS, ULTRA_HD)
    sheet = Sheet(one)
    found = expected_of(sheet, limits_of(sheet), ("a", "b"), ULTRA_HD)
    assert [scene.how for scene in found.scenes] == ["beyond"] * 3
    assert found.suite is not None
    assert found.suite.low is not None
    assert found.suite.high is not None
    assert found.suite.low < 0.25 < found.suite.high
    tests = {test.id: test for test in one.tests}
    assert expected_words(found.scenes[0], tests) == "beyond 2560 × 1440, which the card holds"


def test_tests_of_as_many_pixels_are_no_step_of_resolution() -> None:
    one = without(CARDS, ULTRA_HD)
    again = [replace(test, id=f"{test.id} again") for test in one.tests]
    passes = [replace(p, id=f"{p.id} again", test=f"{p.test} again") for p in one.passes]
    sheet = Sheet(replace(one, tests=(*one.tests, *again), passes=(*one.passes, *passes)))
    found = expected_of(sheet, limits_of(sheet), ("a", "b"), ULTRA_HD)
    assert {scene.how for scene in found.scenes} == {"beyond"}
    exposed = [replace(test, facts=replace(test.facts, intent="expose")) for test in again]
    sheet = Sheet(replace(one, tests=(*one.tests, *exposed), passes=(*one.passes, *passes)))
    assert len(expected_of(sheet, limits_of(sheet), ("a", "b"), ULTRA_HD).scenes) == 2 * len(found.scenes)


def test_no_estimate_where_nothing_shows_what_would_come() -> None:
    processor = {lane: {FULL_HD: (8.0, 3.0), QUAD_HD: (8.0, 5.0)} for lane in ("a", "b")}
    one = study(processor)
    sheet = Sheet(one)
    found = expected_of(sheet, limits_of(sheet), ("a", "b"), ULTRA_HD)
    assert {scene.reason for scene in found.scenes} == {"not_held"}
    assert expected_sentence(found, NAMES).answer == "no estimate"
    assert expected_words(found.scenes[0], {}).startswith("what holds the rate at the resolution next to it")
    below = expected_of(sheet, limits_of(sheet), ("a", "b"), (1280, 720))
    assert [scene.how for scene in below.scenes] == ["below"] * 3
    run = expected_of(sheet, limits_of(sheet), ("a", "b"), QUAD_HD)
    assert {scene.reason for scene in run.scenes} == {"was_run"}
    single = Sheet(without(CARDS, QUAD_HD, ULTRA_HD))
    few = expected_of(single, limits_of(single), ("a", "b"), QUAD_HD)
    assert {scene.reason for scene in few.scenes} == {"one_resolution"}
    with pytest.raises(RennbahnError, match="a width and a height"):
        expected_of(sheet, limits_of(sheet), ("a", "b"), (0, 100))


def test_each_side_alone_is_read_from_busy_times() -> None:
    found = alone_of(Sheet(study(CARDS)), ("a", "b"), "1080")
    assert {(one.lane, one.test) for one in found.cells} == {(lane, f"t{s}.0") for lane in "ab" for s in range(3)}
    first = found.cells[0]
    assert first.card_fps == pytest.approx(1000.0 / 7.5, rel=0.01)
    assert first.processor_fps == pytest.approx(125.0, rel=0.01)
    assert first.card_low is not None
    assert first.card_high is not None
    assert first.card_low < first.card_fps < first.card_high
    cards = [one for one in found.margins if one.side == "card"]
    processors = [one for one in found.margins if one.side == "processor"]
    # The rates are equal at 1080, since the processor holds them; the cards are not.
    assert all(one.verdict == "ahead" and one.margin == pytest.approx(0.25, abs=0.02) for one in cards)
    assert all(one.margin == pytest.approx(0.0, abs=0.02) for one in processors)
    bare = study(CARDS)
    silent = Study(**{**bare.__dict__, "passes": tuple(Pass(p.id, p.lane, p.test, p.status, figures=p.figures)
                                                       for p in bare.passes)})  # fmt: skip
    assert alone_of(Sheet(silent), ("a", "b")).cells == ()


def memory_study(used: dict[str, float | None], lost: float) -> Study:
    """Two tests; the second asks for 9 GB, which lane a has not: it runs there at a share of what it is worth."""
    sizes = {"a": 8.0, "b": 16.0}
    rng = np.random.default_rng(8)
    passes = []
    for lane, base in (("a", 60.0), ("b", 90.0)):
        for test in (0, 1):
            for number in range(5):
                rate = base * (1.0 - lost if (lane, test) == ("a", 1) else 1.0) * math.exp(rng.normal(0.0, 0.004))
                own = used.get(f"{lane}{test}")
                facts = PassFacts(memory_mib=None if own is None else 1024.0 * own)
                passes.append(
                    Pass(f"{lane}{test}{number}", lane, f"t{test}", "accepted", figures={AVERAGE: rate}, facts=facts)
                )
    return Study(
        "ladder", Method(), tuple(Lane(x, NAMES[x], LaneFacts(memory_gb=sizes[x])) for x in sizes),
        (Scene("s0", "Game 0", "yard"), Scene("s1", "Game 1", "yard")),
        (Test("t0", "s0"), Test("t1", "s1")), tuple(passes), (), "ladder",
    )  # fmt: skip


USED = {"a0": 4.0, "b0": 4.1, "a1": 7.9, "b1": 9.0}


def test_memory_that_runs_out_is_told_with_what_it_costs() -> None:
    one = memory_study(USED, 0.4)
    (short,) = ladder_of(Sheet(one), AVERAGE).shorts
    assert (short.lane, short.test, short.asked_gb, short.fitted_gb) == ("a", "t1", 9.0, 8.0)
    # Beside a second computation: the ratio of ratios, from the means of passes.
    cell = {key: np.mean([np.log(p.figures[AVERAGE]) for p in one.passes if p.lane + p.test == key])
            for key in ("at0", "at1", "bt0", "bt1")}  # fmt: skip
    assert short.lost == pytest.approx(math.expm1(cell["at1"] - cell["bt1"] - cell["at0"] + cell["bt0"]), abs=1e-3)
    assert short.runs_out
    text = short_words(short, Naming.of(one))
    assert text.startswith("Old: Game 1 asks for 9 GB of memory, 8 are fitted; memory runs out, its rate is ")
    assert "% below what it is worth elsewhere (" in text


def test_short_of_memory_without_a_loss_claims_none() -> None:
    one = memory_study(USED, 0.0)
    (short,) = ladder_of(Sheet(one), AVERAGE).shorts
    assert not short.runs_out
    assert "memory runs out" not in short_words(short, Naming.of(one))


def test_nobody_is_short_where_captures_do_not_say() -> None:
    assert ladder_of(Sheet(memory_study({}, 0.4)), AVERAGE).shorts == ()
    # A test in which every lane is full says only that it asks for more than they have.
    full = {"a0": 4.0, "b0": 4.1, "a1": 7.9, "b1": 15.9}
    assert ladder_of(Sheet(memory_study(full, 0.4)), AVERAGE).shorts == ()


@pytest.mark.parametrize("case", CASES)
def test_rates_are_those_that_are_stated(case: str) -> None:
    for row in CASES[case](np.random.default_rng(7), STUDIES):
        low, high = row.wanted
        # What chance alone does to a rate over so many studies, at most once in a thousand.
        most = stats.binom.ppf(0.999, STUDIES, high) / STUDIES if high < 1.0 else 1.0
        least = stats.binom.ppf(0.001, STUDIES, low) / STUDIES
        assert least <= row.ours <= most, row
        if row.hand is not None and high < 0.1:
            assert row.ours < row.hand, "a hand errs more often on the same draws"


def test_what_holds_the_rate_is_summed_up() -> None:
    text = limits_sentence(limits_of(Sheet(without(CARDS, QUAD_HD)))).text
    told = "of 12 pairs of lane and test: the card in 9, the processor in 3."
    assert text == f"What holds the rate: mostly the card, {told}"
    assert limits_sentence(Limits((), ())).answer == "nothing to tell yet"
