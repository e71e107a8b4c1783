"""What one can ask about tuning logs."""

from __future__ import annotations

from typing import Any

from django.db.models import Prefetch, QuerySet
from page_marks import mark_of
from people.models import Machine
from problems import NotFound
from rennbahn.plain import plain
from rennbahn.running.steps import CAUTIONS
from rennbahn.tuning import (
    Rival,
    failed_words,
    mean_told,
    next_words,
    samples_of,
    samples_words,
    sentences_of,
    set_words,
    why_of,
)
from rennbahn.tuning.log import LIMITED
from studies.models import HIDDEN

from tuning.logs import Told, step, told
from tuning.models import Log, LogStep, QuickPass, StabilityRun
from tuning.schemas import (
    EqualOut,
    KneeOut,
    LogIn,
    LogOut,
    LogRow,
    LogSettingIn,
    LogSettingOut,
    NextOut,
    QuickOut,
    RivalOut,
    SampleOut,
    StabilityOut,
    TunedStepOut,
)

#: What a log says of itself, beside its settings and its setup.
_OWN = tuple(name for name in LogIn.model_fields if name not in ("setup_id", "settings"))
_ANSWERED = ("state", "beyond_a_failure", "on_front", "fps", "w", "fps_per_w")
_BESIDE = ("temperature_c", "hotspot_c", "fan_rpm", "noise_dba")


def whole() -> QuerySet[Log]:
    """Logs with all that is told of them, in a fixed number of queries. Captures' bytes stay where they are."""
    steps = LogStep.objects.select_related("by", "setup__setup").prefetch_related(
        Prefetch("runs", StabilityRun.objects.select_related("by", "struck_by")),
        Prefetch("passes", QuickPass.objects.defer("content").select_related("by", "struck_by")),
    )
    of = ("part", "base__setup", "by", "backed_up_by", "machine", "rival_lane", "rival_test__study")
    return Log.objects.select_related(*of, "rival_test__scene__game", "rival_test__condition").prefetch_related(
        "settings", Prefetch("steps", steps)
    )


def one_log(log_id: int) -> Log:
    """A log with all that is told of it. Raises :class:`NotFound`."""
    found = whole().filter(pk=log_id).first()
    if found is None:
        raise NotFound("tuning log")
    return found


def log_at(machine: Machine) -> Log | None:
    """The log that is worked on at a test machine, if one is."""
    return Log.objects.filter(machine=machine).first()


def all_logs() -> list[LogRow]:
    """All logs, newest first, each with what is to be said of it first."""
    rows = []
    for log in whole():
        # What is said first needs no rival, which would be a query a log.
        own = told(log, rival=False)
        first = _said(own, "")[: 2 if log.seed is not None else 1]
        rows.append(
            LogRow(
                id=log.pk, title=log.title, part=log.part.name, setup=log.base.setup.name, steps=len(own.kept),
                sentence=" ".join(first), by=log.by.get_username(), at=log.at,
            )
        )  # fmt: skip
    return rows


def _said(own: Told, rival: str) -> list[str]:
    """What is known by a log, in sentences; of the simulated bench that comes first."""
    known = sentences_of(own.core, own.found, own.log.part.name, rival)
    return ["Simulated bench: nothing here is a result.", *known] if own.log.seed is not None else list(known)


def log_out(log_id: int) -> LogOut:
    """A log with all that core says of it. Raises :class:`NotFound`."""
    own = told(one_log(log_id))
    log, core, found = own.log, own.core, own.found
    samples = samples_of(core)
    rival = _rival_out(log, core.rival)
    return LogOut(
        id=log.pk, title=log.title, part_id=log.part_id, part=log.part.name, part_kind=log.part.kind,
        setup_id=log.base.setup_id, setup=log.base.setup.name, stability_min=log.stability_min,
        reset_words=log.reset_words, backed_up_by=log.backed_up_by.get_username() if log.backed_up_by else "",
        memory=log.part.kind == "memory", simulated=log.seed is not None, seed=log.seed, machine_id=log.machine_id,
        machine=log.machine.name if log.machine else "", settings=_settings_out(log), steps=steps_out(own),
        sentences=_said(own, rival.name if rival else "the rival"), why=list(why_of(core, found)),
        next=NextOut(setting=found.next.setting, value=found.next.value, why=found.next.why,
                     words=next_words(core, found)),
        next_of_sample=core.steps[-1].sample if core.steps else "",
        knee=KneeOut(**plain(found.knee) | {"step": int(found.knee.step)}) if found.knee else None,
        equal_power=EqualOut(**plain(found.equal_power)) if found.equal_power else None,
        rival=rival,
        samples=[SampleOut(sample=one.sample, fps=one.fps, w=one.w) for one in samples.samples] if samples else [],
        samples_words=samples_words(samples, log.part.name) if samples else "",
        by=log.by.get_username(), at=log.at, seen=log_mark(log),
    )  # fmt: skip


