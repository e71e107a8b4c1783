"""A zip of many captures: each file's fate is told, it can be cancelled and resumed, and originals lose no byte."""

from __future__ import annotations

import io
import zipfile
from typing import Any

import pytest
from django.db import DataError
from intake import unpacking
from intake.models import Arrival, Original, PackPiece
from intake.unpacking import take_in
from testkit import Bench, Jobs


def zipped(files: dict[str, bytes]) -> bytes:
    """A zip of files by name."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as packed:
        for name, content in files.items():
            packed.writestr(name, content)
    return out.getvalue()


def names(bench: Bench, seeds: int = 1) -> dict[str, bytes]:
    """Captures of every cell, by names that say where they belong."""
    return {
        f"captures/{lane} {game} {number}.csv": bench.log(1000 * a + 100 * b + number)
        for a, lane in enumerate(("plain fins", "tall fins"))
        for b, game in enumerate(("Moss Republic", "Ninth Ferry", "Paper Comets"))
        for number in range(1, seeds + 1)
    }


def fates(bench: Bench, pack: int) -> dict[str, list[str]]:
    found: dict[str, list[str]] = {}
    for entry in bench.tester.get(f"/packs/{pack}")["entries"]:
        found.setdefault(entry["state"], []).append(entry["name"])
    return found


def test_a_pack_is_taken_in_by_the_worker_and_tells_of_each_file(bench: Bench, jobs: Jobs) -> None:
    files = names(bench, 2)
    first = next(iter(files))
    odd = {
        "captures/again.csv": files[first], "captures/strange.csv": b"a;b\n1;2\n3;4\n", "readme.csv": b"hello\n",
        "captures/somewhere.csv": bench.log(77), ".DS_Store": b"x", "__MACOSX/a.csv": b"x",
    }  # fmt: skip
    pack = bench.tester.hand_in_pack(bench.id, zipped(files | odd))
    assert (pack["state"], pack["files"], pack["waiting"]) == ("running", 16, 16)
    assert bench.tester.get(f"/studies/{bench.id}/passes")[0]["state"] == "planned", "the page answered at once"
    jobs.work()
    (pack,) = bench.tester.get(f"/studies/{bench.id}/packs")
    assert (pack["state"], pack["waiting"], pack["taken"]) == ("done", 0, 12)
    found = fates(bench, pack["id"])
    assert sorted(found["taken"]) == sorted(files)
    assert found["known"] == ["captures/again.csv"]
    assert found["kept"] == ["captures/strange.csv", "captures/somewhere.csv"]
    assert found["refused"] == ["readme.csv"]
    assert not PackPiece.objects.exists(), "each file is kept by itself"
    recorded = [one for one in bench.tester.get(f"/studies/{bench.id}/passes") if one["state"] == "recorded"]
    assert len(recorded) == 12
    assert all(one["figures"]["average_fps"] > 0 for one in recorded)
    doubts = bench.tester.get(f"/studies/{bench.id}/doubts")
    assert [doubt["check"] for doubt in doubts["wide"]] == ["wrong_length"] * 3, "each scene's card is doubted once"
    assert (doubts["passes"], sum(len(doubt["pass_ids"]) for doubt in doubts["wide"])) == ([], 12)


def test_a_pack_is_cancelled_and_resumed(bench: Bench, jobs: Jobs, monkeypatch: pytest.MonkeyPatch) -> None:
    pack = bench.tester.hand_in_pack(bench.id, zipped(names(bench)))
    take_batch = unpacking._take_batch

    def then_cancel(*batch: Any) -> None:
        take_batch(*batch)
        bench.tester.post(f"/packs/{pack['id']}/cancel")

    with monkeypatch.context() as patched:
        patched.setattr(unpacking, "_BATCH", 2)
        patched.setattr(unpacking, "_take_batch", then_cancel)
        assert take_in(pack["id"]) == 2
    found = bench.tester.get(f"/packs/{pack['id']}")["pack"]
    assert (found["state"], found["waiting"], found["taken"]) == ("cancelled", 4, 2)
    jobs.connector.jobs.clear()
    assert bench.tester.post(f"/packs/{pack['id']}/resume")["pack"]["state"] == "running"
    assert jobs.work() == 1
    found = bench.tester.get(f"/packs/{pack['id']}")["pack"]
    assert (found["state"], found["waiting"], found["taken"]) == ("done", 0, 6)
    assert bench.tester.post(f"/packs/{pack['id']}/resume", status=409)["code"] == "pack_state"


def test_what_dies_before_the_fates_are_noted_leaves_nothing_behind_and_is_taken_again(
    bench: Bench, jobs: Jobs, monkeypatch: pytest.MonkeyPatch
) -> None:
    pack = bench.tester.hand_in_pack(bench.id, zipped(names(bench)))

    def dies(*_: Any) -> None:
        raise ConnectionError("the worker is gone")

    with monkeypatch.context() as patched:
        patched.setattr(unpacking, "write_back", dies)
        with pytest.raises(ConnectionError):
            take_in(pack["id"])
    assert not Arrival.objects.exists(), "files, passes and fates are kept together or not at all"
    assert fates(bench, pack["id"]).keys() == {"waiting"}
    assert take_in(pack["id"]) == 6
    assert {state: len(found) for state, found in fates(bench, pack["id"]).items()} == {"taken": 6}
    rows = bench.tester.get(f"/studies/{bench.id}/passes")
    assert sum(row["state"] == "recorded" for row in rows) == 6


def test_the_same_run_twice_in_a_batch_is_taken_where_there_is_room(bench: Bench) -> None:
    (first, log), *_ = names(bench).items()
    bench.record(0, 0, seed=77)  # pass 1 of the first place is taken
    other = first.replace(" 1.csv", " 2.csv")
    assert other != first
    again = log.replace(b"\n", b"\r\n")
    pack = bench.tester.hand_in_pack(bench.id, zipped({first: log, other: again}))
    assert take_in(pack["id"]) == 2
    assert {state: len(found) for state, found in fates(bench, pack["id"]).items()} == {"kept": 1, "taken": 1}


def test_what_the_database_refuses_stops_no_other_file(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    pack = bench.tester.hand_in_pack(bench.id, zipped(names(bench)))
    settle, bad = unpacking._settle, list(names(bench))[2]

    def refuses(own: Any, batch: Any) -> None:
        settle(own, batch)
        if any(entry.name.endswith(bad) for entry, _ in batch):
            raise DataError("a value too long")

    monkeypatch.setattr(unpacking, "_settle", refuses)
    assert take_in(pack["id"]) == 6
    found = fates(bench, pack["id"])
    assert {state: len(own) for state, own in found.items()} == {"taken": 5, "refused": 1}
    assert found["refused"] == [bad]


@pytest.mark.parametrize(
    ("content", "code"),
    [(b"no zip", "no_zip"), (zipped({}), "empty_zip"), (zipped({f"{n}.csv": b"1" for n in range(5001)}), "too_many")],
)
def test_what_is_no_pack_is_refused(bench: Bench, content: bytes, code: str) -> None:
    assert bench.tester.hand_in_pack(bench.id, content, status=422)["code"] == code
    assert bench.tester.get(f"/studies/{bench.id}/packs") == []


def test_pieces_come_in_order_and_a_piece_may_come_twice(bench: Bench, jobs: Jobs) -> None:
    content = zipped(dict(list(names(bench).items())[:1]))
    half = len(content) // 2
    pack = bench.tester.post(f"/studies/{bench.id}/packs", {"name": "day 1"}, status=201)["id"]
    bench.tester.send_piece(pack, 0, content[:half])
    assert bench.tester.send_piece(pack, 0, content[:half])["size"] == half, "an answer that was lost"
    assert (
        bench.tester.send_piece(pack, 0, content[half:], status=409)["message"] == "Piece 1 of the pack is due (got 0)."
    )
    assert bench.tester.send_piece(pack, 2, content[half:], status=409)["code"] == "another_piece"
    assert (bench.tester.get(f"/packs/{pack}")["pack"]["state"], jobs.work()) == ("arriving", 0)
    bench.tester.send_piece(pack, 1, content[half:])
    bench.tester.post(f"/packs/{pack}/close")
    assert bench.tester.send_piece(pack, 2, b"more", status=409)["code"] == "pack_state"
    assert bench.tester.client.delete(f"/api/packs/{pack}").status_code == 409
    jobs.work()
    assert fates(bench, pack) == {"taken": [next(iter(names(bench)))]}


def test_what_was_never_sent_whole_can_be_thrown_away(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("intake.packs.MOST_PACKED", 100)
    pack = bench.tester.post(f"/studies/{bench.id}/packs", {"name": "day 1"}, status=201)["id"]
    bench.tester.send_piece(pack, 0, b"0" * 90)
    assert bench.tester.send_piece(pack, 1, b"0" * 20, status=422)["code"] == "too_large"
    assert bench.tester.client.delete(f"/api/packs/{pack}").status_code == 204
    assert bench.tester.get(f"/studies/{bench.id}/packs") == []
    bench.tester.send_piece(pack, 0, b"1", status=404)


def test_a_damaged_file_and_a_name_without_end_stop_no_other(bench: Bench, jobs: Jobs) -> None:
    (first, one), (second, other) = list(names(bench).items())[:2]
    far_down = "deep/" * 120 + second
    whole = zipped({"damaged.csv": bench.log(9), first: one, far_down: other})
    at = whole.index(b"damaged.csv") + len(b"damaged.csv")
    content = whole[: at + 40] + bytes(byte ^ 0x5A for byte in whole[at + 40 : at + 90]) + whole[at + 90 :]
    pack = bench.tester.hand_in_pack(bench.id, content)
    jobs.work()
    found = bench.tester.get(f"/packs/{pack['id']}")
    assert [entry["state"] for entry in found["entries"]] == ["refused", "taken", "taken"]
    assert "cannot be unpacked" in found["entries"][0]["words"]
    assert found["pack"]["state"] == "done"


def test_a_file_that_unpacks_to_too_much_is_refused_and_stops_no_other(
    bench: Bench, jobs: Jobs, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("intake.unpacking.LARGEST_FILE", 100_000)
    files = {"bomb.csv": b"0" * 200_000, **dict(list(names(bench).items())[:1])}
    pack = bench.tester.hand_in_pack(bench.id, zipped(files))
    jobs.work()
    found = bench.tester.get(f"/packs/{pack['id']}")["entries"]
    assert [entry["state"] for entry in found] == ["refused", "taken"]
    assert "larger than" in found[0]["words"]
    assert PackPiece.objects.exists(), "nothing is lost"


def test_originals_are_kept_smaller_and_come_back_byte_for_byte(bench: Bench) -> None:
    log = bench.log(5)
    one = bench.record(0, 0, seed=5)
    capture = bench.tester.get(f"/passes/{one}")["one"]["capture_id"]
    assert bench.tester.get(f"/captures/{capture}/original") == log
    kept = Original.objects.get()
    assert len(kept.content) < 0.6 * len(log)
    # One from before there was packing.
    Original.objects.update(content=log, packing="")
    assert bench.tester.get(f"/captures/{capture}/original") == log
