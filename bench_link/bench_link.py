#!/usr/bin/env python3
"""Watches folders on a test machine and sends new captures to Rennbahn. It never deletes and never sends twice.

One file, Python 3.8 or newer, nothing to install and no rights needed:

    python3 bench_link.py FOLDER [FOLDER ...]

It waits until a file has stopped growing, sends it with the token that was filled in when it was downloaded, and tries
again for as long as it takes where the network or the server is away. What it does stands on one line; what it did in
a small log beside its memory (see --memory).
"""

from __future__ import annotations

import argparse
import hashlib
import json
import os
import random
import sys
import time
import urllib.error
import urllib.parse
import urllib.request
import uuid
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path

#: Filled in by the server that hands this program out; --address and BENCH_LINK_TOKEN stand above them.
ADDRESS = ""
TOKEN = ""

#: Files with other endings are nobody's captures.
ENDINGS = (".csv", ".tsv", ".txt", ".log", ".json", ".jsonl", ".parquet", ".arrow", ".gz", ".zst", ".zip")
#: Larger files are not taken by the server.
LARGEST = 64 * 1024 * 1024
#: Seconds between two looks, and from one try to the next at most.
LOOK_EVERY_S = 0.5
FIRST_WAIT_S = 1.0
LONGEST_WAIT_S = 60.0
#: A server that takes longer is away.
PATIENCE_S = 30.0
_LARGEST_LOG = 256 * 1024


class Refused(Exception):
    """The server looked at the file and does not take it; sending it again would change nothing."""


class Away(Exception):
    """The file could not be sent now; it is tried again."""


@dataclass
class Found:
    """A file as it was seen last: its size and time, since when they are the same, and when it is tried next."""

    size: int
    written_ns: int
    since: float
    tries: int = 0
    next_try: float = 0.0


@dataclass
class Memory:
    """What was dealt with, kept on disk line by line, so that nothing is sent twice, whatever happens in between."""

    folder: Path
    digests: dict[str, str] = field(default_factory=dict)
    seen: set[str] = field(default_factory=set)

    def load(self) -> None:
        """Read what is remembered; a last line that was cut off is passed over."""
        self.folder.mkdir(parents=True, exist_ok=True)
        try:
            lines = (self.folder / "sent.jsonl").read_text(encoding="utf-8").splitlines()
        except FileNotFoundError:
            return
        for line in lines:
            try:
                entry = json.loads(line)
                self.digests[entry["sha256"]] = entry["became"]
                self.seen.add(entry["file"])
            except (ValueError, KeyError, TypeError):
                continue

    def keep(self, path: Path, found: Found, digest: str, became: str) -> None:
        """Remember a file that was dealt with."""
        mark = mark_of(path, found.size, found.written_ns)
        self.digests[digest] = became
        self.seen.add(mark)
        with (self.folder / "sent.jsonl").open("a", encoding="utf-8") as file:
            file.write(json.dumps({"file": mark, "sha256": digest, "became": became}) + "\n")
            file.flush()
            os.fsync(file.fileno())

    def log(self, words: str) -> None:
        """A line in the small log; a full one makes room for a new one."""
        path = self.folder / "bench_link.log"
        try:
            if path.exists() and path.stat().st_size > _LARGEST_LOG:
                os.replace(path, path.with_name("bench_link.old.log"))
            with path.open("a", encoding="utf-8") as file:
                file.write(f"{datetime.now():%Y-%m-%d %H:%M:%S} {words}\n")
        except OSError:
            pass  # a full disk must not stop what is sent


def mark_of(path: Path, size: int, written_ns: int) -> str:
    """What tells a file from another and from itself before it was written anew."""
    return f"{path}|{size}|{written_ns}"


