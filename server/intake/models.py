"""What arrived, byte for byte, and what was measured of it."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from django.db.models import Q
from studies.models import Pass, Study


class ArrivalState(models.TextChoices):
    """What became of a file."""

    WAITING = "waiting", "Waiting to be assigned"
    TAKEN = "taken", "Taken as a pass"
    SET_ASIDE = "set_aside", "Set aside"


class Arrival(models.Model):
    """A file that was handed in. The same bytes arrive once a study, unless the earlier ones were set aside."""

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="arrivals")
    name = models.CharField(max_length=255)
    size = models.PositiveBigIntegerField()
    sha256 = models.CharField(max_length=64)
    state = models.CharField(max_length=10, choices=ArrivalState.choices, default=ArrivalState.WAITING)
    arrived_at = models.DateTimeField(auto_now_add=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="arrivals")
    #: Header, first rows, proposed column map and its reasons; empty where the file is no capture at all.
    proposal = models.JSONField(default=dict)
    #: Files with the same key look alike, so that one confirmation does for all.
    header_key = models.CharField(max_length=64, blank=True)
    #: Why it was refused last: reason, message, row, line, hint.
    refusal = models.JSONField(null=True, blank=True)

    class Meta:
        ordering = ["name", "id"]
        constraints = [
            models.UniqueConstraint(
                fields=["study", "sha256"], condition=~Q(state="set_aside"), name="same_file_is_not_two_passes"
            ),
            models.CheckConstraint(condition=Q(state__in=ArrivalState.values), name="arrival_state_known"),
        ]

    def __str__(self) -> str:
        return self.name


class Original(models.Model):
    """The bytes of a file, in a table of their own so that no list ever reads them."""

    arrival = models.OneToOneField(Arrival, on_delete=models.CASCADE, related_name="original", primary_key=True)
    content = models.BinaryField()

    def __str__(self) -> str:
        return str(self.arrival)


class SavedMap(models.Model):
    """A column map that a person confirmed, offered again for files with the same header."""

    header_key = models.CharField(max_length=64, unique=True)
    name = models.CharField(max_length=120)
    columns = models.JSONField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="saved_maps")
    at = models.DateTimeField(auto_now=True)

    def __str__(self) -> str:
        return self.name


class Capture(models.Model):
    """The capture of a pass: which file, read by which column map, seen through which window."""

    on_pass = models.OneToOneField(Pass, on_delete=models.CASCADE, related_name="capture")
    arrival = models.OneToOneField(Arrival, on_delete=models.PROTECT, related_name="capture")
    columns = models.JSONField()
    source_flags = models.JSONField(default=list)
    window_from_s = models.FloatField(null=True, blank=True)
    window_to_s = models.FloatField(null=True, blank=True)

    class Meta:
        constraints = [
            models.CheckConstraint(
                condition=Q(window_from_s__isnull=True, window_to_s__isnull=True)
                | Q(window_to_s__gt=models.F("window_from_s")),
                name="window_runs_forward",
            ),
        ]

    def __str__(self) -> str:
        return f"capture of {self.on_pass}"


class Channel(models.Model):
    """One array of a capture, packed by the core. `frame_ms` holds the frame times."""

    capture = models.ForeignKey(Capture, on_delete=models.CASCADE, related_name="channels")
    name = models.CharField(max_length=40)
    data = models.BinaryField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["capture", "name"], name="channel_once")]

    def __str__(self) -> str:
        return f"{self.name} of {self.capture}"


class Measurement(models.Model):
    """The figures of a capture, with what they were made by: version of the measures, window and settings."""

    capture = models.OneToOneField(Capture, on_delete=models.CASCADE, related_name="measurement")
    basis = models.JSONField()
    figures = models.JSONField()
    headline = models.JSONField()
    curve = models.BinaryField()

    def __str__(self) -> str:
        return f"figures of {self.capture}"
