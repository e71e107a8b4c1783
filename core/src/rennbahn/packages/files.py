"""The zip of a data package: written in one go, read within bounds, and nothing in it is run."""

from __future__ import annotations

import hashlib
import io
import json
import zipfile
from collections.abc import Iterable, Iterator, Mapping
from types import TracebackType
from typing import IO, Any

from rennbahn import MEASURES_VERSION
from rennbahn.capture.bounds import LARGEST_BYTES
from rennbahn.capture.entries import UNREADABLE, leads_out, read_entry
from rennbahn.comparing.model import Study
from rennbahn.packages.numbers import findings_table
from rennbahn.packages.tables import Table, bad, settings_of

#: Of the form that is written here.
VERSION = 1
DESCRIPTOR = "datapackage.json"
#: Tables that every package has.
TABLES = ("lanes.csv", "scenes.csv", "tests.csv", "passes.csv", "figures.csv", "compare.csv", "findings.csv")
#: A package holds at most so many files, and so much of each and in all once it is unpacked.
MOST_FILES = 25_000
LARGEST_TABLE = 256 * 2**20
LARGEST_WHOLE = 16 * 2**30
#: Columns with numbers; all others hold texts.
_NUMBERS = {
    "price", "clock_h", "from_s", "to_s", "value", "low", "high", "number", "power_w", "memory_gb", "level", "step",
    "cards", "weight_g", "noise_dba", "gpu_busy_ms", "cpu_busy_ms", "over_budget_share", "card_over_share",
    "processor_over_share", "both_over_share", "longest_spell_s", "amplitude", "temperature_c", "fan_rpm", "memory_mib",
}  # fmt: skip


def package_chunks(study: Study, tables: Mapping[str, Table], files: Iterable[tuple[str, bytes]]) -> Iterator[bytes]:
    """A package of a study, piece by piece: tables, findings, files by their paths as they come, and its descriptor.

    No file is held longer than it takes to write it. The same study gives the same bytes.
    """
    resources: list[dict[str, Any]] = []
    out = _Pipe()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as packed:

        def add(path: str, content: bytes, **more: Any) -> Iterator[bytes]:
            told = {"name": _named(path), "path": path, "bytes": len(content)}
            resources.append(told | {"hash": f"sha256:{hashlib.sha256(content).hexdigest()}"} | more)
            packed.writestr(_entry(path), content)
            return out.taken()

        for name, table in {**tables, "findings.csv": findings_table(study)}.items():
            schema = [{"name": one, "type": "number" if one in _NUMBERS else "string"} for one in table.columns]
            yield from add(name, table.text().encode(), schema={"fields": schema}, format="csv", encoding="utf-8")
        written: set[str] = set()
        for path, content in files:
            if path not in written:
                written.add(path)
                yield from add(path, content)
        descriptor: dict[str, Any] = {
            "profile": "data-package",
            "title": study.name,
            "resources": resources,
            "rennbahn": {
                "version": VERSION, "measures": MEASURES_VERSION, "kind": study.kind, "settings": settings_of(study),
            },
        }  # fmt: skip
        packed.writestr(_entry(DESCRIPTOR), json.dumps(descriptor, ensure_ascii=False, indent=1).encode())
    yield from out.taken()


def write_package(
    out: IO[bytes], study: Study, tables: Mapping[str, Table], files: Iterable[tuple[str, bytes]]
) -> None:
    """Write a package of a study (see :func:`package_chunks`)."""
    for chunk in package_chunks(study, tables, files):
        out.write(chunk)


class _Pipe(io.RawIOBase):
    """What is written is taken from the other end; it cannot be gone back in."""

    def __init__(self) -> None:
        self._held: list[bytes] = []
        self._at = 0

    def writable(self) -> bool:
        return True

    def tell(self) -> int:
        return self._at

    def write(self, data: Any) -> int:
        self._held.append(bytes(data))
        self._at += len(data)
        return len(data)

    def taken(self) -> Iterator[bytes]:
        """What was written since it was last taken."""
        held, self._held = self._held, []
        return iter(held)


