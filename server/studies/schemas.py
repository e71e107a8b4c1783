"""Studies as the API speaks of them."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from answering import Out
from bench.schemas import SetupIn, SetupOut
from pydantic import Field, StringConstraints
from rennbahn.comparing.model import MOST_DRIFT
from rennbahn.inference.sessions import MOST_BETWEEN, USUAL_BETWEEN
from rennbahn.planning.order_tells import USUAL_DRIFT
from scenes.schemas import Name
from strict import ONE_LINE, Edit, In

Question = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=200), ONE_LINE]
MaybeName = Annotated[str, StringConstraints(strip_whitespace=True, max_length=120), ONE_LINE]
#: So many tests of a group may miss a rate that is still called held.
MOST_MISSED = 20
Reason = Annotated[str, StringConstraints(strip_whitespace=True, max_length=300)]


class Method(In):
    """How a study answers. `equal_band` is a share: 0.01 calls lanes within 1% even.

    `drift_allowance` is the slow drift of the bench that is allowed for, as a share an hour; `between` what sessions of
    one setup are taken to differ by, as a standard deviation of ln fps (none where nothing is stated), with the reason
    where it is not the usual. A rate is held on average over the tests where `may_miss` is none, else in all of them
    but so many.
    """

    leading: Literal["average_fps", "low_1"] = "average_fps"
    low_school: Literal["percentile", "slowest_frames", "slowest_time"] = "percentile"
    suite_school: Literal["geometric", "mean_of_margins", "ratio_of_means", "equal_frames"] = "geometric"
    cell_school: Literal["mean", "median_pass"] = "mean"
    equal_band: float = Field(default=0.01, gt=0, lt=1)
    target_hz: float = Field(default=60.0, gt=0, le=2000)
    display_hz: float | None = Field(default=None, gt=0, le=2000)
    display_variable: bool = False
    drift_allowance: float = Field(default=USUAL_DRIFT, ge=0, le=MOST_DRIFT)
    between: float | None = Field(default=USUAL_BETWEEN, ge=0, le=MOST_BETWEEN)
    between_why: Reason = ""
    may_miss: int | None = Field(default=None, ge=0, le=MOST_MISSED)


class MethodEdit(Method, Edit):
    """A method in place of the one that was declared."""


class LaneIn(In):
    """A lane: an existing setup, or one described here. `levels` by factor; `condition` replaces the tests' own."""

    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=80), ONE_LINE]
    setup_id: int | None = None
    setup: SetupIn | None = None
    levels: dict[str, str] = Field(default_factory=dict, max_length=2)
    condition: MaybeName = ""


class TestIn(In):
    """A test by game, scene and condition; each is made if it is not there yet."""

    __test__ = False

    game: Name
    scene: Name
    condition: Name
    priority: int = Field(default=2, ge=1, le=3)
    passes_wanted: int | None = Field(default=None, ge=1, le=50)


class TestsIn(In):
    """All tests of a study, in their order."""

    __test__ = False

    tests: list[TestIn] = Field(min_length=1, max_length=400)


class TestsEdit(TestsIn, Edit):
    """Tests in place of those that were there."""

    __test__ = False


class AskedIn(In):
    """What a study asks: its question and its factor, of a grid both."""

    question: Question
    factor: Name
    second_factor: MaybeName = ""


class AskedEdit(AskedIn, Edit):
    """A question in place of the one that was asked."""


class StudyIn(AskedIn):
    """A study of any kind: its lanes, its tests, its method."""

    kind: Literal["a_b", "ladder", "sweep", "grid", "scaling", "budget", "several", "proxy_check"] = "a_b"
    lanes: list[LaneIn] = Field(min_length=2, max_length=60)
    baseline: int = Field(default=0, ge=0, le=59)
    tests: list[TestIn] = Field(min_length=1, max_length=400)
    passes_wanted: int = Field(default=3, ge=1, le=50)
    method: Method = Field(default_factory=Method)


class LevelOut(Out):
    """A level of a factor: in words, and as a number with its unit where it is one."""

    words: str
    number: float | None
    unit: str


class LaneOut(Out):
    """A lane with the version of its setup, what level of each factor it stands for, and its own condition if any."""

    id: int
    position: int
    name: str
    baseline: bool
    setup: SetupOut
    levels: dict[str, LevelOut]
    condition: str


class TestOut(Out):
    """A test."""

    __test__ = False

    id: int
    position: int
    scene_id: int
    game_id: int
    condition_id: int
    game: str
    scene: str
    condition: str
    group: str
    priority: int
    passes_wanted: int


class GroupOut(Out):
    """Tests that may be pooled: the same intent, resolution and preset. Suites are over one group."""

    key: str
    words: str
    intent: str
    tests: int
    games: int


class Counts(Out):
    """Passes by state."""

    planned: int
    recorded: int
    accepted: int
    rejected: int
    did_not_run: int


class StudySummary(Out):
    """A study on the desk."""

    id: int
    kind: str
    question: str
    factor: str
    second_factor: str
    state: str
    ready_at: datetime | None
    lanes: list[str]
    tests: int
    counts: Counts
    created_at: datetime
    finished_at: datetime | None
    archived_at: datetime | None
    #: Kept to named people: nobody else sees that there is such a study.
    kept: bool


class KeptIn(In):
    """Whom a study is kept to, beside who says so; null opens it to all."""

    names: list[Annotated[str, StringConstraints(max_length=150), ONE_LINE]] | None = Field(max_length=500)


class SeenOut(Out):
    """Marks of the states of a study, which a change of one of them gives back."""

    question: str
    method: str
    tests: str


class StudyOut(StudySummary):
    """A whole study but for its passes."""

    created_by: str
    #: Whom it is kept to; null where everybody sees it.
    kept_to: list[str] | None
    passes_wanted: int
    method: Method
    lanes_full: list[LaneOut]
    tests_full: list[TestOut]
    groups: list[GroupOut]
    #: Crossings of a grid that no lane stands for.
    missing_cells: list[dict[str, str]]
    seen: SeenOut


class PassRef(Out):
    """A pass and its state."""

    id: int
    lane_id: int
    test_id: int
    number: int
    state: str
    role: str
    reason_code: str
    reason: str


ReasonCode = Literal[
    "",
    "did_not_launch",
    "crashed",
    "unstable",
    "below_floor",
    "wrong_setting",
    "interrupted",
    "odd",
    "not_tested",
    "other",
]
State = Literal["planned", "recorded", "accepted", "rejected", "did_not_run"]


class PassChange(In):
    """A new state of a pass; rejecting needs a reason, and so does a pass that did not run.

    The reason is a code, with words where one wants to say more; words alone are another reason.
    """

    state: State
    reason_code: ReasonCode = ""
    reason: Reason = ""


class PassesChange(PassChange):
    """The same for several passes, as one act."""

    pass_ids: list[int] = Field(min_length=1, max_length=20_000)


class PassesIn(In):
    """Some passes of a study."""

    pass_ids: list[int] = Field(min_length=1, max_length=2_000)


class Changed(Out):
    """How many it changed."""

    changed: int


class PassIn(In):
    """One more planned pass."""

    lane_id: int
    test_id: int
    role: Literal["counted", "warm_up", "control", "repeat"] = "counted"


class AuditOut(Out):
    """A line of the record."""

    at: datetime
    who: str
    what: str
    why: str
    pass_id: int | None
    on: str
