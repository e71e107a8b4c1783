"""Studies: a question with its lanes, tests and passes, and the line each change leaves."""

from __future__ import annotations

from contextvars import ContextVar

import clock
from bench.models import SetupVersion
from django.conf import settings
from django.db import models
from django.db.models import Q
from people.models import Machine
from rennbahn.comparing import CELL_SCHOOLS, SUITE_SCHOOLS
from rennbahn.comparing.model import MOST_DRIFT
from rennbahn.comparing.words import PASS_REASONS
from rennbahn.inference.sessions import MOST_BETWEEN, USUAL_BETWEEN
from rennbahn.measures import LOW_SCHOOLS
from rennbahn.planning.order_tells import USUAL_DRIFT
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
    BUDGET = "budget", "Budget"
    SEVERAL = "several", "Several cards"
    LATENCY = "latency", "Latency"
    FIT = "fit", "Fit"
    PROXY_CHECK = "proxy_check", "Proxy check"


class Leading(models.TextChoices):
    """The figure that a study's answer begins with."""

    AVERAGE = "average_fps", "Average fps"
    LOW_1 = "low_1", "1% low"


#: Studies that there are not for whoever asks, in this request (see :mod:`studies.kept`).
HIDDEN: ContextVar[frozenset[int]] = ContextVar("hidden_studies", default=frozenset())


class StandingStudies(models.Manager["Study"]):
    """Studies that were not removed, and are not hidden from whoever asks."""

    def get_queryset(self) -> models.QuerySet[Study]:
        """Without those that are kept for their record alone, or to others."""
        found, hidden = super().get_queryset().filter(removed_at=None), HIDDEN.get()
        return found.exclude(pk__in=hidden) if hidden else found


class Study(models.Model):
    """One question, and the method by which it is answered."""

    kind = models.CharField(max_length=16, choices=StudyKind.choices, default=StudyKind.A_B)
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
    #: A mark of the differences that were read then: with another one the study is not ready any more.
    ready_for = models.CharField(max_length=64, blank=True)
    #: Put away by a lead: it stays as it is and is not on the desk.
    archived_at = models.DateTimeField(null=True, blank=True)
    #: Taken away before anything of it was run. Its record stays; `objects` passes it over.
    removed_at = models.DateTimeField(null=True, blank=True)
    #: Kept to these people until it is published: there is no such study for anybody else.
    kept = models.BooleanField(default=False)
    kept_to = models.ManyToManyField(settings.AUTH_USER_MODEL, blank=True, related_name="kept_studies")
    #: How many passes a new test is given in each lane.
    passes_wanted = models.PositiveSmallIntegerField(default=3)

    leading = models.CharField(max_length=12, choices=Leading.choices, default=Leading.AVERAGE)
    low_school = models.CharField(max_length=16, default=LOW_SCHOOLS[0])
    suite_school = models.CharField(max_length=16, default=SUITE_SCHOOLS[0])
    cell_school = models.CharField(max_length=16, default=CELL_SCHOOLS[0])
    equal_band = models.FloatField(default=0.01)
    target_hz = models.FloatField(default=60.0)
    display_hz = models.FloatField(null=True, blank=True)
    #: The display follows the rate: it is kept a little under its own on purpose, and such a lock is its cap.
    display_variable = models.BooleanField(default=False)
    #: The slow drift of the bench that is allowed for, as a share an hour (its 95% bound); 0 allows for none.
    drift_allowance = models.FloatField(default=USUAL_DRIFT)
    #: What sessions of one setup are taken to differ by, as a standard deviation of ln fps; none where nobody says.
    #: What a person states has a reason.
    between = models.FloatField(default=USUAL_BETWEEN, null=True, blank=True)
    between_why = models.CharField(max_length=300, blank=True)
    #: What holding a rate means: on average over the tests where nothing is said, else in all of them but so many.
    may_miss = models.PositiveSmallIntegerField(null=True, blank=True)

    objects = StandingStudies()
    with_removed = models.Manager["Study"]()

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
            models.CheckConstraint(
                condition=Q(drift_allowance__gte=0, drift_allowance__lte=MOST_DRIFT), name="study_drift_is_a_share"
            ),
            models.CheckConstraint(
                condition=Q(between=None) | Q(between__gte=0, between__lte=MOST_BETWEEN),
                name="study_between_is_a_share",
            ),
            models.CheckConstraint(condition=Q(passes_wanted__gte=1), name="study_has_passes"),
        ]

    def __str__(self) -> str:
        return self.question


