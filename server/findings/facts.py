"""What other kinds of study than A against B ask of lanes, tests and passes, from what is written down of them."""

from __future__ import annotations

import functools
import operator
import re
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from bench.models import Part
from rennbahn import comparing
from rennbahn.comparing.facts import Aims, LaneFacts, PassFacts, TestFacts
from rennbahn.comparing.model import AVERAGE
from rennbahn.planning.settings import is_off
from rennbahn.worth import together_dba
from scenes.models import Condition
from studies.models import COUNTING, Lane, Pass, PassState, Study, StudyKind, Test
from studies.queries import group_key

#: Kinds of study by the core's names of them; the others have no answer of their own.
KINDS = {
    StudyKind.LADDER: "ladder", StudyKind.SWEEP: "sweep", StudyKind.GRID: "grid", StudyKind.SCALING: "scaling",
    StudyKind.BUDGET: "budget", StudyKind.SEVERAL: "several", StudyKind.PROXY_CHECK: "proxy",
}  # fmt: skip
#: Parts that are no thing.
_WEIGHTLESS = ("system", "driver", "firmware", "build")
#: Facts of passes by where the figures of a capture hold them.
_FIGURES = "capture__current__all__figures__"
_PASS_FACTS = {
    "power_w": "channel_means__gpu_power_w",
    "gpu_busy_ms": "channel_means__gpu_busy_ms",
    "cpu_busy_ms": "channel_means__cpu_busy_ms",
    "over_budget_share": "smoothness__over_budget_share",
    "card_over_share": "corners__card_over",
    "processor_over_share": "corners__processor_over",
    "both_over_share": "corners__both_over",
    "longest_spell_s": "smoothness__longest_spell_s",
    "alternating": "smoothness__alternation__alternating",
    "amplitude": "smoothness__alternation__amplitude",
    "bound_by": "limits__bound_by__label",
    "evidence": "limits__bound_by__source",
    "temperature_c": "channel_means__gpu_temp_c",
    "fan_rpm": "channel_means__fan_rpm",
    "memory_mib": "channel_means__vram_used_mib",
}


def lanes_told(study: Study, lanes: Sequence[Lane]) -> tuple[comparing.Lane, ...]:
    """The lanes with what their kind of study asks of them, in the study's order."""
    money, _ = prices_of(lanes)
    own = own_parts(lanes)
    return tuple(
        comparing.Lane(str(lane.pk), lane.name, _lane_facts(study, lane, money.get(lane.pk), own[lane.pk]))
        for lane in lanes
    )


def _lane_facts(study: Study, lane: Lane, price: float | None, own: Sequence[Part]) -> LaneFacts:
    levels = {level.factor: level for level in lane.levels.all()}
    swept = levels.get(study.factor)
    noises = [float(part.facts["noise_dba"]) for part in own if "noise_dba" in part.facts]
    weights = [part.weight_g for part in own if part.weight_g is not None]
    facts = LaneFacts(
        price=price,
        # A weight is that of all that differs, so that it is told only whole; software weighs nothing.
        weight_g=float(sum(weights))
        if weights and len(weights) == sum(p.kind not in _WEIGHTLESS for p in own)
        else None,
        noise_dba=together_dba(noises) if noises else None,
        memory_gb=_card_memory(lane),
        level=swept.number if swept else None,
        unit=swept.unit if swept else "",
        levels={name: level.words for name, level in levels.items()},
    )
    if study.kind == StudyKind.SWEEP:
        return replace(facts, rival=facts.level is None)
    if study.kind == StudyKind.SCALING:
        native = _native_of(lane, list(study.lanes.all()))
        return replace(facts, step=float(lane.position), upscaled_from=None if native is None else str(native.pk))
    if study.kind == StudyKind.SEVERAL:
        return replace(facts, cards=sum(part.kind == "card" for part in _parts(lane)))
    return facts


def _native_of(lane: Lane, lanes: Sequence[Lane]) -> Lane | None:
    """The lane that draws natively what an upscaled one draws inside, all else told alike; None of a native one."""
    told = lane.condition
    inside = None if told is None else _inside_pixels(told)
    if told is None or inside is None:
        return None
    for other in lanes:
        own = other.condition
        if own is None or other.pk == lane.pk or _inside_pixels(own) is not None:
            continue
        pixels = pixels_of(own.resolution)
        alike = all(getattr(own, name) == getattr(told, name) for name in ("preset", "ray_tracing", "api"))
        if alike and pixels is not None and abs(pixels[0] * pixels[1] / inside - 1.0) <= _SAME_PIXELS:
            return other
    return None


#: Sizes inside upscaling are rounded to whole pixels and multiples of eight.
_SAME_PIXELS = 0.02


