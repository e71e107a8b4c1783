"""Games, scenes and conditions."""

from __future__ import annotations

from scenes.schemas import SceneEdit
from testkit import Bench, Caller, edit_body, study_body

REEF = {"game": "Lanternfish Bay", "name": "reef dive", "kind": "benchmark", "length_s": 45, "leans_on": ["card"]}


def test_a_scene_brings_its_game(lead: Caller) -> None:
    scene = lead.post("/scenes", REEF, status=201)
    assert (scene["game"], scene["leans_on"], scene["used"]) == ("Lanternfish Bay", ["card"], False)
    assert (scene["warm_up_runs"], scene["engine_cap_fps"]) == (1, None)
    again = lead.post("/scenes", {**REEF, "name": "Reef Dive"}, status=409)
    assert again["code"] == "scene_exists"
    other = lead.post("/scenes", {"game": "lanternfish bay", "name": "wreck"}, status=201)
    assert other["game_id"] == scene["game_id"]
    edited = lead.save(f"/scenes/{scene['id']}", {**REEF, "start": "menu"})
    assert edited["start"] == "menu"


def test_bad_scenes_name_the_field(lead: Caller) -> None:
    assert lead.post("/scenes", {**REEF, "kind": "dream"}, status=422)["field"] == "kind"
    assert lead.post("/scenes", {**REEF, "length_s": 0}, status=422)["field"] == "length_s"
    assert lead.post("/scenes", {**REEF, "leans_on": ["luck"]}, status=422)["field"] == "leans_on.0"
    assert lead.post("/scenes", {**REEF, "warm_up_runs": 99}, status=422)["field"] == "warm_up_runs"
    assert lead.save("/scenes/0", REEF, status=404)["code"] == "not_found"


def test_a_scene_stays_open_until_a_pass_of_it_was_run(bench: Bench) -> None:
    scene = next(one for one in bench.lead.get("/scenes") if one["name"] == "square")
    assert not scene["used"], "that a study tests it is no run yet"
    described = bench.lead.save(f"/scenes/{scene['id']}", {"start": "at the well", "length_s": 45})
    assert (described["id"], described["version"], described["start"]) == (scene["id"], 1, "at the well")
    bench.record(0, 0)
    refused = bench.lead.save(f"/scenes/{scene['id']}", {"name": "elsewhere"}, status=409)
    assert (refused["code"], refused["field"]) == ("scene_in_use", "name")


def test_a_scene_that_was_run_is_changed_as_its_next_version(bench: Bench) -> None:
    (found,) = [one for one in bench.lead.get("/scenes") if one["name"] == "square"]
    bench.lead.save(f"/scenes/{found['id']}", {"route": "by the well"})
    bench.record(0, 0)
    other = bench.lead.post(
        "/studies",
        study_body(
            question="Again?",
            lanes=[{"name": n, "setup_id": bench.study["lanes_full"][k]["setup"]["id"]} for k, n in enumerate("ab")],
        ),
        status=201,
    )
    scene = next(one for one in bench.lead.get("/scenes") if one["used"])
    second = bench.lead.save(f"/scenes/{scene['id']}", {"route": "by the mill"})
    assert (second["version"], second["used"], second["route"]) == (2, False, "by the mill")
    shown = [one for one in bench.lead.get("/scenes") if one["name"] == scene["name"]]
    assert [one["id"] for one in shown] == [second["id"]], "the newest stands for all"
    old = bench.lead.get(f"/studies/{bench.id}")["tests_full"][0]
    new = bench.lead.get(f"/studies/{other['id']}")["tests_full"][0]
    assert (old["scene_id"], new["scene_id"]) == (scene["id"], second["id"]), "a test without passes goes on to it"
    late = bench.lead.put(f"/scenes/{scene['id']}", {**edit_body(SceneEdit, **REEF), "seen": scene["seen"]}, status=409)
    assert late["code"] == "scene_superseded"