class Lane(models.Model):
    """A setup taking part in a study; one lane is the baseline.

    Its `levels` say, by factor, what it stands for. `condition` is what this lane tells the games, in place of the
    tests' own: the lanes of a scaling study are one setup under several conditions.
    """

    study = models.ForeignKey(Study, on_delete=models.PROTECT, related_name="lanes")
    position = models.PositiveSmallIntegerField()
    name = models.CharField(max_length=80)
    setup_version = models.ForeignKey(SetupVersion, on_delete=models.PROTECT, related_name="lanes")
    baseline = models.BooleanField(default=False)
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


class Level(models.Model):
    """Which level of a factor a lane stands for: in words, and as a number with its unit where it is one."""

    lane = models.ForeignKey(Lane, on_delete=models.CASCADE, related_name="levels")
    factor = models.CharField(max_length=120)
    words = models.CharField(max_length=120)
    number = models.FloatField(null=True, blank=True)
    unit = models.CharField(max_length=24, blank=True)

    class Meta:
        ordering = ["lane", "id"]
        constraints = [
            models.UniqueConstraint(fields=["lane", "factor"], name="level_once_a_factor"),
            models.CheckConstraint(condition=~Q(words=""), name="level_has_words"),
            models.CheckConstraint(condition=Q(unit="") | Q(number__isnull=False), name="level_unit_has_a_number"),
        ]

    def __str__(self) -> str:
        return f"{self.factor}: {self.words}"


class Test(models.Model):
    """A scene under a condition. `priority` 1 is run whatever happens, 3 is dropped first.

    `passes_wanted` is how many passes are planned in each lane.
    """

    study = models.ForeignKey(Study, on_delete=models.PROTECT, related_name="tests")
    position = models.PositiveSmallIntegerField()
    scene = models.ForeignKey(Scene, on_delete=models.PROTECT, related_name="tests")
    condition = models.ForeignKey(Condition, on_delete=models.PROTECT, related_name="tests")
    priority = models.PositiveSmallIntegerField(default=2)
    passes_wanted = models.PositiveSmallIntegerField(default=3)
    #: How long a pass of it takes in truth, s, where somebody said that the scene's card is wrong about it.
    length_s = models.FloatField(null=True, blank=True)

    __test__ = False

    class Meta:
        ordering = ["study", "position"]
        constraints = [
            models.UniqueConstraint(
                fields=["study", "position"], name="test_position_once", deferrable=models.Deferrable.DEFERRED
            ),
            models.CheckConstraint(condition=Q(priority__gte=1, priority__lte=3), name="test_priority_1_to_3"),
            models.CheckConstraint(condition=Q(passes_wanted__gte=1), name="test_wants_passes"),
            models.CheckConstraint(condition=Q(length_s=None) | Q(length_s__gt=0), name="test_length_above_0"),
            models.UniqueConstraint(fields=["study", "scene", "condition"], name="test_once"),
        ]

    def __str__(self) -> str:
        return f"{self.scene}, {self.condition}"


