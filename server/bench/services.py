"""What one can do on the bench."""

from __future__ import annotations

import itertools
from collections import Counter
from collections.abc import Iterable, Sequence

from django.contrib.auth.models import AnonymousUser, User
from django.db import IntegrityError, transaction
from django.db.models import Count, Exists, OuterRef
from django.utils import timezone
from page_marks import check_seen, mark_of
from people.access import require
from people.edits import last_edit, note_edit
from people.models import Role
from problems import Conflict, NotFound, Problem
from rennbahn.parts import checked_facts, kind_named

from bench.models import KIND_IDS, Part, Rig, RigPart, Setting, Setup, SetupPart, SetupVersion, SheetTick
from bench.news import setups_changed
from bench.schemas import PartEdit, PartIn, PartRef, PricedRef, RigEdit, RigIn, SetupEdit, SetupIn, TickIn

Caller = User | AnonymousUser
#: As much as a name holds.
_LONGEST_NAME = 120
_PART_FIELDS = ("name", "maker", "price", "currency", "price_from", "price_day", "weight_g", "notes")


def add_part(user: Caller, data: PartIn) -> Part:
    """Add a part. Raises :class:`Conflict` where the kind has one of that name."""
    lead = require(user, Role.LEAD)
    return _kept(lead, Part(kind=kind_named(data.kind).id), data)


def edit_part(user: Caller, part_id: int, data: PartIn) -> Part:
    """Edit a part. Of one that a run used, what was written down stays; what was not may be added."""
    lead = require(user, Role.LEAD)
    with transaction.atomic():
        part = Part.objects.select_for_update().filter(pk=part_id).first()
        if part is None:
            raise NotFound("part")
        if isinstance(data, PartEdit):
            check_seen(f"“{part.name}”", data.seen, part_mark(part), lambda: last_edit("part", part_id))
        return _kept(lead, part, data)


def save_rig(user: Caller, data: RigIn, rig_id: int | None = None) -> Rig:
    """Make a rig, or rebuild one. Its setups follow: in place while unused, else as their next version."""
    lead = require(user, Role.LEAD)
    _check_parts(data.parts)
    with transaction.atomic():
        rig = Rig() if rig_id is None else Rig.objects.select_for_update().filter(pk=rig_id).first()
        if rig is None:
            raise NotFound("rig")
        before = list(rig.parts.all()) if rig.pk else []
        if isinstance(data, RigEdit):
            check_seen(f"“{rig.name}”", data.seen, rig_mark(rig), lambda: last_edit("rig", rig.pk))
        rig.name, rig.notes = data.name, data.notes
        try:
            with transaction.atomic():
                rig.save()
        except IntegrityError:
            raise Conflict("rig_exists", f"There is already a rig “{data.name}”.", field="name") from None
        after = parts_by_name(data.parts)
        put_into_rig(rig, after)
        rebuilt = _rebuild_setups(rig, before, after)
        setups_changed.send(Rig, versions=rebuilt, who=lead)
        note_edit(lead, "rig", rig.pk)
    return rig


def save_setup(user: Caller, data: SetupIn, setup_id: int | None = None) -> SetupVersion:
    """Make a setup, or edit one: in place while no run used its newest version, else as the next version."""
    lead = require(user, Role.LEAD)
    _check_parts(data.parts)
    _check_settings(data)
    with transaction.atomic():
        if setup_id is None:
            setup = _new_setup(data.name)
            version = SetupVersion.objects.create(setup=setup, number=1)
        else:
            found = Setup.objects.select_for_update().filter(pk=setup_id).first()
            if found is None:
                raise NotFound("setup")
            setup = found
            newest = setup.versions.order_by("-number")[:1].get()
            if isinstance(data, SetupEdit):
                now = setup_mark(newest)
                check_seen(f"“{setup.name}”", data.seen, now, lambda: last_edit("setup", setup.pk))
            version = _editable(newest)
            if setup.name != data.name:
                setup.name = data.name
                try:
                    with transaction.atomic():
                        setup.save()
                except IntegrityError:
                    raise _name_taken(data.name) from None
        rig = _rig(data.rig_id)
        version.rig = rig
        version.save(update_fields=["rig"])
        put_into_setup(version, _assembled(rig, parts_by_name(data.parts)))
        version.settings.all().delete()
        Setting.objects.bulk_create(
            Setting(version=version, position=i, name=s.name, value=s.value) for i, s in enumerate(data.settings)
        )
        note_edit(lead, "setup", setup.pk)
        setups_changed.send(Setup, versions={version.pk}, who=lead)
    return version


def part_mark(part: Part) -> str:
    """A mark of what a part is on record as."""
    return mark_of([part.kind, part.facts, *(getattr(part, name) for name in _PART_FIELDS)])


def rig_mark(rig: Rig) -> str:
    """A mark of what a rig is built of."""
    return mark_of([rig.name, rig.notes, sorted(part.pk for part in rig.parts.all())])


