"""Studies: a question with its lanes, tests and passes, and the line each change leaves."""

from __future__ import annotations

from bench.models import SetupVersion
from django.conf import settings
from django.db import models
from django.db.models import Q
from rennbahn.comparing import CELL_SCHOOLS, SUITE_SCHOOLS
from rennbahn.measures import LOW_SCHOOLS
from scenes.models import Condition, Scene


class StudyState(models.TextChoices):
    """A finished study changes no more until a lead opens it again."""

    OPEN = "open", "In progress"
    FINISHED = "finished", "Finished"


class StudyKind(models.TextChoices):
    """What the lanes of a study are to each other."""

    A_B = "a_b", "A against B"
    LADDER = "ladder", "Ladder"
    SWEEP = "sweep", "Sweep"
    GRID = "grid", "Grid"
    SCALING = "scaling", "Scaling"


class Leading(models.TextChoices):
    """The figure that a study's answer begins with."""

    AVERAGE = "average_fps", "Average fps"
    LOW_1 = "low_1", "1% low"


class Study(models.Model):
    """One question, and the method by which it is answered."""

    kind = models.CharField(max_length=8, choices=StudyKind.choices, default=StudyKind.A_B)
    question = models.CharField(max_length=200)
    factor = models.CharField(max_length=120)
    #: The other factor of a grid.
    second_factor = models.CharField(max_length=120, blank=True)
    state = models.CharField(max_length=10, choices=StudyState.choices, default=StudyState.OPEN)
    created_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="studies")
    created_at = models.DateTimeField(auto_now_add=True)
    finished_at = models.DateTimeField(null=True, blank=True)
    #: When a lead called the plan ready: its lanes are fair, or their differences accepted.
    ready_at = models.DateTimeField(null=True, blank=True)
    passes_per_test = models.PositiveSmallIntegerField(default=3)

    leading = models.CharField(max_length=12, choices=Leading.choices, default=Leading.AVERAGE)
    low_school = models.CharField(max_length=16, default=LOW_SCHOOLS[0])
    suite_school = models.CharField(max_length=16, default=SUITE_SCHOOLS[0])
    cell_school = models.CharField(max_length=16, default=CELL_SCHOOLS[0])
    equal_band = models.FloatField(default=0.01)
    target_hz = models.FloatField(default=60.0)
    display_hz = models.FloatField(null=True, blank=True)

    class Meta:
        ordering = ["-created_at", "-id"]
        constraints = [
            models.CheckConstraint(condition=~Q(question=""), name="study_asks"),
            models.CheckConstraint(condition=Q(state__in=StudyState.values), name="study_state_known"),
            models.CheckConstraint(condition=Q(kind__in=StudyKind.values), name="study_kind_known"),
            models.CheckConstraint(condition=Q(leading__in=Leading.values), name="study_leading_known"),
            models.CheckConstraint(condition=Q(low_school__in=LOW_SCHOOLS), name="study_low_school_known"),
            models.CheckConstraint(condition=Q(suite_school__in=SUITE_SCHOOLS), name="study_suite_school_known"),
            models.CheckConstraint(condition=Q(cell_school__in=CELL_SCHOOLS), name="study_cell_school_known"),
            models.CheckConstraint(condition=Q(equal_band__gt=0, equal_band__lt=1), name="study_band_is_a_share"),
            models.CheckConstraint(condition=Q(target_hz__gt=0), name="study_target_above_0"),
            models.CheckConstraint(condition=Q(passes_per_test__gte=1), name="study_has_passes"),
        ]

    def __str__(self) -> str:
        return self.question


