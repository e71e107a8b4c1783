"""What is kept: figures beside what they were made by, files in their roles, results that are only numbers."""

from __future__ import annotations

import asyncio
import hashlib
from datetime import UTC, datetime
from typing import Any

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from intake import measuring, queries, reading, remeasuring, tasks
from intake.bounded import BoundedProcess, OutOfBounds, bounded
from intake.models import AllFigures, Capture, CaptureFigures
from intake.reading import FRAMES, KeptCapture
from intake.schemas import PassOut
from procrastinate.contrib.django import app
from procrastinate.exceptions import UniqueViolation
from procrastinate.jobs import Status
from rennbahn.capture.pack import pack
from rennbahn.errors import CaptureRefused
from studies.models import Pass
from testkit import Bench, Jobs


def over_budget(bench: Bench, one: int) -> float:
    share: float = bench.tester.get(f"/passes/{one}")["figures"]["smoothness"]["over_budget_share"]
    return share


def rows(bench: Bench) -> list[dict[str, Any]]:
    return [one for one in bench.tester.get(f"/studies/{bench.id}/passes") if one["capture_id"]]


def upgrade(monkeypatch: pytest.MonkeyPatch, version: int = 99) -> None:
    for module in (measuring, queries, remeasuring):
        monkeypatch.setattr(module, "MEASURES_VERSION", version)


def test_reading_never_measures_and_says_what_is_stale(bench: Bench, jobs: Jobs) -> None:
    one = bench.record(0, 0)
    before = over_budget(bench, one)
    bench.lead.save(f"/studies/{bench.id}/method", {"target_hz": 144})
    kept = CaptureFigures.objects.count()
    assert over_budget(bench, one) == before, "until the worker has been there, the old figures are shown"
    assert [row["stale"] for row in rows(bench)] == [True]
    assert bench.lead.get(f"/studies/{bench.id}/findings")["stale"] == 1
    assert bench.lead.get("/work") == [{"study_id": bench.id, "question": "Do tall fins help?", "left": 1, "failed": 0}]
    assert CaptureFigures.objects.count() == kept
    assert jobs.work("intake") == 1
    assert before == pytest.approx(0.0, abs=0.01)
    assert over_budget(bench, one) == pytest.approx(1.0, abs=0.01)
    assert [row["stale"] for row in rows(bench)] == [False]
    assert bench.lead.get("/work") == []


def test_old_figures_stay_beside_new_ones_and_count_again_with_their_method(bench: Bench, jobs: Jobs) -> None:
    one = bench.record(0, 0)
    bench.lead.save(f"/studies/{bench.id}/method", {"target_hz": 144})
    jobs.work()
    assert [row["counts"] for row in bench.tester.get(f"/passes/{one}")["measured"]] == [True, False]
    bench.lead.save(f"/studies/{bench.id}/method", {"target_hz": 60})
    assert jobs.waiting("intake") == [], "what was measured by this method before needs no worker"
    assert [row["counts"] for row in bench.tester.get(f"/passes/{one}")["measured"]] == [False, True]
    assert over_budget(bench, one) == pytest.approx(0.0, abs=0.01)


def test_a_method_that_changes_no_figure_queues_nothing(bench: Bench, jobs: Jobs) -> None:
    bench.record(0, 0)
    bench.lead.save(f"/studies/{bench.id}/method", {"suite_school": "equal_frames", "equal_band": 0.02})
    assert jobs.waiting("intake") == []


def test_an_upgrade_measures_open_studies_and_leaves_finished_ones_as_they_are(
    bench: Bench, jobs: Jobs, monkeypatch: pytest.MonkeyPatch
) -> None:
    one = bench.record(0, 0)
    bench.accept(one)
    bench.lead.post(f"/studies/{bench.id}/finish")
    before = bench.lead.get(f"/passes/{one}")
    upgrade(monkeypatch)
    assert remeasuring.queue_stale() == [bench.id]
    assert remeasuring.queue_stale() == [bench.id], "asking twice is no fault"
    assert jobs.work("intake") == 1
    after = bench.lead.get(f"/passes/{one}")
    assert (after["version"], after["figures"]) == (before["version"], before["figures"])
    assert [(row["version"], row["counts"]) for row in after["measured"]] == [(99, False), (before["version"], True)]
    assert bench.lead.get("/work") == [], "a finished study waits for nobody"
    bench.lead.post(f"/studies/{bench.id}/reopen")
    assert bench.lead.get(f"/passes/{one}")["version"] == 99
    assert remeasuring.queue_stale() == []


