"""Files in: kept to the byte, read by a map, measured, refused with the place."""

from __future__ import annotations

import gzip
import hashlib
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from intake import uploads
from intake.models import Arrival, Capture, Channel
from rennbahn.capture import ColumnMap, read_capture
from rennbahn.measures import figures_of
from rennbahn.simulation import Dialect, Rig, run_pass, write_log
from testkit import Bench, Jobs

REFERENCE = Path(__file__).parents[3] / "core" / "tests" / "reference"


def take(bench: Bench, arrival: dict[str, Any], status: int = 200, **place: Any) -> Any:
    where = {"arrival_id": arrival["id"], "lane_id": bench.lane(0), "test_id": bench.test(0), **place}
    body = {"columns": arrival["columns"], "assignments": [where]}
    return bench.tester.post(f"/studies/{bench.id}/take", body, status)


def test_a_file_is_kept_to_the_byte_and_measured_as_the_core_measures(bench: Bench) -> None:
    content = (REFERENCE / "03-decimal-comma.csv").read_bytes()
    arrival = bench.tester.hand_in(bench.id, "plain moss 2.csv", content)
    assert arrival["sha256"] == hashlib.sha256(content).hexdigest()
    assert (arrival["lane_id"], arrival["test_id"], arrival["number"]) == (bench.lane(0), bench.test(0), 2)
    assert arrival["columns"]["decimal"] == ","
    (taken,) = take(bench, arrival, number=2)
    detail = bench.tester.get(f"/passes/{taken['pass_id']}")
    core = figures_of(read_capture(content, ColumnMap.from_json(detail["columns"])))
    assert core.rates is not None
    assert detail["figures"]["rates"]["average_fps"] == core.rates.average_fps
    assert detail["one"]["figures"]["low_1_fps"] == (core.lows or {})["1"]["percentile"].fps
    assert (detail["one"]["number"], detail["one"]["state"]) == (2, "recorded")
    assert bench.tester.get(f"/captures/{detail['one']['capture_id']}/original") == content


def frames(bench: Bench, path: str) -> list[float]:
    values: list[float] = np.frombuffer(bench.tester.get(path), dtype="<f8").tolist()
    return values


def test_frames_at_rest_come_back_exactly(bench: Bench) -> None:
    one = bench.record(0, 0, seed=9)
    capture = run_pass(bench.demand, Rig(), np.random.default_rng(9))
    found = bench.tester.get(f"/studies/{bench.id}/tests/{bench.test(0)}/traces")
    (trace,) = found["traces"]
    assert trace["pass_id"] == one
    exact, count, *values = frames(bench, f"/captures/{trace['capture_id']}/trace?key={trace['key']}")
    assert (exact, count) == (1, len(capture))
    assert values[: len(capture)] == (capture.end_clock_ms / 1000).tolist()
    assert values[len(capture) :] == capture.frame_ms.tolist()
    assert len(trace["curve_ms"]) == 500
    assert found["budget_ms"] == pytest.approx(1000 / 60)
    stored = sum(len(bytes(c.data)) for c in Channel.objects.filter(name="frame_ms"))
    assert stored < 4 * len(capture)


def test_the_same_file_twice_is_not_two_passes(bench: Bench) -> None:
    content = bench.log(1)
    bench.tester.hand_in(bench.id, "first.csv", content)
    again = bench.tester.hand_in(bench.id, "renamed.csv", content, status=409)
    assert again["code"] == "duplicate_file"
    assert "first.csv" in again["message"]
    assert Arrival.objects.count() == 1


