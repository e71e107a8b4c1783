"""Latency: the camera's rate, devices, pairs and readers, by hand and by another computation; rates by simulation."""

from __future__ import annotations

import json
import math
import statistics
from collections.abc import Sequence
from dataclasses import replace
from itertools import combinations
from pathlib import Path
from typing import Any

import comparing_oracle as oracle
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from rennbahn.cli import main
from rennbahn.errors import RennbahnError
from rennbahn.latency import (
    Clip,
    Device,
    LatencyStudy,
    Press,
    Rate,
    Reading,
    clip_words,
    latency_of,
    rate_of,
    seconds_for_ok,
    sentences_of,
    study_from_json,
    uneven_times,
)
from scipy.stats import t as student
from trials.latency import trial


def read(true_fps: float, *seconds: float, late: Sequence[float] = ()) -> tuple[Reading, ...]:
    """Readings at these moments of a clip of that rate, each shown late by so much."""
    lates = late or [0.0] * len(seconds)
    return tuple(
        Reading(round(at * true_fps), round(at * true_fps) / true_fps - gone)
        for at, gone in zip(seconds, lates, strict=True)
    )


def clip(true_fps: float = 240.0, nominal: float = 240.0, **more: Any) -> Clip:
    return Clip("c", nominal, **({"readings": read(true_fps, 0, 10)} | more))


# --- the camera's rate ------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("one", "verdict", "factor", "withheld"),
    [
        (clip(240), "ok", None, False),
        (clip(241), "ok", None, False),
        (clip(120), "re_encoded", 1 / 2, True),
        (clip(80), "re_encoded", 1 / 3, True),
        (clip(60), "re_encoded", 1 / 4, True),
        (clip(30), "re_encoded", 1 / 8, True),
        (clip(200), "suspect", None, True),
        (clip(480), "suspect", None, True),
        (clip(240, readings=read(240, 0, 1)), "unclear", None, True),
        (clip(240, readings=read(240, 0, 0.02)), "unclear", None, True),
        (clip(240, readings=(Reading(0, 5.0), Reading(900, 4.0))), "unclear", None, True),
        (clip(240, readings=read(240, 0)), "unchecked", None, False),
        (clip(240, readings=()), "unchecked", None, False),
        (clip(240, readings=(), file_uneven=True), "uneven", None, True),
        (clip(240, file_uneven=True), "uneven", None, True),
        (clip(240, readings=(*read(240, 0, 10), Reading(1200, 5.2))), "uneven", None, True),
        (clip(120, declared_fps=120.0, why="filmed so"), "re_encoded", 1 / 2, False),
    ],
)
def test_a_clip_is_what_its_stopwatch_says(one: Clip, verdict: str, factor: float | None, withheld: bool) -> None:
    found = rate_of(one)
    assert (found.verdict, found.factor, found.withheld) == (verdict, factor, withheld)


def test_bounds_are_those_of_the_first_and_the_last_reading() -> None:
    found = rate_of(clip(240, readings=(Reading(2400, 11.0), Reading(1500, 7.1), Reading(0, 1.0))))
    assert (found.fps, found.low, found.high) == (240.0, 2399 / 10.027, 2401 / 9.973)
    assert found.u == pytest.approx(0.027 / 10 / math.sqrt(6))
    declared = rate_of(clip(240, declared_fps=239.0, why="timed by hand"))
    assert (declared.fps, declared.u, declared.low) == (239.0, 0.0, found.low)


@pytest.mark.parametrize("fps", [120.0, 240.0, 480.0])
def test_so_far_apart_every_true_clip_is_ok_and_a_little_nearer_not(fps: float) -> None:
    enough = seconds_for_ok(fps, 0.027)
    assert enough < 7
    for late in ((0.0, 0.027), (0.027, 0.0), (0.0, 0.0)):
        assert rate_of(clip(fps, fps, readings=read(fps, 0, enough + 0.02, late=late))).verdict == "ok"
    assert rate_of(clip(fps, fps, readings=read(fps, 0, enough - 0.2, late=(0.0, 0.027)))).verdict == "unclear"


