"""What differs between the lanes of a study, how much each difference weighs, and whether the study is fair on paper.

The check lists differences so that nobody has to notice them. It never decides: a lead accepts a difference with a
written reason, and it then prints with every finding. It is symmetric: swapping two lanes swaps the two sides of each
difference and changes nothing else.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from rennbahn.parts import KINDS
from rennbahn.planning.settings import Kind, named, same_value, words_of
from rennbahn.planning.weighing import RANK, PartDescription, Weight, same_parts, weigh_part, weigh_setting

#: Key of the finding that two lanes differ in nothing.
NOTHING = "nothing"
#: Key of the finding that the factor is not among the differences.
NO_FACTOR = "no-factor"
#: Key of the finding that no lane says something that should be recorded.
UNSAID = "unsaid"
CONDITION = "condition"
_LABELS = {kind.id: kind.label for kind in KINDS}
_ORDER = {kind.id: position for position, kind in enumerate(KINDS)}


@dataclass(frozen=True)
class SetupDescription:
    """A setup: its parts, and its settings by name."""

    parts: tuple[PartDescription, ...] = ()
    settings: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Required:
    """Something that every lane should say: by a part of a kind, by a fact of one, or by a setting of a meaning."""

    label: str
    part: str = ""
    fact: str = ""
    setting: Kind | None = None
    words: tuple[str, ...] = ()

    def said_in(self, setup: SetupDescription) -> bool:
        """Does a setup say it?"""
        parts = [one for one in setup.parts if one.kind == self.part]
        if any(not self.fact or self.fact in one.facts for one in parts):
            return True
        for name, value in setup.settings.items():
            meant = named(name)
            if value and ((meant is not None and meant.kind == self.setting) or set(self.words) & set(words_of(name))):
                return True
        return False


_BUILD = Required("Game build", part="build", words=("build", "builds", "spielversion", "spielstand"))
_ALWAYS = (
    Required("Driver", part="driver", words=("driver", "treiber")),
    Required("Power plan or mode", setting="power_plan"),
    Required("Sync", setting="sync"),
    Required("Frame limit", setting="frame_limit"),
    Required("Memory profile", part="memory", fact="mt_per_s", setting="memory_profile"),
    Required("Display path", setting="display_path"),
    Required("Background programs", setting="background"),
    _BUILD,
)
#: What should be recorded, by kind of study. The lanes of a scaling study are one setup under several conditions.
REQUIRED: Mapping[str, tuple[Required, ...]] = {
    **dict.fromkeys(("a_b", "ladder", "sweep", "grid", "budget", "several", "proxy_check"), _ALWAYS),
    "scaling": tuple(one for one in _ALWAYS if one.label in ("Driver", "Sync", "Game build")),
}


@dataclass(frozen=True)
class LaneDescription:
    """A lane: its name, its setup, and the condition it imposes where lanes differ in what the game is told."""

    id: str
    name: str
    setup: SetupDescription
    condition: str = ""


@dataclass(frozen=True)
class Same:
    """Something that two lanes share."""

    key: str
    label: str
    value: str


@dataclass(frozen=True)
class Difference:
    """Something in which two lanes differ: `a` and `b` are the two sides, empty where a side says nothing.

    `key` is stable (`part:driver`, `setting:sync`, `condition`); `weight` and `reason` say how much it matters and why.
    The `factor` is what the study asks about and is not weighed.
    """

    key: str
    label: str
    a: str
    b: str
    weight: Weight
    reason: str
    factor: bool = False


@dataclass(frozen=True)
class Pairing:
    """One lane held against the baseline."""

    a: str
    b: str
    factor: tuple[Difference, ...]
    differences: tuple[Difference, ...]
    same: tuple[Same, ...]


@dataclass(frozen=True)
class Objection:
    """What stands between a study and being called ready; accepted by its `key` with a written reason.

    `about` says in words what it is now, so that an acceptance cannot outlive what it accepted.
    """

    key: str
    lanes: tuple[str, ...]
    label: str
    weight: Weight
    reason: str
    about: str


@dataclass(frozen=True)
class Fairness:
    """The check of a whole study. It is fair once every objection's key is accepted.

    `unsaid` names what should be recorded and is in no lane.
    """

    pairings: tuple[Pairing, ...]
    objections: tuple[Objection, ...]
    unsaid: tuple[str, ...] = ()

    def unanswered(self, accepted: Collection[tuple[str, str, str]]) -> tuple[Objection, ...]:
        """Objections that nobody accepted as they are: `accepted` holds key, what it was about, and its weight then.

        An acceptance outlives neither the difference nor its weight.
        """
        return tuple(one for one in self.objections if (one.key, one.about, one.weight) not in accepted)


def check_fairness(
    lanes: Sequence[LaneDescription], baseline: str, factors: Iterable[str], required: Sequence[Required] = ()
) -> Fairness:
    """Hold every lane against the baseline.

    `factors` names what the study asks about, by kind of part (`Graphics card`, `card`), name of a setting, or
    `condition`; upper and lower case are alike. Of what is `required`, that which no lane says is asked for.
    """
    asked = {_plain(factor) for factor in factors}
    base = next(lane for lane in lanes if lane.id == baseline)
    pairings = tuple(_pairing(base, lane, asked) for lane in lanes if lane.id != baseline)
    silent = tuple(one.label for one in required if not any(one.said_in(lane.setup) for lane in lanes))
    objections = _objections(pairings, {lane.id: lane.name for lane in lanes})
    if silent:
        about = f"not recorded in any lane: {', '.join(silent)}"
        reason = "what no lane says may still differ: look it up, or say why it cannot be known"
        unsaid = Objection(UNSAID, tuple(lane.id for lane in lanes), "Not recorded", "mind", reason, about)
        objections = tuple(sorted((*objections, unsaid), key=lambda one: RANK[one.weight]))
    return Fairness(pairings, objections, silent)


def factor_matches(factor: str, key: str) -> bool:
    """Does a factor by this name mean the thing of this key?"""
    sort, _, name = key.partition(":")
    kind = name.split(":")[0]
    names = {kind, _plain(_LABELS.get(kind, ""))} if sort == "part" else {name or sort}
    wanted = _plain(factor)
    return wanted in names or (sort == CONDITION and wanted.startswith(CONDITION))


def things_of(setup: SetupDescription) -> dict[str, tuple[PartDescription, ...] | str]:
    """Everything a setup says, by key: the parts of a kind together, game builds by their game, settings one by one."""
    parts: dict[str, list[PartDescription]] = {}
    for part in setup.parts:
        parts.setdefault(_part_key(part), []).append(part)
    things: dict[str, tuple[PartDescription, ...] | str] = {
        key: tuple(sorted(found, key=lambda part: part.name))
        for key, found in sorted(parts.items(), key=lambda item: (_ORDER.get(item[1][0].kind, 99), item[0]))
    }
    for name, value in setup.settings.items():
        things[f"setting:{_plain(name)}"] = value
    return things


def label_of(key: str, *setups: SetupDescription) -> str:
    """A key in words, as the setups spell it."""
    sort, _, name = key.partition(":")
    if sort == "setting":
        return next((spelt for setup in setups for spelt in setup.settings if _plain(spelt) == name), name)
    if sort == "part":
        kind, _, game = name.partition(":")
        parts = [part for setup in setups for part in setup.parts if _part_key(part) == key]
        spelt = str(parts[0].facts["game"]) if game and parts else game
        return f"{_LABELS.get(kind, kind)}{f' of {spelt}' if spelt else ''}"
    return "Condition"


def written(thing: tuple[PartDescription, ...] | str | None) -> str:
    """A thing in one line; empty for none."""
    if thing is None:
        return ""
    return thing if isinstance(thing, str) else ", ".join(part.name for part in thing)


def difference_between(
    key: str, a: tuple[PartDescription, ...] | str | None, b: tuple[PartDescription, ...] | str | None, label: str
) -> Difference | None:
    """How much two states of one thing differ; None where they are the same."""
    if a == b or (isinstance(a, str) and isinstance(b, str) and same_value(a, b)):
        return None
    if key.startswith("part:"):
        if same_parts(_parts(a), _parts(b)):
            return None
        kind = key.split(":")[1]
        weight, reason = weigh_part(kind, _parts(a), _parts(b))
    elif key == CONDITION:
        weight, reason = "spoils", "the game is told something else"
    else:
        weight, reason = weigh_setting(key.partition(":")[2], _text(a), _text(b))
    return Difference(key, label, written(a), written(b), weight, reason)


def _pairing(base: LaneDescription, lane: LaneDescription, asked: set[str]) -> Pairing:
    left, right = _aligned(_with_condition(base), _with_condition(lane))
    factor: list[Difference] = []
    others: list[Difference] = []
    same: list[Same] = []
    for key in [*left, *(key for key in right if key not in left)]:
        label = label_of(key, base.setup, lane.setup)
        found = difference_between(key, left.get(key), right.get(key), label)
        if found is None:
            same.append(Same(key, label, written(left.get(key))))
        elif any(factor_matches(name, key) for name in asked):
            factor.append(_as_factor(found))
        else:
            others.append(found)
    others.sort(key=lambda one: RANK[one.weight])
    return Pairing(base.id, lane.id, tuple(factor), tuple(others), tuple(same))


def _aligned(
    left: dict[str, tuple[PartDescription, ...] | str], right: dict[str, tuple[PartDescription, ...] | str]
) -> tuple[dict[str, tuple[PartDescription, ...] | str], dict[str, tuple[PartDescription, ...] | str]]:
    """Settings that mean the same by other names stand under one: the name that comes first by the alphabet."""
    apart = [
        [key for key in one if key.startswith("setting:") and key not in other]
        for one, other in ((left, right), (right, left))
    ]
    meanings = [{key: found for key in keys if (found := named(key.partition(":")[2])) is not None} for keys in apart]
    for key, meant in meanings[0].items():
        twins = [other for other, own in meanings[1].items() if own == meant]
        if len(twins) == 1 and list(meanings[0].values()).count(meant) == 1:
            first = min(key, twins[0])
            left = {first if one == key else one: value for one, value in left.items()}
            right = {first if one == twins[0] else one: value for one, value in right.items()}
    return left, right


def _as_factor(found: Difference) -> Difference:
    return Difference(found.key, found.label, found.a, found.b, "harmless", "this is the question", factor=True)


def _objections(pairings: Sequence[Pairing], names: Mapping[str, str]) -> tuple[Objection, ...]:
    found: dict[str, Objection] = {}

    def object_to(key: str, lane: str, label: str, weight: Weight, reason: str, about: str) -> None:
        earlier = found.get(key)
        if earlier is None:
            found[key] = Objection(key, (lane,), label, weight, reason, about)
            return
        graver = RANK[weight] < RANK[earlier.weight]
        worst, why = (weight, reason) if graver else (earlier.weight, earlier.reason)
        said = earlier.about if about in earlier.about else f"{earlier.about}; {about}"
        found[key] = Objection(key, (*earlier.lanes, lane), label, worst, why, said)

    for pairing in pairings:
        names_of = f"{names[pairing.b]} and {names[pairing.a]}"
        if not pairing.factor and not pairing.differences:
            reason = "lanes that differ in nothing show only noise"
            object_to(NOTHING, pairing.b, "No difference at all", "spoils", reason, names_of)
        elif not pairing.factor:
            reason = "these lanes do not differ in the factor that the study names"
            object_to(NO_FACTOR, pairing.b, "The factor is the same", "spoils", reason, names_of)
        for one in pairing.differences:
            about = f"{one.a or 'nothing'} / {one.b or 'nothing'}"
            object_to(one.key, pairing.b, one.label, one.weight, one.reason, about)
    return tuple(sorted(found.values(), key=lambda one: RANK[one.weight]))


def _with_condition(lane: LaneDescription) -> dict[str, tuple[PartDescription, ...] | str]:
    things = things_of(lane.setup)
    return {**things, CONDITION: lane.condition} if lane.condition else things


def _part_key(part: PartDescription) -> str:
    game = part.facts.get("game") if part.kind == "build" else None
    return f"part:{part.kind}:{_plain(str(game))}" if game else f"part:{part.kind}"


def _parts(thing: tuple[PartDescription, ...] | str | None) -> tuple[PartDescription, ...]:
    return thing if isinstance(thing, tuple) else ()


def _text(thing: tuple[PartDescription, ...] | str | None) -> str:
    return thing if isinstance(thing, str) else ""


def _plain(text: str) -> str:
    return " ".join(text.lower().split())
