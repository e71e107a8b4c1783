"""What goes in and out at the bench."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from answering import Out
from doubting.schemas import DoubtOut, ToldByFileOut
from pydantic import Field
from rennbahn.planning.schedule import OrderName
from strict import ONE_LINE, In, Moment

Kind = Literal[
    "done", "read_back", "anyway", "began", "ended", "aborted", "accepted", "left", "rejected", "repeated", "skipped",
    "later", "noted", "paused", "resumed", "ordered", "room", "drove", "block",
]  # fmt: skip
Words = Annotated[str, Field(max_length=300), ONE_LINE]


class BlockIn(In):
    """Further passes of a test, in each of both lanes."""

    test_id: int
    passes: int = Field(ge=1, le=50)


class ActIn(In):
    """Something that was done at the bench. `id` is made by the browser; what is sent twice is done once.

    Of the rest, each kind needs its own: a step that was done says what it took, a read-back what was seen, a skip why
    and what follows from it.
    """

    id: str = Field(pattern=r"^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$")
    #: In which session it was done; without it in the one that runs. Of which database that is (see one_database).
    session_id: int | None = None
    database: str = Field("", max_length=16)
    kind: Kind
    at: Moment
    step: str = Field("", max_length=80)
    pass_id: int | None = None
    took_s: float | None = Field(None, ge=0, le=86_400)
    planned_s: float | None = Field(None, ge=0, le=86_400)
    cost: str = Field("", max_length=16)
    setting: str = Field("", max_length=120)
    seen: Words = ""
    words: Words = ""
    code: str = Field("", max_length=16)
    following: Literal["", "cell", "game", "lane"] = ""
    order: OrderName | None = None
    #: Of the next block: its two lanes, and further passes of each by test.
    lanes: list[int] = Field([], max_length=2)
    passes: list[BlockIn] = Field([], max_length=200)
    room_c: float | None = Field(None, ge=-30, le=60)
    after_load: bool = False
    warm_up: bool = False


class ActsIn(In):
    """Acts in the order in which they were done; `now` is the browser's clock, so that another clock does no harm."""

    acts: list[ActIn] = Field(min_length=1, max_length=200)
    now: Moment


class ActDone(Out):
    """What became of an act: done (also when it was done before), or refused and why."""

    id: str
    done: bool
    code: str = ""
    message: str = ""
    hint: str = ""


class SessionIn(In):
    """What begins a session: at which test machine, and which lanes are run there (all, where none is named).

    Without a machine, files are handed in by hand, or by the one machine that sends the first.
    """

    machine_id: int | None = None
    lanes: list[int] = Field([], max_length=200)
    room_c: float | None = Field(None, ge=-30, le=60)
    simulated: bool = False
    speed: float = Field(1.0, ge=0.25, le=600)
    #: Of a simulated session: the same seed plays the same passes.
    seed: int | None = Field(None, ge=1, le=2**31 - 1)


class SessionEnd(In):
    """What ends one."""

    notes: str = Field("", max_length=2000)
    #: Which session; without it the one that runs.
    session_id: int | None = None


class BenchSessionOut(Out):
    """A sitting at the bench."""

    id: int
    #: The test machine; empty where files are handed in by hand.
    machine: str
    #: Lanes that are run there; none where it is all of them.
    lanes: list[str]
    begun_at: datetime
    ended_at: datetime | None
    begun_by: str
    driver: str
    room_c: float | None
    notes: str
    simulated: bool
    speed: float
    passes: int


class QuestionOut(Out):
    """What is read back: the setting, what it should say, where to look, and values to choose from, shuffled anew for
    each pass, so that no key is pressed by habit; without any it is typed.

    `shows` is what the simulated bench shows there.
    """

    setting: str
    wanted: str
    where: str
    choices: list[str]
    shows: str | None


class CardOut(Out):
    """The scene's card, as it must be run."""

    game: str
    scene: str
    kind: str
    condition: str
    resolution: str
    settings: str
    start: str
    route: str
    end: str
    #: None where no card says it and no passes agree on it.
    length_s: float | None


class StepOut(Out):
    """One instruction, for a pass."""

    key: str
    pass_id: int
    kind: Literal["change", "check", "read_back", "card", "wait", "warm_up", "pass"]
    title: str
    words: str
    caution: str
    seconds: float
    cost: str
    question: QuestionOut | None
    run: int
    runs: int
    #: Which step of how many it is on the way to its pass.
    place: int
    of: int


class ComingOut(Out):
    """A pass that comes: which it is, its card, and whether its game is loaded anew for it."""

    pass_id: int
    lane: str
    lane_id: int
    lane_position: int
    test_id: int
    number: int
    of: int
    role: str
    after_load: bool
    card: CardOut


