"""Files in a store beside the database: a directory, and S3-compatible object storage."""

from __future__ import annotations

from collections.abc import Iterator
from io import StringIO
from pathlib import Path
from typing import Any

import boto3
import pytest
import storing
from config.options import Files
from django.core.files.base import ContentFile
from django.core.management import CommandError, call_command
from django.utils import timezone
from findings.models import EyePicture
from intake.models import Capture, LetGo, Original, PackPiece
from intake.tests.test_packs import names, zipped
from moto.server import ThreadedMotoServer
from testkit import Bench, Jobs, picture

BUCKET = "of-the-house"


@pytest.fixture(scope="module")
def s3() -> Iterator[str]:
    """The address of object storage with a bucket in it."""
    server = ThreadedMotoServer("127.0.0.1", 0, verbose=False)
    server.start()
    host, port = server.get_host_and_port()
    address = f"http://{host}:{port}"
    with pytest.MonkeyPatch.context() as patch:
        for name in ("AWS_ACCESS_KEY_ID", "AWS_SECRET_ACCESS_KEY"):
            patch.setenv(name, "of-tests")
        boto3.client("s3", endpoint_url=address, region_name="us-east-1").create_bucket(Bucket=BUCKET)
        yield address
    server.stop()


@pytest.fixture(params=["folder", "s3"])
def apart(request: pytest.FixtureRequest, settings: Any, tmp_path: Path) -> str:
    """Settings with a store."""
    backend: str = "storing.Folder"
    told: dict[str, Any] = {"location": tmp_path / "files"}
    if request.param == "s3":
        address = request.getfixturevalue("s3")
        backend = "storages.backends.s3.S3Storage"
        told = {"bucket_name": BUCKET, "location": tmp_path.name, "endpoint_url": address, "file_overwrite": False}
    settings.FILES = Files(bucket=BUCKET) if request.param == "s3" else Files(folder=tmp_path / "files")
    settings.STORAGES = {**settings.STORAGES, "files": {"BACKEND": backend, "OPTIONS": told}}
    return str(request.param)


def files(verb: str, *words: str) -> str:
    """What `manage.py files` says."""
    out = StringIO()
    call_command("files", verb, *words, stdout=out)
    return out.getvalue().strip()


def original(bench: Bench, one: int) -> bytes:
    capture = bench.tester.get(f"/passes/{one}")["one"]["capture_id"]
    found: bytes = bench.tester.get(f"/captures/{capture}/original")
    return found


def stored() -> list[str]:
    """Names that rows have."""
    return [
        name for kind in storing.models_with_bytes() for name in kind._default_manager.values_list("stored", flat=True)
    ]


@pytest.mark.usefixtures("apart")
def test_files_lie_in_the_store_and_come_back_byte_for_byte(bench: Bench, jobs: Jobs) -> None:
    log = bench.log(5)
    one = bench.record(0, 0, seed=5)
    assert original(bench, one) == log
    kept = Original.objects.get()
    assert (bytes(kept.content), kept.stored.count("/")) == (b"", 3)
    packed = names(bench)
    packed.pop(next(iter(packed)))
    bench.tester.hand_in_pack(bench.id, zipped(packed))
    (piece,) = PackPiece.objects.values_list("stored", flat=True)
    jobs.work()
    assert not PackPiece.objects.exists()
    assert storing.sweep() == 0
    assert storing.store().exists(piece), "a database of yesterday would look for it"
    LetGo.objects.update(at=timezone.now() - storing.LET_GO)
    assert storing.sweep() == 1
    assert not storing.store().exists(piece), "a pack that is through leaves nothing behind"
    assert len(set(stored())) == len(packed) + 1
    assert files("check") == f"{len(packed) + 1} files are there, whole"


