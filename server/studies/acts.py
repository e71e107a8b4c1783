"""Acts that can be taken back: what became of passes in one of them, and undoing it as one.

Whoever changes passes keeps what they were with :func:`keep_act`; an act that changed more than states keeps that as
facts, and restores it when it is told that the act was taken back (see :mod:`studies.events`).
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

from changed_rows import write_back
from django.contrib.auth.models import User
from django.db import transaction
from django.utils import timezone
from people.access import require
from people.models import Role
from problems import Conflict, NotFound

from studies.composing import Caller
from studies.events import DecisionUndone, PassesDecided, StateChange, tell
from studies.models import Decision, DecisionOn, Pass, PassState, Study
from studies.record import note_each
from studies.services import open_study


def keep_act(
    study: Study, who: User, did: str, passes: Iterable[Pass], why: str = "", *, state: str = "", **facts: Any
) -> Decision:
    """Keep what some passes are before an act changes them. Called with the study locked.

    `did` says in words what is done to them, `state` what they become where it is decided on them.
    """
    decision = Decision.objects.create(study=study, by=who, did=did, state=state, why=why, facts=facts)
    DecisionOn.objects.bulk_create(
        DecisionOn(
            decision=decision, one=one, before=one.state, before_code=one.reason_code, before_reason=one.reason
        )
        for one in passes
    )  # fmt: skip
    return decision


def put_states(
    study: Study, who: User, passes: Sequence[Pass], before: Sequence[str], what: str, why: str,
    act: Decision | None = None,
) -> None:  # fmt: skip
    """Keep passes that became something else, note it of each, and tell whoever builds on it."""
    write_back(passes, ["state", "reason", "reason_code"])
    note_each(study, who, what, list(passes), why)
    changes = tuple(StateChange(one, was, one.state) for one, was in zip(passes, before, strict=True))
    tell(PassesDecided(study, changes, act))


def undo(user: Caller, study_id: int, decision_id: int) -> Decision:
    """Take an act back: every pass of it becomes what it was before, and the record says so.

    Raises :class:`Conflict` where it was taken back already, or something was done to a pass of it since.
    """
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        study = open_study(study_id)
        decision = Decision.objects.select_for_update().filter(pk=decision_id, study=study).first()
        if decision is None:
            raise NotFound("decision in this study")
        if decision.undone_at is not None:
            raise Conflict("decision_undone", "That decision was taken back already.")
        changes = list(decision.on.select_related("one__lane", "one__test__scene__game", "one__test__condition"))
        newer = Decision.objects.filter(study=study, pk__gt=decision.pk, undone_at=None)
        again = set(DecisionOn.objects.filter(decision__in=newer).values_list("one_id", flat=True))
        later = next(
            (x.one for x in changes if x.one_id in again or decision.state not in ("", x.one.state)), None
        )  # fmt: skip
        if later is not None:
            raise Conflict(
                "decided_since", f"{later} is {PassState(later.state).label.lower()} by now.",
                hint="Take back what was done last first.",
            )  # fmt: skip
        tell(DecisionUndone(study, decision))
        now = [change.one.state for change in changes]
        for change in changes:
            one = change.one
            one.state, one.reason_code, one.reason = change.before, change.before_code, change.before_reason
        why = f"{decision.did}{f': {decision.why}' if decision.why else ''}"
        put_states(study, tester, [change.one for change in changes], now, "took back a decision", why)
        decision.undone_at = timezone.now()
        decision.save(update_fields=["undone_at"])
    return decision
