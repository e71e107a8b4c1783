"""What is said of a tuning log as a whole: what can be set, its limits, its rival, where it is worked on."""

from __future__ import annotations

from collections.abc import Sequence

from bench.models import Part, SetupVersion
from django.contrib.auth.models import AnonymousUser, User
from django.db import transaction
from page_marks import check_seen
from people.access import require
from people.edits import last_edit, note_edit
from people.models import Machine, Role
from problems import Conflict, NotFound, Problem
from rennbahn.parts import kind_named
from studies.models import BenchSession, Study, Test

from tuning.locking import locked
from tuning.models import Log, LogSetting
from tuning.queries import log_mark
from tuning.schemas import LogEdit, LogIn, LogSettingIn

Caller = User | AnonymousUser
#: What a setting keeps that steps have used.
_FIXED = ("unit", "stock", "kind")


def save_log(user: Caller, data: LogIn, log_id: int | None = None) -> Log:
    """Begin a log, or change what is said of it. What steps have used of a setting stays as it is."""
    lead = require(user, Role.LEAD)
    with transaction.atomic():
        log = Log(by=lead) if log_id is None else locked(log_id)
        if isinstance(data, LogEdit):
            own = log.pk
            check_seen(f"“{log.title}”", data.seen, log_mark(log), lambda: last_edit("tuning log", own))
        part, base = Part.objects.filter(pk=data.part_id).first(), _newest(data.setup_id)
        if part is None:
            raise Problem("part_missing", "There is no such part.", field="part_id", hint="Choose one of the bench.")
        if not base.parts.filter(pk=part.pk).exists():
            raise Problem(
                "part_not_in_setup", f"“{base.setup}” has no {part.name} in it.", field="setup_id",
                hint="Choose the setup in which the part stands at stock.",
            )  # fmt: skip
        for name in ("title", "stability_min", "reset_words", "rival_lane_id", "rival_test_id"):
            setattr(log, name, getattr(data, name))
        if log.pk is None or not log.steps.exists():
            log.part, log.base, log.seed = part, base, data.seed
        elif (log.part_id, log.base.setup_id, log.seed) != (part.pk, data.setup_id, data.seed):
            raise Conflict(
                "log_has_steps", "Steps were taken: the log keeps its part, its setup and its bench.", field="part_id",
                hint="Begin another log for the other part.",
            )  # fmt: skip
        _check_rival(log)
        log.save()
        _write_settings(log, data.settings)
        note_edit(lead, "tuning log", log.pk)
    return log


def back_up(user: Caller, log_id: int) -> Log:
    """Say that data is backed up."""
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        log = locked(log_id)
        log.backed_up_by = tester
        log.save(update_fields=["backed_up_by"])
    return log


def at_machine(user: Caller, log_id: int, machine_id: int | None) -> Log:
    """Work on a log at a test machine: what it sends is a pass of the last step. None where that is over."""
    require(user, Role.TESTER)
    with transaction.atomic():
        log = locked(log_id)
        if machine_id is not None:
            machine = Machine.objects.filter(pk=machine_id, simulated=False).first()
            if machine is None:
                raise NotFound("test machine")
            if BenchSession.objects.filter(machine=machine, ended_at=None).exists():
                raise Conflict("machine_taken", f"A session runs at “{machine}”.", hint="End it first, in Run.")
            Log.objects.filter(machine=machine).exclude(pk=log.pk).update(machine=None)
        log.machine_id = machine_id
        log.save(update_fields=["machine"])
    return log


def _newest(setup_id: int) -> SetupVersion:
    found = SetupVersion.objects.filter(setup=setup_id).select_related("setup").order_by("-number").first()
    if found is None:
        raise Problem("setup_missing", "There is no such setup.", field="setup_id", hint="Choose one of the bench.")
    return found


def _check_rival(log: Log) -> None:
    if (log.rival_lane_id is None) != (log.rival_test_id is None):
        raise Problem("rival_half", "A rival is a lane in a test.", field="rival_test_id", hint="Choose both, or none.")
    if log.rival_lane_id is None:
        return
    own = Test.objects.filter(study__lanes=log.rival_lane_id, study__in=Study.objects.all())
    if log.rival_test_id is None or not own.filter(pk=log.rival_test_id).exists():
        raise NotFound("lane in that test")


def _write_settings(log: Log, wanted: Sequence[LogSettingIn]) -> None:
    """Write what can be set; what a step has used stays, with its unit and stock."""
    names = [one.name.casefold() for one in wanted]
    for at, one in enumerate(wanted):
        if one.name.casefold() in names[:at]:
            raise Problem("setting_twice", f"“{one.name}” is there twice.", field=f"settings.{at}.name")
        _check_setting(log, one, at)
    used = {name for told in log.steps.values_list("set", "read_back") for of in told for name in of}
    for old in log.settings.all():
        new = next((one for one in wanted if one.name == old.name), None)
        changed = new is None or any(getattr(new, name) != getattr(old, name) for name in _FIXED)
        if old.name in used and changed:
            raise Conflict(
                "setting_used", f"Steps have set “{old.name}”: it keeps its name, kind, unit and stock.",
                field="settings", hint="Add another setting, or begin another log.",
            )  # fmt: skip
    log.settings.all().delete()
    LogSetting.objects.bulk_create(LogSetting(log=log, position=at, **one.dict()) for at, one in enumerate(wanted))


def _check_setting(log: Log, one: LogSettingIn, at: int) -> None:
    low, high = one.limit_low, one.limit_high
    if low is not None and high is not None and low > high:
        raise Problem("limits_crossed", "The lower limit lies above the upper one.", field=f"settings.{at}.limit_low")
    if (low is not None or high is not None) and not one.limit_source:
        raise Problem(
            "limit_without_source", f"Where does the maker state the limit of “{one.name}”?",
            field=f"settings.{at}.limit_source", hint="Name the manual or the page, and its date.",
        )  # fmt: skip
    stated = _stated(log, one)
    if stated is not None and high is not None and high > stated[1]:
        raise Problem(
            "over_part_limit", f"The bench has {stated[0].lower()} of {log.part.name} as {stated[1]:g} {one.unit}.",
            field=f"settings.{at}.limit_high", hint="One of the two is wrong: look into the maker's manual.",
        )  # fmt: skip


def _stated(log: Log, one: LogSettingIn) -> tuple[str, float] | None:
    """The stated limit of the part that is in the unit of a setting, with its label."""
    for fact in kind_named(log.part.kind).facts:
        value = log.part.facts.get(fact.name)
        if (
            fact.stated_limit
            and fact.unit == one.unit
            and one.kind in ("power", "voltage")
            and isinstance(value, (int, float))
        ):
            return fact.label, float(value)
    return None
