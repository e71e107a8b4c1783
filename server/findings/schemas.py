"""Findings as the API speaks of them. Margins and intervals are shares (0.05 is 5%)."""

from __future__ import annotations

from typing import Annotated, Literal

from answering import Out
from planning.fair_schemas import CaveatOut
from pydantic import BaseModel, Field, StringConstraints
from strict import In
from studies.schemas import GroupOut, LaneOut, Method

from findings.queries import Asked

#: Ids with commas between them.
Ids = Annotated[str, StringConstraints(pattern=r"^(\d{1,12}(,\d{1,12})*)?$", max_length=600)]


class LookedAt(BaseModel):
    """What is looked at: one lane over another, in one group of tests; without any of it the study's own choice.

    `joined` is an older study whose lanes stand beside this one's.
    """

    baseline: int | None = None
    other: int | None = None
    group: str | None = None
    joined: int | None = None

    def asked(self) -> Asked:
        """The same, as findings are asked for it."""
        return Asked(self.baseline, self.other, self.group, self.joined)


class AskedWhy(LookedAt):
    """Which number is asked about: of the suite, of one `test`, the level of one `lane`, or lanes over lanes.

    `plus` and `minus` are ids of lanes with commas between them: the mean ln of the one less that of the other, by
    `per`, of `at_once` that are held together.
    """

    figure: str = "average"
    test: int | None = None
    lane: int | None = None
    plus: Ids = ""
    minus: Ids = ""
    per: int = Field(default=1, ge=1, le=1000)
    at_once: int = Field(default=1, ge=1, le=1000)


class LeftOut(Out):
    """Why a test takes no part."""

    lane_id: int | None
    reason: str
    words: str


class NoiseOut(Out):
    """Pass noise: the floor in percent, and whose passes it stands on."""

    floor_percent: float | None
    df: float
    pool: str


class MarginOut(Out):
    """One figure in one test, both ways round. All but `raw_b_over_a` are set right for drift."""

    left_out: LeftOut | None
    a: float | None = None
    b: float | None = None
    n_a: int = 0
    n_b: int = 0
    raw_b_over_a: float | None = None
    drift_share: float | None = None
    b_over_a: float | None = None
    a_over_b: float | None = None
    a_behind_b: float | None = None
    low: float | None = None
    high: float | None = None
    verdict: str | None = None
    within: str | None = None
    words: str = ""
    could_be_chance: bool | None = None
    further_passes: int | None = None
    resolvable: float | None = None
    noise: NoiseOut | None = None


class TestFinding(Out):
    """A test with the margins of its figures."""

    __test__ = False

    test_id: int
    game: str
    scene: str
    condition: str
    average: MarginOut
    low_1: MarginOut
    low_01: MarginOut


class Mover(Out):
    """The test that moves the suite most, and the suite margin without it."""

    test_id: int
    without: float


class SentenceOut(Out):
    """An answer in parts, as the core's sentence: its two words between what goes before and after, then its basis."""

    before: str
    answer: str
    after: str
    basis: str
    but: str
    otherwise: str
    lacks: str
    empty: bool
    text: str


class SuiteDrift(Out):
    """What drift of the bench does to a suite, as shares: what was taken off, the margin as measured, what is left."""

    share: float
    raw: float
    left: float
    untold: bool


class BenchDrift(Out):
    """The drift of the bench that was taken off, in percent an hour, or why none was."""

    percent_per_hour: float | None
    low: float | None
    high: float | None
    trouble: str
    words: str


class SuiteOut(Out):
    """One figure over the tests of a group."""

    figure: str
    sentence: SentenceOut
    #: What came of tests that gave no number, which is a result too; empty without any.
    tests: int
    games: int = 0
    margin: float | None = None
    margins: dict[str, float] = {}
    low: float | None = None
    high: float | None = None
    games_low: float | None = None
    games_high: float | None = None
    single_game_low: float | None = None
    single_game_high: float | None = None
    basis_words: str = ""
    games_words: str = ""
    verdict: str | None = None
    within: str | None = None
    drift: SuiteDrift | None = None
    verdicts: dict[str, str] = {}
    beyond: dict[str, dict[str, int]] = {}
    wins: int = 0
    losses: int = 0
    even: int = 0
    open: int = 0
    median_margin: float | None = None
    outliers: list[int] = []
    mover: Mover | None = None
    agreement: dict[str, str] = {}
    depends_on_method: bool = False


class LaneRef(Out):
    """A lane by name; `marker` is its place in the order of colours and shapes."""

    id: int
    name: str
    marker: int


class LevelOut(Out):
    """A lane's level in a test, in fps: 1% low, median and average."""

    lane_id: int
    test_id: int
    average: float | None
    median: float | None
    low_1: float | None
    passes: int


class PassNote(Out):
    """A pass that does not count, with its reason."""

    pass_id: int
    test_id: int
    lane_id: int
    number: int
    state: str
    reason: str
    test: str
    lane: str


