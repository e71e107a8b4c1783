"""Measuring captures with the core, and keeping their figures beside what they were made by.

Figures are made by services, when a capture comes or changes, and by the worker, when the measures or a method have
changed. Reading never makes any: it says how many are stale.
"""

from __future__ import annotations

import contextlib
import hashlib
import json
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from typing import Any

from django.db.models import Exists, F, OuterRef, Q, QuerySet
from problems import Problem
from rennbahn import MEASURES_VERSION
from rennbahn.capture.pack import pack
from rennbahn.checks.profile import PROFILE_VERSION
from rennbahn.comparing.measured import facts_told
from rennbahn.comparing.model import AVERAGE, low_figure
from rennbahn.errors import CaptureRefused
from rennbahn.measures import LOW_SCHOOLS
from rennbahn.measures.rates import LOWS
from rennbahn.plain import plain
from studies.models import Pass, Study

from intake import reading
from intake.bounded import bounded
from intake.models import (
    AllFigures,
    Capture,
    CaptureFigures,
    CaptureProfile,
    PassFile,
    SampledChannel,
    SampleSet,
)
from intake.reading import CrunchedSamples, KeptCapture, KeptSamples, Measured

#: The column of each low under each school, in the order of `support`.
LOW_COLUMNS = {(low, school): f"low_{low.replace('.', '')}_{school}" for low in LOWS for school in LOW_SCHOOLS}
#: The column of each figure that lanes are compared by, by the figure's name in the core.
FIGURE_COLUMNS = {AVERAGE: AVERAGE} | {low_figure(*key): column for key, column in LOW_COLUMNS.items()}


#: Facts of a pass that have columns of the same name.
_FACTS = (
    "power_w", "gpu_busy_ms", "cpu_busy_ms", "temperature_c", "fan_rpm", "memory_mib", "over_budget_share",
    "card_over_share", "processor_over_share", "both_over_share", "longest_spell_s", "alternating", "amplitude",
)  # fmt: skip


def settings_for(study: Study, one: Pass) -> dict[str, Any]:
    """What the figures of a pass are measured against: target rate, limits and caps as they were when it was run."""
    return settings_from(study, one.run_as)


def settings_from(study: Study, run_as: dict[str, Any] | None) -> dict[str, Any]:
    """The same of what a pass is, or would be, run as."""
    run_as = run_as or {"limited_to_fps": None, "known_caps": []}
    caps = [*run_as["known_caps"], *run_as.get("assumed_caps", ())]
    if study.display_hz:
        display = {"name": "display refresh", "fps": study.display_hz, "refresh": True}
        caps.append(display | ({"variable": True} if study.display_variable else {}))
    return {"target_hz": study.target_hz, "limited_to_fps": run_as["limited_to_fps"], "known_caps": caps}


def keep_samples(capture: Capture, file: PassFile, found: CrunchedSamples, offset_s: float) -> SampleSet:
    """Store samples on a clock of their own, as they were packed."""
    kept = SampleSet.objects.create(
        capture=capture, file=file, columns=found.columns, offset_s=offset_s, clock=found.clock
    )
    SampledChannel.objects.bulk_create(SampledChannel(of=kept, name=n, data=d) for n, d in found.channels.items())
    return kept


def captures_at_rest() -> QuerySet[Capture]:
    """Captures with their arrays and all that they are measured against, in four queries whatever their number."""
    whole = Capture.objects.select_related("on_pass__test__study")
    return whole.prefetch_related("channels", "sample_sets__channels")


def at_rest(capture: Capture) -> KeptCapture:
    """The capture as it is kept, to be measured elsewhere (its arrays prefetched where many are asked for)."""
    return KeptCapture(
        {channel.name: bytes(channel.data) for channel in capture.channels.all()},
        tuple(capture.source_flags),
        tuple(
            KeptSamples(
                bytes(kept.clock), {channel.name: bytes(channel.data) for channel in kept.channels.all()}, kept.offset_s
            )
            for kept in capture.sample_sets.all()
        ),
        tuple((start, stop) for start, stop in capture.windows),
    )


