"""What is made of files and arrays: it runs in a process with bounds (see :mod:`intake.bounded`) and imports no Django.

What comes in and goes out is small or packed, so that the process that asks never holds a capture's arrays.
"""

from __future__ import annotations

import hashlib
import zipfile
from dataclasses import dataclass, field
from pathlib import PurePosixPath
from typing import Any

from rennbahn import capture as core
from rennbahn.capture import ColumnMap, propose_columns, propose_samples, read_samples
from rennbahn.capture.pack import pack, pack_bytes, unpack
from rennbahn.capture.torn import TORN, read_torn
from rennbahn.checks import profile_of
from rennbahn.errors import CaptureRefused
from rennbahn.measures import Figures, Settings, figures_of
from rennbahn.measures.shape import Corners, corners_of

FRAMES = "frame_ms"


@dataclass(frozen=True)
class KeptSamples:
    """Samples on a clock of their own, packed; `offset_s` lays their clock on the capture's."""

    clock: bytes
    channels: dict[str, bytes]
    offset_s: float


@dataclass(frozen=True)
class KeptCapture:
    """A capture at rest: its arrays packed, its samples, and the windows that it is seen through."""

    arrays: dict[str, bytes]
    source_flags: tuple[str, ...] = ()
    samples: tuple[KeptSamples, ...] = ()
    windows: tuple[tuple[float, float], ...] = ()

    def whole(self) -> core.Capture:
        """The capture without its windows."""
        arrays = {name: unpack(data) for name, data in self.arrays.items()}
        samples = tuple(
            core.Samples(unpack(one.clock), {name: unpack(data) for name, data in one.channels.items()}).shifted(
                one.offset_s
            )
            for one in self.samples
        )
        return core.Capture(arrays.pop(FRAMES), arrays, self.source_flags, samples=samples)


@dataclass(frozen=True)
class Proposed:
    """What a file seems to be; `look` tells files of one logger from those of another."""

    columns: dict[str, Any] | None
    names: list[str]
    rows: list[list[str]]
    reasons: list[str]
    look: str
    questions: list[str] = field(default_factory=list)


@dataclass(frozen=True)
class KeptFile:
    """The bytes of a file as they are kept."""

    size: int
    sha256: str
    packed: bytes


@dataclass(frozen=True)
class Measured:
    """The figures of a capture, its profile for the checks, and which side is over the budget how often."""

    figures: Figures
    profile: dict[str, Any]
    corners: Corners | None = None


@dataclass(frozen=True)
class Crunched:
    """A file that was read: its arrays packed, a digest of its frames, and its figures."""

    kept: KeptCapture
    frames: int
    duration_s: float
    digest: str
    measured: Measured


@dataclass(frozen=True)
class TakenIn:
    """One file of many: what it seems to be, and where its columns leave no question and its place is known, what was
    read of it by them; or why it was refused.
    """

    file: KeptFile
    proposed: Proposed | None = None
    columns: dict[str, Any] | None = None
    read: Crunched | None = None
    refused: CaptureRefused | None = None


@dataclass(frozen=True)
class CrunchedSamples:
    """Samples that were read: their columns, packed arrays, and when their clock begins and ends."""

    columns: dict[str, Any]
    clock: bytes
    begins_s: float
    ends_s: float
    channels: dict[str, bytes] = field(default_factory=dict)

    def whole(self) -> core.Samples:
        """The samples as arrays."""
        return core.Samples(unpack(self.clock), {name: unpack(data) for name, data in self.channels.items()})


def keep(content: bytes) -> KeptFile:
    """The bytes of a file as they are kept."""
    return KeptFile(len(content), hashlib.sha256(content).hexdigest(), pack_bytes(content))


def take_in(content: bytes, saved: dict[str, dict[str, Any]], settings: dict[str, Any] | None) -> TakenIn:
    """All that is done with a file of many at once; `saved` holds column maps by the look of files, and without
    `settings` the file belongs nowhere yet and is not read.
    """
    file = keep(content)
    proposed = columns = None
    try:
        proposed = propose(content)
        known = saved.get(proposed.look)
        columns = standing_as(proposed.columns, known) if known else None if proposed.questions else proposed.columns
        found = read(content, columns, settings) if columns and settings is not None else None
    except CaptureRefused as error:
        return TakenIn(file, proposed, columns, refused=error)
    return TakenIn(file, proposed, columns, found)


