"""Tuning logs: what was set on one part, step by step, what was read back, how stable it ran and what it gave."""

from __future__ import annotations

from bench.models import Part, SetupVersion
from django.conf import settings as django
from django.db import models
from django.db.models import Q
from django.db.models.functions import Lower
from people.models import Machine
from rennbahn.tuning import KINDS, OUTCOMES, USUAL_MINUTES
from storing import Held
from studies.models import Lane, Test

UP, DOWN, EITHER = "up", "down", ""


class Log(models.Model):
    """A series of steps on one part in one rig."""

    title = models.CharField(max_length=160)
    part = models.ForeignKey(Part, on_delete=models.PROTECT, related_name="tuning_logs")
    #: The setup as it stands at stock: a step that becomes a setup is this one with its settings.
    base = models.ForeignKey(SetupVersion, on_delete=models.PROTECT, related_name="tuning_logs")
    stability_min = models.FloatField(default=USUAL_MINUTES)
    #: How firmware is reset by the maker's manual, for a step that fails to start.
    reset_words = models.CharField(max_length=400, blank=True)
    #: Whether data was backed up before, and by whom it was said.
    backed_up_by = models.ForeignKey(
        django.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True, blank=True, related_name="+"
    )
    #: Of a log of the simulated bench: nothing in it is a result.
    seed = models.PositiveIntegerField(null=True, blank=True)
    #: What it is held against at equal power: a lane in a test of any study.
    rival_lane = models.ForeignKey(Lane, on_delete=models.SET_NULL, null=True, blank=True, related_name="+")
    rival_test = models.ForeignKey(Test, on_delete=models.SET_NULL, null=True, blank=True, related_name="+")
    #: The test machine whose captures are passes of the last step, while somebody works on it.
    machine = models.OneToOneField(Machine, on_delete=models.PROTECT, null=True, blank=True, related_name="tuning_log")
    by = models.ForeignKey(django.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-at", "-pk"]
        constraints = [
            models.CheckConstraint(condition=~Q(title=""), name="log_has_a_title"),
            models.CheckConstraint(condition=Q(stability_min__gt=0), name="log_stability_above_0"),
            models.CheckConstraint(
                condition=Q(rival_lane=None) | Q(rival_test__isnull=False), name="log_rival_is_in_a_test"
            ),
        ]

    def __str__(self) -> str:
        return self.title


class LogSetting(models.Model):
    """Something that can be set: its unit, where it stands at stock, its finest step, the maker's stated limits."""

    log = models.ForeignKey(Log, on_delete=models.CASCADE, related_name="settings")
    position = models.PositiveSmallIntegerField()
    name = models.CharField(max_length=80)
    unit = models.CharField(max_length=16, blank=True)
    kind = models.CharField(max_length=8)
    stock = models.FloatField()
    resolution = models.FloatField()
    harder = models.CharField(max_length=4, blank=True)
    limit_low = models.FloatField(null=True, blank=True)
    limit_high = models.FloatField(null=True, blank=True)
    #: Where the maker states it, and of which day that is.
    limit_source = models.CharField(max_length=200, blank=True)
    limit_day = models.DateField(null=True, blank=True)

    class Meta:
        ordering = ["position"]
        constraints = [
            models.UniqueConstraint("log", Lower("name"), name="log_setting_once"),
            models.CheckConstraint(condition=Q(kind__in=KINDS), name="log_setting_kind_known"),
            models.CheckConstraint(condition=Q(harder__in=[UP, DOWN, EITHER]), name="log_setting_way_known"),
            models.CheckConstraint(condition=Q(resolution__gt=0), name="log_setting_resolution_above_0"),
            models.CheckConstraint(
                condition=Q(limit_low=None, limit_high=None) | ~Q(limit_source=""), name="log_limit_has_a_source"
            ),
        ]

    def __str__(self) -> str:
        return self.name


class LogStep(models.Model):
    """A step: what was set, what a second place read back. It is never taken away: what failed once failed.

    `after` is the step that it goes on from; `over_limit` what it crossed by the limits known then, for ever.
    """

    log = models.ForeignKey(Log, on_delete=models.CASCADE, related_name="steps")
    number = models.PositiveIntegerField()
    client_id = models.UUIDField(unique=True)
    sample = models.CharField(max_length=40, blank=True)
    after = models.ForeignKey("self", on_delete=models.PROTECT, null=True, blank=True, related_name="+")
    set = models.JSONField(default=dict, blank=True)
    read_back = models.JSONField(default=dict, blank=True)
    over_limit = models.JSONField(default=list, blank=True)
    conclusion = models.CharField(max_length=600, blank=True)
    #: The setup that it became.
    setup = models.ForeignKey(
        SetupVersion, on_delete=models.PROTECT, null=True, blank=True, related_name="tuning_steps"
    )
    by = models.ForeignKey(django.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["log", "number"], name="step_number_once")]

    def __str__(self) -> str:
        return f"step {self.number} of {self.log}"


class Entry(models.Model):
    """Something noted at a step. One that was struck out stays, with why, and counts no more."""

    client_id = models.UUIDField(unique=True)
    by = models.ForeignKey(django.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    struck_why = models.CharField(max_length=300, blank=True)
    struck_by = models.ForeignKey(
        django.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True, blank=True, related_name="+"
    )

    class Meta:
        abstract = True


class StabilityRun(Entry):
    """A run of a program, or a game, that strains the part: how long, and how it ended."""

    step = models.ForeignKey(LogStep, on_delete=models.CASCADE, related_name="runs")
    program = models.CharField(max_length=120)
    minutes = models.FloatField()
    outcome = models.CharField(max_length=10)

    class Meta:
        ordering = ["pk"]
        constraints = [
            models.CheckConstraint(condition=Q(outcome__in=OUTCOMES), name="run_outcome_known"),
            models.CheckConstraint(condition=Q(minutes__gte=0), name="run_minutes_no_less_than_0"),
        ]

    def __str__(self) -> str:
        return f"{self.program}: {self.outcome}"


class QuickPass(Entry, Held):
    """Figures of a quick pass: typed in, or read from a capture, whose bytes are kept."""

    step = models.ForeignKey(LogStep, on_delete=models.CASCADE, related_name="passes")
    #: What was run: a scene, or a program that gives a score.
    what = models.CharField(max_length=160, blank=True)
    #: Average fps, or a score.
    fps = models.FloatField()
    w = models.FloatField(null=True, blank=True)
    temperature_c = models.FloatField(null=True, blank=True)
    hotspot_c = models.FloatField(null=True, blank=True)
    fan_rpm = models.FloatField(null=True, blank=True)
    noise_dba = models.FloatField(null=True, blank=True)
    file_name = models.CharField(max_length=200, blank=True)
    sha256 = models.CharField(max_length=64, blank=True)

    class Meta:
        ordering = ["pk"]
        constraints = [
            models.CheckConstraint(condition=Q(fps__gt=0) & (Q(w=None) | Q(w__gt=0)), name="quick_figures_above_0"),
            models.UniqueConstraint(fields=["step", "sha256"], condition=~Q(sha256=""), name="capture_once_a_step"),
        ]

    def __str__(self) -> str:
        return f"{self.fps:g} in {self.step}"
