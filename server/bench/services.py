"""What one can do on the bench."""

from __future__ import annotations

from collections.abc import Sequence

from django.contrib.auth.models import AnonymousUser, User
from django.db import IntegrityError, transaction
from people.access import require
from people.models import Role
from problems import Conflict, NotFound, Problem

from bench.models import Part, PartKind, Setting, Setup, SetupVersion
from bench.schemas import PartIn, PartRef, SettingIn, SetupIn


def add_part(user: User | AnonymousUser, data: PartIn) -> Part:
    """Add a part. Raises :class:`Conflict` where the kind has one of that name."""
    require(user, Role.LEAD)
    _known_kind(data.kind)
    try:
        with transaction.atomic():
            return Part.objects.create(kind=data.kind, name=data.name, notes=data.notes)
    except IntegrityError:
        raise Conflict("part_exists", f"There is already a {data.kind} “{data.name}”.", field="name") from None


def save_setup(user: User | AnonymousUser, data: SetupIn, setup_id: int | None = None) -> SetupVersion:
    """Make a setup, or edit one: in place while no run used its newest version, else as the next version."""
    require(user, Role.LEAD)
    _check(data)
    with transaction.atomic():
        if setup_id is None:
            setup = _new_setup(data.name)
            version = SetupVersion.objects.create(setup=setup, number=1)
        else:
            found = Setup.objects.select_for_update().filter(pk=setup_id).first()
            if found is None:
                raise NotFound("setup")
            setup = found
            version = setup.versions.order_by("-number")[:1].get()
            if version.frozen:
                version = SetupVersion.objects.create(setup=setup, number=version.number + 1)
            if setup.name != data.name:
                setup.name = data.name
                try:
                    with transaction.atomic():
                        setup.save()
                except IntegrityError:
                    raise _name_taken(data.name) from None
        version.parts.set(parts_by_name(data.parts))
        version.settings.all().delete()
        Setting.objects.bulk_create(
            Setting(version=version, position=i, name=s.name, value=s.value) for i, s in enumerate(data.settings)
        )
    return version


def freeze(version: SetupVersion) -> None:
    """Note that a run used this version."""
    if not version.frozen:
        SetupVersion.objects.filter(pk=version.pk).update(frozen=True)


def parts_by_name(refs: Sequence[PartRef]) -> list[Part]:
    """The parts of these kinds and names, made where they are not there yet."""
    known = {(p.kind, p.name.lower()): p for p in Part.objects.filter(kind__in={ref.kind for ref in refs})}
    missing = {(r.kind, r.name.lower()): r for r in refs if (r.kind, r.name.lower()) not in known}
    made = Part.objects.bulk_create(Part(kind=ref.kind, name=ref.name) for ref in missing.values())
    known |= dict(zip(missing, made, strict=True))
    return [known[ref.kind, ref.name.lower()] for ref in refs]


def _new_setup(name: str) -> Setup:
    try:
        with transaction.atomic():
            return Setup.objects.create(name=name)
    except IntegrityError:
        raise _name_taken(name) from None


def _name_taken(name: str) -> Conflict:
    return Conflict("setup_exists", f"There is already a setup “{name}”.", field="name", hint="Choose another name.")


def _check(data: SetupIn) -> None:
    for ref in data.parts:
        _known_kind(ref.kind)
    if len({(ref.kind, ref.name.lower()) for ref in data.parts}) < len(data.parts):
        raise Problem("part_twice", "The setup names a part twice.", field="parts")
    names = [setting.name.lower() for setting in data.settings]
    for setting in data.settings:
        if names.count(setting.name.lower()) > 1:
            raise Problem("setting_twice", f"The setting “{setting.name}” stands there twice.", field="settings")


def _known_kind(kind: str) -> None:
    if kind not in PartKind.values:
        raise Problem("unknown_kind", f"{kind!r} is no kind of part: {', '.join(PartKind.values)}.", field="kind")


def as_refs(version: SetupVersion) -> tuple[list[PartRef], list[SettingIn]]:
    """Parts and settings of a version, for schemas."""
    parts = [PartRef(kind=p.kind, name=p.name) for p in version.parts.all()]
    order = list(PartKind.values)
    parts.sort(key=lambda p: (order.index(p.kind), p.name))
    return parts, [SettingIn(name=s.name, value=s.value) for s in version.settings.all()]
