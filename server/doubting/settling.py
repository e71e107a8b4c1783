"""How doubts are settled: what each way does to the passes, as one act, and what it is kept with.

Called within the transaction of a service, the study locked; the roles are the service's.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from typing import Any

from django.contrib.auth.models import User
from django.db.models import QuerySet
from django.utils import timezone
from intake.listeners import catch_up
from intake.measuring import Ahead, captures_at_rest
from intake.models import Capture, PassDoubt
from intake.trimming import Trim, trim, trims_ahead
from problems import Conflict, Problem
from rennbahn.checks.settling import held_alike, is_real
from rennbahn.checks.words import check_words
from rennbahn.planning.lengths import middle_s
from studies.acts import keep_act
from studies.deciding import decide, repeat
from studies.models import STANDING, Decision, Pass, PassState, Study, Test
from studies.record import note, note_each

from doubting.checking import check_tests
from doubting.models import How, RepeatFound, Settled, WideDoubt


def whole(passes: QuerySet[Pass]) -> list[Pass]:
    """Passes with all that names them in the record."""
    return list(passes.select_related("lane", "test__scene__game", "test__condition").order_by("pk"))


class Settling:
    """One act of settling: what was decided by it, and what it is kept with. Called with the study locked."""

    def __init__(self, tester: User, study: Study, how: How, reason: str, code: str = "", cap_name: str = "") -> None:
        if how in (How.ACCEPTED, How.ASSUMED) and not reason:
            raise Problem("reason_needed", "Say why: it stands in the record beside the doubt.", field="reason")
        self.tester, self.study, self.how = tester, study, how
        self.reason, self.code, self.cap_name = reason, code, cap_name
        self.act: Decision | None = None
        #: What trims measured before the study was locked, by capture.
        self.ahead: Mapping[int, Ahead] = {}

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
            note_each(self.study, self.tester, f"settled “{check_words(check)}”", own, self._why)

    def keep_wide(self, doubts: Sequence[WideDoubt]) -> None:
        """The same of doubts about more than one pass."""
        keys = [doubt.key for doubt in doubts]
        earlier = Settled.objects.filter(study=self.study, on_pass=None, key__in=keys, taken_back_at=None)
        self._replace(list(earlier.values_list("pk", flat=True)))
        passes = whole(Pass.objects.filter(pk__in={pk for doubt in doubts for pk in doubt.passes}))
        act = self.act or keep_act(self.study, self.tester, "let stand", passes, self.reason)
        Settled.objects.bulk_create(self._settled(act, doubt.key, doubt.words) for doubt in doubts)
        for check in dict.fromkeys(doubt.check_id for doubt in doubts):
            own = {pk for doubt in doubts if doubt.check_id == check for pk in doubt.passes}
            about = [one for one in passes if one.pk in own]
            note_each(self.study, self.tester, f"settled “{check_words(check)}”", about, self._why)

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


Doubted = Sequence[tuple[Pass, PassDoubt]]


def _accept(settling: Settling, passes: Sequence[Pass], _: Doubted) -> int:
    return settling.decide(passes, PassState.ACCEPTED)


def _reject(settling: Settling, passes: Sequence[Pass], _: Doubted) -> int:
    return settling.decide(passes, PassState.REJECTED)


def _trim(settling: Settling, _: Sequence[Pass], doubted: Doubted) -> int:
    """Trim passes to the windows that the check proposes, each within the window it has."""
    doubts = {one.pk: doubt for one, doubt in doubted}
    locked = Capture.objects.select_for_update(of=("self",)).select_related("arrival").filter(on_pass__in=doubts)
    captures = {capture.on_pass_id: capture for capture in locked.order_by("pk")}
    trims = []
    for one, doubt in doubted:
        capture = captures.get(one.pk)
        windows = _proposed(one, capture, doubt)
        assert capture is not None  # noqa: S101 - nothing is proposed without one
        capture.on_pass = one
        trims.append(Trim(capture, windows, settling.ahead.get(capture.pk)))
    settling.act = trim(settling.tester, settling.study, trims)
    return len(trims)


def _proposed(one: Pass, capture: Capture | None, doubt: PassDoubt) -> list[list[float]]:
    """The window that a check proposes, on the clock of the whole capture. Raises :class:`Conflict` without one."""
    if capture is None or doubt.window is None:
        raise Conflict(
            "no_window", f"This check proposes no window for {one}.", hint="Trim the pass by hand in the trace."
        )
    if len(capture.windows) > 1:
        raise Conflict("several_windows", f"{one} has several windows already.", hint="Trim it by hand.")
    begin = capture.windows[0][0] if capture.windows else 0.0
    return [[begin + end for end in doubt.window]]


def trimmed_ahead(ids: Sequence[int], asked: Mapping[str, str]) -> dict[int, Ahead]:
    """What trims will measure, made before anything is locked."""
    doubts = {
        doubt.on_pass_id: doubt
        for doubt in PassDoubt.objects.filter(on_pass__in=ids, window__isnull=False, **asked).order_by("-pk")
    }
    captures = captures_at_rest().filter(on_pass__in=doubts)
    return trims_ahead({
        capture.pk: _proposed(capture.on_pass, capture, doubts[capture.on_pass_id])
        for capture in captures
    })  # fmt: skip


def _repeat(settling: Settling, passes: Sequence[Pass], _: Doubted) -> int:
    settling.act, planned = repeat(settling.tester, settling.study, passes)
    return len(planned)


def _assume(settling: Settling, _: Sequence[Pass], doubted: Doubted) -> int:
    """The cap is known, or passes of a test take longer than the card says: what was measured is judged by that."""
    checks = {doubt.check_id for _, doubt in doubted}
    if checks == {"lock"}:
        return _know_cap(settling, doubted)
    if checks == {"wrong_length"}:
        took: dict[int, list[float]] = {}
        for one, doubt in doubted:
            took.setdefault(one.test_id, []).append(float(doubt.evidence["duration_s"]))
        tests = {one.test_id: one.test for one, _ in doubted}
        return _know_lengths(settling, [(tests[test], middle_s(seconds)) for test, seconds in took.items()])
    raise _nothing_to_assume()


def _nothing_to_assume() -> Conflict:
    return Conflict(
        "nothing_to_assume", "This check assumes nothing that could be put right.",
        hint="Accept it anyway, with a reason, reject it, or have it repeated.",
    )  # fmt: skip


def _know_cap(settling: Settling, doubted: Doubted) -> int:
    """A cap is known from now on, for all passes of these cells that are held at it."""
    name = settling.cap_name or "engine cap"
    cells = {(one.test_id, one.lane_id): float(doubt.evidence["lock_fps"]) for one, doubt in doubted}
    doubts = {
        doubt.on_pass_id: doubt
        for doubt in PassDoubt.objects.filter(
            on_pass__test__in={test for test, _ in cells}, on_pass__lane__in={lane for _, lane in cells},
            check_id="lock",
        ).select_related("on_pass")
    }  # fmt: skip
    held: dict[int, float] = {}
    for (test, lane), fps in cells.items():
        locks = {
            pk: float(doubt.evidence["lock_fps"])
            for pk, doubt in doubts.items()
            if (doubt.on_pass.test_id, doubt.on_pass.lane_id) == (test, lane)
        }
        held |= dict.fromkeys(held_alike(locks, fps), fps)
    passes = whole(Pass.objects.filter(pk__in=held))
    settling.did(passes, "named a cap for", caps={str(each.pk): _assumed(each) for each in passes})
    for each in passes:
        caps = [cap for cap in _assumed(each) if cap["name"] != name]
        _assume_caps(each, [*caps, {"name": name, "fps": round(held[each.pk], 2), "refresh": False}])
    Pass.objects.bulk_update(passes, ["run_as"])
    for fps in dict.fromkeys(held.values()):
        own = [each for each in passes if held[each.pk] == fps]
        note_each(settling.study, settling.tester, "named a cap", own, f"{name}, {fps:.1f} fps: {settling.reason}")
    catch_up(settling.study)
    asked = {one.pk for one, _ in doubted}
    settling.keep([(each, doubts[each.pk]) for each in passes if each.pk not in asked])
    return len(passes)


def _assumed(one: Pass) -> list[dict[str, Any]]:
    """Caps that somebody named after the pass was run."""
    return list((one.run_as or {}).get("assumed_caps", []))


def _assume_caps(one: Pass, caps: list[dict[str, Any]]) -> None:
    one.run_as = {**(one.run_as or {}), "assumed_caps": caps}


def _know_lengths(settling: Settling, lengths: Sequence[tuple[Test, float]]) -> int:
    """Passes of tests are held against other lengths, in s, than their scenes' cards say."""
    standing = whole(Pass.objects.filter(test__in=[test for test, _ in lengths], state__in=STANDING))
    settling.did(standing, "put the length right for", lengths={str(test.pk): test.length_s for test, _ in lengths})
    for test, length_s in lengths:
        test.length_s = round(length_s, 1)
        note(settling.study, settling.tester, "put the length of a test right",
             f"{test}: {length_s:.1f} s. {settling.reason}")  # fmt: skip
    Test.objects.bulk_update([test for test, _ in lengths], ["length_s"])
    check_tests(settling.study, [test.pk for test, _ in lengths])
    return len(standing)


