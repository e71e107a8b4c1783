"""Data packages that are read back as studies, and how far each has come."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from django.db.models import Q
from intake.pieces import InPieces
from storing import Held
from studies.models import Study


class BroughtState(models.TextChoices):
    """How far a package that is read back has come."""

    ARRIVING = "arriving", "Being sent"
    RUNNING = "running", "Being read back"
    DONE = "done", "Read back"
    REFUSED = "refused", "Refused"


class Brought(InPieces):
    """A data package that was brought, and the study that was made of it."""

    state = models.CharField(max_length=10, choices=BroughtState.choices, default=BroughtState.ARRIVING)
    #: Why it was refused; or what has another name here, since the bench had something else of its own.
    words = models.TextField(blank=True)
    #: How many captures it holds, once that is known.
    captures = models.PositiveIntegerField(default=0)
    study = models.OneToOneField(Study, on_delete=models.PROTECT, null=True, blank=True, related_name="brought")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")

    class Meta:
        ordering = ["-made_at", "-id"]
        constraints = [models.CheckConstraint(condition=Q(state__in=BroughtState.values), name="brought_state_known")]


class BroughtPiece(Held):
    """Some of the bytes of a package, as they were sent one piece after the other."""

    of = models.ForeignKey(Brought, on_delete=models.PROTECT, related_name="pieces")
    position = models.PositiveIntegerField()

    class Meta:
        ordering = ["of", "position"]
        constraints = [models.UniqueConstraint(fields=["of", "position"], name="brought_piece_once")]

    def __str__(self) -> str:
        return f"{self.of}, piece {self.position}"
