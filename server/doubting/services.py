"""What one does about doubts: settle one or many, accept what nobody doubts. Roles and transactions as elsewhere."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any

from django.contrib.auth.models import AnonymousUser, User
from django.db import transaction
from django.utils import timezone
from intake.following import catch_up
from intake.models import Capture, PassDoubt
from intake.schemas import WindowsIn
from intake.services import set_windows
from people.access import require
from people.models import Role
from problems import Conflict, NotFound, Problem
from studies.deciding import change_passes, plan_repeat
from studies.models import STANDING, Decision, Pass, PassState, Study, Test
from studies.record import note, note_each
from studies.services import open_study

from doubting.checking import check_test
from doubting.models import How, RepeatFound, Settled, WideDoubt
from doubting.queries import doubted_passes
from doubting.schemas import AcceptedOut, OddIn, SettleIn, SettleWideIn

Caller = User | AnonymousUser
#: Locks this close to each other, as a share, are the same cap.
_SAME_CAP = 0.01


def accept_undoubted(user: Caller, study_id: int, ids: Sequence[int] | None = None) -> AcceptedOut:
    """Accept the passes that wait and that no check doubts, as one act; all others stand as they are."""
    require(user, Role.TESTER)
    with transaction.atomic():
        open_study(study_id)
        waiting = Pass.objects.filter(test__study=study_id, state=PassState.RECORDED)
        asked = set(waiting.values_list("pk", flat=True))
        if ids is not None:
            asked &= set(ids)
        doubted = doubted_passes(study_id)
        fine = sorted(asked - doubted)
        accepted = change_passes(user, study_id, fine, PassState.ACCEPTED) if fine else 0
    return AcceptedOut(accepted=accepted, left=len(asked) - accepted)


def settle(user: Caller, pass_id: int, data: SettleIn) -> int:
    """Settle what one check doubts about a pass, or all that checks doubt about it; how many passes that changed.

    Raises :class:`NotFound` where that check doubts nothing there, :class:`Problem` where a reason is missing.
    """
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        one = Pass.objects.select_related("test").filter(pk=pass_id).first()
        if one is None:
            raise NotFound("pass")
        study = open_study(one.test.study_id)
        one = Pass.objects.select_related("lane", "test__scene__game", "test__condition").get(pk=pass_id)
        asked = {"check_id": data.check} if data.check else {}
        doubts = list(PassDoubt.objects.filter(on_pass=one, **asked))
        if not doubts:
            raise NotFound(f"doubt “{data.check}” about this pass" if data.check else "doubt about this pass")
        how = How(data.how)
        if how == How.ODD:
            return _confirm_odd(tester, study, one, data.reason)
        _needs_reason(how, data.reason)
        settling = _Settling(tester, study, data.reason, data.reason_code, data.cap_name)
        doubt = next((each for each in doubts if each.window is not None), doubts[0])
        changed = _DOING[how](settling, one, doubt)
        settling.keep(how, [(one, each) for each in ([doubt] if how in _OF_ONE_CHECK else doubts)])
    return changed


def confirm_odd(user: Caller, pass_id: int, data: OddIn) -> int:
    """Say of a pass that it is odd, but real, since its repeat agrees; it is accepted. How many passes that changed."""
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        one = Pass.objects.filter(pk=pass_id).first()
        if one is None:
            raise NotFound("pass")
        study = open_study(Test.objects.values_list("study_id", flat=True).get(pk=one.test_id))
        one = Pass.objects.select_related("lane", "test__scene__game", "test__condition").get(pk=pass_id)
        return _confirm_odd(tester, study, one, data.reason)


def settle_wide(user: Caller, study_id: int, data: SettleWideIn) -> int:
    """Settle a doubt about a lane, a test or a session for all its passes at once; how many passes that changed."""
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        study = open_study(study_id)
        doubt = WideDoubt.objects.filter(study=study, key=data.key).first()
        if doubt is None:
            raise NotFound("doubt in this study")
        how = How(data.how)
        _needs_reason(how, data.reason)
        settling = _Settling(tester, study, data.reason, data.reason_code)
        changed = _DOING_WIDE[how](settling, doubt)
        settling.keep_wide(how, doubt)
    return changed


def _needs_reason(how: How, reason: str) -> None:
    if how in (How.ACCEPTED, How.ASSUMED) and not reason:
        raise Problem("reason_needed", "Say why: it stands in the record beside the doubt.", field="reason")


class _Settling:
    """One act of settling, and what it is kept with."""

    def __init__(self, tester: User, study: Study, reason: str, code: str = "", cap_name: str = "") -> None:
        self.tester, self.study, self.reason, self.code, self.cap_name = tester, study, reason, code, cap_name
        self.decision: Decision | None = None

    def decide(self, ids: Iterable[int], state: PassState) -> int:
        """Make passes what they are to be, as one act."""
        rejected = state == PassState.REJECTED
        changed = change_passes(
            self.tester, self.study.pk, sorted(set(ids)), state,
            self.reason if rejected else "", self.code if rejected else "",
        )  # fmt: skip
        if changed:
            self.decision = Decision.objects.filter(study=self.study).order_by("-pk").first()
        return changed

    def keep(self, how: How, doubts: Sequence[tuple[Pass, PassDoubt]]) -> None:
        """Keep how doubts about passes were settled, in place of what was said of them before."""
        for one, doubt in doubts:
            basis = Capture.objects.filter(on_pass=one).values_list("basis", flat=True).first() or ""
            earlier = Settled.objects.filter(on_pass=one, key=doubt.check_id, basis=basis, taken_back_at=None)
            self._replace(earlier)
            self._add(how, doubt.check_id, doubt.words, on_pass=one, basis=basis)
            note(self.study, self.tester, f"settled “{doubt.check_id}”", self._why(how), one)

    def keep_wide(self, how: How, doubt: WideDoubt) -> None:
        """The same of a doubt about more than one pass."""
        self._replace(Settled.objects.filter(study=self.study, on_pass=None, key=doubt.key, taken_back_at=None))
        self._add(how, doubt.key, doubt.words)
        passes = list(
            Pass.objects.filter(pk__in=doubt.passes).select_related("lane", "test__scene__game", "test__condition")
        )
        note_each(self.study, self.tester, f"settled “{doubt.check_id}”", passes, self._why(how))

    def _add(self, how: How, key: str, words: str, **of: Any) -> None:
        Settled.objects.create(
            study=self.study, key=key, how=how, reason=self.reason, words=words, by=self.tester,
            decision=self.decision, **of,
        )  # fmt: skip

    def _replace(self, earlier: Any) -> None:
        earlier.update(taken_back_at=timezone.now())

    def _why(self, how: How) -> str:
        return f"{how.label}{f': {self.reason}' if self.reason else ''}"


def _accept(settling: _Settling, one: Pass, _: PassDoubt) -> int:
    return settling.decide([one.pk], PassState.ACCEPTED)


def _reject(settling: _Settling, one: Pass, _: PassDoubt) -> int:
    return settling.decide([one.pk], PassState.REJECTED)


def _trim(settling: _Settling, one: Pass, doubt: PassDoubt) -> int:
    """Trim the pass to the window that the check proposes, within the windows it has."""
    capture = Capture.objects.filter(on_pass=one).first()
    if capture is None or doubt.window is None:
        raise Conflict("no_window", "This check proposes no window.", hint="Trim the pass by hand in the trace.")
    start, stop = doubt.window
    windows = [*capture.windows]
    begin = windows[0][0] if windows else 0.0
    if len(windows) > 1:
        raise Conflict("several_windows", "The pass has several windows already.", hint="Trim it by hand.")
    set_windows(settling.tester, capture.pk, WindowsIn(windows=[[begin + start, begin + stop]]))
    return 1


def _repeat(settling: _Settling, one: Pass, _: PassDoubt) -> int:
    plan_repeat(settling.tester, one.pk)
    return 1


def _assume(settling: _Settling, one: Pass, doubt: PassDoubt) -> int:
    """The cap is known, or passes of this test take longer than the card says: what was measured is judged by that."""
    if doubt.check_id == "lock":
        return _know_cap(settling, one, float(doubt.evidence["lock_fps"]))
    if doubt.check_id == "wrong_length":
        return _know_length(settling, one.test, float(doubt.evidence["duration_s"]))
    raise Conflict(
        "nothing_to_assume", "This check assumes nothing that could be put right.",
        hint="Accept the pass all the same, reject it, or have it repeated.",
    )  # fmt: skip


def _know_cap(settling: _Settling, one: Pass, fps: float) -> int:
    """A cap is known from now on, for all passes of the test in this lane that are held at it."""
    name = settling.cap_name or "engine cap"
    held = PassDoubt.objects.filter(on_pass__test=one.test_id, on_pass__lane=one.lane_id, check_id="lock")
    ids = {
        pk for pk, evidence in held.values_list("on_pass", "evidence")
        if abs(float(evidence["lock_fps"]) / fps - 1.0) <= _SAME_CAP
    } | {one.pk}  # fmt: skip
    passes = list(Pass.objects.filter(pk__in=ids).select_related("lane", "test__scene__game", "test__condition"))
    for each in passes:
        told = each.run_as or {}
        caps = [cap for cap in told.get("assumed_caps", []) if cap["name"] != name]
        each.run_as = {**told, "assumed_caps": [*caps, {"name": name, "fps": round(fps, 2), "refresh": False}]}
    Pass.objects.bulk_update(passes, ["run_as"])
    note_each(settling.study, settling.tester, "named a cap", passes, f"{name}, {fps:.1f} fps: {settling.reason}")
    catch_up(settling.study)
    alike = PassDoubt.objects.filter(on_pass__in=passes, check_id="lock").exclude(on_pass=one)
    by_pass = {each.pk: each for each in passes}
    settling.keep(How.ASSUMED, [(by_pass[doubt.on_pass_id], doubt) for doubt in alike])
    return len(passes)


def _know_length(settling: _Settling, test: Test, length_s: float) -> int:
    test.length_s = round(length_s, 1)
    test.save(update_fields=["length_s"])
    note(settling.study, settling.tester, "put the length of a test right",
         f"{test}: {length_s:.1f} s. {settling.reason}")  # fmt: skip
    check_test(settling.study, test.pk)
    return Pass.objects.filter(test=test, state__in=STANDING).count()


#: What one check proposes or assumes says nothing of what another doubts.
_OF_ONE_CHECK = (How.TRIMMED, How.ASSUMED)
_DOING: Mapping[How, Callable[[_Settling, Pass, PassDoubt], int]] = {
    How.ACCEPTED: _accept, How.REJECTED: _reject, How.TRIMMED: _trim, How.REPEAT: _repeat, How.ASSUMED: _assume,
}  # fmt: skip


def _confirm_odd(tester: User, study: Study, one: Pass, reason: str) -> int:
    repeats = RepeatFound.objects.filter(of=one) | RepeatFound.objects.filter(one=one)
    if not repeats.filter(agrees=True).exists():
        raise Conflict(
            "not_repeated", "No repeat agrees with this pass yet, so nothing says that it is real.",
            hint="Have it repeated; if the repeat agrees it can stand as odd.",
        )  # fmt: skip
    doubts = list(PassDoubt.objects.filter(on_pass=one))
    if not doubts:
        raise Conflict("nothing_odd", "No check finds this pass odd.", hint="Accept it.")
    settling = _Settling(tester, study, reason)
    changed = settling.decide([one.pk], PassState.ACCEPTED)
    settling.keep(How.ODD, [(one, doubt) for doubt in doubts])
    return changed


def _accept_wide(_: _Settling, doubt: WideDoubt) -> int:
    """It is told with the findings, and its passes may be accepted; nothing is decided about them by this."""
    return len(doubt.passes)


def _reject_wide(settling: _Settling, doubt: WideDoubt) -> int:
    standing = Pass.objects.filter(pk__in=doubt.passes, state__in=STANDING)
    return settling.decide(standing.values_list("pk", flat=True), PassState.REJECTED)


def _repeat_wide(settling: _Settling, doubt: WideDoubt) -> int:
    standing = Pass.objects.filter(pk__in=doubt.passes, state__in=STANDING)
    ids = list(standing.order_by("test__position", "lane__position", "number").values_list("pk", flat=True))
    for pk in ids:
        plan_repeat(settling.tester, pk)
    return len(ids)


def _assume_wide(settling: _Settling, doubt: WideDoubt) -> int:
    if doubt.check_id != "wrong_length" or doubt.of_test_id is None:
        raise Conflict(
            "nothing_to_assume", "This check assumes nothing that could be put right.",
            hint="Take it as it is with a reason, reject its passes, or have them repeated.",
        )  # fmt: skip
    test = Test.objects.select_related("scene__game", "condition").get(pk=doubt.of_test_id)
    return _know_length(settling, test, float(doubt.evidence["usual_s"]))


_DOING_WIDE: Mapping[How, Callable[[_Settling, WideDoubt], int]] = {
    How.ACCEPTED: _accept_wide, How.REJECTED: _reject_wide, How.REPEAT: _repeat_wide, How.ASSUMED: _assume_wide,
}  # fmt: skip