def test_a_capture_that_cannot_be_measured_stops_no_other(
    bench: Bench, jobs: Jobs, monkeypatch: pytest.MonkeyPatch
) -> None:
    bad, good = bench.record(0, 0, seed=1), bench.record(0, 0, seed=2)
    upgrade(monkeypatch)
    hopeless = measuring.at_rest(Capture.objects.get(on_pass=bad))
    measured = BoundedProcess.call

    def call(self: BoundedProcess, function: Any, kept: KeptCapture, settings: dict[str, Any]) -> Any:
        if kept == hopeless:
            raise OutOfBounds("longer than 60 s")
        return measured(self, function, kept, settings)

    monkeypatch.setattr(BoundedProcess, "call", call)
    remeasuring.queue_stale()
    jobs.work()
    assert bench.tester.get(f"/passes/{bad}")["trouble"].startswith("the file takes longer than 60 s")
    assert bench.tester.get(f"/passes/{good}")["version"] == 99
    assert [(row["left"], row["failed"]) for row in bench.tester.get("/work")] == [(0, 1)]
    assert remeasuring.queue_stale() == [], "what failed is not tried for ever"


def test_measuring_is_bounded_in_memory_and_time() -> None:
    def kept(frames: int) -> KeptCapture:
        return KeptCapture({FRAMES: pack(np.full(frames, 8.0))})

    with BoundedProcess() as process:
        assert process.call(reading.measure, kept(1000), {}).figures.frames == 1000
    with BoundedProcess(memory_bytes=8 * 2**20) as small:
        with pytest.raises(OutOfBounds, match="8 MB of memory"):
            small.call(reading.measure, kept(2_000_000), {})
        assert small.call(reading.measure, kept(1000), {}).figures.frames == 1000, (
            "the next capture is measured all the same"
        )
    with BoundedProcess(seconds=0.001) as quick, pytest.raises(OutOfBounds, match="longer than"):
        quick.call(reading.measure, kept(1_000_000), {})


def test_what_the_process_refuses_is_refused_here_with_all_its_facts() -> None:
    columns = {"map": [{"column": "ms", "channel": "frame_time", "unit": "ms"}]}
    with pytest.raises(CaptureRefused) as refused:
        bounded(reading.read, b"ms\n8\nx\n", columns, {})
    assert (refused.value.reason, refused.value.row, refused.value.line) == ("not_a_number", 2, 3)
    assert refused.value.hint


@pytest.mark.parametrize("queued_again", [False, True])
def test_the_job_of_a_dead_worker_is_taken_up_and_blocks_nobody(
    queued_again: bool, monkeypatch: pytest.MonkeyPatch
) -> None:
    done: list[str] = []

    class Manager:
        async def get_stalled_jobs(self, seconds_since_heartbeat: float) -> list[str]:
            assert seconds_since_heartbeat == tasks.STALLED_S
            return ["dead"]

        async def retry_job(self, job: str) -> None:
            if queued_again:
                raise UniqueViolation(constraint_name="procrastinate_jobs_queueing_lock_idx", queueing_lock="study-1")
            done.append(f"{job} again")

        async def finish_job(self, job: str, status: Status, delete_job: bool) -> None:
            done.append(f"{job} {status.value}, {delete_job}")

    monkeypatch.setattr(app, "job_manager", Manager(), raising=False)
    asyncio.run(tasks.take_up_stalled())
    assert done == (["dead failed, True"] if queued_again else ["dead again"])


def test_lists_read_columns_and_no_document(bench: Bench) -> None:
    one = bench.record(0, 0)
    row = CaptureFigures.objects.get()
    AllFigures.objects.update(figures={"not": "looked at"}, curve=b"")
    (listed,) = rows(bench)
    assert (listed["id"], listed["figures"]["average_fps"]) == (one, row.average_fps)
    assert bench.lead.get(f"/studies/{bench.id}/findings")["rejected"] == []


def test_what_is_answered_without_a_check_keeps_the_promised_form(bench: Bench) -> None:
    bench.record(0, 0)
    bench.tester.post(f"/passes/{first_planned(bench)}/reported", {"score": 12, "read_from": "page"}, status=201)
    for row in bench.tester.get(f"/studies/{bench.id}/passes"):
        assert set(row) == set(PassOut.model_fields)
        PassOut.model_validate(row)


# --- files and samples ---------------------------------------------------------------------------------------


