"""Tuning logs: states, failures, limits, fronts, knees, equal power by hand and by another computation; proposals."""

from __future__ import annotations

import json
import math
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from rennbahn.cli import main
from rennbahn.errors import RennbahnError
from rennbahn.tuning import (
    Proposal,
    Quick,
    Rival,
    Setting,
    Stability,
    Step,
    Tuning,
    TuningLog,
    last_watts_of,
    log_from_json,
    samples_of,
    samples_words,
    sentences_of,
    tuning_of,
    why_of,
)
from rennbahn.tuning.proposal import next_of
from scipy import stats
from trials.tuning import trial

HELD, CRASHED = (Stability("long run", 60, "passed"),), (Stability("long run", 3, "crashed"),)
OFFSET = Setting("mV", 0, 5, limit_low=-200, limit_high=0, kind="voltage")


def log(*steps: Step, rival: Rival | None = None, **named: Setting) -> TuningLog:
    return TuningLog(named or {"offset": OFFSET}, steps, rival)


def at(value: float, runs: tuple[Stability, ...] = HELD, name: str = "", **more: Any) -> Step:
    return Step(name or f"{value:g}", {"offset": value}, stability=runs, **more)


def following(*steps: Step, **named: Setting) -> Proposal:
    return tuning_of(log(*steps, **named)).next


# --- steps ------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("runs", "state"),
    [
        ([], "unproven"),
        ([("a", 59, "passed")], "unproven"),
        ([("a", 30, "passed"), ("b", 30, "passed")], "proven"),
        ([("a", 600, "passed"), ("b", 1, "artefacts")], "unstable"),
        ([("a", 1, "hang")], "unstable"),
    ],
)
def test_a_step_is_proven_by_time_and_unstable_by_one_failure(runs: list[tuple[str, int, str]], state: str) -> None:
    (told,) = tuning_of(log(at(-50, tuple(Stability(*one) for one in runs)))).steps

    assert told.state == state


def test_what_reaches_a_failure_is_beyond_it_whichever_came_first_and_of_the_same_sample_alone() -> None:
    steps = [at(-120), at(-100, CRASHED), at(-80), at(-110, name="other card", sample="b"), at(30, name="up")]

    told = tuning_of(log(*steps)).steps

    assert [one.beyond_a_failure for one in told] == [True, False, False, False, False]


def test_a_failure_at_stock_is_reached_by_every_value_and_a_named_way_tells_which_is_harder() -> None:
    assert [x.beyond_a_failure for x in tuning_of(log(at(0, CRASHED), at(-20), at(20))).steps] == [False, True, True]
    up = replace(OFFSET, harder=1, limit_high=500)
    told = tuning_of(log(at(0, CRASHED), at(-20), at(20), offset=up)).steps
    assert [one.beyond_a_failure for one in told] == [False, False, True]


def test_a_failure_with_another_setting_is_reached_only_by_what_is_as_hard_in_both() -> None:
    both = {"offset": OFFSET, "clock": Setting("MHz", 2000, 15, limit_high=2300, kind="clock", harder=1)}
    failed = Step("failed", {"offset": -80, "clock": 2100}, stability=CRASHED)
    softer = Step("softer", {"offset": -90, "clock": 2085}, stability=HELD)
    harder = Step("harder", {"offset": -90, "clock": 2100}, stability=HELD)

    told = tuning_of(log(failed, softer, harder, **both)).steps

    assert [one.beyond_a_failure for one in told] == [False, False, True]


def test_a_limit_is_crossed_as_set_or_as_read_back_and_not_at_it() -> None:
    steps = [at(-200), at(-205, name="b"), replace(at(-100), read_back={"offset": 10.0})]

    assert [one.over_limit for one in tuning_of(log(*steps)).steps] == [(), ("offset",), ("offset",)]


# --- power ------------------------------------------------------------------------------------------------


def measured(value: float, fps: Sequence[float], w: Sequence[float], runs: tuple[Stability, ...] = HELD) -> Step:
    return at(value, runs, passes=tuple(Quick(a, b) for a, b in zip(fps, w, strict=True)))


def test_a_step_is_off_the_front_where_another_is_shown_to_give_more_for_less() -> None:
    steps = [
        measured(0, [100.0, 100.5, 99.8], [300, 302, 299]),
        measured(-50, [104.0, 104.3, 103.9], [270, 271, 269]),
        measured(-60, [104.1, 104.0, 103.8], [268, 272, 271]),
        measured(-90, [130.0, 131.0, 130.2], [200, 201, 202], CRASHED),
        at(-95),
    ]

    told = tuning_of(log(*steps)).steps

    assert [one.on_front for one in told] == [False, True, True, None, None]
    assert told[0].fps_per_w == pytest.approx(np.mean([100.0, 100.5, 99.8]) / np.mean([300, 302, 299]))


