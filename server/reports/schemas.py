"""Reports as the API speaks of them."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal

from answering import Out
from bench.schemas import Currency, Price, SumIn
from findings.answer_schemas import AnswerOut, ForReaderOut
from findings.schemas import FindingsOut
from fitting.schemas import MatrixOut
from intake.excerpts import MOST_PRINTED
from intake.schemas import Windows
from intake.trace_schemas import TracePassIn
from pydantic import Field, StringConstraints
from strict import ONE_LINE, In, Moment
from studies.schemas import StudyOut
from tuning.schemas import LogOut

Title = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=160), ONE_LINE]
Why = Annotated[str, StringConstraints(strip_whitespace=True, max_length=400)]
Kind = Literal["prose", "answer", "picture", "table", "readers", "method", "trace", "eye",
               "log", "fit", "sum", "scene", "setup"]  # fmt: skip
KindKept = Literal["answer", "picture", "table", "readers", "method", "trace", "eye",
                   "log", "fit", "sum", "scene", "setup"]  # fmt: skip
#: The way back to what was looked at: an address of ours.
Way = Annotated[
    str,
    StringConstraints(pattern=r"^/(studies/\d{1,12}|tuning|scenes|bench)(/[a-z0-9-]+)*(\?[^#\s]*)?$", max_length=600),
]


class BeginIn(In):
    """A new report: of a study, with its question as title where none is given, or of none, with a title."""

    study_id: int | None = None
    title: Annotated[str, StringConstraints(strip_whitespace=True, max_length=160), ONE_LINE] = ""


class TitleIn(In):
    """Another title; `seen` is the mark of the one that was read."""

    title: Title
    seen: str = Field(max_length=64)


class TraceLookIn(In):
    """Which stretch of which passes of a test, on their common clock; all of it without one."""

    test_id: int
    passes: list[TracePassIn] = Field(min_length=1, max_length=MOST_PRINTED)
    from_s: Annotated[float, Field(ge=0, le=100_000, allow_inf_nan=False)] | None = None
    to_s: Annotated[float, Field(gt=0, le=100_000, allow_inf_nan=False)] | None = None


class EyeLookIn(In):
    """What the eye gets from one lane to another."""

    from_lane: int
    to_lane: int


FigureDrawn = Literal["fps", "w", "temperature_c", "hotspot_c", "fan_rpm", "noise_dba"]


class LogLookIn(In):
    """A tuning log: which figure of its steps is drawn, over one of its settings by name or over watts."""

    log_id: int
    of: FigureDrawn = "fps"
    over: Annotated[str, StringConstraints(max_length=80), ONE_LINE] = ""


class SumLookIn(SumIn):
    """A sum by its name, with what it was asked."""

    name: Annotated[str, StringConstraints(max_length=40), ONE_LINE]


class LookIn(In):
    """What is looked at: the answer of the study's own kind (`own`), one lane over another in a group, traces, what the
    eye gets; or of what the house keeps a log, a fit matrix, a sum, a scene, or a version of a setup.
    """

    own: bool = False
    baseline: int | None = None
    other: int | None = None
    group: Annotated[str, StringConstraints(max_length=300)] | None = None
    figure: Literal["", "average_fps", "low_1"] = ""
    targets: list[Annotated[float, Field(gt=0, le=10_000)]] = Field(default=[], max_length=8)
    trace: TraceLookIn | None = None
    eye: EyeLookIn | None = None
    log: LogLookIn | None = None
    fit: int | None = None
    sum: SumLookIn | None = None
    scene: int | None = None
    setup: int | None = None


class KeepIn(In):
    """Something for the shelf, with the way back to it; of no study where the house keeps it beside them."""

    kind: KindKept
    study_id: int | None = None
    look: LookIn | None = None
    way: Way


class ReportBlockIn(In):
    """A block: prose as a tree of nodes (`doc`), or what is looked at, with a caption."""

    kind: Kind
    doc: dict[str, Any] | None = None
    study_id: int | None = None
    look: LookIn | None = None
    caption: Annotated[str, StringConstraints(strip_whitespace=True, max_length=400), ONE_LINE] = ""
    #: Of a table: the rows that are printed, by their keys; all of them without any.
    rows: list[Annotated[str, StringConstraints(min_length=1, max_length=200)]] = Field(default=[], max_length=400)


class AddIn(ReportBlockIn):
    """A new block, behind another or first."""

    after: int | None = None


class BlockEdit(ReportBlockIn):
    """A block as it is to be; `seen` is the mark of the one that was read."""

    seen: str = Field(max_length=64)


class MoveIn(In):
    """Behind which block, or to the top."""

    after: int | None


class TakeOverIn(In):
    """One number of a block (`key`: study and name), a whole block, or all."""

    block_id: int | None = None
    key: Annotated[str, StringConstraints(max_length=1100)] = ""


class PointIn(In):
    """Why a point is in order all the same; empty opens it again."""

    point: Annotated[str, StringConstraints(min_length=1, max_length=4000)]
    why: Why


class PublishIn(In):
    """When it opens (at once without), why it follows on another, and whether it goes out unsigned or without data."""

    opens_at: Moment | None = None
    why: Annotated[str, StringConstraints(strip_whitespace=True, max_length=600)] = ""
    unchecked: bool = False
    with_data: bool = True
    seen: str = Field(max_length=64)


class WithdrawReportIn(In):
    """Why it is withdrawn, which its readers are told."""

    why: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=600)]


class QuoteOut(Out):
    """A number of a study as it is said."""

    study_id: int
    key: str
    of: str
    text: str
    interval: str = ""
    verdict: str = ""


class BareOut(Out):
    """A number in prose that is tied to nothing, and what it might be."""

    text: str
    guesses: list[QuoteOut]


class SaysOtherwise(Out):
    """What a block says, and what is so now; `after` is empty where there is no such number any more."""

    key: str
    of: str
    before: str
    after: str


class ReportBlockOut(Out):
    """A block of a report."""

    id: int
    kind: str
    study_id: int | None
    doc: dict[str, Any] | None
    look: dict[str, Any]
    caption: str
    rows: list[str]
    says: str
    by: str
    at: datetime
    seen: str
    changes: list[SaysOtherwise]
    bare: list[BareOut]


class KeptOut(Out):
    """Something on the shelf."""

    id: int
    kind: str
    study_id: int | None
    look: dict[str, Any]
    label: str
    way: str
    by: str


class PointOut(Out):
    """Something that is not in order, and why it goes out in spite of it."""

    words: str
    way: str
    blocks: bool
    why: str
    by: str


class CorrectionOut(Out):
    """What an edition says otherwise than the one before."""

    key: str
    of: str
    before: str
    after: str
    flip: bool


class WindowsWouldIn(In):
    """Through which windows captures of passes would be seen; none for the whole of each."""

    pass_ids: list[int] = Field(min_length=1, max_length=60)
    windows: Windows


class PriceIn(In):
    """What a part would cost."""

    price: Price | None
    currency: Currency = ""


class ChangedReportOut(Out):
    """A report that would say what is no longer so."""

    id: int
    title: str
    published: bool
    lines: list[CorrectionOut]


class EditionFileOut(Out):
    """A file of an edition."""

    name: str
    size: int
    sha256: str


class EditionOut(Out):
    """A report as it was published."""

    number: int
    title: str
    at: datetime
    opens_at: datetime
    open: bool
    by: str
    checked_by: str
    why: str
    erratum: list[CorrectionOut]
    files: list[EditionFileOut]


class StudyRef(Out):
    """A study that a report draws on."""

    id: int
    question: str
    kind: str


class ReportLine(Out):
    """A report in a line."""

    id: int
    title: str
    state: str
    by: str
    at: datetime
    studies: list[StudyRef]
    #: Of the newest edition; none where it was never published.
    edition: int | None
    opens_at: datetime | None
    address: str


class ReportOut(ReportLine):
    """A report, whole."""

    seen: str
    title_seen: str
    early: str
    checked_by: str
    withdrawn_why: str
    blocks: list[ReportBlockOut]
    shelf: list[KeptOut]
    points: list[PointOut]
    #: Printed with it, since its lanes involve tuning, memory, external cards or mains.
    cautions: list[str]
    editions: list[EditionOut]
    #: What the next edition would say otherwise than the newest.
    next_erratum: list[CorrectionOut]


class ReaderSays(Out):
    """What a study is to a reader."""

    name: str
    for_reader: ForReaderOut


class TracePrinted(Out):
    """A pass as it is printed: stretches by end clock (common, s), their shortest and longest frame (ms), its figures.

    `counts` are the stretches of it that count, common clock, s; none for all of it.
    """

    pass_id: int
    lane: str
    position: int
    number: int
    #: Its lane and number, and what is to be known of it.
    said: str
    file: str
    sha256: str
    #: Whether it is no accepted pass.
    uncounted: bool
    offset_s: float
    end_s: list[float]
    low_ms: list[float]
    high_ms: list[float]
    counts: list[list[float]]
    frames: int
    average_fps: float | None
    longest_ms: float | None
    over_budget: int


class TracesPrinted(Out):
    """Traces of a test beneath each other, from a second to a second."""

    test: str
    budget_ms: float
    from_s: float
    to_s: float
    text: str
    passes: list[TracePrinted]


class EyeSide(Out):
    """A picture of a lane; `source` is where it is, or itself."""

    lane: str
    position: int
    width: int
    height: int
    sha256: str
    source: str


class EyeShown(Out):
    """What the eye gets from one lane to another, with at most a picture of each."""

    step: str
    words: str
    by: str
    text: str
    sides: list[EyeSide]


class HouseRow(Out):
    """A row of the table."""

    key: str
    cells: list[str]


class HouseShownOut(Out):
    """What a block of what the house keeps shows; of logs and fit matrices also what their pictures are of."""

    title: str
    sentences: list[str]
    heads: list[str]
    rows: list[HouseRow]
    way: str
    log: LogOut | None
    of: FigureDrawn
    over: str
    matrix: MatrixOut | None


class MaterialOut(Out):
    """What a block shows: of a study, or of what the house keeps."""

    study: StudyOut | None
    house: HouseShownOut | None
    findings: FindingsOut | None
    answer: AnswerOut | None
    readers: list[ReaderSays]
    trace: TracesPrinted | None
    eye: EyeShown | None
