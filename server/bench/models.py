"""Parts and setups. What a run used never changes: an edited setup becomes a new version."""

from __future__ import annotations

from django.db import models
from django.db.models.functions import Lower


class PartKind(models.TextChoices):
    """A thing that can be swapped."""

    CARD = "card", "Graphics card"
    PROCESSOR = "processor", "Processor"
    MEMORY = "memory", "Memory kit"
    BOARD = "board", "Board"
    DRIVE = "drive", "Drive"
    COOLER = "cooler", "Cooler"
    SUPPLY = "supply", "Power supply"
    CASE = "case", "Case"
    DISPLAY = "display", "Display"
    ADAPTER = "adapter", "Dock or adapter"
    SYSTEM = "system", "Operating system"
    DRIVER = "driver", "Driver"
    FIRMWARE = "firmware", "Firmware"
    BUILD = "build", "Game build"


class Part(models.Model):
    """A part by kind and name."""

    kind = models.CharField(max_length=12, choices=PartKind.choices)
    name = models.CharField(max_length=120)
    notes = models.TextField(blank=True)

    class Meta:
        ordering = ["kind", "name"]
        constraints = [
            models.UniqueConstraint("kind", Lower("name"), name="part_once"),
            models.CheckConstraint(condition=models.Q(kind__in=PartKind.values), name="part_kind_known"),
            models.CheckConstraint(condition=~models.Q(name=""), name="part_named"),
        ]

    def __str__(self) -> str:
        return f"{self.kind}: {self.name}"


class Setup(models.Model):
    """A rig with its settings, under one name through all its versions."""

    name = models.CharField(max_length=120)

    class Meta:
        ordering = ["name"]
        constraints = [
            models.UniqueConstraint(Lower("name"), name="setup_once"),
            models.CheckConstraint(condition=~models.Q(name=""), name="setup_named"),
        ]

    def __str__(self) -> str:
        return self.name


class SetupVersion(models.Model):
    """Everything that must be known to repeat a run. Frozen once a pass was recorded with it."""

    setup = models.ForeignKey(Setup, on_delete=models.PROTECT, related_name="versions")
    number = models.PositiveIntegerField()
    frozen = models.BooleanField(default=False)
    created_at = models.DateTimeField(auto_now_add=True)
    parts = models.ManyToManyField(Part, related_name="setup_versions")

    class Meta:
        ordering = ["setup", "-number"]
        constraints = [models.UniqueConstraint(fields=["setup", "number"], name="setup_version_once")]

    def __str__(self) -> str:
        return f"{self.setup} v{self.number}"


class Setting(models.Model):
    """One setting of a setup version, as name and value."""

    version = models.ForeignKey(SetupVersion, on_delete=models.CASCADE, related_name="settings")
    position = models.PositiveIntegerField()
    name = models.CharField(max_length=120)
    value = models.CharField(max_length=200)

    class Meta:
        ordering = ["position"]
        constraints = [models.UniqueConstraint("version", Lower("name"), name="setting_once")]

    def __str__(self) -> str:
        return f"{self.name}: {self.value}"