def test_without_two_passes_anywhere_nothing_is_shown() -> None:
    found = tuning_of(log(measured(0, [100.0], [300.0]), measured(-50, [120.0], [200.0])))

    assert [one.on_front for one in found.steps] == [True, True]
    assert (found.knee, found.equal_power) == (None, None)


def test_equal_power_is_what_one_computes_by_hand() -> None:
    low, high = measured(-80, [90.0, 91.0, 90.4], [200, 202, 201]), measured(-20, [104.0, 105, 104.4], [250, 252, 251])
    rival = Rival((Quick(95.0, 221.0), Quick(94.2, 219.0), Quick(95.1, 220.5)))

    found = tuning_of(log(low, high, rival=rival)).equal_power

    assert found is not None
    groups = [[one.fps for one in x.passes] for x in (low, high, rival)]
    watts = [[float(one.w or 0) for one in x.passes] for x in (low, high, rival)]
    v, v_w = (np.mean([np.var(np.log(one), ddof=1) for one in of]) for of in (groups, watts))
    (f1, f2, fr), (w1, w2, wr) = (np.mean(of, axis=1) for of in (groups, watts))
    part = (wr - w1) / (w2 - w1)
    f = (1 - part) * f1 + part * f2
    # Another way to the variance: each mean is moved a little, and what that does to ln(f / f_r) is squared.

    def of(a: float, b: float, c: float, d: float, e: float, g: float) -> float:
        share = (g - d) / (e - d)
        return math.log(((1 - share) * a + share * b) / c)

    means, moved = [f1, f2, fr, w1, w2, wr], []
    for i, scale in enumerate([v, v, v, v_w, v_w, v_w]):
        step = 1e-6 * means[i]
        up, down = ([x + (step if j == i else 0) * sign for j, x in enumerate(means)] for sign in (1, -1))
        slope = (of(*up) - of(*down)) / 2e-6
        moved.append(slope**2 * scale / 3)
    reach = stats.t.ppf(0.975, 6) * math.sqrt(sum(moved))
    assert found.margin == pytest.approx(f / fr - 1)
    assert (found.low, found.high) == pytest.approx(
        [math.exp(math.log(f / fr) + sign * reach) - 1 for sign in (-1, 1)], rel=1e-5
    )
    assert found.verdict == "ahead"


def test_equal_power_is_of_proven_steps_around_the_rival_alone() -> None:
    low, high = measured(-80, [90.0, 91.0], [200, 202]), measured(-20, [104.0, 105.0], [250, 252])
    beside = Rival((Quick(95.0, 300.0), Quick(95.2, 301.0)))
    between = Rival((Quick(95.0, 220.0), Quick(95.2, 221.0)))

    assert tuning_of(log(low, high, rival=beside)).equal_power is None
    assert tuning_of(log(low, replace(high, stability=()), rival=between)).equal_power is None
    assert tuning_of(log(low, high, rival=between)).equal_power is not None
    assert tuning_of(log(low, high, at(-30, sample="b"), rival=between)).equal_power is None


def curve(bend: float | None, seed: int = 1, noise: float = 0.002, steps: int = 9) -> TuningLog:
    """Steps from 150 to 310 W, whose rate rises by 0.4 fps a watt up to a bend, and by 0.05 from there."""
    rng = np.random.default_rng(seed)
    found = []
    for i, w in enumerate(np.linspace(150, 310, steps)):
        fps = 60 + 0.4 * (w - 150) if bend is None or w <= bend else 60 + 0.4 * (bend - 150) + 0.05 * (w - bend)
        passes = tuple(Quick(float(fps * math.exp(noise * x)), float(w)) for x in rng.standard_normal(3))
        found.append(at(-float(i), name=f"{w:g} W", passes=passes))
    return log(*found)


def test_a_knee_is_found_where_a_curve_has_one() -> None:
    knee = tuning_of(curve(230)).knee

    assert knee is not None
    assert (knee.step, knee.level) == ("230 W", 230)
    assert knee.low <= 230 <= knee.high
    assert tuning_of(curve(None)).knee is None
    assert tuning_of(curve(230, steps=4)).knee is None


