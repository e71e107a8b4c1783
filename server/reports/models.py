"""Reports: an article written beside the answers, its editions as they were published, and what was corrected."""

from __future__ import annotations

import secrets

from django.conf import settings
from django.db import models
from django.db.models import Q
from storing import Held
from studies.models import HIDDEN, Study


class ReportState(models.TextChoices):
    """How far a report has come."""

    DRAFT = "draft", "Draft"
    TO_CHECK = "to_check", "To be checked"
    READY = "ready", "Ready"
    PUBLISHED = "published", "Published"
    WITHDRAWN = "withdrawn", "Withdrawn"


class BlockKind(models.TextChoices):
    """What a block of a report is."""

    PROSE = "prose", "Prose"
    ANSWER = "answer", "Sentence"
    PICTURE = "picture", "Picture"
    TABLE = "table", "Table"
    READERS = "readers", "For whom"
    METHOD = "method", "How it was measured"
    TRACE = "trace", "Frame times"
    EYE = "eye", "What the eye gets"
    LOG = "log", "Tuning log"
    FIT = "fit", "What fits"
    SUM = "sum", "Sum"
    SCENE = "scene", "Scene"
    SETUP = "setup", "Setup"


#: Blocks that show what the house keeps beside its studies.
OF_THE_HOUSE = [one.value for one in (BlockKind.LOG, BlockKind.FIT, BlockKind.SUM, BlockKind.SCENE, BlockKind.SETUP)]
_OF_NO_STUDY = [BlockKind.PROSE.value, *OF_THE_HOUSE]


def _secret() -> str:
    return secrets.token_urlsafe(24)


class SeenReports(models.Manager["Report"]):
    """Reports that draw on nothing which is hidden from whoever asks."""

    def get_queryset(self) -> models.QuerySet[Report]:
        """Without those of studies that are kept to others."""
        found, hidden = super().get_queryset(), HIDDEN.get()
        return found.exclude(studies__in=hidden) if hidden else found


class Report(models.Model):
    """An article of the magazine. It may draw on several studies."""

    title = models.CharField(max_length=160)
    #: Its own part of the address at which it is read.
    slug = models.SlugField(max_length=80, unique=True)
    #: Opens what is not open yet, to whoever has it.
    secret = models.CharField(max_length=40, default=_secret, unique=True)
    state = models.CharField(max_length=10, choices=ReportState.choices, default=ReportState.DRAFT)
    studies = models.ManyToManyField(Study, related_name="reports")
    #: Until then what is published is open by its secret alone; at once where there is none.
    opens_at = models.DateTimeField(null=True, blank=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="reports")
    at = models.DateTimeField(auto_now_add=True)
    #: Who signed what stands in it now; nobody once anything of it changes.
    checked_by = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True, blank=True, related_name="+"
    )
    withdrawn_at = models.DateTimeField(null=True, blank=True)
    withdrawn_why = models.CharField(max_length=600, blank=True)

    objects = SeenReports()
    all_reports = models.Manager["Report"]()

    class Meta:
        ordering = ["-at", "-pk"]
        default_manager_name = "all_reports"
        constraints = [
            models.CheckConstraint(condition=~Q(title=""), name="report_has_a_title"),
            models.CheckConstraint(condition=Q(state__in=ReportState.values), name="report_state_known"),
        ]

    def __str__(self) -> str:
        return self.title


class Shown(models.Model):
    """Something that a report shows or may show: prose, what is looked at of a study, or what the house keeps.

    `content` is the prose, or what is looked at; `said` what it came to when it was
    last taken over: in words, and a mark of all that is shown.
    """

    kind = models.CharField(max_length=8, choices=BlockKind.choices)
    study = models.ForeignKey(Study, on_delete=models.PROTECT, null=True, blank=True, related_name="+")
    content = models.JSONField(default=dict)
    said = models.JSONField(default=dict)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now=True)

    class Meta:
        abstract = True


class Kept(Shown):
    """On the shelf of a report: kept while reading, with the way back to what was looked at."""

    report = models.ForeignKey(Report, on_delete=models.CASCADE, related_name="shelf")
    label = models.CharField(max_length=300)
    way = models.CharField(max_length=600)

    class Meta:
        ordering = ["-pk"]

    def __str__(self) -> str:
        return self.label


class Block(Shown):
    """A block of a report, in its place from the top."""

    report = models.ForeignKey(Report, on_delete=models.CASCADE, related_name="blocks")
    place = models.PositiveIntegerField()

    class Meta:
        ordering = ["place"]
        constraints = [
            models.UniqueConstraint(
                fields=["report", "place"], name="block_has_its_place", deferrable=models.Deferrable.DEFERRED
            ),
            models.CheckConstraint(condition=Q(kind__in=BlockKind.values), name="block_kind_known"),
            models.CheckConstraint(
                condition=Q(kind__in=_OF_NO_STUDY, study=None) | (~Q(kind__in=_OF_NO_STUDY) & Q(study__isnull=False)),
                name="block_of_a_study_names_it",
            ),
        ]

    def __str__(self) -> str:
        return f"{self.get_kind_display()} {self.place}"


class Settled(models.Model):
    """A point of the list before publishing that was accepted, with the reason that prints."""

    report = models.ForeignKey(Report, on_delete=models.CASCADE, related_name="settled")
    #: The point as it was accepted: another number of open doubts is another point.
    point = models.TextField()
    why = models.CharField(max_length=400)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["report", "point"], name="point_settled_once")]

    def __str__(self) -> str:
        return self.point


class Edition(models.Model):
    """A report as it was published: frozen with all its data."""

    report = models.ForeignKey(Report, on_delete=models.PROTECT, related_name="editions")
    number = models.PositiveIntegerField()
    title = models.CharField(max_length=160)
    #: What the page says first, for links to it.
    summary = models.CharField(max_length=600, blank=True)
    at = models.DateTimeField()
    opens_at = models.DateTimeField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    checked_by = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True, blank=True, related_name="+"
    )
    #: Why it follows on another.
    why = models.CharField(max_length=600, blank=True)
    #: What it says otherwise than the one before: of what, before, after, whether a verdict flipped.
    erratum = models.JSONField(default=list)
    #: Every number and sentence that it says, by key: of what, the words, the verdict.
    says = models.JSONField(default=dict)

    class Meta:
        ordering = ["number"]
        constraints = [
            models.UniqueConstraint(fields=["report", "number"], name="edition_once"),
            models.CheckConstraint(condition=Q(number=1) | ~Q(why=""), name="edition_that_follows_says_why"),
        ]

    def __str__(self) -> str:
        return f"{self.title}, edition {self.number}"


class EditionFile(Held):
    """A file of an edition: the page, its numbers, the PDF, the script, a data package of each study."""

    edition = models.ForeignKey(Edition, on_delete=models.PROTECT, related_name="files")
    name = models.CharField(max_length=80)
    media_type = models.CharField(max_length=60)
    size = models.PositiveBigIntegerField()
    sha256 = models.CharField(max_length=64)

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["edition", "name"], name="edition_file_once")]

    def __str__(self) -> str:
        return self.name
