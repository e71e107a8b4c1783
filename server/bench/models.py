"""Parts, rigs and setups. What a run used never changes: an edited setup becomes a new version."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from django.db.models.functions import Lower
from rennbahn.parts import KINDS

#: Kinds of part as the core defines them, in the order of a setup sheet.
KIND_IDS = [kind.id for kind in KINDS]


class Part(models.Model):
    """A part by kind and name, with the facts that its kind is defined to have."""

    kind = models.CharField(max_length=12, choices=[(kind.id, kind.label) for kind in KINDS])
    name = models.CharField(max_length=120)
    maker = models.CharField(max_length=80, blank=True)
    facts = models.JSONField(default=dict, blank=True)
    price = models.DecimalField(max_digits=10, decimal_places=2, null=True, blank=True)
    currency = models.CharField(max_length=3, blank=True)
    price_from = models.CharField(max_length=120, blank=True)
    #: The day the price was seen.
    price_day = models.DateField(null=True, blank=True)
    weight_g = models.PositiveIntegerField(null=True, blank=True)
    notes = models.TextField(blank=True)

    class Meta:
        ordering = ["kind", "name"]
        constraints = [
            models.UniqueConstraint("kind", Lower("name"), name="part_once"),
            models.CheckConstraint(condition=models.Q(kind__in=KIND_IDS), name="part_kind_known"),
            models.CheckConstraint(condition=~models.Q(name=""), name="part_named"),
            models.CheckConstraint(
                condition=models.Q(price__isnull=True) | (models.Q(price__gte=0) & ~models.Q(currency="")),
                name="price_has_a_currency",
            ),
        ]

    def __str__(self) -> str:
        return f"{self.kind}: {self.name}"


class Rig(models.Model):
    """A machine built of parts. Setups put it together with settings."""

    name = models.CharField(max_length=120)
    notes = models.TextField(blank=True)
    parts = models.ManyToManyField(Part, through="RigPart", related_name="rigs")

    class Meta:
        ordering = ["name"]
        constraints = [
            models.UniqueConstraint(Lower("name"), name="rig_once"),
            models.CheckConstraint(condition=~models.Q(name=""), name="rig_named"),
        ]

    def __str__(self) -> str:
        return self.name


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
    """Everything that must be known to repeat a run. Frozen once a pass was recorded with it.

    `parts` are all of its parts: those of `rig`, where it is built on one, with what was swapped for this setup.
    """

    setup = models.ForeignKey(Setup, on_delete=models.PROTECT, related_name="versions")
    number = models.PositiveIntegerField()
    frozen = models.BooleanField(default=False)
    created_at = models.DateTimeField(auto_now_add=True)
    rig = models.ForeignKey(Rig, on_delete=models.PROTECT, null=True, blank=True, related_name="setup_versions")
    parts = models.ManyToManyField(Part, through="SetupPart", related_name="setup_versions")

    class Meta:
        ordering = ["setup", "-number"]
        constraints = [models.UniqueConstraint(fields=["setup", "number"], name="setup_version_once")]

    def __str__(self) -> str:
        return f"{self.setup} v{self.number}"


class RigPart(models.Model):
    """A part in a rig; the same one twice where it is there twice, as two equal memory kits are."""

    rig = models.ForeignKey(Rig, on_delete=models.CASCADE)
    part = models.ForeignKey(Part, on_delete=models.PROTECT)

    class Meta:
        db_table = "bench_rig_parts"
        ordering = ["id"]

    def __str__(self) -> str:
        return f"{self.part} in {self.rig}"


class SetupPart(models.Model):
    """A part in a version of a setup; the same one twice where it is there twice."""

    version = models.ForeignKey(SetupVersion, on_delete=models.CASCADE, db_column="setupversion_id")
    part = models.ForeignKey(Part, on_delete=models.PROTECT)

    class Meta:
        db_table = "bench_setupversion_parts"
        ordering = ["id"]

    def __str__(self) -> str:
        return f"{self.part} in {self.version}"


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


class SheetTick(models.Model):
    """A line of a setup sheet that was seen to at the bench, by whom and when: kept with the day of the session."""

    version = models.ForeignKey(SetupVersion, on_delete=models.CASCADE, related_name="ticks")
    on_day = models.DateField()
    line = models.CharField(max_length=400)
    who = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="sheet_ticks")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["at", "id"]
        constraints = [models.UniqueConstraint(fields=["version", "on_day", "line"], name="tick_once_a_day")]

    def __str__(self) -> str:
        return f"{self.line} of {self.version}, {self.on_day}"
