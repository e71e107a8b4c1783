"""Computes every number of a package again from its captures, and holds it against what was published."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields, replace
from typing import Any

from rennbahn.capture import ColumnMap, propose_samples, read_samples
from rennbahn.capture.torn import read_torn
from rennbahn.comparing.measured import facts_told, flags_told, rates_told
from rennbahn.comparing.model import ACCEPTED, Pass
from rennbahn.errors import RennbahnError
from rennbahn.measures import Settings, figures_of
from rennbahn.measures.shape import corners_of
from rennbahn.packages.files import DESCRIPTOR, TABLES, Package
from rennbahn.packages.numbers import Number, numbers_of
from rennbahn.packages.tables import CaptureFile, Row, Table, bad, capture_of, number_in, pass_of, study_of

#: Numbers that are as near as this are the same.
RELATIVE, ABSOLUTE = 1e-9, 1e-12


@dataclass(frozen=True)
class Differs:
    """A number that is another one: `computed` is None where it cannot be computed."""

    what: str
    published: float | str | None
    computed: float | str | None


@dataclass(frozen=True)
class FileFault:
    """A file that is `changed`, `missing`, or `unlisted`."""

    file: str
    fault: str


@dataclass(frozen=True)
class Verified:
    """What verifying a package came to."""

    numbers: tuple[Differs, ...]
    files: tuple[FileFault, ...]
    counted_numbers: int
    counted_files: int

    @property
    def holds(self) -> bool:
        """Whether all is as it was published."""
        return not self.numbers and not self.files

    def as_json(self) -> dict[str, Any]:
        """As the command line gives it."""
        return {
            "numbers": [vars(one) for one in self.numbers],
            "files": [vars(one) for one in self.files],
            "counts": {
                "numbers": self.counted_numbers, "numbers_differ": len(self.numbers), "files": self.counted_files,
                "files_differ": len(self.files),
            },
        }  # fmt: skip


def verify(path: str) -> Verified:
    """Hold a package against itself. Raises :class:`RennbahnError` (`bad_package`) of one that cannot be read."""
    with Package(path) as package:
        faults = _faults(package)
        tables = {name: package.table(name) for name in TABLES}
        told = package.told
        settings = told.get("settings")
        if not isinstance(settings, dict):
            raise bad(f"{DESCRIPTOR}: it has no settings")
        passes, lost = _passes(package, tables, settings)
        study = study_of(str(package.descriptor.get("title", "")), str(told.get("kind", "")), settings, tables, passes)
        computed = {one.what: one for one in numbers_of(study)}
        published = [_published(row) for row in tables["findings.csv"].rows]
        differs = [one for id_, number in published for one in _held(id_, number, computed.get(number.what), lost=lost)]
        return Verified(tuple(differs), tuple(faults), len(published), len(package.resources()))


def _faults(package: Package) -> list[FileFault]:
    listed = package.resources()
    found = []
    for name, wanted in listed.items():
        if name not in package.entries:
            found.append(FileFault(name, "missing"))
            continue
        try:
            same = package.hash_of(name) == wanted
        except RennbahnError:
            same = False
        if not same:
            found.append(FileFault(name, "changed"))
    return found + [FileFault(name, "unlisted") for name in package.entries if name not in {*listed, DESCRIPTOR}]


def _passes(package: Package, tables: Mapping[str, Table], settings: Mapping[str, Any]) -> tuple[list[Pass], bool]:
    """The passes, each from its capture where it has one that counts; and whether any could not be computed."""
    given: dict[str, dict[str, float]] = {}
    for row in tables["figures.csv"].rows:
        given.setdefault(row.get("pass", ""), {})[row.get("figure", "")] = number_in(row, "value", "figures.csv")
    found, lost = [], False
    for row in tables["passes.csv"].rows:
        one = pass_of(row, given.get(row.get("id", ""), {}))
        capture = capture_of(row, settings)
        if capture is not None and one.status == ACCEPTED:
            try:
                one = _measured(package, capture, one)
            except RennbahnError:
                lost = True
                one = replace(one, status="lost", figures={})
        found.append(one)
    return found, lost


def _measured(package: Package, file: CaptureFile, one: Pass) -> Pass:
    """A pass with what its capture gives. What no capture gives, as of watts typed in, stays as it is told."""
    given = one.facts
    columns, settings = ColumnMap.from_json(file.columns), Settings.from_json(file.settings)
    frames = read_torn(package.read(file.path), columns)
    samples = []
    for beside in file.samples:
        content = package.read(beside.path)
        samples.append(read_samples(content, propose_samples(content)).shifted(beside.offset_s))
    seen = replace(frames, samples=tuple(samples)).within(file.windows)
    figures = figures_of(seen, settings)
    corners = corners_of(seen, settings.target_hz) if figures.frames else None
    facts = facts_told(figures, corners)
    typed = {fact.name: getattr(given, fact.name) for fact in fields(facts) if getattr(facts, fact.name) in (None, "")}
    return replace(one, figures=rates_told(figures), flags=flags_told(figures), facts=replace(facts, **typed))


def _published(row: Row) -> tuple[str, Number]:
    def number(name: str) -> float | None:
        return number_in(row, name, "findings.csv") if row.get(name) else None

    if not row.get("id") or not row.get("what"):
        raise bad("findings.csv: a row lacks id or what")
    return row["id"], Number(row["what"], number("value"), number("low"), number("high"), row.get("verdict", ""))


def _held(id_: str, published: Number, computed: Number | None, *, lost: bool) -> Sequence[Differs]:
    """What of a number is another. Where a file is lost, nobody can say what it would be computed to."""
    found = []
    for column in ("value", "low", "high", "verdict"):
        was = getattr(published, column)
        now = None if computed is None else getattr(computed, column)
        if computed is None and was in (None, ""):
            continue
        if computed is None or not _same(was, now):
            found.append(Differs(f"{id_}.{column}", was, None if lost or computed is None else now))
    return found


def _same(was: float | str | None, now: float | str | None) -> bool:
    if isinstance(was, float) and isinstance(now, float):
        return math.isclose(was, now, rel_tol=RELATIVE, abs_tol=ABSOLUTE)
    return was == now
