"""A study as tables, and tables as a study again: numbers read back as the same double, what is unknown is empty."""

from __future__ import annotations

import csv
import io
import json
import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, fields
from typing import Any, TypeVar

from rennbahn.comparing.facts import Aims, LaneFacts, PassFacts, TestFacts
from rennbahn.comparing.model import Lane, Method, Pass, Scene, Study, Test
from rennbahn.errors import RennbahnError
from rennbahn.plain import plain

Facts = TypeVar("Facts", LaneFacts, TestFacts, PassFacts)
Row = dict[str, str]
#: What the settings of a study say of how its captures are measured.
_MEASURED_BY = ("target_hz", "known_caps")
#: A longer cell of a table is none of ours.
_LONGEST_CELL = 2**20


@dataclass(frozen=True)
class SampleFile:
    """A file of samples beside a capture: its path in the package, and what is added to its clock, in s."""

    path: str
    offset_s: float


@dataclass(frozen=True)
class CaptureFile:
    """The file of a pass: its path in the package, by which map and through which windows (from, to, in s; none for
    all of it) it is read, and what its figures are measured against, as in a settings file.
    """

    path: str
    columns: Mapping[str, Any]
    settings: Mapping[str, Any]
    windows: tuple[tuple[float, float], ...] = ()
    samples: tuple[SampleFile, ...] = ()


@dataclass(frozen=True)
class PassMore:
    """What readers of a package want to know of a pass beside what it is compared by."""

    number: int = 1
    reason: str = ""
    simulated: bool = False


@dataclass(frozen=True)
class LaneMore:
    """The same of a lane: in which currency its price is."""

    currency: str = ""


@dataclass(frozen=True)
class Table:
    """Named columns, and rows of texts."""

    columns: tuple[str, ...]
    rows: list[Row] = field(default_factory=list)

    def text(self) -> str:
        """As CSV."""
        out = io.StringIO()
        writer = csv.DictWriter(out, self.columns, restval="", lineterminator="\n")
        writer.writeheader()
        writer.writerows(self.rows)
        return out.getvalue()

    @classmethod
    def read(cls, name: str, text: str) -> Table:
        """Of CSV. Raises :class:`RennbahnError` (`bad_package`) naming table and line."""
        reader = csv.reader(io.StringIO(text), strict=True)
        rows: list[Row] = []
        columns: tuple[str, ...] = ()
        try:
            for row in reader:
                if not columns:
                    columns = tuple(row)
                elif len(row) != len(columns):
                    raise bad(f"{name}, line {reader.line_num}: {len(row)} cells under {len(columns)} columns")
                else:
                    rows.append(dict(zip(columns, row, strict=True)))
        except csv.Error as error:
            raise bad(f"{name}, line {reader.line_num}: {error}") from None
        return cls(columns, rows)


def tables_of(
    study: Study,
    captures: Mapping[str, CaptureFile],
    passes: Mapping[str, PassMore],
    lanes: Mapping[str, LaneMore],
) -> dict[str, Table]:
    """The tables of a package by their names, but for the findings. `captures` and `passes` go by ids of passes."""
    return {
        "lanes.csv": _table(
            ("id", "name", "price", "currency"),
            LaneFacts,
            (
                {"id": one.id, "name": one.name, "currency": lanes.get(one.id, LaneMore()).currency} | _told(one.facts)
                for one in study.lanes
            ),
        ),
        "scenes.csv": Table(
            ("id", "game", "name"), [{"id": one.id, "game": one.game, "name": one.name} for one in study.scenes]
        ),
        "tests.csv": _table(
            ("id", "scene", "conditions", "group"),
            TestFacts,
            (
                {"id": one.id, "scene": one.scene, "conditions": one.conditions, "group": one.group} | _told(one.facts)
                for one in study.tests
            ),
        ),
        "passes.csv": _table(
            (
                "id", "lane", "test", "number", "status", "source", "reason", "clock_h", "capture", "columns", "from_s",
                "to_s", "simulated", "session", "flags", "windows", "settings", "samples",
            ),
            PassFacts,
            (_pass_row(one, captures.get(one.id), passes.get(one.id, PassMore())) for one in study.passes),
        ),
        "figures.csv": Table(
            ("pass", "figure", "value"),
            [
                {"pass": one.id, "figure": figure, "value": cell(value)}
                for one in study.passes
                for figure, value in one.figures.items()
            ],
        ),
        "compare.csv": Table(("a", "b"), [{"a": a, "b": b} for a, b in study.compare]),
    }  # fmt: skip