def setup_mark(version: SetupVersion) -> str:
    """A mark of a version of a setup with all that is in it."""
    settings = [[setting.name, setting.value] for setting in version.settings.all()]
    parts = sorted(part.pk for part in version.parts.all())
    return mark_of([version.setup.name, version.number, version.rig_id, parts, settings])


def setup_like(user: Caller, data: SetupIn) -> SetupVersion:
    """The setup described: one that the bench has already, whatever it is called, or a new one.

    The name is a wish: where another setup has it, the new one is numbered.
    """
    require(user, Role.LEAD)
    _check_parts(data.parts)
    _check_settings(data)
    with transaction.atomic():
        wanted = _assembled(_rig(data.rig_id), parts_by_name(data.parts))
        found = _equal_setup(data, wanted)
        return found or save_setup(user, data.model_copy(update={"name": _free_name(data.name)}))


def _equal_setup(data: SetupIn, wanted: Sequence[Part]) -> SetupVersion | None:
    """The newest version of a setup with these parts and settings; one on the same rig before others.

    What nothing is said of equals only what has its name.
    """
    newer = SetupVersion.objects.filter(setup=OuterRef("setup"), number__gt=OuterRef("number"))
    alike = SetupVersion.objects.annotate(parts_in=Count("setuppart")).filter(~Exists(newer), parts_in=len(wanted))
    if wanted:
        alike = alike.filter(pk__in=SetupPart.objects.filter(part=wanted[-1]).values("version"))
    if not wanted and not data.settings:
        alike = alike.filter(setup__name__iexact=data.name)
    said = {(s.name.casefold(), s.value.casefold()) for s in data.settings}
    equal = [
        version
        for version in alike.prefetch_related("parts", "settings").order_by("pk")
        if counted(wanted) == counted(version.parts.all())
        and said == {(s.name.casefold(), s.value.casefold()) for s in version.settings.all()}
    ]
    return min(equal, key=lambda version: version.rig_id != data.rig_id, default=None)


def _free_name(name: str) -> str:
    """A name that no setup has: this one, else this one with the next number."""
    taken = {one.casefold() for one in Setup.objects.filter(name__istartswith=name).values_list("name", flat=True)}
    for number in itertools.count(1):
        tail = "" if number == 1 else f" ({number})"
        tried = f"{name[: _LONGEST_NAME - len(tail)]}{tail}"
        if tried.casefold() not in taken:
            return tried
    raise AssertionError  # pragma: no cover - numbers do not end


def freeze(versions: Iterable[SetupVersion]) -> None:
    """Note that runs used these versions."""
    changed = {version.pk for version in versions if not version.frozen}
    if changed:
        SetupVersion.objects.filter(pk__in=changed).update(frozen=True)


def tick(user: Caller, version_id: int, data: TickIn) -> None:
    """Tick a line of a setup's sheet on a day, or take the tick back. Who did it first stays."""
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        version = SetupVersion.objects.select_for_update().filter(pk=version_id).first()
        if version is None:
            raise NotFound("setup")
        lanes = version.lanes.all()
        if lanes.exists() and not lanes.filter(study__state="open", study__archived_at=None).exists():
            raise Conflict(
                "study_finished",
                "Every study of this sheet is finished or put away.",
                hint="A lead can open one again.",
            )
        own = SheetTick.objects.filter(version=version, on_day=data.on_day, line=data.line)
        if not data.done:
            own.delete()
        elif not own.exists():
            SheetTick.objects.create(version=version, on_day=data.on_day, line=data.line, who=tester)


def parts_by_name(refs: Sequence[PartRef]) -> list[Part]:
    """The parts of these kinds and names, made where they are not there yet, with the price they are told with.

    A part that has a price keeps it. Raises :class:`Problem` for a price without its currency.
    """
    known = {(p.kind, p.name.lower()): p for p in Part.objects.filter(kind__in={ref.kind for ref in refs})}
    missing = {(r.kind, r.name.lower()): r for r in refs if (r.kind, r.name.lower()) not in known}
    made = Part.objects.bulk_create(Part(kind=ref.kind, name=ref.name) for ref in missing.values())
    known |= dict(zip(missing, made, strict=True))
    priced = []
    for ref in refs:
        part = known[ref.kind, ref.name.lower()]
        if isinstance(ref, PricedRef) and ref.price is not None and part.price is None:
            if not ref.currency:
                raise _no_currency()
            part.price, part.currency, part.price_day = ref.price, ref.currency, timezone.localdate()
            priced.append(part)
    Part.objects.bulk_update(priced, ["price", "currency", "price_day"])
    return [known[ref.kind, ref.name.lower()] for ref in refs]


def _no_currency() -> Problem:
    return Problem("no_currency", "A price needs its currency.", field="currency", hint="Three letters, as in EUR.")


def in_sheet_order(parts: Iterable[Part]) -> list[Part]:
    """Parts as a setup sheet lists them."""
    return sorted(parts, key=lambda part: (KIND_IDS.index(part.kind), part.name))


