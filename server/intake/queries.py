"""What one can ask about files, captures and the figures of passes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import timedelta
from typing import Any

from django.db.models import Count, F, Q, QuerySet
from problems import NotFound
from rennbahn import MEASURES_VERSION, comparing
from rennbahn.capture.naming import Place, places_of
from rennbahn.comparing.facts import PassFacts
from rennbahn.comparing.hours import Hours, Run, bench_hours
from rennbahn.comparing.model import AVERAGE, low_figure
from rennbahn.measures.rates import LOW_SCHOOLS, THIN_SUPPORT
from studies.models import COUNTING, HIDDEN, Lane, Pass, PassState, Study, StudyState, Test

from intake.measuring import FIGURE_COLUMNS, LOW_COLUMNS
from intake.models import Arrival, ArrivalState, Capture, Original, PassFile, SavedMap
from intake.reading import standing_as
from intake.recording import same_elsewhere
from intake.schemas import (
    ArrivalOut,
    ColumnMap,
    EarlierFigures,
    FileOut,
    PassDetail,
    PassOut,
    Refusal,
    WorkOut,
)


def arrivals_of(study_id: int, state: str = ArrivalState.WAITING) -> list[ArrivalOut]:
    """Files that wait for a place, or were set aside, with a proposal for each. Raises :class:`NotFound`."""
    if not Study.objects.filter(pk=study_id).exists():
        raise NotFound("study")
    return _arrivals_out(study_id, list(Arrival.objects.filter(study=study_id, state=state)))


def known_files(study_id: int, digests: list[str]) -> list[str]:
    """Those of these digests (SHA-256 of whole files) that a study has already. Raises :class:`NotFound`."""
    if not Study.objects.filter(pk=study_id).exists():
        raise NotFound("study")
    there = Arrival.objects.filter(study=study_id, sha256__in=digests).exclude(state=ArrivalState.SET_ASIDE)
    return sorted(there.values_list("sha256", flat=True))


def arrival_out(arrival: Arrival) -> ArrivalOut:
    """One file with its proposal."""
    return _arrivals_out(arrival.study_id, [arrival])[0]


def _arrivals_out(study_id: int, arrivals: list[Arrival]) -> list[ArrivalOut]:
    # Of lanes and tests nothing but their names is asked.
    lanes = list(Lane.objects.filter(study=study_id).order_by("position").values_list("pk", "name"))
    names = ("pk", "scene__game__name", "scene__name", "condition__name")
    tests = list(Test.objects.filter(study=study_id).order_by("position").values_list(*names))
    places = places_of(
        [arrival.name for arrival in arrivals],
        [name for _, name in lanes],
        [(game, scene, condition) for _, game, scene, condition in tests],
    )
    keys = {arrival.header_key for arrival in arrivals if arrival.header_key}
    saved = {found.header_key: found for found in SavedMap.objects.filter(header_key__in=keys)}
    lane_ids, test_ids = [pk for pk, _ in lanes], [pk for pk, *_ in tests]
    others = same_elsewhere(study_id, [arrival.sha256 for arrival in arrivals])
    return [
        _arrival_out(arrival, place, saved.get(arrival.header_key), lane_ids, test_ids).model_copy(
            update={"also_in": others.get(arrival.sha256, (0, ""))[1]}
        )
        for arrival, place in zip(arrivals, places, strict=True)
    ]


def _arrival_out(
    arrival: Arrival, place: Place, saved: SavedMap | None, lanes: list[int], tests: list[int]
) -> ArrivalOut:
    columns = own_map(arrival.proposal, saved.columns) if saved else arrival.proposal.get("columns")
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
        questions=[] if saved else arrival.proposal.get("questions", []),
        columns=ColumnMap(**columns) if columns else None,
        saved_as=saved.name if saved else "",
        refusal=Refusal(**arrival.refusal) if arrival.refusal else None,
        lane_id=None if place.lane is None else lanes[place.lane],
        test_id=None if place.test is None else tests[place.test],
        number=place.number,
        lane_guess=place.lane_guess,
        test_guess=place.test_guess,
        also_in="",
    )


def own_map(proposal: dict[str, Any], columns: dict[str, Any]) -> dict[str, Any]:
    """A column map with header and end as in this file: files of a logger differ in what stands around the rows."""
    return standing_as(proposal.get("columns"), columns)


def columns_for(proposal: dict[str, Any], look: str, columns_name: str) -> ColumnMap | None:
    """By which column map a file is read: the one that is named, one saved for such files, or what is proposed."""
    saved = SavedMap.objects.filter(name=columns_name).first() if columns_name else None
    saved = saved or SavedMap.objects.filter(header_key=look).first()
    if saved is not None:
        return ColumnMap(**own_map(proposal, saved.columns))
    proposed = proposal.get("columns")
    return ColumnMap(**proposed) if proposed and not proposal.get("questions") else None


#: What a list shows of each pass, in the order of `_row`.
_PASS_FIELDS = (
    "id", "lane_id", "test_id", "number", "state", "role", "reason_code", "reason", "ran_at",
    "capture__id", "capture__arrival__name", "capture__arrival__sha256",
    "capture__windows", "capture__basis", "session__simulated",
)  # fmt: skip
_FIGURE_FIELDS = (
    "version", "basis", "average_fps", "frames", "duration_s", "stutters", "bound_by", "cap", "cap_name", "lock_fps",
    "flags", "support",
)  # fmt: skip
_REPORTED_FIELDS = ("average_fps", "minimum_fps", "low_1_fps", "low_01_fps", "score", "read_from")


def passes_of(study_id: int) -> list[dict[str, Any]]:
    """All passes of a study with the figures that lists show, as plain data, test by test, lane by lane.

    One query, whatever their number. Raises :class:`NotFound`.
    """
    school = Study.objects.filter(pk=study_id).values_list("low_school", flat=True).first()
    if school is None:
        raise NotFound("study")
    return _pass_rows(Pass.objects.filter(test__study=study_id), school)


def _pass_rows(passes: QuerySet[Pass], school: str) -> list[dict[str, Any]]:
    lows = [LOW_COLUMNS["1", school], LOW_COLUMNS["0.1", school]]
    figures = [f"capture__current__{name}" for name in (*_FIGURE_FIELDS, *lows)]
    reported = [f"reported__{name}" for name in _REPORTED_FIELDS]
    places = list(LOW_COLUMNS.values())
    at = (places.index(lows[0]), places.index(lows[1]))
    # Sorted by the database's own keys: the names behind them are in the study's answer.
    rows = passes.order_by("test__position", "lane__position", "number").values_list(*_PASS_FIELDS, *figures, *reported)
    return [_pass_row(row, at) for row in rows]


def _pass_row(row: tuple[Any, ...], lows: tuple[int, int]) -> dict[str, Any]:
    (
        pk, lane, test, number, state, role, code, reason, ran_at, capture, name, sha256, windows, wanted,
        simulated,
        version, basis, average, frames, duration, stutters, bound_by, cap, cap_name, lock, flags, support, low_1,
        low_01, *reported,
    ) = row  # fmt: skip
    figures = None
    if average is not None:
        figures = {
            "average_fps": average, "low_1_fps": low_1, "low_1_thin": support[lows[0]] < THIN_SUPPORT,
            "low_01_fps": low_01, "low_01_thin": support[lows[1]] < THIN_SUPPORT, "frames": frames,
            "duration_s": duration, "stutters": stutters, "bound_by": bound_by or None, "cap": cap,
            "cap_name": cap_name or None, "lock_fps": lock, "flags": flags,
        }  # fmt: skip
    return {
        "id": pk, "lane_id": lane, "test_id": test, "number": number, "state": state, "role": role,
        "reason_code": code, "reason": reason, "ran_at": ran_at, "capture_id": capture, "file_name": name,
        "sha256": sha256, "windows": windows or [], "figures": figures, "simulated": bool(simulated),
        "reported": dict(zip(_REPORTED_FIELDS, reported, strict=True)) if reported[-1] else None,
        "stale": capture is not None and (version != MEASURES_VERSION or basis != wanted),
    }  # fmt: skip


def pass_detail(pass_id: int) -> PassDetail:
    """Every figure of one pass, with what it was run with and what was measured of it before. Raises NotFound."""
    one = (
        Pass.objects.select_related("capture__current__all", "test__study", "setup_version__setup")
        .prefetch_related("files__arrival", "files__samples")
        .filter(pk=pass_id, test__study__removed_at=None)
        .first()
    )
    if one is None:
        raise NotFound("pass")
    school = one.test.study.low_school
    row = _pass_rows(Pass.objects.filter(pk=pass_id), school)[0]
    capture = getattr(one, "capture", None)
    current = capture.current if capture else None
    return PassDetail(
        one=PassOut(**row),
        files=[_file_out(file) for file in one.files.all()],
        columns=capture.columns if capture else {},
        figures=current.all.figures if current else {},
        made_by=current.all.made_by if current else {},
        version=current.version if current else None,
        measured=_measured(capture, school) if capture else [],
        run_as=one.run_as,
        setup=str(one.setup_version) if one.setup_version else "",
        trouble=capture.trouble if capture else "",
        bench_hour=_bench_hour(one),
    )


def _bench_hour(one: Pass) -> float | None:
    """The hour of the bench at which a pass ran, since its session began.

    Where nobody noted when that was, the runs of the day before it tell.
    """
    if one.ran_at is None:
        return None
    beside = Q(pk=one.pk)
    if one.session_id is None:
        day = Q(ran_at__lte=one.ran_at, ran_at__gte=one.ran_at - timedelta(days=1))
        beside |= day & Q(test__study=one.test.study_id, capture__isnull=False)
    ran = list(Pass.objects.filter(beside).order_by("pk").values_list("pk", *RAN_COLUMNS))
    hours = hours_of([row for _, *row in ran])
    return {pk: hour for (pk, *_), hour in zip(ran, hours.of, strict=True)}.get(one.pk)


#: Of passes, what :func:`hours_of` needs: when it ran, and how long it took by its capture or else by its scene.
RAN_COLUMNS = ("ran_at", "capture__length_s", "test__scene__length_s", "session__begun_at")


def hours_of(ran: Sequence[Sequence[Any]]) -> Hours:
    """Hours of the bench of passes, from their :data:`RAN_COLUMNS`."""
    return bench_hours(
        [
            Run(at.timestamp() if at else None, long_s or scene_s, begun.timestamp() if begun else None)
            for at, long_s, scene_s, begun in ran
        ]
    )


def _file_out(file: PassFile) -> FileOut:
    samples = getattr(file, "samples", None)
    return FileOut(
        id=file.pk,
        role=file.role,
        name=file.arrival.name,
        size=file.arrival.size,
        sha256=file.arrival.sha256,
        offset_s=samples.offset_s if samples else None,
    )


def _measured(capture: Capture, school: str) -> list[EarlierFigures]:
    """What was measured of a capture, newest first."""
    rows = capture.figures.order_by("-made_at", "-pk")
    return [
        EarlierFigures(
            version=row.version, made_at=row.made_at, average_fps=row.average_fps,
            low_1_fps=getattr(row, LOW_COLUMNS["1", school]), counts=row.pk == capture.current_id,
        )
        for row in rows
    ]  # fmt: skip


def original_of(capture_id: int) -> tuple[str, bytes]:
    """Name and bytes of a capture's file, as they came."""
    return _original(Original.objects.filter(arrival__capture=capture_id), "capture")


