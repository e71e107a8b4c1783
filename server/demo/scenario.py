"""The demo: the magazine Kleinraum tests a nine-litre computer for the living room. Everything in it is made up.

The lead study asks whether the quiet fan profile costs frames. The simulated bench makes its captures from a seed, so
that the demo is the same each time: a capped game, a stutter that only the lows see, a pass rejected and repeated,
one that did not run, one still missing, a verdict that stays open.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from decimal import Decimal

from readers.schemas import ReaderIn
from rennbahn.simulation import Dialect, Rig, Scene, Upset
from scenes.schemas import LeansOn, SceneIn

SEED = 20_260_912
PASSWORD = "neun-liter-demo"  # noqa: S105
#: Name, role.
PEOPLE = (("mara", "lead"), ("tomke", "tester"), ("ilse", "viewer"))

#: What is written down of every machine, so that nobody has to ask.
RECORDED = (
    ("Sync", "off"), ("Frame limit", "none"), ("Power plan", "balanced"), ("Memory profile", "profile 1"),
    ("Monitor on", "card"), ("Background programs", "none"), ("Game builds", "frozen on 1 September"),
)  # fmt: skip
SETTINGS = (
    ("Fan profile", "standard"), ("Power limit", "160 W"), RECORDED[0], ("Room", "22 °C"), *RECORDED[1:],
)  # fmt: skip


@dataclass(frozen=True)
class Game:
    """A game with the scene that is run, its demand, and what happens to it in the second lane of each study."""

    name: str
    scene: str
    kind: str
    demand: Scene
    start: str
    route: str
    end: str
    #: Share of card speed that the quiet profile costs here once the case is warm.
    heat: float = 0.022
    #: Share of processor speed that a single memory stick costs here.
    stick: float = 0.06

    @property
    def leans_on(self) -> list[LeansOn]:
        """What holds the rate back here."""
        side: LeansOn = "processor" if self.demand.cpu_ms > self.demand.gpu_ms else "card"
        return [side, "memory"] if self.stick >= 0.08 else [side]


def _demand(cpu_ms: float, gpu_ms: float, **rest: float) -> Scene:
    return replace(Scene(cpu_ms=cpu_ms, gpu_ms=gpu_ms, seconds=32.0), **rest)


GAMES = (
    Game("Moss Republic", "council square", "route", _demand(9.6, 7.1), "Save “council”, noon.",
         "Fountain, arcade, down the steps to the river.", "At the ferry bell.", stick=0.11, heat=0.02),
    Game("Glass Caravan", "dune crossing", "replay", _demand(5.2, 10.4), "Replay 4 from its first frame.",
         "Follow camera, no input.", "When the replay fades.", heat=0.031, stick=0.01),
    Game("Ninth Ferry", "harbour at dusk", "route", _demand(6.4, 9.1), "Load “pier 3”.",
         "Along the quay, twice around the crane.", "Back at the bollard.", heat=0.021),
    Game("Paper Comets", "stage 6", "scripted", _demand(4.1, 5.2, cap_fps=120.0), "Restart stage 6.",
         "No input.", "Score screen.", heat=0.02, stick=0.02),
    Game("Ember Allotment", "harvest morning", "route", _demand(8.8, 7.9), "Season 3, day 2.",
         "Between the beds to the greenhouse and back.", "At the gate.", heat=0.012, stick=0.08),
    Game("Orchard of Kites", "long glide", "replay", _demand(5.6, 11.8), "Replay “long glide”.",
         "Follow camera, no input.", "Landing.", heat=0.064, stick=0.01),
    Game("Brass Meridian", "train roof", "scripted", _demand(7.3, 10.2, between=0.006), "Chapter 5, checkpoint 2.",
         "Walk to the locomotive.", "When the tunnel begins.", heat=0.009),
    Game("Velvet Quarry", "cutting floor", "route", _demand(6.0, 8.7), "Lift, lower stop.",
         "Along the wall lamps.", "At the pump.", heat=0.018),
    Game("Snowline Courier", "north pass", "route", _demand(6.9, 12.6), "Depot, morning, no wind.",
         "North pass without stopping.", "Hut lights.", heat=0.034, stick=0.02),
    Game("Lanternfish Bay", "reef dive", "benchmark", _demand(5.0, 9.6), "Menu, built-in run.",
         "None: it runs alone.", "Result page.", heat=0.028, stick=0.01),
    Game("The Unlit Tram", "line 8", "route", _demand(10.9, 8.4), "Terminal stop.",
         "Stay seated, look ahead.", "Fourth stop.", heat=0.01, stick=0.13),
    Game("Gravel Minuet", "forest stage", "replay", _demand(5.9, 7.6), "Replay 11.",
         "Bonnet camera.", "Finish arch.", heat=0.025, stick=0.03),
    Game("Hush Parliament", "great hall", "live", _demand(8.1, 8.3, between=0.004), "Session day 1.",
         "Free walk on the gallery.", "After 32 s.", heat=0.014, stick=0.07),
    Game("Salt Almanac", "evaporation ponds", "route", _demand(6.6, 9.9), "Camp, noon.",
         "Along the dyke.", "At the mill.", heat=0.023, stick=0.03),
)  # fmt: skip

#: Whom the magazine writes for.
READERS = (
    ReaderIn(name="A family on the couch", resolution="2560 × 1440", display_hz=60.0, floor_fps=45.0, hours_a_day=1.5,
             years=5.0, price_per_kwh=Decimal("0.34"), budget=Decimal(330), currency="EUR"),
    ReaderIn(name="A student in a shared flat", resolution="2560 × 1440", display_hz=144.0, variable=True,
             floor_fps=60.0, floor_on="low_1", hours_a_day=3.0, years=3.0, price_per_kwh=Decimal("0.34"),
             budget=Decimal(400), currency="EUR"),
    ReaderIn(name="Quick hands", display_hz=165.0, variable=True, floor_fps=120.0, notices=0.03, hours_a_day=4.0,
             years=2.0, price_per_kwh=Decimal("0.34"), currency="EUR"),
)  # fmt: skip
#: Beside the scenes of the stories: a benchmark where play was run, and play where the benchmark was.
MORE_SCENES = (
    SceneIn(game="Lanternfish Bay", name="harbour market", kind="route", leans_on=["processor"], length_s=32,
            start="Save “market”, morning.", route="Between the stalls, twice around the well.", end="At the lamp."),
    SceneIn(game="Glass Caravan", name="show run", kind="benchmark", leans_on=["card"], length_s=32, warm_up_runs=0,
            start="Menu, built-in run.", route="None: it runs alone.", end="Result page."),
)  # fmt: skip
CONDITION = "1440 high"
#: From the end of one pass to that of the next, with what lies between them.
MINUTES_A_PASS = 4.5
#: In this game the quiet profile lets frames hitch: the average hardly sees it, the lows do.
HITCHING = "Velvet Quarry"

#: The loggers of the two machines at hand write different dialects.
COMMA = Dialect(names={"frame_time": "frame_time_ms", "gpu_busy_ms": "gpu_busy_ms", "cpu_busy_ms": "cpu_busy_ms"})
SEMICOLON = Dialect(
    delimiter=";", decimal=",", newline="\r\n", encoding="utf-8-sig",
    names={"frame_time": "Bildzeit (ms)", "gpu_busy_ms": "GPU (ms)", "gpu_temp_c": "GPU Temp"},
)  # fmt: skip


LOGGERS = ("bench logger", "the editor's old logger")


@dataclass(frozen=True)
class LaneScript:
    """A lane: its name, and the settings and parts in which it differs from the machine as delivered."""

    name: str
    settings: dict[str, str] = field(default_factory=dict)
    swaps: tuple[str, ...] = ()


STANDARD = Rig(heat_loss=0.004)


def quiet_rig(game: Game) -> Rig:
    """The machine with slow fans: the card warms and loses a little speed."""
    rig = Rig(heat_loss=0.004 + game.heat)
    if game.name == HITCHING:
        rig = replace(rig, heat_loss=0.0, gpu_speed=1.003, hitch_rate=110.0, hitch_ms=3.0)
    return rig


def one_stick_rig(game: Game) -> Rig:
    """The machine with a single memory stick: the processor waits more."""
    return replace(STANDARD, cpu_speed=1.0 - game.stick)


@dataclass(frozen=True)
class Happening:
    """Something that happens to one pass: an upset, and the decision it leads to."""

    game: str
    lane: int
    number: int
    upset: Upset | None = None
    reason: str = ""
    state: str = ""


@dataclass(frozen=True)
class StudyScript:
    """A study to be made: lanes, the games that are run, and what happens."""

    question: str
    factor: str
    lanes: tuple[LaneScript, LaneScript]
    games: tuple[Game, ...]
    run: int
    finished: bool
    happenings: tuple[Happening, ...]
    condition: str = CONDITION
    dialects: tuple[Dialect, Dialect] = (COMMA, SEMICOLON)
    #: Differences between the lanes that were accepted, with the reason, by the check's key.
    accepted: dict[str, str] = field(default_factory=dict)
    #: When the first pass ran, whether lanes were run one after the other, and how far the bench drifted an hour.
    began: datetime = datetime(2026, 9, 8, 9, 15, tzinfo=UTC)
    lane_after_lane: bool = False
    drift: float = 0.0

    def minutes(self, game: int, lane: int, number: int) -> float:
        """When a pass ends, in minutes from when the first one began: in rounds, or there and back."""
        rounds = min(number, 4) - 1
        if self.lane_after_lane:
            turn, place = lane * 4 + rounds, game
        else:
            turn = 2 * rounds + (lane if rounds % 2 == 0 else 1 - lane)
            place = game if rounds % 2 == 0 else len(self.games) - 1 - game
        return MINUTES_A_PASS * (turn * len(self.games) + place + 1)


FANS = StudyScript(
    question="Does the quiet fan profile cost frames?",
    factor="Fan profile",
    lanes=(LaneScript("standard profile"), LaneScript("quiet profile", {"Fan profile": "quiet", "Room": "25 °C"})),
    games=GAMES,
    run=len(GAMES),
    finished=True,
    lane_after_lane=True,
    drift=0.0022,
    happenings=(
        Happening("Ninth Ferry", 1, 2, Upset(busy_from_s=8.0, busy_for_s=9.0, slowdown=2.2),
                  "a system update ran in the background from second 8", "rejected"),
        Happening("Ninth Ferry", 1, 4, reason="repeat of pass 2"),
        Happening("Hush Parliament", 1, 3, reason="the game closed itself while loading, twice", state="did_not_run"),
        Happening("Gravel Minuet", 0, 1, Upset(cold_start_s=9.0),
                  "first pass after loading: shaders were still being built", "rejected"),
        Happening("Gravel Minuet", 0, 4, reason="repeat of pass 1"),
    ),
    accepted={
        "setting:room": "The quiet profile ran in the afternoon. Three degrees only count against it, and it is the "
        "profile that loses: its true cost is at most what is shown.",
    },
)  # fmt: skip

STICKS = StudyScript(
    question="One memory stick or two?",
    factor="Memory kit",
    lanes=(LaneScript("two sticks"), LaneScript("one stick", {}, ("Kettle 1 × 32 GB",))),
    games=GAMES[:12],
    run=8,
    finished=False,
    began=datetime(2026, 9, 10, 10, 5, tzinfo=UTC),
    drift=0.001,
    happenings=(
        Happening("Ember Allotment", 1, 2, Upset(cold_start_s=7.0), state="recorded"),
        Happening("Velvet Quarry", 1, 3, reason="", state="waiting"),
        Happening("Velvet Quarry", 0, 3, reason="", state="planned"),
    ),
)

DRIVER = StudyScript(
    question="Does driver 42.0 change anything in the living room?",
    factor="Driver",
    lanes=(LaneScript("driver 41.2"), LaneScript("driver 42.0", {}, ("Ostrane 42.0",))),
    games=GAMES[:5],
    run=0,
    finished=False,
    happenings=(),
)

STUDIES = (DRIVER, STICKS, FANS)
