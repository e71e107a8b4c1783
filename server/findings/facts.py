"""What other kinds of study than A against B ask of lanes, tests and passes, from what is written down of them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from bench.models import Part
from rennbahn import comparing
from rennbahn.comparing.facts import Aims, LaneFacts, PassFacts, TestFacts
from rennbahn.comparing.model import AVERAGE
from studies.models import COUNTING, Lane, Pass, PassState, Study, StudyKind, Test
from studies.queries import group_key

#: Kinds of study by the core's names of them; the others have no answer of their own.
KINDS = {
    StudyKind.LADDER: "ladder", StudyKind.SWEEP: "sweep", StudyKind.GRID: "grid", StudyKind.SCALING: "scaling",
    StudyKind.BUDGET: "budget", StudyKind.SEVERAL: "several", StudyKind.PROXY_CHECK: "proxy",
}  # fmt: skip
#: Facts of passes by where the figures of a capture hold them.
_FIGURES = "capture__current__all__figures__"
_PASS_FACTS = {
    "power_w": "channel_means__gpu_power_w",
    "gpu_busy_ms": "channel_means__gpu_busy_ms",
    "cpu_busy_ms": "channel_means__cpu_busy_ms",
    "over_budget_share": "smoothness__over_budget_share",
    "longest_spell_s": "smoothness__longest_spell_s",
    "alternating": "smoothness__alternation__alternating",
    "amplitude": "smoothness__alternation__amplitude",
    "bound_by": "limits__bound_by__label",
    "evidence": "limits__bound_by__source",
}


def lanes_told(study: Study, lanes: Sequence[Lane]) -> tuple[comparing.Lane, ...]:
    """The lanes with what their kind of study asks of them, in the study's order."""
    money, _ = prices_of(lanes)
    return tuple(
        comparing.Lane(str(lane.pk), lane.name, _lane_facts(study, lane, money.get(lane.pk))) for lane in lanes
    )


def _lane_facts(study: Study, lane: Lane, price: float | None) -> LaneFacts:
    levels = {level.factor: level for level in lane.levels.all()}
    own = levels.get(study.factor)
    facts = LaneFacts(
        price=price,
        level=own.number if own else None,
        unit=own.unit if own else "",
        levels={name: level.words for name, level in levels.items()},
    )
    if study.kind == StudyKind.SWEEP:
        return replace(facts, rival=facts.level is None)
    if study.kind == StudyKind.SCALING:
        return replace(facts, step=float(lane.position))
    if study.kind == StudyKind.SEVERAL:
        return replace(facts, cards=sum(part.kind == "card" for part in _parts(lane)))
    return facts


def _parts(lane: Lane) -> list[Part]:
    """The parts of a lane's setup, the same one twice where it is there twice."""
    return list(lane.setup_version.parts.all())


def prices_of(lanes: Sequence[Lane]) -> tuple[dict[int, float], str]:
    """By lane, what the parts cost in which the lanes differ, with the currency: where all have a price in one."""
    everyone = [{part.pk for part in _parts(lane)} for lane in lanes]
    shared = set.intersection(*everyone) if everyone else set()
    own = {lane.pk: [part for part in _parts(lane) if part.pk not in shared] for lane in lanes}
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
            _pixels(test.condition.resolution), test.condition.settings_told, str(stands_for) if stands_for else None
        )
        # A proxy check holds a benchmark against play, whatever both are told.
        group = "" if study.kind == StudyKind.PROXY_CHECK else group_key(test.condition)
        found.append(comparing.Test(str(test.pk), str(test.scene_id), test.condition.name, group, facts))
    return tuple(found)


def _pixels(resolution: str) -> tuple[int, int] | None:
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
