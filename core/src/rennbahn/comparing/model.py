"""What a comparison is made from: lanes, scenes, tests and passes with their figures."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field, fields
from typing import Any

from rennbahn.comparing.facts import AIMS, BUDGET_SHARES, STUDY_KINDS, Aims, LaneFacts, PassFacts, TestFacts
from rennbahn.errors import RennbahnError
from rennbahn.inference.looks import FALSE_CLAIMS, SequentialRule
from rennbahn.inference.sessions import Between
from rennbahn.keys import refuse_unknown
from rennbahn.measures.rates import LOW_SCHOOLS, LOWS

CELL_SCHOOLS = ("mean", "median_pass")
SUITE_SCHOOLS = ("geometric", "mean_of_margins", "ratio_of_means", "equal_frames")
ACCEPTED = "accepted"
CAPPED = "capped"
#: The status of a pass that waits for a decision.
WAITING = "recorded"
AVERAGE = "average_fps"
#: No bench drifts faster than this, a share an hour.
MOST_DRIFT = 0.1


def low_figure(low: str, school: str) -> str:
    """Name of a low under a school: `low_1.percentile`."""
    return f"low_{low}.{school}"


#: Every figure that lanes are compared by.
FIGURES = (AVERAGE, *(low_figure(low, school) for low in LOWS for school in LOW_SCHOOLS))


@dataclass(frozen=True)
class Method:
    """The schools a study declares. `equal_band` is a share: 0.01 calls lanes within 1% even.

    `looks` is the rule by which passes are added while a verdict is open, where the study has one: every interval is
    then at the rule's stricter level. `drift_allowance` is the slow drift of the bench that is allowed for, as a share
    an hour (its 95% bound); 0 allows for none. `between` is what sessions differ by, None where nothing is stated.
    """

    equal_band: float = 0.01
    cell_school: str = CELL_SCHOOLS[0]
    low_school: str = LOW_SCHOOLS[0]
    suite_school: str = SUITE_SCHOOLS[0]
    target_hz: float = 60.0
    looks: SequentialRule | None = None
    drift_allowance: float = 0.0
    between: Between | None = None

    def __post_init__(self) -> None:
        if not (math.isfinite(self.equal_band) and 0 < self.equal_band < 1):
            _refuse("equal_band", f"the equal band must lie between 0 and 1, as 0.01 for 1% (got {self.equal_band})")
        if not (math.isfinite(self.drift_allowance) and 0 <= self.drift_allowance <= MOST_DRIFT):
            _refuse(
                "drift_allowance",
                f"the drift that is allowed for must lie between 0 and {MOST_DRIFT:g}, as 0.005 for 0.5% an hour "
                f"(got {self.drift_allowance})",
            )
        for name, allowed in (
            ("cell_school", CELL_SCHOOLS),
            ("low_school", LOW_SCHOOLS),
            ("suite_school", SUITE_SCHOOLS),
        ):
            if getattr(self, name) not in allowed:
                _refuse(name, f"{name} must be one of {', '.join(allowed)} (got {getattr(self, name)!r})")

    @property
    def level(self) -> float:
        """The level of every interval and verdict: 0.05, or that of each look where the study is looked at often."""
        return FALSE_CLAIMS if self.looks is None else self.looks.level

    @classmethod
    def from_json(cls, data: Mapping[str, Any]) -> Method:
        """Read the `settings` of a study file; `looks` holds `first` and `limit`, `between` `sd` and `df`."""
        given = dict(data)
        refuse_unknown(given, {one.name for one in fields(cls)}, "settings", "bad_study")
        looks = given.pop("looks", None)
        rule = None
        if looks is not None:
            refuse_unknown(looks, {"first", "limit"}, "settings.looks", "bad_study")
            rule = SequentialRule(first=int(looks["first"]), limit=int(looks["limit"]))
        between = given.pop("between", None)
        apart = None
        if between is not None:
            refuse_unknown(between, {"sd", "df"}, "settings.between", "bad_study")
            apart = Between(float(between["sd"]), None if between.get("df") is None else float(between["df"]))
        return cls(**given, looks=rule, between=apart)


@dataclass(frozen=True)
class Lane:
    """A setup taking part."""

    id: str
    name: str
    facts: LaneFacts = field(default_factory=LaneFacts)


@dataclass(frozen=True)
class Scene:
    """A repeatable stretch of a game."""

    id: str
    game: str
    name: str


@dataclass(frozen=True)
class Test:
    """A scene under conditions. `group` names what it may be pooled with: the same intent, resolution and preset."""

    __test__ = False  # pytest: not a class of tests

    id: str
    scene: str
    conditions: str = ""
    group: str = ""
    facts: TestFacts = field(default_factory=TestFacts)


@dataclass(frozen=True)
class Pass:
    """One run of a test in a lane. A status other than `accepted` is the reason why it does not count.

    `clock_h` is the hour of the bench at which it ran, counted since its `session` began, where they are known.
    """

    id: str
    lane: str
    test: str
    status: str
    source: str = "frames"
    flags: tuple[str, ...] = ()
    figures: Mapping[str, float] = field(default_factory=dict)
    clock_h: float | None = None
    session: str | None = None
    facts: PassFacts = field(default_factory=PassFacts)


@dataclass(frozen=True)
class Study:
    """A question with all that was measured for it. `compare` holds pairs (A, B); margins are of B over A.

    `kind` says what is answered beside margins, `aims` what for. `group_words` are what groups are called, by key;
    any other is called by its key.
    """

    name: str
    method: Method
    lanes: tuple[Lane, ...]
    scenes: tuple[Scene, ...]
    tests: tuple[Test, ...]
    passes: tuple[Pass, ...]
    compare: tuple[tuple[str, str], ...]
    kind: str = STUDY_KINDS[0]
    aims: Aims = field(default_factory=Aims)
    group_words: Mapping[str, str] = field(default_factory=dict)

    @property
    def groups(self) -> tuple[str, ...]:
        """The groups that its tests name, in order; tests that name none are in none."""
        return tuple(dict.fromkeys(test.group for test in self.tests if test.group))

    def __post_init__(self) -> None:
        lanes, tests = {lane.id for lane in self.lanes}, {test.id for test in self.tests}
        scenes = {scene.id for scene in self.scenes}
        self._refuse_strange_names(lanes, tests)
        for test in self.tests:
            if test.scene not in scenes:
                _refuse("tests", f"test {test.id} names the scene {test.scene}, which is not there")
        for one in self.passes:
            if one.lane not in lanes or one.test not in tests:
                _refuse("passes", f"pass {one.id} names lane {one.lane}, test {one.test}: one of them is not there")
            for figure, value in one.figures.items():
                if not (math.isfinite(value) and value > 0):
                    _refuse("passes", f"pass {one.id}: {figure} must be above 0 fps (got {value})")
            if one.clock_h is not None and not math.isfinite(one.clock_h):
                _refuse("passes", f"pass {one.id}: clock_h must be an hour of the bench (got {one.clock_h})")
        for pair in self.compare:
            if not set(pair) <= lanes:
                _refuse("compare", f"{pair[1]} over {pair[0]}: one of these lanes is not there")

    def _refuse_strange_names(self, lanes: set[str], tests: set[str]) -> None:
        if self.kind not in STUDY_KINDS:
            _refuse("kind", f"the kind of a study must be one of {', '.join(STUDY_KINDS)} (got {self.kind!r})")
        for lane in self.lanes:
            for other in (lane.facts.upscaled_from, lane.facts.mode_of):
                if other is not None and other not in lanes:
                    _refuse("lanes", f"lane {lane.id} is upscaled from {other}, which is not there")
        for test in self.tests:
            if test.facts.play_of is not None and test.facts.play_of not in tests:
                _refuse("tests", f"test {test.id} stands for {test.facts.play_of}, which is not there")

    @classmethod
    def from_json(cls, data: Mapping[str, Any]) -> Study:
        """Read a study file. Raises :class:`RennbahnError` (`bad_study`) naming what is missing or wrong."""
        try:
            refuse_unknown(
                data,
                {*(one.name for one in fields(cls)), "settings"} - {"method", "aims", "group_words"},
                "the study",
                "bad_study",
            )
            settings = data.get("settings", {})
            for part, known in _KEYS.items():
                for x in data[part]:
                    refuse_unknown(x, known, part, "bad_study")
            return cls(
                name=str(data.get("name", "")),
                method=Method.from_json({key: value for key, value in settings.items() if key not in AIMS}),
                lanes=tuple(
                    Lane(str(x["id"]), str(x.get("name", x["id"])), LaneFacts.from_json(x)) for x in data["lanes"]
                ),
                scenes=tuple(
                    Scene(str(x["id"]), str(x.get("game", "")), str(x.get("name", ""))) for x in data["scenes"]
                ),
                tests=tuple(
                    Test(
                        str(x["id"]),
                        str(x["scene"]),
                        str(x.get("conditions", "")),
                        str(x.get("group", "")),
                        TestFacts.from_json(x),
                    )
                    for x in data["tests"]
                ),
                passes=tuple(
                    Pass(
                        str(x.get("id", number)),
                        str(x["lane"]),
                        str(x["test"]),
                        str(x["status"]),
                        str(x.get("source", "frames")),
                        tuple(x.get("flags") or ()),
                        {k: float(v) for k, v in (x.get("figures") or {}).items() if v is not None},
                        None if x.get("clock_h") is None else float(x["clock_h"]),
                        None if x.get("session") is None else str(x["session"]),
                        PassFacts.from_json(x),
                    )
                    for number, x in enumerate(data["passes"], start=1)
                ),
                compare=tuple((str(a), str(b)) for a, b in data.get("compare", ())),
                kind=str(data.get("kind", STUDY_KINDS[0])),
                aims=Aims.from_json(settings),
            )
        except KeyError as error:
            raise RennbahnError("bad_study", f"the study lacks {error}", field=str(error.args[0])) from None
        except (AttributeError, TypeError, ValueError) as error:
            raise RennbahnError("bad_study", f"the study is not in the form described: {error}") from None


#: What each entry of a study file may hold.
_KEYS = {
    "lanes": {
        "id", "name", "price", "power_w", "memory_gb", "level", "unit", "rival", "levels", "step", "upscaled_from",
        "chain", "mode_of", "cards",
    },
    "scenes": {"id", "game", "name", "kind", "length_s"},
    "tests": {"id", "scene", "conditions", "group", "resolution", "preset", "play_of"},
    "passes": {
        "id", "lane", "test", "number", "status", "source", "flags", "figures", "clock_h", "session", "control",
        "reason_code", "power_w", "gpu_busy_ms", "cpu_busy_ms", *BUDGET_SHARES, "longest_spell_s", "alternation",
    },
}  # fmt: skip


def _refuse(field: str, message: str) -> None:
    raise RennbahnError("bad_study", message, field=field)