def test_timestamps_of_a_file_are_held_against_each_other() -> None:
    even = np.arange(1000) / 240
    assert not uneven_times(even.tolist())
    assert not uneven_times((even + np.where(np.arange(1000) == 500, 0.003, 0)).tolist()), "one frame in a thousand"
    assert uneven_times(np.cumsum(np.where(np.arange(1000) % 40, 1, 2) / 240).tolist()), "one of forty is doubled"
    assert not uneven_times([0.0, 1.0])


# --- devices ----------------------------------------------------------------------------------------------


def presses(device: str, frames: Sequence[int], of: str = "c", reader: str = "one", first: int = 0) -> list[Press]:
    return [Press(device, of, first + n, reader, 100, 100 + many) for n, many in enumerate(frames)]


def study(*marks: Press, clips: Sequence[Clip] = (), **more: Any) -> LatencyStudy:
    names = dict.fromkeys(one.device for one in marks)
    devices = tuple(Device(one, one.upper(), 120.0) for one in names)
    return LatencyStudy(tuple(clips) or (clip(),), devices, tuple(marks), **more)


def test_a_device_is_what_one_computes_by_hand() -> None:
    frames = [10, 11, 9, 12, 10, 8]
    (found,) = latency_of(study(*presses("a", frames))).devices
    ms = [one * 1000 / 240 for one in frames]
    u = 0.027 / 10 / math.sqrt(6)
    error = math.sqrt(statistics.variance(ms) / 6 + (statistics.fmean(ms) * u) ** 2)
    assert found.mean_ms == pytest.approx(statistics.fmean(ms))
    assert (found.median_ms, found.sd_ms) == pytest.approx((statistics.median(ms), statistics.stdev(ms)))
    assert found.high == pytest.approx(statistics.fmean(ms) + student.ppf(0.975, 5) * error)
    assert found.display_ms is not None
    assert found.display_ms.mean == pytest.approx(1000 / 240)
    wanted = next(
        n for n in range(2, 1000) if student.ppf(0.975, n - 1) * math.sqrt(statistics.variance(ms) / n) <= 1000 / 240
    )
    assert found.presses_needed == wanted


def test_presses_that_never_scatter_scatter_by_whole_frames() -> None:
    (found,) = latency_of(study(*presses("a", [10] * 5))).devices
    least = (1000 / 240) ** 2 / 6
    assert found.high is not None
    assert found.mean_ms is not None
    assert found.high - found.mean_ms > student.ppf(0.975, 4) * math.sqrt(least / 5) * 0.999


def test_one_press_is_no_interval_and_withheld_clips_are_no_number() -> None:
    (alone,) = latency_of(study(*presses("a", [10]))).devices
    assert (alone.n, alone.low, alone.sd_ms) == (1, None, None)
    found = latency_of(study(*presses("a", [10, 11, 12]), clips=[clip(120)]))
    assert (found.devices[0].n, found.devices[0].mean_ms, found.devices[0].ranks) == (0, None, None)


