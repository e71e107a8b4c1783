"""What one can ask of the bench."""

from __future__ import annotations

from django.db.models import Count, OuterRef, Subquery
from problems import NotFound

from bench.models import Part, Setup, SetupVersion
from bench.schemas import PartOut, SetupOut
from bench.services import as_refs


def all_parts() -> list[PartOut]:
    """All parts, by kind and name."""
    found = Part.objects.annotate(used=Count("setup_versions__setup", distinct=True)).order_by("kind", "name")
    return [PartOut(id=p.pk, kind=p.kind, name=p.name, notes=p.notes, setups=p.used) for p in found]


def all_setups() -> list[SetupOut]:
    """The newest version of every setup."""
    newest = SetupVersion.objects.filter(setup=OuterRef("pk")).order_by("-number").values("pk")[:1]
    ids = Setup.objects.annotate(newest=Subquery(newest)).values_list("newest", flat=True)
    versions = SetupVersion.objects.filter(pk__in=[i for i in ids if i is not None])
    found = versions.select_related("setup").prefetch_related("parts", "settings").order_by("setup__name")
    return [setup_out(version) for version in found]


def setup_version(version_id: int) -> SetupVersion:
    """One version with its parts and settings. Raises :class:`NotFound`."""
    found = SetupVersion.objects.select_related("setup").prefetch_related("parts", "settings").filter(pk=version_id)
    version = found.first()
    if version is None:
        raise NotFound("setup")
    return version


def setup_out(version: SetupVersion) -> SetupOut:
    """A version as the API gives it."""
    parts, settings = as_refs(version)
    return SetupOut(
        id=version.setup_id,
        version_id=version.pk,
        name=version.setup.name,
        version=version.number,
        frozen=version.frozen,
        parts=parts,
        settings=settings,
    )
