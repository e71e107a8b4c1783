"""The program on the test machine: sends each file once, whole, whatever happens to server, network and file."""

from __future__ import annotations

import importlib.util
import json
import os
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path

import pytest

PROGRAM = Path(__file__).parents[1] / "bench_link.py"
_spec = importlib.util.spec_from_file_location("bench_link_program", PROGRAM)
assert _spec is not None
assert _spec.loader is not None
bench_link = importlib.util.module_from_spec(_spec)
sys.modules["bench_link_program"] = bench_link
_spec.loader.exec_module(bench_link)

ROWS = b"frame_time_ms\n" + b"8.25\n" * 400


class Server:
    """A server that answers as it is told, and keeps what came."""

    def __init__(self) -> None:
        self.answers: list[tuple[int, dict[str, object]]] = []
        self.usual: tuple[int, dict[str, object]] = (201, {"became": "pass", "words": "pass 1"})
        self.came: list[tuple[dict[str, str], bytes]] = []
        self.slow_s = 0.0
        outer = self

        class Handler(BaseHTTPRequestHandler):
            def do_POST(self) -> None:
                body = self.rfile.read(int(self.headers["Content-Length"]))
                outer.came.append((dict(self.headers), body))
                time.sleep(outer.slow_s)
                status, answer = outer.answers.pop(0) if outer.answers else outer.usual
                text = json.dumps(answer).encode()
                self.send_response(status)
                self.send_header("Content-Length", str(len(text)))
                self.end_headers()
                self.wfile.write(text)

            def log_message(self, *_: object) -> None:
                """Say nothing."""

        self.http = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
        self.port = self.http.server_address[1]
        threading.Thread(target=self.http.serve_forever, daemon=True).start()

    @property
    def address(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    def names(self) -> list[str]:
        """Names of the files that came, in order."""
        return [body.split(b'filename="')[1].split(b'"')[0].decode() for _, body in self.came]


@pytest.fixture
def server() -> Iterator[Server]:
    found = Server()
    yield found
    found.http.shutdown()
    found.http.server_close()


class Watch:
    """The program beside a folder, whose clock the test turns."""

    def __init__(self, folder: Path, address: str, memory: Path) -> None:
        self.folder, self.now = folder, 1000.0
        kept = bench_link.Memory(memory)
        kept.load()
        self.link = bench_link.Link([folder], address, "rbl_token", kept, settle_s=2.0)

    def look(self, later_s: float = 0.5) -> None:
        self.now += later_s
        self.link.look(self.now)

    def settle(self) -> None:
        """Look until what has stopped growing is dealt with."""
        for _ in range(6):
            self.look()

    def line(self) -> str:
        return self.link.line(self.now)


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    found = tmp_path / "captures"
    found.mkdir()
    return found


@pytest.fixture
def watch(folder: Path, tmp_path: Path, server: Server) -> Watch:
    return Watch(folder, server.address, tmp_path / "memory")


def test_a_file_is_sent_whole_once_it_has_stopped_growing(watch: Watch, server: Server) -> None:
    file = watch.folder / "run 1.csv"
    for part in range(4):
        with file.open("ab") as out:
            out.write(ROWS[part * 500 : (part + 1) * 500])
        watch.look(1.5)
    assert server.came == []
    assert "1 growing" in watch.line()
    watch.settle()
    headers, body = server.came[0]
    assert server.names() == ["run 1.csv"]
    assert file.read_bytes() in body
    assert headers["Authorization"] == "Bearer rbl_token"
    assert b'name="written_at"' in body
    assert b'name="now"' in body
    watch.settle()
    assert len(server.came) == 1
    assert file.exists(), "nothing is ever deleted"
    assert watch.line() == "watching 1 folder · 1 sent · run 1.csv: pass 1"


def test_nothing_is_sent_twice_also_after_a_restart(watch: Watch, server: Server, folder: Path, tmp_path: Path) -> None:
    (folder / "a.csv").write_bytes(ROWS)
    watch.settle()
    (folder / "a.csv").rename(folder / "renamed.csv")
    (folder / "copy.csv").write_bytes(ROWS)
    watch.settle()
    again = Watch(folder, server.address, tmp_path / "memory")
    again.settle()
    os.utime(folder / "copy.csv", (1, 1))
    again.settle()
    assert server.names() == ["a.csv"]
    (folder / "a.csv").write_bytes(ROWS + b"9.5\n")
    again.settle()
    assert server.names() == ["a.csv", "a.csv"], "other bytes are another capture"


def test_a_memory_that_was_cut_off_is_read_as_far_as_it_goes(
    watch: Watch, server: Server, folder: Path, tmp_path: Path
) -> None:
    (folder / "a.csv").write_bytes(ROWS)
    watch.settle()
    with (tmp_path / "memory" / "sent.jsonl").open("ab") as file:
        file.write(b'{"file": "b')
    again = Watch(folder, server.address, tmp_path / "memory")
    again.settle()
    assert len(server.came) == 1


@pytest.mark.parametrize(
    ("answer", "says"),
    [
        ((503, {"code": "busy"}), "the server answers 503"),
        ((500, {}), "the server answers 500"),
        ((409, {"code": "no_session", "message": "none"}), "no session runs: begin one in Run"),
        ((401, {"code": "not_signed_in"}), "the server refuses the token"),
        ((429, {}), "the server answers 429"),
    ],
)
def test_a_server_that_cannot_take_it_is_asked_again_and_later_each_time(
    watch: Watch, server: Server, folder: Path, answer: tuple[int, dict[str, object]], says: str
) -> None:
    server.answers = [answer] * 4
    (folder / "a.csv").write_bytes(ROWS)
    watch.settle()
    assert says in watch.line()
    waits = []
    for _ in range(3):
        before = len(server.came)
        began = watch.now
        while len(server.came) == before:
            watch.look(0.25)
        waits.append(watch.now - began)
    assert waits[0] <= 1.3
    assert waits[2] > waits[0]
    while "1 sent" not in watch.line():
        watch.look()
    assert len(server.came) == 5


@pytest.mark.parametrize("status", [413, 422])
def test_what_is_refused_for_good_is_not_sent_again(watch: Watch, server: Server, folder: Path, status: int) -> None:
    server.usual = (status, {"code": "invalid", "message": "The file is no file."})
    (folder / "a.csv").write_bytes(ROWS)
    watch.settle()
    watch.look(600)
    assert len(server.came) == 1
    assert watch.line().endswith("a.csv: refused: The file is no file.")


def test_a_server_that_is_away_gets_it_when_it_is_back(folder: Path, tmp_path: Path, server: Server) -> None:
    watch = Watch(folder, "http://127.0.0.1:9", tmp_path / "memory")
    (folder / "a.csv").write_bytes(ROWS)
    watch.settle()
    assert "the server does not answer" in watch.line()
    for _ in range(40):
        watch.look(60)
    assert "1 waiting" in watch.line() or "growing" in watch.line()
    watch.link.address = server.address
    watch.look(70)
    assert server.names() == ["a.csv"]
    log = (tmp_path / "memory" / "bench_link.log").read_text()
    assert 3 <= log.count("the server does not answer") <= 8, "a small log, however long it takes"


def test_a_server_that_is_slow_is_away(
    watch: Watch, server: Server, folder: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(bench_link, "PATIENCE_S", 0.2)
    server.slow_s = 0.6
    (folder / "a.csv").write_bytes(ROWS)
    watch.settle()
    assert "the server does not answer" in watch.line()
    server.slow_s = 0.0
    watch.look(5)
    assert "1 sent" in watch.line()


def _vanish(file: Path) -> None:
    file.unlink()


def _shrink(file: Path) -> None:
    file.write_bytes(b"")


@pytest.mark.parametrize("happens", [_vanish, _shrink])
def test_a_file_that_vanishes_or_empties_before_it_is_sent(
    watch: Watch, server: Server, folder: Path, happens: Callable[[Path], None]
) -> None:
    (folder / "a.csv").write_bytes(ROWS)
    watch.look()
    happens(folder / "a.csv")
    watch.settle()
    assert server.came == []
    assert watch.line() == "watching 1 folder · 0 sent"


def test_a_file_that_another_program_holds_is_read_when_it_lets_go(
    watch: Watch, server: Server, folder: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    (folder / "a.csv").write_bytes(ROWS)
    held = True
    read = Path.read_bytes

    def locked(path: Path) -> bytes:
        if held:
            raise PermissionError(13, "the file is used by another process")
        return read(path)

    monkeypatch.setattr(Path, "read_bytes", locked)
    watch.settle()
    assert "cannot be read (the file is used by another process)" in watch.line()
    held = False
    watch.look(5)
    assert "1 sent" in watch.line()


def test_a_file_that_grows_while_it_is_read_is_waited_for(
    watch: Watch, server: Server, folder: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    file = folder / "a.csv"
    file.write_bytes(ROWS)
    read = Path.read_bytes

    def grows(path: Path) -> bytes:
        content = read(path)
        with path.open("ab") as out:
            out.write(b"9.1\n")
        return content

    monkeypatch.setattr(Path, "read_bytes", grows)
    watch.settle()
    assert server.came == []
    monkeypatch.undo()
    for _ in range(3):
        watch.now = time.monotonic() + 10
        watch.settle()
    assert file.read_bytes() in server.came[0][1]


def test_other_files_and_hidden_folders_are_left_alone(watch: Watch, server: Server, folder: Path) -> None:
    (folder / ".cache").mkdir()
    for name in ("a.exe", "b.png", ".c.csv", ".cache/d.csv"):
        (folder / name).write_bytes(ROWS)
    (folder / "day 1").mkdir()
    (folder / "day 1" / "e.csv.gz").write_bytes(ROWS)
    watch.settle()
    assert server.names() == ["e.csv.gz"]


def test_a_file_larger_than_the_server_takes_is_said_and_not_sent(
    watch: Watch, server: Server, folder: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(bench_link, "LARGEST", 100)
    (folder / "a.csv").write_bytes(ROWS)
    watch.settle()
    assert server.came == []
    assert "a.csv: larger than" in watch.line()


def test_the_program_itself_sends_what_is_there_when_told_to(folder: Path, tmp_path: Path, server: Server) -> None:
    (folder / "ä 1.csv").write_bytes(ROWS)
    told = [sys.executable, PROGRAM, folder, "--address", server.address, "--memory", tmp_path / "m", "--settle", "0.1"]
    environment = {**os.environ, "BENCH_LINK_TOKEN": "rbl_x"}
    done = subprocess.run(
        [*told, "--all", "--once"], env=environment, capture_output=True, text=True, timeout=30, check=True
    )
    assert "1 sent" in done.stdout
    assert server.names() == ["ä 1.csv"]
    again = subprocess.run([*told, "--once"], env=environment, capture_output=True, text=True, timeout=30, check=True)
    assert "0 sent" in again.stdout


def test_it_says_what_is_missing(folder: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert bench_link.main([str(folder)]) == 2
    assert "download it from Rennbahn" in capsys.readouterr().err
    assert bench_link.main(["--address", "http://127.0.0.1:9", str(folder / "none")]) == 2
