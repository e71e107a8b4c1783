"""What one does about doubts: settle one or many, accept what nobody doubts. Roles and transactions as elsewhere."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from django.contrib.auth.models import AnonymousUser, User
from django.db import transaction
from django.db.models import QuerySet
from django.utils import timezone
from intake.listeners import catch_up
from intake.measuring import Ahead, captures_at_rest, measure_ahead
from intake.models import Capture, PassDoubt
from intake.services import trim
from people.access import require
from people.models import Role
from problems import Conflict, NotFound, Problem
from rennbahn.checks import CHECKS
from rennbahn.checks.settling import held_alike, is_real
from rennbahn.checks.words import check_words
from studies.acts import keep_act
from studies.deciding import change_passes, decide, repeat
from studies.models import STANDING, WAITS, Decision, Pass, PassState, Study, Test
from studies.record import note, note_each
from studies.services import open_study

from doubting.checking import check_tests
from doubting.models import CheckOff, How, RepeatFound, Settled, WideDoubt
from doubting.queries import checks_of, doubted_passes
from doubting.schemas import AcceptedOut, CheckIn, CheckOut, SettleIn, SettleWideIn
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
    """Settle what one check doubts about a pass, or all that checks doubt about it; how many passes that changed.

    Raises :class:`NotFound` where that check doubts nothing there, :class:`Problem` where a reason is missing.
    """
    tester = require(user, Role.TESTER)
    ahead = _measured_ahead(pass_id, data)
    with transaction.atomic():
        study_id = Pass.objects.filter(pk=pass_id).values_list("test__study", flat=True).first()
        if study_id is None:
            raise NotFound("pass")
        study = open_study(study_id)
        (one,) = _whole(Pass.objects.filter(pk=pass_id))
        asked = {"check_id": data.check} if data.check else {}
        doubts = list(PassDoubt.objects.filter(on_pass=one, **asked))
        if not doubts:
            raise NotFound(f"doubt “{data.check}” about this pass" if data.check else "doubt about this pass")
        settling = _Settling(tester, study, How(data.how), data.reason, data.reason_code, data.cap_name)
        settling.ahead = ahead
        # What a check proposes or assumes is its own; of several the one that proposes something.
        doubt = next((each for each in doubts if each.window is not None), doubts[0])
        changed = _DOING[settling.how](settling, one, doubt)
        settling.keep([(one, each) for each in ([doubt] if settling.how in _OF_ONE_CHECK else doubts)])
    return changed


def settle_wide(user: Caller, study_id: int, data: SettleWideIn) -> int:
    """Settle a doubt about a lane, a test or a session for all its passes at once; how many passes that changed."""
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        study = open_study(study_id)
        doubt = WideDoubt.objects.filter(study=study, key=data.key).first()
        if doubt is None:
            raise NotFound("doubt in this study")
        settling = _Settling(tester, study, How(data.how), data.reason, data.reason_code)
        changed = _DOING_WIDE[settling.how](settling, doubt)
        settling.keep_wide(doubt)
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


def _whole(passes: QuerySet[Pass]) -> list[Pass]:
    """Passes with all that names them in the record."""
    return list(passes.select_related("lane", "test__scene__game", "test__condition").order_by("pk"))


class _Settling:
    """One act of settling: what was decided by it, and what it is kept with. Called with the study locked."""

    def __init__(self, tester: User, study: Study, how: How, reason: str, code: str = "", cap_name: str = "") -> None:
        if how in (How.ACCEPTED, How.ASSUMED) and not reason:
            raise Problem("reason_needed", "Say why: it stands in the record beside the doubt.", field="reason")
        self.tester, self.study, self.how = tester, study, how
        self.reason, self.code, self.cap_name = reason, code, cap_name
        self.act: Decision | None = None
        #: What a trim measured before the study was locked.
        self.ahead: Ahead | None = None

    def decide(self, passes: Sequence[Pass], state: PassState) -> int:
        """Make passes what they are to be."""
        why = (self.reason, self.code) if state == PassState.REJECTED else ()
        self.act, changed = decide(self.tester, self.study, passes, state, *why)
        return changed

    def did(self, passes: Sequence[Pass], did: str, **facts: Any) -> None:
        """Keep what an act that is no decision changed, as it was before."""
        self.act = keep_act(self.study, self.tester, did, passes, self.reason, **facts)

    def keep(self, doubts: Sequence[tuple[Pass, PassDoubt]]) -> None:
        """Keep how doubts about passes were settled, in place of what was said of them before."""
        passes = [one for one, _ in doubts]
        basis = dict(Capture.objects.filter(on_pass__in=passes).values_list("on_pass", "basis"))
        places = [(one, doubt, basis.get(one.pk, "")) for one, doubt in doubts]
        known = {(one.pk, doubt.check_id, made) for one, doubt, made in places}
        earlier = Settled.objects.filter(on_pass__in=passes, taken_back_at=None)
        self._replace([
            pk for pk, *place in earlier.values_list("pk", "on_pass", "key", "basis") if tuple(place) in known
        ])  # fmt: skip
        act = self.act or keep_act(self.study, self.tester, "settled", dict.fromkeys(passes), self.reason)
        Settled.objects.bulk_create(
            self._settled(act, doubt.check_id, doubt.words, on_pass=one, basis=made) for one, doubt, made in places
        )
        for check in dict.fromkeys(doubt.check_id for _, doubt in doubts):
            own = [one for one, doubt in doubts if doubt.check_id == check]
            note_each(self.study, self.tester, f"settled “{check}”", own, self._why)

    def keep_wide(self, doubt: WideDoubt) -> None:
        """The same of a doubt about more than one pass."""
        earlier = Settled.objects.filter(study=self.study, on_pass=None, key=doubt.key, taken_back_at=None)
        self._replace(list(earlier.values_list("pk", flat=True)))
        passes = _whole(Pass.objects.filter(pk__in=doubt.passes))
        act = self.act or keep_act(self.study, self.tester, "let stand", passes, self.reason)
        self._settled(act, doubt.key, doubt.words).save()
        note_each(self.study, self.tester, f"settled “{doubt.check_id}”", passes, self._why)

    def _settled(self, act: Decision, key: str, words: str, **of: Any) -> Settled:
        return Settled(
            study=self.study, key=key, how=self.how, reason=self.reason, words=words, by=self.tester, decision=act,
            **of,
        )  # fmt: skip

    def _replace(self, ids: Sequence[int]) -> None:
        Settled.objects.filter(pk__in=ids).update(taken_back_at=timezone.now())

    @property
    def _why(self) -> str:
        return f"{self.how.label}{f': {self.reason}' if self.reason else ''}"


def _accept(settling: _Settling, one: Pass, _: PassDoubt) -> int:
    return settling.decide([one], PassState.ACCEPTED)


def _reject(settling: _Settling, one: Pass, _: PassDoubt) -> int:
    return settling.decide([one], PassState.REJECTED)


def _trim(settling: _Settling, one: Pass, doubt: PassDoubt) -> int:
    """Trim the pass to the window that the check proposes, within the window it has."""
    capture = Capture.objects.select_for_update(of=("self",)).filter(on_pass=one).first()
    windows = _proposed(capture, doubt)
    assert capture is not None  # noqa: S101 - nothing is proposed without one
    capture.on_pass = one
    settling.act = trim(settling.tester, settling.study, capture, windows, settling.ahead)
    return 1


def _proposed(capture: Capture | None, doubt: PassDoubt) -> list[list[float]]:
    """The window that a check proposes, on the clock of the whole capture. Raises :class:`Conflict` without one."""
    if capture is None or doubt.window is None:
        raise Conflict("no_window", "This check proposes no window.", hint="Trim the pass by hand in the trace.")
    if len(capture.windows) > 1:
        raise Conflict("several_windows", "The pass has several windows already.", hint="Trim it by hand.")
    begin = capture.windows[0][0] if capture.windows else 0.0
    return [[begin + end for end in doubt.window]]


def _measured_ahead(pass_id: int, data: SettleIn) -> Ahead | None:
    """What a trim will measure, made before anything is locked; None where nothing is trimmed."""
    if How(data.how) is not How.TRIMMED:
        return None
    capture = captures_at_rest().filter(on_pass=pass_id).first()
    asked = {"check_id": data.check} if data.check else {}
    doubt = PassDoubt.objects.filter(on_pass=pass_id, window__isnull=False, **asked).first()
    return measure_ahead(capture, _proposed(capture, doubt)) if capture and doubt else None


def _repeat(settling: _Settling, one: Pass, _: PassDoubt) -> int:
    settling.act, planned = repeat(settling.tester, settling.study, [one])
    return len(planned)


def _assume(settling: _Settling, one: Pass, doubt: PassDoubt) -> int:
    """The cap is known, or passes of this test take longer than the card says: what was measured is judged by that."""
    if doubt.check_id == "lock":
        return _know_cap(settling, one, float(doubt.evidence["lock_fps"]))
    if doubt.check_id == "wrong_length":
        return _know_length(settling, one.test, float(doubt.evidence["duration_s"]))
    raise _nothing_to_assume()


def _nothing_to_assume() -> Conflict:
    return Conflict(
        "nothing_to_assume", "This check assumes nothing that could be put right.",
        hint="Accept it anyway, with a reason, reject it, or have it repeated.",
    )  # fmt: skip


def _know_cap(settling: _Settling, one: Pass, fps: float) -> int:
    """A cap is known from now on, for all passes of the test in this lane that are held at it."""
    name = settling.cap_name or "engine cap"
    cell = PassDoubt.objects.filter(on_pass__test=one.test_id, on_pass__lane=one.lane_id, check_id="lock")
    doubts = {doubt.on_pass_id: doubt for doubt in cell}
    locks = {pk: float(doubt.evidence["lock_fps"]) for pk, doubt in doubts.items()}
    passes = _whole(Pass.objects.filter(pk__in=held_alike(locks, fps)))
    settling.did(passes, "named a cap for", caps={str(each.pk): _assumed(each) for each in passes})
    for each in passes:
        caps = [cap for cap in _assumed(each) if cap["name"] != name]
        _assume_caps(each, [*caps, {"name": name, "fps": round(fps, 2), "refresh": False}])
    Pass.objects.bulk_update(passes, ["run_as"])
    note_each(settling.study, settling.tester, "named a cap", passes, f"{name}, {fps:.1f} fps: {settling.reason}")
    catch_up(settling.study)
    settling.keep([(each, doubts[each.pk]) for each in passes if each.pk != one.pk])
    return len(passes)


def _assumed(one: Pass) -> list[dict[str, Any]]:
    """Caps that somebody named after the pass was run."""
    return list((one.run_as or {}).get("assumed_caps", []))


def _assume_caps(one: Pass, caps: list[dict[str, Any]]) -> None:
    one.run_as = {**(one.run_as or {}), "assumed_caps": caps}


def _know_length(settling: _Settling, test: Test, length_s: float) -> int:
    standing = _whole(Pass.objects.filter(test=test, state__in=STANDING))
    settling.did(standing, "put the length right for", lengths={str(test.pk): test.length_s})
    test.length_s = round(length_s, 1)
    test.save(update_fields=["length_s"])
    note(settling.study, settling.tester, "put the length of a test right",
         f"{test}: {length_s:.1f} s. {settling.reason}")  # fmt: skip
    check_tests(settling.study, [test.pk])
    return len(standing)


def _odd(settling: _Settling, one: Pass, _: PassDoubt) -> int:
    """The pass is odd, but real, since a repeat agrees: it counts, and is told."""
    repeats = RepeatFound.objects.filter(of=one) | RepeatFound.objects.filter(one=one)
    if not is_real(repeats.values_list("agrees", flat=True)):
        raise Conflict(
            "not_repeated", "No repeat agrees with this pass yet, so nothing says that it is real.",
            hint="Have it repeated; if the repeat agrees it can stand as odd.",
        )  # fmt: skip
    return settling.decide([one], PassState.ACCEPTED)


#: What one check proposes or assumes says nothing of what another doubts.
_OF_ONE_CHECK = (How.TRIMMED, How.ASSUMED)
_DOING: Mapping[How, Callable[[_Settling, Pass, PassDoubt], int]] = {
    How.ACCEPTED: _accept, How.REJECTED: _reject, How.TRIMMED: _trim, How.REPEAT: _repeat, How.ASSUMED: _assume,
    How.ODD: _odd,
}  # fmt: skip


def _accept_wide(_: _Settling, doubt: WideDoubt) -> int:
    """It is told with the findings, and its passes may be accepted; nothing is decided about them by this."""
    return len(doubt.passes)


def _standing(doubt: WideDoubt) -> list[Pass]:
    return _whole(Pass.objects.filter(pk__in=doubt.passes, state__in=STANDING))


def _reject_wide(settling: _Settling, doubt: WideDoubt) -> int:
    return settling.decide(_standing(doubt), PassState.REJECTED)


def _repeat_wide(settling: _Settling, doubt: WideDoubt) -> int:
    settling.act, planned = repeat(settling.tester, settling.study, _standing(doubt))
    return len(planned)


def _assume_wide(settling: _Settling, doubt: WideDoubt) -> int:
    if doubt.check_id != "wrong_length" or doubt.of_test_id is None:
        raise _nothing_to_assume()
    (test,) = Test.objects.select_related("scene__game", "condition").filter(pk=doubt.of_test_id)
    return _know_length(settling, test, float(doubt.evidence["usual_s"]))


_DOING_WIDE: Mapping[How, Callable[[_Settling, WideDoubt], int]] = {
    How.ACCEPTED: _accept_wide, How.REJECTED: _reject_wide, How.REPEAT: _repeat_wide, How.ASSUMED: _assume_wide,
}  # fmt: skip


def take_back(study: Study, decision: Decision) -> None:
    """Put back what an act had changed that is being taken back: what it settled stands again.

    Called within the transaction in which it is taken back.
    """
    Settled.objects.filter(decision=decision, taken_back_at=None).update(taken_back_at=timezone.now())
    facts = decision.facts
    Pass.objects.filter(pk__in=facts.get("planned", []), state=PassState.PLANNED).delete()
    if "caps" in facts:
        passes = list(Pass.objects.filter(pk__in=facts["caps"]))
        for one in passes:
            _assume_caps(one, facts["caps"][str(one.pk)])
        Pass.objects.bulk_update(passes, ["run_as"])
        catch_up(study)
    lengths = facts.get("lengths", {})
    for test, length_s in lengths.items():
        Test.objects.filter(pk=test).update(length_s=length_s)
    if lengths:
        check_tests(study, map(int, lengths))