def listed(path: str) -> list[tuple[str, int]]:
    """Names and sizes of the files in a zip, in its order. Raises :class:`zipfile.BadZipFile` and its like."""
    with zipfile.ZipFile(path) as packed:
        return [(one.filename, one.file_size) for one in files_in(packed)]


def files_in(packed: zipfile.ZipFile) -> list[zipfile.ZipInfo]:
    """The files in a zip, without folders and what packers leave beside what was packed."""
    return [one for one in packed.infolist() if not one.is_dir() and not _hidden(one.filename)]


def _hidden(name: str) -> bool:
    return any(
        part.startswith((".", "__MACOSX")) and part != ".." for part in PurePosixPath(name.replace("\\", "/")).parts
    )


def standing_as(own: dict[str, Any] | None, columns: dict[str, Any]) -> dict[str, Any]:
    """A column map with header and end as in a file's own: files of a logger differ in what stands around the rows."""
    if own is None or own.get("skip_lines") is None:
        return columns
    return columns | {name: own[name] for name in ("skip_lines", "header_lines", "skip_last_lines") if name in own}


def propose(content: bytes) -> Proposed:
    """What a file seems to be. Raises :class:`CaptureRefused` where it is no capture at all."""
    proposal = propose_columns(content)
    likely = proposal.columns or proposal.guess
    columns = likely.as_json() if likely else None
    # Files of one logger may differ in how much stands before the header, never in the header itself.
    own = ("map", "skip_lines", "skip_last_lines")
    dialect = {name: value for name, value in (columns or {}).items() if name not in own}
    look = hashlib.sha256(repr((proposal.names, sorted(dialect.items()))).encode()).hexdigest()
    return Proposed(
        columns,
        [name[:200] for name in proposal.names[:200]],
        [[text[:60] for text in row[:200]] for row in proposal.rows],
        list(proposal.reasons),
        look,
        list(proposal.questions),
    )


def read(content: bytes, columns: dict[str, Any], settings: dict[str, Any]) -> Crunched:
    """Read a file by a column map and measure it. Raises :class:`CaptureRefused` with the first bad row."""
    frames = read_torn(content, ColumnMap.from_json(columns))
    measured = _measured(frames, settings)
    return Crunched(
        KeptCapture({name: pack(v) for name, v in {FRAMES: frames.frame_ms, **frames.channels}.items()}, frames.flags),
        len(frames),
        frames.duration_s,
        digest_of(frames),
        measured,
    )


def length_of(content: bytes, columns: dict[str, Any]) -> float:
    """How many seconds of frames a file holds. Raises :class:`CaptureRefused` with the first bad row."""
    return read_torn(content, ColumnMap.from_json(columns)).duration_s


def _measured(frames: core.Capture, settings: dict[str, Any]) -> Measured:
    told = Settings.from_json(settings)
    figures = figures_of(frames, told)
    if not figures.frames:
        return Measured(figures, {})
    profile = profile_of(frames, told, figures=figures, torn=TORN in frames.source_flags).as_json()
    return Measured(figures, profile, corners_of(frames, told.target_hz))


def digest_of(frames: core.Capture) -> str:
    """A digest of the frame times alone: the same run packed or written otherwise has the same."""
    return hashlib.sha256(frames.frame_ms.tobytes()).hexdigest()


def samples(content: bytes) -> CrunchedSamples:
    """Read samples on a clock of their own. Raises :class:`CaptureRefused`."""
    columns = propose_samples(content)
    found = read_samples(content, columns)
    channels = {name: pack(values) for name, values in found.values.items()}
    begins_s, ends_s = float(found.clock_s[0]), float(found.clock_s[-1])
    return CrunchedSamples(columns.as_json(), pack(found.clock_s), begins_s, ends_s, channels)


def measure(kept: KeptCapture, settings: dict[str, Any]) -> Measured:
    """All figures of a capture at rest, and its profile.

    Raises :class:`CaptureRefused` where no frame lies within its windows.
    """
    frames = kept.whole().within(kept.windows)
    if not len(frames):
        raise CaptureRefused("no_frames", "no frame lies within these windows")
    return _measured(frames, settings)
