"""What one can ask about files, captures and the figures of passes."""

from __future__ import annotations

from typing import Any

from django.db.models import Prefetch, Q
from problems import NotFound
from rennbahn.capture.naming import Place, places_of
from rennbahn.capture.pack import unpack
from studies.models import Pass, PassState, Study
from studies.queries import with_lanes_and_tests

from intake.measuring import bring_up_to_date, frames_of
from intake.models import Arrival, ArrivalState, Capture, Channel, Original, SavedMap
from intake.schemas import (
    ArrivalOut,
    ColumnMap,
    PassDetail,
    PassFigures,
    PassOut,
    Refusal,
    TestTraces,
    TraceOut,
)

#: Traces are drawn with at most this many decimals of a ms: the finest that loggers write.
_DECIMALS = 6


def arrivals_of(study_id: int) -> list[ArrivalOut]:
    """Files that wait for a place, with a proposal for each. Raises :class:`NotFound`."""
    study = _study(study_id)
    waiting = list(Arrival.objects.filter(study=study, state=ArrivalState.WAITING))
    return _arrivals_out(study, waiting)


def arrival_out(arrival: Arrival) -> ArrivalOut:
    """One file with its proposal."""
    return _arrivals_out(_study(arrival.study_id), [arrival])[0]


def _arrivals_out(study: Study, arrivals: list[Arrival]) -> list[ArrivalOut]:
    lanes, tests = list(study.lanes.all()), list(study.tests.all())
    places = places_of(
        [arrival.name for arrival in arrivals],
        [lane.name for lane in lanes],
        [(test.scene.game.name, test.scene.name, test.condition.name) for test in tests],
    )
    keys = {arrival.header_key for arrival in arrivals if arrival.header_key}
    saved = {found.header_key: found for found in SavedMap.objects.filter(header_key__in=keys)}
    lane_ids, test_ids = [lane.pk for lane in lanes], [test.pk for test in tests]
    return [
        _arrival_out(arrival, place, saved.get(arrival.header_key), lane_ids, test_ids)
        for arrival, place in zip(arrivals, places, strict=True)
    ]


def _arrival_out(
    arrival: Arrival, place: Place, saved: SavedMap | None, lanes: list[int], tests: list[int]
) -> ArrivalOut:
    columns = saved.columns if saved else arrival.proposal.get("columns")
    return ArrivalOut(
        id=arrival.pk,
        name=arrival.name,
        size=arrival.size,
        sha256=arrival.sha256,
        state=arrival.state,
        header_key=arrival.header_key,
        names=arrival.proposal.get("names", []),
        rows=arrival.proposal.get("rows", []),
        reasons=arrival.proposal.get("reasons", []),
        columns=ColumnMap(**columns) if columns else None,
        saved_as=saved.name if saved else "",
        refusal=Refusal(**arrival.refusal) if arrival.refusal else None,
        lane_id=None if place.lane is None else lanes[place.lane],
        test_id=None if place.test is None else tests[place.test],
        number=place.number,
    )


def passes_of(study_id: int) -> list[PassOut]:
    """All passes of a study with their figures, test by test, lane by lane."""
    study = _study(study_id)
    bring_up_to_date(study)
    found = Pass.objects.filter(test__study=study).select_related("capture__measurement", "capture__arrival")
    return [_pass_out(one, study.low_school) for one in found]


def pass_detail(pass_id: int) -> PassDetail:
    """Every figure of one pass. Raises :class:`NotFound`."""
    one = (
        Pass.objects.select_related("capture__measurement", "capture__arrival", "test__study")
        .filter(pk=pass_id)
        .first()
    )
    if one is None:
        raise NotFound("pass")
    bring_up_to_date(one.test.study)
    capture = Capture.objects.select_related("measurement").filter(on_pass=one).first()
    return PassDetail(
        one=_pass_out(one, one.test.study.low_school),
        columns=capture.columns if capture else {},
        figures=capture.measurement.figures if capture else {},
        basis=capture.measurement.basis if capture else {},
    )


