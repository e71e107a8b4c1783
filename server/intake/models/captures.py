"""What was read of files and measured of it. Captures and figures are protected."""

from __future__ import annotations

from django.conf import settings
from django.contrib.postgres.fields import ArrayField
from django.db import models
from django.db.models import Q
from studies.models import Pass

from intake.models.files import Arrival, PassFile


class Capture(models.Model):
    """The capture of a pass: which file, read by which column map, seen through which window.

    `basis` is the hash of what its figures are to be made by (window, settings, samples); `current` are the figures
    that count. Where the two differ, or the measures have another version by now, the figures are stale.
    """

    on_pass = models.OneToOneField(Pass, on_delete=models.PROTECT, related_name="capture")
    arrival = models.OneToOneField(Arrival, on_delete=models.PROTECT, related_name="capture")
    columns = models.JSONField()
    source_flags = models.JSONField(default=list)
    #: Stretches of it that count, each from and to in seconds, in order and apart; none for all of it.
    windows = models.JSONField(default=list, blank=True)
    #: How long it is, without its windows.
    length_s = models.FloatField(default=0.0)
    #: A digest of its frame times alone: the same run, however it is packed or written, has the same.
    frames_digest = models.CharField(max_length=64, blank=True, db_index=True)
    basis = models.CharField(max_length=64, blank=True)
    current = models.OneToOneField(
        "CaptureFigures", on_delete=models.PROTECT, null=True, blank=True, related_name="current_of"
    )
    #: Why measuring it again failed last, in words.
    trouble = models.CharField(max_length=300, blank=True)

    def __str__(self) -> str:
        return f"capture of {self.on_pass}"


class Channel(models.Model):
    """One array of a capture, packed by the core. `frame_ms` holds the frame times."""

    capture = models.ForeignKey(Capture, on_delete=models.PROTECT, related_name="channels")
    name = models.CharField(max_length=40)
    data = models.BinaryField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["capture", "name"], name="channel_once")]

    def __str__(self) -> str:
        return f"{self.name} of {self.capture}"


class SampleSet(models.Model):
    """Samples of a capture on a clock of their own, from a file of their own.

    `offset_s` is added to their clock to lay it on the capture's; `clock` is packed like a channel.
    """

    capture = models.ForeignKey(Capture, on_delete=models.PROTECT, related_name="sample_sets")
    file = models.OneToOneField(PassFile, on_delete=models.PROTECT, related_name="samples")
    columns = models.JSONField()
    offset_s = models.FloatField(default=0.0)
    clock = models.BinaryField()

    def __str__(self) -> str:
        return f"samples of {self.capture}"


class SampledChannel(models.Model):
    """One array of a set of samples, packed by the core."""

    of = models.ForeignKey(SampleSet, on_delete=models.PROTECT, related_name="channels")
    name = models.CharField(max_length=40)
    data = models.BinaryField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["of", "name"], name="sampled_channel_once")]

    def __str__(self) -> str:
        return f"{self.name} of {self.of}"