def test_files_set_aside_have_a_list_and_come_back(bench: Bench) -> None:
    path = f"/studies/{bench.id}/files"
    first, second = (bench.tester.hand_in(bench.id, f"{n}.csv", bench.log(n)) for n in (1, 2))
    both = {"arrival_ids": [first["id"], second["id"]]}
    assert bench.tester.post(f"{path}/set-aside", both)["changed"] == 2
    assert bench.tester.get(path) == []
    assert [one["name"] for one in bench.tester.get(f"{path}?state=set_aside")] == ["1.csv", "2.csv"]
    again = bench.tester.hand_in(bench.id, "first.csv", bench.log(1))
    refused = bench.tester.post(f"{path}/bring-back", both, status=409)
    assert refused["code"] == "duplicate_file"
    assert "“first.csv” came since" in refused["message"]
    assert bench.tester.post(f"{path}/bring-back", {"arrival_ids": [second["id"]]})["changed"] == 1
    assert [one["name"] for one in bench.tester.get(path)] == ["2.csv", "first.csv"]
    take(bench, again)
    mixed = {"arrival_ids": [second["id"], again["id"]]}
    assert bench.tester.post(f"{path}/set-aside", mixed, status=409)["code"] == "file_taken"
    assert len(bench.tester.get(path)) == 1, "all of them or none"
    assert take(bench, again)[0]["refusal"]["reason"] == "file_taken"
    assert [line["what"] for line in bench.tester.get(f"/studies/{bench.id}/audit")][1:3] == [
        "brought files back",
        "set files aside",
    ]


@pytest.mark.parametrize("packed", ["gzip", "crlf", "bom", "trailing"])
def test_the_same_run_is_one_pass_however_it_is_packed(bench: Bench, packed: str) -> None:
    content = bench.log(1)
    take(bench, bench.tester.hand_in(bench.id, "a.csv", content))
    other = {
        "gzip": gzip.compress(content),
        "crlf": content.replace(b"\n", b"\r\n"),
        "bom": b"\xef\xbb\xbf" + content,
        "trailing": content + b"\n",
    }[packed]
    refusal = take(bench, bench.tester.hand_in(bench.id, "b.csv", other), number=2)[0]["refusal"]
    assert refusal["reason"] == "duplicate_frames"
    assert "a.csv" in refusal["message"]


def test_an_upload_that_was_broken_off_knows_what_is_there(bench: Bench) -> None:
    here = bench.tester.hand_in(bench.id, "a.csv", bench.log(1))
    asked = {"sha256": [here["sha256"], "0" * 64]}
    assert bench.tester.post(f"/studies/{bench.id}/files/known", asked) == {"sha256": [here["sha256"]]}


def test_several_files_in_one_request_are_none(bench: Bench) -> None:
    files = [SimpleUploadedFile(f"{n}.csv", bench.log(n)) for n in (1, 2)]
    answer = bench.tester.client.post(f"/api/studies/{bench.id}/files", {"file": files})
    assert (answer.status_code, answer.json()["code"]) == (422, "one_file_a_request")
    assert not Arrival.objects.exists()


def test_several_windows_leave_the_middle_out(bench: Bench) -> None:
    one = bench.record(0, 0)
    capture = bench.tester.get(f"/passes/{one}")["one"]["capture_id"]
    path = f"/captures/{capture}/windows"
    parts = [bench.tester.put(path, {"windows": [window]})["figures"] for window in ([0, 2], [5, 8])]
    both = bench.tester.put(path, {"windows": [[0, 2], [5, 8]]})
    assert both["figures"]["frames"] == sum(part["frames"] for part in parts)
    assert both["one"]["windows"] == [[0, 2], [5, 8]]
    traces = bench.tester.get(f"/studies/{bench.id}/tests/{bench.test(0)}/traces")["traces"]
    assert traces[0]["windows"] == [[0, 2], [5, 8]]
    for bad, code in (
        ([[0, 5], [2, 8]], "windows_overlap"),
        ([[5, 8], [0, 2]], "windows_overlap"),
        ([[3, 3]], "bad_window"),
    ):
        assert bench.tester.put(path, {"windows": bad}, status=422)["code"] == code
    shapes: tuple[Any, ...] = ({"windows": [[1, 2, 3]]}, {"windows": None}, {}, None, [], 5)
    for shape in shapes:
        assert bench.tester.put(path, shape, status=422)["code"] == "invalid"
    assert bench.tester.get(f"/passes/{one}")["one"]["windows"] == [[0, 2], [5, 8]]