def traces_of(study_id: int, test_id: int) -> TestTraces:
    """Frame times and percentile curves of all recorded passes of a test, in both lanes."""
    study = _study(study_id)
    if not any(test.pk == test_id for test in study.tests.all()):
        raise NotFound("test in this study")
    bring_up_to_date(study)
    frames = Prefetch("channels", Channel.objects.filter(name="frame_ms"))
    captures = (
        Capture.objects.filter(on_pass__test_id=test_id)
        .select_related("on_pass__lane", "measurement")
        .prefetch_related(frames)
        .order_by("on_pass__lane__position", "on_pass__number")
    )
    return TestTraces(
        test_id=test_id,
        budget_ms=1000.0 / study.target_hz,
        traces=[_trace(capture) for capture in captures],
    )


def original_of(capture_id: int) -> tuple[str, bytes]:
    """Name and bytes of a capture's file, as they came."""
    found = Original.objects.select_related("arrival").filter(arrival__capture=capture_id).first()
    if found is None:
        raise NotFound("capture")
    return found.arrival.name, bytes(found.content)


def counted_passes(study: Study) -> list[Pass]:
    """Passes that were run or that did not run, with their figures: what a comparison is made from."""
    bring_up_to_date(study)
    return list(
        Pass.objects.filter(Q(test__study=study) & ~Q(state=PassState.PLANNED)).select_related("capture__measurement")
    )


def measured(one: Pass) -> tuple[dict[str, float], dict[str, Any]]:
    """Headline figures and all figures of a pass; empty without a capture."""
    capture = getattr(one, "capture", None)
    if capture is None:
        return {}, {}
    return capture.measurement.headline, capture.measurement.figures


def _study(study_id: int) -> Study:
    study = with_lanes_and_tests().filter(pk=study_id).first()
    if study is None:
        raise NotFound("study")
    return study


def _trace(capture: Capture) -> TraceOut:
    one = capture.on_pass
    return TraceOut(
        pass_id=one.pk,
        lane_id=one.lane_id,
        number=one.number,
        state=one.state,
        starts_s=capture.window_from_s or 0.0,
        frame_ms=frames_of(capture).frame_ms.round(_DECIMALS).tolist(),
        curve_ms=unpack(bytes(capture.measurement.curve)).tolist() if capture.measurement.curve else [],
    )


def _pass_out(one: Pass, low_school: str) -> PassOut:
    capture = getattr(one, "capture", None)
    window = None
    if capture is not None and capture.window_from_s is not None and capture.window_to_s is not None:
        window = [capture.window_from_s, capture.window_to_s]
    return PassOut(
        id=one.pk,
        lane_id=one.lane_id,
        test_id=one.test_id,
        number=one.number,
        state=one.state,
        reason=one.reason,
        capture_id=capture.pk if capture else None,
        file_name=capture.arrival.name if capture else None,
        sha256=capture.arrival.sha256 if capture else None,
        window=window,
        figures=_figures(capture.measurement.figures, low_school) if capture else None,
    )


def _figures(figures: dict[str, Any], low_school: str) -> PassFigures:
    low_1, low_01 = figures["lows"]["1"][low_school], figures["lows"]["0.1"][low_school]
    cap = figures["limits"]["cap"]
    return PassFigures(
        average_fps=figures["rates"]["average_fps"],
        low_1_fps=low_1["fps"],
        low_1_thin=low_1["thin"],
        low_01_fps=low_01["fps"],
        low_01_thin=low_01["thin"],
        frames=figures["frames"],
        duration_s=figures["duration_s"],
        stutters=figures["smoothness"]["stutters"]["count"],
        bound_by=figures["limits"]["bound_by"]["label"],
        cap=cap["state"],
        cap_name=cap["name"],
        lock_fps=cap["lock_fps"],
        flags=figures["flags"],
    )