def test_the_card_of_a_scene_that_was_run_is_put_right_for_the_studies_that_ran_it(bench: Bench) -> None:
    """A new version is for what is run otherwise, not for a word."""
    bench.record(0, 0)
    path = f"/scenes/{next(one['id'] for one in bench.lead.get('/scenes') if one['used'])}"
    right = bench.lead.save(path, {"kind": "benchmark", "start": "at the well"})
    assert (right["version"], right["kind"], right["start"]) == (1, "benchmark", "at the well")
    said = [line for line in bench.lead.get(f"/studies/{bench.id}/audit") if "card of a scene" in line["what"]]
    assert [line["why"] for line in said] == ["Moss Republic, square: kind “benchmark”, start “at the well”"]
    spelt = bench.lead.save(path, {"start": "at the old well", "run_otherwise": False})
    assert (spelt["version"], spelt["start"]) == (1, "at the old well"), "who edits it says that it was run like this"
    other = bench.lead.save(path, {"start": "at the gate"})
    assert (other["version"], other["used"]) == (2, False)
    path = f"/scenes/{other['id']}"
    assert bench.lead.save(path, {"kind": "live", "run_otherwise": True})["version"] == 2, "no pass of it was run yet"


def test_a_length_is_nobodys_guess_until_passes_agree_on_one(bench: Bench) -> None:
    assert {one["length_s"] for one in bench.lead.get("/scenes")} == {None}
    assert "reckon with 60 s a pass" in bench.lead.get(f"/studies/{bench.id}/plan")["length_words"]
    for number in range(3):
        bench.record(0, 0, seed=number)
    doubts = bench.lead.get(f"/studies/{bench.id}/doubts")
    assert "wrong_length" not in {one["check"] for one in [*doubts["wide"], *doubts["passes"]]}
    (offered,) = bench.lead.get("/scene-lengths")
    assert (offered["game"], offered["length_s"], offered["passes"]) == ("Moss Republic", bench.demand.seconds, 3)
    others = [one["id"] for one in bench.lead.get("/scenes") if one["id"] != offered["scene_id"]]
    lengths = [{"scene_id": offered["scene_id"], "length_s": offered["length_s"]}, {"scene_id": 0, "length_s": 5}]
    bench.lead.post("/scenes/lengths", {"lengths": lengths}, status=404)
    assert {one["length_s"] for one in bench.lead.get("/scenes")} == {None}, "all of them or none"
    lengths[1]["scene_id"] = others[0]
    assert bench.lead.post("/scenes/lengths", {"lengths": lengths}) == {"given": 2}
    assert bench.lead.get("/scene-lengths") == []
    again = bench.lead.post("/scenes/lengths", {"lengths": lengths[:1]}, status=409)
    assert (again["code"], again["field"]) == ("length_given", "lengths")
    assert bench.lead.post("/scenes/lengths", {"lengths": [{"scene_id": 1, "length_s": 0}]}, status=422)
    (kept,) = [one for one in bench.lead.get("/scenes") if one["id"] == offered["scene_id"]]
    assert (kept["length_s"], kept["version"]) == (bench.demand.seconds, 1)


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
    edited = lead.save(f"/games/{game['id']}", {**facts, "forbids_overlays": True})
    assert (edited["forbids_overlays"], edited["scenes"]) == (True, 1)
    assert lead.save("/games/0", facts, status=404)["code"] == "not_found"


def test_what_a_condition_told_games_stays_and_blanks_are_filled(bench: Bench) -> None:
    (condition,) = bench.lead.get("/conditions")
    assert condition["used"]
    told = {"name": condition["name"], "resolution": "2560 x 1440", "preset": "high"}
    path = f"/conditions/{condition['id']}"
    assert bench.lead.save(path, told)["preset"] == "high"
    bench.record(0, 0)
    refused = bench.lead.save(path, {**told, "preset": "low"}, status=409)
    assert (refused["code"], refused["field"]) == ("condition_in_use", "preset")
    assert bench.lead.save(path, {**told, "ray_tracing": "off"})["ray_tracing"] == "off"
    assert bench.lead.save(path, {**told, "ray_tracing": "off", "intent": "expose"}, status=409)["field"] == "intent"