def attach(bench: Bench, one: int, name: str, content: bytes, role: str, status: int = 201, **more: Any) -> Any:
    body = {"file": SimpleUploadedFile(name, content), "role": role, **more}
    response = bench.tester.client.post(f"/api/passes/{one}/files", body)
    assert response.status_code == status, response.content
    return response.json()


def test_a_pass_has_files_in_roles_each_kept_to_the_byte(bench: Bench) -> None:
    one = bench.record(0, 0)
    picture = b"\x89PNG\r\n\x1a\n" + bytes(range(200))
    found = attach(bench, one, "screen.png", picture, "picture")
    assert [file["role"] for file in found["files"]] == ["frames", "picture"]
    kept = found["files"][1]
    assert (kept["name"], kept["sha256"]) == ("screen.png", hashlib.sha256(picture).hexdigest())
    assert bench.tester.get(f"/files/{kept['id']}/content") == picture
    assert found["one"]["state"] == "recorded"
    assert attach(bench, one, "again.png", picture, "picture", status=409)["code"] == "duplicate_file"
    assert attach(bench, one, "x.png", b"x", "poster", status=422)["field"] == "role"


def meter(begins: int = 0, seconds: int = 10) -> bytes:
    lines = [f"{begins + s},{100 + s}\n" for s in range(seconds)]
    return ("clock_s,wall_power_w\n" + "".join(lines)).encode()


@pytest.mark.parametrize("offset", ["nan", "inf", "-inf", "1e300", "soon"])
def test_a_clock_that_is_none_is_refused(bench: Bench, offset: str) -> None:
    one = bench.record(0, 0)
    body = {"file": SimpleUploadedFile("meter.csv", meter()), "role": "samples", "offset_s": offset}
    refused = bench.tester.client.post(f"/api/passes/{one}/files", body)
    assert (refused.status_code, refused.json()["field"]) == (422, "offset_s")


def test_a_file_of_days_to_come_is_refused(bench: Bench) -> None:
    late = bench.tester.hand_in(
        bench.id, "a.csv", bench.log(1), status=422, written_at=datetime(2099, 1, 1, tzinfo=UTC)
    )
    assert (late["code"], late["field"]) == ("not_yet", "written_at")


def test_samples_have_a_clock_of_their_own_and_are_trimmed_by_it(bench: Bench) -> None:
    one = bench.record(0, 0)
    bench.accept(one)
    found = attach(bench, one, "meter.csv", meter(), "samples")
    # The meter went on for two seconds after the run: 100 to 107 W were drawn during it.
    assert found["figures"]["channel_means"]["wall_power_w"] == pytest.approx(103.5)
    assert found["files"][1]["offset_s"] == 0.0
    assert found["one"]["state"] == "recorded", "what it holds has changed, so it is decided again"
    trimmed = bench.tester.put(f"/captures/{found['one']['capture_id']}/windows", {"windows": [[2, 5]]})
    assert trimmed["figures"]["channel_means"]["wall_power_w"] == pytest.approx(104.0), "seconds 3, 4 and 5"
    kept = measuring.at_rest(Capture.objects.get())
    frames = kept.whole().within(kept.windows)
    assert frames.samples[0].clock_s.tolist() == [1.0, 2.0, 3.0]


def test_a_clock_from_elsewhere_is_laid_on_the_captures_and_can_be_put_right(bench: Bench) -> None:
    one = bench.record(0, 0)
    found = attach(bench, one, "meter.csv", meter(begins=1_700_000_000), "samples")
    assert found["files"][1]["offset_s"] == -1_700_000_000
    later = attach(bench, one, "second.csv", meter(seconds=9), "samples", offset_s=3.5)
    assert later["files"][2]["offset_s"] == 3.5
    assert attach(bench, one, "words.csv", b"a,b\nx,y\n", "samples", status=422)["code"]
    none = attach(bench, first_planned(bench), "early.csv", meter(seconds=8), "samples", status=409)
    assert none["code"] == "no_capture"


