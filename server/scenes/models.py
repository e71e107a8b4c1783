"""Games, their scenes, and the conditions they are run under."""

from __future__ import annotations

from django.db import models
from django.db.models.functions import Lower


class Game(models.Model):
    """A game, with what of its engine matters to who measures it.

    `engine_cap_fps` is a rate its engine never exceeds, where one is known.
    """

    name = models.CharField(max_length=120)
    genre = models.CharField(max_length=60, blank=True)
    #: Sets of games that the magazine names, which findings tell apart.
    marks = models.JSONField(default=list, blank=True)
    engine_cap_fps = models.FloatField(null=True, blank=True)
    preset_needs_restart = models.BooleanField(default=False)
    forbids_overlays = models.BooleanField(default=False)
    has_replay = models.BooleanField(default=False)
    has_benchmark = models.BooleanField(default=False)
    notes = models.TextField(blank=True)

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


#: What a scene may lean on.
LEANS_ON = ("processor", "card", "memory", "link", "drive")


class Scene(models.Model):
    """A repeatable stretch of a game, so described that a colleague could repeat it.

    Once a pass of it was run it stays, and what is changed of it becomes its next `version`.

    `warm_up_runs` are run and not counted after each loading of the game; `warm_up` says how in words. `leans_on`
    names what of :data:`LEANS_ON` holds the rate back here. `length_s` is empty until somebody gives it: a guess
    would doubt passes.
    """

    game = models.ForeignKey(Game, on_delete=models.PROTECT, related_name="scenes")
    name = models.CharField(max_length=120)
    version = models.PositiveIntegerField(default=1)
    kind = models.CharField(max_length=12, choices=SceneKind.choices, default=SceneKind.ROUTE)
    length_s = models.PositiveIntegerField(null=True, blank=True)
    start = models.TextField(blank=True)
    route = models.TextField(blank=True)
    end = models.TextField(blank=True)
    warm_up_runs = models.PositiveSmallIntegerField(default=1)
    warm_up = models.CharField(max_length=200, blank=True)
    leans_on = models.JSONField(default=list, blank=True)

    class Meta:
        ordering = ["game__name", "name", "version"]
        constraints = [
            models.UniqueConstraint("game", Lower("name"), "version", name="scene_version_once"),
            models.CheckConstraint(condition=models.Q(kind__in=SceneKind.values), name="scene_kind_known"),
            models.CheckConstraint(
                condition=models.Q(length_s__isnull=True) | models.Q(length_s__gt=0), name="scene_length_above_0"
            ),
        ]

    def __str__(self) -> str:
        return f"{self.game}, {self.name}" + (f" (version {self.version})" if self.version > 1 else "")


class Intent(models.TextChoices):
    """Why a condition is chosen. Findings never mix the two."""

    TYPICAL = "typical", "Typical: as people play"
    EXPOSE = "expose", "Expose: every other limit removed"


#: What a condition tells a game, and why it was chosen.
CONDITION_FIELDS = (
    "name", "resolution", "preset", "upscaling", "ray_tracing", "api", "frame_limit_fps", "intent",
)  # fmt: skip


class Condition(models.Model):
    """What the game is told: a named set of resolution, preset and the like."""

    name = models.CharField(max_length=120)
    resolution = models.CharField(max_length=40, blank=True)
    preset = models.CharField(max_length=60, blank=True)
    upscaling = models.CharField(max_length=60, blank=True)
    ray_tracing = models.CharField(max_length=60, blank=True)
    api = models.CharField(max_length=60, blank=True)
    frame_limit_fps = models.FloatField(null=True, blank=True)
    intent = models.CharField(max_length=8, choices=Intent.choices, default=Intent.TYPICAL)

    class Meta:
        ordering = ["name"]
        constraints = [
            models.UniqueConstraint(Lower("name"), name="condition_once"),
            models.CheckConstraint(condition=models.Q(intent__in=Intent.values), name="condition_intent_known"),
            models.CheckConstraint(
                condition=models.Q(frame_limit_fps__isnull=True) | models.Q(frame_limit_fps__gt=0),
                name="condition_limit_above_0",
            ),
        ]

    def __str__(self) -> str:
        return self.name

    @property
    def settings_told(self) -> str:
        """Everything but the resolution, in one line."""
        named = (
            ("upscaling", self.upscaling),
            ("ray tracing", self.ray_tracing),
            ("API", self.api),
            ("limit", f"{self.frame_limit_fps:g} fps" if self.frame_limit_fps else ""),
        )
        return ", ".join(filter(None, (self.preset, *(f"{name} {value}" for name, value in named if value))))
