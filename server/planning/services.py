"""What one can do with a plan. Each verb checks the role, changes in one transaction, and leaves an audit line."""

from __future__ import annotations

import datetime as dt

from django.contrib.auth.models import AnonymousUser, User
from django.db import transaction
from django.utils import timezone
from page_marks import check_seen
from people.access import require
from people.models import Role
from problems import Conflict, NotFound, Problem
from rennbahn.kinds.proxy import stands_for
from rennbahn.planning.order_tells import CONTROLS
from studies.composing import plan_controls
from studies.models import Pass, Study, StudyKind
from studies.record import last_said, note
from studies.services import open_study

from planning.building import costs_of, fairness_of
from planning.fair import objections_mark, unanswered
from planning.models import Acceptance, Order, Plan
from planning.queries import one_study, plan_in, plan_mark, plan_of, whole_plan
from planning.schemas import AcceptIn, PlanEdit, PlanIn, SequenceIn

Caller = User | AnonymousUser
_PLAN_CHANGED = ("changed the plan", "ordered the passes by hand")


def save_plan(user: Caller, study_id: int, data: PlanIn) -> Plan:
    """Keep what a plan rests on."""
    lead = require(user, Role.LEAD)
    costs_of(data.costs)
    if (data.quiet_from is None) != (data.quiet_to is None) or (
        data.quiet_from is not None and data.quiet_from == data.quiet_to
    ):
        raise Problem(
            "quiet_hours", "Quiet hours need two different times, from and to, or neither.",
            field="quiet_from" if data.quiet_from is None else "quiet_to",
        )  # fmt: skip
    with transaction.atomic():
        study = open_study(study_id)
        kept = plan_of(study)
        before = plan_in(kept).dict()
        if isinstance(data, PlanEdit):
            check_seen("your plan", data.seen, plan_mark(kept), lambda: last_said(study, *_PLAN_CHANGED))
        _check_dates(study, data)
        after = {name: value for name, value in data.dict().items() if name in PlanIn.model_fields}
        if after == before and not kept._state.adding:
            return kept
        for name, value in after.items():
            setattr(kept, f"{name}_id" if name == "control_test" else name, value)
        if before["control_test"] != after["control_test"]:
            plan_controls(study, after["control_test"], CONTROLS)
        kept.deadline = data.deadline.replace(tzinfo=dt.UTC) if data.deadline else None
        kept.weekdays = sorted(set(data.weekdays))
        kept.dates = [one.model_dump(mode="json") for one in data.dates]
        kept.save()
        said = [f"{name}: {before[name]} → {value}" for name, value in after.items() if before[name] != value]
        note(study, lead, "changed the plan", "; ".join(said))
        check_laid_out(study_id)
    return kept


def _check_dates(study: Study, data: PlanIn) -> None:
    """Refuse dates of lanes and games that the study has not. Raises :class:`Problem`."""
    lanes = set(study.lanes.values_list("pk", flat=True))
    games = set(study.tests.values_list("scene__game", flat=True))
    for at, one in enumerate(data.dates):
        if one.lane_id not in (None, *lanes) or one.game_id not in (None, *games):
            what = "lane" if one.kind == "back" else "game"
            raise Problem("strange_date", f"The {what} of {one.on} is none of this study's.", field=f"dates.{at}")


def check_laid_out(study_id: int) -> None:
    """Refuse a plan that cannot be laid out, before it is kept and in everybody's way. Raises :class:`Problem`."""
    try:
        whole_plan(study_id)
    except (OverflowError, ValueError) as error:
        raise Problem(
            "plan_not_laid_out",
            f"The plan cannot be laid out: {error}.",
            field="starts_on",
            hint="Look at its first day, its hours and its costs.",
        ) from None


def order_by_hand(user: Caller, study_id: int, data: SequenceIn) -> Plan:
    """Run the passes in this order. Passes it does not name follow."""
    sequence = data.sequence
    lead = require(user, Role.LEAD)
    with transaction.atomic():
        study = open_study(study_id)
        known = set(Pass.objects.filter(test__study=study, pk__in=sequence).values_list("pk", flat=True))
        strange = next((pk for pk in sequence if pk not in known), None)
        if strange is not None:
            raise Problem("strange_pass", f"Pass {strange} is none of this study's.", field="sequence")
        kept = plan_of(study)
        check_seen("your order", data.seen, plan_mark(kept), lambda: last_said(study, *_PLAN_CHANGED))
        first_time = kept.order != Order.BY_HAND
        kept.sequence, kept.order = sequence, Order.BY_HAND
        kept.save()
        if first_time:
            note(study, lead, "ordered the passes by hand")
    return kept


def accept_difference(user: Caller, study_id: int, data: AcceptIn) -> Acceptance:
    """Accept a difference between lanes, with the reason that prints with every finding."""
    lead = require(user, Role.LEAD)
    with transaction.atomic():
        open_study(study_id)
        study = one_study(study_id)
        found = next((one for one in fairness_of(study).objections if one.key == data.key), None)
        if found is None:
            raise NotFound("difference between the lanes of this study")
        if found.about != data.about:
            raise Conflict(
                "difference_changed",
                f"{found.label} is now: {found.about}.",
                field="about",
                hint="Read it again, then accept it.",
            )
        accepted, _ = Acceptance.objects.update_or_create(
            study=study,
            key=data.key,
            defaults={
                "label": found.label, "about": found.about, "weight": found.weight, "reason": data.reason, "by": lead,
            },
        )  # fmt: skip
        note(study, lead, "accepted a difference", f"{found.label}: {data.reason}")
    return accepted


def withdraw_acceptance(user: Caller, study_id: int, key: str) -> Study:
    """No longer accept a difference. A ready study has to be called ready again."""
    lead = require(user, Role.LEAD)
    with transaction.atomic():
        study = open_study(study_id)
        found = Acceptance.objects.filter(study=study, key=key).first()
        if found is None:
            raise NotFound("accepted difference")
        found.delete()
        study.ready_at, study.ready_for = None, ""
        study.save(update_fields=["ready_at", "ready_for"])
        note(study, lead, "no longer accepts a difference", found.label)
    return study


def call_ready(user: Caller, study_id: int) -> Study:
    """Call a study ready to run: its lanes differ in the factor alone, or in what was accepted with a reason."""
    lead = require(user, Role.LEAD)
    with transaction.atomic():
        locked = open_study(study_id)
        study = one_study(study_id)
        fairness = fairness_of(study)
        open_ones = unanswered(study, fairness)
        if open_ones:
            first = open_ones[0]
            more = f", and {len(open_ones) - 1} more" if len(open_ones) > 1 else ""
            raise Conflict(
                "differences_open",
                f"{first.label}: {first.about}{more}.",
                field=first.key,
                hint="Mend the setups, or accept each difference with the reason why it may stand.",
            )
        told = [(x.scene.game_id, x.condition_id, x.scene.kind == "benchmark") for x in study.tests.all()]
        if study.kind == StudyKind.PROXY_CHECK and not any(at is not None for at in stands_for(told)):
            raise Conflict(
                "no_benchmark",
                "No test is a game’s built-in benchmark that stands for a scene of play under the same condition.",
                field="tests",
                hint="Give a scene the kind “built-in benchmark” in Scenes, and add the play that it stands for.",
            )
        if locked.ready_at is None:
            locked.ready_at, locked.ready_for = timezone.now(), objections_mark(fairness)
            locked.save(update_fields=["ready_at", "ready_for"])
            note(locked, lead, "called the study ready")
    return locked