class BenchSession(models.Model):
    """A sitting at the bench: who, when, at which test machine, in which room, with which notes.

    One is open at a machine at a time; a study may be run at several machines at once, each with its own `lanes`.
    `sequence` are the ids of the passes that were to be run, in order; what is run meanwhile leaves the plan by itself.
    A `simulated` one is run on the simulated bench, `speed` times as fast as true time, from `seed`.
    """

    study = models.ForeignKey(Study, on_delete=models.PROTECT, related_name="sessions")
    #: Without one, files are handed in by hand.
    machine = models.ForeignKey(Machine, on_delete=models.PROTECT, null=True, blank=True, related_name="sessions")
    begun_at = models.DateTimeField(default=clock.now)
    ended_at = models.DateTimeField(null=True, blank=True)
    begun_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    #: Whose keys count just now.
    driver = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="driven_sessions")
    room_c = models.FloatField(null=True, blank=True)
    notes = models.TextField(blank=True)
    sequence = models.JSONField(default=list, blank=True)
    #: Ids of the lanes that are run here; all that no other session has, where it is empty.
    lanes = models.JSONField(default=list, blank=True)
    #: Ids of the passes of the control test that were planned for where it begins and where it ends.
    controls = models.JSONField(default=list, blank=True)
    simulated = models.BooleanField(default=False)
    speed = models.FloatField(default=1.0)
    seed = models.PositiveIntegerField(default=1)

    class Meta:
        ordering = ["-begun_at", "-id"]
        constraints = [
            models.UniqueConstraint(fields=["machine"], condition=Q(ended_at=None), name="one_session_a_machine"),
            models.UniqueConstraint(
                fields=["study"], condition=Q(ended_at=None, machine=None), name="one_session_by_hand"
            ),
            models.CheckConstraint(condition=Q(speed__gt=0), name="session_speed_above_0"),
        ]

    def __str__(self) -> str:
        return f"session of {self.study}, {self.begun_at:%d %b %H:%M}"


class PassState(models.TextChoices):
    """How far a pass has come. What does not count has a reason."""

    PLANNED = "planned", "Planned"
    RECORDED = "recorded", "Recorded"
    ACCEPTED = "accepted", "Accepted"
    REJECTED = "rejected", "Rejected"
    DID_NOT_RUN = "did_not_run", "Did not run"


#: States of passes that stand beside each other: what checks compare.
STANDING = (PassState.RECORDED, PassState.ACCEPTED)
NEEDS_REASON = [PassState.REJECTED, PassState.DID_NOT_RUN]


class PassRole(models.TextChoices):
    """What a pass is run for."""

    COUNTED = "counted", "Counted"
    WARM_UP = "warm_up", "Warm-up"
    CONTROL = "control", "Control"
    REPEAT = "repeat", "Repeat"


#: Passes that wait for a decision: a warm-up never counts, so nobody has to decide on it.
WAITS = Q(state=PassState.RECORDED) & ~Q(role=PassRole.WARM_UP)
#: Roles of passes that count once they are accepted. A control pass is one more pass of its cell.
COUNTING = (PassRole.COUNTED, PassRole.REPEAT, PassRole.CONTROL)


