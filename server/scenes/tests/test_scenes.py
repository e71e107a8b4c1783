"""Games, scenes and conditions."""

from __future__ import annotations

from testkit import Bench, Caller

REEF = {"game": "Lanternfish Bay", "name": "reef dive", "kind": "benchmark", "length_s": 45, "engine_cap_fps": 240}


def test_a_scene_brings_its_game(lead: Caller) -> None:
    scene = lead.post("/scenes", REEF, status=201)
    assert (scene["game"], scene["engine_cap_fps"], scene["used"]) == ("Lanternfish Bay", 240.0, False)
    again = lead.post("/scenes", {**REEF, "name": "Reef Dive"}, status=409)
    assert again["code"] == "scene_exists"
    other = lead.post("/scenes", {"game": "lanternfish bay", "name": "wreck"}, status=201)
    assert other["game_id"] == scene["game_id"]
    assert other["engine_cap_fps"] == 240.0
    edited = lead.put(f"/scenes/{scene['id']}", {**REEF, "start": "menu"})
    assert edited["start"] == "menu"


def test_bad_scenes_name_the_field(lead: Caller) -> None:
    assert lead.post("/scenes", {**REEF, "kind": "dream"}, status=422)["field"] == "kind"
    assert lead.post("/scenes", {**REEF, "length_s": 0}, status=422)["field"] == "length_s"
    assert lead.post("/scenes", {**REEF, "engine_cap_fps": -1}, status=422)["field"] == "engine_cap_fps"
    assert lead.put("/scenes/0", REEF, status=404)["code"] == "not_found"


def test_a_scene_in_use_stays_as_it_was_run(bench: Bench) -> None:
    used = next(scene for scene in bench.lead.get("/scenes") if scene["used"])
    refused = bench.lead.put(f"/scenes/{used['id']}", {"game": used["game"], "name": "elsewhere"}, status=409)
    assert refused["code"] == "scene_in_use"
    assert refused["hint"]


def test_conditions(lead: Caller) -> None:
    made = lead.post("/conditions", {"name": "1440 high", "frame_limit_fps": 120}, status=201)
    assert made["frame_limit_fps"] == 120.0
    assert lead.post("/conditions", {"name": "1440 HIGH"}, status=409)["code"] == "condition_exists"
    assert [one["name"] for one in lead.get("/conditions")] == ["1440 high"]
