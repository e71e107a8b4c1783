"""Who works here, and what they may do."""

from __future__ import annotations

from django.conf import settings
from django.db import models


class Role(models.TextChoices):
    """Each role may do what those before it may."""

    VIEWER = "viewer", "Viewer: reads"
    TESTER = "tester", "Tester: records passes"
    LEAD = "lead", "Lead: plans and publishes"


class Person(models.Model):
    """A user's role."""

    user = models.OneToOneField(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="person")
    role = models.CharField(max_length=10, choices=Role.choices, default=Role.VIEWER)

    class Meta:
        constraints = [
            models.CheckConstraint(condition=models.Q(role__in=Role.values), name="person_role_known"),
        ]

    def __str__(self) -> str:
        return f"{self.user} ({self.role})"


class Failure(models.Model):
    """Wrong passwords for a name from an address, in a row: the name is shut for that address (people.throttle)."""

    name = models.CharField(max_length=150)
    address = models.CharField(max_length=64)
    failures = models.PositiveIntegerField(default=1)
    last_at = models.DateTimeField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["name", "address"], name="failures_of_a_name_from_an_address")]
        indexes = [models.Index(fields=["last_at"], name="failures_to_forget")]

    def __str__(self) -> str:
        return f"{self.name} from {self.address}"


class BenchToken(models.Model):
    """Lets a test machine hand in files for a person, and nothing else. Only a digest of it is kept.

    `columns_name` names the saved column map by which its files are read, where the person says so.
    """

    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="bench_tokens")
    name = models.CharField(max_length=80)
    digest = models.CharField(max_length=64, unique=True)
    columns_name = models.CharField(max_length=120, blank=True)
    made_at = models.DateTimeField(auto_now_add=True)
    last_used_at = models.DateTimeField(null=True, blank=True)
    revoked_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["-made_at", "-id"]
        constraints = [models.CheckConstraint(condition=~models.Q(name=""), name="token_has_a_name")]

    def __str__(self) -> str:
        return f"{self.name} of {self.user}"


class BenchEdit(models.Model):
    """Somebody made or changed something on the bench: `what` is its kind, `what_id` which one."""

    what = models.CharField(max_length=12)
    what_id = models.BigIntegerField()
    who = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="bench_edits")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        indexes = [models.Index(fields=["what", "what_id", "-at"], name="last_edit_of")]

    def __str__(self) -> str:
        return f"{self.who}: {self.what} {self.what_id}"
