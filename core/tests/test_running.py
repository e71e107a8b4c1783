"""The way to a pass, step by step; the read-back; what changes cost."""

from __future__ import annotations

from dataclasses import replace

import pytest
from rennbahn.planning.fairness import LaneDescription, SetupDescription
from rennbahn.planning.schedule import Costs, LaneChange, PlannedLane, PlannedPass, PlannedTest, Session, Work
from rennbahn.planning.timeline import Change, Standing, changes_before, lay_out
from rennbahn.planning.weighing import PartDescription
from rennbahn.running import (
    Question,
    Upcoming,
    learned_costs,
    questions_of,
    shuffled_choices,
    steps_of,
    worth_of_mismatch,
)
from rennbahn.running.costs import cost_of
from rennbahn.running.steps import CAUTIONS, caution_of

LIMITS = [
    LaneDescription(
        name, name, SetupDescription((PartDescription("card", "Ostrane V5"),), {"Power limit": name, "Sync": "off"})
    )
    for name in ("160 W", "110 W", "90 W")
]
START = Change("start", "begin the session: machine on, checklist", 600)
SWAP = Change("swap", "Graphics card: Ostrane V5 → Ostrane V7", 1800, "part:card")
LIMIT = Change("setting", "Power limit: 160 W → 110 W", 60, "setting:power limit")
LOAD = Change("load", "load Ninth Ferry", 90)
WARM = Change("warm_up", "warm up: 2 uncounted runs", 60)


def kinds(changes: list[Change], **told: object) -> list[str]:
    return [step.kind for step in steps_of(Upcoming(id="7", changes=changes, **told))]  # type: ignore[arg-type]


def test_a_pass_whose_bench_stands_ready_is_one_step() -> None:
    (step,) = steps_of(Upcoming(id="7", changes=[], length_s=45.0, test_words="Ninth Ferry, harbour"))
    assert (step.key, step.kind, step.words, step.seconds) == ("7.0.pass", "pass", "Ninth Ferry, harbour", 45.0)


def test_only_what_can_have_changed_is_checked() -> None:
    assert kinds([LIMIT]) == ["change", "pass"]
    assert kinds([LOAD]) == ["change", "check", "pass"]
    assert kinds([START]).count("check") == 3
    words = [step.words for step in steps_of(Upcoming(id="7", changes=[SWAP, LOAD])) if step.kind == "check"]
    assert words == [
        "Everything sits, every cable is in, every fan turns",
        "The system knows the part, and its driver is the one on the sheet",
        "Overlay and logger counters are reset",
    ]


def test_what_one_waits_for_stands_right_before_what_is_run() -> None:
    soak, cool = Change("soak", "let Ninth Ferry run", 300), Change("cool", "let it cool", 70)
    assert kinds([LOAD, soak, WARM], warm_ups=1) == ["change", "check", "wait", "warm_up", "pass"]
    wait, run = steps_of(Upcoming(id="7", changes=[cool]))
    assert (wait.kind, wait.title, wait.seconds, run.kind) == ("wait", "Let it cool", 70, "pass")


def test_ticks_by_rote_teach_nothing() -> None:
    assert learned_costs({"load_s": [0.4, 1.9, 0.1, 60.0, 62.0]}) == {}
    assert learned_costs({"load_s": [0.4, 1.9, 58.0, 60.0, 62.0]}) == {"load_s": 60.0}


def test_the_setting_is_read_back_whenever_it_can_have_changed() -> None:
    asked = (Question("setting:power limit", "Power limit", "110 W", "the sensor program"),)
    assert "read_back" not in kinds([LOAD], questions=asked)
    for change in (START, SWAP, LIMIT, Change("reboot", "start the machine again", 240)):
        assert kinds([change], questions=asked).count("read_back") == 1


def test_warm_ups_and_the_card_come_before_the_pass() -> None:
    steps = steps_of(Upcoming(id="7", changes=[LOAD, WARM], warm_ups=2, new_scene=True, length_s=30))
    assert [step.kind for step in steps] == ["change", "check", "card", "warm_up", "warm_up", "pass"]
    assert [(step.run, step.runs) for step in steps if step.kind == "warm_up"] == [(1, 2), (2, 2)]
    assert len({step.key for step in steps}) == len(steps)


def test_keys_are_stable_while_the_pass_is_the_next() -> None:
    one, two = (steps_of(Upcoming(id="7", changes=[SWAP, LOAD, WARM])) for _ in range(2))
    assert [step.key for step in one] == [step.key for step in two]


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (SWAP, "pull the mains cable"),
        (Change("swap", "Memory kit: two → one", 1800, "part:memory"), "Back your data up"),
        (Change("swap", "Dock, adapter or link: A → B", 600, "part:adapter"), "with the power off, unless their maker"),
        (LIMIT, "Stay within the maker’s stated limit"),
        (Change("reboot", "CPU PL1: 65 W → 95 W", 240, "setting:cpu pl1"), "Stay within the maker’s stated limit"),
        (Change("reboot", "Memory profile: 1 → off", 240, "setting:memory profile"), "Back your data up"),
        (Change("reboot", "Firmware: 1.17 → 1.18", 1140, "part:firmware"), "Do not switch off"),
        (LOAD, ""),
        (Change("setting", "Ambient occlusion: on → off", 60, "setting:ambient occlusion"), ""),
    ],
)
def test_a_caution_stands_beside_the_step_where_it_applies(change: Change, says: str) -> None:
    found = caution_of(change)
    assert says in found if says else found == ""
    assert all(words.endswith(".") for words in CAUTIONS.values())


