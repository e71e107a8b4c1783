"""Studies and the decisions on their passes."""

from __future__ import annotations

from django.http import HttpRequest
from ninja import Query, Router, Status
from people.access import user_of

from studies import acts, deciding, kept, queries, services
from studies.schemas import (
    AskedEdit,
    AuditOut,
    Changed,
    KeptIn,
    LaneIn,
    MethodEdit,
    PassChange,
    PassesChange,
    PassesIn,
    PassIn,
    PassRef,
    StudyIn,
    StudyOut,
    StudySummary,
    TestsEdit,
)

router = Router(tags=["studies"])


@router.get("", response=list[StudySummary])
def studies(
    request: HttpRequest,
    words: str = "",
    before: int | None = Query(None, ge=1),  # type: ignore[type-arg]
    archived: bool = False,
) -> list[StudySummary]:
    """A page of studies, newest first: those that hold the words, before the one that the last page ended with.

    `archived` asks for those that were put away.
    """
    return queries.studies_page(words, before, archived=archived)


@router.post("", response={201: StudyOut})
def create_study(request: HttpRequest, payload: StudyIn) -> Status[StudyOut]:
    """Create a study with lanes, tests and planned passes."""
    return Status(201, queries.one_study(services.create_study(user_of(request), payload).pk))


@router.get("/{int:study_id}", response=StudyOut)
def study(request: HttpRequest, study_id: int) -> StudyOut:
    """One study."""
    return queries.one_study(study_id)


@router.put("/{int:study_id}/method", response=StudyOut)
def edit_method(request: HttpRequest, study_id: int, payload: MethodEdit) -> StudyOut:
    """Declare another method."""
    return queries.one_study(services.edit_method(user_of(request), study_id, payload).pk)


@router.put("/{int:study_id}/baseline/{int:lane_id}", response=StudyOut)
def set_baseline(request: HttpRequest, study_id: int, lane_id: int) -> StudyOut:
    """Make another lane the baseline."""
    return queries.one_study(services.set_baseline(user_of(request), study_id, lane_id).pk)


@router.post("/{int:study_id}/lanes", response={201: StudyOut})
def add_lane(request: HttpRequest, study_id: int, payload: LaneIn) -> Status[StudyOut]:
    """Add a lane with its planned passes."""
    return Status(201, queries.one_study(services.add_lane(user_of(request), study_id, payload).study_id))


@router.put("/{int:study_id}/tests", response=StudyOut)
def set_tests(request: HttpRequest, study_id: int, payload: TestsEdit) -> StudyOut:
    """Make these the tests of a study, with their passes and priorities."""
    return queries.one_study(services.set_tests(user_of(request), study_id, payload.tests, payload.seen).pk)


@router.put("/{int:study_id}/question", response=StudyOut)
def ask_otherwise(request: HttpRequest, study_id: int, payload: AskedEdit) -> StudyOut:
    """Put the question in other words, or name another factor."""
    return queries.one_study(services.ask_otherwise(user_of(request), study_id, payload).pk)


@router.put("/lanes/{int:lane_id}/newest-version", response=StudyOut)
def move_lane_on(request: HttpRequest, lane_id: int) -> StudyOut:
    """Use the newest version of a lane's setup from now on."""
    return queries.one_study(services.move_lane_on(user_of(request), lane_id).study_id)


@router.post("/{int:study_id}/finish", response=StudyOut)
def finish(request: HttpRequest, study_id: int) -> StudyOut:
    """Finish a study."""
    return queries.one_study(services.finish_study(user_of(request), study_id).pk)


@router.post("/{int:study_id}/reopen", response=StudyOut)
def reopen(request: HttpRequest, study_id: int) -> StudyOut:
    """Open a finished study again."""
    return queries.one_study(services.reopen_study(user_of(request), study_id).pk)


@router.post("/{int:study_id}/archive", response=StudyOut)
def archive(request: HttpRequest, study_id: int) -> StudyOut:
    """Put a study away."""
    return queries.one_study(services.archive_study(user_of(request), study_id, away=True).pk)


@router.post("/{int:study_id}/restore", response=StudyOut)
def restore(request: HttpRequest, study_id: int) -> StudyOut:
    """Take a study out again that was put away."""
    return queries.one_study(services.archive_study(user_of(request), study_id, away=False).pk)


@router.put("/{int:study_id}/kept", response=StudyOut)
def keep_to(request: HttpRequest, study_id: int, payload: KeptIn) -> StudyOut:
    """Keep a study to some people until it is published, or open it to all."""
    kept.keep_to(user_of(request), study_id, payload.names)
    return queries.one_study(study_id)


@router.delete("/{int:study_id}", response={204: None})
def remove(request: HttpRequest, study_id: int) -> Status[None]:
    """Take a study away of which nothing was run yet."""
    services.remove_study(user_of(request), study_id)
    return Status(204, None)


@router.get("/{int:study_id}/audit", response=list[AuditOut])
def audit(request: HttpRequest, study_id: int) -> list[AuditOut]:
    """The record: who did what, when and why."""
    return queries.audit_of(study_id)


@router.post("/passes", response={201: PassRef})
def plan_pass(request: HttpRequest, payload: PassIn) -> Status[PassRef]:
    """Plan one more pass."""
    return Status(
        201, queries.pass_ref(deciding.plan_pass(user_of(request), payload.lane_id, payload.test_id, payload.role))
    )


@router.post("/{int:study_id}/passes/repeat", response={201: list[PassRef]})
def plan_repeats(request: HttpRequest, study_id: int, payload: PassesIn) -> Status[list[PassRef]]:
    """Have passes repeated: each repeat comes into the plan and to Run."""
    planned = deciding.plan_repeats(user_of(request), study_id, payload.pass_ids)
    return Status(201, [queries.pass_ref(one) for one in planned])


@router.post("/{int:study_id}/decisions/{int:decision_id}/undo", response={204: None})
def undo(request: HttpRequest, study_id: int, decision_id: int) -> Status[None]:
    """Take a decision back, with all its passes."""
    acts.undo(user_of(request), study_id, decision_id)
    return Status(204, None)


@router.put("/passes/{int:pass_id}/state", response=PassRef)
def change_pass(request: HttpRequest, pass_id: int, payload: PassChange) -> PassRef:
    """Accept or reject a pass, or say why it did not run."""
    return queries.pass_ref(
        deciding.change_pass(user_of(request), pass_id, payload.state, payload.reason, payload.reason_code)
    )


@router.put("/{int:study_id}/passes/state", response=Changed)
def change_passes(request: HttpRequest, study_id: int, payload: PassesChange) -> Changed:
    """The same decision on several passes, as one act: all of them or none."""
    caller, ids = user_of(request), payload.pass_ids
    changed = deciding.change_passes(caller, study_id, ids, payload.state, payload.reason, payload.reason_code)
    return Changed(changed=changed)
