"""What a package says of its study beside what its numbers depend on, and packages as the API speaks of them."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal

from answering import Out
from bench.schemas import PartIn, PartRef, SettingIn
from intake.schemas import ReportedIn, Windows
from planning.schemas import PlanIn
from pydantic import Field, StringConstraints
from scenes.schemas import ConditionIn, Fps, GameIn, Name, SceneIn
from strict import ONE_LINE, In, Moment
from studies.schemas import AskedIn, Method, Reason, ReasonCode, State

Id = Annotated[str, StringConstraints(min_length=1, max_length=40)]
Path = Annotated[str, StringConstraints(min_length=1, max_length=400)]
FileName = Annotated[str, StringConstraints(min_length=1, max_length=255), ONE_LINE]


class Cap(In):
    """A rate that a game was kept to."""

    name: Name
    fps: Fps
    refresh: bool = False


class RunAs(In):
    """What a pass was run with beside its setup."""

    condition: ConditionIn
    limited_to_fps: Fps | None
    known_caps: list[Cap] = Field(max_length=20)
    assumed_caps: list[Cap] = Field(default_factory=list, max_length=20)


class RecordedScene(SceneIn):
    """A scene by the id that tests name it by."""

    id: Id


class RecordedLane(In):
    """A lane by the id that passes name it by; its setup is described whole."""

    id: Id
    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=80), ONE_LINE]
    baseline: bool
    setup: Name
    parts: list[PartRef] = Field(max_length=60)
    settings: list[SettingIn] = Field(max_length=100)
    levels: dict[str, str] = Field(max_length=2)
    condition: str = Field(default="", max_length=120)


class RecordedTest(In):
    """A test by the id that passes name it by."""

    __test__ = False

    id: Id
    scene: Id
    condition: Name
    priority: int = Field(ge=1, le=3)
    passes_wanted: int = Field(ge=1, le=50)
    length_s: float | None = Field(gt=0, le=7200)


class RecordedSession(In):
    """A sitting at the bench."""

    id: Id
    begun_at: Moment
    ended_at: Moment | None
    room_c: float | None = Field(ge=-40, le=80)
    simulated: bool
    speed: float = Field(gt=0, le=100_000)
    seed: int = Field(ge=0, le=2**31 - 1)


class RecordedSamples(In):
    """A file of samples beside a capture."""

    path: Path
    name: FileName
    offset_s: float = Field(ge=-1e6, le=1e6)
    written_at: Moment | None


class RecordedCapture(In):
    """The file of a pass, by which map and through which windows it is read."""

    path: Path
    name: FileName
    columns: dict[str, Any]
    windows: Windows = Field(default_factory=list)
    written_at: Moment | None
    samples: list[RecordedSamples] = Field(default_factory=list, max_length=20)


class RecordedPass(In):
    """A pass with what was decided of it. It has a capture, or a reported result, or neither where none ran."""

    lane: Id
    test: Id
    number: int = Field(ge=1, le=999)
    state: State
    role: Literal["counted", "warm_up", "control", "repeat"]
    reason_code: ReasonCode = ""
    reason: Reason = ""
    ran_at: Moment | None = None
    session: Id | None = None
    #: The number of the pass of its cell that it was run to repeat.
    repeats: int | None = Field(default=None, ge=1, le=999)
    run_as: RunAs | None = None
    capture: RecordedCapture | None = None
    reported: ReportedIn | None = None


class RecordedAcceptance(In):
    """A difference between lanes that was accepted, by what it was called and what it was."""

    label: str = Field(max_length=200)
    about: str = Field(max_length=20_000)
    reason: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=400)]


class Record(In):
    """What was written down of a study: with it a package is read back as one."""

    version: Literal[1]
    kind: Literal["a_b", "ladder", "sweep", "grid", "scaling", "budget", "several", "proxy_check"]
    asked: AskedIn
    passes_wanted: int = Field(ge=1, le=50)
    method: Method
    plan: PlanIn | None
    finished: bool
    kept: bool = False
    parts: list[PartIn] = Field(max_length=4_000)
    games: list[GameIn] = Field(max_length=400)
    scenes: list[RecordedScene] = Field(max_length=400)
    conditions: list[ConditionIn] = Field(max_length=400)
    lanes: list[RecordedLane] = Field(min_length=2, max_length=60)
    tests: list[RecordedTest] = Field(min_length=1, max_length=400)
    sessions: list[RecordedSession] = Field(max_length=5_000)
    passes: list[RecordedPass] = Field(max_length=20_000)
    accepted: list[RecordedAcceptance] = Field(max_length=400)


class BroughtIn(In):
    """A package that is to be sent."""

    name: FileName


class BroughtOut(Out):
    """A package that was brought: how far it is, of how many captures, and the study that it became."""

    id: int
    name: str
    size: int
    state: str
    words: str
    study_id: int | None
    question: str
    captures: int
    read: int
    made_at: datetime
    by: str