class Pass(models.Model):
    """One run of a test in a lane. Once recorded, what it was run with is fixed.

    `setup_version` is the lane's then, `run_as` the condition and the caps as they were; `ran_at` is when it ran, where
    that is known, and `recorded_at` when its file came. `reason_code` says why it is out, `reason` in what words.
    """

    lane = models.ForeignKey(Lane, on_delete=models.PROTECT, related_name="passes")
    test = models.ForeignKey(Test, on_delete=models.PROTECT, related_name="passes")
    number = models.PositiveSmallIntegerField()
    state = models.CharField(max_length=12, choices=PassState.choices, default=PassState.PLANNED)
    role = models.CharField(max_length=8, choices=PassRole.choices, default=PassRole.COUNTED)
    reason_code = models.CharField(max_length=16, choices=list(PASS_REASONS.items()), blank=True)
    reason = models.CharField(max_length=300, blank=True)
    ran_at = models.DateTimeField(null=True, blank=True)
    run_as = models.JSONField(null=True, blank=True)
    setup_version = models.ForeignKey(
        SetupVersion, on_delete=models.PROTECT, null=True, blank=True, related_name="passes"
    )
    recorded_at = models.DateTimeField(null=True, blank=True)
    #: The sitting in which it was run, where it was run at Run.
    session = models.ForeignKey(BenchSession, on_delete=models.PROTECT, null=True, blank=True, related_name="passes")
    #: The pass of its cell that it was run to repeat, since that one was doubted.
    repeats = models.ForeignKey("self", on_delete=models.PROTECT, null=True, blank=True, related_name="repeated_by")

    class Meta:
        ordering = ["test__position", "lane__position", "number"]
        constraints = [
            models.UniqueConstraint(fields=["lane", "test", "number"], name="pass_once"),
            models.CheckConstraint(condition=Q(number__gte=1), name="pass_numbers_from_1"),
            models.CheckConstraint(condition=Q(state__in=PassState.values), name="pass_state_known"),
            models.CheckConstraint(condition=Q(role__in=PassRole.values), name="pass_role_known"),
            models.CheckConstraint(
                condition=Q(reason_code="") | Q(reason_code__in=list(PASS_REASONS)), name="pass_reason_known"
            ),
            models.CheckConstraint(
                condition=Q(state__in=NEEDS_REASON, reason_code__gt="")
                | (~Q(state__in=NEEDS_REASON) & Q(reason_code="", reason="")),
                name="pass_out_has_a_reason",
            ),
            models.CheckConstraint(
                condition=~Q(reason_code="other") | ~Q(reason=""), name="another_reason_is_in_words"
            ),
        ]
        indexes = [models.Index(fields=["test", "state"], name="passes_of_a_test")]

    def __str__(self) -> str:
        return f"{self.test}, {self.lane}, pass {self.number}"


class Decision(models.Model):
    """One act by which something was decided about passes, so that it can be taken back as one.

    The record says it in words; this is what the words were about. `did` says what was done, `state` what the passes
    became where it was decided on them, `facts` what else the act changed, as it was before.
    """

    study = models.ForeignKey(Study, on_delete=models.PROTECT, related_name="decisions")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    did = models.CharField(max_length=60)
    state = models.CharField(max_length=12, choices=PassState.choices, blank=True)
    why = models.CharField(max_length=340, blank=True)
    facts = models.JSONField(default=dict, blank=True)
    undone_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["-id"]
        constraints = [
            models.CheckConstraint(condition=Q(state__in=["", *PassState.values]), name="decision_state_known")
        ]

    def __str__(self) -> str:
        return f"{self.by}: {self.did}"


class DecisionOn(models.Model):
    """A pass that a decision changed, and what it was before."""

    decision = models.ForeignKey(Decision, on_delete=models.PROTECT, related_name="on")
    one = models.ForeignKey(Pass, on_delete=models.PROTECT, related_name="decisions")
    before = models.CharField(max_length=12, choices=PassState.choices)
    before_code = models.CharField(max_length=16, blank=True)
    before_reason = models.CharField(max_length=300, blank=True)

    class Meta:
        ordering = ["id"]
        constraints = [models.UniqueConstraint(fields=["decision", "one"], name="decided_once_an_act")]

    def __str__(self) -> str:
        return f"{self.decision} of {self.one}"


class AuditLine(models.Model):
    """Who did what to a study, when and why. Lines are added by :func:`studies.record.note` and never changed.

    The database itself refuses to change or delete one. `pass_id` is no foreign key, so that a line outlives a planned
    pass that is taken out of the plan; `on_what` says which pass it was.
    """

    study = models.ForeignKey(Study, on_delete=models.PROTECT, related_name="audit")
    pass_id = models.BigIntegerField(null=True, blank=True)
    on_what = models.CharField(max_length=400, blank=True)
    at = models.DateTimeField(auto_now_add=True)
    who = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="audit_lines")
    what = models.CharField(max_length=60)
    why = models.CharField(max_length=300, blank=True)

    class Meta:
        ordering = ["-at", "-id"]
        indexes = [models.Index(fields=["study", "-at"], name="record_of_a_study")]

    def __str__(self) -> str:
        return f"{self.who}: {self.what}"