class Link:
    """Watches folders and sends what is new."""

    def __init__(  # `say` hears the one line that tells what it does
        self,
        folders: list[Path],
        address: str,
        token: str,
        memory: Memory,
        *,
        settle_s: float = 2.0,
        simulated: bool = False,
        say: Callable[[str], object] = str,
    ) -> None:
        self.folders, self.address, self.token, self.memory = folders, address.rstrip("/"), token, memory
        self.settle_s, self.simulated, self.say = settle_s, simulated, say
        self.waiting: dict[Path, Found] = {}
        self.sent = 0
        self.last = ""

    def skip_what_is_there(self) -> None:
        """Files that are there already belong to earlier days: they are left alone."""
        for path, size, written_ns in self._files():
            self.memory.seen.add(mark_of(path, size, written_ns))

    def look(self, now: float) -> None:
        """One look at the folders: take note of what is new or changed, and send what has stopped growing."""
        there = set()
        for path, size, written_ns in self._files():
            there.add(path)
            if mark_of(path, size, written_ns) in self.memory.seen:
                self.waiting.pop(path, None)
                continue
            known = self.waiting.get(path)
            if known is None or (known.size, known.written_ns) != (size, written_ns):
                self.waiting[path] = Found(size, written_ns, now)
        for path in [path for path in self.waiting if path not in there]:
            del self.waiting[path]
            self.memory.log(f"{path} vanished before it was sent")
        for path, found in sorted(self.waiting.items(), key=lambda item: item[1].written_ns):
            if now - found.since >= self.settle_s and now >= found.next_try:
                self._deal_with(path, found, now)
        self.say(self.line(now))

    def _files(self) -> Iterator[tuple[Path, int, int]]:
        for folder in self.folders:
            for top, inner, names in os.walk(folder):
                inner[:] = [name for name in inner if not name.startswith(".")]
                for name in names:
                    path = Path(top) / name
                    if not name.lower().endswith(ENDINGS) or name.startswith("."):
                        continue
                    try:
                        stat = path.stat()
                    except OSError:
                        continue  # renamed or gone since the folder was read
                    if stat.st_size:
                        yield path, stat.st_size, stat.st_mtime_ns

    def _deal_with(self, path: Path, found: Found, now: float) -> None:
        try:
            content = self._whole(path, found)
        except OSError as error:
            # Another program holds it, or it was just renamed: look again later.
            self._again(path, found, now, f"cannot be read ({error.strerror or error})")
            return
        if content is None:
            return
        digest = hashlib.sha256(content).hexdigest()
        if digest in self.memory.digests:
            self.memory.keep(path, found, digest, self.memory.digests[digest])
            self.memory.log(f"{path} holds the same bytes as one that was sent before")
            del self.waiting[path]
            return
        try:
            became = self.send(path.name, content, found.written_ns / 1e9)
        except Away as error:
            self._again(path, found, now, str(error))
            return
        except Refused as error:
            became = f"refused: {error}"
        else:
            self.sent += 1
        self.memory.keep(path, found, digest, became)
        self.memory.log(f"{path}: {became}")
        self.last = f"{path.name}: {became}"
        del self.waiting[path]

    def _whole(self, path: Path, found: Found) -> bytes | None:
        """The file's bytes, unless it changed while it was read: then it is waited for again."""
        if found.size > LARGEST:
            self.memory.keep(path, found, f"too large {mark_of(path, found.size, found.written_ns)}", "too large")
            self.last = f"{path.name}: larger than {LARGEST // 2**20} MB, not sent"
            self.memory.log(self.last)
            del self.waiting[path]
            return None
        content = path.read_bytes()
        stat = path.stat()
        if (stat.st_size, stat.st_mtime_ns) != (found.size, found.written_ns) or len(content) != found.size:
            self.waiting[path] = Found(stat.st_size, stat.st_mtime_ns, time.monotonic())
            return None
        return content

    def _again(self, path: Path, found: Found, now: float, why: str) -> None:
        """Try again later: twice as late each time, and not all machines at once."""
        wait = min(LONGEST_WAIT_S, FIRST_WAIT_S * 2.0 ** min(found.tries, 10)) * random.uniform(0.5, 1.0)  # noqa: S311
        found.tries += 1
        found.next_try = now + wait
        if found.tries in (1, 2, 4, 8) or found.tries % 16 == 0:
            self.memory.log(f"{path} waits: {why} (try {found.tries})")
        self.last = f"{path.name} waits: {why}"

    def send(self, name: str, content: bytes, written_s: float) -> str:
        """Send a file; what the server says became of it. Raises :class:`Away` and :class:`Refused`."""
        fields = {"written_at": _moment(written_s), "now": _moment(time.time())}
        if self.simulated:
            fields["simulated"] = "true"
        body, kind = _form(fields, name, content)
        request = urllib.request.Request(  # noqa: S310 - the address is the owner's own
            f"{self.address}/api/link/files",
            data=body,
            headers={"Authorization": f"Bearer {self.token}", "Content-Type": kind, "Accept": "application/json"},
        )
        try:
            with urllib.request.urlopen(request, timeout=PATIENCE_S) as response:  # noqa: S310
                answer = json.loads(response.read(1 << 20))
        except urllib.error.HTTPError as error:
            raise _refusal(error) from None
        except (OSError, ValueError) as error:
            reason = getattr(error, "reason", None) or error
            raise Away(f"the server does not answer ({reason})") from None
        return str(answer.get("words") or answer.get("became") or "taken")

    def line(self, now: float) -> str:
        """What it does, on one line."""
        parts = [f"watching {len(self.folders)} folder{'s' if len(self.folders) > 1 else ''}", f"{self.sent} sent"]
        if self.waiting:
            late = [found.next_try - now for found in self.waiting.values() if found.next_try > now]
            growing = len(self.waiting) - len(late)
            parts.append(f"{growing} growing" if growing else f"{len(late)} waiting, next try in {min(late):.0f} s")
        if self.last:
            parts.append(self.last)
        return " · ".join(parts)


