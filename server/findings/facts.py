"""What other kinds of study than A against B ask of lanes, tests and passes, from what is written down of them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import fields, replace
from types import MappingProxyType

from bench.models import Part
from rennbahn import comparing
from rennbahn.comparing.facts import Aims, LaneFacts, TestFacts
from rennbahn.comparing.resolutions import Drawing, chain_of, native_at_output_of, native_of, pixels_of
from rennbahn.kinds.proxy import stands_for
from rennbahn.planning.levels import Level
from rennbahn.worth.lanes import Owned, noise_dba, own_parts, prices, weight_g
from scenes.models import Condition
from studies.models import Lane, Study, StudyKind, Test
from studies.queries import group_key

#: Kinds of study by the core's names of them; the others have no answer of their own.
KINDS = {
    StudyKind.LADDER: "ladder", StudyKind.SWEEP: "sweep", StudyKind.GRID: "grid", StudyKind.SCALING: "scaling",
    StudyKind.BUDGET: "budget", StudyKind.SEVERAL: "several", StudyKind.PROXY_CHECK: "proxy",
}  # fmt: skip


#: What lanes stand for, by lane and factor.
Told = Mapping[int, Mapping[str, Level]]


def lanes_told(study: Study, lanes: Sequence[Lane], told: Told = MappingProxyType({})) -> tuple[comparing.Lane, ...]:
    """The lanes with what their kind of study asks of them, in the order given; `told` says what some of them stand for
    in place of what they say themselves.
    """
    own = owned_by(lanes)
    money, _ = prices(own)
    levels = {
        lane.pk: told.get(lane.pk)
        or {level.factor: Level(level.words, level.number, level.unit) for level in lane.levels.all()}
        for lane in lanes
    }
    return tuple(
        comparing.Lane(
            str(lane.pk), lane.name, _lane_facts(study, lane, levels.get(lane.pk, {}), money.get(lane.pk), own[lane.pk])
        )
        for lane in lanes
    )


def _lane_facts(
    study: Study, lane: Lane, levels: Mapping[str, Level], price: float | None, own: Sequence[Owned]
) -> LaneFacts:
    swept = levels.get(study.factor)
    facts = LaneFacts(
        price=price,
        weight_g=weight_g(own),
        noise_dba=noise_dba(own),
        memory_gb=_card_memory(lane),
        level=swept.number if swept else None,
        unit=swept.unit if swept else "",
        levels={name: level.words for name, level in levels.items()},
    )
    if study.kind == StudyKind.SWEEP:
        return replace(facts, rival=facts.level is None)
    if study.kind == StudyKind.SCALING:
        lanes = list(study.lanes.all())
        at, drawn = [one.pk for one in lanes].index(lane.pk), [_drawing(one.condition) for one in lanes]
        inside, outside = (None if one is None else str(lanes[one].pk) for one in (
            native_of(at, drawn), native_at_output_of(at, drawn),
        ))  # fmt: skip
        # Where every step is a resolution of its own, that is what is asked about.
        chains = [chain_of(one) for one in drawn]
        chain = chains[at] if len(set(chains)) < len(chains) else ""
        return replace(facts, step=float(lane.position), chain=chain, upscaled_from=inside, mode_of=outside)
    if study.kind == StudyKind.SEVERAL:
        return replace(facts, cards=sum(part.kind == "card" for part in _parts(lane)))
    return facts


def _drawing(condition: Condition | None) -> Drawing | None:
    if condition is None:
        return None
    return Drawing(**{one.name: getattr(condition, one.name) for one in fields(Drawing)})


def _card_memory(lane: Lane) -> float | None:
    """The memory of a lane's card in GB; of several cards one's, since each holds what it draws."""
    sizes = [part.facts.get("memory_gb") for part in _parts(lane) if part.kind == "card"]
    return min((float(size) for size in sizes if isinstance(size, int | float)), default=None)


def _parts(lane: Lane) -> list[Part]:
    """The parts of a lane's setup, the same one twice where it is there twice."""
    return list(lane.setup_version.parts.all())


def owned_by(lanes: Sequence[Lane]) -> dict[int, list[Owned]]:
    """By lane, the parts in which the lanes differ."""
    return own_parts({lane.pk: [_owned(part) for part in _parts(lane)] for lane in lanes})


def _owned(part: Part) -> Owned:
    noise = part.facts.get("noise_dba")
    return Owned(
        part.pk, part.kind, None if part.price is None else float(part.price), part.currency,
        None if part.weight_g is None else float(part.weight_g), None if noise is None else float(noise),
    )  # fmt: skip


def prices_of(lanes: Sequence[Lane]) -> tuple[dict[int, float], str]:
    """By lane, what the parts cost in which the lanes differ, with the currency: where all have a price in one."""
    return prices(owned_by(lanes))


def tests_told(study: Study, tests: Sequence[Test]) -> tuple[comparing.Test, ...]:
    """The tests with resolution and preset, and of a proxy check the test of play that each benchmark stands for."""
    stands = stands_for([(x.scene.game_id, x.condition_id, x.scene.kind == "benchmark") for x in tests])
    found = []
    for test, at in zip(tests, stands, strict=True):
        play = tests[at] if at is not None and study.kind == StudyKind.PROXY_CHECK else None
        facts = TestFacts(
            pixels_of(test.condition.resolution),
            test.condition.settings_told,
            str(play.pk) if play else None,
            test.condition.intent,
        )
        group = group_key(test.condition)
        found.append(comparing.Test(str(test.pk), str(test.scene_id), test.condition.name, group, facts))
    return tuple(found)


def aims_of(study: Study, targets: Sequence[float]) -> Aims:
    """What a study is asked for: the rates wanted, else its own target, and what holding one means."""
    return Aims(targets=tuple(targets) or (study.target_hz,), may_miss=study.may_miss)
