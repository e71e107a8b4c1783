"""Packs of many files, and what became of each."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from django.db.models import Q
from storing import Held
from studies.models import Study

from intake.models.files import Arrival
from intake.pieces import InPieces


class PackState(models.TextChoices):
    """How far a pack of files has come."""

    ARRIVING = "arriving", "Being sent"
    RUNNING = "running", "Being taken in"
    CANCELLED = "cancelled", "Cancelled"
    DONE = "done", "Through"


class Pack(InPieces):
    """A zip of many files that the worker takes in, one after the other."""

    study = models.ForeignKey(Study, on_delete=models.PROTECT, related_name="packs")
    state = models.CharField(max_length=10, choices=PackState.choices, default=PackState.ARRIVING)
    #: The zone in whose clock the zip tells its files' times; empty where nobody said.
    zone = models.CharField(max_length=60, blank=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="packs")

    class Meta:
        ordering = ["-made_at", "-id"]
        constraints = [models.CheckConstraint(condition=Q(state__in=PackState.values), name="pack_state_known")]


class PackPiece(Held):
    """Some of the bytes of a pack, as they were sent one piece after the other."""

    pack = models.ForeignKey(Pack, on_delete=models.PROTECT, related_name="pieces")
    position = models.PositiveIntegerField()

    class Meta:
        ordering = ["pack", "position"]
        constraints = [models.UniqueConstraint(fields=["pack", "position"], name="piece_once")]

    def __str__(self) -> str:
        return f"{self.pack}, piece {self.position}"


class EntryState(models.TextChoices):
    """What became of a file of a pack."""

    WAITING = "waiting", "Waits its turn"
    TAKEN = "taken", "Taken as a pass"
    KEPT = "kept", "Waits for a place"
    KNOWN = "known", "There already"
    REFUSED = "refused", "Refused"


class PackEntry(models.Model):
    """One file of a pack, and what became of it in words."""

    pack = models.ForeignKey(Pack, on_delete=models.PROTECT, related_name="entries")
    position = models.PositiveIntegerField()
    name = models.CharField(max_length=400)
    state = models.CharField(max_length=10, choices=EntryState.choices, default=EntryState.WAITING)
    words = models.CharField(max_length=300, blank=True)
    arrival = models.ForeignKey(Arrival, on_delete=models.PROTECT, null=True, blank=True, related_name="entries")
    #: Another study that has the same file.
    also_in = models.ForeignKey(Study, on_delete=models.SET_NULL, null=True, blank=True, related_name="+")

    class Meta:
        ordering = ["pack", "position"]
        constraints = [
            models.UniqueConstraint(fields=["pack", "position"], name="entry_once"),
            models.CheckConstraint(condition=Q(state__in=EntryState.values), name="entry_state_known"),
        ]
        indexes = [models.Index(fields=["pack", "state"], name="entries_that_wait")]

    def __str__(self) -> str:
        return self.name