@pytest.mark.usefixtures("apart")
def test_a_picture_in_place_of_another_lets_that_go(bench: Bench) -> None:
    path = f"/studies/{bench.id}/eye-notes/{bench.lane(0)}/{bench.lane(1)}/from"
    (note,) = bench.tester.hand_picture(path, picture())
    first = EyePicture.objects.get().stored
    shown = bench.tester.client.get(f"/api{path}").content
    assert shown[:4] == b"\x89PNG"
    body = {"file": ContentFile(picture(size=(20, 9)), "new.png"), "seen": note["pictures"][0]["sha256"]}
    assert bench.tester.client.post(f"/api{path}", body).status_code == 200
    assert bench.tester.client.get(f"/api{path}").content != shown
    assert LetGo.objects.get().stored == first
    assert files("check") == "1 files are there, whole"


@pytest.mark.usefixtures("apart")
def test_files_move_out_and_home_and_into_a_copy(bench: Bench, settings: Any, tmp_path: Path) -> None:
    store, settings.FILES = settings.FILES, None
    one = bench.record(0, 0, seed=5)
    log = original(bench, one)
    assert stored() == [""]
    settings.FILES = store
    assert files("move") == f"1 files were moved to {store}"
    assert original(bench, one) == log
    assert bytes(Original.objects.get().content) == b""
    tar = tmp_path / "files.tar"
    assert files("pack", str(tar)) == "1 files were packed"
    (name,) = stored()
    storing.store().delete(name)
    with pytest.raises(CommandError, match="is not in the store"):
        files("check")
    gone = bench.tester.get(f"/captures/{bench.tester.get(f'/passes/{one}')['one']['capture_id']}/original", status=503)
    assert gone["code"] == "file_missing"
    assert files("unpack", str(tar)) == "1 files were put back"
    assert files("unpack", str(tar)) == "0 files were put back"
    settings.FILES = None
    lost = bench.tester.client.get(f"/api/captures/{Capture.objects.get().pk}/original")
    assert (lost.status_code, lost.json()["code"]) == (503, "store_away"), "a setting that was lost is no fault of ours"
    settings.FILES = store
    assert files("home") == "1 files were moved to the database"
    settings.FILES = None
    assert original(bench, one) == log
    with pytest.raises(CommandError, match="no store is set"):
        files("move")


@pytest.mark.usefixtures("apart")
def test_what_no_row_names_is_swept_after_days(bench: Bench) -> None:
    bench.record(0, 0, seed=5)
    (now,) = stored()
    old, kept = "2026/01/05/left-by-a-crash", f"2026/01/05/{now[-8:]}"
    for name in (old, kept, f"{now[:11]}of-a-transaction-that-goes-on"):
        storing.store().save(name, ContentFile(b"x"))
    Original.objects.update(stored=kept)
    assert storing.sweep() == 0, "each night looks at the last weeks alone"
    assert files("sweep") == "1 files that no row names were swept"
    assert not storing.store().exists(old)
    assert storing.store().exists(kept)
    assert len(storing.store().listdir(now[:10])[1]) == 2


def test_a_store_that_is_away_is_said_and_nothing_is_recorded(bench: Bench, settings: Any, tmp_path: Path) -> None:
    blocked = tmp_path / "a file where the folder should be"
    blocked.touch()
    for backend in (
        {"BACKEND": "storing.Folder", "OPTIONS": {"location": blocked}},
        {
            "BACKEND": "storages.backends.s3.S3Storage",
            "OPTIONS": {"bucket_name": "b", "endpoint_url": "http://127.0.0.1:9"},
        },
    ):
        settings.STORAGES = {**settings.STORAGES, "files": backend}
        settings.FILES = Files(bucket="b") if "s3" in str(backend["BACKEND"]) else Files(folder=blocked)
        refused = bench.tester.hand_in(bench.id, "run.csv", bench.log(3), status=503)
        assert refused["code"] == "store_away"
    assert not Original.objects.exists()
    settings.FILES = None
    bench.record(0, 0, seed=3)


def test_what_is_no_place_for_files_is_refused(monkeypatch: pytest.MonkeyPatch) -> None:
    from config import options  # noqa: PLC0415 - read where it is asked

    assert str(options.FILES.of({"RENNBAHN_FILES": "s3://house/of/files/"})) == "s3://house/of/files"
    for wrong in ("files", "s3://"):
        with pytest.raises(Exception, match="RENNBAHN_FILES is"):
            options.FILES.of({"RENNBAHN_FILES": wrong})