class MissingNote(Out):
    """A cell with fewer accepted passes than planned."""

    test_id: int
    lane_id: int
    test: str
    lane: str
    accepted: int
    passes_wanted: int


class BriefOut(Out):
    """A suite in a few numbers, and the same with the lanes the other way round."""

    margin: float | None
    low: float | None
    high: float | None
    verdict: str | None
    reverse: float | None
    reverse_low: float | None
    reverse_high: float | None
    reverse_verdict: str | None
    tests: int
    depends_on_method: bool


class GroupBrief(Out):
    """The pair that is looked at, in one group."""

    group: str
    average: BriefOut
    low_1: BriefOut
    low_01: BriefOut


class BriefColumns(Out):
    """Suites of many pairs in brief, one column a fact, one place a pair."""

    margin: list[float | None]
    low: list[float | None]
    high: list[float | None]
    verdict: list[str | None]
    reverse: list[float | None]
    reverse_low: list[float | None]
    reverse_high: list[float | None]
    reverse_verdict: list[str | None]
    tests: list[int]
    depends_on_method: list[bool]


class PairsOut(Out):
    """Every pair of lanes in one group: B over A, A the lane that comes first."""

    group: str
    a: list[int]
    b: list[int]
    average: BriefColumns
    low_1: BriefColumns
    low_01: BriefColumns


class RejectionsOut(Out):
    """Rejected passes of a lane: how many ran below what counts in their cell, how many above it."""

    lane_id: int
    count: int
    raising: int
    lowering: int


class RejectedOut(Out):
    """What was thrown out, lane by lane, and in a sentence whether it happens to favour one."""

    lanes: list[RejectionsOut]
    words: str


class OddOut(Out):
    """A pass that is odd, but real: it stands, and is told."""

    pass_id: int
    test_id: int
    lane_id: int
    number: int
    words: str


class ShiftOut(Out):
    """A session that ran shifted as a whole, and what taking that off would do to the answer."""

    key: str
    passes: int
    settled: bool
    words: str


class BesideOut(Out):
    """What stands beside the findings of a group: rejections, odd passes that are real, shifted sessions."""

    rejections: RejectedOut
    odd: list[OddOut]
    shifts: list[ShiftOut]


class MovedOut(Out):
    """One figure of the answer before and after, as shares; none where there is no answer."""

    figure: str
    before: float | None
    after: float | None
    before_verdict: str | None
    after_verdict: str | None
    words: str


class WhatIfIn(In):
    """Passes, and what they would become."""

    pass_ids: list[int] = Field(min_length=1, max_length=20_000)
    state: Literal["accepted", "rejected"]


class WhatIfOut(Out):
    """How the findings would move, for the lanes and the group that the passes are of."""

    baseline: LaneRef
    other: LaneRef
    group: str
    #: What these passes are to the answer as it stands.
    counted: int
    average: MovedOut
    low_1: MovedOut
    rejections: RejectedOut


class JoinedOut(Out):
    """A lane of an older study: in words its age, driver, scenes and what else differs, or why it takes no part."""

    lane_id: int
    name: str
    study_id: int
    words: str
    takes_part: bool
    #: The lane as those of the study are told of.
    lane: LaneOut


class FindingsOut(Out):
    """The findings of a study for one pair of lanes in one group of tests, and for all pairs and groups in brief."""

    study_id: int
    question: str
    factor: str
    state: str
    method: Method
    groups: list[GroupOut]
    group: str
    #: Lanes of an older study.
    joined: list[JoinedOut]
    baseline: LaneRef
    other: LaneRef
    average: SuiteOut
    low_1: SuiteOut
    low_01: SuiteOut
    by_group: list[GroupBrief]
    pairs: list[PairsOut]
    tests: list[TestFinding]
    levels: list[LevelOut]
    accepted_passes: int
    rejected: list[PassNote]
    missing: list[MissingNote]
    caveats: list[CaveatOut]
    #: The level of every interval: 0.05, or stricter where passes are added while a verdict is open.
    interval_level: float
    interval_words: str
    level_sentence: str
    bench_drift: BenchDrift
    #: Captures whose figures are being made anew.
    stale: int


class EyeNoteIn(In):
    """What the eye gets, in the reviewer's words; `seen` is the mark of the note that was read, empty of none."""

    words: Annotated[str, StringConstraints(strip_whitespace=True, max_length=2000)]
    seen: str = Field(default="", max_length=64)


class EyePictureOut(Out):
    """A picture of one side: its name, its size in pixels, and a mark of its content."""

    side: str
    name: str
    width: int
    height: int
    sha256: str


class EyeNoteOut(Out):
    """What the eye gets from one lane to another."""

    from_lane: int
    to_lane: int
    words: str
    by: str
    pictures: list[EyePictureOut]
    seen: str
