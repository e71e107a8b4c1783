"""Signing in, where whoever calls comes with their role and the studies that are hidden from them, in one statement."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.models import User
from django.contrib.postgres.expressions import ArraySubquery
from django.db.models import Exists, OuterRef
from people.backend import WithRole
from studies.models import Study


class WithAccess(WithRole):
    """Django's own, with role and hidden studies."""

    def get_user(self, user_id: Any) -> User | None:
        """The user of a session, or None where there is none or the account is closed."""
        named = Study.kept_to.through.objects.filter(study_id=OuterRef("pk"), user_id=OuterRef(OuterRef("pk")))
        hidden = Study.with_removed.filter(kept=True).exclude(Exists(named)).order_by().values("pk")
        asked = User.objects.select_related("person").annotate(hidden_studies=ArraySubquery(hidden))
        user = asked.filter(pk=user_id).first()
        return user if user is not None and self.user_can_authenticate(user) else None
