"""What a plan is made of: tests and lanes as they are run, what each change costs, and the time there is."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, fields
from typing import Literal, NamedTuple

from rennbahn.errors import RennbahnError
from rennbahn.planning.lengths import RECKONED_S

ChangeKind = Literal[
    "start", "swap", "driver", "reboot", "setting", "load", "restart", "menu", "resolution", "soak", "cool", "warm_up"
]
OrderName = Literal["lane_by_lane", "in_rounds", "alternating", "by_game", "random", "by_hand"]

ORDERS: tuple[OrderName, ...] = ("lane_by_lane", "in_rounds", "alternating", "by_game", "random")
#: Changes that are made, as against time that merely passes.
COUNTED: tuple[ChangeKind, ...] = ("swap", "driver", "reboot", "setting", "load", "restart", "menu", "resolution")
_LONGEST_S = 86_400.0


@dataclass(frozen=True)
class Costs:
    """Seconds that each change takes. The defaults are a stated guess for one practised person at one machine."""

    start_s: float = 600.0
    swap_s: float = 1800.0
    quick_swap_s: float = 600.0
    driver_s: float = 900.0
    reboot_s: float = 240.0
    setting_s: float = 60.0
    load_s: float = 90.0
    restart_s: float = 75.0
    menu_s: float = 20.0
    resolution_s: float = 25.0
    between_s: float = 20.0
    #: Under load before the first pass of a game that was just loaded, until its temperature is steady; and rest that
    #: a machine has at least between two passes.
    soak_s: float = 0.0
    cool_s: float = 0.0

    def __post_init__(self) -> None:
        """Refuse what is no time. Raises :class:`RennbahnError` (`bad_cost`)."""
        for one in fields(self):
            value = getattr(self, one.name)
            if not 0 <= value <= _LONGEST_S:
                raise RennbahnError(
                    "bad_cost", f"{one.name} must be 0 to {_LONGEST_S:g} s (got {value:g})", field=f"costs.{one.name}"
                )


@dataclass(frozen=True)
class PlannedTest:
    """A test as it is run: `length_s` a pass, `warm_ups` uncounted runs after each loading of its game.

    `resolution` and `settings` are what the game is told; `needs_restart` where the game takes new settings only on a
    restart. `priority` 1 stays longest, 3 goes first. `length_known` is False where that length is only
    reckoned with. `patched_s` is when its game becomes another one: its passes lie all before or all after that, and
    after it only where none was `run_before` it.
    """

    id: str
    game: str
    scene: str
    resolution: str = ""
    settings: str = ""
    length_s: float = RECKONED_S
    warm_ups: int = 1
    needs_restart: bool = False
    priority: int = 2
    length_known: bool = True
    patched_s: float | None = None
    run_before: bool = False


@dataclass(frozen=True)
class PlannedLane:
    """A lane as it is run. `told` replaces what the test tells the game, as (resolution, settings), where it is set.

    `until_s` is when a part of it goes back: its passes end before that.
    """

    id: str
    name: str
    told: tuple[str, str] | None = None
    until_s: float | None = None


@dataclass(frozen=True)
class PlannedPass:
    """One pass to be run: numbers of its lane and test in the plan, and its number in its cell.

    A `control` pass is one more pass of its cell, run where its lane begins or ends, so that a drift shows.
    """

    id: str
    lane: int
    test: int
    number: int
    control: bool = False


class LaneStep(NamedTuple):
    """One change between two lanes: its words and seconds, and what it is about, as fairness names it (`part:cooler`,
    `setting:power limit`; empty where it is about nothing in particular)."""

    kind: ChangeKind
    words: str
    seconds: float
    about: str = ""


@dataclass(frozen=True)
class LaneChange:
    """What is done between two lanes."""

    steps: tuple[LaneStep, ...] = ()

    @property
    def seconds(self) -> float:
        """All of it."""
        return sum(step[2] for step in self.steps)


@dataclass(frozen=True)
class Session:
    """A stretch of time at the bench, in seconds from the plan's beginning."""

    start_s: float
    length_s: float


@dataclass(frozen=True)
class Work:
    """All that is to be ordered and laid out. `changes[i, j]` is what lies between lanes i and j."""

    tests: tuple[PlannedTest, ...]
    lanes: tuple[PlannedLane, ...]
    passes: tuple[PlannedPass, ...]
    changes: Mapping[tuple[int, int], LaneChange] = field(default_factory=dict)
    costs: Costs = field(default_factory=Costs)

    def told(self, lane: int, test: int) -> tuple[str, str]:
        """Resolution and settings of a test in a lane."""
        own = self.lanes[lane].told
        return own if own is not None else (self.tests[test].resolution, self.tests[test].settings)