def file_of(file_id: int) -> tuple[str, bytes]:
    """Name and bytes of a pass's file, as they came."""
    return _original(Original.objects.filter(arrival__use=file_id), "file")


def _original(found: QuerySet[Original], what: str) -> tuple[str, bytes]:
    one = found.select_related("arrival").first()
    if one is None:
        raise NotFound(what)
    return one.arrival.name, one.whole()


@dataclass(frozen=True)
class Counted:
    """The passes of a study as the core compares them; `trouble` says what is wrong with the hours of the accepted.

    `medians` are the median rates of the accepted passes, in fps, by test and lane.
    """

    passes: list[comparing.Pass]
    trouble: str
    #: How many of the accepted do not say when they ran, and how many there are.
    unsaid: tuple[int, int]
    medians: dict[tuple[int, int], list[float]]


#: Facts of a pass by the columns of its figures.
_FACTS = {name: name for name in (
    "power_w", "gpu_busy_ms", "cpu_busy_ms", "over_budget_share", "card_over_share", "processor_over_share",
    "both_over_share", "longest_spell_s", "alternating", "amplitude", "bound_by", "temperature_c", "fan_rpm",
    "memory_mib",
)} | {"evidence": "bound_by_source"}  # fmt: skip


def counted_passes(study: Study) -> Counted:
    """The passes of a study as the core compares them, in one query and without decoding a document.

    Of passes that are out, the status is the reason; warm-ups take no part. Each accepted pass has its session and
    hour of the bench, where it is known when it ran.
    """
    own_columns = ("cap", "median_fps", *_FACTS.values(), *FIGURE_COLUMNS.values())
    columns = [f"capture__current__{column}" for column in own_columns]
    rows = (
        Pass.objects.filter(test__study=study, role__in=COUNTING)
        .exclude(state=PassState.PLANNED)
        .order_by("test__position", "lane__position", "number")
        .values_list(
            "id", "lane_id", "test_id", "state", "reason_code", *RAN_COLUMNS,
            "reported__average_fps", "reported__low_1_fps", "reported__low_01_fps", "reported__read_from", *columns,
        )
    )  # fmt: skip
    names = tuple(FIGURE_COLUMNS)
    found: list[comparing.Pass] = []
    ran: list[tuple[int, Sequence[Any]]] = []
    medians: dict[tuple[int, int], list[float]] = {}
    asked, told = len(RAN_COLUMNS), len(_FACTS)
    for pk, lane, test, state, code, *rest in rows:
        own, (average, low_1, low_01, read_from, cap, median, *measured) = rest[:asked], rest[asked:]
        facts, values = measured[:told], measured[told:]
        if state == PassState.ACCEPTED:
            ran.append((len(found), own))
            if median is not None:
                medians.setdefault((test, lane), []).append(median)
        if read_from:
            figures, source = _reported_figures(average, low_1, low_01), "own_report"
        else:
            source = "frames"
            figures = dict(zip(names, values, strict=True)) if values[0] is not None else {}
        found.append(
            comparing.Pass(
                str(pk),
                str(lane),
                str(test),
                state if code in ("", "other") else code,
                source,
                ("capped",) if cap == "capped" else (),
                figures,
                facts=_facts(facts) if state == PassState.ACCEPTED and source == "frames" and figures else PassFacts(),
            )
        )
    hours = hours_of([own for _, own in ran])
    for (at, _), hour, session in zip(ran, hours.of, hours.sessions, strict=True):
        found[at] = replace(found[at], clock_h=hour, session=session)
    return Counted(found, hours.trouble, (hours.unknown, len(ran)), medians)


