"""Games, scenes and conditions."""

from __future__ import annotations

from testkit import Bench, Caller

REEF = {"game": "Lanternfish Bay", "name": "reef dive", "kind": "benchmark", "length_s": 45, "leans_on": ["card"]}


def test_a_scene_brings_its_game(lead: Caller) -> None:
    scene = lead.post("/scenes", REEF, status=201)
    assert (scene["game"], scene["leans_on"], scene["used"]) == ("Lanternfish Bay", ["card"], False)
    assert (scene["warm_up_runs"], scene["engine_cap_fps"]) == (1, None)
    again = lead.post("/scenes", {**REEF, "name": "Reef Dive"}, status=409)
    assert again["code"] == "scene_exists"
    other = lead.post("/scenes", {"game": "lanternfish bay", "name": "wreck"}, status=201)
    assert other["game_id"] == scene["game_id"]
    edited = lead.put(f"/scenes/{scene['id']}", {**REEF, "start": "menu"})
    assert edited["start"] == "menu"


def test_bad_scenes_name_the_field(lead: Caller) -> None:
    assert lead.post("/scenes", {**REEF, "kind": "dream"}, status=422)["field"] == "kind"
    assert lead.post("/scenes", {**REEF, "length_s": 0}, status=422)["field"] == "length_s"
    assert lead.post("/scenes", {**REEF, "leans_on": ["luck"]}, status=422)["field"] == "leans_on.0"
    assert lead.post("/scenes", {**REEF, "warm_up_runs": 99}, status=422)["field"] == "warm_up_runs"
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


def test_a_games_engine_is_written_down_once(lead: Caller) -> None:
    facts = {"name": "Paper Comets", "engine_cap_fps": 120, "preset_needs_restart": True, "has_replay": True}
    game = lead.post("/games", facts, status=201)
    assert (game["preset_needs_restart"], game["forbids_overlays"], game["scenes"]) == (True, False, 0)
    scene = lead.post("/scenes", {"game": "paper comets", "name": "stage 6"}, status=201)
    assert (scene["game_id"], scene["engine_cap_fps"]) == (game["id"], 120.0)
    assert lead.post("/games", {"name": "PAPER COMETS"}, status=409)["code"] == "game_exists"
    assert lead.post("/games", {"name": "Other", "engine_cap_fps": 0}, status=422)["field"] == "engine_cap_fps"
    edited = lead.put(f"/games/{game['id']}", {**facts, "forbids_overlays": True})
    assert (edited["forbids_overlays"], edited["scenes"]) == (True, 1)
    assert lead.put("/games/0", facts, status=404)["code"] == "not_found"


def test_what_a_condition_told_games_stays_and_blanks_are_filled(bench: Bench) -> None:
    (condition,) = bench.lead.get("/conditions")
    assert condition["used"]
    told = {"name": condition["name"], "resolution": "2560 x 1440", "preset": "high"}
    path = f"/conditions/{condition['id']}"
    assert bench.lead.put(path, told)["preset"] == "high"
    bench.record(0, 0)
    refused = bench.lead.put(path, {**told, "preset": "low"}, status=409)
    assert (refused["code"], refused["field"]) == ("condition_in_use", "preset")
    assert bench.lead.put(path, {**told, "ray_tracing": "off"})["ray_tracing"] == "off"
    assert bench.lead.put(path, {**told, "ray_tracing": "off", "intent": "expose"}, status=409)["field"] == "intent"