def _odd(settling: Settling, passes: Sequence[Pass], _: Doubted) -> int:
    """Passes are odd, but real, since a repeat of each agrees: they count, and are told."""
    for one in passes:
        repeats = RepeatFound.objects.filter(of=one) | RepeatFound.objects.filter(one=one)
        if not is_real(repeats.values_list("agrees", flat=True)):
            raise Conflict(
                "not_repeated", f"No repeat agrees with {one} yet, so nothing says that it is real.",
                hint="Have it repeated; if the repeat agrees it can stand as odd.",
            )  # fmt: skip
    return settling.decide(passes, PassState.ACCEPTED)


#: What one check proposes or assumes says nothing of what another doubts.
OF_ONE_CHECK = (How.TRIMMED, How.ASSUMED)
DOING: Mapping[How, Callable[[Settling, Sequence[Pass], Doubted], int]] = {
    How.ACCEPTED: _accept, How.REJECTED: _reject, How.TRIMMED: _trim, How.REPEAT: _repeat, How.ASSUMED: _assume,
    How.ODD: _odd,
}  # fmt: skip


def _accept_wide(_: Settling, doubts: Sequence[WideDoubt]) -> int:
    """They are told with the findings, and their passes may be accepted; nothing is decided about them by this."""
    return len({pk for doubt in doubts for pk in doubt.passes})


