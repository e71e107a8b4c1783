"""What one can ask of the bench."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from django.db.models import Count, Exists, OuterRef, Prefetch, QuerySet, Subquery
from django.db.models.functions import Coalesce
from problems import NotFound
from rennbahn.parts import KINDS, Fact, derived, fact_words, kind_named
from rennbahn.plain import plain
from rennbahn.planning.cautions import cautions_of
from rennbahn.planning.fairness import SetupDescription
from rennbahn.planning.weighing import PartDescription
from rennbahn.running.readback import part_seen_in, setting_seen_in

from bench.models import Part, Rig, Setup, SetupVersion, SheetTick
from bench.schemas import (
    DerivedOut,
    FactOut,
    KindOut,
    PartOut,
    PartRef,
    PartUsed,
    RigOut,
    SettingIn,
    SetupOut,
    SheetOut,
    TickOut,
)
from bench.services import in_sheet_order, part_mark, rig_mark, setup_mark, swapped_parts

#: How many facts stand beside a part's name on a sheet.
_TELLING = 4


def all_kinds() -> list[KindOut]:
    """The kinds of part with their facts, in the order of a setup sheet."""
    return [KindOut(kind=k.id, label=k.label, facts=[_fact_out(fact) for fact in k.facts]) for k in KINDS]


def _fact_out(fact: Fact) -> FactOut:
    facts = plain(fact)
    return FactOut(**{name: facts[name] for name in FactOut.model_fields})


def all_parts() -> list[PartOut]:
    """All parts, by kind and name."""
    return [part_out(part) for part in _parts()]


def one_part(part_id: int) -> PartOut:
    """One part."""
    return part_out(_parts().get(pk=part_id))


def part_out(part: Part) -> PartOut:
    """A part as the API gives it."""
    return PartOut(
        id=part.pk,
        kind=part.kind,
        name=part.name,
        maker=part.maker,
        facts=ordered_facts(part.kind, part.facts),
        words=list(fact_words(part.kind, part.facts)),
        derived=[DerivedOut(**plain(one)) for one in derived(part.kind, part.facts)],
        price=None if part.price is None else float(part.price),
        currency=part.currency,
        price_from=part.price_from,
        price_day=part.price_day,
        weight_g=part.weight_g,
        notes=part.notes,
        setups=getattr(part, "in_setups", 0),
        used=bool(getattr(part, "in_a_run", False)),
        seen=part_mark(part),
    )


def ordered_facts(kind: str, facts: Mapping[str, Any]) -> dict[str, Any]:
    """Facts in the order of their definition; the database forgets it."""
    return {fact.name: facts[fact.name] for fact in kind_named(kind).facts if fact.name in facts}


def all_rigs() -> list[RigOut]:
    """All rigs by name."""
    return [_rig_out(rig) for rig in _rigs()]


def one_rig(rig_id: int) -> RigOut:
    """One rig."""
    return _rig_out(_rigs().get(pk=rig_id))


def all_setups() -> list[SetupOut]:
    """The newest version of every setup."""
    newest = SetupVersion.objects.filter(setup=OuterRef("pk")).order_by("-number").values("pk")[:1]
    ids = Setup.objects.annotate(newest=Subquery(newest)).values_list("newest", flat=True)
    versions = whole_versions().filter(pk__in=[i for i in ids if i is not None])
    return [setup_out(version) for version in versions.order_by("setup__name")]


def setup_version(version_id: int) -> SetupVersion:
    """One version with its parts and settings. Raises :class:`NotFound`."""
    version = whole_versions().filter(pk=version_id).first()
    if version is None:
        raise NotFound("setup")
    return version


def whole_versions() -> QuerySet[SetupVersion]:
    """Versions with everything that :func:`setup_out` and :func:`description_of` read."""
    newer = SetupVersion.objects.filter(setup=OuterRef("setup"), number__gt=OuterRef("number"))
    return (
        SetupVersion.objects.select_related("setup", "rig")
        .prefetch_related("parts", "settings", "rig__parts")
        .annotate(is_superseded=Exists(newer))
    )


def setup_out(version: SetupVersion) -> SetupOut:
    """A version as the API gives it."""
    swapped = (
        {part.pk for part in swapped_parts(version.parts.all(), version.rig.parts.all())} if version.rig else set()
    )
    return SetupOut(
        id=version.setup_id,
        version_id=version.pk,
        name=version.setup.name,
        version=version.number,
        frozen=version.frozen,
        newest=not getattr(version, "is_superseded", False),
        rig_id=version.rig_id,
        rig=version.rig.name if version.rig else "",
        parts=[
            PartUsed(
                id=part.pk,
                kind=part.kind,
                name=part.name,
                swapped=part.pk in swapped,
                summary=", ".join(fact_words(part.kind, part.facts)[:_TELLING]),
            )
            for part in in_sheet_order(version.parts.all())
        ],
        settings=[SettingIn(name=s.name, value=s.value) for s in version.settings.all()],
        cautions=[one.words for one in cautions_of(description_of(version))],
        seen=setup_mark(version),
    )


def sheet_out(version: SetupVersion) -> SheetOut:
    """A version with where one looks for what it says."""
    own = setup_out(version)
    return SheetOut(
        **own.dict(),
        where_settings={one.name: setting_seen_in(one.name) for one in own.settings},
        where_parts={one.kind: part_seen_in(one.kind) for one in own.parts},
    )


def ticks_of(version_id: int) -> list[TickOut]:
    """What was seen to on a setup's sheet. Raises :class:`NotFound`."""
    if not SetupVersion.objects.filter(pk=version_id).exists():
        raise NotFound("setup")
    found = SheetTick.objects.filter(version=version_id).select_related("who")
    return [TickOut(on_day=one.on_day, line=one.line, who=one.who.get_username(), at=one.at) for one in found]


