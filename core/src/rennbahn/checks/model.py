"""What checks are asked about, and what they answer."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property

from rennbahn.checks.profile import Profile
from rennbahn.errors import RennbahnError
from rennbahn.planning.noise import Estimate


@dataclass(frozen=True)
class CheckedScene:
    """A scene as its card has it; `length_s` None where it is not written down."""

    id: str
    game: str = ""
    name: str = ""
    kind: str = "route"
    length_s: float | None = None


@dataclass(frozen=True)
class CheckedTest:
    """A scene under conditions."""

    id: str
    scene: str
    conditions: str = ""


@dataclass(frozen=True)
class CheckedLane:
    """A lane of the study."""

    id: str
    name: str


@dataclass(frozen=True)
class ReadBack:
    """A setting as it was to be, and as a second place showed it; `seen` None where nobody looked."""

    setting: str
    wanted: str
    seen: str | None


@dataclass(frozen=True)
class CheckedPass:
    """A pass with the profile of its capture. Clocks in hours of the bench; `session` where it is known.

    `after_load` marks the first pass since its game was loaded.
    """

    id: str
    lane: str
    test: str
    number: int
    profile: Profile
    clock_h: float | None = None
    session: str | None = None
    control: bool = False
    after_load: bool = False
    #: Every setting under test that was to be read back before it ran.
    read_backs: tuple[ReadBack, ...] = ()
    #: The pass that it was run to repeat.
    repeats: str | None = None
    expected_channels: tuple[str, ...] = ()


@dataclass(frozen=True)
class Doubt:
    """Why something deserves another look: what, how sure, what to do.

    Without a pass it is about all passes of its lane and test, or of the lane or study where these are none as well.
    `evidence` are numbers or names, or lists of them, by name; `window` (from, to) in seconds is proposed where
    trimming would settle it.
    """

    check: str
    words: str
    on: str | None = None
    lane: str | None = None
    test: str | None = None
    weak: bool = False
    evidence: Mapping[str, object] = field(default_factory=dict)
    window: tuple[float, float] | None = None

    def as_json(self) -> dict[str, object]:
        """Plain data, in the order that docs/checks.md names."""
        return {
            "check": self.check, "pass": self.on, "lane": self.lane, "test": self.test, "weak": self.weak,
            "words": self.words, "evidence": dict(self.evidence), "window": list(self.window) if self.window else None,
        }  # fmt: skip


@dataclass(frozen=True)
class Context:
    """All that is known while passes are checked: the passes of a study, in the order in which they were run."""

    scenes: tuple[CheckedScene, ...]
    tests: tuple[CheckedTest, ...]
    lanes: tuple[CheckedLane, ...]
    passes: tuple[CheckedPass, ...]
    #: What was learned of the noise of scenes elsewhere: by scene and figure (`average_fps`, `low_1`).
    noise: Mapping[str, Mapping[str, Estimate]] = field(default_factory=dict)

    def __post_init__(self) -> None:
        scenes = {scene.id for scene in self.scenes}
        for test in self.tests:
            if test.scene not in scenes:
                _refuse("tests", f"test {test.id} names the scene {test.scene}, which is not there")
        lanes, tests = {lane.id for lane in self.lanes}, {test.id for test in self.tests}
        seen: set[str] = set()
        for one in self.passes:
            if one.lane not in lanes or one.test not in tests:
                _refuse("passes", f"pass {one.id} names lane {one.lane}, test {one.test}: one of them is not there")
            if one.id in seen:
                _refuse("passes", f"there are two passes {one.id}")
            seen.add(one.id)

    @cached_property
    def test_by_id(self) -> dict[str, CheckedTest]:
        """Tests by their id."""
        return {test.id: test for test in self.tests}

    @cached_property
    def scene_by_id(self) -> dict[str, CheckedScene]:
        """Scenes by their id."""
        return {scene.id: scene for scene in self.scenes}

    @cached_property
    def lane_by_id(self) -> dict[str, CheckedLane]:
        """Lanes by their id."""
        return {lane.id: lane for lane in self.lanes}

    @cached_property
    def cells(self) -> dict[tuple[str, str], tuple[CheckedPass, ...]]:
        """Passes by lane and test."""
        found: dict[tuple[str, str], list[CheckedPass]] = {}
        for one in self.passes:
            found.setdefault((one.lane, one.test), []).append(one)
        return {place: tuple(cell) for place, cell in found.items()}

    def scene_of(self, one: CheckedPass) -> CheckedScene:
        """The scene of a pass."""
        return self.scene_by_id[self.test_by_id[one.test].scene]

    @cached_property
    def tests_passes(self) -> dict[str, tuple[CheckedPass, ...]]:
        """Passes by test."""
        found: dict[str, list[CheckedPass]] = {}
        for one in self.passes:
            found.setdefault(one.test, []).append(one)
        return {test: tuple(passes) for test, passes in found.items()}

    def siblings(self, one: CheckedPass) -> tuple[CheckedPass, ...]:
        """The other passes of its cell."""
        return tuple(other for other in self.cells[one.lane, one.test] if other.id != one.id)

    def of_test(self, test: str) -> tuple[CheckedPass, ...]:
        """All passes of a test."""
        return self.tests_passes.get(test, ())

    def where(self, one: CheckedPass) -> str:
        """A pass in words, for sentences."""
        scene = self.scene_of(one)
        return f"{scene.game}, {scene.name}".strip(", ") or one.test

    def test_words(self, test: str) -> str:
        """A test in words, for sentences."""
        scene = self.scene_by_id[self.test_by_id[test].scene]
        words = f"{scene.game}, {scene.name}".strip(", ") or test
        return f"{words} ({self.test_by_id[test].conditions})" if self.test_by_id[test].conditions else words


def _refuse(field_name: str, message: str) -> None:
    raise RennbahnError("bad_context", message, field=field_name)