def by_hand(asked: LatencyStudy) -> dict[str, Any]:
    """The same, computed otherwise: plain loops, and pools as of the oracle of studies."""
    rates = {one.id: rate_of(one) for one in asked.clips}
    first = asked.presses[0].reader
    counted: dict[tuple[str, int], Press] = {}
    for mine in (True, False):
        for one in asked.presses:
            if (one.reader == first) is mine:
                counted.setdefault((one.clip, one.number), one)
    ms: dict[str, list[tuple[str, float]]] = {one.id: [] for one in asked.devices}
    for one in counted.values():
        if not rates[one.clip].withheld:
            took = round((one.answer_frame - one.press_frame) / rates[one.clip].fps * 1000, 9)
            ms[one.device].append((one.clip, took))
    seen = {name for own in ms.values() for name, _ in own}
    equal = max([1.0, *(1000 / rates[name].fps for name in seen)])
    freedom = {name: max(len(own) - 1, 0) for name, own in ms.items()}
    squares = {
        name: sum((x - statistics.fmean(y for _, y in own)) ** 2 for _, x in own) if own else 0.0
        for name, own in ms.items()
    }
    found: dict[str, Any] = {"devices": {}, "pairs": {}, "equal": equal}
    pools = {}
    for name, own in ms.items():
        if not own:
            continue
        pool = oracle.pool_of(name, freedom, squares)
        least = statistics.fmean((1000 / rates[of].fps) ** 2 / 6 for of, _ in own)
        v = max(pool.v or 0.0, least)
        pools[name] = v, pool.df, pool.name
        share = {of: sum(x for c, x in own if c == of) / len(own) for of, _ in own}
        mean = statistics.fmean(x for _, x in own)
        part = sum((m * rates[of].u) ** 2 for of, m in share.items())
        reach = student.ppf(0.975, pool.df) * math.sqrt(v / len(own) + part) if pool.df >= 1 else None
        found["devices"][name] = mean, reach, share, len(own)
    beside = {}
    for a, b in combinations(found["devices"], 2):
        (mean_a, _, share_a, n_a), (mean_b, _, share_b, n_b) = found["devices"][a], found["devices"][b]
        (v_a, df_a, pool_a), (v_b, df_b, pool_b) = pools[a], pools[b]
        if df_a < 1 or df_b < 1:
            continue
        part = sum(((share_b.get(c, 0) - share_a.get(c, 0)) * rates[c].u) ** 2 for c in {*share_a, *share_b})
        x, y = v_a / n_a, v_b / n_b
        df = df_a if pool_a == pool_b == "study" else (x + y) ** 2 / (x**2 / df_a + y**2 / df_b)
        beside[a, b] = mean_b - mean_a, math.sqrt(x + y + part), df
    for pair, (gap, se, df) in beside.items():
        together = student.ppf(1 - 0.025 / len(beside), df) * se
        low, high = gap - together, gap + together
        said = "quicker" if high < 0 else "slower" if low > 0 else "open"
        found["pairs"][pair] = low, high, "even" if -equal <= low and high <= equal else said
    return found


@settings(max_examples=60, deadline=None)
@given(st.data())
def test_all_of_it_is_what_another_computation_says(data: st.DataObject) -> None:
    rng = np.random.default_rng(data.draw(st.integers(0, 2**32)))
    clips = [
        Clip(str(n), 240.0, read(240.0 * float(rng.choice([1.0, 1.002, 0.5])), 0, float(rng.uniform(6, 20))))
        for n in range(4)
    ]
    marks: list[Press] = []
    for device in range(data.draw(st.integers(2, 7))):
        for n in range(int(rng.integers(1, 9))):
            took = int(rng.poisson(8 + device))
            for reader in ("one", "two"):
                if reader == "one" or rng.random() < 0.4:
                    frames = took + (int(rng.integers(-1, 2)) if reader == "two" else 0)
                    marks.append(
                        Press(str(device), str(rng.integers(4)), 100 * device + n, reader, 5, 5 + max(frames, 0))
                    )
    # A press is of one clip, whoever read it.
    first = {one.number: one.clip for one in reversed(marks)}
    marks = [replace(one, clip=first[one.number]) for one in marks]
    asked = study(*marks, clips=clips)
    found, other = latency_of(asked), by_hand(asked)
    assert found.equal_ms == pytest.approx(other["equal"])
    for one in found.devices:
        if one.n:
            mean, reach, _, n = other["devices"][one.device]
            assert (one.mean_ms, one.n) == (pytest.approx(mean), n)
            assert one.high == (None if reach is None else pytest.approx(mean + reach))
    verdicts = {(one.a, one.b): one for one in found.pairs if one.low is not None}
    assert set(verdicts) == set(other["pairs"])
    for pair, (low, high, verdict) in other["pairs"].items():
        assert (verdicts[pair].low_all, verdicts[pair].high_all) == (pytest.approx(low), pytest.approx(high))
        assert verdicts[pair].verdict == verdict
    for one in found.devices:
        if one.n:
            told = [(v.verdict, pair) for pair, v in verdicts.items() if one.device in pair]
            better = sum(v == ("slower" if pair[1] == one.device else "quicker") for v, pair in told)
            worse = sum(v == ("quicker" if pair[1] == one.device else "slower") for v, pair in told)
            among = sum(bool(x.n) for x in found.devices)
            assert one.ranks == (1 + better, among - worse)