@pytest.mark.parametrize(
    ("name", "content", "reason"),
    [
        ("holiday.csv", b"\x89PNG\r\n\x1a\n" + bytes(range(256)), "unreadable"),
        ("results.xlsx", b"PK\x03\x04" + bytes(range(256)), "unreadable"),
        ("empty.csv", b"", "no_frames"),
        ("letter.txt", b"Dear reader,\nno frames here.\n", "unreadable"),
    ],
)
def test_what_is_no_capture_is_kept_with_the_reason(bench: Bench, name: str, content: bytes, reason: str) -> None:
    arrival = bench.tester.hand_in(bench.id, name, content)
    assert arrival["refusal"]["reason"] == reason
    assert arrival["refusal"]["hint"]
    assert arrival["columns"] is None


def test_one_bad_row_is_named_and_the_other_files_are_taken(bench: Bench) -> None:
    good = bench.tester.hand_in(bench.id, "good.csv", (REFERENCE / "01-plain.csv").read_bytes())
    bad = bench.tester.hand_in(bench.id, "bad.csv", (REFERENCE / "malformed/negative.csv").read_bytes())
    place = {"lane_id": bench.lane(0), "test_id": bench.test(0)}
    body = {
        "columns": good["columns"],
        "assignments": [{"arrival_id": bad["id"], **place}, {"arrival_id": good["id"], **place}],
    }
    first, second = bench.tester.post(f"/studies/{bench.id}/take", body)
    assert (first["refusal"]["reason"], first["refusal"]["row"], first["refusal"]["line"]) == ("negative", 233, 234)
    assert second["pass_id"]
    (waiting,) = bench.tester.get(f"/studies/{bench.id}/files")
    assert waiting["refusal"]["row"] == 233, "the refused file waits with its reason"


def test_the_wrong_map_shows_before_it_is_confirmed(bench: Bench) -> None:
    arrival = bench.tester.hand_in(bench.id, "good.csv", (REFERENCE / "02-busy-channels.csv").read_bytes())
    preview = f"/files/{arrival['id']}/preview"
    right = bench.tester.post(preview, {"columns": arrival["columns"]})
    assert right["duration_s"] == pytest.approx(40, abs=0.1)
    wrong = {**arrival["columns"], "map": [{"column": "frame_time_ms", "channel": "frame_time", "unit": "us"}]}
    assert bench.tester.post(preview, {"columns": wrong})["average_fps"] > 50_000
    missing = {**arrival["columns"], "map": [{"column": "nope", "channel": "frame_time", "unit": "ms"}]}
    assert bench.tester.post(preview, {"columns": missing}, status=422)["code"] == "missing_column"
    none = bench.tester.post(preview, {"columns": {"map": []}}, status=422)
    assert (none["code"], none["field"]) == ("bad_columns", "map")


