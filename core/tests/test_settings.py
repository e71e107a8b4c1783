"""Settings as people write them: what they mean, which amount they say, and whether it crosses a stated limit."""

from __future__ import annotations

import pytest
from rennbahn.planning.amounts import Amount, amounts_of
from rennbahn.planning.cautions import cautions_of
from rennbahn.planning.fairness import PartDescription, SetupDescription
from rennbahn.planning.settings import named
from rennbahn.running import cautions_in_print
from rennbahn.running.steps import CAUTIONS

CARD = PartDescription("card", "Ostrane V5", {"max_power_w": 300, "power_limit_w": 250})
PROCESSOR = PartDescription("processor", "Kolk 8", {"max_power_w": 180, "power_limit_w": 120})
MEMORY = PartDescription("memory", "Fennik 2x16", {"max_voltage_v": 1.45, "voltage_v": 1.35})


@pytest.mark.parametrize(
    ("text", "amounts"),
    [
        ("+20%", [Amount(20, "%", True)]),
        ("120 %", [Amount(120, "%")]),
        ("1,200 W", [Amount(1200, "W")]),
        ("1.200 W", [Amount(1200, "W")]),
        ("1 200 W", [Amount(1200, "W")]),
        ("0.3 kW", [Amount(300, "W")]),
        ("0,3 kW", [Amount(300, "W")]),
        ("PL1 300 W", [Amount(300, "W")]),
        ("PL1 125 W, PL2 253 W", [Amount(125, "W"), Amount(253, "W")]),
        ("+200 mV", [Amount(0.2, "V", True)]),
        ("−50 mV", [Amount(-0.05, "V", True)]),
        ("1.350 V", [Amount(1.35, "V")]),
        ("1,35 V", [Amount(1.35, "V")]),
        ("3.6 GHz", [Amount(3600, "MHz")]),
        ("300 Watt", [Amount(300, "W")]),
        ("22 °C", [Amount(22, "°C")]),
        ("60", [Amount(60, "")]),
        ("max", []),
        ("as high as it goes", []),
    ],
)
def test_amounts_as_people_write_them(text: str, amounts: list[Amount]) -> None:
    assert [(one.number, one.unit, one.relative) for one in amounts_of(text)] == [
        (pytest.approx(one.number), one.unit, one.relative) for one in amounts
    ]


@pytest.mark.parametrize(
    ("name", "kind"),
    [
        ("Ambient occlusion", "game"), ("Ambient", "room"), ("Raumtemperatur", "room"), ("Room", "room"),
        ("V-Sync", "sync"), ("Vertikale Synchronisation", "sync"), ("Adaptive sync", "variable_refresh"),
        ("Frame generation", "frame_generation"), ("FPS limit", "frame_limit"), ("Bildratenlimit", "frame_limit"),
        ("Score overlay", "overlay"), ("Card power limit", "power_limit"), ("TDP", "power_limit"),
        ("PL2", "power_limit"), ("Leistungslimit", "power_limit"), ("Energiesparplan", "power_plan"),
        ("Power mode", "power_plan"), ("Battery or mains", "power_source"), ("Memory profile", "memory_profile"),
        ("Speicherprofil", "memory_profile"), ("Monitor output", "display_path"), ("MUX switch", "display_path"),
        ("Core clock offset", "clock"), ("Lüfterkurve", "fan"), ("Spannungskurve", "curve"),
        ("Fan profile", "fan"), ("Link width", "link"),
        ("Upscaling", "upscaling"), ("Instant replay", "recorder"), ("Undervolt", "voltage"), ("Tuned", "tuning"),
    ],
)  # fmt: skip
def test_names_are_known_by_whole_words_in_two_languages(name: str, kind: str) -> None:
    found = named(name)
    assert found is not None
    assert found.kind == kind


@pytest.mark.parametrize("name", ["Shadows", "Scorecard", "Important", "Syncopation", "Rooms drawn", "Texture filter"])
def test_names_that_only_look_so_mean_nothing(name: str) -> None:
    assert named(name) is None


def told(name: str, value: str) -> list[str]:
    setup = SetupDescription((CARD, PROCESSOR, MEMORY), {name: value})
    return [one.words for one in cautions_of(setup)]


@pytest.mark.parametrize(
    ("name", "value"),
    [
        ("Power limit", "+25%"), ("Power limit", "125 %"), ("Power limit", "1,200 W"), ("Power limit", "0.35 kW"),
        ("Power limit", "301 W"), ("Board power", "+60 W"), ("Leistungslimit", "320 Watt"), ("TGP", "310 W"),
        ("Processor", "PL1 300 W"), ("PL2", "253 W"), ("TDP", "200 W"), ("PPT", "190 W"), ("CPU power limit", "+60%"),
        ("Package power", "181 W"), ("Memory voltage", "1.5 V"), ("Memory voltage", "+200 mV"),
        ("RAM voltage", "1,5 V"), ("Speicherspannung RAM", "1500 mV"), ("DRAM voltage", "1.46"),
    ],
)  # fmt: skip
def test_what_is_beyond_a_stated_limit_is_cautioned(name: str, value: str) -> None:
    (words,) = told(name, value)
    assert f"{name} {value} is beyond" in words


@pytest.mark.parametrize(
    ("name", "value"),
    [
        ("Power limit", "+20%"), ("Power limit", "300 W"), ("Power limit", "0,25 kW"), ("Power limit", "stock"),
        ("Power limit", "off"), ("PL1", "125 W"), ("TDP", "95 W"), ("Memory voltage", "1.40 V"),
        ("Memory voltage", "+50 mV"), ("Room", "400 W"), ("Shadows", "1,200 W"), ("Power plan", "high performance"),
        ("Core voltage", "1.5 V"),
    ],
)  # fmt: skip
def test_what_is_within_or_means_something_else_is_not(name: str, value: str) -> None:
    assert told(name, value) == []


@pytest.mark.parametrize(("name", "value"), [("Power limit", "max"), ("PL1", "unlimited"), ("Memory voltage", "high")])
def test_what_cannot_be_read_where_a_limit_is_recorded_is_cautioned(name: str, value: str) -> None:
    (words,) = told(name, value)
    assert "cannot be held against" in words
    assert words.endswith(("a number in W", "a number in V"))


def test_what_is_printed_of_setups_goes_with_its_cautions_once() -> None:
    tuned = SetupDescription((CARD, PROCESSOR, MEMORY), {"Power limit": "301 W", "Memory profile": "tight"})
    stock = SetupDescription((CARD, PROCESSOR, MEMORY), {"Power limit": "as delivered", "Preset": "high"})
    assert cautions_in_print([stock]) == ()
    alike = SetupDescription((CARD, PROCESSOR, MEMORY), {"Memory profile": "tight"})
    assert cautions_in_print([alike, alike]) == (), "what all lanes share is not what is told of"
    beyond, *rest = cautions_in_print([stock, tuned, tuned])
    assert beyond.startswith("Power limit 301 W is beyond")
    assert rest == [CAUTIONS["limit"], CAUTIONS["memory"]]


@pytest.mark.parametrize(("kind", "caution"), [("adapter", "adapter"), ("supply", "swap")])
def test_external_cards_and_mains_have_their_own(kind: str, caution: str) -> None:
    one, other = (SetupDescription((CARD, PartDescription(kind, name, {}))) for name in ("Kettle", "Kettle Two"))
    assert cautions_in_print([one, other]) == (CAUTIONS[caution],)