def test_devices_of_unlike_program_have_no_verdict_and_their_own_ranks_unless_a_reason_is_given() -> None:
    asked = study(*presses("a", [10, 11, 10, 9]), *presses("b", [30, 31, 30, 29], first=10))
    a, b = asked.devices
    other = replace(asked, devices=(a, replace(b, program="another")))
    found = latency_of(other)
    assert (found.pairs[0].verdict, [one.ranks for one in found.devices]) == ("not_comparable", [(1, 1), (1, 1)])
    reasoned = replace(other, comparable="the same picture")
    allowed = latency_of(reasoned)
    assert (allowed.pairs[0].verdict, [one.ranks for one in allowed.devices]) == ("slower", [(1, 1), (2, 2)])
    assert any(
        "the same picture" in one for one in sentences_of(replace(other, comparable="the same picture"), allowed)
    )


def test_a_rate_that_two_devices_share_hardly_counts_between_them() -> None:
    wide = clip(240, readings=read(240, 0, 7))
    asked = study(*presses("a", [20, 21] * 20), *presses("b", [22, 23] * 20, first=100), clips=[wide])
    (pair,), (one, _) = latency_of(asked).pairs, latency_of(asked).devices
    assert one.low is not None
    assert one.mean_ms is not None
    assert pair.low is not None
    assert pair.difference_ms is not None
    apart = replace(wide, id="d")
    b_apart = [replace(x, clip="d") for x in asked.presses if x.device == "b"]
    elsewhere = latency_of(study(*presses("a", [20, 21] * 20), *b_apart, clips=[wide, apart])).pairs[0]
    assert elsewhere.low is not None
    assert elsewhere.low < pair.low


def test_more_presses_are_asked_for_while_a_pair_is_open() -> None:
    asked = study(*presses("a", [8, 14, 10, 12]), *presses("b", [11, 15, 9, 14], first=10), equal_ms=2.0)
    (pair,) = latency_of(asked).pairs
    assert pair.verdict == "open"
    assert pair.presses_needed is not None
    assert 4 < pair.presses_needed < 1000
    assert "would most likely tell" in sentences_of(asked, latency_of(asked))[0]


def test_a_further_reader_is_the_reading_error_and_changes_no_figure() -> None:
    first = presses("a", [10, 11, 9, 12])
    second = presses("a", [11, 11, 10, 12], reader="two")
    found = latency_of(study(*first, *second))
    (error,) = found.readers
    d = [1000 / 240, 0.0, 1000 / 240, 0.0]
    assert (error.presses, error.bias_ms) == (4, pytest.approx(statistics.fmean(d)))
    assert error.reading_sd_ms == pytest.approx(statistics.stdev(d) / math.sqrt(2))
    assert found.devices == latency_of(study(*first)).devices
    # A press that the first did not count is the other's.
    more = latency_of(study(*first, *second, Press("a", "c", 99, "two", 0, 30)))
    assert (more.devices[0].n, more.readers[0].presses) == (5, 4)
    assert latency_of(study(*first, second[0])).readers[0].bias_ms is None


# --- words ------------------------------------------------------------------------------------------------


def test_sentences_say_what_is_not_told_and_of_what() -> None:
    half, fine = replace(clip(120), id="half"), replace(clip(240, readings=()), id="fine")
    asked = study(*presses("a", [10, 11, 12], "fine"), *presses("b", [5, 6], "half", first=9), clips=[half, fine])
    told = sentences_of(asked, latency_of(asked))
    assert told[0].startswith("A answers in ")
    assert "3 presses" in told[0]
    assert any("No number of clip half is told: it plays at half of the 240 fps" in one for one in told)
    assert any("The rate of clip fine is unchecked" in one for one in told)
    nothing = study(*presses("b", [5, 6], "half"), clips=[half])
    assert sentences_of(nothing, latency_of(nothing))[0] == "No press counts yet."


def test_who_answers_first_is_claimed_of_many_only_where_it_is_shown() -> None:
    rows = [
        *presses("a", [10, 11] * 10),
        *presses("b", [30, 31] * 10, first=50),
        *presses("c", [31, 30] * 10, first=90),
    ]
    told = sentences_of(study(*rows), latency_of(study(*rows)))
    assert told[0].startswith("A answers first of 3 devices")
    open_rows = [*presses("a", [10, 14]), *presses("b", [11, 16], first=50), *presses("c", [12, 13], first=90)]
    first = sentences_of(study(*open_rows), latency_of(study(*open_rows)))[0]
    assert first == "Which of 3 devices answers first is not shown: A, C and B may."


