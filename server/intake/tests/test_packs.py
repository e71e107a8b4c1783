"""A zip of many captures: each file's fate is told, it can be cancelled and resumed, and originals lose no byte."""

from __future__ import annotations

import io
import resource
import struct
import zipfile
from datetime import UTC, datetime, timedelta
from pathlib import Path, PurePosixPath
from typing import Any

import pytest
from django.db import DataError, OperationalError
from django.utils import timezone
from doubting.tasks import queue_check
from intake import limits, unpacking
from intake.models import Arrival, Original, Pack, PackPiece
from intake.tasks import UNSENT, sweep
from intake.unpacking import take_in
from procrastinate.contrib.django import app
from procrastinate.contrib.django.django_connector import DjangoConnector
from rennbahn.capture.entries import read_entry
from testkit import Bench, Caller, Jobs, study_body


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
    assert doubts["wide"] == [], "no length was given, so none is doubted"
    assert doubts["passes"] == []


def test_the_files_of_a_pack_keep_their_times(bench: Bench, jobs: Jobs) -> None:
    """By the clock of the zone that is told, exactly where the packer wrote it, and not at all where it cannot be."""
    files = list(names(bench).items())[:4]
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as packed:
        for at, (name, content) in enumerate(files):
            info = zipfile.ZipInfo(name, (2026, 7, 1, 12, 10 * at, 0))
            if at == 1:
                exact = int(datetime(2026, 7, 1, 9, 30, 1, tzinfo=UTC).timestamp())
                info.extra = struct.pack("<HHH", 0x0007, 2, 0) + struct.pack("<HHBi", 0x5455, 5, 1, exact)
            if at == 2:
                info.date_time = (1980, 1, 1, 0, 0, 0)
            if at == 3:
                info.extra = struct.pack("<HHBi", 0x5455, 5, 1, 2**31 - 1)
            packed.writestr(info, content)
    assert bench.tester.hand_in_pack(bench.id, out.getvalue(), zone="Europe/Berlin")["files"] == 4
    jobs.work()
    wrote = dict(Arrival.objects.filter(study=bench.id).values_list("name", "written_at"))
    by_clock, told, early, late = (wrote[PurePosixPath(name).name] for name, _ in files)
    assert by_clock == datetime(2026, 7, 1, 10, 0, tzinfo=UTC), "noon in Berlin in summer"
    assert told == datetime(2026, 7, 1, 9, 30, 1, tzinfo=UTC)
    assert (early, late) == (None, None)
    refused = bench.tester.post(f"/studies/{bench.id}/packs", {"name": "a.zip", "zone": "Mond/Meer"}, status=422)
    assert (refused["code"], refused["field"]) == ("unknown_zone", "zone")


def test_a_pack_says_what_it_waits_behind(bench: Bench) -> None:
    files = list(names(bench).items())
    with app.replace_connector(DjangoConnector()):
        packs = [bench.tester.hand_in_pack(bench.id, zipped(dict(files[at : at + 2])))["id"] for at in (0, 2)]
        queue_check(bench.id)
        packs.append(bench.tester.hand_in_pack(bench.id, zipped(dict(files[4:])))["id"])
    behind = {pack["id"]: pack["behind"] for pack in bench.tester.get(f"/studies/{bench.id}/packs")}
    assert [behind[pk] for pk in packs] == [
        "", "“day 1.zip”", "“day 1.zip”, “day 1.zip” and 1 job of measuring or checking",
    ]  # fmt: skip


def test_a_pack_says_which_of_its_files_another_study_has(bench: Bench, jobs: Jobs) -> None:
    files = names(bench)
    bench.tester.hand_in_pack(bench.id, zipped(files))
    jobs.work()
    body = study_body(question="And in the other room?", kind="ladder", factor="Cooler")
    other = bench.lead.post("/studies", body, status=201)["id"]
    bench.tester.hand_in_pack(other, zipped(dict(list(files.items())[:2])))
    jobs.work()
    (pack,) = bench.tester.get(f"/studies/{other}/packs")
    assert (pack["elsewhere"], pack["behind"]) == (2, "")
    entries = bench.tester.get(f"/packs/{pack['id']}")["entries"]
    assert {entry["also_in"] for entry in entries} == {bench.study["question"]}
    name, content = list(files.items())[4]
    arrival = bench.tester.hand_in(other, name, content)
    assert arrival["also_in"] == bench.study["question"]


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
    assert bench.tester.send_piece(pack, 0, content[half:], status=409)["message"] == "Piece 1 of it is due (got 0)."
    assert bench.tester.send_piece(pack, 2, content[half:], status=409)["code"] == "another_piece"
    assert (bench.tester.get(f"/packs/{pack}")["pack"]["state"], jobs.work()) == ("arriving", 0)
    bench.tester.send_piece(pack, 1, content[half:])
    bench.tester.post(f"/packs/{pack}/close")
    assert bench.tester.send_piece(pack, 2, b"more", status=409)["code"] == "pack_state"
    assert bench.tester.client.delete(f"/api/packs/{pack}").status_code == 409
    jobs.work()
    assert fates(bench, pack) == {"taken": [next(iter(names(bench)))]}