def _kept(lead: User, part: Part, data: PartIn) -> Part:
    facts = checked_facts(data.kind, data.facts)
    known = part.pk is not None
    if data.price is not None and not data.currency:
        raise _no_currency()
    if part.pk and part.setup_versions.filter(frozen=True).exists():
        changed = data.kind != part.kind or data.name != part.name
        lost = [name for name, value in part.facts.items() if facts.get(name) != value]
        if changed or lost:
            raise Conflict(
                "part_in_use",
                f"A run used “{part.name}”: what is written down of it stays.",
                field=f"facts.{lost[0]}" if lost else "name",
                hint="Facts that are missing can be added. For another part, add it under its own name.",
            )
    part.kind, part.facts = data.kind, facts
    for name in _PART_FIELDS:
        setattr(part, name, getattr(data, name))
    try:
        with transaction.atomic():
            part.save()
    except IntegrityError:
        label = kind_named(data.kind).label.lower()
        raise Conflict("part_exists", f"There is already a {label} “{data.name}”.", field="name") from None
    note_edit(lead, "part", part.pk)
    if known:
        versions = set(part.setup_versions.values_list("pk", flat=True))
        setups_changed.send(Part, versions=versions, who=lead)
    return part


def _rebuild_setups(rig: Rig, before: list[Part], after: list[Part]) -> set[int]:
    """Setups whose newest version stands on this rig get its new parts, but for the kinds they had swapped.

    Gives the versions that changed.
    """
    if counted(before) == counted(after):
        return set()
    versions = SetupVersion.objects.filter(rig=rig).select_related("setup").prefetch_related("parts", "settings")
    newest: dict[int, SetupVersion] = {}
    for version in versions.order_by("number"):
        newest[version.setup_id] = version
    current = {v.pk for v in newest.values() if not v.setup.versions.filter(number__gt=v.number).exists()}
    changed = set()
    for version in (v for v in newest.values() if v.pk in current):
        swapped = swapped_parts(version.parts.all(), before)
        editable = _editable(version)
        put_into_setup(editable, _assembled(rig, swapped))
        changed.add(editable.pk)
    return changed


def swapped_parts(parts: Iterable[Part], rig_parts: Iterable[Part]) -> list[Part]:
    """Parts of a setup whose kind is not filled as in the rig: of a kind, all or none."""
    own, mine = by_kind(rig_parts), by_kind(parts)
    return [p for kind, found in mine.items() if counted(found) != counted(own.get(kind, [])) for p in found]


def by_kind(parts: Iterable[Part]) -> dict[str, list[Part]]:
    """Parts by their kind."""
    found: dict[str, list[Part]] = {}
    for part in parts:
        found.setdefault(part.kind, []).append(part)
    return found


def counted(parts: Iterable[Part]) -> Counter[int]:
    """How many of each part there are."""
    return Counter(part.pk for part in parts)


def put_into_rig(rig: Rig, parts: Iterable[Part]) -> None:
    """Make these the parts of a rig."""
    RigPart.objects.filter(rig=rig).delete()
    RigPart.objects.bulk_create(RigPart(rig=rig, part=part) for part in parts)


def put_into_setup(version: SetupVersion, parts: Iterable[Part]) -> None:
    """Make these the parts of a version."""
    SetupPart.objects.filter(version=version).delete()
    SetupPart.objects.bulk_create(SetupPart(version=version, part=part) for part in parts)


def _assembled(rig: Rig | None, swaps: Sequence[Part]) -> list[Part]:
    """The rig's parts, but those of a kind that is swapped."""
    kinds = {part.kind for part in swaps}
    base = [part for part in rig.parts.all() if part.kind not in kinds] if rig else []
    return [*base, *swaps]


def _editable(version: SetupVersion) -> SetupVersion:
    """The version itself, or the next one with the same content where a run used it."""
    if not version.frozen:
        return version
    parts, settings = list(version.parts.all()), list(version.settings.all())
    following = SetupVersion.objects.create(setup=version.setup, number=version.number + 1, rig=version.rig)
    put_into_setup(following, parts)
    Setting.objects.bulk_create(
        Setting(version=following, position=s.position, name=s.name, value=s.value) for s in settings
    )
    return following


def _rig(rig_id: int | None) -> Rig | None:
    if rig_id is None:
        return None
    rig = Rig.objects.prefetch_related("parts").filter(pk=rig_id).first()
    if rig is None:
        raise NotFound("rig")
    return rig


def _new_setup(name: str) -> Setup:
    try:
        with transaction.atomic():
            return Setup.objects.create(name=name)
    except IntegrityError:
        raise _name_taken(name) from None


def _name_taken(name: str) -> Conflict:
    return Conflict("setup_exists", f"There is already a setup “{name}”.", field="name", hint="Choose another name.")


def _check_parts(refs: Sequence[PartRef]) -> None:
    for ref in refs:
        kind_named(ref.kind)


def _check_settings(data: SetupIn) -> None:
    names = [setting.name.lower() for setting in data.settings]
    for setting in data.settings:
        if names.count(setting.name.lower()) > 1:
            raise Problem("setting_twice", f"The setting “{setting.name}” stands there twice.", field="settings")
