"""What one can ask about doubts: those of a study in a fixed number of queries, whatever its number of passes."""

from __future__ import annotations

from django.db.models import Count, F
from intake.models import CaptureProfile, PassDoubt
from planning.fair_schemas import CaveatOut
from problems import NotFound
from rennbahn.checks import CHECKS, Profile, told_by_file
from rennbahn.checks.profile import PROFILE_VERSION
from rennbahn.checks.settling import Standing, held_back
from studies.models import Decision, DecisionOn, Pass, Study

from doubting.models import SETTLES, CheckOff, How, RepeatFound, Settled, WideDoubt
from doubting.schemas import (
    CheckOffOut,
    CheckOut,
    DoubtOut,
    DoubtsOut,
    LastDecisionOut,
    PassDoubtOut,
    RepeatOut,
    SettledOut,
    ToldByFileOut,
    WideDoubtOut,
)
from doubting.tasks import is_checking


def doubts_on(pass_id: int) -> list[DoubtOut]:
    """What was found about one pass, as it came in: its own doubts and those of its test that are about it."""
    own = PassDoubt.objects.filter(on_pass=pass_id)
    wide = WideDoubt.objects.filter(passes__contains=[pass_id], of_test__isnull=False)
    asked = ("check_id", "words", "weak")
    rows = [*own.values_list(*asked), *wide.values_list(*asked)]
    return [DoubtOut(check=check, words=words, weak=weak) for check, words, weak in rows]


def told_by_capture(one: Pass) -> list[ToldByFileOut]:
    """What the capture's own columns say of the settings that were read back before it was run."""
    backs = ((one.run_as or {}).get("bench") or {}).get("read_backs") or []
    profile = CaptureProfile.objects.filter(
        capture__on_pass=one, basis=F("capture__basis"), version=PROFILE_VERSION
    ).first()  # fmt: skip
    if not backs or profile is None:
        return []
    read = Profile.from_json(profile.data)
    told = (told_by_file(read, back["setting"], back["wanted"]) for back in backs)
    return [
        ToldByFileOut(setting=one.setting, wanted=one.wanted, reads=one.reads, holds=one.holds) for one in told if one
    ]


def doubts_of_study(study_id: int) -> DoubtsOut:
    """All doubts of a study and how they were settled. Raises :class:`NotFound`."""
    if not Study.objects.filter(pk=study_id).exists():
        raise NotFound("study")
    of_pass, wide, odd = _settled(study_id)
    return DoubtsOut(
        passes=[
            PassDoubtOut(
                pass_id=pk, check=check, words=words, weak=weak, evidence=evidence, window=window,
                settled=of_pass.get((pk, check, basis or "")),
            )
            for pk, check, words, weak, evidence, window, basis in PassDoubt.objects.filter(
                on_pass__test__study=study_id
            ).values_list("on_pass", "check_id", "words", "weak", "evidence", "window", "on_pass__capture__basis")
        ],
        wide=[
            WideDoubtOut(
                key=one.key, check=one.check_id, words=one.words, weak=one.weak, evidence=one.evidence,
                marks=one.marks, pass_ids=one.passes, settled=wide.get(one.key),
            )
            for one in WideDoubt.objects.filter(study=study_id)
        ],
        repeats=[
            RepeatOut(
                pass_id=one.one_id, of=one.of_id, agrees=one.agrees, other_session=one.other_session,
                suspect=one.suspect_id, words=one.words,
            )
            for one in RepeatFound.objects.filter(one__test__study=study_id).order_by("pk")
        ],
        odd=sorted(odd),
        last=last_decision(study_id),
        checking=is_checking(study_id),
    )  # fmt: skip


def _settled(study_id: int) -> tuple[dict[tuple[int, str, str], SettledOut], dict[str, SettledOut], set[int]]:
    """What was settled and not taken back: by pass, check and basis; by key; and the passes that are odd but real."""
    rows = Settled.objects.filter(study=study_id, taken_back_at=None).values_list(
        "on_pass", "key", "basis", "how", "reason", "by__username", "at", "on_pass__capture__basis"
    )
    of_pass: dict[tuple[int, str, str], SettledOut] = {}
    wide: dict[str, SettledOut] = {}
    odd: set[int] = set()
    for pk, key, basis, how, reason, by, at, now in rows:
        told = SettledOut(how=how, done=how in SETTLES, words=str(How(how).label), reason=reason, by=by, at=at)
        if not pk:
            wide[key] = told
        else:
            of_pass[pk, key, basis] = told
            if how == How.ODD and basis == (now or ""):
                odd.add(pk)
    return of_pass, wide, odd


def doubted_passes(study_id: int) -> set[int]:
    """Passes of which a check is sure that they deserve another look, and nobody has settled that yet."""
    settled = Settled.objects.filter(study=study_id, taken_back_at=None, how__in=SETTLES)
    done = set(settled.values_list("on_pass", "key", "basis"))
    keys = {key for on_pass, key, _ in done if on_pass is None}
    of_pass = PassDoubt.objects.filter(on_pass__test__study=study_id)
    wide = WideDoubt.objects.filter(study=study_id).values_list("key", "passes", "weak", "marks")
    doubts = [
        Standing((pk,), weak, (pk, check, basis or "") in done)
        for pk, check, weak, basis in of_pass.values_list("on_pass", "check_id", "weak", "on_pass__capture__basis")
    ]
    doubts += [Standing(tuple(passes), weak, key in keys, marks) for key, passes, weak, marks in wide]
    return held_back(doubts)


def checks_of(study_id: int) -> list[CheckOut]:
    """Every check with what it doubts in a study now. Raises :class:`NotFound`."""
    if not Study.objects.filter(pk=study_id).exists():
        raise NotFound("study")
    of_pass = PassDoubt.objects.filter(on_pass__test__study=study_id).values_list("check_id")
    wide = WideDoubt.objects.filter(study=study_id).values_list("check_id")
    passes, wider = (dict(rows.annotate(n=Count("pk")).order_by()) for rows in (of_pass, wide))
    off = {
        one.check_id: CheckOffOut(reason=one.reason, by=one.by.get_username(), at=one.at)
        for one in CheckOff.objects.filter(study=study_id).select_related("by")
    }
    return [
        CheckOut(
            id=check.id, asks=check.asks, passes=passes.get(check.id, 0), wide=wider.get(check.id, 0),
            off=off.get(check.id),
        )
        for check in CHECKS
    ]  # fmt: skip


def caveats_of_checks(study_id: int) -> list[CaveatOut]:
    """What prints with the findings of a study in which checks are not asked."""
    return [
        CaveatOut(
            label=f"Check “{one.check_id.replace('_', ' ')}” switched off", about="no pass is doubted by it",
            weight="mind", reason=one.reason, accepted=True,
        )
        for one in CheckOff.objects.filter(study=study_id)
    ]  # fmt: skip


def last_decision(study_id: int) -> LastDecisionOut | None:
    """What was done last to passes and was not taken back."""
    row = (
        Decision.objects.filter(study=study_id, undone_at=None)
        .order_by("-pk")
        .values_list("pk", "did", "why", "by__username", "at")
        .first()
    )
    if row is None:
        return None
    pk, did, why, who, at = row
    # Counted alone: counted beside all others, each decision of a long study would be counted for the one that is told.
    count = DecisionOn.objects.filter(decision=pk).count()
    words = f"{did} {'1 pass' if count == 1 else f'{count} passes'}{f': {why}' if why else ''}"
    return LastDecisionOut(id=pk, words=words, by=who, at=at, passes=count)
