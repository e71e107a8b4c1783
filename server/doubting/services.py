"""What one does about doubts: settle one or many, accept what nobody doubts. Roles and transactions as elsewhere."""

from __future__ import annotations

from collections.abc import Sequence

from django.contrib.auth.models import AnonymousUser, User
from django.db import transaction
from intake.models import PassDoubt
from people.access import require
from people.models import Role
from problems import NotFound, Problem
from rennbahn.checks import CHECKS
from rennbahn.checks.words import check_words
from studies.deciding import change_passes
from studies.models import WAITS, Pass, PassState
from studies.record import note
from studies.services import open_study

from doubting.models import CheckOff, How, WideDoubt
from doubting.queries import checks_of, doubted_passes
from doubting.schemas import AcceptedOut, CheckIn, CheckOut, SettleIn, SettleWideIn
from doubting.settling import DOING, DOING_WIDE, OF_ONE_CHECK, Settling, trimmed_ahead, whole
from doubting.tasks import queue_check

Caller = User | AnonymousUser


def accept_undoubted(user: Caller, study_id: int, ids: Sequence[int] | None = None) -> AcceptedOut:
    """Accept the passes that wait and that no check doubts, as one act; all others stand as they are."""
    require(user, Role.TESTER)
    with transaction.atomic():
        open_study(study_id)
        waiting = Pass.objects.filter(WAITS, test__study=study_id)
        asked = set(waiting.values_list("pk", flat=True))
        if ids is not None:
            asked &= set(ids)
        fine = sorted(asked - doubted_passes(study_id))
        accepted = change_passes(user, study_id, fine, PassState.ACCEPTED) if fine else 0
    return AcceptedOut(accepted=accepted, left=len(asked) - accepted)


def settle(user: Caller, pass_id: int, data: SettleIn) -> int:
    """Settle what one check doubts about passes, or all that checks doubt about them; how many passes that changed.

    Raises :class:`NotFound` where that check doubts nothing about one of them, :class:`Problem` where a reason is
    missing: none is settled then.
    """
    tester = require(user, Role.TESTER)
    ids = list(dict.fromkeys([pass_id, *data.also]))
    asked = {"check_id": data.check} if data.check else {}
    ahead = trimmed_ahead(ids, asked) if How(data.how) is How.TRIMMED else {}
    with transaction.atomic():
        studies = set(Pass.objects.filter(pk__in=ids).values_list("test__study", flat=True))
        if len(studies) != 1:
            raise NotFound("pass" if len(ids) == 1 else "passes in one study")
        study = open_study(studies.pop())
        passes = whole(Pass.objects.filter(pk__in=ids))
        if len(passes) < len(ids):
            raise NotFound("pass")
        doubts: dict[int, list[PassDoubt]] = {}
        for doubt in PassDoubt.objects.filter(on_pass__in=ids, **asked).order_by("pk"):
            doubts.setdefault(doubt.on_pass_id, []).append(doubt)
        settling = Settling(tester, study, How(data.how), data.reason, data.reason_code, data.cap_name)
        settling.ahead = ahead
        own = settling.how in OF_ONE_CHECK
        undoubted = next((one for one in passes if one.pk not in doubts), None)
        if undoubted and (own or len(passes) == 1):
            what = f"doubt “{check_words(data.check)}”" if data.check else "doubt"
            raise NotFound(f"{what} about {'this pass' if len(passes) == 1 else undoubted}")
        # What a check proposes or assumes is its own; of several the one that proposes something.
        doubted = [
            (one, next((each for each in doubts[one.pk] if each.window is not None), doubts[one.pk][0]))
            for one in passes
            if one.pk in doubts
        ]
        changed = DOING[settling.how](settling, passes, doubted)
        settling.keep(doubted if own else [(one, each) for one, _ in doubted for each in doubts[one.pk]])
    return changed


def settle_wide(user: Caller, study_id: int, data: SettleWideIn) -> int:
    """Settle doubts about lanes, tests or sessions for all their passes, as one act; how many passes that changed."""
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        study = open_study(study_id)
        doubts = list(WideDoubt.objects.filter(study=study, key__in=data.keys))
        if len(doubts) < len(set(data.keys)):
            raise NotFound("doubt in this study")
        settling = Settling(tester, study, How(data.how), data.reason, data.reason_code)
        changed = DOING_WIDE[settling.how](settling, doubts)
        settling.keep_wide(doubts)
    return changed


def switch_check(user: Caller, study_id: int, check_id: str, data: CheckIn) -> CheckOut:
    """Ask a check in a study, or ask it no longer; its passes are checked anew soon.

    Raises :class:`NotFound` for a check that there is not, :class:`Problem` where it is switched off without a reason.
    """
    lead = require(user, Role.LEAD)
    if check_id not in {check.id for check in CHECKS}:
        raise NotFound(f"check “{check_id}”")
    if not data.asked and not data.reason:
        raise Problem("reason_needed", "Say why it is not asked here: it prints with the findings.", field="reason")
    with transaction.atomic():
        study = open_study(study_id)
        there = CheckOff.objects.filter(study=study, check_id=check_id)
        words = check_words(check_id)
        if data.asked and there.delete()[0]:
            note(study, lead, f"asks the check “{words}” again", data.reason)
        elif not data.asked:
            CheckOff.objects.update_or_create(
                study=study, check_id=check_id, defaults={"reason": data.reason, "by": lead}
            )
            note(study, lead, f"switched the check “{words}” off", data.reason)
        queue_check(study.pk, list(study.tests.values_list("pk", flat=True)))
    return next(one for one in checks_of(study_id) if one.id == check_id)
