"""Film strips: asked for, made by the worker, opened as a film with a clear ground, thrown away."""

from __future__ import annotations

import io
from datetime import timedelta
from fractions import Fraction
from typing import Any

import av
import numpy as np
import pytest
from av.container import InputContainer
from av.video.codeccontext import VideoCodecContext
from django.contrib.auth.models import User
from films import encoding, making, tasks
from films.models import Film, FilmState
from numpy.typing import NDArray
from rennbahn.capture import Capture
from rennbahn.simulation import write_log
from testkit import Bench, Caller, Jobs, caller

Picture = NDArray[np.uint8]
Floats = NDArray[np.float64]


def a_pass(bench: Bench, lane: int, frame_ms: Floats) -> int:
    """A pass of the first test that took these frames; gives the pass."""
    log = write_log(Capture(frame_ms))
    arrival = bench.tester.hand_in(bench.id, f"{lane}.csv", log)
    where = {"arrival_id": arrival["id"], "lane_id": bench.lane(lane), "test_id": bench.test(0)}
    body = {"columns": arrival["columns"], "assignments": [where]}
    (taken,) = bench.tester.post(f"/studies/{bench.id}/take", body)
    return int(taken["pass_id"])


@pytest.fixture
def ran(bench: Bench) -> list[int]:
    """Two passes of a test: a steady one of 4 s with one long frame, and one half as fast."""
    return [
        a_pass(bench, 0, np.concatenate((np.full(200, 10.0), [260.0], np.full(174, 10.0)))),
        a_pass(bench, 1, np.full(200, 20.0)),
    ]


def asked(bench: Bench, passes: list[int], **more: Any) -> dict[str, Any]:
    return {"test_id": bench.test(0), "passes": [{"pass_id": one} for one in passes], "rate": 25, **more}


def made(bench: Bench, jobs: Jobs, body: dict[str, Any]) -> dict[str, Any]:
    film = bench.tester.post(f"/studies/{bench.id}/films", body, status=201)
    assert (film["state"], film["done"]) == ("waiting", 0)
    assert jobs.work("films") == 1
    found: dict[str, Any] = bench.tester.get(f"/studies/{bench.id}/tests/{body['test_id']}/films")[0]
    return found


def opened(content: bytes) -> InputContainer:
    """A film, to be read."""
    found = av.open(io.BytesIO(content))
    assert isinstance(found, InputContainer)
    return found


def pictures(content: bytes) -> list[Picture]:
    """Every picture of a film, with its alpha, which the usual decoder leaves out."""
    with opened(content) as film:
        decoder = av.CodecContext.create("libvpx-vp9", "r")
        assert isinstance(decoder, VideoCodecContext)
        frames = [frame for packet in film.demux(film.streams.video[0]) for frame in decoder.decode(packet)]
        return [frame.to_ndarray(format="rgba").astype(np.uint8) for frame in frames]


def test_a_film_runs_in_the_time_of_its_passes_over_a_clear_ground(bench: Bench, jobs: Jobs, ran: list[int]) -> None:
    film = made(bench, jobs, asked(bench, ran))
    assert (film["state"], film["done"], film["pictures"]) == ("ready", 100, 100), film["words"]
    assert film["said"].startswith(f"{bench.study['lanes_full'][0]['name']}, pass 1")
    response = bench.tester.client.get(f"/api/films/{film['id']}/file")
    assert (response["Content-Type"], len(response.content)) == ("video/webm", film["size"])
    with opened(response.content) as inside:
        (stream,) = inside.streams.video
        assert stream.codec_context.name == "vp9"
        assert stream.average_rate == Fraction(25)
        assert stream.metadata["ALPHA_MODE"] == "1"
        assert inside.duration == pytest.approx(4e6, rel=0.01)
    shown = pictures(response.content)
    assert len(shown) == 100
    assert shown[0].shape == (400, 1920, 4)
    # Nothing lies between the name of a lane and the right edge; its name does.
    assert shown[60][10:40, 900:1500, 3].max() < 20
    assert shown[60][10:44, 40:200, 3].max() > 240
    # After a second an eighth of the trace is written, and nothing to the right of it.
    trace = slice(66, 180)
    assert (shown[26][trace, 640:760, 3] > 200).any(axis=0).mean() > 0.95
    assert not (shown[26][trace, 830:1860, 3] > 200).any(axis=0).mean() > 0.9
    # The rate cannot be told at first, stands still for half a second, and the long frame changes it and is marked.
    rate = [one[60:150, 40:270].astype(int) for one in shown]
    assert np.abs(rate[30] - rate[36]).mean() < 2
    assert np.abs(rate[2] - rate[30]).mean() > 5
    assert np.abs(rate[30] - rate[70]).mean() > 5
    mark = [one[46:60, 615 + 315 : 615 + 340, 3] for one in shown]
    assert (mark[45] < 60).all()
    assert mark[70].max() > 150