def test_a_limit_that_is_crossed_is_told_before_anything_is_done() -> None:
    crossed = "Power limit 200 W is beyond the stated highest power limit of 180 W"
    first, *_ = steps_of(Upcoming(id="7", changes=[LIMIT], cautions=[crossed]))
    assert (first.title, first.words) == ("Before you go on", crossed)
    assert "stated limit" in first.caution


def test_what_is_read_back_is_what_the_study_asks_about() -> None:
    (question,) = questions_of(LIMITS, "110 W", ["Power limit"])
    assert (question.setting, question.wanted, question.others) == ("Power limit", "110 W", ("160 W", "90 W"))
    assert question.where.startswith("the power the sensor program shows while the game runs")
    (card,) = questions_of(
        [LaneDescription(n, n, SetupDescription((PartDescription("card", n),))) for n in ("V5", "V7")], "V7",
        ["Graphics card"],
    )  # fmt: skip
    assert (card.setting, card.wanted, card.where) == (
        "Graphics card", "V7", "the system’s device list and the sensor program",
    )  # fmt: skip
    told = [LaneDescription(n, n, SetupDescription(), condition=n) for n in ("high", "low")]
    (menu,) = questions_of(told, "low", ["Preset", "condition"])
    assert (menu.setting, menu.wanted, menu.others) == ("Condition", "low", ("high",))
    assert questions_of(LIMITS, "90 W", ["Sync"]) == (), "it is the same in all lanes"


def test_choices_are_shuffled_anew_for_each_pass_and_hold_what_is_wanted() -> None:
    (question,) = questions_of(LIMITS, "110 W", ["Power limit"])
    orders = {tuple(shuffled_choices(question, seed)) for seed in range(40)}
    assert {tuple(sorted(order)) for order in orders} == {("110 W", "160 W", "90 W")}
    assert len({order.index("110 W") for order in orders}) == 3, "the wanted one stands anywhere"
    assert shuffled_choices(question, 7) == shuffled_choices(question, 7), "and stays where it is"
    assert shuffled_choices(replace(question, others=()), 7) == [], "then it is typed"
    many = replace(question, others=tuple(f"{watts} W" for watts in range(200, 300, 10)))
    assert len(shuffled_choices(many, 1)) == 5
    assert "110 W" in shuffled_choices(many, 1)


def test_what_a_run_is_worth_that_read_back_otherwise() -> None:
    question = questions_of(LIMITS, "110 W", ["Power limit"])[0]
    assert "a pass of another lane" in worth_of_mismatch(question, "160 w ", "110 W")
    assert "a pass of a setup that no lane has" in worth_of_mismatch(question, "200 W", "110 W")
    assert "nobody saw it" in worth_of_mismatch(question, "", "110 W")


def test_costs_are_learned_from_the_middle_of_three_and_more() -> None:
    took = {"load_s": [40.0, 900.0, 52.4], "swap_s": [700.0, 800.0], "nonsense": [1.0, 2.0, 3.0]}
    assert learned_costs(took) == {"load_s": 52.0}
    assert cost_of(Change("swap", "Display: A → B", 600, "part:display")) == "quick_swap_s"
    assert cost_of(SWAP) == "swap_s"
    assert cost_of(WARM) == ""


@pytest.fixture
def work() -> Work:
    """Two lanes a swap apart, one test, two passes a lane."""
    swap = LaneChange((("swap", "Cooler: A → B", 1800.0), ("reboot", "start the machine again", 240.0)))
    return Work(
        tests=(PlannedTest("t", "Ninth Ferry", "harbour", "2560 × 1440", "high", 30.0),),
        lanes=(PlannedLane("a", "A"), PlannedLane("b", "B")),
        passes=tuple(PlannedPass(f"{lane}{n}", lane, 0, n) for lane in (0, 1) for n in (1, 2)),
        changes={(0, 1): swap, (1, 0): swap},
        costs=Costs(),
    )


def test_changes_follow_from_how_the_bench_stands(work: Work) -> None:
    def of(now: Standing) -> list[list[str]]:
        return [[change.kind for change in changes] for changes in changes_before(work, work.passes, now)]

    assert of(Standing(off=True))[0] == ["start", "load", "resolution", "warm_up"]
    told = {"Ninth Ferry": ("2560 × 1440", "high")}
    assert of(Standing(0, "Ninth Ferry", told)) == [[], [], ["swap", "reboot", "load", "warm_up"], []]
    assert of(Standing(1, "Ninth Ferry", told))[0][:2] == ["swap", "reboot"]
    assert of(Standing(0, None, told, off=True))[0] == ["start", "load", "warm_up"]


def test_the_rest_of_a_session_is_laid_out_without_beginning_it_anew(work: Work) -> None:
    sessions = [Session(0.0, 36_000.0)]
    whole = lay_out(work, work.passes, sessions, "by_hand")
    told = {"Ninth Ferry": ("2560 × 1440", "high")}
    rest = lay_out(work, work.passes, sessions, "by_hand", Standing(0, "Ninth Ferry", told))
    assert whole.total_s - rest.total_s == pytest.approx(600 + 90 + 25 + 20 + 30)
