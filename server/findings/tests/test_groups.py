"""Groups of tests that are never pooled, and every pair of lanes in one answer."""

from __future__ import annotations

from typing import Any

import pytest
from findings.schemas import FindingsOut
from rennbahn.simulation import Rig, Scene
from testkit import Bench, Caller, Ran, study_body

SPEEDS = (1.0, 1.25, 1.6)
CONDITIONS = {"1080 high": "typical", "1440 high": "typical", "1440 bare": "expose"}


def setup(name: str, card: str) -> dict[str, Any]:
    return {"name": f"Box, {card}", "parts": [{"kind": "card", "name": card}], "settings": []}


@pytest.fixture
def ladder(lead: Caller, tester: Caller) -> Bench:
    """Three cards in two games under three conditions, two of them as people play."""
    for name, intent in CONDITIONS.items():
        lead.post("/conditions", {"name": name, "resolution": name[:4], "preset": "high", "intent": intent}, status=201)
    lanes = [{"name": f"card {n}", "setup": setup("Box", f"C{n}")} for n in range(3)]
    tests = [
        {"game": game, "scene": scene, "condition": condition}
        for condition in CONDITIONS
        for game, scene in (("Moss Republic", "square"), ("Ninth Ferry", "harbour"))
    ]
    body = study_body(kind="ladder", factor="card", lanes=lanes, tests=tests)
    bench = Bench(lead, tester, lead.post("/studies", body, status=201), Scene(4.0, 9.0, seconds=6.0))
    # As people play, the processor holds the faster cards back; with every limit removed it does not.
    runs = [
        Ran(lane, test, seed=100 * test + 10 * lane + number,
            rig=Rig(gpu_speed=speed if test >= 4 else 1 + (speed - 1) / 2))
        for test in range(6) for lane, speed in enumerate(SPEEDS) for number in range(2)
    ]  # fmt: skip
    bench.accept(*bench.record_all(runs))
    return bench


def findings(bench: Bench, **query: Any) -> Any:
    words = "&".join(f"{name}={value}" for name, value in query.items())
    return bench.lead.get(f"/studies/{bench.id}/findings?{words}")


def test_a_suite_is_over_one_group_and_never_mixes_intents(ladder: Bench) -> None:
    found = findings(ladder)
    assert [(group["words"], group["tests"], group["games"]) for group in found["groups"]] == [
        ("1080, high (typical)", 2, 2), ("1440, high (typical)", 2, 2), ("1440, high (expose)", 2, 2),
    ]  # fmt: skip
    assert found["group"] == found["groups"][0]["key"]
    assert {test["condition"] for test in found["tests"]} == {"1080 high"}
    assert found["average"]["tests"] == 2
    exposed = findings(ladder, group=found["groups"][2]["key"])
    assert {test["condition"] for test in exposed["tests"]} == {"1440 bare"}
    assert exposed["average"]["margin"] == pytest.approx(0.25, abs=0.03)
    assert found["average"]["margin"] == pytest.approx(0.125, abs=0.03)
    assert ladder.lead.get(f"/studies/{ladder.id}/findings?group=none", status=404)["code"] == "not_found"


def test_all_groups_and_pairs_come_in_one_answer_and_agree_with_each_alone(ladder: Bench) -> None:
    found = findings(ladder)
    assert [brief["group"] for brief in found["by_group"]] == [group["key"] for group in found["groups"]]
    for at, pairs in enumerate(found["pairs"]):
        assert len(pairs["a"]) == len(pairs["low_1"]["margin"]) == 3
        for place, (a, b) in enumerate(zip(pairs["a"], pairs["b"], strict=True)):
            alone = findings(ladder, baseline=a, other=b, group=pairs["group"])
            for key in ("average", "low_1", "low_01"):
                brief = alone["by_group"][at][key]
                assert brief["margin"] == pytest.approx(alone[key]["margin"])
                for name, values in pairs[key].items():
                    assert values[place] == pytest.approx(brief[name]), (key, name)
                assert (brief["verdict"], brief["tests"]) == (alone[key]["verdict"], alone[key]["tests"])
                assert brief["depends_on_method"] == alone[key]["depends_on_method"]


def test_the_answer_keeps_the_promised_form(ladder: Bench) -> None:
    for found in (findings(ladder), findings(ladder, baseline=ladder.lane(2))):
        FindingsOut.model_validate(found)
        assert set(found) == set(FindingsOut.model_fields)


def test_the_sentence_comes_in_parts(ladder: Bench) -> None:
    sentence = findings(ladder)["average"]["sentence"]
    assert sentence["before"] == "Card 1: "
    assert sentence["answer"].endswith("% ahead")
    assert sentence["after"] == " of card 0 in average fps at 1080, high (typical) in these games"
    first = f"Card 1: {sentence['answer']}{sentence['after']} ({sentence['basis']})."
    beside = (sentence[part] for part in ("but", "otherwise", "lacks"))
    assert sentence["text"] == " ".join(filter(None, (first, *beside)))
