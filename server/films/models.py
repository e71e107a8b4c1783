"""Film strips: a pass's rate, frame times and stutters in its own time, to be laid over footage."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from django.db.models import F, Q
from storing import Held
from studies.models import HIDDEN, Study, Test


class FilmState(models.TextChoices):
    """How far a film strip has come."""

    WAITING = "waiting", "Waiting"
    RUNNING = "running", "Being made"
    READY = "ready", "Ready"
    FAILED = "failed", "Not made"


#: Pictures a second that footage has.
RATES = (25, 30, 50, 60)


class SeenFilms(models.Manager["Film"]):
    """Those of studies that are not hidden from whoever asks."""

    def get_queryset(self) -> models.QuerySet[Film]:
        """Without those of studies that are kept to others, or removed."""
        found, hidden = super().get_queryset().filter(study__removed_at=None), HIDDEN.get()
        return found.exclude(study__in=hidden) if hidden else found


class Film(Held):
    """A film strip that somebody asked for. It can be made again at any time, and is kept some days."""

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="films")
    test = models.ForeignKey(Test, on_delete=models.CASCADE, related_name="+")
    #: Which stretch of which passes, as a report prints them.
    asked = models.JSONField()
    rate = models.PositiveSmallIntegerField()
    #: Of which colour its letters are: light ones for dark footage.
    letters = models.CharField(max_length=5)
    #: What it shows, in words.
    said = models.CharField(max_length=400)
    state = models.CharField(max_length=8, choices=FilmState.choices, default=FilmState.WAITING)
    #: So many of its pictures are painted, of so many.
    done = models.PositiveIntegerField(default=0)
    pictures = models.PositiveIntegerField()
    #: Why it was not made.
    words = models.CharField(max_length=600, blank=True)
    size = models.PositiveBigIntegerField(default=0)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    objects = SeenFilms()
    all_films = models.Manager["Film"]()

    class Meta:
        ordering = ["-at", "-pk"]
        default_manager_name = "all_films"
        constraints = [
            models.CheckConstraint(condition=Q(state__in=FilmState.values), name="film_state_known"),
            models.CheckConstraint(condition=Q(rate__in=RATES), name="film_rate_known"),
            models.CheckConstraint(condition=Q(letters__in=["light", "dark"]), name="film_letters_known"),
            models.CheckConstraint(condition=Q(done__lte=F("pictures")), name="film_done_of_all"),
        ]

    def __str__(self) -> str:
        return self.said
