"""The demo beside one's own: another server with a database of its own, which the supervisor starts when asked."""

from __future__ import annotations

import json
from datetime import datetime
from pathlib import Path

from django.conf import settings
from django.contrib.auth.models import AnonymousUser, User
from django.http import HttpRequest
from problems import Conflict

from people.access import require, role_of
from people.house import house
from people.models import Person, Role
from people.schemas import DemoOut, HouseOut


def house_out(request: HttpRequest) -> HouseOut:
    """Whose Rennbahn this is, and the demo beside it. Who is not signed in is told the name alone."""
    kept, inside = house(), request.user.is_authenticated
    shown, lead = kept if inside else None, role_of(request.user) == Role.LEAD
    return HouseOut(
        name=kept.name if kept else "",
        time_zone=shown.time_zone if shown else "",
        currency=shown.currency if shown else "",
        price_per_kwh=float(shown.price_per_kwh) if shown and shown.price_per_kwh is not None else None,
        second_factor=bool(shown and shown.second_factor),
        nobody=kept is None and not Person.objects.exists(),
        demo=DemoOut(offered=inside and settings.DEMO_ASKED is not None, address=_running() if inside else ""),
        back=settings.BACK,
        outside=settings.OIDC_NAME if settings.OIDC_ISSUER else "",
        backups=lead and settings.BACKED_UP is not None,
        backed_up_at=backed_up_at() if lead else None,
        greeting=[" ".join(line.split()) for line in settings.GREETING.splitlines() if line.strip()],
    )


def backed_up_at() -> datetime | None:
    """When the last backup was made."""
    try:
        return datetime.fromisoformat(json.loads(settings.BACKED_UP.read_text())["at"]) if settings.BACKED_UP else None
    except (OSError, ValueError, KeyError, TypeError):
        return None


def ask_for_demo(user: User | AnonymousUser) -> None:
    """Let the supervisor start the demo. Raises :class:`Conflict` where there is none that could."""
    require(user, Role.VIEWER)
    asked = settings.DEMO_ASKED
    if asked is None:
        raise Conflict("no_demo", "No demo can be opened beside this one.", hint="`make demo` starts one.")
    asked.touch()


def _running() -> str:
    """Where the demo is; empty while it does not run."""
    asked = settings.DEMO_ASKED
    try:
        return str(json.loads(_told(asked).read_text())["address"]) if asked else ""
    except (OSError, ValueError, KeyError, TypeError):
        return ""


def _told(asked: Path) -> Path:
    return asked.with_name(f"{asked.name}.json")