class VerdictOut(Out):
    """A pass that came in and waits for a word: its figures and what the checks say of it, in one line."""

    pass_id: int
    lane: str
    test: str
    number: int
    average_fps: float | None
    low_1_fps: float | None
    file_name: str
    sentence: str
    #: Whether it deserves another look: then the one key to go on is to repeat it.
    doubted: bool
    doubts: list[DoubtOut]
    #: Settings under test that the capture itself shows: who accepts it confirms them.
    told_by_file: list[ToldByFileOut]
    simulated: bool


class LastOut(Out):
    """The pass that came in last: what “reject” and “repeat” are about at any moment."""

    pass_id: int
    lane: str
    test: str
    number: int
    state: str


class UnderWayOut(Out):
    """A run that began; `ended_at` once it is over and its capture is waited for.

    A file is late from `late_after_s` after its end on: learned from what files of this bench took. `says` is what the
    simulated bench says of it. `refused` is why the file that came is no capture, or belongs to no run for sure.
    """

    pass_id: int
    step: str
    warm_up: bool
    began_at: datetime
    ended_at: datetime | None
    says: str
    refused: str
    late_after_s: float


class MachineOut(Out):
    """A test machine that sends its files by itself; `taken` says who sits at it just now, empty where nobody does."""

    id: int
    name: str
    taken: str


class MismatchOut(Out):
    """A setting that read back otherwise, and what a run now would be worth; `act` is the reading that said so."""

    act: int
    step: str
    pass_id: int
    setting: str
    wanted: str
    seen: str
    worth: str


class TrayOut(Out):
    """A file that waits for a place."""

    id: int
    name: str
    written_at: datetime | None
    refused: str
    #: Why it belongs to no run for sure, and the pass of the likeliest one.
    why: str
    likely_pass_id: int | None


class LaneHere(Out):
    """A lane that a session could run; `taken` where another machine runs it just now."""

    id: int
    name: str
    left: int
    taken: str


class ProgressOut(Out):
    """How far it is, beside the plan. Times in seconds at the bench; `behind_s` is below 0 where it is quicker."""

    run: int
    left: int
    used_s: float
    left_s: float
    behind_s: float
    ends: datetime | None
    deadline: datetime | None
    late: bool
    dropped: list[str]


class RunOut(Out):
    """Everything of a study at the bench, as it stands. `number` grows with every act."""

    study_id: int
    question: str
    number: int
    now: datetime
    me: str
    may_run: bool
    why_not: str
    #: Whether the study may be run on the simulated bench: nothing of it was really run.
    may_simulate: bool
    session: BenchSessionOut | None
    #: Other sessions that run in this study, at other test machines.
    others: list[BenchSessionOut]
    #: Where a session could begin, and whose lanes nobody runs; none while one runs here.
    machines: list[MachineOut]
    lanes: list[LaneHere]
    earlier: list[BenchSessionOut]
    driving: bool
    paused: bool
    steps: list[StepOut]
    coming: list[ComingOut]
    under_way: UnderWayOut | None
    verdict: VerdictOut | None
    last: LastOut | None
    mismatch: MismatchOut | None
    tray: list[TrayOut]
    progress: ProgressOut
    outcomes: list[ActDone] = []


class PulseOut(Out):
    """Whether anything was done since: the number of the last act, and who drives."""

    number: int
    driver: str


class LearnedOut(Out):
    """What a change really took: the middle of `times`; `offered` from three times on."""

    cost: str
    seconds: float | None
    times: int
    planned: float


class AssignIn(In):
    """A file of the tray is the capture of this pass."""

    pass_id: int


class LinkIn(In):
    """What a token is made with: a name for the machine, and the column map by which its files are read."""

    name: str = Field(min_length=1, max_length=80)
    columns_name: str = Field("", max_length=120)


class LinkOut(Out):
    """A token of a test machine, without its secret."""

    id: int
    #: The machine's name.
    name: str
    columns_name: str
    made_at: datetime
    last_used_at: datetime | None
    revoked_at: datetime | None


class LinkMade(Out):
    """A new token: shown this once, with the program that has it filled in."""

    link: LinkOut
    token: str
    program: str


class ClockOut(Out):
    """The server's clock, in seconds since 1970."""

    now_s: float


class LinkTaken(Out):
    """What became of a file that a test machine sent, in words for its own line."""

    arrival_id: int | None
    became: Literal["pass", "warm_up", "broken_off", "samples", "grown", "waiting", "known", "step", "refused"]
    words: str