def test_it_is_told_on_the_command_line(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    data = {
        "clips": [{"id": "c", "nominal_fps": 240, "readings": [[0, 0.0], [2400, 10.0]]}],
        "devices": [{"id": "a", "name": "Cable", "refresh_hz": 120}, {"id": "b", "name": "Radio"}],
        "presses": [
            {"device": of, "clip": "c", "number": at + n, "reader": "m", "press_frame": 9, "answer_frame": 9 + many}
            for of, at, many in (("a", 0, 10), ("b", 10, 20))
            for n in range(4)
        ],
    }
    path = tmp_path / "study.json"
    path.write_text(json.dumps(data))
    assert main(["latency", "--json", str(path)]) == 0
    told = json.loads(capsys.readouterr().out)
    assert set(told) == {"clips", "devices", "pairs", "readers"}
    assert set(told["clips"][0]) == {"clip", "fps", "low", "high", "verdict", "factor", "withheld"}
    assert told["pairs"][0]["verdict"] == "slower"
    assert told["devices"][0]["display_ms"] == {"low": 0.0, "mean": 500 / 120, "high": 1000 / 120}
    assert main(["latency", str(path)]) == 0
    assert "Radio against Cable, 4 and 4 presses: slower by 41.7 ms (95% interval" in capsys.readouterr().out


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"devices": []}, "press 1 names the device a"),
        ({"clips": [{"id": "c", "nominal_fps": 0}]}, "clip c: nominal_fps must be above 0"),
        ({"clips": [{"id": "c", "nominal_fps": 240, "declared_fps": 120}]}, "needs its reason"),
        ({"clips": [{"id": "c", "nominal_fps": 240, "readings": [[1, 2], [1, 3]]}]}, "frame 1 is read twice"),
        ({"clips": [{"id": "c", "nominal_fps": 240, "readings": [[1]]}]}, "a reading is a frame and what the clock"),
        ({"settings": {"equal": 3}}, "the key equal is not known"),
        ({"press": {"answer_frame": 2}}, "lies before the press"),
        ({"press": {"number": 1.5}}, "number must be whole"),
        ({"twice": {}}, "counts press 1 of clip c twice"),
        ({"twice": {"reader": "n", "device": "b"}}, "is of another device before"),
    ],
)
def test_what_is_no_study_is_refused_by_name(change: dict[str, Any], says: str) -> None:
    press = {"device": "a", "clip": "c", "number": 1, "reader": "m", "press_frame": 9, "answer_frame": 19}
    data: dict[str, Any] = {
        "clips": [{"id": "c", "nominal_fps": 240}],
        "devices": [{"id": "a", "name": "A"}, {"id": "b", "name": "B"}],
        "presses": [press | change.get("press", {}), *([press | change["twice"]] if "twice" in change else [])],
    } | {key: one for key, one in change.items() if key not in ("press", "twice")}
    with pytest.raises(RennbahnError, match=says):
        study_from_json(data)


def test_rates_under_simulation() -> None:
    """Small and seeded; docs/measures.md has the rates of more."""
    found = {one.name: one.found for one in trial(120, seed=4)}
    assert found["the interval of a device holds its mean"] >= 0.91
    assert found["the interval of a difference holds it"] >= 0.92
    assert found["a study has a wrong order somewhere"] <= 0.06
    assert found["a study calls two even that are further apart"] <= 0.06
    assert found["a clip at a half, a third or a quarter is taken as ok"] == 0
    assert found["a clip that is off by 2 to 10% is taken as ok"] == 0
    assert found["a true clip from 120 fps on, read over 7 s and more, is withheld"] <= 0.01


def test_every_verdict_of_a_rate_has_words() -> None:
    for verdict in ("ok", "re_encoded", "unclear", "suspect", "uneven", "unchecked"):
        rate = Rate("c", 120.0, 119.0, 121.0, verdict, 0.5 if verdict == "re_encoded" else None, False, 0.0)
        assert clip_words(rate, clip()).startswith("its ") or clip_words(rate, clip()).startswith("it ")