class Package:
    """A package that is read, in a `with` block. Raises :class:`RennbahnError` (`bad_package`) of what is none."""

    def __init__(self, path: str) -> None:
        try:
            self._zip = zipfile.ZipFile(path)
        except OSError as error:
            raise bad(f"cannot be opened: {error.strerror or error}") from None
        except (zipfile.BadZipFile, ValueError, NotImplementedError) as error:
            raise bad(f"is no whole zip: {error}") from None
        self.entries = self._listed()
        self.descriptor = self._descriptor()

    def __enter__(self) -> Package:
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, at: TracebackType | None) -> None:
        self._zip.close()

    @property
    def told(self) -> dict[str, Any]:
        """What the package says of the study: `version`, `measures`, `kind`, `settings`."""
        found = self.descriptor.get("rennbahn")
        if not isinstance(found, dict) or found.get("version") != VERSION:
            raise bad(f"{DESCRIPTOR}: it is no package of a study, or of a form other than {VERSION}")
        return found

    def table(self, name: str) -> Table:
        """One of its tables."""
        if name not in self.entries:
            raise bad(f"it has no {name}")
        try:
            text = self.read(name, LARGEST_TABLE).decode("utf-8")
        except UnicodeDecodeError as error:
            raise bad(f"{name} is no UTF-8: {error.reason}") from None
        return Table.read(name, text)

    def read(self, name: str, most: int = LARGEST_BYTES) -> bytes:
        """A file of it. Raises of one that is larger, or that is packed in another way than stored or deflated."""
        entry = self.entries.get(name)
        if entry is None:
            raise bad(f"it has no {name}")
        try:
            content = read_entry(self._zip, entry, most)
        except UNREADABLE as error:
            raise bad(f"{name} cannot be unpacked: {error}") from None
        if len(content) > most:
            raise bad(f"{name} is larger than {most // 2**20} MB")
        return content

    def resources(self) -> dict[str, str]:
        """The hashes of its files by their paths, as it lists them."""
        found: dict[str, str] = {}
        for one in self.descriptor.get("resources") or []:
            path, told = (one.get("path"), one.get("hash")) if isinstance(one, dict) else (None, None)
            if not isinstance(path, str) or not isinstance(told, str):
                raise bad(f"{DESCRIPTOR}: a resource lacks path or hash")
            found[path] = told
        return found

    def hash_of(self, name: str) -> str:
        """The hash of a file as it is there."""
        return f"sha256:{hashlib.sha256(self.read(name, max(LARGEST_TABLE, LARGEST_BYTES))).hexdigest()}"

    def _listed(self) -> dict[str, zipfile.ZipInfo]:
        files = [one for one in self._zip.infolist() if not one.is_dir()]
        if len(files) > MOST_FILES:
            raise bad(f"holds {len(files):,} files; up to {MOST_FILES:,} are read")
        if sum(one.file_size for one in files) > LARGEST_WHOLE:
            raise bad(f"unpacks to more than {LARGEST_WHOLE // 2**30} GB")
        found: dict[str, zipfile.ZipInfo] = {}
        for one in files:
            if leads_out(one.filename):
                raise bad(f"{one.filename[:80]} leads out of the package")
            if one.filename in found:
                raise bad(f"{one.filename[:80]} is there twice")
            found[one.filename] = one
        return found

    def _descriptor(self) -> dict[str, Any]:
        try:
            found = json.loads(self.read(DESCRIPTOR, LARGEST_TABLE))
        except (ValueError, RecursionError) as error:
            raise bad(f"{DESCRIPTOR} is no JSON: {error}") from None
        if not isinstance(found, dict):
            raise bad(f"{DESCRIPTOR} is no object")
        return found


def _entry(path: str) -> zipfile.ZipInfo:
    # The first moment that a zip can name: what is the same shall be the same bytes.
    entry = zipfile.ZipInfo(path, (1980, 1, 1, 0, 0, 0))
    entry.compress_type = zipfile.ZIP_DEFLATED
    entry.external_attr = 0o644 << 16
    return entry


def _named(path: str) -> str:
    return "".join(letter if letter.isascii() and letter.isalnum() else "-" for letter in path.lower()).strip("-")
