"""What becomes of a file whose run is known, or is not: frames of a pass, a warm-up's, a broken-off run's, samples."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.db import transaction
from doubting.queries import doubts_on
from intake.attaching import join
from intake.growing import replace_grown
from intake.models import Arrival, ArrivalState, Capture
from intake.queries import columns_for
from intake.schemas import Assignment, ColumnMap, TakeIn
from intake.services import columns_given, set_aside, take
from people.models import BenchToken
from rennbahn.checks.settling import is_doubted
from rennbahn.errors import CaptureRefused, RennbahnError
from studies.deciding import decide_again, plan_pass
from studies.models import BenchSession, Pass, PassRole, PassState
from studies.services import open_study

from running.models import BenchRun
from running.schemas import LinkTaken
from running.services import note_at_bench


def take_run(user: User, run: BenchRun, arrival: Arrival, columns: ColumnMap) -> LinkTaken:
    """Take a file as the frames of its run, and join the samples that came before it."""
    one = (
        Pass.objects.select_related("lane", "test__scene__game", "test__condition").filter(pk=run.pass_id or 0).first()
    )
    if one is None or one.state != PassState.PLANNED:
        return stays(run.session, user, arrival, "the pass of its run has a result already", run.pk)
    # Told before it is taken: whoever hears that a capture came looks at its run.
    if not _claimed(run, arrival):
        return stays(run.session, user, arrival, _HAS_ONE, run.pk)
    taken = take_as(user, run.session, arrival, columns, one)
    if taken.became == "pass":
        _join_what_waits(user, run, one)
    else:
        BenchRun.objects.filter(pk=run.pk, arrival=arrival).update(arrival=None)
    return taken


_HAS_ONE = "the run it covers has a file already"


def _claimed(run: BenchRun, arrival: Arrival) -> bool:
    """Make a file its run's, where no other one is: of two that come at once, one."""
    return BenchRun.objects.filter(pk=run.pk, arrival=None).update(arrival=arrival) > 0


def take_as(user: User, session: BenchSession, arrival: Arrival, columns: ColumnMap, one: Pass) -> LinkTaken:
    """Take a file as the capture of a pass."""
    place = Assignment(arrival_id=arrival.pk, lane_id=one.lane_id, test_id=one.test_id, number=one.number)
    taken = take(user, session.study_id, TakeIn(columns=columns, assignments=[place], save_as=""))[0]
    if taken.refusal is not None:
        _tell(session, user, one.pk, f"{arrival.name}: {taken.refusal.message}")
        return LinkTaken(arrival_id=arrival.pk, became="waiting", words=taken.refusal.message)
    return LinkTaken(arrival_id=arrival.pk, became="pass", words=f"pass {one.number} of {one.test}, {one.lane}")


def take_warm_up(user: User, run: BenchRun, arrival: Arrival, columns: ColumnMap) -> LinkTaken:
    """A warm-up run is recorded and never counted: it shows how cold the game was."""
    session = run.session
    cell = Pass.objects.filter(pk=run.pass_id or 0).first()
    if cell is None:
        return stays(session, user, arrival, "the pass that it warmed up for is planned no more", run.pk)
    if not _claimed(run, arrival):
        return stays(session, user, arrival, _HAS_ONE)
    with transaction.atomic():
        open_study(session.study_id)
        one = plan_pass(user, cell.lane_id, cell.test_id, PassRole.WARM_UP)
        one.session, one.ran_at = session, run.began_at
        one.save(update_fields=["session", "ran_at"])
    found = take_as(user, session, arrival, columns, one)
    if found.became != "pass":
        with transaction.atomic():
            open_study(session.study_id)
            BenchRun.objects.filter(pk=run.pk, arrival=arrival).update(arrival=None)
            Pass.objects.filter(pk=one.pk, state=PassState.PLANNED).delete()
        return found
    _join_what_waits(user, run, one)
    return LinkTaken(arrival_id=arrival.pk, became="warm_up", words=f"a warm-up run of {one.test}, {one.lane}")


def keep_broken_off(user: User, run: BenchRun, arrival: Arrival, *, frames: bool) -> LinkTaken:
    """A file of a run that was broken off, or given up, is kept as such: it takes nobody's place."""
    words = f"of a run that was broken off or given up ({run_words(run)}): it does not count"
    with transaction.atomic():
        study = open_study(run.session.study_id)
        if frames:
            _claimed(run, arrival)
        set_aside(user, study.pk, [arrival.pk])
        note_at_bench(run.session, user, f"{arrival.name} is {words}", run.pass_id)
    return LinkTaken(arrival_id=arrival.pk, became="broken_off", words=words)


