#!/usr/bin/env python3
"""Watches folders on a test machine and sends new captures to Rennbahn. It never deletes and never sends twice.

One file, Python 3.8 or newer, nothing to install and no rights needed:

    python3 bench_link.py FOLDER [FOLDER ...]

It waits until a file has stopped growing, sends it with the token that was filled in when it was downloaded, and tries
again for as long as it takes where the network or the server is away. A file that grows once more is sent once more.
Only what looks like frames or samples is sent; other files are counted. What was written while it did not run is sent
at its next start. What it does stands on one line; what it did in a small log beside its memory (see --memory).
"""

from __future__ import annotations

import argparse
import hashlib
import io
import json
import os
import random
import re
import sys
import time
import urllib.error
import urllib.parse
import urllib.request
import uuid
import zlib
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from datetime import datetime, timezone
from pathlib import Path
from typing import Any

#: The machines of a bench have whatever Python there is: nothing newer than 3.8 is used here.
_UTC = timezone.utc  # noqa: UP017

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
#: How far the server's clock is ahead is asked so often, and is as sure as the answer was quick.
CLOCK_EVERY_S = 60.0
#: What was looked at is kept so often, for the next start.
KEEP_EVERY_S = 10.0
#: So much of a file tells what it is: a table or records of so many numbers.
_BEGINNING = 64 * 1024
_ROWS = 4
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
    #: When the folders were looked at last (s since 1970), and which files were not dealt with then; none at first.
    looked_s: float | None = None
    left: set[str] = field(default_factory=set)

    def load(self) -> None:
        """Read what is remembered; a last line that was cut off is passed over."""
        self.folder.mkdir(parents=True, exist_ok=True)
        try:
            told = json.loads((self.folder / "looked.json").read_text(encoding="utf-8"))
            self.looked_s, self.left = float(told["at"]), {str(one) for one in told["left"]}
        except (OSError, ValueError, KeyError, TypeError):
            self.looked_s, self.left = None, set()
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

    def keep_look(self, now_s: float, left: set[str]) -> None:
        """Remember when the folders were looked at, and what was not dealt with yet."""
        path = self.folder / "looked.json"
        try:
            fresh = path.with_name("looked.new.json")
            fresh.write_text(json.dumps({"at": now_s, "left": sorted(left)}), encoding="utf-8")
            os.replace(str(fresh), str(path))
        except OSError:
            pass  # a full disk must not stop what is sent

    def log(self, words: str) -> None:
        """A line in the small log; a full one makes room for a new one."""
        path = self.folder / "bench_link.log"
        try:
            if path.exists() and path.stat().st_size > _LARGEST_LOG:
                os.replace(path, path.with_name("bench_link.old.log"))
            with path.open("a", encoding="utf-8", errors="replace") as file:
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
        say: Callable[[str], object] = str,
    ) -> None:
        self.folders, self.address, self.token, self.memory = folders, address.rstrip("/"), token, memory
        self.settle_s, self.say = settle_s, say
        self.waiting: dict[Path, Found] = {}
        self.sent = 0
        #: Files that hold neither frames nor samples, however often they are written.
        self.others: set[Path] = set()
        self.last = ""
        self.ahead_s: float | None = None
        self._asked_clock: float | None = None
        self._kept_look: float | None = None

    def skip_what_is_there(self) -> None:
        """Files that were there before it first ran belong to earlier days: they are left alone.

        What was written since it looked last, or waited then, was finished while it did not run: it is sent.
        """
        since = self.memory.looked_s
        for path, size, written_ns in self._files():
            if since is not None and (written_ns / 1e9 >= since - self.settle_s or str(path) in self.memory.left):
                continue
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
        if self._kept_look is None or now - self._kept_look >= KEEP_EVERY_S:
            self._kept_look = now
            self.memory.keep_look(time.time(), {str(path) for path in self.waiting})
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
            if not self._holds_numbers(path, found):
                return
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
            self.ask_clock(now)
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

    def _holds_numbers(self, path: Path, found: Found) -> bool:
        """Whether a file is worth sending, by its beginning; another is passed over until it is written anew."""
        with path.open("rb") as file:
            if looks_like_numbers(file.read(_BEGINNING)):
                self.others.discard(path)
                return True
        self.others.add(path)
        self.memory.seen.add(mark_of(path, found.size, found.written_ns))
        del self.waiting[path]
        return False

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

    def ask_clock(self, now: float) -> None:
        """How far the server's clock is ahead of this one, halfway to its answer. Raises :class:`Away`."""
        if self._asked_clock is not None and now - self._asked_clock < CLOCK_EVERY_S:
            return
        asked, began = time.time(), time.monotonic()
        try:
            server_s = float(self._asked("/api/link/clock")["now_s"])
        except Refused as error:
            raise Away(str(error)) from None
        except (KeyError, TypeError, ValueError):
            raise Away("the server does not say what time it is") from None
        self.ahead_s = server_s - (asked + (time.monotonic() - began) / 2.0)
        self._asked_clock = now

    def _asked(self, path: str, body: bytes | None = None, kind: str = "") -> dict[str, Any]:
        """What the server answers. Raises :class:`Away` and :class:`Refused`."""
        headers = {"Authorization": f"Bearer {self.token}", "Accept": "application/json"}
        if body is not None:
            headers["Content-Type"] = kind
        request = urllib.request.Request(self.address + path, data=body, headers=headers)  # noqa: S310 - the owner's own
        try:
            with urllib.request.urlopen(request, timeout=PATIENCE_S) as response:  # noqa: S310
                answer = json.loads(response.read(1 << 20))
        except urllib.error.HTTPError as error:
            raise _refusal(error) from None
        except (OSError, ValueError) as error:
            reason = getattr(error, "reason", None) or error
            raise Away(f"the server does not answer ({reason})") from None
        return answer if isinstance(answer, dict) else {}

    def send(self, name: str, content: bytes, written_s: float) -> str:
        """Send a file; what the server says became of it. Raises :class:`Away` and :class:`Refused`."""
        fields = {"written_at": _moment(written_s), "now": _moment(time.time())}
        if self.ahead_s is not None:
            fields["ahead_s"] = f"{self.ahead_s:.3f}"
        answer = self._asked("/api/link/files", *_form(fields, name, content))
        return str(answer.get("words") or answer.get("became") or "taken")

    def line(self, now: float) -> str:
        """What it does, on one line."""
        parts = [f"watching {len(self.folders)} folder{'s' if len(self.folders) > 1 else ''}", f"{self.sent} sent"]
        if self.waiting:
            late = [found.next_try - now for found in self.waiting.values() if found.next_try > now]
            growing = len(self.waiting) - len(late)
            parts.append(f"{growing} growing" if growing else f"{len(late)} waiting, next try in {min(late):.0f} s")
        if self.others:
            parts.append(f"{len(self.others)} other file{'s' if len(self.others) > 1 else ''} left alone")
        if self.last:
            parts.append(self.last)
        return " · ".join(parts)


