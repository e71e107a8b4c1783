"""Tuning logs as the API speaks of them."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Literal
from uuid import UUID

from answering import Out
from pydantic import Field, Strict, StringConstraints
from strict import ONE_LINE, Day, Edit, In, Whole

Title = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=160), ONE_LINE]
Name = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=80), ONE_LINE]
Program = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120), ONE_LINE]
Unit = Annotated[str, StringConstraints(strip_whitespace=True, max_length=16), ONE_LINE]
Words = Annotated[str, StringConstraints(strip_whitespace=True, max_length=600)]
Source = Annotated[str, StringConstraints(strip_whitespace=True, max_length=200), ONE_LINE]
Short = Annotated[str, StringConstraints(strip_whitespace=True, max_length=40), ONE_LINE]
Why = Annotated[str, StringConstraints(strip_whitespace=True, min_length=3, max_length=300), ONE_LINE]
#: No setting of a part is beyond this, in whatever unit.
Amount = Annotated[float, Field(ge=-1e6, le=1e6)]
Figure = Annotated[float, Field(gt=0, le=1e6)]
Reading = Annotated[float, Field(ge=0, le=1e5)]
ClientId = Annotated[UUID, Strict(False)]
Values = Annotated[dict[str, Amount], Field(max_length=12)]
SettingKind = Literal["voltage", "power", "current", "clock", "timing", "other"]
Outcome = Literal["passed", "crashed", "errors", "artefacts", "hang"]


class LogSettingIn(In):
    """Something that can be set; `harder` is the way that leaves what surely runs, where one is known."""

    name: Name
    unit: Unit = ""
    kind: SettingKind = "other"
    stock: Amount
    resolution: Annotated[float, Field(gt=0, le=1e6)]
    harder: Literal["up", "down", ""] = ""
    limit_low: Amount | None = None
    limit_high: Amount | None = None
    limit_source: Source = ""
    limit_day: Day | None = None


class LogIn(In):
    """A tuning log: of which part, in which setup as it stands at stock, and what can be set.

    With a `seed` it is of the simulated bench.
    """

    title: Title
    part_id: int
    setup_id: int
    settings: Annotated[list[LogSettingIn], Field(min_length=1, max_length=12)]
    stability_min: Annotated[float, Field(gt=0, le=100_000)] = 60.0
    reset_words: Annotated[str, StringConstraints(strip_whitespace=True, max_length=400)] = ""
    rival_lane_id: int | None = None
    rival_test_id: int | None = None
    seed: Annotated[int, Field(ge=0, le=2**31 - 1)] | None = None


class LogEdit(LogIn, Edit):
    """A log in place of what it was. What steps have used keeps its name, unit and stock."""


class TunedStepIn(In):
    """A step; `crossing` names the settings whose stated limit it crosses knowingly."""

    client_id: ClientId
    set: Values
    sample: Short = ""
    after: int | None = None
    crossing: Annotated[list[Name], Field(max_length=12)] = Field(default_factory=list)


class ReadBackIn(Whole):
    """What a second place says of settings."""

    read_back: Values


class ConclusionIn(Whole):
    """A conclusion in words."""

    conclusion: Words


class StabilityIn(In):
    """A stability run."""

    client_id: ClientId
    program: Program
    minutes: Annotated[float, Field(ge=0, le=100_000)]
    outcome: Outcome


class QuickIn(In):
    """Figures of a quick pass, typed in: fps or a score, and what was read beside it."""

    client_id: ClientId
    what: Annotated[str, StringConstraints(strip_whitespace=True, max_length=160), ONE_LINE] = ""
    fps: Figure
    w: Figure | None = None
    temperature_c: Reading | None = None
    hotspot_c: Reading | None = None
    fan_rpm: Reading | None = None
    noise_dba: Reading | None = None


class StrikeIn(Whole):
    """Why an entry counts no more."""

    why: Why


class MachineIn(Whole):
    """At which test machine a log is worked on; none when that is over."""

    machine_id: int | None


class BeforeAfterIn(In):
    """Two steps as the lanes of a study, over the tests of another one."""

    before: int
    after: int
    tests_of: int
    question: Title


class LogSettingOut(Out):
    """A setting of a log."""

    name: str
    unit: str
    kind: str
    stock: float
    resolution: float
    harder: str
    limit_low: float | None
    limit_high: float | None
    limit_source: str
    limit_day: date | None
    caution: str


class StabilityOut(Out):
    """A stability run."""

    id: int
    program: str
    minutes: float
    outcome: str
    by: str
    at: datetime
    struck: str


class QuickOut(Out):
    """A quick pass."""

    id: int
    what: str
    fps: float
    w: float | None
    temperature_c: float | None
    hotspot_c: float | None
    fan_rpm: float | None
    noise_dba: float | None
    file_name: str
    by: str
    at: datetime
    struck: str


class TunedStepOut(Out):
    """A step with what core says of it; `words` is what it set, `why_unstable` how it failed."""

    id: int
    number: int
    sample: str
    after: int | None
    set: dict[str, float]
    read_back: dict[str, float]
    words: str
    state: Literal["proven", "unproven", "unstable"]
    minutes: float
    why_unstable: str
    beyond_a_failure: bool
    over_limit: list[str]
    on_front: bool | None
    fps: float | None
    w: float | None
    fps_per_w: float | None
    temperature_c: float | None
    hotspot_c: float | None
    fan_rpm: float | None
    noise_dba: float | None
    conclusion: str
    setup_id: int | None
    setup_name: str
    runs: list[StabilityOut]
    passes: list[QuickOut]
    by: str
    at: datetime


class NextOut(Out):
    """What is proposed as the next value of which setting, or why nothing is."""

    setting: str | None
    value: float | None
    why: str
    words: str


class KneeOut(Out):
    """Where watts stop paying."""

    step: int
    level: float
    low: float
    high: float


class EqualOut(Out):
    """Against a rival at its watts."""

    margin: float
    low: float
    high: float
    verdict: str


class RivalOut(Out):
    """A lane in a test of a study, by its accepted passes that have watts."""

    lane_id: int
    test_id: int
    study_id: int
    name: str
    of: str
    passes: int
    fps: float | None
    w: float | None


class SampleOut(Out):
    """A sample of the part at the settings in which samples are compared."""

    sample: str
    fps: float
    w: float | None


class LogRow(Out):
    """A log in the list of all."""

    id: int
    title: str
    part: str
    setup: str
    steps: int
    sentence: str
    by: str
    at: datetime


class LogOut(Out):
    """A log with all that core says of it."""

    id: int
    title: str
    part_id: int
    part: str
    part_kind: str
    setup_id: int
    setup: str
    stability_min: float
    reset_words: str
    backed_up_by: str
    memory: bool
    simulated: bool
    seed: int | None
    machine_id: int | None
    machine: str
    settings: list[LogSettingOut]
    steps: list[TunedStepOut]
    sentences: list[str]
    why: list[str]
    next: NextOut
    next_of_sample: str
    knee: KneeOut | None
    equal_power: EqualOut | None
    rival: RivalOut | None
    samples: list[SampleOut]
    samples_words: str
    by: str
    at: datetime
    seen: str


class MarkOut(Out):
    """What a tuning log, or a pass, says of a setup, in words, and where that is written."""

    version_id: int
    setup_id: int
    words: str
    way: str


class SetupMade(Out):
    """The setup that a step became."""

    setup_id: int
    name: str


class StudyMade(Out):
    """The study that two steps became."""

    study_id: int