class Lane(models.Model):
    """A setup taking part in a study; one lane is the baseline.

    `levels` says, by factor, which level of it this lane stands for. `condition` is what this lane tells the games, in
    place of the tests' own: the lanes of a scaling study are one setup under several conditions.
    """

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="lanes")
    position = models.PositiveSmallIntegerField()
    name = models.CharField(max_length=80)
    setup_version = models.ForeignKey(SetupVersion, on_delete=models.PROTECT, related_name="lanes")
    baseline = models.BooleanField(default=False)
    levels = models.JSONField(default=dict, blank=True)
    condition = models.ForeignKey(Condition, on_delete=models.PROTECT, null=True, blank=True, related_name="lanes")

    class Meta:
        ordering = ["study", "position"]
        constraints = [
            models.UniqueConstraint(fields=["study", "position"], name="lane_position_once"),
            models.UniqueConstraint(fields=["study", "name"], name="lane_name_once"),
            models.UniqueConstraint(fields=["study"], condition=Q(baseline=True), name="one_baseline"),
        ]

    def __str__(self) -> str:
        return self.name


class Test(models.Model):
    """A scene under a condition. `priority` 1 is run whatever happens, 3 is dropped first.

    `passes_wanted` is how many passes are planned in each lane.
    """

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="tests")
    position = models.PositiveSmallIntegerField()
    scene = models.ForeignKey(Scene, on_delete=models.PROTECT, related_name="tests")
    condition = models.ForeignKey(Condition, on_delete=models.PROTECT, related_name="tests")
    priority = models.PositiveSmallIntegerField(default=2)
    passes_wanted = models.PositiveSmallIntegerField(default=3)

    __test__ = False

    class Meta:
        ordering = ["study", "position"]
        constraints = [
            models.UniqueConstraint(
                fields=["study", "position"], name="test_position_once", deferrable=models.Deferrable.DEFERRED
            ),
            models.CheckConstraint(condition=Q(priority__gte=1, priority__lte=3), name="test_priority_1_to_3"),
            models.CheckConstraint(condition=Q(passes_wanted__gte=1), name="test_wants_passes"),
            models.UniqueConstraint(fields=["study", "scene", "condition"], name="test_once"),
        ]

    def __str__(self) -> str:
        return f"{self.scene}, {self.condition}"


class PassState(models.TextChoices):
    """How far a pass has come. What does not count has a reason."""

    PLANNED = "planned", "Planned"
    RECORDED = "recorded", "Recorded"
    ACCEPTED = "accepted", "Accepted"
    REJECTED = "rejected", "Rejected"
    DID_NOT_RUN = "did_not_run", "Did not run"


NEEDS_REASON = [PassState.REJECTED, PassState.DID_NOT_RUN]


class Pass(models.Model):
    """One run of a test in a lane. Once recorded it knows the version of the setup it was run with."""

    lane = models.ForeignKey(Lane, on_delete=models.CASCADE, related_name="passes")
    test = models.ForeignKey(Test, on_delete=models.CASCADE, related_name="passes")
    number = models.PositiveSmallIntegerField()
    state = models.CharField(max_length=12, choices=PassState.choices, default=PassState.PLANNED)
    reason = models.CharField(max_length=300, blank=True)
    setup_version = models.ForeignKey(
        SetupVersion, on_delete=models.PROTECT, null=True, blank=True, related_name="passes"
    )
    recorded_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["test__position", "lane__position", "number"]
        constraints = [
            models.UniqueConstraint(fields=["lane", "test", "number"], name="pass_once"),
            models.CheckConstraint(condition=Q(number__gte=1), name="pass_numbers_from_1"),
            models.CheckConstraint(condition=Q(state__in=PassState.values), name="pass_state_known"),
            models.CheckConstraint(condition=~Q(state__in=NEEDS_REASON) | ~Q(reason=""), name="pass_out_has_a_reason"),
        ]

    def __str__(self) -> str:
        return f"{self.test}, {self.lane}, pass {self.number}"


class AuditLine(models.Model):
    """Who did what to a study, when and why. Lines are added, never changed."""

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="audit")
    on_pass = models.ForeignKey(Pass, on_delete=models.SET_NULL, related_name="audit", null=True, blank=True)
    #: Which pass it was, kept where a planned pass was taken out of the plan.
    on_what = models.CharField(max_length=400, blank=True)
    at = models.DateTimeField(auto_now_add=True)
    who = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="audit_lines")
    what = models.CharField(max_length=60)
    why = models.CharField(max_length=300, blank=True)

    class Meta:
        ordering = ["-at", "-id"]

    def __str__(self) -> str:
        return f"{self.who}: {self.what}"