def test_rates_under_simulation() -> None:
    """Small and seeded; docs/measures.md has the rates of more."""
    found = {one.name: one.found for one in trial(80, seed=3)}

    assert found["a sharp edge: ends within two resolutions of edge or limit"] == 1
    assert {share for name, share in found.items() if "past a limit" in name} == {0}
    assert found["a sharp edge: ends where it crashes in over one of ten hours"] == 0
    assert found["of six steps that none beats in both, one is off the front"] <= 0.08
    assert found["at a rival's watts: the interval holds the truth"] >= 0.88
    assert found["at a rival's watts: a direction that is not there"] <= 0.12
    assert found["a knee is found within a step"] >= 0.85
    assert found["a knee is claimed of a straight line"] <= 0.08


# --- what comes next --------------------------------------------------------------------------------------


def test_what_went_well_is_done_again_and_half_way_is_gone_to_what_failed() -> None:
    assert following(at(-25)) == Proposal("offset", -50, "again")
    assert following(at(-25), at(-50)) == Proposal("offset", -75, "again")
    assert following(at(-25), at(-50), at(-100, CRASHED)) == Proposal("offset", -75, "half_way")
    assert following(at(-50), at(-100, CRASHED), at(-75)) == Proposal("offset", -85, "half_way")
    assert following(at(-50), at(-60, CRASHED), at(-55)).why == "under_resolution"
    assert following(at(-100, CRASHED)) == Proposal("offset", -50, "half_way")


def test_limits_are_gone_up_to_and_never_past() -> None:
    assert following(at(-150)) == Proposal("offset", -200, "up_to_limit")
    assert following(at(-100), at(-200)).why == "at_limit"
    assert following(at(-205)).why == "past_limit"
    assert following(at(-25), offset=replace(OFFSET, limit_low=None)).why == "no_known_limit"
    assert following(at(-25), offset=replace(OFFSET, limit_low=None, kind="clock")).value == -50
    other_way = replace(OFFSET, harder=1, limit_high=100, limit_low=-50)
    assert following(at(-90), at(-80), offset=other_way).why == "past_limit", "still past the other limit"


def test_nothing_follows_what_says_nothing() -> None:
    both = {"offset": OFFSET, "clock": Setting("MHz", 2000, 15, kind="clock")}
    assert following().why == "no_steps"
    assert following(at(-25), at(-25, name="again")).why == "nothing_moved"
    assert following(at(-25), at(0)).why == "nothing_moved", "back at stock: no way is hard"
    assert following(Step("two", {"offset": -5, "clock": 2015}), **both).why == "several_moved"
    assert following(at(-100, CRASHED), at(-100, name="again")).why == "nothing_moved"
    assert following(at(-100, CRASHED), at(-120)).why == "at_failure"
    assert following(at(0, CRASHED), at(-20)).why == "at_failure"


def test_a_failure_on_the_other_side_of_stock_is_no_wall() -> None:
    wide = Setting("MHz", 0, 5, limit_low=-500, limit_high=500)

    assert following(at(-100, CRASHED), at(0), at(20), offset=wide) == Proposal("offset", 40, "again")


VALUES = st.integers(-60, 60).map(lambda one: 5.0 * one)
RUNS = st.sampled_from([HELD, CRASHED, ()])


@st.composite
def logs(draw: st.DrawFn) -> TuningLog:
    names = ["a", "b"][: draw(st.integers(1, 2))]
    drawn = {
        name: Setting(
            "u",
            draw(st.sampled_from([0.0, -20.0, 35.0])),
            draw(st.sampled_from([1.0, 5.0, 7.0])),
            draw(st.none() | st.integers(-50, -5).map(lambda one: 5.0 * one)),
            draw(st.none() | st.integers(5, 50).map(lambda one: 5.0 * one)),
            draw(st.sampled_from(["voltage", "clock"])),
            draw(st.sampled_from([None, 1, -1])),
        )
        for name in names
    }
    steps = [
        Step(
            str(at),
            draw(st.dictionaries(st.sampled_from(names), VALUES, max_size=2)),
            stability=draw(RUNS),
            sample=draw(st.sampled_from(["x", "x", "y"])),
        )
        for at in range(draw(st.integers(0, 9)))
    ]
    return TuningLog(drawn, tuple(steps))


@settings(max_examples=300, deadline=None)
@given(logs())
def test_no_proposal_crosses_a_limit_or_reaches_a_failure(found: TuningLog) -> None:
    told: Tuning = tuning_of(found)
    proposed = told.next
    if proposed.setting is None or proposed.value is None:
        assert proposed.setting is None
        assert proposed.value is None
        return
    setting = found.settings[proposed.setting]
    assert not setting.crosses(proposed.value)
    last = found.steps[-1]
    tried = replace(last, id="next", set={**last.set, proposed.setting: proposed.value})
    walls = [one for one in found.unstable(last.sample) if found.reaches(last, one, but=proposed.setting)]
    way = setting.way_of(found.value(last, proposed.setting))
    for wall in walls:
        value = found.value(wall, proposed.setting)
        if setting.harder is not None or way * (value - setting.stock) >= 0:
            assert way * (value - proposed.value) > 0, "at or past a failure"
    if not found.beyond_a_failure(last) and last.stability != CRASHED:
        assert not found.beyond_a_failure(tried)
    if setting.kind == "voltage":
        assert (setting.limit_high if way > 0 else setting.limit_low) is not None