def test_a_stretch_is_asked_for_on_the_clock_that_is_common(bench: Bench, jobs: Jobs, ran: list[int]) -> None:
    body = asked(bench, ran, from_s=1.0, to_s=2.0, rate=60, letters="dark")
    body["passes"][1]["offset_s"] = 0.5
    film = made(bench, jobs, body)

    assert (film["state"], film["pictures"], film["letters"]) == ("ready", 60, "dark"), film["words"]
    assert "laid +0.50 s" in film["said"]
    assert film["said"].endswith(", 1.0 to 2.0 s")


def test_what_does_not_count_says_so(bench: Bench, jobs: Jobs, ran: list[int]) -> None:
    capture = bench.tester.get(f"/passes/{ran[1]}")["one"]["capture_id"]
    bench.tester.put(f"/captures/{capture}/windows", {"windows": [[2.0, 4.0]]})

    film = made(bench, jobs, asked(bench, ran[1:]))
    shown = pictures(bench.tester.client.get(f"/api/films/{film['id']}/file").content)

    assert shown[0].shape == (200, 1920, 4)
    said = [one[8:40, 1630:1880, 3].max() for one in shown]
    assert said[20] > 240
    assert said[70] < 60


@pytest.mark.parametrize(
    ("changes", "field"),
    [
        ({"rate": 24}, "rate"), ({"letters": "red"}, "letters"), ({"passes": []}, "passes"),
        ({"from_s": 9.0, "to_s": 3.0}, "to_s"), ({"from_s": -1.0}, "from_s"), ({"test_id": 0}, ""),
        ({"passes": [{"pass_id": 0}]}, ""), ({"to_s": 1e300}, "to_s"),
    ],
)  # fmt: skip
def test_what_cannot_be_shown_is_refused_by_field(
    bench: Bench, ran: list[int], changes: dict[str, Any], field: str
) -> None:
    response = bench.tester.client.post(
        f"/api/studies/{bench.id}/films", asked(bench, ran) | changes, content_type="application/json"
    )

    assert response.status_code in (400, 404, 422)
    assert field in (response.json().get("field") or "")
    assert not Film.all_films.exists()


def test_a_pass_twice_one_of_another_test_and_too_long_a_one_are_refused(bench: Bench, ran: list[int]) -> None:
    path = f"/studies/{bench.id}/films"
    bench.tester.post(path, asked(bench, [ran[0], ran[0]]), status=422)
    bench.tester.post(path, {**asked(bench, ran), "test_id": bench.test(1)}, status=404)
    long = a_pass(bench, 0, np.full(20_000, 10.0))
    refused = bench.tester.post(path, asked(bench, [long]), status=422)

    assert (refused["code"], refused["field"]) == ("too_long", "to_s")
    bench.tester.post(path, asked(bench, [long], from_s=0.0, to_s=100.0), status=201)


def test_one_person_has_three_waiting_and_others_have_their_own(bench: Bench, ran: list[int]) -> None:
    path = f"/studies/{bench.id}/films"
    for _ in range(3):
        bench.tester.post(path, asked(bench, ran), status=201)

    assert bench.tester.post(path, asked(bench, ran), status=409)["code"] == "too_many_wait"
    caller("tester", "another").post(path, asked(bench, ran), status=201)


