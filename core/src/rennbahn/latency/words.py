"""A study of latency as text to read."""

from __future__ import annotations

from rennbahn.display import fixed
from rennbahn.latency.answer import Latency
from rennbahn.latency.model import LatencyStudy
from rennbahn.latency.sentences import pair_words, sentences_of
from rennbahn.tables import aligned


def latency_text(study: LatencyStudy, found: Latency) -> str:
    """Sentences, then clips, devices and pairs in tables."""
    names = {one.id: one.name for one in study.devices}
    nominal = {one.id: one.nominal_fps for one in study.clips}
    clips = [
        [one.clip, f"{nominal[one.clip]:g}", fixed(one.fps, 1), one.verdict, "withheld" if one.withheld else ""]
        for one in found.clips
    ]
    devices = [
        [names[one.device], str(one.n), *map(_ms, (one.mean_ms, one.median_ms, one.sd_ms, one.low, one.high)),
         "–" if one.ranks is None else _ranks(*one.ranks), _whole(one.presses_needed)]
        for one in found.devices
    ]  # fmt: skip
    pairs = [
        [names[one.b], names[one.a], _ms(one.difference_ms), _ms(one.low), _ms(one.high),
         pair_words(one, found.equal_ms)]
        for one in found.pairs
    ]  # fmt: skip
    parts = ["\n".join(sentences_of(study, found))]
    parts += [aligned(("clip", "nominal", "fps", "verdict", ""), clips)] if clips else []
    heads = ("device", "presses", "mean ms", "median", "sd", "low", "high", "ranks", "needed")
    parts += [aligned(heads, devices)] if devices else []
    parts += [aligned(("device", "against", "ms", "low", "high", "over all pairs"), pairs)] if pairs else []
    return "\n\n".join(parts)


def _ms(value: float | None) -> str:
    return "–" if value is None else fixed(value, 2)


def _whole(value: int | None) -> str:
    return "–" if value is None else str(value)


def _ranks(best: int, worst: int) -> str:
    return str(best) if best == worst else f"{best} to {worst}"
