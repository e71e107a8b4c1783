"""How tests write a tuning log."""

from __future__ import annotations

import uuid
from typing import Any

from testkit import Caller

LIMITS = {"limit_low": -200.0, "limit_high": 0.0, "limit_source": "maker’s manual, page 12", "limit_day": "2026-09-01"}
OFFSET = {"name": "Core voltage", "unit": "mV", "kind": "voltage", "stock": 0.0, "resolution": 5.0, "harder": "down"}
LIMIT = {"name": "Power limit", "unit": "W", "kind": "power", "stock": 120.0, "resolution": 5.0}


def one() -> str:
    return str(uuid.uuid4())


def a_setup(lead: Caller) -> dict[str, Any]:
    parts = [{"kind": "card", "name": "Finch 5"}, {"kind": "memory", "name": "Two sticks"}]
    body = {"name": "Walnut box", "parts": parts, "settings": [{"name": "power LIMIT", "value": "120 W"}]}
    made: dict[str, Any] = lead.post("/setups", body, status=201)
    return made


def part_id(lead: Caller, name: str) -> int:
    return int(next(part["id"] for part in lead.get("/parts") if part["name"] == name))


def log_body(lead: Caller, base: dict[str, Any], **more: Any) -> dict[str, Any]:
    body = {"title": "How far down", "part_id": part_id(lead, "Finch 5"), "setup_id": base["id"],
            "settings": [OFFSET | LIMITS, LIMIT]}  # fmt: skip
    return body | more


def step(who: Caller, log: dict[str, Any], value: float, status: int = 201, **more: Any) -> dict[str, Any]:
    body = {"client_id": one(), "set": {"Core voltage": value}} | more
    found: dict[str, Any] = who.post(f"/tuning/{log['id']}/steps", body, status=status)
    return found


def run(who: Caller, found: dict[str, Any], outcome: str = "passed", minutes: float = 60.0) -> dict[str, Any]:
    body = {"client_id": one(), "program": "long load", "minutes": minutes, "outcome": outcome}
    told: dict[str, Any] = who.post(f"/tuning/steps/{found['steps'][-1]['id']}/runs", body, status=201)
    return told


def quick(who: Caller, found: dict[str, Any], *rows: tuple[float, float]) -> dict[str, Any]:
    for fps, w in rows:
        body = {"client_id": one(), "fps": fps, "w": w}
        found = who.post(f"/tuning/steps/{found['steps'][-1]['id']}/passes", body, status=201)
    return found
