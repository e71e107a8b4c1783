"""Doubts: what was found, and settling it."""

from __future__ import annotations

from django.http import HttpRequest
from ninja import Router
from people.access import user_of

from doubting import queries, services
from doubting.schemas import (
    AcceptedOut,
    AcceptUndoubtedIn,
    CheckIn,
    CheckOut,
    DoubtsOut,
    SettledAs,
    SettleIn,
    SettleWideIn,
)

router = Router(tags=["doubts"])


@router.get("/studies/{int:study_id}/doubts", response=DoubtsOut)
def doubts(request: HttpRequest, study_id: int) -> DoubtsOut:
    """All that is doubted in a study, and how it was settled."""
    return queries.doubts_of_study(study_id)


@router.post("/passes/{int:pass_id}/settle", response=SettledAs)
def settle(request: HttpRequest, pass_id: int, payload: SettleIn) -> SettledAs:
    """Settle what one check doubts about a pass."""
    return SettledAs(passes=services.settle(user_of(request), pass_id, payload))


@router.post("/studies/{int:study_id}/doubts/settle", response=SettledAs)
def settle_wide(request: HttpRequest, study_id: int, payload: SettleWideIn) -> SettledAs:
    """Settle a doubt about a lane, a test or a session for all its passes at once."""
    return SettledAs(passes=services.settle_wide(user_of(request), study_id, payload))


@router.post("/studies/{int:study_id}/passes/accept", response=AcceptedOut)
def accept(request: HttpRequest, study_id: int, payload: AcceptUndoubtedIn) -> AcceptedOut:
    """Accept what waits and no check doubts; the rest stands as it is."""
    return services.accept_undoubted(user_of(request), study_id, payload.pass_ids)


@router.get("/studies/{int:study_id}/checks", response=list[CheckOut])
def checks(request: HttpRequest, study_id: int) -> list[CheckOut]:
    """Every check, with what it doubts in the study now and whether it is asked there."""
    return queries.checks_of(study_id)


@router.put("/studies/{int:study_id}/checks/{str:check_id}", response=CheckOut)
def switch(request: HttpRequest, study_id: int, check_id: str, payload: CheckIn) -> CheckOut:
    """Ask a check in the study, or with a reason ask it no longer."""
    return services.switch_check(user_of(request), study_id, check_id, payload)
