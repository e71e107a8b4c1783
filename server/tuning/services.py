"""What a tester does with tuning logs. A lead makes them, and strikes out what was noted wrongly."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from typing import Any, Literal
from uuid import uuid4

from bench.models import Part, SetupVersion
from bench.schemas import PartRef, PricedRef, SetupIn
from bench.schemas import SettingIn as BenchSetting
from bench.services import setup_like
from django.contrib.auth.models import AnonymousUser, User
from django.core.files.uploadedfile import UploadedFile
from django.db import transaction
from intake import reading
from intake.bounded import bounded
from intake.proposals import proposal_of
from page_marks import check_seen
from people.access import require
from people.edits import last_edit, note_edit
from people.models import Machine, Role
from problems import Conflict, NotFound, Problem
from rennbahn.parts import kind_named
from rennbahn.simulation.tuned import Knob, play
from storing import place
from studies.models import BenchSession, Study, Test
from studies.schemas import LaneIn, StudyIn, TestIn
from studies.services import create_study

from tuning.logs import setting as core_setting
from tuning.models import Log, LogSetting, LogStep, QuickPass, StabilityRun
from tuning.queries import log_mark
from tuning.schemas import (
    BeforeAfterIn,
    ConclusionIn,
    LogEdit,
    LogIn,
    LogSettingIn,
    QuickIn,
    ReadBackIn,
    StabilityIn,
    StrikeIn,
    TunedStepIn,
)

Caller = User | AnonymousUser
#: A log of this many steps is a mistake, or several logs.
MOST_STEPS = 400
#: A quick pass is short: a capture of more is a pass of a study.
LARGEST_CAPTURE = 64 * 1024 * 1024
#: A quick pass knows of no target and of no cap.
_BARE: dict[str, Any] = {"target_hz": 60.0, "limited_to_fps": None, "known_caps": []}
_FIXED = ("unit", "stock", "kind")


def save_log(user: Caller, data: LogIn, log_id: int | None = None) -> Log:
    """Begin a log, or change what is said of it. What steps have used of a setting stays as it is."""
    lead = require(user, Role.LEAD)
    with transaction.atomic():
        log = Log(by=lead) if log_id is None else _locked(log_id)
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


def add_step(user: Caller, log_id: int, data: TunedStepIn) -> LogStep:
    """Take a step. One that is sent twice is taken once.

    Raises :class:`Conflict` (`crosses_limit`) where it crosses a stated limit that `crossing` does not name.
    """
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        log = _locked(log_id)
        known = LogStep.objects.filter(client_id=data.client_id, log=log).first()
        if known is not None:
            return known
        settings = {one.name: one for one in log.settings.all()}
        _check_values(data.set, settings, "set")
        crossed = _crossed(settings, data.set)
        unsaid = [name for name in crossed if name not in data.crossing]
        if unsaid:
            raise _crosses(settings, unsaid)
        if log.part.kind == "memory" and log.backed_up_by_id is None:
            raise Conflict(
                "not_backed_up", "Back your data up before memory work.", field="set",
                hint="Say that it is backed up, at the head of the log; then take the step.",
            )  # fmt: skip
        steps = list(log.steps.values_list("pk", "number"))
        if len(steps) >= MOST_STEPS:
            raise Conflict("too_many_steps", f"A log has at most {MOST_STEPS} steps.", hint="Begin another one.")
        if data.after is not None and data.after not in {pk for pk, _ in steps}:
            raise NotFound("step of this log")
        return LogStep.objects.create(
            log=log, number=1 + max((number for _, number in steps), default=0), client_id=data.client_id,
            sample=data.sample, after_id=data.after if data.after is not None else (steps[-1][0] if steps else None),
            set=data.set, over_limit=crossed, by=tester,
        )  # fmt: skip


def read_back(user: Caller, step_id: int, data: ReadBackIn) -> LogStep:
    """Note what a second place says. What lies past a limit there is marked like what was set."""
    require(user, Role.TESTER)
    with transaction.atomic():
        step = _step(step_id)
        settings = {one.name: one for one in step.log.settings.all()}
        _check_values(data.read_back, settings, "read_back")
        step.read_back = data.read_back
        step.over_limit = list(dict.fromkeys([*step.over_limit, *_crossed(settings, data.read_back)]))
        step.save(update_fields=["read_back", "over_limit"])
    return step


def conclude(user: Caller, step_id: int, data: ConclusionIn) -> LogStep:
    """Write down what a step comes to."""
    require(user, Role.TESTER)
    with transaction.atomic():
        step = _step(step_id)
        step.conclusion = data.conclusion
        step.save(update_fields=["conclusion"])
    return step


def add_run(user: Caller, step_id: int, data: StabilityIn) -> StabilityRun:
    """Note a stability run, once however often it is sent."""
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        step = _step(step_id)
        known = StabilityRun.objects.filter(client_id=data.client_id, step=step).first()
        return known or StabilityRun.objects.create(step=step, by=tester, **data.dict())


def add_pass(user: Caller, step_id: int, data: QuickIn) -> QuickPass:
    """Note the figures of a quick pass, once however often they are sent."""
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        step = _step(step_id)
        known = QuickPass.objects.filter(client_id=data.client_id, step=step).first()
        return known or QuickPass.objects.create(step=step, by=tester, **data.dict())


def add_capture(user: Caller, step_id: int, upload: UploadedFile[Any] | None) -> QuickPass:
    """Measure a capture as a quick pass of a step. Raises :class:`CaptureRefused` of what is none."""
    tester = require(user, Role.TESTER)
    if upload is None or not upload.size or upload.size > LARGEST_CAPTURE:
        raise Problem(
            "no_capture", "No capture came, or one over 64 MB.", field="file", hint="Hand in the logger's file."
        )
    content = upload.read()
    sha256 = hashlib.sha256(content).hexdigest()
    if not LogStep.objects.filter(pk=step_id).exists():
        raise NotFound("step")
    proposal, _, refusal = proposal_of(content)
    if refusal or not proposal.get("columns") or proposal.get("questions"):
        told = refusal["message"] if refusal else " ".join(proposal.get("questions") or ["its columns are not known"])
        raise Problem(
            "not_read", f"“{upload.name}” was not read: {told}", field="file",
            hint="Type its figures in, or hand it in to a study, where its columns can be named.",
        )  # fmt: skip
    figures = bounded(reading.read, content, proposal["columns"], _BARE).measured.figures
    means = figures.channel_means or {}
    if figures.rates is None:
        raise Problem("no_frames", f"“{upload.name}” has no frames.", field="file", hint="Run the pass again.")
    placed = place(content)
    with transaction.atomic():
        step = _step(step_id)
        known = QuickPass.objects.filter(step=step, sha256=sha256).first()
        if known is not None:
            return known
        return QuickPass.objects.create(
            step=step, by=tester, client_id=uuid4(), what="capture", fps=figures.rates.average_fps,
            w=_above_0(means.get("gpu_power_w")), temperature_c=means.get("gpu_temp_c"),
            hotspot_c=means.get("gpu_hotspot_c"),
            fan_rpm=means.get("fan_rpm"), file_name=(upload.name or "capture")[:200], sha256=sha256, **placed.fields(),
        )  # fmt: skip


def simulate(user: Caller, step_id: int) -> LogStep:
    """Run a step on the simulated bench: a stability run, and quick passes where it held. Once a step.

    Raises :class:`Conflict` where the log is not of the simulated bench, or the step was run already.
    """
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        step = _step(step_id)
        log = step.log
        if log.seed is None:
            raise Conflict("not_simulated", f"“{log}” is of a real bench.", hint="Note what you see there.")
        if step.runs.exists():
            raise Conflict("step_was_run", "The step was run already.", hint="Take the next one.")
        knobs = {one.name: _knob(one) for one in log.settings.all()}
        found = play(log.seed, knobs, step.set, log.stability_min, step.number)
        StabilityRun.objects.create(
            step=step, by=tester, client_id=uuid4(), program="simulated load", minutes=found.minutes,
            outcome=found.outcome,
        )  # fmt: skip
        QuickPass.objects.bulk_create(
            QuickPass(step=step, by=tester, client_id=uuid4(), what="simulated scene", fps=fps, w=w,
                      temperature_c=warm, noise_dba=loud)
            for fps, w, warm, loud in found.passes
        )  # fmt: skip
        step.read_back = dict(step.set)
        step.save(update_fields=["read_back"])
    return step


def _knob(one: LogSetting) -> Knob:
    """A setting as the simulated part has it: it goes as far as the limit, else as far as from nothing to stock."""
    way = core_setting(one).harder or (-1 if one.limit_high is None or one.limit_high <= one.stock else 1)
    limit = one.limit_high if way > 0 else one.limit_low
    reach = max(abs(one.stock), 20.0 * one.resolution)
    return Knob(one.kind, one.stock, limit if limit is not None and limit != one.stock else one.stock + way * reach)


def strike(user: Caller, kind: Literal["run", "pass"], entry_id: int, data: StrikeIn) -> int:
    """Strike an entry out: it stays, with why, and counts no more. The log that it is in."""
    lead = require(user, Role.LEAD)
    with transaction.atomic():
        rows = (StabilityRun if kind == "run" else QuickPass).objects
        found = rows.filter(pk=entry_id).select_related("step").first()
        if found is None:
            raise NotFound("entry")
        _locked(found.step.log_id)
        if not found.struck_why:
            found.struck_why, found.struck_by = data.why, lead
            found.save(update_fields=["struck_why", "struck_by"])
    return found.step.log_id


def back_up(user: Caller, log_id: int) -> Log:
    """Say that data is backed up."""
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        log = _locked(log_id)
        log.backed_up_by = tester
        log.save(update_fields=["backed_up_by"])
    return log


def at_machine(user: Caller, log_id: int, machine_id: int | None) -> Log:
    """Work on a log at a test machine: what it sends is a pass of the last step. None where that is over."""
    require(user, Role.TESTER)
    with transaction.atomic():
        log = _locked(log_id)
        if machine_id is not None:
            machine = Machine.objects.filter(pk=machine_id).first()
            if machine is None:
                raise NotFound("machine")
            if BenchSession.objects.filter(machine=machine, ended_at=None).exists():
                raise Conflict("machine_taken", f"A session runs at “{machine}”.", hint="End it first, in Run.")
            Log.objects.filter(machine=machine).exclude(pk=log.pk).update(machine=None)
        log.machine_id = machine_id
        log.save(update_fields=["machine"])
    return log


def make_setup(user: Caller, step_id: int) -> SetupVersion:
    """The setup that a step is: the log's own with what was set. Made once; a step knows it from then on."""
    require(user, Role.LEAD)
    with transaction.atomic():
        step = _step(step_id)
        if step.setup is not None:
            return step.setup
        base = step.log.base
        told = {name: f"{step.set[name]:g} {unit}".strip() for name, unit in _units(step.log) if name in step.set}
        settings = [
            BenchSetting(name=one.name, value=told.pop(_key(told, one.name), one.value)) for one in base.settings.all()
        ]
        settings += [BenchSetting(name=name, value=value) for name, value in told.items()]
        parts = [PricedRef(**PartRef(kind=part.kind, name=part.name).dict()) for part in base.parts.all()]
        words = ", ".join(f"{name} {value}" for name, value in _set_values(step)) or "at stock"
        data = SetupIn(name=f"{base.setup.name}, {words}"[:120], rig_id=None, parts=parts, settings=settings)
        step.setup = setup_like(user, data)
        step.save(update_fields=["setup"])
        return step.setup