def test_what_was_never_sent_whole_can_be_thrown_away(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("intake.pieces.MOST_PACKED", 100)
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


@pytest.mark.parametrize("way", [zipfile.ZIP_BZIP2, zipfile.ZIP_LZMA])
def test_what_comes_out_whole_only_is_not_unpacked(bench: Bench, jobs: Jobs, way: int) -> None:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", way) as packed:
        packed.writestr("bomb.csv", b"0" * 80_000_000)
        packed.writestr(*next(iter(names(bench).items())), compress_type=zipfile.ZIP_DEFLATED)
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    pack = bench.tester.hand_in_pack(bench.id, out.getvalue())
    jobs.work()
    found = bench.tester.get(f"/packs/{pack['id']}")["entries"]
    assert [entry["state"] for entry in found] == ["refused", "taken"]
    assert "by deflate" in found[0]["words"]
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 60_000, "kB: it was never in memory"


def test_a_size_that_lies_takes_no_more_memory_than_is_taken(
    bench: Bench, jobs: Jobs, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("intake.unpacking.LARGEST_FILE", 100_000)
    content = zipped({"bomb.csv": b"0" * 50_000_000})
    said = struct.pack("<L", 50_000_000)
    assert content.count(said) == 2
    pack = bench.tester.hand_in_pack(bench.id, content.replace(said, struct.pack("<L", 4_000)))
    jobs.work()
    (entry,) = bench.tester.get(f"/packs/{pack['id']}")["entries"]
    assert entry["state"] == "refused"


def killed_while_unpacking(pack: int, monkeypatch: pytest.MonkeyPatch, name: str) -> None:
    """A worker that dies as it unpacks one file: nothing of it runs any more, not even what cleans up."""
    unlink = Path.unlink

    def dying(packed: zipfile.ZipFile, file: zipfile.ZipInfo, most: int) -> bytes:
        if file.filename == name:
            monkeypatch.setattr(Path, "unlink", lambda *_, **__: None)
            raise SystemExit
        return read_entry(packed, file, most)

    with monkeypatch.context() as patched:
        patched.setattr(unpacking, "read_entry", dying)
        with pytest.raises(SystemExit):
            take_in(pack)
    monkeypatch.setattr(Path, "unlink", unlink)


def test_a_file_that_ends_the_worker_twice_is_given_up_and_stops_no_other(
    bench: Bench, monkeypatch: pytest.MonkeyPatch, settings: Any, tmp_path: Path
) -> None:
    settings.FILE_UPLOAD_TEMP_DIR = tmp_path
    files = names(bench)
    bad = list(files)[2]
    pack = bench.tester.hand_in_pack(bench.id, zipped(files))
    for _ in range(2):
        killed_while_unpacking(pack["id"], monkeypatch, bad)
    assert take_in(pack["id"]) == 6
    found = bench.tester.get(f"/packs/{pack['id']}")
    assert found["pack"]["state"] == "done"
    assert {entry["name"]: entry["state"] for entry in found["entries"]} == {
        name: "refused" if name == bad else "taken" for name in files
    }
    assert "the worker ended while it read it" in found["entries"][2]["words"]
    assert PackPiece.objects.exists(), "nothing is lost"
    assert not list(tmp_path.glob("at-entry-*"))


def test_a_worker_that_was_killed_once_or_lost_its_database_often_goes_on(
    bench: Bench, monkeypatch: pytest.MonkeyPatch, settings: Any, tmp_path: Path
) -> None:
    settings.FILE_UPLOAD_TEMP_DIR = tmp_path
    files = names(bench)
    pack = bench.tester.hand_in_pack(bench.id, zipped(files))
    killed_while_unpacking(pack["id"], monkeypatch, next(iter(files)))
    for _ in range(5):
        with monkeypatch.context() as patched:
            patched.setattr(unpacking, "_take_batch", lambda *_: (_ for _ in ()).throw(OperationalError))
            with pytest.raises(OperationalError):
                take_in(pack["id"])
    assert take_in(pack["id"]) == 6
    assert {entry["state"] for entry in bench.tester.get(f"/packs/{pack['id']}")["entries"]} == {"taken"}


def test_a_pack_that_nobody_sent_whole_is_thrown_away_after_some_days(bench: Bench) -> None:
    old, new = (
        bench.tester.post(f"/studies/{bench.id}/packs", {"name": f"{name}.zip", "zone": ""}, status=201)["id"]
        for name in ("old", "new")
    )
    whole = bench.tester.hand_in_pack(bench.id, zipped(names(bench)))["id"]
    for pack in (old, new):
        bench.tester.send_piece(pack, 0, b"PK")
    Pack.objects.filter(pk__in=[old, whole]).update(made_at=timezone.now() - UNSENT - timedelta(hours=1))
    assert sweep(0) == 1
    assert sorted(Pack.objects.values_list("pk", flat=True)) == sorted([new, whole])
    assert not PackPiece.objects.filter(pack=old).exists()
    assert sweep(0) == 0


def test_names_that_lead_out_of_the_folder_are_told(bench: Bench, jobs: Jobs) -> None:
    (name, one), *_ = names(bench).items()
    strange = ("../up.csv", "/etc/root.csv", "a/../../b.csv", "C:\\temp\\c.csv", "..\\d.csv")
    pack = bench.tester.hand_in_pack(bench.id, zipped(dict.fromkeys(strange, one) | {name: one}))
    jobs.work()
    found = bench.tester.get(f"/packs/{pack['id']}")["entries"]
    assert [entry["state"] for entry in found] == ["refused"] * 5 + ["taken"]
    assert "leads out" in found[0]["words"]


def test_what_waits_is_bounded_by_person_machine_and_study(
    bench: Bench, lead: Caller, monkeypatch: pytest.MonkeyPatch
) -> None:
    for at in range(limits.MOST_HALF_SENT):
        bench.tester.post(f"/studies/{bench.id}/packs", {"name": f"{at}.zip"}, status=201)
    refused = bench.tester.post(f"/studies/{bench.id}/packs", {"name": "more.zip"}, status=409)
    assert refused["code"] == "too_many_half_sent"
    assert "“0.zip” (0 MB), “1.zip”" in refused["message"]
    lead.post(f"/studies/{bench.id}/packs", {"name": "of-another.zip"}, status=201)
    bench.tester.delete(f"/packs/{bench.tester.get(f'/studies/{bench.id}/packs')[-1]['id']}")
    bench.tester.post(f"/studies/{bench.id}/packs", {"name": "more.zip"}, status=201)

    monkeypatch.setattr(limits, "MOST_FILES", 2)
    waits = [bench.tester.hand_in(bench.id, f"{at}.csv", bench.log(at))["id"] for at in (1, 2)]
    refused = bench.tester.hand_in(bench.id, "3.csv", bench.log(3), status=409)
    assert (refused["code"], refused["message"][:27]) == ("too_many_wait", "2 files (0 MB) of this stud")
    bench.tester.post(f"/studies/{bench.id}/files/set-aside", {"arrival_ids": waits})
    monkeypatch.setattr(limits, "MOST_BYTES", 1)
    bench.tester.hand_in(bench.id, "3.csv", bench.log(3))
    assert bench.tester.hand_in(bench.id, "4.csv", bench.log(4), status=409)["code"] == "too_many_wait"


def test_what_a_killed_worker_left_is_swept(settings: Any, tmp_path: Path) -> None:
    settings.FILE_UPLOAD_TEMP_DIR = tmp_path
    for name in ("worker-x.zip", "pack-y.zip", "other.csv"):
        (tmp_path / name).touch()
    unpacking.sweep_left()
    assert sorted(file.name for file in tmp_path.iterdir()) == ["other.csv", "pack-y.zip"]


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
