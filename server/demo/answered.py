"""Finished studies of other kinds than A against B, each with a small story, from the simulated bench.

A ladder in which one card is outclassed and another's memory runs out, a power limit that stops paying, a second memory
stick that matters only with much power, presets that cost more than they look, a headset preset that just holds, a
second card that half the games do not use, and a benchmark that lies.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta

from bench.queries import description_of
from bench.schemas import SettingIn, SetupIn
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from findings.schemas import EyeNoteIn
from findings.services import keep_note, keep_picture
from planning.building import lanes_of
from planning.services import call_ready, save_plan
from rennbahn.simulation import SimulatedBench, Wanted
from rennbahn.simulation.sitting import LOGGER
from running.simulated import played_test
from studies.deciding import change_passes
from studies.models import PassState, Study
from studies.schemas import LaneIn, Method, StudyIn, TestIn
from studies.services import create_study, finish_study

from demo import plans
from demo.hardware import CARDS, NEUN, TURM, refs, rig_parts
from demo.looks import hills
from demo.scenario import SEED, SETTINGS
from demo.taking import Written, take_many

_PASSES = 3
_MINUTES = 4
_BEGAN = datetime(2026, 9, 14, 9, 0, tzinfo=UTC)
#: The logger of this bench also writes what the card draws, and how much memory it uses.
_DIALECT = replace(
    LOGGER, names={**LOGGER.names, "gpu_power_w": "gpu_power_w", "vram_used_mib": "vram_used_mib"}
)  # fmt: skip


@dataclass(frozen=True)
class Lane:
    """A lane: what is swapped and set in it, its levels by factor, or the condition that it stands for."""

    name: str
    swaps: tuple[str, ...] = ()
    settings: Mapping[str, str] | None = None
    levels: Mapping[str, str] | None = None
    condition: str = ""


@dataclass(frozen=True)
class Script:
    """A finished study of a kind."""

    kind: str
    question: str
    factor: str
    lanes: tuple[Lane, ...]
    games: tuple[tuple[str, str], ...]
    second_factor: str = ""
    conditions: tuple[str, ...] = ("1440 high",)
    accepted: Mapping[str, str] | None = None
    target_hz: float = 60.0
    #: What holding a rate means: on average where nothing is said, else in all tests but so many.
    may_miss: int | None = None
    baseline: int = 0
    rig: str = "small"


_DRIVERS = {"Ostrane": "Ostrane 42.0", "Tellur Werke": "Tellur 7.10"}
_FIVE = (
    ("Glass Caravan", "dune crossing"), ("Orchard of Kites", "long glide"), ("Snowline Courier", "north pass"),
    ("Lanternfish Bay", "reef dive"), ("Salt Almanac", "evaporation ponds"),
)  # fmt: skip

RANKED = Script(
    kind="ladder",
    question="Which of five cards suits a shared flat?",
    factor="Graphics card",
    lanes=tuple(
        Lane(
            card.name,
            (card.name, _DRIVERS[card.maker]),
            levels={"Graphics card": card.name},
            # The compact card is sold with slow fans, and its buyer pays more for less.
            settings={"Fan profile": "quiet"} if "Kompakt" in card.name else None,
        )
        for card in CARDS[:5]
    ),
    games=_FIVE[:4],
    accepted={
        "part:driver": "Each maker's newest driver of September; a card runs with its own only.",
        "setting:fan profile": "The compact card has one profile; it is what its buyer hears and gets.",
    },
    baseline=2,
    rig="tower",
    may_miss=0,
)
POWER = Script(
    kind="sweep",
    question="Where does more power stop paying?",
    factor="Power limit",
    lanes=tuple(
        Lane(f"{watts} W", settings={"Power limit": f"{watts} W"}, levels={"Power limit": f"{watts} W"})
        for watts in range(100, 240, 20)
    ),
    games=_FIVE[:3],
)
CROSSED = Script(
    kind="grid",
    question="Does a second stick matter more with more power?",
    factor="Memory kit",
    second_factor="Power limit",
    lanes=tuple(
        Lane(
            f"{sticks} at {watts} W", (kit,), {"Power limit": f"{watts} W"},
            {"Memory kit": sticks, "Power limit": f"{watts} W"},
        )
        for sticks, kit in (("one stick", "Kettle 1 × 32 GB"), ("two sticks", "Kettle 2 × 16 GB"))
        for watts in (90, 160)
    ),
    games=(
        ("Ember Allotment", "harvest morning"), ("Moss Republic", "council square"), ("The Unlit Tram", "line 8"),
    ),
)  # fmt: skip
PRESETS = Script(
    kind="scaling",
    question="What does each preset cost a living-room computer?",
    factor="Preset",
    lanes=tuple(Lane(preset, condition=f"1440 {preset}") for preset in ("low", "medium", "high", "ultra")),
    games=_FIVE[:3],
)
HEADSET = Script(
    kind="budget",
    question="Which preset holds a headset at 90?",
    factor="Fan profile",
    lanes=tuple(
        Lane(f"fans {profile}", settings={"Fan profile": profile}, levels={"Fan profile": profile})
        for profile in ("standard", "quiet")
    ),
    games=(("Salt Almanac", "evaporation ponds"), ("The Unlit Tram", "line 8")),
    conditions=("headset low", "headset medium", "headset high"),
    target_hz=90.0,
)
TWICE = Script(
    kind="several",
    question="Is a second card worth its slot?",
    factor="Graphics card",
    lanes=(
        Lane("1 card", ("Ostrane V7", "Ostrane 42.0"), levels={"Graphics card": "1 card"}),
        Lane("2 cards", ("Ostrane V7", "Ostrane V7", "Ostrane 42.0"), levels={"Graphics card": "2 cards"}),
    ),
    games=(*_FIVE[:3], ("Moss Republic", "council square")),
    conditions=("1440 high",),
    rig="tower",
)
TRUTHFUL = Script(
    kind="proxy_check",
    question="Do the built-in benchmarks keep the ratios of play?",
    factor="Graphics card",
    lanes=tuple(
        Lane(card.name, (card.name, _DRIVERS[card.maker]), levels={"Graphics card": card.name}) for card in CARDS[1:4]
    ),
    games=(
        ("Lanternfish Bay", "reef dive"), ("Lanternfish Bay", "harbour market"),
        ("Glass Caravan", "show run"), ("Glass Caravan", "dune crossing"),
    ),
    accepted={"part:driver": "Each maker's newest driver of September; a card runs with its own only."},
    rig="tower",
)  # fmt: skip
SCRIPTS = (RANKED, POWER, CROSSED, PRESETS, HEADSET, TWICE, TRUTHFUL)


def tell(script: Script, lead: User, tester: User, rigs: Mapping[str, int]) -> Study:
    """Ask the question, hand in what the bench gives, accept it and finish."""
    rig = rigs[script.rig]
    study = create_study(lead, _asked(script, rig))
    plans.accept_all(lead, study, dict(script.accepted or {}))
    save_plan(lead, study.pk, plans.plan(deadline=plans.FRIDAY))
    call_ready(lead, study.pk)
    _run(study, tester)
    if script is PRESETS:
        _look(study, tester)
    finish_study(lead, study.pk)
    return study


def _look(study: Study, tester: User) -> None:
    """What the eye gets from low to medium, with a picture of either."""
    low, medium = list(study.lanes.all())[:2]
    words = "Ridges lose their corners and most trees come back. From the couch this is the step one sees."
    keep_note(tester, study.pk, low.pk, medium.pk, EyeNoteIn(words=words))
    for side, detail in (("from", 1), ("to", 6)):
        picture = SimpleUploadedFile(f"glass-caravan-{side}.png", hills(detail))
        keep_picture(tester, study.pk, low.pk, medium.pk, side, picture)


def _asked(script: Script, rig: int) -> StudyIn:
    # In the tower each card runs at its own limit.
    limit = script.rig != "tower"
    own = {name: value for name, value in SETTINGS if name != "Power limit" or limit}
    return StudyIn(
        kind=script.kind,  # type: ignore[arg-type]
        question=script.question,
        factor=script.factor,
        second_factor=script.second_factor,
        baseline=script.baseline,
        passes_wanted=_PASSES,
        lanes=[
            LaneIn(
                name=lane.name, levels=dict(lane.levels or {}), condition=lane.condition,
                setup=SetupIn(
                    name=_setup_name(script, lane, own), rig_id=rig,
                    parts=refs(*lane.swaps),
                    settings=[SettingIn(name=k, value=v) for k, v in {**own, **(lane.settings or {})}.items()],
                ),
            )
            for lane in script.lanes
        ],
        tests=[
            TestIn(game=game, scene=scene, condition=condition)
            for game, scene in script.games
            for condition in script.conditions
        ],
        method=Method(target_hz=script.target_hz, may_miss=script.may_miss),
    )  # fmt: skip


def _setup_name(script: Script, lane: Lane, own: Mapping[str, str]) -> str:
    """A setup is named after its machine and what is special about it, not after who asks."""
    machine = TURM if script.rig == "tower" else NEUN
    there = {part.name for part in rig_parts(machine)}
    told = lane.levels or {}
    special = [
        *(told.get("Memory kit", part) for part in lane.swaps if part not in there),
        *(f"{name.lower()} {value}" for name, value in (lane.settings or {}).items() if own.get(name) != value),
    ]
    return f"{machine}, {', '.join(special) or 'as delivered'}"


def _run(study: Study, tester: User) -> None:
    """All passes there and back over the lanes, test by test."""
    lanes = list(lanes_of(study))
    tests = list(study.tests.select_related("scene__game", "condition"))
    setups = {str(lane.pk): description_of(lane.setup_version) for lane in lanes}
    minutes = 0
    files: list[Written] = []
    for test in tests:
        for number in range(1, _PASSES + 1):
            for lane in lanes if number % 2 else lanes[::-1]:
                played = SimulatedBench(
                    setups, {str(test.pk): played_test(test, lane.condition)}, SEED + test.position, {}, _DIALECT
                ).play(Wanted(str(lane.pk), str(test.pk), number))
                if played.log is None:
                    raise RuntimeError("the simulated bench wrote no log")
                minutes += _MINUTES
                name = f"{lane.name} {test.scene.game.name} {number}.csv".lower().replace(" ", "-")
                ended = _BEGAN + timedelta(minutes=minutes)
                files.append(Written(name, played.log, lane.pk, test.pk, number, ended))
    passes = take_many(tester, study.pk, files)
    change_passes(tester, study.pk, [pk for pk in passes if pk is not None], PassState.ACCEPTED)
