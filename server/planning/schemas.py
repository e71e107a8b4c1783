"""Plans as the API speaks of them."""

from __future__ import annotations

from datetime import datetime, time
from typing import Annotated, Literal

from answering import Out
from bench.schemas import PartRef
from pydantic import Field, StringConstraints, field_validator, model_validator
from strict import ONE_LINE, Day, Edit, In, Moment, TimeOfDay

from planning.fair_schemas import ChangedOut, ObjectionOut, PairingOut

Reason = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=400)]
OrderName = Literal["lane_by_lane", "in_rounds", "alternating", "by_game", "random", "by_hand"]
#: A text of a draft, which may still be empty.
Draft = Annotated[str, StringConstraints(strip_whitespace=True, max_length=200), ONE_LINE]


#: Seconds that a change takes; a day is more than any.
Cost = Annotated[float, Field(ge=0, le=86_400)]


class NeedOut(Out):
    """What a test needs. `source` says whose its noise is: the `scene`'s own, `drawn` towards other scenes', that of
    `all_scenes`, or a `guess`; `known_df` with how many degrees of freedom it was learned.

    `resolvable` by figure is the margin that the planned passes can show, as a share.
    """

    test_id: int
    source: str
    noise_percent: float
    known_df: float | None
    needed: int | None
    for_even: int | None
    proposed: int
    enough: bool
    resolvable: dict[str, float | None]


class RuleOut(Out):
    """The rule of adding passes while a verdict is open. `level` is that of every interval, at each look."""

    first: int
    limit: int
    looks: int
    level: float


class PlanDate(In):
    """A day that changes what can be run: nobody is at the bench (`off`), a part of a lane goes back in the morning
    (`back`), a game is patched in the morning (`patch`)."""

    kind: Literal["off", "back", "patch"]
    on: Day
    lane_id: int | None = None
    game_id: int | None = None

    @model_validator(mode="after")
    def _says_what(self) -> PlanDate:
        asked = {"off": (False, False), "back": (True, False), "patch": (False, True)}[self.kind]
        if (self.lane_id is not None, self.game_id is not None) != asked:
            raise ValueError("a day off names nothing, a part that goes back its lane, a patch its game")
        return self


class PlanIn(In):
    """What a plan rests on. `margin` is a share; times are the bench's own."""

    margin: float = Field(default=0.02, gt=0, lt=1)
    most_passes: int | None = Field(default=None, ge=4, le=20)
    order: OrderName = "alternating"
    seed: int = Field(default=1, ge=0, le=2**31 - 1)
    costs: dict[str, Cost] = Field(default_factory=dict, max_length=20)
    starts_on: Day
    day_starts: TimeOfDay = time(9)
    hours_a_day: float = Field(default=8.0, gt=0, le=24)
    weekdays: list[Annotated[int, Field(ge=0, le=6)]] = Field(default=[0, 1, 2, 3, 4], min_length=1, max_length=7)
    deadline: Moment | None = None
    #: Hours of each day in which the bench stands still, over midnight where the first is the later; both or neither.
    quiet_from: TimeOfDay | None = None
    quiet_to: TimeOfDay | None = None
    control_test: int | None = None
    dates: list[PlanDate] = Field(default_factory=list, max_length=60)

    @field_validator("deadline", "day_starts", "quiet_from", "quiet_to")
    @classmethod
    def _as_on_the_wall(cls, value: datetime | time | None) -> datetime | time | None:
        """The bench's own time: a zone that came along is dropped."""
        return value.replace(tzinfo=None) if value is not None else None


class PlanEdit(PlanIn, Edit):
    """A plan in place of the one that was kept."""


class SequenceIn(Edit):
    """An order by hand, as pass ids; what it does not name follows."""

    sequence: list[int] = Field(max_length=20_000)


class ChangeOut(Out):
    """Something done before a block of passes."""

    kind: str
    words: str
    seconds: float


class BlockOut(Out):
    """Passes of one lane in one game, run together. Times in seconds from the plan's beginning."""

    pass_ids: list[int]
    lane_id: int
    game: str
    tests: list[int]
    session: int
    start_s: float
    begin_s: float
    end_s: float
    changes: list[ChangeOut]
    inner_changes: int


class SessionOut(Out):
    """A day at the bench."""

    day: Day
    starts: datetime
    start_s: float
    length_s: float
    used_s: float


class DroppedOut(Out):
    """A test left out to keep a date of the plan: the deadline, a part that goes back, a patch of its game."""

    test_id: int
    priority: int
    because: Literal["deadline", "back", "patch"]


class TellingOut(Out):
    """What an order leaves open under the drift that is allowed for, as shares: half the interval of a test and of the
    suite, the suite margin that it shows nine times in ten, how far the drift could still move the suite.
    `sessions` is the same of sessions that differ, `apart` the share of tests in which a lane stands on one alone.
    """

    test: float
    suite: float
    resolvable: float
    drift: float
    untold: bool
    sessions: float
    apart: float