def test_of_a_test_twenty_are_kept(bench: Bench, ran: list[int]) -> None:
    told = {"study_id": bench.id, "test_id": bench.test(0), "asked": {}, "rate": 25, "letters": "light", "pictures": 1}
    by = User.objects.get(username=bench.lead.name)
    kept = [Film(**told, said="x", state=FilmState.READY, by=by) for _ in range(20)]
    Film.all_films.bulk_create(kept)
    path = f"/studies/{bench.id}/films"

    assert bench.tester.post(path, asked(bench, ran), status=409)["code"] == "too_many"
    bench.tester.delete(f"/films/{kept[0].pk}")
    bench.tester.post(path, asked(bench, ran), status=201)


def test_whatever_goes_wrong_is_said_and_nobody_waits(
    bench: Bench, ran: list[int], monkeypatch: pytest.MonkeyPatch
) -> None:
    film = bench.tester.post(f"/studies/{bench.id}/films", asked(bench, ran), status=201)

    def fail(*_: Any) -> None:
        raise OSError("no space")

    monkeypatch.setattr(making, "encode", fail)
    with pytest.raises(OSError, match="no space"):
        making.make(film["id"])
    told = bench.tester.get(f"/studies/{bench.id}/tests/{bench.test(0)}/films")[0]
    assert (told["state"], told["words"]) == ("failed", "The worker could not make it. Ask for it again.")


def test_one_that_is_thrown_away_while_it_is_made_stays_away(
    bench: Bench, ran: list[int], monkeypatch: pytest.MonkeyPatch
) -> None:
    film = bench.tester.post(f"/studies/{bench.id}/films", asked(bench, ran), status=201)["id"]
    monkeypatch.setattr(making, "_TELLS_S", 0.0)
    own, begun = encoding.encode, list[bytes]()

    def throw_away(*of: Any) -> None:
        begun.append(bench.tester.delete(f"/films/{film}"))
        own(*of)

    monkeypatch.setattr(making, "encode", throw_away)
    making.make(film)

    assert begun == [b""]
    assert not Film.all_films.exists()
    bench.tester.delete(f"/films/{film}", status=404)
    making.make(film)


def test_a_worker_that_died_begins_it_anew_and_one_that_is_made_is_not_made_twice(
    bench: Bench, jobs: Jobs, ran: list[int]
) -> None:
    film = bench.tester.post(f"/studies/{bench.id}/films", asked(bench, ran, to_s=1.0), status=201)["id"]
    Film.all_films.filter(pk=film).update(state=FilmState.RUNNING, done=20)
    jobs.work("films")
    size = Film.all_films.get(pk=film).size
    assert size > 1000
    Film.all_films.filter(pk=film).update(size=size + 1)
    making.make(film)

    assert Film.all_films.get(pk=film).size == size + 1


def test_what_fails_says_why_and_what_is_old_goes(
    bench: Bench, jobs: Jobs, ran: list[int], settings: Any, tmp_path: Any
) -> None:
    settings.WEB_DIST = tmp_path / "dist"
    film = made(bench, jobs, asked(bench, ran))
    assert (film["state"], film["size"]) == ("failed", 0)
    assert "could not be drawn" in film["words"]
    bench.tester.client.get(f"/api/films/{film['id']}/file")

    at = Film.all_films.get(pk=film["id"]).at
    Film.all_films.update(state=FilmState.RUNNING, at=at - timedelta(days=1))
    assert tasks.sweep_films(0) == 0
    assert Film.all_films.get().state == FilmState.FAILED
    Film.all_films.update(at=at - timedelta(days=8))
    assert tasks.sweep_films(0) == 1
    assert not Film.all_films.exists()


def test_a_viewer_sees_and_takes_them_and_asks_for_none(
    bench: Bench, jobs: Jobs, ran: list[int], viewer: Caller
) -> None:
    film = made(bench, jobs, asked(bench, ran, to_s=1.0))

    assert viewer.get(f"/studies/{bench.id}/tests/{bench.test(0)}/films")[0]["id"] == film["id"]
    assert viewer.client.get(f"/api/films/{film['id']}/file").status_code == 200
    viewer.post(f"/studies/{bench.id}/films", asked(bench, ran), status=403)
    viewer.delete(f"/films/{film['id']}", status=403)
    viewer.get(f"/studies/{bench.id}/tests/0/films", status=404)
