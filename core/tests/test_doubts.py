"""Checks of passes: each fault is doubted by its check, with its evidence; good passes are left in peace."""

from __future__ import annotations

import json
import math
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from rennbahn.checks import CHECKS, Profile, context_from_json, doubts_of, profile_of
from rennbahn.checks.settling import is_doubted
from rennbahn.checks.words import verdict_line
from rennbahn.cli import main
from rennbahn.errors import RennbahnError
from rennbahn.simulation import Rig, Scene, Upset, run_pass, write_log
from rennbahn.simulation.sitting import LOGGER
from trials.doubts import GENERATORS, trial

SCENE = Scene(5.0, 9.0, seconds=30.0, between=0.002)
COLUMNS: dict[str, Any] = {
    "format": "delimited",
    "delimiter": ",",
    "map": [
        {"column": "frame_time_ms", "channel": "frame_time", "unit": "ms"},
        {"column": "gpu_temp_c", "channel": "gpu_temp_c", "unit": "C"},
        {"column": "gpu_clock_mhz", "channel": "gpu_clock_mhz", "unit": "MHz"},
    ],
}


class Desk:
    """A folder with captures and a context beside them."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.data: dict[str, Any] = {
            "settings": {"target_hz": 60, "low_school": "percentile", "known_caps": []},
            "scenes": [{"id": "s", "game": "Moss Republic", "name": "square", "kind": "route", "length_s": 30}],
            "tests": [{"id": "t", "scene": "s", "conditions": "1440 high"}],
            "lanes": [{"id": "a", "name": "plain fins"}, {"id": "b", "name": "tall fins"}],
            "passes": [],
        }

    def add(
        self, lane: str, number: int, upset: Upset | None = None, *, speed: float = 1.0, test: str = "t",
        log: Callable[[bytes], bytes] = bytes, **told: Any,
    ) -> str:  # fmt: skip
        """A pass with its capture; its id."""
        seed = [ord(lane), number, sum(map(ord, test))]
        run = run_pass(SCENE, Rig(gpu_speed=speed, cpu_speed=speed), np.random.default_rng(seed), upset)
        name = f"{lane}-{test}-{number}"
        (self.folder / f"{name}.csv").write_bytes(log(write_log(run, LOGGER)))
        one = {"id": name, "lane": lane, "test": test, "number": number, "file": f"{name}.csv", "columns": COLUMNS}
        self.data["passes"].append(one | told)
        return name

    def fill(self) -> None:
        """Three good passes in both lanes."""
        for lane, speed in (("a", 1.0), ("b", 1.05)):
            for number in (1, 2, 3):
                self.add(lane, number, speed=speed)

    def doubts(self, capsys: pytest.CaptureFixture[str]) -> list[dict[str, Any]]:
        """What the command line doubts."""
        (self.folder / "context.json").write_text(json.dumps(self.data))
        assert main(["doubts", str(self.folder / "context.json"), "--json"]) == 0
        found: list[dict[str, Any]] = json.loads(capsys.readouterr().out)["doubts"]
        return found


@pytest.fixture
def desk(tmp_path: Path) -> Desk:
    return Desk(tmp_path)


def checks_on(found: list[dict[str, Any]], one: str) -> set[str]:
    return {doubt["check"] for doubt in found if doubt["pass"] == one}


def test_good_passes_are_left_in_peace(desk: Desk, capsys: pytest.CaptureFixture[str]) -> None:
    desk.fill()
    assert desk.doubts(capsys) == []
    assert main(["doubts", str(desk.folder / "context.json")]) == 0
    assert capsys.readouterr().out == "No doubt about any of 6 passes.\n"


@pytest.mark.parametrize(
    ("check", "upset"),
    [
        ("pause", Upset(pause_at_s=14.0, pause_ms=1700.0)),
        ("loading", Upset(loading_s=4.0)),
        ("throttling", Upset(throttle_from=0.45, throttle_by=0.09)),
        ("stutter_unlike", Upset(hiccups=12)),
        ("lock", Upset(lock_fps=60.0)),
        ("off_siblings", Upset(slower=0.06)),
        ("wrong_length", Upset(ends_at=0.6)),
        ("too_short", Upset(ends_at=0.1)),
    ],
)
def test_a_fault_in_a_capture_is_doubted(
    desk: Desk, capsys: pytest.CaptureFixture[str], check: str, upset: Upset
) -> None:
    desk.fill()
    bad = desk.add("a", 4, upset)
    found = desk.doubts(capsys)
    assert check in checks_on(found, bad)
    assert {doubt["pass"] for doubt in found} == {bad}
    doubt = next(doubt for doubt in found if doubt["check"] == check)
    assert list(doubt) == ["check", "pass", "lane", "test", "weak", "words", "evidence", "window"]
    assert doubt["words"].endswith(".")
    assert doubt["evidence"]
    for value in doubt["evidence"].values():
        for told in value if isinstance(value, list) else [value]:
            assert isinstance(told, (int, float, str)), "numbers or names"
            assert not isinstance(told, (bool, str)) or (isinstance(told, str) and len(told.split()) <= 3), told
    if check == "loading":
        assert doubt["window"][0] == pytest.approx(4.0, abs=0.6)


def test_words_say_what_how_much_and_what_to_do(desk: Desk, capsys: pytest.CaptureFixture[str]) -> None:
    desk.fill()
    desk.add("a", 4, Upset(slower=0.06))
    (doubt,) = desk.doubts(capsys)
    assert doubt["words"].startswith("Its average is 6.")
    assert "under the other 3 passes; noise is 0." in doubt["words"]
    assert doubt["evidence"]["off"] == pytest.approx(-0.06, abs=0.01)
    main(["doubts", str(desk.folder / "context.json")])
    text = capsys.readouterr().out
    assert "1 of 7 passes deserve another look." in text
    assert "plain fins · Moss Republic, square (1440 high) · a-t-4 (pass 4) · off_siblings" in text


def test_a_torn_last_line_is_doubted_and_not_refused(desk: Desk, capsys: pytest.CaptureFixture[str]) -> None:
    desk.fill()
    bad = desk.add("b", 4, speed=1.05, log=lambda log: log[: int(0.6 * len(log))].rstrip(b"\n") + b",9")
    found = desk.doubts(capsys)
    assert "cut_log" in checks_on(found, bad)
    words = next(doubt["words"] for doubt in found if doubt["check"] == "cut_log")
    assert "last line of the file is broken" in words


def test_every_second_frame_is_missed(desk: Desk, capsys: pytest.CaptureFixture[str]) -> None:
    def half(log: bytes) -> bytes:
        head, *rows = log.decode().splitlines()
        kept = [
            f"{float(a.split(',')[0]) + float(b.split(',')[0]):.4f},0,0,60,2100"
            for a, b in zip(rows[::2], rows[1::2], strict=False)
        ]
        return "\n".join([head, *kept, ""]).encode()

    desk.fill()
    bad = desk.add("a", 4, log=half)
    assert "cut_log" in checks_on(desk.doubts(capsys), bad)


def test_a_limit_set_on_purpose_is_no_doubt(desk: Desk, capsys: pytest.CaptureFixture[str]) -> None:
    for lane in "ab":
        for number in (1, 2, 3):
            desk.add(lane, number, Upset(lock_fps=90.0))
    assert {doubt["check"] for doubt in desk.doubts(capsys)} == {"lock"}
    desk.data["settings"]["known_caps"] = [{"name": "frame limit", "fps": 90}]
    assert desk.doubts(capsys) == []
    desk.data["settings"]["known_caps"] = [{"name": "panel", "fps": 90, "refresh": True}]
    found = desk.doubts(capsys)
    assert len(found) == 6
    assert "the rate of “panel”" in found[0]["words"]


def test_the_first_pass_after_loading_is_a_warm_up(desk: Desk, capsys: pytest.CaptureFixture[str]) -> None:
    desk.add("a", 1, Upset(cold_start_s=9.0), after_load=True)
    for number in (2, 3):
        desk.add("a", number)
    for number in (1, 2, 3):
        desk.add("b", number, speed=1.05, after_load=number == 1)
    found = desk.doubts(capsys)
    assert "slow_first" in checks_on(found, "a-t-1")
    assert checks_on(found, "b-t-1") == set()


def test_what_was_written_down_is_held_against_what_was_meant(desk: Desk, capsys: pytest.CaptureFixture[str]) -> None:
    desk.fill()
    backs: list[Any] = [
        {"setting": "Power limit", "wanted": "160 W", "seen": "0.16 kW"},
        {"setting": "Power limit", "wanted": "160 W", "seen": None},
        {"setting": "Power limit", "wanted": "160 W", "seen": "180 W"},
    ]
    for one, back in zip(desk.data["passes"], backs, strict=False):
        one["read_back"] = back
    desk.data["passes"][3]["expected_channels"] = ["gpu_temp_c", "gpu_power_w"]
    found = desk.doubts(capsys)
    assert [(doubt["check"], doubt["pass"]) for doubt in found] == [
        ("read_back", "a-t-2"), ("read_back", "a-t-3"), ("missing_channel", "b-t-1"),
    ]  # fmt: skip
    assert found[2]["evidence"]["missing"] == ["gpu_power_w"]


@pytest.mark.parametrize(
    ("upset", "speed", "cause", "words"),
    [
        (Upset(slower=0.06), 1.0, "background", "Nothing tells why"),
        (None, 1.3, "lane", "it has the level of tall fins: if it was run there, move it"),
        (None, 2.0, "generated", "it runs at twice the rate: generated frames?"),
        (Upset(lock_fps=77.7), 1.0, "held", "it is held at 77."),
    ],
)
def test_what_may_be_the_matter_is_told_with_how_likely_it_is(
    desk: Desk, capsys: pytest.CaptureFixture[str], upset: Upset | None, speed: float, cause: str, words: str
) -> None:
    for number in (1, 2, 3):
        desk.add("a", number)
        desk.add("b", number, speed=1.3)
    bad = desk.add("a", 4, upset, speed=speed)
    (doubt,) = [one for one in desk.doubts(capsys) if (one["check"], one["pass"]) == ("off_siblings", bad)]
    assert words in doubt["words"]
    assert doubt["evidence"]["causes"][0] == cause
    assert sum(doubt["evidence"]["likelihoods"]) == pytest.approx(1.0, abs=0.01)


def test_a_fault_does_not_hide_a_smaller_one_beside_it(desk: Desk, capsys: pytest.CaptureFixture[str]) -> None:
    """Of three passes one is far off and one a little, as a scan in the background makes it."""
    for test in ("t", "u", "v"):
        desk.data["tests"] = [*desk.data["tests"], {"id": test, "scene": "s"}] if test != "t" else desk.data["tests"]
        for lane in "ab":
            for number in (1, 2, 3):
                far, little = lane + test == "at" and number == 3, lane + test == "at" and number == 2
                desk.add(lane, number, Upset(slower=0.2 if far else 0.05 if little else 0.0), test=test)
    found = [one for one in desk.doubts(capsys) if one["check"] == "off_siblings"]
    assert [one["pass"] for one in found] == ["a-t-3", None]
    assert found[1]["evidence"]["passes"] == ["a-t-1", "a-t-2"]
    assert found[1]["words"].startswith("The two other passes lie")


def test_the_first_since_loading_is_said_to_have_begun_cold(desk: Desk, capsys: pytest.CaptureFixture[str]) -> None:
    for number in (1, 2, 3):
        desk.add("a", number)
    bad = desk.add("a", 4, Upset(slower=0.06), after_load=True)
    (doubt,) = [one for one in desk.doubts(capsys) if (one["check"], one["pass"]) == ("off_siblings", bad)]
    assert "the first since its game was loaded: it began cold" in doubt["words"]


def test_a_wrong_first_setting_is_not_made_good_by_a_second(desk: Desk, capsys: pytest.CaptureFixture[str]) -> None:
    desk.fill()
    good = {"setting": "Sync", "wanted": "off", "seen": "off"}
    wrong = {"setting": "Power limit", "wanted": "160 W", "seen": "180 W"}
    desk.data["passes"][0]["read_back"] = [wrong, good]
    desk.data["passes"][1]["read_back"] = [good, {**wrong, "seen": None}, {**wrong, "setting": "Fan profile"}]
    desk.data["passes"][2]["read_back"] = [good]
    found = desk.doubts(capsys)
    assert [doubt["pass"] for doubt in found] == ["a-t-1", "a-t-2"]
    assert found[0]["words"].startswith("Power limit was to be 160 W and read back as 180 W")
    assert [one["setting"] for one in found[1]["evidence"]["read_backs"]] == ["Fan profile", "Power limit"]


def _sensors(watts: float, mhz: float) -> Callable[[bytes], bytes]:
    """A log whose card draws and clocks so; sensors are read as often as frames here."""

    def written(log: bytes) -> bytes:
        times = [row.split(b",")[0].decode() for row in log.splitlines()[1:]]
        wave = [1.0 + 0.01 * math.sin(number / 7.0) for number in range(len(times))]
        rows = [f"{time},{watts * up:.1f},{mhz * up:.0f}" for time, up in zip(times, wave, strict=True)]
        return "\n".join(["frame_time_ms,gpu_power_w,gpu_clock_mhz", *rows, ""]).encode()

    return written


@pytest.mark.parametrize(
    ("setting", "wanted", "seen", "watts", "mhz", "reads"),
    [
        ("Card power limit", "160 W", "160 W", 203.0, 2000.0, "203 W"),
        ("Card power limit", "160 W", "160 W", 158.0, 2000.0, None),
        ("Card power limit", "160 W", None, 158.0, 2000.0, None),
        ("Card power limit", "240 W", None, 158.0, 2000.0, ""),
        ("Card power limit", "80%", "80%", 203.0, 2000.0, None),
        ("GPU clock", "1.8 GHz", "1800 MHz", 150.0, 2100.0, "2100 MHz"),
        ("GPU clock", "2100 MHz", None, 150.0, 2100.0, None),
        ("Power limit", "160 W", "160 W", 203.0, 2000.0, None),
        ("Processor power limit", "65 W", "65 W", 203.0, 2000.0, None),
        ("Frame limit", "30 fps", "30 fps", 150.0, 2000.0, "fps on average"),
        ("Frame limit", "off", "off", 150.0, 2000.0, None),
    ],
)
def test_a_capture_reads_its_own_setting_back(
    desk: Desk, capsys: pytest.CaptureFixture[str],
    setting: str, wanted: str, seen: str | None, watts: float, mhz: float, reads: str | None,
) -> None:  # fmt: skip
    desk.fill()
    power = {"column": "gpu_power_w", "channel": "gpu_power_w", "unit": "W"}
    columns = {**COLUMNS, "map": [COLUMNS["map"][0], COLUMNS["map"][2], power]}
    bad = desk.add("a", 4, log=_sensors(watts, mhz), columns=columns)
    desk.data["passes"][-1]["read_back"] = {"setting": setting, "wanted": wanted, "seen": seen}
    found = [doubt for doubt in desk.doubts(capsys) if (doubt["check"], doubt["pass"]) == ("read_back", bad)]
    if reads is None:
        assert found == []
    else:
        (doubt,) = found
        assert reads in doubt["words"]
        assert ("the capture itself reads" if reads else f"Nobody read {setting} back") in doubt["words"]


def test_the_same_run_under_other_bytes_is_one_pass(desk: Desk, capsys: pytest.CaptureFixture[str]) -> None:
    desk.fill()

    def rounded(log: bytes) -> bytes:
        head, *rows = log.decode().splitlines()
        return "\r\n".join([head, *(f"{float(row.split(',')[0]):.2f},,,60,2100" for row in rows), ""]).encode()

    original = (desk.folder / "a-t-2.csv").read_bytes()
    copy = desk.add("a", 4, log=lambda _: rounded(original))
    (doubt,) = [one for one in desk.doubts(capsys) if one["check"] == "duplicate"]
    assert doubt["pass"] == copy
    assert doubt["evidence"]["same_as"] == "a-t-2"


@pytest.fixture
def ladder(desk: Desk) -> Desk:
    """Three lanes in four tests, each 8% faster than the one before."""
    desk.data["lanes"].append({"id": "c", "name": "water"})
    desk.data["tests"] = [{"id": f"t{n}", "scene": "s", "conditions": f"condition {n}"} for n in range(5)]
    return desk


def climb(desk: Desk, speed_of: Callable[[str, int], float]) -> None:
    for number in (1, 2, 3):
        for lane in "abc":
            for test in range(5):
                upset = Upset(slower=0.02) if number == 3 and desk.data.get("shifted") else None
                desk.add(lane, number, upset, speed=speed_of(lane, test), test=f"t{test}", session=str(number))
    desk.data.pop("shifted", None)


def test_a_lane_that_equals_another_in_one_test_alone(ladder: Desk, capsys: pytest.CaptureFixture[str]) -> None:
    climb(ladder, lambda lane, test: 1.0 if (lane, test) == ("b", 2) else 1.0 + 0.08 * "abc".index(lane))
    (doubt,) = [one for one in ladder.doubts(capsys) if one["check"] == "like_another_lane"]
    assert (doubt["lane"], doubt["test"], doubt["pass"]) == ("b", "t2", None)
    assert "was the setting on?" in doubt["words"]


def test_a_rank_that_all_other_tests_give_differently(ladder: Desk, capsys: pytest.CaptureFixture[str]) -> None:
    climb(ladder, lambda lane, test: 0.95 if (lane, test) == ("c", 1) else 1.0 + 0.08 * "abc".index(lane))
    doubts = [one for one in ladder.doubts(capsys) if one["check"] == "order"]
    assert [(doubt["lane"], doubt["test"]) for doubt in doubts] == [("c", "t1")]


def test_a_session_that_is_shifted_as_a_whole(ladder: Desk, capsys: pytest.CaptureFixture[str]) -> None:
    ladder.data["shifted"] = True
    climb(ladder, lambda lane, _: 1.0 + 0.08 * "abc".index(lane))
    (doubt,) = [one for one in ladder.doubts(capsys) if one["check"] == "offset"]
    assert (doubt["pass"], doubt["lane"], doubt["test"]) == (None, None, None)
    assert doubt["evidence"]["session"] == "3"
    assert doubt["evidence"]["shift"] == pytest.approx(-0.02, abs=0.006)


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (lambda data: data.update(colour=1), "the key colour is not known here"),
        (lambda data: data["settings"].update(target=1), "the key target is not known here"),
        (lambda data: data["passes"][0].update(lane="z"), "names lane z"),
        (lambda data: data["tests"][0].update(scene="z"), "names the scene z"),
        (lambda data: data["scenes"][0].update(kind="film"), "kind must be one of"),
        (lambda data: data["settings"].update(low_school="worst"), "low_school must be one of"),
        (lambda data: data.pop("lanes"), "the context lacks 'lanes'"),
        (lambda data: data["passes"][0].update(file="gone.csv"), "gone.csv cannot be opened"),
        (lambda data: data["passes"][1].update(id="a-t-1"), "two passes a-t-1"),
    ],
)
def test_a_context_that_is_none_is_refused_by_name(
    desk: Desk, capsys: pytest.CaptureFixture[str], change: Callable[[Any], Any], says: str
) -> None:
    desk.fill()
    change(desk.data)
    (desk.folder / "context.json").write_text(json.dumps(desk.data))
    assert main(["doubts", str(desk.folder / "context.json")]) == 2
    error = capsys.readouterr().err
    assert says in error
    assert error.count("\n") == 1


def test_noise_from_elsewhere_is_used(desk: Desk) -> None:
    desk.fill()
    desk.add("a", 4, Upset(slower=0.05))
    read = lambda name: (desk.folder / name).read_bytes()  # noqa: E731
    firm = doubts_of(context_from_json(desk.data, read), ["off_siblings"])
    assert [doubt.on for doubt in firm] == ["a-t-4"]
    desk.data["noise"] = {"s": {"average_fps": 0.04, "low_1": 0.06, "df": 60}}
    assert doubts_of(context_from_json(desk.data, read), ["off_siblings"]) == []
    desk.data["noise"] = {"s": {"average_fps": -1}}
    with pytest.raises(RennbahnError, match="no less than 0"):
        context_from_json(desk.data, read)


def test_a_profile_reads_back_as_it_was_kept() -> None:
    profile = profile_of(run_pass(SCENE, Rig(), np.random.default_rng(3), Upset(pause_at_s=9, pause_ms=1200)))
    again = Profile.from_json(json.loads(json.dumps(profile.as_json())))
    assert again == profile
    assert len(json.dumps(profile.as_json())) < 12_000, "small enough to be kept beside each capture"


def test_passes_of_a_scene_without_a_length_are_held_against_each_other(
    desk: Desk, capsys: pytest.CaptureFixture[str]
) -> None:
    del desk.data["scenes"][0]["length_s"]
    desk.add("a", 9)
    assert desk.doubts(capsys) == [], "nobody said how long it takes"
    desk.fill()
    assert desk.doubts(capsys) == []
    bad = desk.add("a", 4, Upset(ends_at=0.8))
    assert "wrong_length" in checks_on(desk.doubts(capsys), bad)


@pytest.mark.parametrize("generator", GENERATORS)
def test_hits_and_false_alarms_on_a_seeded_trial(generator: str) -> None:
    """A dozen studies of 54 passes, each fault planted once in each; docs/checks.md states 300."""
    for rate in trial(generator, 12, seed=11):
        assert rate.planted == 12
        assert rate.hit_rate >= 0.9, rate
        # A shifted session is told once for all 54 passes of its study.
        assert rate.alarms <= (54 if rate.check == "offset" else 0.02 * rate.passes), rate


def test_ids_are_stable_and_each_asks_a_question() -> None:
    assert [check.id for check in CHECKS] == [
        "too_short", "wrong_length", "cut_log", "loading", "pause", "lock", "off_siblings", "slow_first", "throttling",
        "stutter_unlike", "read_back", "missing_channel", "duplicate", "like_another_lane", "order", "offset",
        "unlike_elsewhere",
    ]  # fmt: skip
    assert all(check.asks.endswith("?") for check in CHECKS)


@pytest.mark.parametrize(
    ("weak", "line", "doubted"),
    [
        ([], "No check doubts it.", False),
        ([True], "A check is unsure of it.", False),
        ([False], "One check doubts it.", True),
        ([False, True, False], "2 checks doubt it.", True),
    ],
)
def test_the_verdict_of_all_checks_is_one_line(weak: list[bool], line: str, doubted: bool) -> None:
    assert (verdict_line(weak), is_doubted(weak)) == (line, doubted)
