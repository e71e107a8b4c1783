"""What a study takes from the figures of a capture: the figures that lanes are compared by, and facts of the pass."""

from __future__ import annotations

from rennbahn.comparing.facts import PassFacts
from rennbahn.comparing.model import AVERAGE, CAPPED, low_figure
from rennbahn.measures.figures import Figures
from rennbahn.measures.rates import LOW_SCHOOLS, LOWS
from rennbahn.measures.shape import Corners


def rates_told(figures: Figures) -> dict[str, float]:
    """The figures that lanes are compared by, in fps; none of an empty window."""
    if figures.rates is None or figures.lows is None:
        return {}
    lows = {low_figure(low, school): figures.lows[low][school].fps for low in LOWS for school in LOW_SCHOOLS}
    return {AVERAGE: figures.rates.average_fps, **lows}


def flags_told(figures: Figures) -> tuple[str, ...]:
    """The flags that a comparison asks for: whether a cap held the pass."""
    return (CAPPED,) if figures.limits is not None and figures.limits.cap.state == CAPPED else ()


def facts_told(figures: Figures, corners: Corners | None) -> PassFacts:
    """What other kinds of study ask of a pass: means of watts, busy times and sensors, shares over the budget by side
    (`corners`), and whether frames come in groups. Nothing of an empty window.
    """
    if figures.smoothness is None or figures.limits is None:
        return PassFacts()
    means, smoothness, limits = figures.channel_means or {}, figures.smoothness, figures.limits
    return PassFacts(
        power_w=means.get("gpu_power_w"),
        gpu_busy_ms=means.get("gpu_busy_ms"),
        cpu_busy_ms=means.get("cpu_busy_ms"),
        temperature_c=means.get("gpu_temp_c"),
        fan_rpm=means.get("fan_rpm"),
        memory_mib=means.get("vram_used_mib"),
        over_budget_share=smoothness.over_budget_share,
        card_over_share=corners.card_over if corners else None,
        processor_over_share=corners.processor_over if corners else None,
        both_over_share=corners.both_over if corners else None,
        longest_spell_s=smoothness.longest_spell_s,
        alternating=smoothness.alternation.alternating,
        amplitude=smoothness.alternation.amplitude,
        bound_by=limits.bound_by.label or None,
        evidence=limits.bound_by.source or None,
    )