class ControlOut(Out):
    """Control passes worth having: of which test, what they cost, what they would leave open."""

    test_id: int
    seconds: float
    tells: TellingOut
    #: How much narrower its intervals are, as a share, for each minute more.
    narrower_a_minute: float


class OtherOrderOut(Out):
    """An order that leaves less open: how much longer it takes (negative where it is shorter), what it would leave."""

    order: str
    seconds: float
    tells: TellingOut
    #: How much narrower its intervals are, as a share, for each minute more.
    narrower_a_minute: float


class OutlineOut(Out):
    """An order in a few numbers."""

    order: str
    passes: int
    total_s: float
    ends: datetime | None
    counts: dict[str, int]
    tells: TellingOut | None
    dropped: int
    fits: bool


class PlanOut(PlanIn):
    """A whole plan: is it fair, is it enough, does it fit."""

    study_id: int
    saved: bool
    seen: str
    pairings: list[PairingOut]
    objections: list[ObjectionOut]
    #: What should be recorded and is in no lane.
    unsaid: list[str]
    changed: list[ChangedOut]
    needs: list[NeedOut]
    leading: str
    suite_resolvable: float | None
    drift_allowance: float
    drift_words: str
    #: What is reckoned with where scenes have no length; empty where all have.
    length_words: str
    control: ControlOut | None
    other_order: OtherOrderOut | None
    rule: RuleOut | None
    all_costs: dict[str, float]
    outlines: list[OutlineOut]
    chosen: OutlineOut
    sessions: list[SessionOut]
    blocks: list[BlockOut]
    dropped: list[DroppedOut]
    #: Lanes that are run no more: a part of theirs went back.
    gone: list[int]
    unplaceable: int
    late: bool


class AcceptIn(In):
    """The reason why a difference is accepted. `about` is what it was when it was read."""

    key: Annotated[str, StringConstraints(max_length=200)]
    about: Annotated[str, StringConstraints(max_length=20_000)]
    reason: Reason


class WithdrawIn(In):
    """The difference whose acceptance is withdrawn."""

    key: Annotated[str, StringConstraints(max_length=200)]


class OutlookOut(Out):
    """Whether a study that still has passes to run ends before its deadline."""

    study_id: int
    ends: datetime | None
    deadline: datetime
    dropped: int
    late: bool


class SceneNoiseOut(Out):
    """How well a scene repeats, learned from all studies: noise in percent by figure."""

    scene_id: int
    passes: int
    cells: int
    studies: int
    percent: dict[str, float]


class SceneLengthOut(Out):
    """A scene whose card says no length, and the one on which its passes agree, in s."""

    scene_id: int
    game: str
    scene: str
    length_s: int
    passes: int


class PenaltyOut(Out):
    """What the first pass of a scene is off the others, as a share with its interval (-0.03 is 3% slower)."""

    share: float
    low: float
    high: float
    told: bool
    words: str


class BookScene(Out):
    """A scene in the noise book: noise in percent by figure, and what it stands on."""

    scene_id: int
    game: str
    scene: str
    kind: str
    passes: int
    studies: int
    df: int
    percent: dict[str, float]
    source: str
    first: PenaltyOut | None


class KindNoiseOut(Out):
    """How scenes of a kind repeat, in percent of the average."""

    kind: str
    percent: float
    df: int
    scenes: int


class PartNoiseOut(Out):
    """How a part scatters beside what is usual in its scenes: 1 is as usual, with a 95% interval."""

    kind: str
    name: str
    factor: float
    low: float
    high: float
    df: int
    scenes: int
    unlike: bool


class BookOut(Out):
    """The noise book: scenes from the one that repeats best, kinds of scene, parts."""

    scenes: list[BookScene]
    kinds: list[KindNoiseOut]
    replay_words: str
    parts: list[PartNoiseOut]


class SketchSetting(In):
    """A setting as typed so far."""

    name: Draft
    value: Draft


class SketchPart(PartRef):
    """A part as typed so far."""

    name: Draft


class SketchLane(In):
    """A lane as typed so far."""

    name: Draft
    parts: list[SketchPart] = Field(default_factory=list, max_length=60)
    settings: list[SketchSetting] = Field(default_factory=list, max_length=100)
    condition: Draft = ""


class SketchTest(In):
    """A test as typed so far."""

    game: Draft
    scene: Draft
    condition: Draft = ""


class SketchIn(In):
    """A study as typed so far, to show what would be run."""

    factors: list[Draft] = Field(default_factory=list, max_length=2)
    baseline: int = Field(default=0, ge=0)
    lanes: list[SketchLane] = Field(default_factory=list, max_length=60)
    tests: list[SketchTest] = Field(default_factory=list, max_length=400)
    passes_wanted: int = Field(default=3, ge=1, le=50)


class SketchOut(Out):
    """What a study on paper comes to."""

    passes: int
    outlines: list[OutlineOut]
    pairings: list[PairingOut]
    objections: list[ObjectionOut]