def looks_like_numbers(beginning: bytes) -> bool:
    """Whether a file may hold frames or samples, by how it begins: some rows of numbers, or records that hold some.

    What cannot be looked into here is sent: the server looks.
    """
    if beginning.startswith((b"PAR1", b"ARROW1", b"PK\x03\x04", b"\x28\xb5\x2f\xfd")):
        return True
    if beginning.startswith(b"\x1f\x8b"):
        try:
            beginning = zlib.decompressobj(31).decompress(beginning, _BEGINNING)
        except zlib.error:
            return True
    if beginning.startswith((b"\xff\xfe", b"\xfe\xff")):
        text = beginning[: len(beginning) // 2 * 2].decode("utf-16", errors="replace")
    else:
        text = beginning.decode("utf-8", errors="replace")
    if text.lstrip("\ufeff \t\r\n").startswith(("{", "[")):
        return len(_NUMBER_IN_RECORD.findall(text)) >= _ROWS
    return sum(1 for line in text.splitlines() if _is_row(line)) >= _ROWS


#: A number as the value of a name, or in a list of them.
_NUMBER_IN_RECORD = re.compile(r'"\s*:\s*"?-?\d|[\[,]\s*-?\d+(?:\.\d+)?(?=\s*[,\]])')


def _is_row(line: str) -> bool:
    """Whether a line is a row of a table: at least a third of its fields are numbers."""
    fields = [field.strip().strip('"') for field in re.split(r"[,;\t|]|\s{2,}|(?<=\d) (?=[\d-])", line)]
    numbers = sum(1 for field in fields if _NUMBER.match(field))
    # A clock at the beginning of each line of a log of events is no figure.
    return numbers > 0 and 3 * numbers >= len([field for field in fields if field])


_NUMBER = re.compile(r"[-+]?(?:\d+(?:[.,]\d*)?|[.,]\d+)(?:[eE][-+]?\d+)?$")


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
    return datetime.fromtimestamp(seconds, tz=_UTC).isoformat().replace("+00:00", "Z")


def _form(fields: dict[str, str], name: str, content: bytes) -> tuple[bytes, str]:
    """A form with a file, as browsers send it."""
    edge = uuid.uuid4().hex
    parts = [
        f'--{edge}\r\nContent-Disposition: form-data; name="{key}"\r\n\r\n{value}\r\n'.encode()
        for key, value in fields.items()
    ]
    # A name in no script that this machine knows is told as far as it goes: the bytes are what counts.
    name = name.encode("utf-8", "replace").decode("utf-8")
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
    # A terminal of another code page shows what it can: a sign that it lacks ends nothing.
    if isinstance(sys.stdout, io.TextIOWrapper):
        sys.stdout.reconfigure(errors="replace")
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
    link = Link(folders, told.address, token, memory, settle_s=told.settle, say=_say_on_one_line())
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


def program() -> None:
    """The same, as a command that was installed."""
    sys.exit(main())


if __name__ == "__main__":
    program()
