"""Games, their scenes, and the conditions they are run under."""

from __future__ import annotations

from django.db import models
from django.db.models.functions import Lower


class Game(models.Model):
    """A game. `engine_cap_fps` is a rate its engine never exceeds, where one is known."""

    name = models.CharField(max_length=120)
    genre = models.CharField(max_length=60, blank=True)
    engine_cap_fps = models.FloatField(null=True, blank=True)

    class Meta:
        ordering = ["name"]
        constraints = [
            models.UniqueConstraint(Lower("name"), name="game_once"),
            models.CheckConstraint(condition=~models.Q(name=""), name="game_named"),
            models.CheckConstraint(
                condition=models.Q(engine_cap_fps__isnull=True) | models.Q(engine_cap_fps__gt=0),
                name="game_cap_above_0",
            ),
        ]

    def __str__(self) -> str:
        return self.name


class SceneKind(models.TextChoices):
    """How a scene repeats, best first."""

    BENCHMARK = "benchmark", "Built-in benchmark"
    REPLAY = "replay", "Replay"
    SCRIPTED = "scripted", "Scripted section"
    ROUTE = "route", "Walked route"
    LIVE = "live", "Live play"


class Scene(models.Model):
    """A repeatable stretch of a game, so described that a colleague could repeat it."""

    game = models.ForeignKey(Game, on_delete=models.PROTECT, related_name="scenes")
    name = models.CharField(max_length=120)
    kind = models.CharField(max_length=12, choices=SceneKind.choices, default=SceneKind.ROUTE)
    length_s = models.PositiveIntegerField(default=60)
    start = models.TextField(blank=True)
    route = models.TextField(blank=True)
    end = models.TextField(blank=True)

    class Meta:
        ordering = ["game__name", "name"]
        constraints = [
            models.UniqueConstraint("game", Lower("name"), name="scene_once"),
            models.CheckConstraint(condition=models.Q(kind__in=SceneKind.values), name="scene_kind_known"),
            models.CheckConstraint(condition=models.Q(length_s__gt=0), name="scene_length_above_0"),
        ]

    def __str__(self) -> str:
        return f"{self.game}, {self.name}"


class Condition(models.Model):
    """What the game is told: a named set of resolution, preset and the like."""

    name = models.CharField(max_length=120)
    resolution = models.CharField(max_length=40, blank=True)
    preset = models.CharField(max_length=60, blank=True)
    frame_limit_fps = models.FloatField(null=True, blank=True)

    class Meta:
        ordering = ["name"]
        constraints = [
            models.UniqueConstraint(Lower("name"), name="condition_once"),
            models.CheckConstraint(
                condition=models.Q(frame_limit_fps__isnull=True) | models.Q(frame_limit_fps__gt=0),
                name="condition_limit_above_0",
            ),
        ]

    def __str__(self) -> str:
        return self.name
