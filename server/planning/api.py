"""Planning: fair setups, enough passes, the right order, in time."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.utils import timezone
from ninja import Router, Status
from people.access import user_of
from studies.queries import one_study
from studies.schemas import StudyOut

from planning import exports, queries, services, sketching
from planning.lengths import lengths_to_give
from planning.noise_book import noise_book
from planning.schemas import (
    AcceptIn,
    BookOut,
    OutlookOut,
    PlanEdit,
    PlanOut,
    SceneLengthOut,
    SceneNoiseOut,
    SequenceIn,
    SketchIn,
    SketchOut,
    WithdrawIn,
)

router = Router(tags=["planning"])


@router.get("/studies/{int:study_id}/plan", response=PlanOut)
def whole_plan(request: HttpRequest, study_id: int) -> PlanOut:
    """A study's plan: what differs between its lanes, what its tests need, and its passes laid out in time."""
    return queries.whole_plan(study_id)


@router.put("/studies/{int:study_id}/plan", response=PlanOut)
def save_plan(request: HttpRequest, study_id: int, payload: PlanEdit) -> PlanOut:
    """Keep what a plan rests on; it is laid out anew."""
    return queries.whole_plan(services.save_plan(user_of(request), study_id, payload).study_id)


@router.put("/studies/{int:study_id}/plan/sequence", response=PlanOut)
def order_by_hand(request: HttpRequest, study_id: int, payload: SequenceIn) -> PlanOut:
    """Run the passes in an order of one's own."""
    return queries.whole_plan(services.order_by_hand(user_of(request), study_id, payload).study_id)


@router.post("/studies/{int:study_id}/acceptances", response={201: PlanOut})
def accept_difference(request: HttpRequest, study_id: int, payload: AcceptIn) -> Status[PlanOut]:
    """Accept a difference between lanes with a written reason."""
    return Status(201, queries.whole_plan(services.accept_difference(user_of(request), study_id, payload).study_id))


@router.post("/studies/{int:study_id}/acceptances/withdraw", response=PlanOut)
def withdraw_acceptance(request: HttpRequest, study_id: int, payload: WithdrawIn) -> PlanOut:
    """No longer accept a difference."""
    return queries.whole_plan(services.withdraw_acceptance(user_of(request), study_id, payload.key).pk)


@router.post("/studies/{int:study_id}/ready", response=StudyOut)
def call_ready(request: HttpRequest, study_id: int) -> StudyOut:
    """Call a study ready to run."""
    return one_study(services.call_ready(user_of(request), study_id).pk)


@router.get("/studies/{int:study_id}/plan.csv")
def plan_csv(request: HttpRequest, study_id: int) -> HttpResponse:
    """The plan pass by pass, as CSV."""
    return _file(exports.plan_csv(study_id), "text/csv; charset=utf-8", f"plan-{study_id}.csv")


@router.get("/studies/{int:study_id}/plan.ics")
def plan_ics(request: HttpRequest, study_id: int) -> HttpResponse:
    """The plan session by session, as iCalendar."""
    content = exports.plan_ics(study_id, timezone.now())
    return _file(content, "text/calendar; charset=utf-8", f"plan-{study_id}.ics")


@router.get("/outlooks", response=list[OutlookOut])
def outlooks(request: HttpRequest) -> list[OutlookOut]:
    """Which open studies end before their deadline."""
    return queries.outlooks()


@router.get("/scene-lengths", response=list[SceneLengthOut])
def scene_lengths(request: HttpRequest) -> list[SceneLengthOut]:
    """Lengths that passes agree on, of scenes whose card says none."""
    return lengths_to_give()


@router.get("/scene-noise", response=list[SceneNoiseOut])
def scene_noise(request: HttpRequest) -> list[SceneNoiseOut]:
    """How well each scene repeats, learned from all studies."""
    return queries.noise_of_scenes()


@router.get("/noise-book", response=BookOut)
def book(request: HttpRequest) -> BookOut:
    """What passes taught about repeating: scenes, kinds of scene, first passes, cards and processors."""
    return noise_book()


@router.post("/sketch", response=SketchOut)
def sketch(request: HttpRequest, payload: SketchIn) -> SketchOut:
    """What a study as typed so far comes to; nothing is kept."""
    return sketching.sketch(user_of(request), payload)


def _file(content: str | bytes, kind: str, name: str) -> HttpResponse:
    response = HttpResponse(content, content_type=kind)
    response.headers["Content-Disposition"] = f'attachment; filename="{name}"'
    return response