class CaptureFigures(models.Model):
    """What lists and comparisons need of a capture, as columns: one narrow row for each way it was measured.

    Rates are in fps. Rows are added and never changed, so that a correction can show old beside new.
    """

    capture = models.ForeignKey(Capture, on_delete=models.PROTECT, related_name="figures")
    version = models.PositiveSmallIntegerField()
    basis = models.CharField(max_length=64)
    made_at = models.DateTimeField(auto_now_add=True)

    frames = models.PositiveIntegerField()
    duration_s = models.FloatField()
    average_fps = models.FloatField()
    median_fps = models.FloatField()
    low_1_percentile = models.FloatField()
    low_1_slowest_frames = models.FloatField()
    low_1_slowest_time = models.FloatField()
    low_01_percentile = models.FloatField()
    low_01_slowest_frames = models.FloatField()
    low_01_slowest_time = models.FloatField()
    #: Frames that each low stands on, by low and school as above.
    support = ArrayField(models.PositiveIntegerField(), size=6)
    stutters = models.PositiveIntegerField()
    bound_by = models.CharField(max_length=12, blank=True)
    cap = models.CharField(max_length=8)
    cap_name = models.CharField(max_length=80, blank=True)
    lock_fps = models.FloatField(null=True, blank=True)
    flags = ArrayField(models.CharField(max_length=40), default=list)

    #: What other kinds of study ask of a pass (see :class:`rennbahn.comparing.facts.PassFacts`), where the capture has
    #: it: means of watts, busy times and sensors; shares over the budget by side; whether frames come in groups.
    power_w = models.FloatField(null=True, blank=True)
    gpu_busy_ms = models.FloatField(null=True, blank=True)
    cpu_busy_ms = models.FloatField(null=True, blank=True)
    over_budget_share = models.FloatField(null=True, blank=True)
    card_over_share = models.FloatField(null=True, blank=True)
    processor_over_share = models.FloatField(null=True, blank=True)
    both_over_share = models.FloatField(null=True, blank=True)
    longest_spell_s = models.FloatField(null=True, blank=True)
    alternating = models.BooleanField(null=True, blank=True)
    amplitude = models.FloatField(null=True, blank=True)
    bound_by_source = models.CharField(max_length=16, blank=True)
    temperature_c = models.FloatField(null=True, blank=True)
    fan_rpm = models.FloatField(null=True, blank=True)
    memory_mib = models.FloatField(null=True, blank=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["capture", "version", "basis"], name="figures_once_a_basis"),
            models.CheckConstraint(condition=Q(frames__gt=0, average_fps__gt=0), name="figures_of_some_frames"),
            models.CheckConstraint(condition=Q(cap__in=["none", "partly", "capped"]), name="cap_state_known"),
        ]

    def __str__(self) -> str:
        return f"figures of {self.capture}, version {self.version}"


class AllFigures(models.Model):
    """Every figure of a capture with what it was made by, and its percentile curve. No list loads it."""

    row = models.OneToOneField(CaptureFigures, on_delete=models.PROTECT, primary_key=True, related_name="all")
    made_by = models.JSONField()
    figures = models.JSONField()
    curve = models.BinaryField()

    def __str__(self) -> str:
        return f"all {self.row}"


class CaptureProfile(models.Model):
    """A capture in brief, for the checks: siblings need not be decoded to check a pass.

    One for each way it was measured, as figures are; that of the capture's own basis counts.
    """

    capture = models.ForeignKey(Capture, on_delete=models.PROTECT, related_name="profiles")
    basis = models.CharField(max_length=64)
    version = models.PositiveSmallIntegerField()
    data = models.JSONField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["capture", "basis", "version"], name="profile_once_a_basis")]

    def __str__(self) -> str:
        return f"profile of {self.capture}"


class PassDoubt(models.Model):
    """Why a pass deserves another look, as a check said it; made anew whenever the passes beside it change."""

    on_pass = models.ForeignKey(Pass, on_delete=models.CASCADE, related_name="doubts")
    check_id = models.CharField(max_length=32)
    weak = models.BooleanField(default=False)
    words = models.TextField()
    evidence = models.JSONField(default=dict)
    window = models.JSONField(null=True, blank=True)
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]

    def __str__(self) -> str:
        return f"{self.check_id}: {self.on_pass}"


class Reported(models.Model):
    """A result that exists only as numbers: a game's own report, or figures read off elsewhere. Rates in fps.

    A pass has frames or this, never both, and lanes are compared by it only with their like.
    """

    on_pass = models.OneToOneField(Pass, on_delete=models.PROTECT, related_name="reported")
    average_fps = models.FloatField(null=True, blank=True)
    minimum_fps = models.FloatField(null=True, blank=True)
    low_1_fps = models.FloatField(null=True, blank=True)
    low_01_fps = models.FloatField(null=True, blank=True)
    score = models.FloatField(null=True, blank=True)
    #: Where the numbers stand: the game's result page, a photograph, a log.
    read_from = models.CharField(max_length=200)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="reported")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [
            models.CheckConstraint(
                condition=Q(average_fps__isnull=False)
                | Q(minimum_fps__isnull=False)
                | Q(low_1_fps__isnull=False)
                | Q(low_01_fps__isnull=False)
                | Q(score__isnull=False),
                name="something_is_reported",
            ),
            *(
                models.CheckConstraint(
                    condition=Q(**{f"{name}__isnull": True}) | Q(**{f"{name}__gt": 0}), name=f"reported_{name}_above_0"
                )
                for name in ("average_fps", "minimum_fps", "low_1_fps", "low_01_fps", "score")
            ),
        ]

    def __str__(self) -> str:
        return f"reported {self.on_pass}"
