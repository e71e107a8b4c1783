"""A file that has grown since it was sent: of the same name and machine, longer, with the same beginning."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

import clock
from django.contrib.auth.models import User
from django.db import transaction
from people.models import Machine
from studies.deciding import decide_again
from studies.events import CapturesCame, tell
from studies.record import note
from studies.services import open_study

from intake import reading
from intake.bounded import bounded
from intake.measuring import measure, settings_for
from intake.models import (
    AllFigures,
    Arrival,
    ArrivalState,
    Capture,
    CaptureFigures,
    CaptureProfile,
    Channel,
    FileRole,
    PassFile,
)
from intake.recording import file_name

#: Nobody writes at one capture for longer than this.
_SINCE = timedelta(days=1)


def grown_from(machine: Machine, name: str | None, content: bytes) -> Arrival | None:
    """What a file was when it was sent last, if it has grown since."""
    last = Arrival.objects.filter(
        machine=machine, name=file_name(name), size__gt=0, size__lt=len(content),
        arrived_at__gte=clock.now() - _SINCE,
    ).select_related("original", "study").order_by("-pk").first()  # fmt: skip
    return last if last is not None and content.startswith(last.original.whole()) else None


def replace_grown(tester: User, capture: Capture, arrival: Arrival, columns: dict[str, Any]) -> None:
    """Let a file that has grown be the frames of the pass that it was: measured, checked and decided on anew.

    What it was before is set aside, byte for byte. Raises :class:`CaptureRefused` where it cannot be read as a whole.
    """
    one = capture.on_pass
    found = bounded(reading.read, arrival.original.whole(), columns, settings_for(arrival.study, one))
    with transaction.atomic():
        study = open_study(arrival.study_id)
        capture = Capture.objects.select_for_update(of=("self",)).select_related("arrival").get(pk=capture.pk)
        before = capture.arrival
        PassFile.objects.filter(on_pass=one, role=FileRole.FRAMES).update(arrival=arrival)
        capture.arrival, capture.columns = arrival, columns
        capture.source_flags = list(found.kept.source_flags)
        capture.frames_digest, capture.length_s = found.digest, found.duration_s
        capture.current, capture.basis = None, ""
        capture.save()
        # Figures of half a run are of nothing: whoever wants them has the half that was set aside.
        AllFigures.objects.filter(row__capture=capture).delete()
        CaptureFigures.objects.filter(capture=capture).delete()
        CaptureProfile.objects.filter(capture=capture).delete()
        Channel.objects.filter(capture=capture).delete()
        Channel.objects.bulk_create(
            Channel(capture=capture, name=name, data=data) for name, data in found.kept.arrays.items()
        )
        Arrival.objects.filter(pk=before.pk).update(state=ArrivalState.SET_ASIDE)
        Arrival.objects.filter(pk=arrival.pk).update(state=ArrivalState.TAKEN, refusal=None)
        measure(Capture.objects.get(pk=capture.pk), settings_for(study, one))
        note(
            study,
            tester,
            "took the whole of a file that has grown",
            f"{arrival.name}: {before.size} → {arrival.size} bytes",
            one,
        )
        decide_again(tester, study, one, f"{arrival.name} has grown since")
        tell(CapturesCame(study, (one.pk,)))
