"""The program on the test machine: sends each file once, whole, whatever happens to server, network and file."""

from __future__ import annotations

import ast
import gzip
import importlib.util
import json
import os
import shutil
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
        self.asked: list[str] = []
        self.ahead_s = 0.0
        #: What is answered where the clock is asked for, other than what it says.
        self.clock: tuple[int, dict[str, object]] | None = None
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

            def do_GET(self) -> None:
                outer.asked.append(self.path)
                status, answer = outer.clock or (200, {"now_s": time.time() + outer.ahead_s})
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


def pythons() -> list[str]:
    """This Python, and the oldest and newest others that the machine has."""
    others = [found for minor in range(8, 15) if (found := shutil.which(f"python3.{minor}"))]
    works = [one for one in others if subprocess.run([one, "-c", ""], capture_output=True, check=False).returncode == 0]
    return list(dict.fromkeys([sys.executable, *works[:1], *works[-1:]]))


def test_it_is_written_for_python_3_8() -> None:
    """Whatever stands on the test machine starts it, also where no old Python is at hand to try."""
    tree = ast.parse(PROGRAM.read_text(encoding="utf-8"), feature_version=(3, 8))
    newer = {"UTC", "StrEnum", "removeprefix", "removesuffix", "batched", "pairwise", "tomllib", "zoneinfo"}
    used = {node.id for node in ast.walk(tree) if isinstance(node, ast.Name)}
    used |= {node.attr for node in ast.walk(tree) if isinstance(node, ast.Attribute)}
    used |= {
        one.name for node in ast.walk(tree) if isinstance(node, (ast.Import, ast.ImportFrom)) for one in node.names
    }
    assert not used & newer


@pytest.mark.parametrize("python", pythons())
def test_the_program_itself_sends_what_is_there_when_told_to(
    python: str, folder: Path, tmp_path: Path, server: Server
) -> None:
    (folder / "ä 1.csv").write_bytes(ROWS)
    told = [python, PROGRAM, folder, "--address", server.address, "--memory", tmp_path / "m", "--settle", "0.1"]
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


def test_what_was_written_while_it_did_not_run_is_sent_at_its_next_start(
    watch: Watch, server: Server, folder: Path, tmp_path: Path
) -> None:
    """History is left alone, also that which was copied there with its old times."""
    os.utime(_written(folder / "history.csv", ROWS), (1_600_000_000, 1_600_000_000))
    watch.link.skip_what_is_there()
    watch.settle()
    assert server.came == []
    server.usual = (503, {"code": "away"})
    _written(folder / "waits.csv", ROWS + b"8.1\n")
    watch.settle()
    watch.look(20.0)
    # The machine is switched off: what waited is remembered, what is written meanwhile is new.
    _written(folder / "meanwhile.csv", ROWS + b"8.2\n")
    os.utime(_written(folder / "copied.csv", ROWS + b"8.3\n"), (1_600_000_000, 1_600_000_000))
    server.came.clear()
    server.usual = (201, {"became": "pass", "words": "pass 1"})
    again = Watch(folder, server.address, tmp_path / "memory")
    again.link.skip_what_is_there()
    again.settle()
    assert sorted(server.names()) == ["meanwhile.csv", "waits.csv"]


def _written(path: Path, content: bytes) -> Path:
    path.write_bytes(content)
    return path


def test_a_file_that_grows_after_it_was_sent_is_sent_again(watch: Watch, server: Server, folder: Path) -> None:
    file = _written(folder / "a.csv", ROWS[:500])
    watch.settle()
    with file.open("ab") as out:
        out.write(ROWS[500:])
    watch.settle()
    assert [ROWS in body for _, body in server.came] == [False, True]
    assert server.names() == ["a.csv", "a.csv"]


@pytest.mark.parametrize(
    ("name", "content", "sent"),
    [
        ("run.csv", b"time;fps;frametime\n0,01;60;16,6\n0,02;61;16,4\n0,03;61;16,4\n0,04;60;16,5\n", True),
        ("run.txt", "\ufeffframe\tms\n1\t8.1\n2\t8.2\n3\t8.3\n4\t8.4\n".encode("utf-16"), True),
        ("run.json", b'{"frames": [8.1, 8.2, 8.3, 8.4, 8.5]}', True),
        ("run.jsonl", b'{"ms": 8.1}\n{"ms": 8.2}\n{"ms": 8.3}\n{"ms": 8.4}\n', True),
        ("run.csv.gz", gzip.compress(b"ms\n" + b"8.25\n" * 50), True),
        ("run.parquet", b"PAR1 and so on", True),
        ("meter.log", b"clock_s  wall_power_w\n0.0  121.4\n0.5  122.0\n1.0  122.9\n1.5  121.1\n", True),
        ("game.log", b"[12:01:07] INFO loading the level\n[12:01:09] INFO done, with 3 warnings\n" * 30, False),
        ("settings.json", b'{"preset": "high", "sync": false, "name": "left"}', False),
        ("read me.txt", b"Put your captures here. They are sent by themselves.\n" * 20, False),
        ("notes.txt.gz", gzip.compress(b"words and words\n" * 50), False),
        ("names.csv", b"part;maker;colour\nV5;Ostrane;red\nV7;Ostrane;blue\nV9;Ostrane;grey\nV2;Ostrane;red\n", False),
    ],
)
def test_only_what_looks_like_frames_or_samples_is_sent(
    watch: Watch, server: Server, folder: Path, name: str, content: bytes, sent: bool
) -> None:
    _written(folder / name, content)
    watch.settle()
    assert (server.names() == [name]) is sent
    assert ("1 other file left alone" in watch.line()) is not sent