def stays(session: BenchSession, user: User, arrival: Arrival, why: str, run: int | None = None) -> LinkTaken:
    """A file stays in the tray, with why and the likeliest run, and the bench is told."""
    proposed = BenchRun.objects.filter(pk=run or 0).first()
    likely = proposed.pass_id if proposed and not proposed.warm_up else None
    Arrival.objects.filter(pk=arrival.pk).update(waits_why=why[:200], likely_pass_id=likely)
    _tell(session, user, None, f"{arrival.name} waits: {why}")
    return LinkTaken(arrival_id=arrival.pk, became="waiting", words=why)


def take_grown(user: User, session: BenchSession, grows: Capture, arrival: Arrival, columns: ColumnMap) -> LinkTaken:
    """A file that has grown since it was taken replaces itself; what it was before is set aside."""
    words = f"{arrival.name} has grown since it was sent"
    earlier, one = grows.arrival_id, grows.on_pass
    try:
        replace_grown(user, grows, arrival, columns_given(columns))
    except CaptureRefused as error:
        return stays(session, user, arrival, error.message)
    BenchRun.objects.filter(arrival=earlier).update(arrival=arrival)
    with transaction.atomic():
        open_study(session.study_id)
        note_at_bench(session, user, f"{words}: its pass is checked anew", one.pk)
    return LinkTaken(arrival_id=arrival.pk, became="grown", words=f"{words}: it is whole now")


def put_away(user: User, earlier: Arrival) -> None:
    """What a file was before it grew is out of the way, where it was no pass."""
    BenchRun.objects.filter(arrival=earlier).update(arrival=None)
    if earlier.state == ArrivalState.WAITING:
        set_aside(user, earlier.study_id, [earlier.pk])


def join_samples(user: User, arrival: Arrival, run: BenchRun) -> LinkTaken:
    """A file of samples joins the run whose time it covers; one that came before its frames waits for them."""
    one = Pass.objects.filter(capture__arrival=run.arrival_id).first() if run.arrival_id else None
    if one is None:
        return wait_for(arrival, run, "it waits for the frames of its run")
    _join(user, arrival, one)
    return LinkTaken(arrival_id=arrival.pk, became="samples", words="samples beside the pass")


def wait_for(arrival: Arrival, run: BenchRun, why: str) -> LinkTaken:
    """A file whose run is known waits until more of that is."""
    Arrival.objects.filter(pk=arrival.pk).update(waits_why=why, for_run_id=run.pk)
    return LinkTaken(arrival_id=arrival.pk, became="waiting", words=why)


def _join_what_waits(user: User, run: BenchRun, one: Pass) -> None:
    """Join samples that came before the frames of their run did."""
    for arrival in Arrival.objects.filter(study=run.session.study_id, state=ArrivalState.WAITING, for_run_id=run.pk):
        if columns_sent(arrival) is None:
            _join(user, arrival, one)


def _join(user: User, arrival: Arrival, one: Pass) -> None:
    """Put samples beside a pass. What was accepted stays so, unless they show what nobody knew when it was."""
    before = {doubt.check for doubt in doubts_on(one.pk)}
    try:
        join(user, arrival.pk, one.pk)
    except RennbahnError:
        return
    new = [doubt for doubt in doubts_on(one.pk) if doubt.check not in before]
    one = Pass.objects.select_related("test__study", "session", "lane").get(pk=one.pk)
    if one.state != PassState.ACCEPTED or not is_doubted([doubt.weak for doubt in new]):
        return
    with transaction.atomic():
        study = open_study(one.test.study_id)
        decide_again(user, study, one, f"{arrival.name} came and shows: {new[0].words}")
        if one.session is not None and one.session.ended_at is None:
            note_at_bench(one.session, user, f"Look again at the last pass: {new[0].words}", one.pk)


def _tell(session: BenchSession, user: User, pass_id: int | None, words: str) -> None:
    """Let the bench know of a file that nobody could place."""
    with transaction.atomic():
        note_at_bench(session, user, words, pass_id)


def run_words(run: BenchRun) -> str:
    """Which run that is."""
    one = (
        Pass.objects.select_related("lane", "test__scene__game", "test__condition").filter(pk=run.pass_id or 0).first()
    )
    what = f"pass {one.number} of {one.test}, {one.lane}" if one else "a pass that is planned no more"
    return f"a warm-up before {what}" if run.warm_up else what


def columns_sent(arrival: Arrival) -> ColumnMap | None:
    """By which column map a file is read that a machine sent: by that of its token, where one is named."""
    token = BenchToken.objects.filter(machine=arrival.machine, user=arrival.by, revoked_at=None).first()
    return columns_for(arrival.proposal, arrival.header_key, token.columns_name if token else "")