def test_a_file_over_the_limit_is_not_kept(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(uploads, "LARGEST_FILE", 100_000)
    refused = bench.tester.hand_in(bench.id, "huge.csv", b"ms\n" + b"5\n" * 100_000, status=422)
    assert refused["code"] == "too_large"
    assert "huge.csv" in refused["message"]
    assert Arrival.objects.count() == 0
    assert bench.tester.post(f"/studies/{bench.id}/files", status=422)["code"] == "no_file"


def test_names_are_only_names(bench: Bench) -> None:
    arrival = bench.tester.hand_in(bench.id, "..\\..\\etc\\<b>pass 1</b>.csv", bench.log(1))
    assert arrival["name"] == "<b>pass 1<" or "/" not in arrival["name"]
    assert "\\" not in arrival["name"]


def test_a_confirmed_map_is_offered_again_for_the_same_header(bench: Bench) -> None:
    dialect = Dialect(names={"frame_time": "alpha", "cpu_busy_ms": "beta"})

    def hand_in(seed: int) -> Any:
        log = write_log(run_pass(bench.demand, Rig(), np.random.default_rng(seed)), dialect)
        return bench.tester.hand_in(bench.id, f"{seed}.csv", log)

    first = hand_in(1)
    columns = {**first["columns"], "map": [{"column": "alpha", "channel": "frame_time", "unit": "ms"}]}
    place = {"arrival_id": first["id"], "lane_id": bench.lane(0), "test_id": bench.test(0)}
    body = {"columns": columns, "assignments": [place], "save_as": "old logger"}
    bench.tester.post(f"/studies/{bench.id}/take", body)
    second = hand_in(2)
    assert second["saved_as"] == "old logger"
    assert second["columns"]["map"] == columns["map"]


def test_a_pass_takes_one_capture(bench: Bench) -> None:
    bench.record(0, 0, 1, seed=1)
    second = bench.tester.hand_in(bench.id, "second.csv", bench.log(2))
    refusal = take(bench, second, number=1)[0]["refusal"]
    assert (refusal["reason"], bool(refusal["hint"])) == ("pass_taken", True)
    numbers = [bench.record(0, 0, seed=seed) for seed in (3, 4, 5)]
    states = {one["id"]: one["number"] for one in bench.tester.get(f"/studies/{bench.id}/passes")}
    assert [states[one] for one in numbers] == [2, 3, 4], "planned passes fill first, then new ones"


def test_a_wrong_assignment_is_mended(bench: Bench) -> None:
    one = bench.record(0, 0, 1)
    capture = bench.tester.get(f"/passes/{one}")["one"]["capture_id"]
    where = {"lane_id": bench.lane(1), "test_id": bench.test(2), "number": 3}
    moved = bench.tester.put(f"/captures/{capture}/place", where)["one"]
    assert (moved["lane_id"], moved["test_id"], moved["number"], moved["state"]) == (*where.values(), "recorded")
    left = bench.tester.get(f"/passes/{one}")["one"]
    assert (left["state"], left["capture_id"]) == ("planned", None)
    bench.tester.put(f"/studies/passes/{moved['id']}/state", {"state": "rejected", "reason_code": "odd"})
    assert bench.tester.put(f"/captures/{capture}/place", where, status=409)["code"] == "pass_decided"


def test_trimming_measures_the_window_and_leaves_the_file(bench: Bench) -> None:
    one = bench.record(0, 0)
    before = bench.tester.get(f"/passes/{one}")
    capture = before["one"]["capture_id"]
    after = bench.tester.put(f"/captures/{capture}/windows", {"windows": [[2, 6]]})
    assert after["figures"]["duration_s"] == pytest.approx(4, abs=0.1)
    assert after["one"]["windows"] == [[2, 6]]
    assert after["one"]["sha256"] == before["one"]["sha256"]
    assert bench.tester.put(f"/captures/{capture}/windows", {"windows": [[6, 2]]}, status=422)["code"] == "bad_window"
    empty = bench.tester.put(f"/captures/{capture}/windows", {"windows": [[600, 700]]}, status=422)
    assert empty["code"] == "empty_window"
    whole = bench.tester.put(f"/captures/{capture}/windows", {"windows": []})
    assert whole["figures"] == before["figures"]


def test_a_capped_pass_says_by_what(bench: Bench) -> None:
    bench.lead.save(f"/studies/{bench.id}/method", {"display_hz": 120})
    bench.demand = type(bench.demand)(3.0, 4.0, seconds=20.0, cap_fps=60.0)
    one = bench.record(0, 0)
    found = bench.tester.get(f"/passes/{one}")["one"]["figures"]
    assert (found["cap"], found["cap_name"]) == ("capped", "display refresh / 2")


def test_lists_take_the_same_queries_for_any_number(bench: Bench, queries: Callable[[int], Any]) -> None:
    for seed in range(5):
        bench.record(0, 0, seed=seed)
    with queries(5):
        bench.tester.get(f"/studies/{bench.id}/passes")
    with queries(6):
        bench.tester.get(f"/studies/{bench.id}/tests/{bench.test(0)}/traces")
    assert Capture.objects.count() == 5


def test_a_saved_map_outlives_a_longer_preamble(bench: Bench) -> None:
    content = (REFERENCE / "07-preamble.csv").read_bytes()
    first = bench.tester.hand_in(bench.id, "a.csv", content)
    where = {"arrival_id": first["id"], "lane_id": bench.lane(0), "test_id": bench.test(0)}
    body = {"columns": {**first["columns"], "skip_lines": None}, "assignments": [where], "save_as": "the old logger"}
    assert bench.tester.post(f"/studies/{bench.id}/take", body)[0]["refusal"] is None
    longer = bench.tester.hand_in(bench.id, "b.csv", b"logger 2.1\n" + content[:-20].rsplit(b"\n", 1)[0] + b"\n")
    assert longer["saved_as"] == "the old logger"
    assert longer["header_key"] == first["header_key"]
    where = {**where, "arrival_id": longer["id"], "number": 2}
    mixed = {"columns": {**first["columns"], "skip_lines": None}, "assignments": [where]}
    assert bench.tester.post(f"/studies/{bench.id}/take", mixed)[0]["refusal"] is None, "the header is where it is"


def test_editing_a_game_changes_nothing_about_what_was_run(bench: Bench, jobs: Jobs) -> None:
    bench.accept(bench.record(0, 0))
    bench.lead.post(f"/studies/{bench.id}/finish")
    before = bench.tester.get(f"/studies/{bench.id}/passes"), bench.lead.get(f"/studies/{bench.id}/audit")
    game = next(one for one in bench.lead.get("/games") if one["name"] == "Moss Republic")
    bench.lead.save(f"/games/{game['id']}", {"engine_cap_fps": 60})
    jobs.work()
    assert (bench.tester.get(f"/studies/{bench.id}/passes"), bench.lead.get(f"/studies/{bench.id}/audit")) == before


def test_what_is_not_sure_is_asked_and_a_summary_left_out_once_it_is_confirmed(bench: Bench) -> None:
    """A log whose last lines are a summary: the map that leaves them out is a proposal with a question."""
    log = bench.log(3) + b"Average FPS: 104\n1% low: 81\n"
    arrival = bench.tester.hand_in(bench.id, "with a summary.csv", log)
    assert "look like a summary" in arrival["questions"][0]
    assert arrival["columns"]["skip_last_lines"] == 2
    place = {"arrival_id": arrival["id"], "lane_id": bench.lane(0), "test_id": bench.test(0)}
    whole = {**arrival["columns"], "skip_last_lines": None}
    (refused,) = bench.tester.post(f"/studies/{bench.id}/take", {"columns": whole, "assignments": [place]})
    assert refused["refusal"]["reason"] in ("broken_row", "not_a_number")
    assert refused["refusal"]["line"] is not None
    assert "leave them out: 2 in" in refused["refusal"]["hint"]
    body = {"columns": arrival["columns"], "assignments": [place], "save_as": "summing logger"}
    (taken,) = bench.tester.post(f"/studies/{bench.id}/take", body)
    assert taken["refusal"] is None
    # The next one of its kind has a line less at its end: it is known, and nothing is asked again.
    again = bench.tester.hand_in(bench.id, "another.csv", bench.log(4) + b"Average FPS: 99\n")
    assert (again["saved_as"], again["questions"]) == ("summing logger", [])
    assert again["columns"]["skip_last_lines"] == 1
