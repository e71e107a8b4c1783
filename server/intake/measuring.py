"""Measuring captures with the core, and keeping the figures current."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from rennbahn import MEASURES_VERSION
from rennbahn import capture as core
from rennbahn.capture.pack import pack, unpack
from rennbahn.measures import Figures, Settings, figures_of
from studies.models import Pass, Study

from intake.models import Capture, Channel, Measurement

FRAMES = "frame_ms"


def settings_for(study: Study, one: Pass) -> dict[str, Any]:
    """What the figures of a pass are measured against: target rate, limits and caps that are known."""
    test = one.test
    condition = one.lane.condition or test.condition
    caps = []
    if test.scene.game.engine_cap_fps:
        caps.append({"name": "engine cap", "fps": test.scene.game.engine_cap_fps, "refresh": False})
    if condition.frame_limit_fps:
        caps.append({"name": "frame limit", "fps": condition.frame_limit_fps, "refresh": False})
    if study.display_hz:
        caps.append({"name": "display refresh", "fps": study.display_hz, "refresh": True})
    return {"target_hz": study.target_hz, "limited_to_fps": condition.frame_limit_fps, "known_caps": caps}


def keep_channels(capture: Capture, frames: core.Capture) -> None:
    """Store the arrays of a capture, packed."""
    arrays = {FRAMES: frames.frame_ms, **frames.channels}
    Channel.objects.bulk_create(Channel(capture=capture, name=n, data=pack(v)) for n, v in arrays.items())


def frames_of(capture: Capture, *, windowed: bool = True) -> core.Capture:
    """The capture as the core knows it, from its stored channels (prefetched where many are asked for)."""
    arrays = {channel.name: unpack(bytes(channel.data)) for channel in capture.channels.all()}
    whole = core.Capture(arrays.pop(FRAMES), arrays, tuple(capture.source_flags))
    if not windowed or capture.window_from_s is None or capture.window_to_s is None:
        return whole
    return whole.trimmed(capture.window_from_s, capture.window_to_s)


def basis_of(capture: Capture, settings: dict[str, Any]) -> dict[str, Any]:
    """What a measurement depends on; it is current while this is unchanged."""
    return {
        "measures_version": MEASURES_VERSION,
        "window": [capture.window_from_s, capture.window_to_s],
        "settings": settings,
    }


def measure(capture: Capture, frames: core.Capture, settings: dict[str, Any]) -> Measurement:
    """Compute all figures and keep them beside the capture."""
    figures = figures_of(frames, Settings.from_json(settings))
    found, _ = Measurement.objects.update_or_create(
        capture=capture,
        defaults={
            "basis": basis_of(capture, settings),
            "figures": _without_curve(figures),
            "headline": figures.headline(),
            "curve": pack(figures.percentile_curve_ms) if figures.percentile_curve_ms is not None else b"",
        },
    )
    return found


def bring_up_to_date(study: Study) -> None:
    """Measure again what was measured by other definitions, settings or another window."""
    captures = Capture.objects.filter(on_pass__test__study=study).select_related(
        "measurement", "on_pass__test__scene__game", "on_pass__test__condition", "on_pass__lane__condition"
    )
    stale = []
    for capture in captures:
        settings = settings_for(study, capture.on_pass)
        kept = getattr(capture, "measurement", None)
        if kept is None or kept.basis != basis_of(capture, settings):
            stale.append((capture.pk, settings))
    if not stale:
        return
    with transaction.atomic():
        loaded = Capture.objects.prefetch_related("channels").in_bulk([pk for pk, _ in stale])
        for pk, settings in stale:
            measure(loaded[pk], frames_of(loaded[pk]), settings)


def _without_curve(figures: Figures) -> dict[str, Any]:
    data = figures.as_json()
    data.pop("percentile_curve_ms", None)
    return data