def _standing(doubts: Sequence[WideDoubt]) -> list[Pass]:
    ids = {pk for doubt in doubts for pk in doubt.passes}
    return whole(Pass.objects.filter(pk__in=ids, state__in=STANDING))


def _reject_wide(settling: Settling, doubts: Sequence[WideDoubt]) -> int:
    return settling.decide(_standing(doubts), PassState.REJECTED)


def _repeat_wide(settling: Settling, doubts: Sequence[WideDoubt]) -> int:
    settling.act, planned = repeat(settling.tester, settling.study, _standing(doubts))
    return len(planned)


def _assume_wide(settling: Settling, doubts: Sequence[WideDoubt]) -> int:
    cards = [one for one in doubts if one.check_id == "wrong_length" and one.of_test_id is not None]
    if len(cards) < len(doubts):
        raise _nothing_to_assume()
    usual = {one.of_test_id: float(one.evidence["usual_s"]) for one in cards if one.of_test_id is not None}
    tests = Test.objects.select_related("scene__game", "condition").filter(pk__in=usual).order_by("pk")
    return _know_lengths(settling, [(test, usual[test.pk]) for test in tests])


DOING_WIDE: Mapping[How, Callable[[Settling, Sequence[WideDoubt]], int]] = {
    How.ACCEPTED: _accept_wide, How.REJECTED: _reject_wide, How.REPEAT: _repeat_wide, How.ASSUMED: _assume_wide,
}  # fmt: skip


def settle_decided(study: Study, act: Decision, decided: Collection[int]) -> None:
    """Settle each doubt about several passes of which all are decided on by now, the last of them by this act.

    Called within the transaction of the act. What one decided about every pass of a doubt is decided about the doubt.
    """
    known = Settled.objects.filter(study=study, on_pass=None, taken_back_at=None).values_list("key", flat=True)
    open_doubts = WideDoubt.objects.filter(study=study, marks=True, passes__overlap=list(decided)).exclude(
        key__in=known
    )
    found = list(open_doubts)
    states = dict(Pass.objects.filter(pk__in={pk for doubt in found for pk in doubt.passes}).values_list("pk", "state"))
    for doubt in found:
        own = {states[pk] for pk in doubt.passes if pk in states}
        if PassState.RECORDED not in own:
            how = How.ACCEPTED if PassState.ACCEPTED in own else How.REJECTED
            Settled.objects.create(
                study=study, key=doubt.key, how=how, reason=act.why or "each of its passes was decided on",
                words=doubt.words, by=act.by, decision=act,
            )  # fmt: skip


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
