"""Inside the server's process: one request through the whole of Django, or one computation alone, with its time."""

from __future__ import annotations

import json
import time
from functools import cache
from pathlib import Path
from typing import Any

from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from findings import record
from intake.packs import add_piece, close_pack, open_pack
from intake.unpacking import take_in
from planning.building import costs_of, fairness_of, work_of
from planning.queries import bench_time, laid_out, one_study, plan_of
from rennbahn.planning.schedule import ORDERS
from studies.models import Pass

#: What a page of findings asks as it opens, each from the server, and what all of its doors ask besides.
OPENS = ("", "/findings", "/answer", "/findings/beside")
PAGE = (*OPENS, "/limits", "/findings/parts", "/eye-notes")


@cache
def client() -> Client:
    """Somebody who is signed in."""
    found = Client(SERVER_NAME="localhost")
    found.force_login(User.objects.get())
    return found


def milliseconds(what: str, study: int = 0, path: str = "") -> float:
    """What one thing takes, in ms."""
    if what == "plan computation":
        return _computed(study)
    if what == "import":
        return _imported(study, path)
    if what == "drag":
        return _dragged(study)
    if what in ("page", "page again", "page opens"):
        return _page(study, OPENS if what == "page opens" else PAGE, anew=what != "page again")
    begin = time.perf_counter()
    response = client().get(f"/api{what}")
    spent = time.perf_counter() - begin
    assert response.status_code == 200, response.content[:300]
    return spent * 1000.0


def _page(study: int, asks: tuple[str, ...], *, anew: bool) -> float:
    """What a page of findings asks; `anew` as of a study that nobody has looked at since it changed."""
    if anew:
        record.forget()
    return sum(milliseconds(f"/studies/{study}{path}") for path in asks)


def _dragged(study: int) -> float:
    """One pass taken from the beginning of the order to its end, as a drag does."""
    ids = list(Pass.objects.filter(test__study=study).order_by("pk").values_list("pk", flat=True))
    seen = client().get(f"/api/studies/{study}/plan").json()["seen"]
    body = json.dumps({"sequence": [*ids[1:], ids[0]], "seen": seen})
    begin = time.perf_counter()
    response: Any = client().put(f"/api/studies/{study}/plan/sequence", body, content_type="application/json")
    spent = time.perf_counter() - begin
    assert response.status_code == 200, response.content[:300]
    return spent * 1000.0


def _imported(study: int, path: str) -> float:
    """A zip taken in by what the worker runs, every file as a pass."""
    user = User.objects.get()
    pack = open_pack(user, study, Path(path).name)
    add_piece(user, pack.pk, 0, SimpleUploadedFile("piece", Path(path).read_bytes()))
    close_pack(user, pack.pk)
    begin = time.perf_counter()
    files = take_in(pack.pk)
    spent = time.perf_counter() - begin
    assert pack.entries.filter(state="taken").count() == files, pack.entries.exclude(state="taken").first().words
    return spent * 1000.0


def _computed(study: int) -> float:
    """Every order laid out and fairness checked, with everything at hand already."""
    whole = one_study(study)
    kept = plan_of(whole)
    work, when = work_of(whole, costs_of(kept.costs)), bench_time(kept)
    begin = time.perf_counter()
    for order in {*ORDERS, kept.order}:
        laid_out(work, kept, order, when)
    fairness_of(whole)
    return (time.perf_counter() - begin) * 1000.0