def description_of(version: SetupVersion) -> SetupDescription:
    """A version as the core's checks see it."""
    return SetupDescription(
        tuple(part_description(part) for part in in_sheet_order(version.parts.all())),
        {setting.name: setting.value for setting in version.settings.all()},
    )


def described(
    refs: Iterable[PartRef], settings: Mapping[str, str], known: Mapping[tuple[str, str], Part]
) -> SetupDescription:
    """A setup that is not on the bench yet, as the core's checks see it; parts in `known` bring their facts."""
    parts = []
    for ref in refs:
        part = known.get((ref.kind, ref.name.lower()))
        parts.append(part_description(part) if part else PartDescription(kind_named(ref.kind).id, ref.name))
    return SetupDescription(tuple(parts), settings)


def parts_named(refs: Iterable[PartRef]) -> dict[tuple[str, str], Part]:
    """Parts on the bench by kind and name in lower case, of the kinds asked for."""
    return {(p.kind, p.name.lower()): p for p in Part.objects.filter(kind__in={ref.kind for ref in refs})}


def part_description(part: Part) -> PartDescription:
    """A part as the core's checks see it."""
    return PartDescription(part.kind, part.name, part.facts)


def _parts() -> QuerySet[Part]:
    # A subquery of its own: joined, the count would multiply with every version that is looked at.
    count = (
        Part.objects.filter(pk=OuterRef("pk"))
        .annotate(n=Count("setup_versions__setup", distinct=True))
        .values("n")[:1]
    )  # fmt: skip
    used = SetupVersion.objects.filter(parts=OuterRef("pk"), frozen=True)
    return Part.objects.annotate(in_setups=Coalesce(Subquery(count), 0), in_a_run=Exists(used)).order_by("kind", "name")


def _rigs() -> QuerySet[Rig]:
    return (
        Rig.objects.prefetch_related(Prefetch("parts"))
        .annotate(in_setups=Count("setup_versions__setup", distinct=True))
        .order_by("name")
    )


def _rig_out(rig: Rig) -> RigOut:
    parts = [PartRef(kind=part.kind, name=part.name) for part in in_sheet_order(rig.parts.all())]
    setups = getattr(rig, "in_setups", 0)
    return RigOut(id=rig.pk, name=rig.name, parts=parts, notes=rig.notes, setups=setups, seen=rig_mark(rig))
