"""What checks found about more than one pass, what repeats said, and how doubts were settled.

Doubts about one pass are kept beside it (:class:`intake.models.PassDoubt`).
"""

from __future__ import annotations

from django.conf import settings
from django.contrib.postgres.fields import ArrayField
from django.db import models
from django.db.models import Q
from studies.models import Decision, Pass, Study, Test


class WideDoubt(models.Model):
    """A doubt about a lane, a test, a session or all passes of a cell: it stands once, above the passes it is about.

    `key` names what it is about, so that it is known again when it is made anew; `passes` are the ids of the passes.
    """

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="wide_doubts")
    #: The test whose passes were checked; none where all of the study were.
    of_test = models.ForeignKey(Test, on_delete=models.CASCADE, null=True, blank=True, related_name="wide_doubts")
    key = models.CharField(max_length=120)
    check_id = models.CharField(max_length=32)
    weak = models.BooleanField(default=False)
    #: Whether its passes are doubted with it, or a scene's card alone is.
    marks = models.BooleanField(default=True)
    words = models.TextField()
    evidence = models.JSONField(default=dict)
    passes = ArrayField(models.BigIntegerField(), default=list)
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]
        constraints = [models.UniqueConstraint(fields=["study", "key"], name="wide_doubt_once")]

    def __str__(self) -> str:
        return f"{self.check_id}: {self.words}"


class RepeatFound(models.Model):
    """What a pass that was run again says of the one it repeats; made anew with the doubts of its test."""

    one = models.OneToOneField(Pass, on_delete=models.CASCADE, primary_key=True, related_name="found_as_repeat")
    of = models.ForeignKey(Pass, on_delete=models.CASCADE, related_name="found_repeats")
    agrees = models.BooleanField()
    other_session = models.BooleanField(default=False)
    suspect = models.ForeignKey(Pass, on_delete=models.CASCADE, null=True, blank=True, related_name="+")
    words = models.TextField()
    evidence = models.JSONField(default=dict)

    def __str__(self) -> str:
        return self.words


class How(models.TextChoices):
    """How a doubt was settled."""

    ACCEPTED = "accepted", "Accepted anyway"
    REJECTED = "rejected", "Rejected"
    TRIMMED = "trimmed", "Trimmed to what counts"
    REPEAT = "repeat", "To be repeated"
    ASSUMED = "assumed", "Another thing was assumed"
    ODD = "odd", "Odd, but real: it repeated"


#: With these a doubt stands no longer; one whose pass is to be repeated waits for the repeat.
SETTLES = (How.ACCEPTED, How.REJECTED, How.TRIMMED, How.ASSUMED, How.ODD)


class Settled(models.Model):
    """How somebody settled a doubt, with what it said then. Rows are added; one that was taken back says when.

    A doubt of a pass is known by its check and by `basis`, what the pass was measured by: another window is another
    pass to doubt. One about more is known by its key.
    """

    study = models.ForeignKey(Study, on_delete=models.PROTECT, related_name="settled")
    on_pass = models.ForeignKey(Pass, on_delete=models.PROTECT, null=True, blank=True, related_name="settled")
    key = models.CharField(max_length=120)
    basis = models.CharField(max_length=64, blank=True)
    how = models.CharField(max_length=8, choices=How.choices)
    reason = models.CharField(max_length=300, blank=True)
    words = models.TextField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    decision = models.ForeignKey(Decision, on_delete=models.PROTECT, null=True, blank=True, related_name="settled")
    taken_back_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["id"]
        constraints = [
            models.CheckConstraint(condition=Q(how__in=How.values), name="settled_somehow"),
            models.CheckConstraint(
                condition=~Q(how__in=["accepted", "assumed"]) | ~Q(reason=""), name="settled_with_a_reason"
            ),
            models.UniqueConstraint(
                fields=["on_pass", "key", "basis"],
                condition=Q(taken_back_at=None, on_pass__isnull=False),
                name="pass_doubt_settled_once",
            ),
            models.UniqueConstraint(
                fields=["study", "key"],
                condition=Q(taken_back_at=None, on_pass__isnull=True),
                name="wide_doubt_settled_once",
            ),
        ]

    def __str__(self) -> str:
        return f"{self.key}: {self.how}"


class CheckOff(models.Model):
    """A check that is not asked in a study, with the reason, which prints with its findings."""

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="checks_off")
    check_id = models.CharField(max_length=32)
    reason = models.CharField(max_length=300)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]
        constraints = [
            models.UniqueConstraint(fields=["study", "check_id"], name="check_off_once"),
            models.CheckConstraint(condition=~Q(reason=""), name="check_off_with_a_reason"),
        ]

    def __str__(self) -> str:
        return f"{self.check_id} off: {self.reason}"