@settings(max_examples=60, deadline=None)
@given(
    st.floats(0.3, 120), st.sampled_from([1.0, 2.5, 5.0]), st.integers(1, 12), st.sampled_from([None, 60.0, 100.0]),
    st.sampled_from([1, -1]),
)  # fmt: skip
def test_followed_from_the_first_increment_it_ends_at_the_edge_or_the_limit(
    edge: float, resolution: float, first: int, limit: float | None, way: int
) -> None:
    ends = (None if limit is None else way * limit, None)[::way]
    setting = Setting("u", 0.0, resolution, ends[1], ends[0], "clock")
    value = way * min(first * resolution, limit or math.inf)
    steps: list[Step] = []
    for _ in range(400):
        steps.append(at(value, HELD if way * value < edge else CRASHED, name=str(len(steps))))
        proposed = next_of(log(*steps, offset=setting))
        if proposed.value is None:
            break
        value = proposed.value
    best = max([0.0, *(way * one.set["offset"] for one in steps if one.stability == HELD)])
    assert min(edge, math.inf if limit is None else limit) - best <= 2 * resolution


# --- its door ---------------------------------------------------------------------------------------------

FILE: dict[str, Any] = {
    "settings": {"offset": {"unit": "mV", "stock": 0, "resolution": 5, "limit_low": -150, "kind": "voltage"}},
    "steps": [
        {"id": "stock", "set": {}, "passes": [{"fps": 100, "w": 300}, {"fps": 101, "w": 302}],
         "stability": [{"program": "long run", "minutes": 90, "outcome": "passed"}]},
        {"id": "deep", "set": {"offset": -80}, "read_back": {"offset": -80}, "sample": "",
         "stability": [{"program": "a game", "minutes": 4, "outcome": "crashed"}]},
    ],
}  # fmt: skip


def test_it_is_told_on_the_command_line(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    name, bad = tmp_path / "log.json", tmp_path / "bad.json"
    name.write_text(json.dumps(FILE))
    bad.write_text(json.dumps({"settings": {}, "steps": [], "more": 1}))
    assert main(["tuning", str(name), "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert list(told) == ["steps", "knee", "equal_power", "next"]
    assert told["next"] == {"setting": "offset", "value": -40.0, "why": "half_way"}
    assert [one["state"] for one in told["steps"]] == ["proven", "unstable"]
    assert main(["tuning", str(bad), str(name), "--json"]) == 2
    out, err = capsys.readouterr()
    assert json.loads(out)["file"] == str(name)
    assert "more is not known here" in err
    assert main(["tuning", str(name)]) == 0
    assert "Next: offset -40 mV (half way to what failed)." in capsys.readouterr().out


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"steps": [{"id": "a", "set": {"fan": 1}}]}, "set"),
        ({"steps": [{"id": "a", "set": {"offset": "5"}}]}, "set"),
        ({"steps": [{"id": "a", "set": {"offset": math.nan}}]}, "set"),
        ({"steps": [{"id": "a", "set": {}}, {"id": "a", "set": {}}]}, "id"),
        ({"steps": [{"id": "a", "set": {}, "passes": [{"fps": 0}]}]}, "fps"),
        ({"steps": [{"set": {}}]}, "id"),
        ({"steps": [{"id": "a", "set": {}, "stability": [{"program": "p", "minutes": 1, "outcome": "fine"}]}]},
         "outcome"),
        ({"settings": {"offset": {"unit": "mV", "stock": 0, "resolution": 0}}}, "resolution"),
        ({"settings": {"offset": {"unit": "mV", "stock": 0, "resolution": 1, "limit_low": 2, "limit_high": 1}}},
         "limit_low"),
        ({"settings": {"offset": {"unit": "mV", "stock": 0, "resolution": 1, "harder": "left"}}}, "harder"),
        ({"rival": {"passes": [{"fps": 1}]}}, "w"),
        ({"steps": {}}, "steps"),
        ({"stability_min": True}, "stability_min"),
    ],
)  # fmt: skip
def test_what_is_no_log_is_refused_by_field(change: dict[str, Any], field: str) -> None:
    with pytest.raises(RennbahnError) as refused:
        log_from_json(FILE | change)

    assert refused.value.field == field


