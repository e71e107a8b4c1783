"""How the tests of reports write, publish and read one."""

from __future__ import annotations

from typing import Any

from django.test import Client
from rennbahn.simulation import Rig
from testkit import Bench, Caller, Ran

Node = dict[str, Any]


def add(who: Caller, report: dict[str, Any], body: dict[str, Any], status: int = 201) -> Any:
    after = report["blocks"][-1]["id"] if report["blocks"] else None
    return who.post(f"/reports/{report['id']}/blocks", {"after": after, **body}, status=status)


def text(words: str, *marks: Node) -> Node:
    return {"type": "text", "text": words, **({"marks": list(marks)} if marks else {})}


def live(number: dict[str, Any]) -> Node:
    told = {"study": number["study_id"], **{key: number[key] for key in ("key", "of", "text")}}
    return {"type": "number", "attrs": told}


def prose(*inside: Node) -> Node:
    return {"type": "doc", "content": [{"type": "paragraph", "content": list(inside)}]}


def settled(who: Caller, report: dict[str, Any]) -> Any:
    """Say of every point that is not in order why it goes out with it."""
    for point in report["points"]:
        if not point["blocks"]:
            report = who.put(f"/reports/{report['id']}/settled", {"point": point["words"], "why": "Looked at."})
    return report


def published(lead: Caller, report: dict[str, Any], status: int = 200, **told: Any) -> Any:
    now = lead.get(f"/reports/{report['id']}")
    body = {"seen": now["seen"], "unchecked": True, **told}
    return lead.post(f"/reports/{report['id']}/publish", body, status=status)


def read(address: str, status: int = 200) -> str:
    """What somebody without an account reads."""
    response = Client().get(address)
    assert response.status_code == status, (address, response.status_code)
    return response.content.decode()


def slower(bench: Bench) -> None:
    """The lane that is looked at becomes the slower one: its passes are rejected and others come."""
    fast = [one["id"] for one in bench.tester.get(f"/studies/{bench.id}/passes") if one["lane_id"] == bench.lane(1)]
    runs = [Ran(1, test, seed=900 + 10 * test + n, rig=Rig(gpu_speed=0.9)) for test in range(3) for n in range(3)]
    new = bench.record_all(runs)
    for one in fast:
        bench.tester.put(
            f"/studies/passes/{one}/state", {"state": "rejected", "reason_code": "wrong_setting", "reason": "a profile"}
        )
    bench.accept(*new)
