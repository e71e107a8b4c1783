"""Studies leave the desk: an empty one for good, one with passes into a list from which it comes back."""

from __future__ import annotations

from studies.models import AuditLine, Study
from testkit import Bench, Caller, study_body


def desk(lead: Caller, more: str = "") -> list[int]:
    return [one["id"] for one in lead.get(f"/studies{more}")]


def test_an_empty_study_goes_and_its_record_stays(lead: Caller) -> None:
    study = lead.post("/studies", study_body(), status=201)
    lead.call("DELETE", f"/studies/{study['id']}", status=204)
    assert desk(lead) == []
    assert desk(lead, "?archived=true") == []
    for path in ("", "/plan", "/audit", "/findings"):
        assert lead.get(f"/studies/{study['id']}{path}", status=404)["code"] == "not_found", path
    assert lead.post(f"/studies/{study['id']}/ready", status=404)
    assert not Study.objects.filter(pk=study["id"]).exists()
    assert Study.with_removed.filter(pk=study["id"]).exists()
    assert AuditLine.objects.filter(study=study["id"], what="removed the study").count() == 1


def test_a_study_with_passes_is_put_away_and_taken_out(bench: Bench) -> None:
    bench.accept(bench.record(0, 0))
    refused = bench.lead.call("DELETE", f"/studies/{bench.id}", status=409)
    assert refused["code"] == "study_has_passes"
    assert bench.lead.post(f"/studies/{bench.id}/archive")["archived_at"]
    assert (desk(bench.lead), desk(bench.lead, "?archived=true")) == ([], [bench.id])
    assert bench.lead.get(f"/studies/{bench.id}/findings"), "it is read as before"
    closed = bench.tester.hand_in(bench.id, "late.csv", bench.log(9), status=409)
    assert closed["code"] == "study_archived"
    assert bench.lead.post(f"/studies/{bench.id}/restore")["archived_at"] is None
    assert desk(bench.lead) == [bench.id]


def test_a_study_with_a_file_that_waits_is_not_empty(bench: Bench) -> None:
    bench.tester.hand_in(bench.id, "a.csv", bench.log(1))
    assert bench.lead.call("DELETE", f"/studies/{bench.id}", status=409)["code"] == "study_has_passes"