def settings_of(study: Study) -> dict[str, Any]:
    """The settings of a study as its file has them."""
    method = plain(study.method)
    for name, known in (("looks", ("first", "limit")), ("between", ("sd", "df"))):
        if method[name] is not None:
            method[name] = {key: method[name][key] for key in known}
    aims = {name: value for name, value in plain(study.aims).items() if value not in (None, [])}
    return {**{name: value for name, value in method.items() if value is not None}, **aims}


def study_of(
    name: str, kind: str, settings: Mapping[str, Any], tables: Mapping[str, Table], passes: Sequence[Pass]
) -> Study:
    """The study of a package, with its passes as they were read. Raises :class:`RennbahnError`."""
    aims = {one.name for one in fields(Aims)}
    return Study(
        name=name,
        method=Method.from_json({key: value for key, value in settings.items() if key not in aims}),
        lanes=tuple(
            Lane(_cell(row, "id", "lanes.csv"), row.get("name", ""), _facts(LaneFacts, row, "lanes.csv"))
            for row in tables["lanes.csv"].rows
        ),
        scenes=tuple(
            Scene(_cell(row, "id", "scenes.csv"), row.get("game", ""), row.get("name", ""))
            for row in tables["scenes.csv"].rows
        ),
        tests=tuple(
            Test(
                _cell(row, "id", "tests.csv"), _cell(row, "scene", "tests.csv"), row.get("conditions", ""),
                row.get("group", ""), _facts(TestFacts, row, "tests.csv"),
            )
            for row in tables["tests.csv"].rows
        ),
        passes=tuple(passes),
        compare=tuple(
            (_cell(row, "a", "compare.csv"), _cell(row, "b", "compare.csv")) for row in tables["compare.csv"].rows
        ),
        kind=kind,
        aims=Aims.from_json(settings),
    )  # fmt: skip


def pass_of(row: Row, figures: Mapping[str, float]) -> Pass:
    """A pass as its row tells it, with figures that are known of it."""
    flags = json_in(row, "flags", "passes.csv") or []
    clock = row.get("clock_h", "")
    return Pass(
        _cell(row, "id", "passes.csv"), _cell(row, "lane", "passes.csv"), _cell(row, "test", "passes.csv"),
        _cell(row, "status", "passes.csv"), row.get("source") or "frames", tuple(map(str, flags)), dict(figures),
        number_in(row, "clock_h", "passes.csv") if clock else None, row.get("session") or None,
        _facts(PassFacts, row, "passes.csv"),
    )  # fmt: skip


def capture_of(row: Row, settings: Mapping[str, Any]) -> CaptureFile | None:
    """The file of a pass, where its row names one; measured against the study's `settings` unless it has its own."""
    if not row.get("capture"):
        return None
    where = "passes.csv"
    windows = json_in(row, "windows", where) or []
    if not windows and (row.get("from_s") or row.get("to_s")):
        ends = (("from_s", 0.0), ("to_s", math.inf))
        windows = [[number_in(row, name, where) if row.get(name) else end for name, end in ends]]
    studys = {name: settings[name] for name in _MEASURED_BY if name in settings}
    try:
        return CaptureFile(
            row["capture"], dict(json_in(row, "columns", where) or {}), dict(json_in(row, "settings", where) or studys),
            tuple((float(start), float(stop)) for start, stop in windows),
            tuple(SampleFile(str(x["path"]), float(x["offset_s"])) for x in json_in(row, "samples", where) or []),
        )  # fmt: skip
    except (KeyError, TypeError, ValueError) as error:
        raise bad(f"{where}, pass {row.get('id')}: what it says of its capture cannot be read ({error})") from None


