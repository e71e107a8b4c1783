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
