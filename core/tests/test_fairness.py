"""Fairness: what differs is found, weighed by rule, asked for, and the check does not care which lane is which."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from rennbahn.parts import checked_facts
from rennbahn.planning.cautions import cautions_of
from rennbahn.planning.fairness import (
    NO_FACTOR,
    NOTHING,
    REQUIRED,
    Fairness,
    LaneDescription,
    PartDescription,
    SetupDescription,
    check_fairness,
)
from rennbahn.planning.steadiness import RunWith, watch


def part(kind: str, name: str, **facts: Any) -> PartDescription:
    return PartDescription(kind, name, checked_facts(kind, facts))


def lane(name: str, *parts: PartDescription, condition: str = "", **settings: str) -> LaneDescription:
    spelt = {key.replace("_", " "): value for key, value in settings.items()}
    return LaneDescription(name, name, SetupDescription(parts, spelt), condition)


def check(a: LaneDescription, b: LaneDescription, *factors: str) -> Fairness:
    return check_fairness([a, b], a.id, factors)


KIT = part("memory", "Kettle 2 x 16", size_gb=32, sticks=2, channels=2, mt_per_s=6000, cl=30)
OLD, NEW = part("driver", "41.2", date="2026-05-01"), part("driver", "42.0", date="2026-08-01")

#: What stands on each side, and the weight and words the rule must give.
WEIGHED: list[tuple[PartDescription, PartDescription, str, str]] = [
    (OLD, NEW, "mind", "92 days apart: more than a release apart"),
    (OLD, part("driver", "41.3", date="2026-05-09"), "mind", "8 days apart"),
    (OLD, part("driver", "41.2b", date="2026-05-01"), "mind", "same date does not make them the same"),
    (part("driver", "Ostrane 41", date="2026-05-01"), part("driver", "Tellur 7", date="2026-05-01"), "mind", "date"),
    (part("system", "Kestrel 11"), part("system", "Larkos 4"), "spoils", "another operating system"),
    (
        part("firmware", "Ahorn 1.2", date="2026-05-01"),
        part("firmware", "Birke 1.2", date="2026-05-01"),
        "mind",
        "date",
    ),
    (part("cooler", "C1", max_heat_w=95, type="air"), part("cooler", "C2", max_heat_w=95), "mind", "one lane only"),
    (part("supply", "S1", power_w=450, efficiency_pct=90), part("supply", "S2", power_w=450), "mind", "one lane only"),
    (OLD, part("driver", "43 beta", date="2026-05-01", beta=True), "mind", "beta"),
    (OLD, part("driver", "nobody knows"), "mind", "no date"),
    (KIT, part("memory", "Half", size_gb=16, sticks=2), "spoils", "half the memory"),
    (KIT, part("memory", "One", size_gb=32, sticks=1), "spoils", "number of sticks"),
    (KIT, part("memory", "More", size_gb=48, sticks=2), "mind", "another amount"),
    (KIT, part("memory", "Slow", size_gb=32, mt_per_s=4800), "mind", "timing"),
    (KIT, part("memory", "Twin", size_gb=32, sticks=2, channels=2, mt_per_s=6000, cl=30), "harmless", "alike"),
    (KIT, part("memory", "Twin", size_gb=32, sticks=2, mt_per_s=6000, cl=30), "mind", "one lane only"),
    (KIT, part("memory", "Unknown"), "mind", "not written down"),
    (part("display", "A", refresh_hz=60), part("display", "B", built_in=True), "spoils", "laptop's own panel"),
    (part("display", "A", refresh_hz=60), part("display", "B", refresh_hz=144), "mind", "another refresh"),
    (part("display", "A", width_px=2560), part("display", "B", width_px=3840), "mind", "another panel"),
    (part("build", "1", game="M", beta=True), part("build", "2", game="M"), "spoils", "beta build"),
    (part("build", "1", game="M"), part("build", "2", game="M"), "spoils", "another game build"),
    (part("card", "V5"), part("card", "V6"), "spoils", "another graphics card"),
    (part("processor", "S6"), part("processor", "S8"), "spoils", "another processor"),
    (part("adapter", "D1", generation=3, lanes=4), part("adapter", "D2", generation=4, lanes=4), "spoils", "link"),
    (part("adapter", "D1", generation=3, lanes=4), part("adapter", "D2", generation=3, lanes=4), "harmless", "same"),
    (part("supply", "S1", power_w=450), part("supply", "S2", power_w=500), "harmless", "like power"),
    (part("supply", "S1", power_w=300), part("supply", "S2", power_w=600), "mind", "much weaker"),
    (part("cooler", "C1", max_heat_w=95), part("cooler", "C2", max_heat_w=95), "harmless", "same heat"),
    (part("cooler", "C1"), part("cooler", "C2"), "mind", "hotter"),
    (part("case", "9 l", volume_l=9), part("case", "20 l", volume_l=20), "mind", "heat"),
    (part("drive", "a", read_mb_s=500), part("drive", "b", read_mb_s=7000), "mind", "half the rate"),
    (part("drive", "a", read_mb_s=5000), part("drive", "b", read_mb_s=7000), "harmless", "like rate"),
    (part("board", "a", generation=4, lanes=16), part("board", "b", generation=3, lanes=16), "spoils", "link"),
    (part("firmware", "1.17"), part("firmware", "1.18"), "mind", "firmware"),
    (part("system", "11", date="2025-01-01"), part("system", "12", date="2026-01-01"), "mind", "365 days"),
]


@pytest.mark.parametrize(("a", "b", "weight", "words"), WEIGHED)
def test_each_difference_is_weighed_by_rule(a: PartDescription, b: PartDescription, weight: str, words: str) -> None:
    (found,) = check(lane("A", a), lane("B", b)).pairings[0].differences
    assert (found.weight, words in found.reason) == (weight, True), found
    assert (found.a, found.b) == (a.name, b.name)


@pytest.mark.parametrize(
    ("name", "a", "b", "weight", "words"),
    [
        ("sync", "on", "off", "spoils", "limiter"),
        ("frame_limit", "60", "none", "spoils", "limiter"),
        ("display_on", "card", "board", "spoils", "back over the link"),
        ("tuning", "log 7", "stock", "spoils", "tuned otherwise"),
        ("power_limit", "160 W", "120 W", "spoils", "clock"),
        ("room", "22 °C", "23,5 °C", "harmless", "alike"),
        ("room", "22 °C", "27 °C", "mind", "warmer"),
        ("fan_profile", "quiet", "loud", "mind", "fans"),
        ("wallpaper", "cat", "dog", "mind", "nobody has shown"),
        ("Bildratenbegrenzung", "60", "aus", "spoils", "limiter"),
        ("Frame_generation", "2x", "off", "spoils", "frames that nobody computed"),
        ("Upscaling", "quality", "off", "spoils", "fewer pixels"),
        ("Monitoranschluss", "Karte", "Board", "spoils", "port"),
        ("Stromquelle", "Akku", "Netz", "spoils", "battery"),
        ("Energiesparplan", "hoch", "ausgeglichen", "spoils", "power plan"),
        ("Speicherprofil", "1", "aus", "spoils", "memory profile"),
        ("GPU_core_offset", "+150 MHz", "0", "spoils", "tuned"),
        ("Curve_optimizer", "-20", "-10", "spoils", "tuned"),
        ("PL1", "125 W", "65 W", "spoils", "power limit"),
        ("Overlay", "on", "off", "mind", "overlay"),
        ("Score_overlay", "on", "off", "mind", "overlay"),
        ("Instant_replay", "on", "off", "spoils", "recorder"),
        ("Aufnahme", "an", "aus", "spoils", "recorder"),
        ("Recorder", "h264", "av1", "mind", "recorder"),
        ("Card_memory_window", "on", "off", "spoils", "memory the processor sees"),
        ("Resizable_BAR", "an", "aus", "spoils", "memory the processor sees"),
        ("Bildratengrenze", "60", "aus", "spoils", "limiter"),
        ("FPS-Grenze", "60", "ohne", "spoils", "limiter"),
        ("Bildrate_begrenzen", "an", "aus", "spoils", "limiter"),
        ("Untervolt", "-80 mV", "0", "spoils", "tuned"),
        ("Limite_de_fps", "60", "illimité", "spoils", "limiter"),
        ("Límite_de_potencia", "200 W", "150 W", "spoils", "power limit"),
        ("Synchronisation_verticale", "activée", "désactivée", "spoils", "limiter"),
        ("Plan_de_energía", "alto", "equilibrado", "spoils", "power plan"),
        ("Fan_curve", "flat", "steep", "mind", "fans"),
        ("Framerate_target", "60", "none", "spoils", "limiter"),
        ("Adaptive-Sync", "on", "off", "spoils", "limiter"),
        ("Monitor_connected_to", "card", "board", "spoils", "port"),
        ("Link_width", "x8", "x16", "spoils", "link"),
        ("Kurzzeitleistung", "200 W", "150 W", "spoils", "power limit"),
        ("Ray_tracing", "on", "off", "spoils", "told something else"),
        ("Undervolting", "-80 mV", "0", "spoils", "tuned"),
        ("Ambient_occlusion", "high", "low", "spoils", "told something else"),
        ("room", "cool", "27 °C", "mind", "warmer"),
    ],
)
def test_settings_are_weighed_too(name: str, a: str, b: str, weight: str, words: str) -> None:
    (found,) = check(lane("A", **{name: a}), lane("B", **{name: b})).pairings[0].differences
    assert (found.weight, words in found.reason) == (weight, True), found


@pytest.mark.parametrize(
    ("name", "a", "b"),
    [("Power limit", "0.3 kW", "300 W"), ("Power limit", "1,200 W", "1200 W"), ("Sync", "off", "none"),
     ("Voltage offset", "-0.05 V", "-50 mV"), ("Fan profile", "Stock", "default"),
     ("PL1", "PL1 125 W", "PL1 0.125 kW")],
)  # fmt: skip
def test_the_same_amount_written_otherwise_is_no_difference(name: str, a: str, b: str) -> None:
    assert check(lane("A", **{name: a}), lane("B", **{name: b})).pairings[0].differences == ()


def test_a_change_in_percent_is_not_the_same_as_the_number() -> None:
    (found,) = check(lane("A", power_limit="+20%"), lane("B", power_limit="20%")).pairings[0].differences
    assert found.weight == "spoils"


def test_settings_that_mean_the_same_are_held_against_each_other() -> None:
    (same,) = check(lane("A", V_Sync="off"), lane("B", Vertical_sync="off")).pairings[0].same
    assert same.value == "off"
    (found,) = check(lane("A", V_Sync="off"), lane("B", Vertikale_Synchronisation="an")).pairings[0].differences
    assert (found.a, found.b, found.weight) == ("off", "an", "spoils")


SECOND = part("memory", "Kettle 2 x 16 b", size_gb=32, sticks=2, channels=2, mt_per_s=6000, cl=30)
DISK, FAST = part("drive", "a", read_mb_s=5000), part("drive", "b", read_mb_s=7000)
WIDE = part("display", "A", width_px=2560, height_px=1440, refresh_hz=60)


@pytest.mark.parametrize(
    ("a", "b", "weight", "words"),
    [
        ([KIT, SECOND], [KIT], "spoils", "half the memory"),
        ([KIT, part("memory", "8 more", size_gb=8, sticks=1)], [KIT], "spoils", "number of sticks"),
        ([DISK, FAST], [DISK], "mind", "a drive more"),
        ([WIDE, part("display", "B", refresh_hz=60)], [WIDE], "mind", "a display more"),
        ([part("card", "V5"), part("card", "V5")], [part("card", "V5")], "spoils", "another number of them: 1 and 2"),
        ([WIDE, part("display", "B", refresh_hz=60)], [WIDE, part("display", "C", refresh_hz=144)], "mind", "refresh"),
        ([DISK, part("drive", "c", read_mb_s=500)], [DISK, FAST], "mind", "half the rate"),
    ],
)
def test_lists_are_weighed_as_lists(
    a: list[PartDescription], b: list[PartDescription], weight: str, words: str
) -> None:
    for one, other in ((a, b), (b, a), (a[::-1], b)):
        (found,) = check(lane("A", *one), lane("B", *other)).pairings[0].differences
        assert (found.weight, words in found.reason) == (weight, True), found


def test_what_no_lane_says_is_asked() -> None:
    bare = check_fairness([lane("A", OLD), lane("B", NEW)], "A", ["driver"], REQUIRED["a_b"])
    assert bare.unsaid == (
        "Power plan or mode", "Sync", "Frame limit", "Memory profile", "Display path", "Background programs",
        "Game build",
    )  # fmt: skip
    (asked,) = bare.objections
    assert (asked.key, asked.weight, asked.label) == ("unsaid", "mind", "Not recorded")
    assert asked.about.startswith("not recorded in any lane: Power plan or mode, Sync")
    told = {
        "Energieplan": "balanced", "V-Sync": "off", "FPS cap": "none", "Monitor on": "card", "Background apps": "none",
        "Game builds": "frozen on 1 September",
    }  # fmt: skip
    setups = [SetupDescription((driver, KIT), told) for driver in (OLD, NEW)]
    lanes = [LaneDescription(name, name, setup) for name, setup in zip("AB", setups, strict=True)]
    assert check_fairness(lanes, "A", ["driver"], REQUIRED["a_b"]).objections == ()


def test_a_change_between_lanes_of_one_setup_is_a_change_within_the_study() -> None:
    first, second = SetupDescription((OLD,)), SetupDescription((NEW,))
    runs = [RunWith("1080", "Moss", first, "box"), RunWith("1440", "Moss", second, "box")]
    assert [(one.lane, one.before, one.change.key) for one in watch(runs)] == [("1440", 1, "part:driver")]
    assert watch([replace(one, machine="") for one in runs]) == ()


def test_one_lane_tuned_and_the_other_not() -> None:
    (found,) = check(lane("A", tuning="log 7"), lane("B")).pairings[0].differences
    assert (found.weight, found.b) == ("spoils", "")
    assert "one lane is tuned and the other is not" in found.reason


def test_the_factor_is_not_an_objection_but_all_else_is() -> None:
    fair = check(lane("A", KIT, OLD, sync="off"), lane("B", KIT, NEW, sync="OFF "), "Driver")
    assert [one.key for one in fair.pairings[0].factor] == ["part:driver"]
    assert {one.key for one in fair.pairings[0].same} == {"part:memory", "setting:sync"}
    assert fair.objections == ()
    unfair = check(lane("A", KIT, OLD, room="22"), lane("B", KIT, NEW, room="28"), "driver")
    assert [one.key for one in unfair.objections] == ["setting:room"]
    weight = unfair.objections[0].weight
    assert unfair.unanswered({("setting:room", "22 / 28", weight)}) == ()
    assert unfair.unanswered({("setting:room", "22 / 24", weight)}) == unfair.objections, "another difference"
    assert unfair.unanswered({("setting:room", "22 / 28", "harmless")}) == unfair.objections, "it weighed less then"


def test_nothing_differs_or_not_the_factor() -> None:
    (same,) = check(lane("A", KIT), lane("B", KIT), "Driver").objections
    assert (same.key, same.weight) == (NOTHING, "spoils")
    keys = [one.key for one in check(lane("A", KIT, fans="1"), lane("B", KIT, fans="2"), "Driver").objections]
    assert keys == [NO_FACTOR, "setting:fans"]


def test_builds_are_told_apart_by_their_game_and_conditions_are_a_factor() -> None:
    builds = [part("build", "M 1", game="Moss"), part("build", "N 1", game="Ninth")]
    newer = [part("build", "M 2", game="Moss"), builds[1]]
    (found,) = check(lane("A", *builds), lane("B", *newer)).pairings[0].differences
    assert (found.key, found.label) == ("part:build:moss", "Game build of Moss")
    told = check(lane("A", KIT, condition="1080"), lane("B", KIT, condition="1440"), "Condition")
    assert told.objections == ()
    assert [one.key for one in told.pairings[0].factor] == ["condition"]


def test_an_objection_of_several_lanes_is_one_with_the_gravest_reason() -> None:
    half, more = part("memory", "half", size_gb=16), part("memory", "more", size_gb=48)
    lanes = [lane("A", KIT, OLD), lane("B", more, NEW), lane("C", half, NEW)]
    (found,) = check_fairness(lanes, "A", ["Driver"]).objections
    assert (found.key, found.lanes, found.weight) == ("part:memory", ("B", "C"), "spoils")
    assert "half the memory" in found.reason


PARTS = [one for pair in WEIGHED for one in pair[:2]]
LANES = st.builds(
    lambda parts, settings: ({p.kind: p for p in parts}.values(), settings),
    st.lists(st.sampled_from(PARTS), max_size=6),
    st.dictionaries(st.sampled_from(["sync", "room", "fans", "tuning", "port"]), st.sampled_from(["1", "2 °C", "9"])),
)


@given(LANES, LANES, st.sampled_from(["driver", "Memory kit", "sync", "nothing known"]))
def test_the_check_is_symmetric(one: Any, other: Any, factor: str) -> None:
    a, b = lane("A", *one[0], **one[1]), lane("B", *other[0], **other[1])
    there, back = check(a, b, factor), check(b, a, factor)
    for kind in ("factor", "differences"):
        forward = {(d.key, d.a, d.b, d.weight, d.reason) for d in getattr(there.pairings[0], kind)}
        backward = {(d.key, d.b, d.a, d.weight, d.reason) for d in getattr(back.pairings[0], kind)}
        assert forward == backward
    assert {(o.key, o.weight) for o in there.objections} == {(o.key, o.weight) for o in back.objections}


@given(LANES)
def test_a_lane_does_not_differ_from_itself(one: Any) -> None:
    (found,) = check(lane("A", *one[0], **one[1]), lane("B", *one[0], **one[1])).objections
    assert found.key == NOTHING


def test_what_changes_within_a_lane_is_seen_and_builds_only_where_they_matter() -> None:
    build, patched = part("build", "1.0", game="Moss"), part("build", "1.1", game="Moss")
    first = SetupDescription((OLD, build), {"Sync": "off"})
    second = SetupDescription((NEW, patched), {"Sync": "off"})
    runs = [
        RunWith("A", "Moss", first),
        RunWith("B", "Moss", first),
        RunWith("A", "Ninth", second),
        RunWith("A", "Ninth", second),
        RunWith("A", "Moss", second),
        RunWith("B", "Ninth", first),
    ]
    found = [(one.lane, one.before, one.change.key) for one in watch(runs)]
    assert found == [("A", 2, "part:driver"), ("A", 4, "part:build:moss")]
    assert watch(runs[:2]) == ()


CARD = part("card", "V5", power_limit_w=160, max_power_w=170)
STICKS = part("memory", "Kettle", voltage_v=1.25, max_voltage_v=1.35)
PROCESSOR = part("processor", "S6", power_limit_w=65, max_power_w=88)


@pytest.mark.parametrize(
    ("name", "value", "of"),
    [
        ("Power limit", "171 W", "V5"),
        ("power target", "110 %", "V5"),
        ("Power limit", "200,5 W", "V5"),
        ("Processor power limit", "90 W", "S6"),
        ("Memory voltage", "1.4 V", "Kettle"),
        ("Memory voltage", "1400 mV", "Kettle"),
    ],
)
def test_a_setting_beyond_a_stated_limit_is_warned_of(name: str, value: str, of: str) -> None:
    (caution,) = cautions_of(SetupDescription((CARD, STICKS, PROCESSOR), {name: value}))
    assert (caution.setting, caution.value, caution.part) == (name, value, of)
    assert f"that is recorded for {of}" in caution.words


@pytest.mark.parametrize(
    ("name", "value"),
    [
        ("Power limit", "170 W"),
        ("Power limit", "106 %"),
        ("Power limit", "as delivered"),
        ("Processor power limit", "88 W"),
        ("Memory voltage", "1350 mV"),
        ("Fan profile", "500 W"),
    ],
)
def test_within_its_limit_or_without_one_nothing_is_said(name: str, value: str) -> None:
    assert cautions_of(SetupDescription((CARD, STICKS, PROCESSOR), {name: value})) == ()
    assert cautions_of(SetupDescription((part("card", "unknown"),), {name: value})) == ()


def test_a_name_that_is_only_spaced_otherwise_is_the_same_part() -> None:
    setups = [
        SetupDescription((PartDescription("card", name),), {}) for name in ("Kestrel 7", "Kestrel  7", "kestrel 7")
    ]
    lanes = [LaneDescription(str(at), f"lane {at}", setup) for at, setup in enumerate(setups)]
    found = check_fairness(lanes, "0", ["driver"])
    assert [pairing.differences for pairing in found.pairings] == [(), ()]
    assert all([one.label for one in pairing.same] == ["Graphics card"] for pairing in found.pairings)