def _refusal(error: urllib.error.HTTPError) -> Exception:
    """What an answer other than yes means for the file."""
    try:
        told = json.loads(error.read(1 << 16))
        words = str(told.get("message") or error.reason)
        code = str(told.get("code") or "")
    except (OSError, ValueError, AttributeError):
        words, code = str(error.reason), ""
    if error.code in (401, 403):
        return Away("the server refuses the token: make a new one in Rennbahn, under Bench")
    if error.code == 409 and code == "no_session":
        return Away("no session runs: begin one in Run")
    if error.code in (413, 415, 422):
        return Refused(words)
    if error.code == 409:
        return Away(words)
    return Away(f"the server answers {error.code}")


def _moment(seconds: float) -> str:
    return datetime.fromtimestamp(seconds, tz=UTC).isoformat().replace("+00:00", "Z")


def _form(fields: dict[str, str], name: str, content: bytes) -> tuple[bytes, str]:
    """A form with a file, as browsers send it."""
    edge = uuid.uuid4().hex
    parts = [
        f'--{edge}\r\nContent-Disposition: form-data; name="{key}"\r\n\r\n{value}\r\n'.encode()
        for key, value in fields.items()
    ]
    quoted = name.replace("\\", "_").replace('"', "%22").replace("\r", "").replace("\n", "")
    parts.append(
        f'--{edge}\r\nContent-Disposition: form-data; name="file"; filename="{quoted}"\r\n'
        "Content-Type: application/octet-stream\r\n\r\n".encode()
    )
    return b"".join([*parts, content, f"\r\n--{edge}--\r\n".encode()]), f"multipart/form-data; boundary={edge}"


def _memory_folder(address: str) -> Path:
    """Where it remembers what it sent, by server: in the user's own folder."""
    home = os.environ.get("LOCALAPPDATA") or os.environ.get("XDG_STATE_HOME") or str(Path.home() / ".local" / "state")
    place = hashlib.sha256(address.encode()).hexdigest()[:12]
    return Path(home) / "bench_link" / place


def _say_on_one_line() -> Callable[[str], None]:
    """Writes over its own line on a terminal; elsewhere it writes a line whenever there is something new."""
    told = ""
    on_terminal = sys.stdout.isatty()

    def say(words: str) -> None:
        nonlocal told
        if words == told:
            return
        if on_terminal:
            room = os.get_terminal_size().columns - 1
            print("\r" + words[:room].ljust(min(len(told), room)), end="", flush=True)
        elif words.partition(", next try")[0] != told.partition(", next try")[0]:
            print(words, flush=True)
        told = words

    return say


def parser() -> argparse.ArgumentParser:
    """The command line."""
    found = argparse.ArgumentParser(prog="bench_link", description=__doc__.partition("\n")[0])
    found.add_argument("folders", nargs="+", metavar="FOLDER", help="where the logger writes; folders in it count too")
    found.add_argument("--address", default=ADDRESS, help="the server, such as http://192.0.2.7:8000")
    found.add_argument("--settle", type=float, default=2.0, metavar="S", help="a file has stopped growing after this")
    found.add_argument("--all", action="store_true", help="send also what is in the folders already")
    found.add_argument("--memory", metavar="FOLDER", help="where it remembers what it sent, with its log")
    found.add_argument("--once", action="store_true", help="end when nothing waits any more")
    found.add_argument("--simulated", action="store_true", help="the files are a simulated bench's")
    return found


def main(argv: list[str] | None = None) -> int:
    """Watch until it is ended; 0, or 2 where something is missing."""
    told = parser().parse_args(argv)
    token = os.environ.get("BENCH_LINK_TOKEN") or TOKEN
    if not told.address or not token:
        print(
            "bench_link: download it from Rennbahn, under Bench: there it gets its address and token.", file=sys.stderr
        )
        return 2
    folders = [Path(folder).expanduser().resolve() for folder in told.folders]
    for folder in folders:
        if not folder.is_dir():
            print(f"bench_link: {folder} is no folder. Say where the logger writes.", file=sys.stderr)
            return 2
    memory = Memory(Path(told.memory) if told.memory else _memory_folder(told.address))
    memory.load()
    link = Link(
        folders, told.address, token, memory, settle_s=told.settle, simulated=told.simulated, say=_say_on_one_line()
    )
    if not told.all:
        link.skip_what_is_there()
    try:
        while True:
            link.look(time.monotonic())
            if told.once and not link.waiting:
                break
            time.sleep(LOOK_EVERY_S)
    except KeyboardInterrupt:
        pass
    print()
    return 0


if __name__ == "__main__":
    sys.exit(main())