def _inside_pixels(condition: Condition) -> float | None:
    """How many pixels an upscaled picture is drawn with: by a size, or by a share of each side; None without either."""
    if not condition.upscaling or is_off(condition.upscaling):
        return None
    size, outside = pixels_of(condition.upscaling), pixels_of(condition.resolution)
    if size is not None:
        return float(size[0] * size[1])
    share = re.search(r"(\d+(?:[.,]\d+)?)\s*%", condition.upscaling)
    if share is None or outside is None:
        return None
    return outside[0] * outside[1] * (float(share.group(1).replace(",", ".")) / 100.0) ** 2


def _card_memory(lane: Lane) -> float | None:
    """The memory of a lane's card in GB; of several cards one's, since each holds what it draws."""
    sizes = [part.facts.get("memory_gb") for part in _parts(lane) if part.kind == "card"]
    return min((float(size) for size in sizes if isinstance(size, int | float)), default=None)


def _parts(lane: Lane) -> list[Part]:
    """The parts of a lane's setup, the same one twice where it is there twice."""
    return list(lane.setup_version.parts.all())


def own_parts(lanes: Sequence[Lane]) -> dict[int, list[Part]]:
    """By lane, the parts in which the lanes differ: each as often as a setup has it more than all others do."""
    counted = {lane.pk: Counter(part.pk for part in _parts(lane)) for lane in lanes}
    shared = functools.reduce(operator.and_, counted.values()) if counted else Counter()
    found = {}
    for lane in lanes:
        parts = {part.pk: part for part in _parts(lane)}
        found[lane.pk] = [parts[pk] for pk in (counted[lane.pk] - shared).elements()]
    return found


def prices_of(lanes: Sequence[Lane]) -> tuple[dict[int, float], str]:
    """By lane, what the parts cost in which the lanes differ, with the currency: where all have a price in one."""
    own = own_parts(lanes)
    # Software is swapped beside the part that is asked about and costs nothing.
    priced = {pk: [part for part in parts if part.price is not None] for pk, parts in own.items()}
    currencies = {part.currency for parts in priced.values() for part in parts}
    if len(currencies) != 1 or not all(priced.values()):
        return {}, ""
    cost = {pk: float(sum(part.price or 0 for part in parts)) for pk, parts in priced.items()}
    return cost, currencies.pop()


def tests_told(study: Study, tests: Sequence[Test]) -> tuple[comparing.Test, ...]:
    """The tests with resolution and preset, and of a proxy check the test of play that each benchmark stands for."""
    play = {
        (test.scene.game_id, test.condition_id): test.pk for test in reversed(tests) if test.scene.kind != "benchmark"
    }
    found = []
    for test in tests:
        stands_for = None
        if study.kind == StudyKind.PROXY_CHECK and test.scene.kind == "benchmark":
            stands_for = play.get((test.scene.game_id, test.condition_id))
        facts = TestFacts(
            pixels_of(test.condition.resolution), test.condition.settings_told, str(stands_for) if stands_for else None
        )
        # A proxy check holds a benchmark against play, whatever both are told.
        group = "" if study.kind == StudyKind.PROXY_CHECK else group_key(test.condition)
        found.append(comparing.Test(str(test.pk), str(test.scene_id), test.condition.name, group, facts))
    return tuple(found)


def pixels_of(resolution: str) -> tuple[int, int] | None:
    """Width and height out of a resolution as people write it; None where that is not two numbers."""
    sides = [int(x) for x in "".join(c if c.isdigit() else " " for c in resolution).split()]
    return (sides[0], sides[1]) if len(sides) == 2 and min(sides) > 0 else None


def passes_told(study: Study, passes: Sequence[comparing.Pass]) -> tuple[comparing.Pass, ...]:
    """The passes with what their captures give beside rates, in one query: the database picks it out of the figures."""
    names = list(_PASS_FACTS)
    rows = Pass.objects.filter(
        test__study=study, state=PassState.ACCEPTED, role__in=COUNTING, capture__current__isnull=False
    ).values_list("pk", *(_FIGURES + path for path in _PASS_FACTS.values()))
    told = {str(pk): dict(zip(names, values, strict=True)) for pk, *values in rows}
    return tuple(replace(one, facts=_pass_facts(one, told.get(one.id))) for one in passes)


def _pass_facts(one: comparing.Pass, told: Mapping[str, Any] | None) -> PassFacts:
    if told is None or AVERAGE not in one.figures:
        return PassFacts()
    return PassFacts(**told)


def aims_of(study: Study, targets: Sequence[float]) -> Aims:
    """What a study is asked for: the rates wanted, else its own target."""
    return Aims(targets=tuple(targets) or (study.target_hz,))
