"""Ready holds for what was read: what a later version of the check asks takes it back, visibly."""

from __future__ import annotations

from bench.models import Setting
from planning.readiness import look_again_at_all
from testkit import Bench


def test_an_upgrade_that_asks_more_takes_readiness_back(bench: Bench) -> None:
    path = f"/studies/{bench.id}"
    assert bench.lead.post(f"{path}/ready")["ready_at"]
    look_again_at_all()
    assert bench.lead.get(path)["ready_at"], "nothing new is asked"
    # As if it had been called ready before anybody asked for the power plan.
    Setting.objects.filter(name="Power plan").delete()
    look_again_at_all()
    assert bench.lead.get(path)["ready_at"] is None
    line = bench.lead.get(f"{path}/audit")[0]
    assert line["what"] == "is not ready any more"
    assert line["why"].startswith("asked since an upgrade: Not recorded: not recorded in any lane: Power plan or mode")