def log_mark(log: Log) -> str:
    """A mark of what is said of a log beside its steps."""
    own = [getattr(log, name) for name in _OWN]
    settings = [[getattr(one, name) for name in LogSettingIn.model_fields] for one in log.settings.all()]
    return mark_of([own, log.base.setup_id, settings])


def _settings_out(log: Log) -> list[LogSettingOut]:
    said = dict.fromkeys(("timing", "clock", "other"), CAUTIONS["memory"] if log.part.kind == "memory" else "")
    return [
        LogSettingOut(
            **{name: getattr(one, name) for name in LogSettingIn.model_fields},
            caution=CAUTIONS["limit"] if one.kind in LIMITED else said.get(one.kind, ""),
        )
        for one in log.settings.all()
    ]


def steps_out(own: Told) -> list[TunedStepOut]:
    """The steps of a log, each with what core says of it."""
    answers = {one.id: one for one in own.found.steps}
    found = []
    for one in own.kept:
        core, answer = step(one), answers[str(one.number)]
        said: dict[str, Any] = {name: getattr(answer, name) for name in _ANSWERED}
        counted = [row for row in one.passes.all() if not row.struck_why]
        beside: dict[str, Any] = {name: mean_told(getattr(row, name) for row in counted) for name in _BESIDE}
        found.append(
            TunedStepOut(
                **said,
                **beside,
                id=one.pk, number=one.number, sample=one.sample, after=one.after_id, set=one.set,
                read_back=one.read_back, words=set_words(own.core, core),
                minutes=core.minutes_passed,
                why_unstable=failed_words(core),
                over_limit=list(dict.fromkeys([*one.over_limit, *answer.over_limit])),
                conclusion=one.conclusion,
                setup_id=one.setup.setup_id if one.setup else None,
                setup_name=one.setup.setup.name if one.setup else "",
                runs=[_run_out(run) for run in one.runs.all()], passes=[_quick_out(row) for row in one.passes.all()],
                by=one.by.get_username(), at=one.at,
            )
        )  # fmt: skip
    return found


def _struck(one: StabilityRun | QuickPass) -> str:
    return f"{one.struck_by.get_username()}: {one.struck_why}" if one.struck_by and one.struck_why else ""


def _run_out(one: StabilityRun) -> StabilityOut:
    return StabilityOut(
        id=one.pk, program=one.program, minutes=one.minutes, outcome=one.outcome, by=one.by.get_username(), at=one.at,
        struck=_struck(one),
    )  # fmt: skip


def _quick_out(one: QuickPass) -> QuickOut:
    own: dict[str, Any] = {name: getattr(one, name) for name in ("what", "fps", "w", *_BESIDE, "file_name", "at")}
    return QuickOut(**own, id=one.pk, by=one.by.get_username(), struck=_struck(one))


def _rival_out(log: Log, core: Rival | None) -> RivalOut | None:
    if log.rival_lane is None or log.rival_test is None or log.rival_test.study_id in HIDDEN.get():
        return None
    return RivalOut(
        lane_id=log.rival_lane.pk, test_id=log.rival_test.pk, study_id=log.rival_test.study_id,
        name=log.rival_lane.name, of=f"{log.rival_test}, {log.rival_test.study}",
        passes=len(core.passes) if core else 0,
        fps=core.fps if core else None, w=core.w if core else None,
    )  # fmt: skip