def _facts(values: Sequence[Any]) -> PassFacts:
    # A label that is empty is none.
    told: dict[str, Any] = {name: None if value == "" else value for name, value in zip(_FACTS, values, strict=True)}
    return PassFacts(**told)


def _reported_figures(average: float | None, low_1: float | None, low_01: float | None) -> dict[str, float]:
    """Reported figures by the core's names. Nobody knows by which school a game's own low is made, so it stands for all
    of them: lanes of one source are compared by it, and by no measured one."""
    given = {AVERAGE: average} | {
        low_figure(low, school): value for low, value in (("1", low_1), ("0.1", low_01)) for school in LOW_SCHOOLS
    }
    return {name: value for name, value in given.items() if value is not None}


def work_left() -> list[WorkOut]:
    """Studies whose captures wait to be measured again: what the worker still has to do."""
    stale = (
        Capture.objects.filter(Q(current=None) | ~Q(current__version=MEASURES_VERSION) | ~Q(current__basis=F("basis")))
        .exclude(on_pass__test__study__state=StudyState.FINISHED)
        .exclude(on_pass__test__study__in=HIDDEN.get())
        .values("on_pass__test__study", "on_pass__test__study__question")
        .annotate(left=Count("pk"), failed=Count("pk", filter=~Q(trouble="")))
        .order_by("on_pass__test__study")
    )
    return [
        WorkOut(
            study_id=row["on_pass__test__study"],
            question=row["on_pass__test__study__question"],
            left=row["left"] - row["failed"],
            failed=row["failed"],
        )
        for row in stale
    ]