def test_a_log_of_events_that_is_written_on_and_on_is_one_file_and_costs_no_memory(
    watch: Watch, server: Server, folder: Path, tmp_path: Path
) -> None:
    file = folder / "game.log"
    for _ in range(4):
        with file.open("ab") as out:
            out.write(b"the level was loaded again\n" * 10)
        watch.settle()
    assert server.came == []
    assert "1 other file left alone" in watch.line()
    assert not (tmp_path / "memory" / "sent.jsonl").exists()
    # Should it turn out to hold numbers after all, it is sent.
    file.write_bytes(ROWS)
    watch.settle()
    assert server.names() == ["game.log"]
    assert "left alone" not in watch.line()


def test_names_in_any_script_and_none(watch: Watch, server: Server, folder: Path) -> None:
    names = ["пробег 1.csv", "走行.csv", "صيد.csv", "a\u0301 e.csv", "broken \udcff.csv"]
    for number, name in enumerate(names):
        _written(folder / name, ROWS + b"7.%d\n" % number)
    watch.settle()
    assert sorted(server.names()) == sorted([*names[:-1], "broken ?.csv"])


@pytest.mark.parametrize("encoding", ["cp437", "cp1252", "ascii", "utf-8"])
def test_it_writes_into_a_terminal_of_any_code_page(
    encoding: str, folder: Path, tmp_path: Path, server: Server
) -> None:
    _written(folder / "走行.csv", ROWS)
    told = [sys.executable, PROGRAM, folder, "--address", server.address, "--memory", tmp_path / "m", "--settle", "0.1"]
    environment = {**os.environ, "BENCH_LINK_TOKEN": "rbl_x", "PYTHONIOENCODING": encoding}
    done = subprocess.run([*told, "--all", "--once"], env=environment, capture_output=True, timeout=30, check=True)
    assert b"1 sent" in done.stdout


def test_it_runs_as_one_zipped_program(folder: Path, tmp_path: Path, server: Server) -> None:
    _written(folder / "a.csv", ROWS)
    source = tmp_path / "source"
    source.mkdir()
    shutil.copy(PROGRAM, source / "__main__.py")
    subprocess.run([sys.executable, "-m", "zipapp", source, "-o", tmp_path / "bench_link.pyz"], check=True)
    told = [sys.executable, tmp_path / "bench_link.pyz", folder, "--address", server.address]
    environment = {**os.environ, "BENCH_LINK_TOKEN": "rbl_x"}
    end = ["--memory", tmp_path / "m", "--settle", "0.1", "--all", "--once"]
    done = subprocess.run([*told, *end], env=environment, capture_output=True, text=True, timeout=30, check=True)
    assert "1 sent" in done.stdout


def test_the_servers_clock_is_asked_now_and_then_and_told_with_each_file(watch: Watch, server: Server) -> None:
    server.ahead_s = 7200.0
    for number in range(3):
        _written(watch.folder / f"{number}.csv", ROWS + b"8.%d\n" % number)
        watch.settle()
    assert server.asked == ["/api/link/clock"], "one answer does for a minute"
    for _, body in server.came:
        told = float(body.split(b'name="ahead_s"\r\n\r\n')[1].split(b"\r\n")[0])
        assert told == pytest.approx(7200.0, abs=0.5)
    watch.look(61.0)
    _written(watch.folder / "later.csv", ROWS + b"9.1\n")
    watch.settle()
    assert len(server.asked) == 2


def test_two_links_on_one_folder_each_send_it_once_and_go_on(
    watch: Watch, server: Server, folder: Path, tmp_path: Path
) -> None:
    other = Watch(folder, server.address, tmp_path / "other memory")
    server.answers = [
        (201, {"became": "pass", "words": "pass 1"}),
        (201, {"became": "known", "words": "there already"}),
    ]
    _written(folder / "a.csv", ROWS)
    watch.settle()
    other.settle()
    watch.settle()
    assert server.names() == ["a.csv", "a.csv"]
    assert "a.csv: there already" in other.line()


def test_a_token_that_was_revoked_is_said_and_nothing_is_lost(watch: Watch, server: Server, folder: Path) -> None:
    server.clock = (401, {"code": "not_signed_in", "message": "Sign in first."})
    _written(folder / "a.csv", ROWS)
    watch.settle()
    assert "make a new one in Rennbahn" in watch.line()
    assert server.came == []
    server.clock = None
    watch.look(60.0)
    assert server.names() == ["a.csv"]
