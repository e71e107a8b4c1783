"""What follows from what happens in studies: every change is told with what was before and what is after."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import pytest
from doubting.models import WideDoubt
from intake.models import PassDoubt
from rennbahn.simulation import Rig, Upset
from studies import events
from studies.events import CaptureMoved, CapturesCame, CaptureSeenAnew, Event, MethodChanged, PassesDecided, hear
from studies.models import BenchSession, Pass
from testkit import AtBench, Bench, Jobs


@pytest.fixture
def heard() -> Iterator[list[Event]]:
    told: list[Event] = []
    kinds: list[type[Event]] = [PassesDecided, CapturesCame, CaptureSeenAnew, CaptureMoved, MethodChanged]
    for kind in kinds:
        hear(kind, told.append, "a test")
    yield told
    for kind in kinds:
        events._happened.disconnect(sender=kind, dispatch_uid=("a test", kind.__name__))


def test_a_decision_says_what_passes_were_and_are(bench: Bench, heard: list[Event]) -> None:
    one = bench.record(0, 0)
    bench.accept(one)
    body = {"state": "rejected", "reason_code": "interrupted"}
    bench.tester.put(f"/studies/passes/{one}/state", body)
    came, accepted, rejected = heard
    assert isinstance(came, CapturesCame)
    assert came.passes == (one,)
    for event, before, after, otherwise in (
        (accepted, "recorded", "accepted", False), (rejected, "accepted", "rejected", True),
    ):  # fmt: skip
        assert isinstance(event, PassesDecided)
        (change,) = event.changes
        assert (change.one.pk, change.before, change.after, change.stands_otherwise) == (one, before, after, otherwise)


def test_trimming_and_another_method_say_what_was_before(bench: Bench, heard: list[Event]) -> None:
    one = bench.record(0, 0)
    capture = bench.tester.get(f"/passes/{one}")["one"]["capture_id"]
    bench.tester.put(f"/captures/{capture}/windows", {"windows": [[1.0, 6.0]]})
    bench.lead.save(f"/studies/{bench.id}/method", {"target_hz": 144})
    _, trimmed, method = heard
    assert isinstance(trimmed, CaptureSeenAnew)
    assert (trimmed.one.pk, trimmed.before, trimmed.after) == (one, "[]", "[[1.0, 6.0]]")
    assert isinstance(method, MethodChanged)
    assert (method.before["target_hz"], method.after["target_hz"]) == (60.0, 144.0)


def test_a_moved_capture_leaves_no_doubt_behind_and_takes_the_facts_of_the_bench_along(
    bench: Bench, heard: list[Event], jobs: Jobs
) -> None:
    bench.demand = type(bench.demand)(5.0, 9.0, seconds=20.0)
    at = AtBench(bench, bench.tester)
    bench.record_all([])
    for number in range(3):
        bench.record(0, 0, seed=30 + number)
    at.begin()
    session = BenchSession.objects.get()
    odd = bench.record(0, 0, seed=99, rig=Rig(gpu_speed=0.6), upset=Upset(slower=0.2))
    run = {"after_load": True, "read_back": {"setting": "Sync", "wanted": "off", "seen": "off"}}
    Pass.objects.filter(pk=odd).update(session=session, run_as=(Pass.objects.get(pk=odd).run_as or {}) | {"bench": run})
    assert PassDoubt.objects.filter(on_pass=odd, check_id="off_siblings").exists()
    capture = bench.tester.get(f"/passes/{odd}")["one"]["capture_id"]
    place = {"lane_id": bench.lane(1), "test_id": bench.test(1), "number": None}
    moved = bench.tester.put(f"/captures/{capture}/place", place)["one"]["id"]
    left, there = Pass.objects.get(pk=odd), Pass.objects.get(pk=moved)
    assert (left.state, left.session, left.run_as, left.ran_at) == ("planned", None, None, None)
    assert not PassDoubt.objects.filter(on_pass=odd).exists()
    assert there.session == session
    assert (there.run_as or {})["bench"] == run
    event = next(one for one in heard if isinstance(one, CaptureMoved))
    assert (event.before.pk, event.after.pk, event.state) == (odd, moved, "recorded")
    jobs.work("doubting")
    assert not WideDoubt.objects.filter(passes__contains=[odd]).exists()


def test_who_hears_is_drawn_in_the_docs() -> None:
    drawn = (events.__file__, "docs/events.md")
    kinds = [name for name, kind in vars(events).items() if isinstance(kind, type) and issubclass(kind, Event)]
    text = _docs()
    assert [name for name in kinds if name != "Event" and name not in text] == [], drawn


def _docs() -> Any:
    from pathlib import Path  # noqa: PLC0415

    return (Path(events.__file__).parents[2] / "docs" / "events.md").read_text()