def json_in(row: Row, name: str, where: str) -> Any:
    """What a cell says in JSON; None where it is empty."""
    text = row.get(name, "")
    if not text:
        return None
    try:
        return json.loads(text)
    except (ValueError, RecursionError):
        raise bad(f"{where}: “{text[:40]}” under {name} is no JSON") from None


def number_in(row: Row, name: str, where: str) -> float:
    """The number of a cell."""
    try:
        return float(row[name])
    except (KeyError, ValueError):
        raise bad(f"{where}: “{row.get(name, '')[:40]}” under {name} is no number") from None


def cell(value: Any) -> str:
    """A value as a cell of a table: empty where there is none."""
    if value is None or value in ([], {}):
        return ""
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, float):
        return repr(float(value))
    if isinstance(value, (str, int)):
        return str(value)
    return json.dumps(plain(value), ensure_ascii=False)


def bad(message: str) -> RennbahnError:
    """Why a package cannot be read."""
    return RennbahnError("bad_package", message)


def _pass_row(one: Pass, capture: CaptureFile | None, more: PassMore) -> dict[str, Any]:
    row: dict[str, Any] = {
        "id": one.id, "lane": one.lane, "test": one.test, "number": more.number, "status": one.status,
        "source": one.source, "reason": more.reason, "clock_h": one.clock_h, "simulated": more.simulated,
        "session": one.session, "flags": list(one.flags),
    }  # fmt: skip
    if capture is not None:
        row |= {
            "capture": capture.path, "columns": dict(capture.columns), "settings": dict(capture.settings),
            "samples": [plain(one) for one in capture.samples],
        }  # fmt: skip
        # What is said stands in one place alone: of one window its two ends, of several all of them.
        if len(capture.windows) == 1:
            row |= dict(zip(("from_s", "to_s"), capture.windows[0], strict=True))
        else:
            row["windows"] = [list(one) for one in capture.windows]
    return row | _told(one.facts)


def _table(columns: tuple[str, ...], facts: type[Any], rows: Iterable[Mapping[str, Any]]) -> Table:
    names = (*columns, *(one.name for one in fields(facts) if one.name not in columns))
    return Table(names, [{name: cell(value) for name, value in row.items()} for row in rows])


def _told(facts: LaneFacts | TestFacts | PassFacts) -> dict[str, Any]:
    """Facts, as columns."""
    return {one.name: getattr(facts, one.name) for one in fields(facts)}


def _facts(kind: type[Facts], row: Row, where: str) -> Facts:
    told = {one.name: _read(row, one.name, str(one.type), where) for one in fields(kind) if row.get(one.name)}
    return kind(**told)


def _read(row: Row, name: str, kind: str, where: str) -> Any:
    """The value of a cell by the type of its field."""
    text = row[name]
    if kind.startswith("str"):
        return text
    if kind.startswith("bool"):
        if text not in ("true", "false"):
            raise bad(f"{where}: “{text[:40]}” under {name} is neither true nor false")
        return text == "true"
    if kind.startswith("float"):
        return number_in(row, name, where)
    found = json_in(row, name, where)
    if kind.startswith("int"):
        if isinstance(found, bool) or not isinstance(found, int):
            raise bad(f"{where}: “{text[:40]}” under {name} is no whole number")
        return found
    if kind.startswith("tuple"):
        return tuple(found)
    return dict(found)


def _cell(row: Row, name: str, where: str) -> str:
    text = row.get(name, "")
    if not text or len(text) > _LONGEST_CELL:
        raise bad(f"{where}: a row lacks its {name}")
    return text
