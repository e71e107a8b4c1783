"""What becomes of steps: setups, and studies of two of them."""

from __future__ import annotations

from bench.models import SetupVersion
from bench.schemas import PricedRef, SettingIn, SetupIn
from bench.services import setup_like, swapped_parts
from django.contrib.auth.models import AnonymousUser, User
from django.db import transaction
from people.access import require
from people.models import Role
from problems import NotFound
from rennbahn.tuning import amount, set_words
from studies.models import Study, Test
from studies.schemas import LaneIn, StudyIn, TestIn
from studies.services import create_study

from tuning.locking import locked, step_locked
from tuning.logs import step as core_step
from tuning.logs import told
from tuning.models import LogStep
from tuning.queries import one_log
from tuning.schemas import BeforeAfterIn

Caller = User | AnonymousUser


def make_setup(user: Caller, step_id: int) -> SetupVersion:
    """The setup that a step is: the log's own with what was set. Made once; a step knows it from then on."""
    require(user, Role.LEAD)
    with transaction.atomic():
        step = step_locked(step_id)
        if step.setup is not None:
            return step.setup
        base = step.log.base
        told = {
            one.name: amount(step.set[one.name], one.unit) for one in step.log.settings.all() if one.name in step.set
        }
        # A setup may know a setting by other letters: what it is called there stays.
        left = {name.casefold(): (name, value) for name, value in told.items()}
        settings = []
        for one in base.settings.all():
            _, value = left.pop(one.name.casefold(), ("", one.value))
            settings.append(SettingIn(name=one.name, value=value))
        settings += [SettingIn(name=name, value=value) for name, value in left.values()]
        parts = list(base.parts.all())
        own = swapped_parts(parts, base.rig.parts.all()) if base.rig is not None else parts
        words = ", ".join(f"{name} {value}" for name, value in told.items()) or "at stock"
        data = SetupIn(
            name=f"{base.setup.name}, {words}"[:120], rig_id=base.rig_id, settings=settings,
            parts=[PricedRef(kind=part.kind, name=part.name) for part in own],
        )  # fmt: skip
        step.setup = setup_like(user, data)
        step.save(update_fields=["setup"])
        return step.setup


def before_and_after(user: Caller, log_id: int, data: BeforeAfterIn) -> Study:
    """Two steps as the lanes of a study: what tuning brings over the tests of another study."""
    require(user, Role.LEAD)
    with transaction.atomic():
        locked(log_id)
        own = told(one_log(log_id))
        steps = {one.pk: one for one in own.kept}
        if data.before not in steps or data.after not in steps or data.before == data.after:
            raise NotFound("step of this log")
        pair = [steps[data.before], steps[data.after]]
        tests = [
            TestIn(game=one.scene.game.name, scene=one.scene.name, condition=one.condition.name, priority=one.priority)
            for one in Test.objects.filter(study=data.tests_of, study__in=Study.objects.all())
            .select_related("scene__game", "condition").order_by("position")
        ]  # fmt: skip
        if not tests:
            raise NotFound("study with tests")
        values = [[own.core.value(core_step(one), name) for one in pair] for name in own.core.settings]
        varied = [name for name, (one, other) in zip(own.core.settings, values, strict=True) if one != other]
        lanes = [
            LaneIn(name=_lane_name(one, set_words(own.core, core_step(one))),
                   setup_id=make_setup(user, one.pk).setup_id)
            for one in pair
        ]  # fmt: skip
        body = StudyIn(
            kind="a_b", question=data.question, factor=(" and ".join(varied) or own.log.title)[:120], lanes=lanes,
            baseline=0, tests=tests,
        )  # fmt: skip
        return create_study(user, body)


def _lane_name(step: LogStep, words: str) -> str:
    tail = f" (step {step.number})"
    return f"{words[: 80 - len(tail)]}{tail}"
