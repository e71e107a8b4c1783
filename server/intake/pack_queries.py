"""What one can ask about packs: how far each has come, and what became of each file."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

from django.db.models import Count
from problems import NotFound
from studies.models import Study

from intake.models import EntryState, Pack, PackEntry
from intake.schemas import EntryOut, PackDetail, PackOut


def packs_of(study_id: int) -> list[PackOut]:
    """The packs of a study, newest first, with how far each has come. Raises :class:`NotFound`."""
    if not Study.objects.filter(pk=study_id).exists():
        raise NotFound("study")
    packs = list(Pack.objects.filter(study=study_id).select_related("by"))
    counts: dict[int, dict[str, int]] = {}
    rows = PackEntry.objects.filter(pack__in=packs).values_list("pack", "state").annotate(n=Count("pk"))
    for pack, state, number in rows.order_by("pack"):
        counts.setdefault(pack, {})[state] = number
    return [pack_out(pack, counts.get(pack.pk, {})) for pack in packs]


def pack_detail(pack_id: int) -> PackDetail:
    """What became of every file of a pack. Raises :class:`NotFound`."""
    pack = Pack.objects.select_related("by").filter(pk=pack_id).first()
    if pack is None:
        raise NotFound("pack")
    entries = list(pack.entries.order_by("position"))
    counts: dict[str, int] = {}
    for entry in entries:
        counts[entry.state] = counts.get(entry.state, 0) + 1
    return PackDetail(
        pack=pack_out(pack, counts),
        entries=[EntryOut(name=one.name, state=one.state, words=one.words) for one in entries],
    )


def pack_out(pack: Pack, counts: Mapping[str, int] = MappingProxyType({})) -> PackOut:
    """A pack with the number of its files in each state."""
    return PackOut(
        id=pack.pk, name=pack.name, size=pack.size, state=pack.state, made_at=pack.made_at, by=pack.by.get_username(),
        files=sum(counts.values()), **{state.value: counts.get(state, 0) for state in EntryState},
    )  # fmt: skip