def made_by(capture: Capture, settings: dict[str, Any]) -> dict[str, Any]:
    """What a measurement depends on, beside the file and the version of the measures."""
    return made_of(capture.windows, settings, capture.sample_sets.all())


def made_of(windows: list[list[float]], settings: dict[str, Any], samples: Iterable[SampleSet]) -> dict[str, Any]:
    """The same of a capture seen through these windows, with these samples beside it."""
    return {
        "window": windows if len(windows) > 1 else (windows[0] if windows else [None, None]),
        "settings": settings,
        "samples": sorted([kept.pk, kept.offset_s] for kept in samples),
    }


def basis_of(made: dict[str, Any]) -> str:
    """The hash of what a measurement depends on."""
    return hashlib.sha256(json.dumps(made, sort_keys=True).encode()).hexdigest()


@dataclass(frozen=True)
class Ahead:
    """What a capture measures through windows that it does not have yet, and what that was made by."""

    made: dict[str, Any]
    found: Measured


def measure_ahead(capture: Capture, windows: list[list[float]]) -> Ahead:
    """Measure a capture through other windows before anything is locked: nobody shall wait for it.

    Raises :class:`Problem` where no frame lies within them.
    """
    settings = settings_for(capture.on_pass.test.study, capture.on_pass)
    rest = replace(at_rest(capture), windows=tuple((start, stop) for start, stop in windows))
    with _no_empty_window():
        return Ahead(made_of(windows, settings, capture.sample_sets.all()), bounded(reading.measure, rest, settings))


def measure(
    capture: Capture, settings: dict[str, Any], ahead: Ahead | None = None, *, counts: bool = True
) -> CaptureFigures:
    """Make the figures of a capture and its profile, unless they are there or were made ahead, and let them count."""
    made = made_by(capture, settings)
    basis = basis_of(made)
    row = CaptureFigures.objects.filter(capture=capture, version=MEASURES_VERSION, basis=basis).first()
    if row is None:
        # What was made ahead is of no use where something else changed meanwhile.
        found = ahead.found if ahead and ahead.made == made else bounded(reading.measure, at_rest(capture), settings)
        row = keep_figures(capture, found, made)
    capture.basis, capture.trouble = basis, ""
    if counts:
        capture.current = row
    capture.save(update_fields=["basis", "current", "trouble"])
    return row


def see_through(study: Study, capture: Capture, windows: list[list[float]], ahead: Ahead | None = None) -> None:
    """Measure a capture through other windows. Raises :class:`Problem` where no frame lies within them."""
    capture.windows = windows
    with _no_empty_window():
        measure(capture, settings_for(study, capture.on_pass), ahead)
    capture.save(update_fields=["windows"])


@contextlib.contextmanager
def _no_empty_window() -> Iterator[None]:
    try:
        yield
    except CaptureRefused as error:
        if error.reason != "no_frames":
            raise
        raise Problem("empty_window", "No frame lies within these seconds.", field="windows") from None


def keep_figures(capture: Capture, found: Measured, made: dict[str, Any]) -> CaptureFigures:
    """Keep figures that were just made: what lists need as columns, all of them in a row that no list loads."""
    keep_profile(capture, found, made)
    row = figures_row(capture, found, made)
    row.save()
    whole_row(row, found, made).save()
    return row


def figures_row(capture: Capture, found: Measured, made: dict[str, Any]) -> CaptureFigures:
    """The narrow row of figures, not yet kept."""
    return CaptureFigures(capture=capture, version=MEASURES_VERSION, basis=basis_of(made), **columns_of(found))


def whole_row(row: CaptureFigures, found: Measured, made: dict[str, Any]) -> AllFigures:
    """The row of all figures beside a narrow one, not yet kept."""
    figures = found.figures
    data = figures.as_json()
    data.pop("percentile_curve_ms", None)
    data["corners"] = plain(found.corners)
    curve = pack(figures.percentile_curve_ms) if figures.percentile_curve_ms is not None else b""
    return AllFigures(row=row, made_by=made, figures=data, curve=curve)


