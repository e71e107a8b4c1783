"""What arrived, byte for byte, and what it is to its pass. Nothing here is deleted with what it belongs to."""

from __future__ import annotations

import clock
from django.conf import settings
from django.db import models
from django.db.models import Q
from people.models import Machine
from rennbahn.capture.pack import unpack_bytes
from storing import Held
from studies.models import Pass, Study


class ArrivalState(models.TextChoices):
    """What became of a file."""

    WAITING = "waiting", "Waiting to be assigned"
    TAKEN = "taken", "Taken as a pass"
    SET_ASIDE = "set_aside", "Set aside"


class Arrival(models.Model):
    """A file that was handed in. The same bytes arrive once a study, unless the earlier ones were set aside."""

    study = models.ForeignKey(Study, on_delete=models.PROTECT, related_name="arrivals")
    name = models.CharField(max_length=255)
    size = models.PositiveBigIntegerField()
    sha256 = models.CharField(max_length=64)
    state = models.CharField(max_length=10, choices=ArrivalState.choices, default=ArrivalState.WAITING)
    arrived_at = models.DateTimeField(default=clock.now)
    #: When the file was last written on the machine it comes from, where that machine told.
    written_at = models.DateTimeField(null=True, blank=True)
    #: The test machine that sent it by itself.
    machine = models.ForeignKey(Machine, on_delete=models.PROTECT, null=True, blank=True, related_name="+")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="arrivals")
    #: Header, first rows, proposed column map and its reasons; empty where the file is no capture at all.
    proposal = models.JSONField(default=dict)
    #: Files with the same key look alike, so that one confirmation does for all.
    header_key = models.CharField(max_length=64, blank=True)
    #: Why it was refused last: reason, message, row, line, hint.
    refusal = models.JSONField(null=True, blank=True)
    #: Of a file that a machine sent and nobody could place: why it waits, for which pass it is likeliest, and of
    #: samples for the frames of which run. No foreign keys: the pass may be planned no more.
    waits_why = models.CharField(max_length=200, blank=True)
    likely_pass_id = models.BigIntegerField(null=True, blank=True)
    for_run_id = models.BigIntegerField(null=True, blank=True)

    class Meta:
        ordering = ["name", "id"]
        constraints = [
            models.UniqueConstraint(
                fields=["study", "sha256"], condition=~Q(state="set_aside"), name="same_file_is_not_two_passes"
            ),
            models.CheckConstraint(condition=Q(state__in=ArrivalState.values), name="arrival_state_known"),
        ]
        indexes = [
            models.Index(fields=["study", "state"], name="files_that_wait"),
            models.Index(fields=["sha256"], name="same_file_elsewhere"),
            models.Index(fields=["machine", "name", "-id"], name="same_file_before"),
        ]

    def __str__(self) -> str:
        return self.name


#: How originals are packed at rest (see :func:`rennbahn.capture.pack.pack_bytes`).
PACKING = "zstd"


class Original(Held):
    """The bytes of a file, in a table of their own so that no list ever reads them."""

    arrival = models.OneToOneField(Arrival, on_delete=models.PROTECT, related_name="original", primary_key=True)
    #: How the bytes are packed: not at all where they came before there was packing.
    packing = models.CharField(max_length=8, blank=True)

    def __str__(self) -> str:
        return str(self.arrival)

    def whole(self) -> bytes:
        """The file as it came, byte for byte. Raises :class:`storing.StoreFailsError`."""
        content = self.held()
        return unpack_bytes(content, self.arrival.size) if self.packing == PACKING else content


class LetGo(models.Model):
    """A file in the store that no row names any more, and since when (see :mod:`storing`)."""

    stored = models.CharField(max_length=60, unique=True)
    at = models.DateTimeField(db_index=True)

    def __str__(self) -> str:
        return self.stored


class FileRole(models.TextChoices):
    """What a file is to its pass."""

    FRAMES = "frames", "Frames"
    SAMPLES = "samples", "Samples"
    PICTURE = "picture", "Picture"
    CLIP = "clip", "Clip"
    NOTE = "note", "Note"


class PassFile(models.Model):
    """A file of a pass, in its role. A pass has its frames in one file and anything else in any number."""

    on_pass = models.ForeignKey(Pass, on_delete=models.PROTECT, related_name="files")
    arrival = models.OneToOneField(Arrival, on_delete=models.PROTECT, related_name="use")
    role = models.CharField(max_length=8, choices=FileRole.choices)

    class Meta:
        ordering = ["id"]
        constraints = [
            models.UniqueConstraint(fields=["on_pass"], condition=Q(role="frames"), name="frames_in_one_file"),
            models.CheckConstraint(condition=Q(role__in=FileRole.values), name="file_role_known"),
        ]

    def __str__(self) -> str:
        return f"{self.role} of {self.on_pass}"


class SavedMap(models.Model):
    """A column map that a person confirmed, offered again for files with the same header."""

    header_key = models.CharField(max_length=64, unique=True)
    name = models.CharField(max_length=120)
    columns = models.JSONField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="saved_maps")
    at = models.DateTimeField(auto_now=True)

    def __str__(self) -> str:
        return self.name