def test_samples_without_a_common_clock_are_laid_where_load_begins(bench: Bench) -> None:
    one = bench.record(0, 0)
    length = bench.tester.get(f"/passes/{one}")["figures"]["duration_s"]
    lines = [f"{s / 2},{200 if 6 <= s / 2 <= 6 + length else 60}\n" for s in range(int(2 * length) + 40)]
    found = attach(bench, one, "meter.csv", ("clock_s,wall_power_w\n" + "".join(lines)).encode(), "samples")
    file = found["files"][1]
    assert file["offset_s"] == pytest.approx(-6.0, abs=0.51)
    load = bench.tester.get(f"/files/{file['id']}/load")
    assert load["found_s"] == file["offset_s"]
    assert "60 without load, 200 with it" in load["words"]
    [drawn] = load["drawn"]
    assert drawn["watts"] == pytest.approx(200.0, abs=3.0)
    assert drawn["watts_above_idle"] == pytest.approx(140.0, abs=3.0)
    frames = found["figures"]["frames"]
    assert drawn["joules_a_frame"] == pytest.approx(drawn["watts"] * length / frames)
    bench.tester.put(f"/files/{file['id']}/offset", {"offset_s": 0.0})
    moved = bench.tester.get(f"/files/{file['id']}/load")
    assert (moved["offset_s"], moved["found_s"]) == (0.0, load["found_s"])
    assert moved["drawn"][0]["watts"] < 160.0
    assert bench.tester.get("/files/0/load", status=404)["code"] == "not_found"


# --- results that are only numbers ---------------------------------------------------------------------------


def first_planned(bench: Bench, lane: int = 0, test: int = 0) -> int:
    found = Pass.objects.filter(lane=bench.lane(lane), test=bench.test(test), state="planned").order_by("number")
    return found[0].pk


def enter(bench: Bench, lane: int, test: int, **numbers: float) -> int:
    one = first_planned(bench, lane, test)
    bench.tester.post(f"/passes/{one}/reported", {"read_from": "result page", **numbers}, status=201)
    bench.accept(one)
    return one


def test_reported_results_are_compared_with_their_like_only(bench: Bench) -> None:
    bench.fill(tests=1)
    for lane, speed in ((0, 1.0), (1, 1.1)):
        for number in range(3):
            enter(bench, lane, 1, average_fps=speed * (90 + number), low_1_fps=speed * 70)
    enter(bench, 0, 2, average_fps=90)
    bench.accept(bench.record(1, 2, seed=5))
    found = bench.lead.get(f"/studies/{bench.id}/findings")
    by_game = {test["game"]: test for test in found["tests"]}
    assert by_game["Ninth Ferry"]["average"]["b_over_a"] == pytest.approx(0.1)
    assert by_game["Ninth Ferry"]["low_1"]["b_over_a"] == pytest.approx(0.1)
    assert by_game["Ninth Ferry"]["low_01"]["left_out"]["reason"] == "not_reported"
    assert by_game["Paper Comets"]["average"]["left_out"]["reason"] == "sources_differ"
    assert found["average"]["tests"] == 2
    listed = next(row for row in bench.tester.get(f"/studies/{bench.id}/passes") if row["reported"])
    assert (listed["figures"], listed["reported"]["average_fps"]) == (None, 90)


def test_a_reported_result_says_something_and_where_it_stands(bench: Bench) -> None:
    path = f"/passes/{first_planned(bench)}/reported"
    assert bench.tester.post(path, {"read_from": "page"}, status=422)["code"] == "invalid"
    assert bench.tester.post(path, {"average_fps": 0, "read_from": "page"}, status=422)["field"] == "average_fps"
    assert bench.tester.post(path, {"average_fps": 60}, status=422)["field"] == "read_from"
    assert bench.tester.post(path, {"average_fps": 60, "read_from": "page"}, status=201)
    assert bench.tester.post(path, {"average_fps": 61, "read_from": "page"}, status=409)["code"] == "pass_taken"


def hand_in_table(bench: Bench, table: str, status: int = 200) -> Any:
    body = {"file": SimpleUploadedFile("results.csv", table.encode())}
    response = bench.tester.client.post(f"/api/studies/{bench.id}/reported", body)
    assert response.status_code == status, response.content
    return response.json()