def profile_row(capture: Capture, found: Measured, made: dict[str, Any]) -> CaptureProfile:
    """What the checks need of a capture, not yet kept."""
    return CaptureProfile(capture=capture, basis=basis_of(made), version=PROFILE_VERSION, data=found.profile)


def keep_profile(capture: Capture, found: Measured, made: dict[str, Any]) -> None:
    """Keep what the checks need of a capture, unless it is there."""
    CaptureProfile.objects.bulk_create([profile_row(capture, found, made)], ignore_conflicts=True)


def columns_of(found: Measured) -> dict[str, Any]:
    """The narrow row of a measured capture. It has at least one frame: an empty window is refused before."""
    figures = found.figures
    if figures.rates is None or figures.lows is None or figures.smoothness is None or figures.limits is None:
        raise ValueError("an empty window has no figures")
    cap = figures.limits.cap
    lows = {column: figures.lows[low][school] for (low, school), column in LOW_COLUMNS.items()}
    return {
        "frames": figures.frames,
        "duration_s": figures.duration_s,
        "average_fps": figures.rates.average_fps,
        "median_fps": figures.rates.median_fps,
        **{column: low.fps for column, low in lows.items()},
        "support": [low.support for low in lows.values()],
        "stutters": figures.smoothness.stutters.count,
        "bound_by": figures.limits.bound_by.label or "",
        "cap": cap.state,
        "cap_name": cap.name or "",
        "lock_fps": cap.lock_fps,
        "flags": list(figures.flags),
        **_facts_of(found),
    }


def _facts_of(found: Measured) -> dict[str, Any]:
    """What other kinds of study ask of a pass, as columns."""
    told = vars(facts_told(found.figures, found.corners))
    return {name: told[name] for name in _FACTS} | {"bound_by_source": told["evidence"] or ""}


def stale_captures() -> QuerySet[Capture]:
    """Captures without figures of today's measures, or without the profile that checks need, by what they are made by.

    Those of finished studies are among them: their new figures are made too, but do not count until a lead opens the
    study again.
    """
    fresh = CaptureFigures.objects.filter(capture=OuterRef("pk"), version=MEASURES_VERSION, basis=OuterRef("basis"))
    profiled = CaptureProfile.objects.filter(capture=OuterRef("pk"), basis=OuterRef("basis"), version=PROFILE_VERSION)
    return Capture.objects.filter(~Exists(fresh) | ~Exists(profiled))


def stale_count(study_id: int) -> int:
    """How many captures of a study count with figures made by something else than they should be."""
    return (
        Capture.objects.filter(on_pass__test__study=study_id)
        .filter(Q(current=None) | ~Q(current__version=MEASURES_VERSION) | ~Q(current__basis=F("basis")))
        .count()
    )


def expect_anew(study: Study) -> int:
    """Say of each capture of a study what its figures are to be made by now; how many that changes."""
    captures = list(
        Capture.objects.filter(on_pass__test__study=study).select_related("on_pass").prefetch_related("sample_sets")
    )
    changed = []
    for capture in captures:
        basis = basis_of(made_by(capture, settings_for(study, capture.on_pass)))
        if basis != capture.basis:
            capture.basis = basis
            changed.append(capture)
    Capture.objects.bulk_update(changed, ["basis"])
    return len(changed)


def count_fresh(captures: QuerySet[Capture]) -> list[Capture]:
    """Let the figures of today's measures count where they are there already, as after a method was put back.

    Those of which other figures count than before.
    """
    rows = CaptureFigures.objects.filter(capture__in=captures, version=MEASURES_VERSION, basis=F("capture__basis"))
    found = dict(rows.values_list("capture_id", "pk"))
    again: Iterable[Capture] = captures.filter(pk__in=found)
    fresh = []
    for capture in again:
        if capture.current_id != found[capture.pk]:
            capture.current_id = found[capture.pk]
            fresh.append(capture)
    Capture.objects.bulk_update(fresh, ["current"])
    return fresh
