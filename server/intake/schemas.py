"""Files, captures and passes as the API speaks of them."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any

from answering import Out
from pydantic import Field, StringConstraints, model_validator
from rennbahn.capture.columns import MOST_HEADER_LINES, MOST_LAST_LINES
from strict import ONE_LINE, In, Whole


class ColumnUse(In):
    """One column put to use as a channel, in a unit."""

    column: str
    channel: str
    unit: str


class ColumnMap(In):
    """How to read one kind of file. Without `skip_lines` the header is where it stands in each file.

    `header_lines` is 2 where a line of units or groups belongs to the header; `skip_last_lines` are left out.
    """

    format: str = "delimited"
    compression: str | None = None
    delimiter: str | None = None
    decimal: str | None = None
    encoding: str | None = None
    skip_lines: int | None = Field(default=None, ge=0, le=10_000)
    header_lines: int | None = Field(default=None, ge=1, le=MOST_HEADER_LINES)
    skip_last_lines: int | None = Field(default=None, ge=0, le=MOST_LAST_LINES)
    map: list[ColumnUse] = Field(max_length=40)


class Refusal(Out):
    """Why a file was refused."""

    reason: str
    message: str
    row: int | None = None
    line: int | None = None
    hint: str | None = None


class ArrivalOut(Out):
    """A file that arrived: what it seems to be and where its name says it belongs."""

    id: int
    name: str
    size: int
    sha256: str
    state: str
    header_key: str
    names: list[str]
    rows: list[list[str]]
    reasons: list[str]
    #: What a person has to settle before the map is believed.
    questions: list[str]
    columns: ColumnMap | None
    saved_as: str
    refusal: Refusal | None
    lane_id: int | None
    test_id: int | None
    number: int | None
    #: Named in part only: to be looked at before it is believed.
    lane_guess: bool
    test_guess: bool
    #: The question of another study that has the same file; empty where none has.
    also_in: str


class Preview(Out):
    """What a column map makes of a file."""

    frames: int
    duration_s: float
    average_fps: float
    low_1_fps: float
    median_ms: float
    slowest_ms: float
    flags: list[str]


class PreviewIn(In):
    """A column map to try."""

    columns: ColumnMap


class Assignment(In):
    """A file as a pass. Without a number it fills the first planned pass."""

    arrival_id: int
    lane_id: int
    test_id: int
    number: int | None = Field(default=None, ge=1, le=999)


class TakeIn(In):
    """Files to take in, all read by one column map; a name saves the map for the next time."""

    columns: ColumnMap
    assignments: list[Assignment] = Field(min_length=1, max_length=500)
    save_as: Annotated[str, StringConstraints(strip_whitespace=True, max_length=120), ONE_LINE] = ""


class PackIn(In):
    """A pack by the name of its file or folder."""

    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=255), ONE_LINE]
    #: In which zone's clock the zip tells when its files were written, as “Europe/Berlin”.
    zone: Annotated[str, StringConstraints(max_length=60), ONE_LINE] = ""


class PackOut(Out):
    """A zip of many files, and how many of them wait, were taken, wait for a place, were there already or refused."""

    id: int
    name: str
    size: int
    state: str
    made_at: datetime
    by: str
    files: int
    waiting: int
    taken: int
    kept: int
    known: int
    refused: int
    #: Those of them that another study has too.
    elsewhere: int
    #: What the worker does before it comes to this pack; empty where it waits for nothing.
    behind: str


class EntryOut(Out):
    """What became of one file of a pack."""

    name: str
    state: str
    words: str
    #: The question of another study that has the same file; empty where none has.
    also_in: str


class PackDetail(Out):
    """A pack with the fate of each file."""

    pack: PackOut
    entries: list[EntryOut]


class FilesIn(In):
    """Files that wait, or that were set aside."""

    arrival_ids: list[int] = Field(min_length=1, max_length=5_000)


class KnownIn(In):
    """SHA-256 digests of files that are about to be handed in."""

    sha256: list[Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{64}$")]] = Field(max_length=5_000)


class KnownOut(Out):
    """Those of them that are there already."""

    sha256: list[str]


class Taken(Out):
    """What became of one file."""

    arrival_id: int
    name: str
    pass_id: int | None
    refusal: Refusal | None


#: Other passes of the study with which the same is done, as one act.
Also = Annotated[list[int], Field(max_length=500)]


class PlaceIn(In):
    """Where a capture belongs, and others with it; without a lane or a test each stays in its own."""

    lane_id: int | None = None
    test_id: int | None = None
    number: int | None = Field(default=None, ge=1, le=999)
    also: Also = []


Second = Annotated[float, Field(ge=0, le=100_000)]


Windows = Annotated[list[Annotated[list[Second], Field(min_length=2, max_length=2)]], Field(max_length=20)]


class WindowsIn(In):
    """Stretches of seconds to look at, each from and to; none for the whole capture. Others are trimmed alike."""

    windows: Windows
    also: Also = []


#: Where the clock of samples begins, in seconds into the capture: within a day of it.
ClockOffset = Annotated[float, Field(ge=-86_400, le=86_400, allow_inf_nan=False)]


class OffsetIn(Whole):
    """Where the clock of samples begins, in seconds into the capture."""

    offset_s: ClockOffset


class ReportedIn(In):
    """A result that exists only as numbers, rates in fps. `read_from` says where they stand."""

    average_fps: float | None = Field(default=None, gt=0, le=100_000, allow_inf_nan=False)
    minimum_fps: float | None = Field(default=None, gt=0, le=100_000, allow_inf_nan=False)
    low_1_fps: float | None = Field(default=None, gt=0, le=100_000, allow_inf_nan=False)
    low_01_fps: float | None = Field(default=None, gt=0, le=100_000, allow_inf_nan=False)
    score: float | None = Field(default=None, gt=0, le=1e12, allow_inf_nan=False)
    read_from: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=200), ONE_LINE]

    @model_validator(mode="after")
    def _something(self) -> ReportedIn:
        if all(value is None for name, value in self if name != "read_from"):
            raise ValueError("no number is given")
        return self


class ReportedOut(Out):
    """A reported result."""

    average_fps: float | None
    minimum_fps: float | None
    low_1_fps: float | None
    low_01_fps: float | None
    score: float | None
    read_from: str


class RecordedOf(Out):
    """How many passes of a lane were recorded."""

    lane: str
    passes: int


class Recorded(Out):
    """How many passes were recorded, in how many tests, and of which lanes."""

    recorded: int
    tests: int
    lanes: list[RecordedOf]


class WorkOut(Out):
    """Captures of a study that are still to be measured again, and those that could not be."""

    study_id: int
    question: str
    left: int
    failed: int


class FileOut(Out):
    """A file of a pass in its role."""

    id: int
    role: str
    name: str
    size: int
    sha256: str
    offset_s: float | None


class DrawnOut(Out):
    """What a pass drew by samples beside it: W over the pass alone, J a frame, and both with idle taken off."""

    channel: str
    watts: float
    joules_a_frame: float
    watts_above_idle: float | None
    joules_a_frame_above_idle: float | None


class LoadOut(Out):
    """Where samples show that their run begins, and what the pass drew as their clock lies now.

    `found_s` is where their clock would begin by that; None where no load shows clearly.
    """

    offset_s: float
    found_s: float | None
    words: str
    drawn: list[DrawnOut]


class PassFigures(Out):
    """The figures of a pass that lists show."""

    average_fps: float | None
    low_1_fps: float | None
    low_1_thin: bool
    low_01_fps: float | None
    low_01_thin: bool
    frames: int
    duration_s: float
    stutters: int
    bound_by: str | None
    cap: str
    cap_name: str | None
    lock_fps: float | None
    flags: list[str]


class PassOut(Out):
    """A pass with its capture and figures."""

    id: int
    lane_id: int
    test_id: int
    number: int
    state: str
    role: str
    reason_code: str
    reason: str
    ran_at: datetime | None
    capture_id: int | None
    file_name: str | None
    sha256: str | None
    windows: list[list[float]]
    figures: PassFigures | None
    reported: ReportedOut | None
    #: Its figures were made by an older version of the measures or by another method, and are being made anew.
    stale: bool
    #: It was run on the simulated bench: no result, wherever it is shown.
    simulated: bool


class EarlierFigures(Out):
    """Figures that a pass had before: by which version of the measures, and when they were made."""

    version: int
    made_at: datetime
    average_fps: float
    low_1_fps: float
    counts: bool


class PassDetail(Out):
    """Every figure of a pass, with where it comes from and what it was run with."""

    one: PassOut
    files: list[FileOut]
    columns: dict[str, Any]
    figures: dict[str, Any]
    made_by: dict[str, Any]
    version: int | None
    measured: list[EarlierFigures]
    run_as: dict[str, Any] | None
    setup: str
    #: Hours since its session at the bench began; none where that is not known.
    bench_hour: float | None
    trouble: str
