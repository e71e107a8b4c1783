"""The plan of a study: the time there is, the order, and which differences between its lanes were accepted."""

from __future__ import annotations

import datetime

from bench.models import Part
from django.conf import settings
from django.db import models
from django.db.models import Q
from scenes.models import Scene
from studies.models import Study, Test


class Order(models.TextChoices):
    """In which order passes are run."""

    LANE_BY_LANE = "lane_by_lane", "Lane after lane"
    IN_ROUNDS = "in_rounds", "Lane after lane, in rounds"
    ALTERNATING = "alternating", "Lanes in turn, there and back"
    BY_GAME = "by_game", "Lanes in turn within each game"
    RANDOM = "random", "Shuffled within rounds"
    BY_HAND = "by_hand", "By hand"


def _working_days() -> list[int]:
    return [0, 1, 2, 3, 4]


class Plan(models.Model):
    """What a study's plan rests on. Times are the bench's own: no time zone is meant.

    `margin` is the smallest margin that matters, as a share. `costs` holds what differs from the core's defaults, in
    seconds. `sequence` is the order by hand, as pass ids. `weekdays` count from Monday, 0. `control_test` is run where
    each lane begins and ends, so that a drift of the bench shows.
    """

    study = models.OneToOneField(Study, on_delete=models.CASCADE, related_name="plan", primary_key=True)
    margin = models.FloatField(default=0.02)
    most_passes = models.PositiveSmallIntegerField(null=True, blank=True)
    order = models.CharField(max_length=12, choices=Order.choices, default=Order.ALTERNATING)
    seed = models.PositiveIntegerField(default=1)
    sequence = models.JSONField(default=list, blank=True)
    costs = models.JSONField(default=dict, blank=True)
    starts_on = models.DateField()
    day_starts = models.TimeField(default=datetime.time(9))
    #: Hours of each day in which the bench shall stand still: neighbours, a recording next door.
    quiet_from = models.TimeField(null=True, blank=True)
    quiet_to = models.TimeField(null=True, blank=True)
    hours_a_day = models.FloatField(default=8.0)
    weekdays = models.JSONField(default=_working_days)
    deadline = models.DateTimeField(null=True, blank=True)
    #: Days that change what can be run: see :class:`planning.schemas.PlanDate`.
    dates = models.JSONField(default=list, blank=True)
    control_test = models.ForeignKey(Test, on_delete=models.SET_NULL, null=True, blank=True, related_name="+")

    class Meta:
        constraints = [
            models.CheckConstraint(condition=Q(order__in=Order.values), name="plan_order_known"),
            models.CheckConstraint(condition=Q(margin__gt=0, margin__lt=1), name="plan_margin_is_a_share"),
            models.CheckConstraint(condition=Q(hours_a_day__gt=0, hours_a_day__lte=24), name="plan_hours_a_day"),
        ]

    def __str__(self) -> str:
        return f"plan of {self.study}"


class SceneNoise(models.Model):
    """What one study taught about how well a scene repeats: kept by decisions, so that readers only add up.

    `squares` is the sum of squares of ln x within cells, with `df` degrees of freedom over `cells` cells of two and
    more accepted passes.
    """

    study = models.ForeignKey(Study, on_delete=models.PROTECT, related_name="taught")
    scene = models.ForeignKey(Scene, on_delete=models.PROTECT, related_name="noise")
    figure = models.CharField(max_length=32)
    squares = models.FloatField()
    df = models.PositiveIntegerField()
    cells = models.PositiveIntegerField()
    passes = models.PositiveIntegerField()

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["study", "scene", "figure"], name="scene_noise_once"),
            models.CheckConstraint(condition=Q(squares__gte=0), name="scene_noise_is_no_less_than_0"),
        ]
        indexes = [models.Index(fields=["figure", "scene"], name="noise_by_figure")]

    def __str__(self) -> str:
        return f"{self.figure} of {self.scene} in {self.study}"


class SceneTotal(models.Model):
    """What all studies together taught about a scene: the sums of :class:`SceneNoise`, kept with them.

    `passes` and `studies` say what stands behind it.
    """

    scene = models.ForeignKey(Scene, on_delete=models.PROTECT, related_name="noise_of_all")
    figure = models.CharField(max_length=32)
    squares = models.FloatField()
    df = models.PositiveIntegerField()
    cells = models.PositiveIntegerField()
    passes = models.PositiveIntegerField()
    studies = models.PositiveIntegerField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["figure", "scene"], name="scene_total_once")]

    def __str__(self) -> str:
        return f"{self.figure} of {self.scene}"


class SceneFirsts(models.Model):
    """What one study taught about the first pass of a scene's cells: sums that add up over studies.

    `count` cells had a first pass beside others; `weight` and `weighted` are the sums of
    :class:`rennbahn.planning.noise_book.Firsts`, of the average.
    """

    study = models.ForeignKey(Study, on_delete=models.PROTECT, related_name="taught_firsts")
    scene = models.ForeignKey(Scene, on_delete=models.PROTECT, related_name="firsts")
    count = models.PositiveIntegerField()
    weight = models.FloatField()
    weighted = models.FloatField()

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["study", "scene"], name="scene_firsts_once"),
            models.CheckConstraint(condition=Q(weight__gt=0), name="scene_firsts_weigh"),
        ]

    def __str__(self) -> str:
        return f"first passes of {self.scene} in {self.study}"


class PartScatter(models.Model):
    """What one study taught about how a part scatters in a scene: squares of ln x within its cells, as above."""

    study = models.ForeignKey(Study, on_delete=models.PROTECT, related_name="taught_parts")
    scene = models.ForeignKey(Scene, on_delete=models.PROTECT, related_name="scatter_by_part")
    part = models.ForeignKey(Part, on_delete=models.PROTECT, related_name="scatter")
    figure = models.CharField(max_length=32)
    squares = models.FloatField()
    df = models.PositiveIntegerField()
    cells = models.PositiveIntegerField()

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["study", "scene", "part", "figure"], name="part_scatter_once"),
            models.CheckConstraint(condition=Q(squares__gte=0), name="part_scatter_is_no_less_than_0"),
        ]

    def __str__(self) -> str:
        return f"{self.figure} of {self.part} in {self.scene}"


class Acceptance(models.Model):
    """A difference between lanes that a lead accepts, with the reason that prints with every finding.

    It holds for what the difference was then: `about` says so in words, and an acceptance of something else is none.
    """

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="acceptances")
    key = models.CharField(max_length=200)
    label = models.CharField(max_length=200)
    about = models.TextField()
    weight = models.CharField(max_length=8)
    reason = models.CharField(max_length=400)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="acceptances")
    at = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["study", "key"]
        constraints = [
            models.UniqueConstraint(fields=["study", "key"], name="difference_accepted_once"),
            models.CheckConstraint(condition=~Q(reason=""), name="acceptance_has_a_reason"),
        ]

    def __str__(self) -> str:
        return f"{self.label}: {self.reason}"
