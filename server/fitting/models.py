"""What works together: matrices of parts, and every attempt at a place of one, with its photographs."""

from __future__ import annotations

from bench.models import Part
from django.conf import settings
from django.db import models
from django.db.models import Q
from rennbahn.fitting import OUTCOMES
from storing import Held


class Axis(models.TextChoices):
    """An axis of a matrix; what is between is a third one, and may be missing."""

    ROW = "row", "Row"
    VIA = "via", "Between"
    COLUMN = "column", "Column"


class Matrix(models.Model):
    """Hosts by adapters by cards, boards by processors, kits by boards: whichever its parts are."""

    title = models.CharField(max_length=160)
    rows_are = models.CharField(max_length=40, default="Hosts")
    via_are = models.CharField(max_length=40, blank=True)
    columns_are = models.CharField(max_length=40, default="Cards")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-at", "-pk"]
        verbose_name_plural = "matrices"
        constraints = [models.CheckConstraint(condition=~Q(title=""), name="matrix_has_a_title")]

    def __str__(self) -> str:
        return self.title


class MatrixPart(models.Model):
    """A part on an axis of a matrix."""

    matrix = models.ForeignKey(Matrix, on_delete=models.CASCADE, related_name="parts")
    axis = models.CharField(max_length=6, choices=Axis.choices)
    position = models.PositiveSmallIntegerField()
    part = models.ForeignKey(Part, on_delete=models.PROTECT, related_name="+")

    class Meta:
        ordering = ["axis", "position"]
        constraints = [
            models.CheckConstraint(condition=Q(axis__in=Axis.values), name="matrix_axis_known"),
            models.UniqueConstraint(fields=["matrix", "axis", "part"], name="part_once_an_axis"),
        ]

    def __str__(self) -> str:
        return self.part.name


class FitAttempt(models.Model):
    """An attempt at a place: what was changed for it, what was seen, how it ended. A wrong one is struck out."""

    matrix = models.ForeignKey(Matrix, on_delete=models.CASCADE, related_name="attempts")
    row = models.ForeignKey(MatrixPart, on_delete=models.PROTECT, related_name="+")
    via = models.ForeignKey(MatrixPart, on_delete=models.PROTECT, null=True, blank=True, related_name="+")
    column = models.ForeignKey(MatrixPart, on_delete=models.PROTECT, related_name="+")
    client_id = models.UUIDField(unique=True)
    outcome = models.CharField(max_length=12)
    changed = models.JSONField(default=list, blank=True)
    seen = models.CharField(max_length=600, blank=True)
    generation = models.PositiveSmallIntegerField(null=True, blank=True)
    lanes = models.PositiveSmallIntegerField(null=True, blank=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    struck_why = models.CharField(max_length=300, blank=True)
    struck_by = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True, blank=True, related_name="+"
    )

    class Meta:
        ordering = ["pk"]
        constraints = [
            models.CheckConstraint(condition=Q(outcome__in=OUTCOMES), name="attempt_outcome_known"),
            models.CheckConstraint(
                condition=Q(generation=None, lanes=None) | Q(generation__gte=1, generation__lte=5, lanes__gte=1),
                name="attempt_link_is_whole",
            ),
        ]
        indexes = [models.Index(fields=["matrix", "row", "column"], name="attempts_at_a_place")]

    def __str__(self) -> str:
        return f"{self.row} + {self.column}: {self.outcome}"


class Photograph(Held):
    """A photograph of an attempt. It was painted anew when it came; lists never read its bytes."""

    attempt = models.ForeignKey(FitAttempt, on_delete=models.CASCADE, related_name="photographs")
    words = models.CharField(max_length=300)
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    media_type = models.CharField(max_length=40)
    sha256 = models.CharField(max_length=64)

    class Meta:
        ordering = ["pk"]
        constraints = [models.UniqueConstraint(fields=["attempt", "sha256"], name="photograph_once")]

    def __str__(self) -> str:
        return self.words
