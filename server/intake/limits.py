"""How much may wait: what nobody said a place of and what nobody sent whole, by study, test machine and person."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.db.models import Count, Sum
from people.models import Machine
from problems import Conflict
from studies.models import Study

from intake.models import Arrival, ArrivalState, Pack, PackState

#: Files of a study that wait for a place, and their bytes.
MOST_FILES, MOST_BYTES = 5_000, 8 * 2**30
#: Files of one test machine that wait, in whichever studies.
MOST_OF_A_MACHINE = 2_000
#: Packs that one person has half sent.
MOST_HALF_SENT = 4


def check_room(study: Study, machine: Machine | None) -> None:
    """Raises :class:`Conflict` where so much waits already that it has to be looked at first."""
    waits = Arrival.objects.filter(state=ArrivalState.WAITING)
    held = waits.filter(study=study).aggregate(files=Count("pk"), size=Sum("size"))
    if held["files"] >= MOST_FILES or (held["size"] or 0) >= MOST_BYTES:
        told = f"{held['files']:,} files ({(held['size'] or 0) / 2**20:,.0f} MB)"
        raise Conflict(
            "too_many_wait",
            f"{told} of this study wait for a place.",
            hint="Say of them in Hand in where they belong, or set them aside.",
        )
    if machine is not None and waits.filter(machine=machine).count() >= MOST_OF_A_MACHINE:
        raise Conflict(
            "too_many_wait",
            f"{MOST_OF_A_MACHINE:,} files of “{machine}” wait for a place.",
            hint="Say of them in Hand in where they belong, or set them aside; this one is sent again by itself.",
        )


def check_half_sent(tester: User) -> None:
    """Raises :class:`Conflict` where somebody has too many packs half sent."""
    half = list(Pack.objects.filter(by=tester, state=PackState.ARRIVING).order_by("pk"))
    if len(half) >= MOST_HALF_SENT:
        named = ", ".join(f"“{one.name}” ({one.size / 2**20:,.0f} MB)" for one in half[:MOST_HALF_SENT])
        raise Conflict(
            "too_many_half_sent",
            f"{len(half)} packs of yours are half sent: {named}.",
            hint="Throw away in Hand in what is sent no more; after three days it goes by itself.",
        )