def before_and_after(user: Caller, log_id: int, data: BeforeAfterIn) -> Study:
    """Two steps as the lanes of a study: what tuning brings over the tests of another study."""
    require(user, Role.LEAD)
    with transaction.atomic():
        log = _locked(log_id)
        steps = {one.pk: one for one in log.steps.all()}
        if data.before not in steps or data.after not in steps or data.before == data.after:
            raise NotFound("step of this log")
        tests = [
            TestIn(game=one.scene.game.name, scene=one.scene.name, condition=one.condition.name, priority=one.priority)
            for one in Test.objects.filter(study=data.tests_of, study__in=Study.objects.all())
            .select_related("scene__game", "condition").order_by("position")
        ]  # fmt: skip
        if not tests:
            raise NotFound("study with tests")
        lanes = [
            LaneIn(name=_lane_name(steps[pk]), setup_id=make_setup(user, pk).setup_id)
            for pk in (data.before, data.after)
        ]
        body = StudyIn(
            kind="a_b", question=data.question, factor=log.settings.all()[0].name, lanes=lanes, baseline=0, tests=tests
        )
        return create_study(user, body)


def _lane_name(step: LogStep) -> str:
    words = ", ".join(f"{name} {value}" for name, value in _set_values(step)) or "stock"
    return f"{words} (step {step.number})"[-80:]


