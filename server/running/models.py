"""What is done at the bench: every act once, in the order in which it was done, and what changes really took."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from intake.models import Arrival
from rennbahn.running.costs import TAUGHT
from studies.models import BenchSession


class ActKind(models.TextChoices):
    """What one can do at Run."""

    DONE = "done", "did the step"
    READ_BACK = "read_back", "read the setting back"
    ANYWAY = "anyway", "ran on although it read back otherwise"
    BEGAN = "began", "began the run"
    ENDED = "ended", "the run ended"
    ABORTED = "aborted", "broke the run off"
    ACCEPTED = "accepted", "accepted the pass"
    LEFT = "left", "left the pass for the desk"
    REJECTED = "rejected", "rejected the pass"
    REPEATED = "repeated", "has the pass repeated"
    SKIPPED = "skipped", "skipped the pass"
    LATER = "later", "put the pass off"
    NOTED = "noted", "noted"
    PAUSED = "paused", "paused"
    RESUMED = "resumed", "went on"
    ORDERED = "ordered", "ordered the rest anew"
    ROOM = "room", "noted the room"
    DROVE = "drove", "took over"
    BLOCK = "block", "took the next block"
    CAME = "came", "a capture came"


class RunAct(models.Model):
    """One act in a session. `client_id` is made by the browser, so that an act that is sent twice is done once.

    `at` is when it was done by the browser's clock, put right by the server's; `step` the key of the step it did.
    """

    client_id = models.UUIDField(unique=True)
    session = models.ForeignKey(BenchSession, on_delete=models.PROTECT, related_name="acts")
    kind = models.CharField(max_length=12, choices=ActKind.choices)
    step = models.CharField(max_length=80, blank=True)
    #: No foreign key: a line outlives a planned pass that is taken out of the plan.
    pass_id = models.BigIntegerField(null=True, blank=True)
    data = models.JSONField(default=dict, blank=True)
    at = models.DateTimeField()
    came_at = models.DateTimeField(auto_now_add=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")

    class Meta:
        ordering = ["id"]
        constraints = [models.CheckConstraint(condition=models.Q(kind__in=ActKind.values), name="act_kind_known")]
        indexes = [
            models.Index(fields=["session", "kind", "id"], name="acts_of_a_session"),
            models.Index(fields=["pass_id", "kind"], name="acts_on_a_pass"),
        ]

    def __str__(self) -> str:
        return f"{self.by} {self.get_kind_display()}"


class BenchRun(models.Model):
    """A run at the bench: of which pass, from when to when by the server's clock, and which file is its own.

    `ended_at` is None while it is under way. One that was `broken_off`, or given up since no file came, never counts:
    its file is kept as such. A `warm_up` is on the way to its pass.
    """

    session = models.ForeignKey(BenchSession, on_delete=models.PROTECT, related_name="runs")
    #: No foreign key: a run outlives a planned pass that is taken out of the plan.
    pass_id = models.BigIntegerField(null=True, blank=True)
    step = models.CharField(max_length=80, blank=True)
    warm_up = models.BooleanField(default=False)
    after_load = models.BooleanField(default=False)
    #: What every setting of the lane said last before it began: setting, wanted, seen, where, by, at.
    read_backs = models.JSONField(default=list, blank=True)
    began_at = models.DateTimeField()
    ended_at = models.DateTimeField(null=True, blank=True)
    broken_off = models.BooleanField(default=False)
    #: Its frames, once they came, and the pass that they are: a warm-up's is one of its own.
    arrival = models.OneToOneField(Arrival, on_delete=models.PROTECT, null=True, blank=True, related_name="run")
    #: Of a simulated bench: whether it was played, and what that says of it.
    played = models.BooleanField(default=False)
    says = models.CharField(max_length=120, blank=True)

    class Meta:
        ordering = ["id"]
        indexes = [
            models.Index(fields=["session", "began_at"], name="runs_of_a_session"),
            models.Index(fields=["pass_id"], name="runs_of_a_pass"),
        ]

    def __str__(self) -> str:
        return f"run of {self.began_at:%d %b %H:%M:%S}"


class ChangeTook(models.Model):
    """How long a change really took: what costs are learned from. `cost` names what pays for it in a plan."""

    session = models.ForeignKey(BenchSession, on_delete=models.PROTECT, related_name="changes")
    cost = models.CharField(max_length=16)
    seconds = models.FloatField()

    class Meta:
        constraints = [
            models.CheckConstraint(condition=models.Q(cost__in=sorted(TAUGHT)), name="cost_known"),
            models.CheckConstraint(condition=models.Q(seconds__gte=0), name="change_took_no_less_than_0"),
        ]
        indexes = [models.Index(fields=["cost", "-id"], name="what_a_change_took")]

    def __str__(self) -> str:
        return f"{self.cost}: {self.seconds:g} s"