# --- words ------------------------------------------------------------------------------------------------


def told(of: TuningLog, part: str = "Finch 5") -> str:
    return " ".join(sentences_of(of, tuning_of(of), part, "Heron 7"))


def test_sentences_are_true_of_logs_that_have_hardly_begun() -> None:
    assert told(log()) == "Nothing was set on Finch 5 yet."
    assert told(log(at(-20, ()))) == "Nothing that was set on Finch 5 is proven stable yet."
    failed = told(log(at(-20, CRASHED, name="1")))
    assert failed.endswith("Failed: offset -20 mV crashed after 3 minutes of long run (step 1).")


def test_what_is_proven_is_the_farthest_short_of_a_failure() -> None:
    steps = [at(-20, name="1"), at(-40, name="2"), at(-60, CRASHED, name="3"), at(-70, name="4")]
    assert told(log(*steps)).startswith(
        "Finch 5 is proven stable at offset -40 mV (step 2: 60 minutes in 1 program). Failed: offset -60 mV crashed"
    )


def test_a_limit_that_was_crossed_is_said() -> None:
    crossed = at(-210, (), name="2")
    assert "Step 2 went past the maker's stated limit of offset." in told(log(at(-200, name="1"), crossed))


def test_what_the_last_watts_bought_is_said_with_its_interval() -> None:
    passes = {
        watts: tuple(Quick(rate + d, watts + d) for d in (-0.5, 0.0, 0.5))
        for watts, rate in ((100.0, 60.0), (130.0, 63.0))
    }
    steps = [at(-5 * i, name=str(i), passes=own) for i, own in enumerate(passes.values(), start=1)]
    found = last_watts_of(log(*steps))
    assert found is not None
    v = sum(np.var(np.log([one.fps for one in own]), ddof=1) for own in passes.values()) / 2
    reach = stats.t.ppf(0.975, 4) * math.sqrt(v * (60.0**2 + 63.0**2) / 3)
    assert (found.more_w, found.more_fps) == (30.0, 3.0)
    assert (found.low, found.high) == pytest.approx((3.0 - reach, 3.0 + reach))
    assert "the last 30 W bring 3.0 fps" in told(log(*steps))
    assert last_watts_of(log(steps[0])) is None


def test_samples_of_one_part_lie_apart_by_a_spread_with_its_interval() -> None:
    rates = {"A": 60.0, "B": 61.2, "C": 59.1}
    steps = [at(-20, name=name, sample=name, passes=(Quick(rate),)) for name, rate in rates.items()]
    two = samples_of(log(*steps[:2]))
    assert two is not None
    assert (two.low, samples_words(two, "Finch 5").endswith("two samples tell of no spread.")) == (None, True)
    found = samples_of(log(*steps))
    assert found is not None
    sd = np.std(np.log(list(rates.values())), ddof=1)
    ends = [sd * math.sqrt(2 / stats.chi2.ppf(share, 2)) for share in (0.975, 0.025)]
    assert (found.sd, found.low, found.high) == pytest.approx((sd, *ends))
    one = samples_of(log(steps[0]))
    assert one is not None
    assert samples_words(one, "Finch 5") == "One sample of Finch 5 was tried: one sample is one sample."
    assert samples_of(log(at(-20))) is None
    apart = samples_of(log(steps[0], at(-35, name="x", sample="C", passes=(Quick(80),))))
    assert apart is not None
    assert samples_words(apart, "Finch 5").startswith("2 samples of Finch 5 were tried, but no two of them")


def test_a_log_says_what_its_sentences_stand_on() -> None:
    rows = [(150, 88), (130, 86), (110, 82), (100, 74), (90, 66)]
    steps = [
        at(-w, passes=(Quick(f, w), Quick(f * 1.002, w + 0.2)), name=str(n)) for n, (w, f) in enumerate(rows, start=1)
    ]
    asked = log(*steps, rival=Rival((Quick(80, 105), Quick(80.2, 105))))
    told = why_of(asked, tuning_of(asked))
    assert "6 degrees of freedom" in told[1]
    assert told[2].startswith("The last watts: step 1 (88.1 fps at 150.1 W, 2 passes) less step 2 (86.1 fps")
    assert "meet at 110 W" in told[3]
    assert "between step 4 (74.1 fps at 100.1 W, 2 passes) and step 3 (" in told[4]
    bare = log(at(-25))
    assert "No step has two passes" in why_of(bare, tuning_of(bare))[1]
