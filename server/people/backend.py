"""Signing in by name and password, each caller with their role."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.backends import ModelBackend
from django.contrib.auth.models import User


class WithRole(ModelBackend):
    """Django's own, where whoever calls comes with their role in one statement."""

    def get_user(self, user_id: Any) -> User | None:
        """The user of a session, or None where there is none or the account is closed."""
        user = User.objects.select_related("person").filter(pk=user_id).first()
        return user if user is not None and self.user_can_authenticate(user) else None
