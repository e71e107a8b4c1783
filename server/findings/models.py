"""What the eye gets for a step of a scaling study: the reviewer's note, with a picture of either side."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from django.db.models import F, Q
from storing import Held
from studies.models import Lane, Study


class EyeNote(models.Model):
    """What a reviewer sees from one lane to another. It has at most one picture of each."""

    study = models.ForeignKey(Study, on_delete=models.PROTECT, related_name="eye_notes")
    from_lane = models.ForeignKey(Lane, on_delete=models.CASCADE, related_name="+")
    to_lane = models.ForeignKey(Lane, on_delete=models.CASCADE, related_name="+")
    words = models.TextField(blank=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["from_lane__position", "to_lane__position"]
        constraints = [
            models.UniqueConstraint(fields=["from_lane", "to_lane"], name="eye_note_once"),
            models.CheckConstraint(condition=~Q(from_lane=F("to_lane")), name="eye_note_of_two_lanes"),
        ]

    def __str__(self) -> str:
        return f"{self.from_lane} to {self.to_lane}"


class Side(models.TextChoices):
    """Which lane a picture is of."""

    FROM = "from", "From"
    TO = "to", "To"


class EyePicture(Held):
    """A picture as it was handed in. Lists never read its bytes."""

    note = models.ForeignKey(EyeNote, on_delete=models.CASCADE, related_name="pictures")
    side = models.CharField(max_length=4, choices=Side.choices)
    name = models.CharField(max_length=200)
    media_type = models.CharField(max_length=40)
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    sha256 = models.CharField(max_length=64)

    class Meta:
        ordering = ["side"]
        constraints = [
            models.UniqueConstraint(fields=["note", "side"], name="eye_picture_of_a_side"),
            models.CheckConstraint(condition=Q(side__in=Side.values), name="eye_picture_side_known"),
        ]

    def __str__(self) -> str:
        return f"{self.note}, {self.side}"
