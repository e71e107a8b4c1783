"""What is drawn of a capture: its trace and what lies over it, made when somebody looks.

Arrays of one capture are decoded for each answer; the answers name what they were made by, so that they are asked once.
"""

from __future__ import annotations

import numpy as np
from problems import NotFound, Problem
from rennbahn import capture as core
from rennbahn.capture.align import best_agreement
from rennbahn.capture.envelope import envelope, sampled
from rennbahn.capture.pack import unpack
from rennbahn.measures import Settings
from rennbahn.measures.layers import layers_of
from rennbahn.measures.shape import EDGES_MS, shape_of
from rennbahn.plain import plain
from studies.models import Pass, Study

from intake.measuring import at_rest, settings_for
from intake.models import Capture, Channel
from intake.reading import FRAMES
from intake.trace_schemas import AgreementOut, LayersOut, SampledOut, ShapeOut, TestTraces, TraceOut

#: So many traces are laid over each other at once.
_MOST_ALIGNED = 24
#: So many points of a sampled channel are more than a chart has columns for.
_MOST_SAMPLES = 2000
#: Channels of samples in the order in which they are shown, with their units.
SAMPLED_UNITS = {
    "gpu_power_w": "W", "wall_power_w": "W", "gpu_temp_c": "°C", "gpu_hotspot_c": "°C", "gpu_clock_mhz": "MHz",
    "fan_rpm": "rpm", "gpu_util_pct": "%", "cpu_util_pct": "%", "vram_used_mib": "MiB",
}  # fmt: skip


def traces_of(study_id: int, test_id: int) -> TestTraces:
    """The traces of all recorded passes of a test: percentile curves, and where their frames are to be had."""
    study = Study.objects.filter(pk=study_id).only("target_hz").first()
    if study is None or not study.tests.filter(pk=test_id).exists():
        raise NotFound("test in this study")
    captures = (
        Capture.objects.filter(on_pass__test=test_id, current__isnull=False)
        .select_related("on_pass", "current__all")
        .defer("current__all__figures", "current__all__made_by")
        .order_by("on_pass__lane__position", "on_pass__number")
    )
    return TestTraces(
        test_id=test_id,
        budget_ms=1000.0 / study.target_hz,
        traces=[_trace(capture) for capture in captures],
    )


def _trace(capture: Capture) -> TraceOut:
    one, row = capture.on_pass, capture.current
    assert row is not None  # noqa: S101 - asked for above
    curve = bytes(row.all.curve)
    return TraceOut(
        pass_id=one.pk,
        lane_id=one.lane_id,
        capture_id=capture.pk,
        number=one.number,
        state=one.state,
        frames=row.frames,
        length_s=capture.length_s,
        windows=capture.windows,
        key=(capture.frames_digest or str(capture.pk))[:16],
        basis=capture.basis[:16],
        curve_ms=unpack(curve).tolist() if curve else [],
    )


def trace_of(capture_id: int, stretches: int, start_s: float | None, stop_s: float | None) -> bytes:
    """A capture's trace as little-endian doubles: is it exact (1 or 0), how many stretches, then end, low and high.

    It is the whole capture: windows are drawn over it. Raises NotFound.
    """
    channel = Channel.objects.filter(capture=capture_id, name=FRAMES).first()
    if channel is None:
        raise NotFound("capture")
    frames = unpack(bytes(channel.data))
    found = envelope(core.Capture(frames), stretches, start_s, stop_s)
    head = np.array([float(found.exact), float(len(found.end_s))])
    parts = [found.end_s, found.low_ms] + ([] if found.exact else [found.high_ms])
    return np.concatenate([head, *parts]).astype("<f8").tobytes()


def layers(capture_id: int) -> LayersOut:
    """What lies over the trace of a capture, on the clock of the whole of it. Raises :class:`NotFound`."""
    kept = _kept(capture_id)
    study = kept.on_pass.test.study
    rest = at_rest(kept)
    whole = rest.whole()
    settings = Settings.from_json(settings_for(study, kept.on_pass))
    found = layers_of(whole, rest.windows, settings, study.low_school)
    samples = []
    for name, unit in SAMPLED_UNITS.items():
        clock, values = sampled(whole, name, _MOST_SAMPLES)
        if len(clock):
            samples.append(
                SampledOut(channel=name, unit=unit, at_s=np.round(clock, 4).tolist(), values=values.tolist())
            )
    return LayersOut(**plain(found), samples=samples)


def shape(capture_id: int) -> ShapeOut:
    """The shape of a capture within its windows. Raises :class:`NotFound`."""
    kept = _kept(capture_id)
    rest = at_rest(kept)
    found = shape_of(rest.whole().within(rest.windows), kept.on_pass.test.study.target_hz)
    return ShapeOut(
        edges_ms=EDGES_MS.tolist(), share=found.share.tolist(), steps_ms=found.steps_ms.tolist(),
        cloud=plain(found.cloud) if found.cloud else None,
    )  # fmt: skip


def agreement(study_id: int, test_id: int, to: int, passes: list[int]) -> list[AgreementOut]:
    """By how much the traces of some passes of a test are moved to agree best with that of one of them."""
    if len(passes) > _MOST_ALIGNED:
        raise Problem("too_many", f"At most {_MOST_ALIGNED} passes are laid over each other.", field="passes")
    rows = dict(
        Channel.objects.filter(
            name=FRAMES, capture__on_pass__in={*passes, to}, capture__on_pass__test=test_id,
            capture__on_pass__test__study=study_id,
        ).values_list("capture__on_pass", "data")
    )  # fmt: skip
    if to not in rows:
        raise NotFound("pass with a capture in this test")
    reference = core.Capture(unpack(bytes(rows[to])))
    found = []
    for pk in passes:
        if pk in rows:
            one = best_agreement(reference, core.Capture(unpack(bytes(rows[pk]))))
            found.append(AgreementOut(pass_id=pk, offset_s=one.offset_s, likeness=one.likeness))
    return found


def _kept(capture_id: int) -> Capture:
    capture = (
        Capture.objects.select_related("on_pass__test__study")
        .prefetch_related("channels", "sample_sets__channels")
        .filter(pk=capture_id, on_pass__in=Pass.objects.filter(test__study__removed_at=None))
        .first()
    )
    if capture is None:
        raise NotFound("capture")
    return capture
