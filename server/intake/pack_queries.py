"""What one can ask about packs: how far each has come, and what became of each file."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from types import MappingProxyType

from django.db.models import Count
from problems import NotFound
from procrastinate.contrib.django.models import ProcrastinateJob
from rennbahn.comparing.sentences import listed
from studies.models import HIDDEN, Study

from intake.models import EntryState, Pack, PackEntry, PackState
from intake.schemas import EntryOut, PackDetail, PackOut
from intake.tasks import QUEUE, take_in_pack


def packs_of(study_id: int) -> list[PackOut]:
    """The packs of a study, newest first, with how far each has come. Raises :class:`NotFound`."""
    if not Study.objects.filter(pk=study_id).exists():
        raise NotFound("study")
    packs = list(Pack.objects.filter(study=study_id).select_related("by"))
    elsewhere = dict(
        PackEntry.objects.filter(pack__in=packs, also_in__isnull=False)
        .values_list("pack").annotate(n=Count("pk")).order_by()
    )  # fmt: skip
    behind = _behind([pack.pk for pack in packs if pack.state == PackState.RUNNING])
    counts: dict[int, dict[str, int]] = {}
    rows = PackEntry.objects.filter(pack__in=packs).values_list("pack", "state").annotate(n=Count("pk"))
    for pack, state, number in rows.order_by("pack"):
        counts.setdefault(pack, {})[state] = number
    return [
        pack_out(pack, counts.get(pack.pk, {}), elsewhere.get(pack.pk, 0), behind.get(pack.pk, "")) for pack in packs
    ]


def _behind(packs: Sequence[int]) -> dict[int, str]:
    """What the worker does, or has to do, before each of some packs, in words; nothing of those it is at."""
    if not packs:
        return {}
    waits = ProcrastinateJob.objects.filter(queue_name=QUEUE, status__in=("todo", "doing")).order_by("pk")
    jobs = list(waits.values_list("pk", "status", "task_name", "args"))
    own = {args["pack_id"]: (pk, status) for pk, status, name, args in jobs if name == take_in_pack.name}
    names = dict(Pack.objects.filter(pk__in=own).exclude(study__in=HIDDEN.get()).values_list("pk", "name"))
    found = {}
    for pack in packs:
        pk, status = own.get(pack, (0, "doing"))
        if status == "doing":
            continue
        before = [(name, args) for other, state, name, args in jobs if other < pk or state == "doing"]
        ahead = [f"“{names.get(args['pack_id'], 'a pack')}”" for name, args in before if name == take_in_pack.name]
        rest = len(before) - len(ahead)
        if rest:
            ahead.append(f"{rest} {'job' if rest == 1 else 'jobs'} of measuring or checking")
        found[pack] = listed(ahead)
    return found


def pack_detail(pack_id: int) -> PackDetail:
    """What became of every file of a pack. Raises :class:`NotFound`."""
    pack = Pack.objects.select_related("by").filter(pk=pack_id).first()
    if pack is None:
        raise NotFound("pack")
    entries = list(pack.entries.select_related("also_in").order_by("position"))
    counts: dict[str, int] = {}
    for entry in entries:
        counts[entry.state] = counts.get(entry.state, 0) + 1
    return PackDetail(
        pack=pack_out(pack, counts, sum(one.also_in_id is not None for one in entries)),
        entries=[
            EntryOut(
                name=one.name,
                state=one.state,
                words=one.words,
                also_in=one.also_in.question if one.also_in and one.also_in_id not in HIDDEN.get() else "",
            )
            for one in entries
        ],
    )


def pack_out(
    pack: Pack, counts: Mapping[str, int] = MappingProxyType({}), elsewhere: int = 0, behind: str = ""
) -> PackOut:
    """A pack with the number of its files in each state, of those that another study has, and what it waits behind."""
    return PackOut(
        id=pack.pk, name=pack.name, size=pack.size, state=pack.state, made_at=pack.made_at, by=pack.by.get_username(),
        files=sum(counts.values()), elsewhere=elsewhere, behind=behind,
        **{state.value: counts.get(state, 0) for state in EntryState},
    )  # fmt: skip
