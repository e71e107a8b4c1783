"""The record of a study: the one place that writes it."""

from __future__ import annotations

from django.contrib.auth.models import User

from studies.models import AuditLine, Pass, Study


def last_said(study: Study, *whats: str) -> str:
    """Who did one of these last, when and with what words; empty where nobody did."""
    lines = AuditLine.objects.filter(study=study, what__in=whats).select_related("who")
    line = lines.order_by("-at", "-pk").first()
    if line is None:
        return ""
    told = f" ({line.why})" if line.why else ""
    return f"“{line.who.get_username()}” {line.what} at {line.at:%H:%M} UTC{told}"


def note(study: Study, who: User, what: str, why: str = "", one: Pass | None = None) -> None:
    """Add a line to the study's record."""
    AuditLine.objects.create(
        study=study,
        pass_id=one.pk if one else None,
        on_what=str(one)[:400] if one else "",
        who=who,
        what=what,
        why=why[:300],
    )


def note_each(study: Study, who: User, what: str, passes: list[Pass], why: str = "") -> None:
    """Add the same line for each of several passes that were dealt with in one act."""
    AuditLine.objects.bulk_create(
        AuditLine(study=study, pass_id=one.pk, on_what=str(one)[:400], who=who, what=what, why=why[:300])
        for one in passes
    )
