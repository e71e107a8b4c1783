"""Who edited what stands on the bench: parts, rigs, setups, games, scenes, conditions."""

from __future__ import annotations

from django.contrib.auth.models import User

from people.models import BenchEdit


def note_edit(who: User, what: str, what_id: int) -> None:
    """Note that somebody made or changed something."""
    BenchEdit.objects.create(who=who, what=what, what_id=what_id)


def last_edit(what: str, what_id: int) -> str:
    """Who changed something last, and when, in words; empty where nobody did."""
    found = BenchEdit.objects.filter(what=what, what_id=what_id).select_related("who").order_by("-at", "-pk").first()
    return f"“{found.who.get_username()}” changed it at {found.at:%H:%M} UTC" if found else ""
