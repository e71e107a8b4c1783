"""Whatever parts there are, their table says them so that it can be read back."""

from __future__ import annotations

import random
from typing import Any

import pytest
from bench.models import Part
from django.core.files.uploadedfile import SimpleUploadedFile
from rennbahn.parts import KINDS, Fact
from testkit import Caller

ODD = ["=SUM(A1)", "-1", "a;b,c", 'say "so"', "two\nlines", "Ünïcode × ²", "'quoted", "@home", "+"]


def value(fact: Fact, rng: random.Random) -> Any:
    """Some value that the fact can have."""
    if fact.type == "flag":
        return rng.random() < 0.5
    if fact.type == "choice":
        return rng.choice(fact.choices)
    if fact.type == "date":
        return f"20{rng.randint(10, 40)}-{rng.randint(1, 12):02}-{rng.randint(1, 28):02}"
    if fact.type == "text":
        return rng.choice(ODD).strip()
    low, high = fact.low or 0, fact.high or 0
    return rng.randint(int(-(-low // 1)), int(high)) if fact.type == "whole" else round(rng.uniform(low, high), 3)


def any_part(kind: str, name: str, rng: random.Random) -> dict[str, Any]:
    definition = next(one for one in KINDS if one.id == kind)
    skipped = ("power_limit_w", "voltage_v")
    facts = {f.name: value(f, rng) for f in definition.facts if f.name not in skipped and rng.random() < 0.7}
    priced = rng.random() < 0.5
    return {
        "kind": kind,
        "name": name,
        "maker": rng.choice(ODD).replace("\n", " "),
        "facts": facts,
        "price": f"{rng.uniform(0, 2000):.2f}" if priced else None,
        "currency": "EUR" if priced else "",
        "price_from": rng.choice(["", "a shop, in spring"]),
        "weight_g": rng.choice([None, 0, 1250]),
        "notes": rng.choice(ODD),
    }


def everything() -> list[dict[str, Any]]:
    fields = ("kind", "name", "maker", "facts", "price", "currency", "price_from", "weight_g", "notes")
    return list(Part.objects.order_by("kind", "name").values(*fields))


@pytest.mark.parametrize("seed", range(6))
def test_out_and_in_again_is_the_same(lead: Caller, seed: int) -> None:
    rng = random.Random(seed)
    for kind in KINDS:
        for n, odd in enumerate(rng.sample(ODD, 3)):
            name = f"{odd} {n}".replace("\n", " ")
            lead.post("/parts", any_part(kind.id, name, rng), status=201)
    before = everything()
    table = lead.client.get("/api/parts.csv").content
    same = lead.client.post("/api/parts.csv", {"file": SimpleUploadedFile("parts.csv", table)})
    assert same.json() == {"added": 0, "changed": 0, "unchanged": len(before)}, same.content
    Part.objects.all().delete()
    back = lead.client.post("/api/parts.csv", {"file": SimpleUploadedFile("parts.csv", table)})
    assert back.json() == {"added": len(before), "changed": 0, "unchanged": 0}, back.content
    assert everything() == before