def test_a_table_of_results_is_taken_whole_or_not_at_all(bench: Bench) -> None:
    head = "Lane;Game;average_fps;low_1_fps;read_from\n"
    good = head + "plain fins;Moss Republic;61,5;48;result page\ntall fins;Moss Republic;66,25;;result page\n"
    lanes = [{"lane": lane, "passes": 1} for lane in ("plain fins", "tall fins")]
    assert hand_in_table(bench, good) == {"recorded": 2, "tests": 1, "lanes": lanes}
    assert {float(p.reported.average_fps or 0) for p in Pass.objects.filter(state="recorded")} == {61.5, 66.25}
    for row, field in (
        ("nobody;Moss Republic;60;;x", "lane"),
        ("plain fins;Nothing;60;;x", "game"),
        ("plain fins;Moss Republic;sixty;;x", "average_fps"),
        ("plain fins;Moss Republic;;;x", "average_fps"),
        ("plain fins;Moss Republic;1_6;;x", "average_fps"),
        ("plain fins;Moss Republic;1e400;;x", "average_fps"),
        ("plain fins;Moss Republic;1e-320;;x", "average_fps"),
    ):
        bad = hand_in_table(bench, head + "plain fins;Ninth Ferry;70;;x\n" + row + "\n", status=422)
        assert (bad["row"], bad["line"], bad["field"]) == (2, 3, field), row
        assert bad["code"] in ("bad_row", "no_number", "invalid", "broken_row")
    assert Pass.objects.filter(state="recorded").count() == 2
    assert hand_in_table(bench, "lane;fps\na;1\n", status=422)["code"] == "unknown_column"
    assert hand_in_table(bench, "lane;game\na;b\n", status=422)["code"] == "missing_column"


# --- what was run is fixed -----------------------------------------------------------------------------------


def test_a_pass_keeps_when_it_ran_and_what_it_was_told(bench: Bench, jobs: Jobs) -> None:
    name, log = "a.csv", bench.log(3)
    body = {"file": SimpleUploadedFile(name, log), "written_at": "2026-01-05T10:00:30Z"}
    arrival = bench.tester.client.post(f"/api/studies/{bench.id}/files", body).json()
    place = {"arrival_id": arrival["id"], "lane_id": bench.lane(0), "test_id": bench.test(0)}
    (taken,) = bench.tester.post(f"/studies/{bench.id}/take", {"columns": arrival["columns"], "assignments": [place]})
    detail = bench.tester.get(f"/passes/{taken['pass_id']}")
    assert detail["one"]["ran_at"].startswith("2026-01-05T10:00:22"), "it began its own length before"
    assert detail["run_as"]["condition"]["name"] == "1440 high"
    assert detail["setup"] == "Box, plain v1"
    game = next(g for g in bench.lead.get("/games") if g["name"] == "Moss Republic")
    bench.lead.save(f"/games/{game['id']}", {"name": "Moss Republic", "engine_cap_fps": 90})
    assert jobs.waiting("intake") == []
    assert bench.tester.get(f"/passes/{taken['pass_id']}")["run_as"]["known_caps"] == []
    later = bench.tester.get(f"/passes/{bench.record(0, 0, seed=4)}")
    assert [cap["name"] for cap in later["run_as"]["known_caps"]] == ["engine cap"]


def test_trimming_or_moving_an_accepted_pass_sends_it_back_to_be_decided(bench: Bench) -> None:
    bench.fill(tests=1)
    one = Pass.objects.filter(lane=bench.lane(0), test=bench.test(0)).first()
    assert one is not None
    capture = one.capture.pk
    trimmed = bench.tester.put(f"/captures/{capture}/windows", {"windows": [[1, 6]]})
    assert trimmed["one"]["state"] == "recorded"
    bench.accept(one.pk)
    where = {"lane_id": bench.lane(1), "test_id": bench.test(1)}
    moved = bench.tester.put(f"/captures/{capture}/place", where)
    assert moved["one"]["state"] == "recorded"
    assert moved["setup"] == "Box, tall v1", "it is a run of the lane where it belongs"
    said = [line["what"] for line in bench.lead.get(f"/studies/{bench.id}/audit")]
    assert said[:2] == ["moved the capture", "recorded a pass"]
    assert "has to be decided again" in said


def test_warm_ups_never_count_and_a_control_is_one_more_pass_of_its_cell(bench: Bench) -> None:
    bench.fill(tests=1)
    before = bench.lead.get(f"/studies/{bench.id}/findings")
    counts = []
    for role in ("warm_up", "control"):
        place = {"lane_id": bench.lane(0), "test_id": bench.test(0), "role": role}
        made = bench.tester.post("/studies/passes", place, status=201)
        assert made["role"] == role
        bench.accept(bench.record(0, 0, made["number"], seed=900 + made["number"]))
        after = bench.lead.get(f"/studies/{bench.id}/findings")
        counts.append(after["accepted_passes"])
        assert (after["average"] == before["average"]) == (role == "warm_up")
    assert counts == [6, 7]
    assert next(test for test in after["tests"] if test["average"]["n_a"])["average"]["n_a"] == 4
