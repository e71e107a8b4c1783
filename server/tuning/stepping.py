"""Steps of a tuning log and what is noted at them: by testers; what was noted wrongly is struck out by a lead."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from typing import Any, Literal
from uuid import uuid4

from django.contrib.auth.models import AnonymousUser, User
from django.core.files.uploadedfile import UploadedFile
from django.db import transaction
from intake import reading
from intake.bounded import bounded
from intake.proposals import proposal_of
from intake.queries import columns_for
from intake.services import columns_given
from people.access import require
from people.models import Role
from problems import Conflict, NotFound, Problem
from rennbahn.measures import Figures
from rennbahn.simulation.tuned import Knob, play
from storing import let_go, place

from tuning.locking import locked, step_locked
from tuning.logs import setting as core_setting
from tuning.models import LogSetting, LogStep, QuickPass, StabilityRun
from tuning.schemas import ConclusionIn, QuickIn, ReadBackIn, StabilityIn, StrikeIn, TunedStepIn

Caller = User | AnonymousUser
#: A log of this many steps is a mistake, or several logs.
MOST_STEPS = 400
#: A quick pass knows of no target and of no cap.
_BARE: dict[str, Any] = {"target_hz": 60.0, "limited_to_fps": None, "known_caps": []}


def add_step(user: Caller, log_id: int, data: TunedStepIn) -> LogStep:
    """Take a step. One that is sent twice is taken once.

    Raises :class:`Conflict` (`crosses_limit`) where it crosses a stated limit that `crossing` does not name.
    """
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        log = locked(log_id)
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
        step = step_locked(step_id)
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
        step = step_locked(step_id)
        step.conclusion = data.conclusion
        step.save(update_fields=["conclusion"])
    return step


def add_run(user: Caller, step_id: int, data: StabilityIn) -> StabilityRun:
    """Note a stability run, once however often it is sent."""
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        step = step_locked(step_id)
        known = StabilityRun.objects.filter(client_id=data.client_id, step=step).first()
        return known or StabilityRun.objects.create(step=step, by=tester, **data.dict())


def add_pass(user: Caller, step_id: int, data: QuickIn) -> QuickPass:
    """Note the figures of a quick pass, once however often they are sent."""
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        step = step_locked(step_id)
        known = QuickPass.objects.filter(client_id=data.client_id, step=step).first()
        return known or QuickPass.objects.create(step=step, by=tester, **data.dict())


def add_capture(user: Caller, step_id: int, upload: UploadedFile[Any], columns_name: str = "") -> QuickPass:
    """Measure a capture as a quick pass of a step, once however often it is sent; one that has grown replaces itself.

    It is read by the column map of that name, one saved for such files, or what is proposed. Raises :class:`Problem`
    of what cannot be read, :class:`CaptureRefused` with the first bad row.
    """
    tester = require(user, Role.TESTER)
    if not LogStep.objects.filter(pk=step_id).exists():
        raise NotFound("step")
    name, content = (upload.name or "capture")[:200], upload.read()
    sha256 = hashlib.sha256(content).hexdigest()
    figures = _measured(name, content, columns_name)
    placed = place(content)
    with transaction.atomic():
        step = step_locked(step_id)
        known = step.passes.filter(sha256=sha256).first()
        if known is not None:
            return known
        same = step.passes.filter(file_name=name, struck_why="")
        row = next((one for one in same if content.startswith(one.held())), None)
        if row is None:
            row = QuickPass(step=step, by=tester, client_id=uuid4(), what="capture", file_name=name)
        else:
            let_go([row.stored])
        told = {**_read_from(figures), "sha256": sha256, **placed.fields()}
        for field, value in told.items():
            setattr(row, field, value)
        row.save()
    return row


def _measured(name: str, content: bytes, columns_name: str) -> Figures:
    proposal, look, refusal = proposal_of(content)
    columns = None if refusal or not look else columns_for(proposal, look, columns_name)
    if columns is None:
        told = refusal["message"] if refusal else " ".join(proposal.get("questions") or ["its columns are not known"])
        raise Problem(
            "not_read", f"“{name}” was not read: {told}", field="file",
            hint="Type its figures in, or hand it in to a study, where its columns can be named.",
        )  # fmt: skip
    figures: Figures = bounded(reading.read, content, columns_given(columns), _BARE).measured.figures
    if figures.rates is None:
        raise Problem("no_frames", f"“{name}” has no frames.", field="file", hint="Run the pass again.")
    return figures


def _read_from(figures: Figures) -> dict[str, Any]:
    """What a quick pass keeps of figures."""
    means = figures.channel_means or {}
    watts = means.get("gpu_power_w")
    return {
        "fps": figures.rates.average_fps if figures.rates else None, "w": watts if watts and watts > 0.0 else None,
        "temperature_c": means.get("gpu_temp_c"), "hotspot_c": means.get("gpu_hotspot_c"),
        "fan_rpm": means.get("fan_rpm"),
    }  # fmt: skip


def simulate(user: Caller, step_id: int) -> LogStep:
    """Run a step on the simulated bench: a stability run, and quick passes where it held. Once a step.

    Raises :class:`Conflict` where the log is not of the simulated bench, or the step was run already.
    """
    tester = require(user, Role.TESTER)
    with transaction.atomic():
        step = step_locked(step_id)
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
        locked(found.step.log_id)
        if not found.struck_why:
            found.struck_why, found.struck_by = data.why, lead
            found.save(update_fields=["struck_why", "struck_by"])
    return found.step.log_id


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