def _set_values(step: LogStep) -> list[tuple[str, str]]:
    return [(name, f"{step.set[name]:g} {unit}".strip()) for name, unit in _units(step.log) if name in step.set]


def _units(log: Log) -> list[tuple[str, str]]:
    return [(one.name, one.unit) for one in log.settings.all()]


def _key(told: Mapping[str, str], name: str) -> str:
    """The name by which a setup knows a setting that a log names otherwise in its letters alone."""
    return next((one for one in told if one.casefold() == name.casefold()), name)


def _above_0(value: float | None) -> float | None:
    return value if value is not None and value > 0 else None


def _newest(setup_id: int) -> SetupVersion:
    found = SetupVersion.objects.filter(setup=setup_id).select_related("setup").order_by("-number").first()
    if found is None:
        raise Problem("setup_missing", "There is no such setup.", field="setup_id", hint="Choose one of the bench.")
    return found


def _locked(log_id: int) -> Log:
    log = Log.objects.select_for_update(of=("self",)).select_related("part", "base__setup").filter(pk=log_id).first()
    if log is None:
        raise NotFound("tuning log")
    return log


def _step(step_id: int) -> LogStep:
    """A step, its log locked: entries of a log come one after another."""
    found = LogStep.objects.filter(pk=step_id).only("log_id").first()
    if found is None:
        raise NotFound("step")
    log = _locked(found.log_id)
    step = LogStep.objects.select_related("setup__setup").get(pk=step_id)
    step.log = log
    return step


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


def _check_values(values: Mapping[str, float], settings: Mapping[str, LogSetting], field: str) -> None:
    strange = next((name for name in values if name not in settings), None)
    if strange is not None:
        raise Problem(
            "no_such_setting", f"“{strange}” is no setting of this log.", field=field,
            hint=f"There are {', '.join(settings)}.",
        )  # fmt: skip


def _crossed(settings: Mapping[str, LogSetting], values: Mapping[str, float]) -> list[str]:
    return [name for name, value in values.items() if core_setting(settings[name]).crosses(value)]


def _crosses(settings: Mapping[str, LogSetting], names: Sequence[str]) -> Conflict:
    one = settings[names[0]]
    source = f"({one.limit_source})"
    ends = " to ".join("–" if end is None else f"{end:g}" for end in (one.limit_low, one.limit_high))
    return Conflict(
        "crosses_limit",
        f"That crosses the maker’s stated limit of {one.name}: {ends} {one.unit} {source}.",
        field="set",
        hint="Too much can crash, corrupt data, shorten a part’s life and void its warranty. It stays marked for ever.",
    )
