"""What stands beside the findings: parts, limits, derivations, other studies, notes on what the eye gets, sheets."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Callable
from typing import Any

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from findings.answer_schemas import AgainstOut, AnswerOut, CrossingOut, HeldOut, PartsOut, WhyOut
from findings.schemas import FindingsOut
from PIL import Image
from rennbahn.simulation import Rig, Scene
from rennbahn.simulation.sitting import LOGGER
from scenes.schemas import GameEdit
from testkit import PICTURE, Bench, Caller, edit_body, picture, study_body

DEMAND = Scene(4.0, 9.0, seconds=8.0)
TESTS = study_body()["tests"][:3]


def lane(name: str, **more: Any) -> dict[str, Any]:
    parts = [{"kind": "card", "name": name}, {"kind": "driver", "name": f"{name} driver"}]
    return {"name": name, "setup": {"name": f"Box, {name}", "parts": parts, "settings": []}} | more


@pytest.fixture
def run(lead: Caller, tester: Caller) -> Callable[..., Bench]:
    """A study of two lanes or more, run at their speeds; a study `after` another uses the same setups."""

    def make(speeds: dict[str, float], *, seed: int = 0, tests: Any = TESTS, **more: Any) -> Bench:
        lanes = [lane(name) for name in speeds]
        study = lead.post("/studies", study_body(lanes=lanes, tests=tests, **more), status=201)
        bench = Bench(lead, tester, study, DEMAND, LOGGER)
        bench.fill(len(tests), 3, list(speeds.values()), seed=seed)
        return bench

    return make


def test_sets_of_games_are_suites_of_their_own(lead: Caller, run: Callable[..., Bench]) -> None:
    bench = run({"old": 1.0, "new": 1.1})
    names = [one["game"] for one in TESTS[:2]]
    for at, name in enumerate(names):
        game = next(one for one in lead.get("/games") if one["name"] == name)
        marks = ["open worlds", "alone"] if not at else ["open worlds"]
        body = edit_body(GameEdit, name=name, marks=marks, genre="mystery" if not at else "") | {"seen": game["seen"]}
        assert lead.put(f"/games/{game['id']}", body)["marks"] == marks
    found = lead.get(f"/studies/{bench.id}/findings/parts")
    PartsOut.model_validate(found)
    own = {one["name"]: one for one in found["parts"]}
    # One game is no set, whoever names it.
    assert "open worlds" in own
    assert not {"genre: mystery", "alone"} & set(own)
    assert own["open worlds"]["average"]["tests"] == 2
    whole = lead.get(f"/studies/{bench.id}/findings")
    shares = [1.0 + one["average"]["b_over_a"] for one in whole["tests"] if one["game"] in names]
    assert own["open worlds"]["average"]["margin"] == pytest.approx((shares[0] * shares[1]) ** 0.5 - 1.0)
    assert len(found["influence"]) == 3
    moves = {one["test"]: one["without"] for one in found["influence"]}
    mover = whole["average"]["mover"]
    assert moves[str(mover["test_id"])] == pytest.approx(mover["without"])


def test_games_newer_than_the_driver_are_told_by_their_dates(lead: Caller, tester: Caller) -> None:
    games = [test["game"] for test in TESTS[:2]]
    facts = {"version": "1", "date": "2026-06-01"}
    for name in ("old", "new"):
        lead.post("/parts", {"kind": "driver", "name": f"{name} driver", "facts": facts}, status=201)
    for at, game in enumerate(games):
        told = {"game": game, "version": "2", "date": "2026-08-01"}
        lead.post("/parts", {"kind": "build", "name": f"B{at}", "facts": told}, status=201)
    lanes = [lane("old"), lane("new")]
    for one in lanes:
        one["setup"]["parts"] += [{"kind": "build", "name": f"B{at}"} for at in range(2)]
    study = lead.post("/studies", study_body(lanes=lanes, tests=TESTS), status=201)
    Bench(lead, tester, study, DEMAND, LOGGER).fill(len(TESTS), 2, [1.0, 1.1])
    found = lead.get(f"/studies/{study['id']}/findings/parts")
    assert [one["name"] for one in found["parts"] if "driver" in one["name"]] == ["newer than the driver"]


def test_a_wanted_rate_parts_two_lanes_test_by_test(lead: Caller, run: Callable[..., Bench]) -> None:
    bench = run({"old": 1.0, "new": 1.5})
    path = f"/studies/{bench.id}/findings/crossing"
    levels = lead.get(f"/studies/{bench.id}/findings")["tests"]
    between = (levels[0]["average"]["a"] + levels[0]["average"]["b"]) / 2
    found = lead.get(f"{path}?target={between}")
    CrossingOut.model_validate(found)
    assert str(levels[0]["test_id"]) in found["only_b"]
    assert "held by new alone in" in found["words"]
    assert lead.get(path)["target"] == 60.0, "the study's own rate"
    for wrong in ("0", "-1", "nan", "inf", "20000", "many"):
        assert lead.get(f"{path}?target={wrong}", status=422)["field"] == "target"
    assert lead.get(f"{path}?other=99999", status=404)


def test_limits_say_what_each_side_could_do_alone(lead: Caller, run: Callable[..., Bench]) -> None:
    bench = run({"old": 1.0, "new": 1.2})
    found = lead.get(f"/studies/{bench.id}/limits")
    HeldOut.model_validate(found)
    assert {one["held_by"] for one in found["tests"]} == {"card"}
    assert found["sentence"]["text"].startswith("What holds the rate: the card in all")
    cards = [one for one in found["alone"]["margins"] if one["side"] == "card"]
    assert len(cards) == 3
    assert all(one["verdict"] == "ahead" and 0.1 < one["margin"] < 0.3 for one in cards)
    assert found["expected"] is None
    asked = lead.get(f"/studies/{bench.id}/limits?resolution=3440 x 1440")
    assert asked["expected"]["sentence"]["answer"] == "no estimate"
    refused = lead.get(f"/studies/{bench.id}/limits?resolution=huge", status=422)
    assert (refused["code"], refused["field"]) == ("bad_resolution", "resolution")


def test_a_resolution_that_was_not_run_is_estimated_apart(lead: Caller, run: Callable[..., Bench]) -> None:
    for name, size in (("small", "1920 × 1080"), ("large", "3840 × 2160")):
        lead.post("/conditions", {"name": name, "resolution": size, "preset": "high"}, status=201)
    tests = [TESTS[0] | {"condition": name} for name in ("small", "large")]
    bench = run({"old": 1.0, "new": 1.1}, tests=tests)
    found = lead.get(f"/studies/{bench.id}/limits?resolution=2560 × 1440")
    assert found["resolutions"] == ["1920 × 1080", "3840 × 2160"]
    (scene,) = found["expected"]["scenes"]
    assert scene["words"] == "between 1920 × 1080 and 3840 × 2160"
    assert scene["low"] < scene["margin"] < scene["high"]
    assert "an estimate from 1 scene" in found["expected"]["sentence"]["text"]


def test_every_number_opens_its_derivation(lead: Caller, run: Callable[..., Bench]) -> None:
    bench = run({"old": 1.0, "new": 1.1}, kind="ladder", factor="Graphics card")
    findings = lead.get(f"/studies/{bench.id}/findings")
    test = findings["tests"][0]
    one = lead.get(f"/studies/{bench.id}/why?test={test['test_id']}")
    WhyOut.model_validate(one)
    assert one["value"] == f"+{100 * test['average']['b_over_a']:.1f}%"
    ids = {p["id"] for p in lead.get(f"/studies/{bench.id}/passes")}
    assert {int(p["id"]) for cell in one["cells"] for p in cell["passes"]} <= ids
    suite = lead.get(f"/studies/{bench.id}/why")
    assert suite["value"] == f"+{100 * findings['average']['margin']:.1f}%"
    level = lead.get(f"/studies/{bench.id}/why?lane={bench.lane(1)}")
    rungs = lead.get(f"/studies/{bench.id}/answer")["ladder"][0]["lanes"]
    assert level["value"] == f"{next(r['fps'] for r in rungs if r['lane'] == str(bench.lane(1))):.0f} fps"
    over = lead.get(f"/studies/{bench.id}/why?plus={bench.lane(1)}&minus={bench.lane(0)}")
    assert over["value"] == suite["value"]
    assert lead.get(f"/studies/{bench.id}/why?plus=one&minus=2", status=422)["field"] == "plus"
    for query in ("test=0", "lane=0", "figure=median", "plus=0&minus=0", f"plus={bench.lane(1)}"):
        assert lead.get(f"/studies/{bench.id}/why?{query}", status=404)["code"] == "not_found"


def test_two_studies_of_a_question_stand_beside_each_other(lead: Caller, run: Callable[..., Bench]) -> None:
    first = run({"old": 1.0, "new": 1.1})
    again = run({"old": 1.0, "new": 1.3}, seed=500, question="Again?", method={"equal_band": 0.02})
    found = lead.get(f"/studies/{first.id}/findings/against/{again.id}")
    AgainstOut.model_validate(found)
    average = found["figures"][0]
    assert (average["tests"], average["said"]) == (3, "part")
    assert "They part by +" in average["words"]
    assert "equal band: 0.01 here, 0.02 there" in found["differences"]
    turned = lead.get(f"/studies/{first.id}/findings/against/{again.id}?their_baseline={again.lane(1)}")
    assert turned["other"]["id"] == again.lane(0)
    assert turned["figures"][0]["there"]["margin"] < 0
    assert lead.get(f"/studies/{first.id}/findings/against/{first.id}", status=422)["code"] == "same_study"


def test_older_results_join_a_ladder_where_the_method_agrees(lead: Caller, run: Callable[..., Bench]) -> None:
    ladder = {"kind": "ladder", "factor": "Graphics card"}
    old = run({"first": 0.8, "second": 0.9}, question="Last year?", **ladder)
    new = run({"third": 1.0, "fourth": 1.1}, seed=500, **ladder)
    found = lead.get(f"/studies/{new.id}/answer?joined={old.id}")
    AnswerOut.model_validate(found)
    assert len(found["ladder"][0]["lanes"]) == 4
    assert found["ladder"][0]["lanes"][-1]["lane"] == str(old.lane(0))
    assert found["joined"][0]["words"] == (
        "first, from “Last year?”: of the same day, driver first driver, same scenes in 3 of its tests"
    )
    other = run({"fifth": 1.0, "sixth": 1.1}, question="Otherwise?", method={"low_school": "slowest_frames"}, **ladder)
    refused = lead.get(f"/studies/{new.id}/answer?joined={other.id}", status=422)
    assert (refused["code"], refused["field"]) == ("method_differs", "joined")
    assert lead.get(f"/studies/{new.id}/answer?joined={new.id}", status=422)["code"] == "same_study"


def test_an_older_lane_joins_a_pair_and_is_held_against_its_lanes(lead: Caller, run: Callable[..., Bench]) -> None:
    old = run({"first": 0.8, "second": 0.9}, question="Last year?", kind="ladder", factor="Graphics card")
    new = run({"third": 1.0, "fourth": 1.1}, seed=500)
    path = f"/studies/{new.id}/findings?joined={old.id}"
    found = lead.get(path)
    FindingsOut.model_validate(found)
    assert found["average"]["tests"] == 3
    assert [one["lane"]["name"] for one in found["joined"]] == ["first (older)", "second (older)"]
    assert len(found["pairs"][0]["a"]) > len(lead.get(f"/studies/{new.id}/findings")["pairs"][0]["a"])
    assert not {one["lane_id"] for one in found["missing"]} & {old.lane(0), old.lane(1)}
    over = lead.get(f"{path}&other={old.lane(0)}")["average"]
    assert over["margin"] == pytest.approx(0.8 / 1.0 - 1.0, abs=0.02)
    assert over["sentence"]["text"].startswith("First (older): ")
    assert lead.get(f"/studies/{new.id}/findings?other={old.lane(0)}", status=404), "without it they are not there"
    moved = lead.get(f"/studies/{new.id}/findings/parts?joined={old.id}")
    PartsOut.model_validate(moved)
    # What becomes another in the older study is another here.
    one = next(x for x in lead.get(f"/studies/{old.id}/passes") if x["lane_id"] == old.lane(0))
    lead.put(f"/studies/{old.id}/passes/state", {"pass_ids": [one["id"]], "state": "recorded"})
    assert lead.get(f"{path}&other={old.lane(0)}")["average"]["sentence"] != over["sentence"]


def test_what_cannot_be_joined_says_why(lead: Caller, run: Callable[..., Bench], presets: dict[str, Any]) -> None:
    bench = run({"third": 1.0, "fourth": 1.1}, seed=500)
    for address in (f"/studies/{bench.id}/findings", f"/studies/{bench.id}/answer", f"/studies/{bench.id}/limits"):
        refused = lead.get(f"{address}?joined={presets['id']}", status=422)
        assert (refused["code"], refused["field"]) == ("kind_differs", "joined")
        assert lead.get(f"{address}?joined=999999", status=404)
    others = [{"game": "Elsewhere", "scene": "hall", "condition": "1440 high"}]
    apart = run({"fifth": 1.0, "sixth": 1.1}, question="Elsewhere?", tests=others)
    assert lead.get(f"/studies/{bench.id}/findings?joined={apart.id}", status=422)["code"] == "no_common_test"


def swept(name: str, watts: str, cooler: str = "Plain 40") -> dict[str, Any]:
    parts = [{"kind": "card", "name": name}, {"kind": "cooler", "name": cooler}]
    settings = [{"name": "Power limit", "value": watts}]
    return {"name": f"{name} {watts}", "setup": {"name": f"Box, {name} {watts} {cooler}", "parts": parts,
                                                 "settings": settings}}  # fmt: skip


def test_older_lanes_are_points_of_a_sweep_where_the_machine_is_the_same_and_rivals_elsewhere(
    lead: Caller, tester: Caller
) -> None:
    def make(lanes: list[dict[str, Any]], seed: int, **more: Any) -> Bench:
        for one in lanes:
            one["levels"] = {"Power limit": one["setup"]["settings"][0]["value"]} if more["kind"] == "sweep" else {}
        body = study_body(lanes=lanes, tests=TESTS, **more)
        bench = Bench(lead, tester, lead.post("/studies", body, status=201), DEMAND, LOGGER)
        bench.fill(len(TESTS), 3, [1.0 + 0.05 * at for at in range(len(lanes))], seed=seed)
        return bench

    old = make(
        [swept("V5", "200 W"), swept("V7", "220 W")], 900, question="Before?", kind="ladder", factor="Graphics card"
    )
    new = make([swept("V5", f"{watts} W") for watts in (80, 120, 160)], 10, kind="sweep", factor="Power limit")
    found = lead.get(f"/studies/{new.id}/answer?joined={old.id}")
    AnswerOut.model_validate(found)
    points = {point["lane"]: point["level"] for point in found["sweep"][0]["points"]}
    assert points[str(old.lane(0))] == 200, "the same machine at a level of its own"
    assert str(old.lane(1)) not in points, "another card is a rival, whatever it is set to"
    assert "V7 220 W, from “Before?”" in found["joined"][1]["words"]
    assert "also differs in card" in found["joined"][1]["words"]


def test_a_crossing_joins_a_grid_where_it_has_none_and_says_both_levels(lead: Caller, tester: Caller) -> None:
    factors = {"factor": "Cooler", "second_factor": "Power limit"}

    def lanes(crossings: list[tuple[str, str]], card: str = "V5") -> list[dict[str, Any]]:
        found = [swept(card, watts, cooler) for cooler, watts in crossings]
        for one, (cooler, watts) in zip(found, crossings, strict=True):
            one["name"], one["levels"] = f"{cooler} at {watts}", {"Cooler": cooler, "Power limit": watts}
        return found

    def make(own: list[dict[str, Any]], seed: int, **more: Any) -> Bench:
        study = lead.post("/studies", study_body(lanes=own, tests=TESTS, kind="grid", **factors, **more), status=201)
        bench = Bench(lead, tester, study, DEMAND, LOGGER)
        bench.fill(len(TESTS), 3, [1.0 + 0.05 * at for at in range(len(own))], seed=seed)
        return bench

    small = [("Plain", "80 W"), ("Tall", "80 W"), ("Plain", "120 W"), ("Tall", "120 W")]
    old = make(lanes([("Plain", "160 W"), ("Tall", "160 W"), ("Plain", "120 W"), ("Tall", "120 W")]), 700,
               question="More watts?")  # fmt: skip
    new = make(lanes(small), 10)
    found = lead.get(f"/studies/{new.id}/answer?joined={old.id}")
    AnswerOut.model_validate(found)
    assert [one["takes_part"] for one in found["joined"]] == [True, True, False, False]
    assert found["joined"][2]["words"].endswith("is left out: this study has that crossing itself")
    places = [len(one["grid"][0]["places"]) for one in (lead.get(f"/studies/{new.id}/answer"), found)]
    assert places == [4, 6]
    strange = make(lanes([("Plain", "200 W"), ("Tall", "200 W"), ("Plain", "90 W"), ("Tall", "90 W")], "V9"), 800,
                   question="Another card?")  # fmt: skip
    refused = lead.get(f"/studies/{new.id}/answer?joined={strange.id}", status=422)
    assert (refused["code"], refused["field"]) == ("no_lane_joins", "joined")
    assert "differs in card too" in refused["message"]


@pytest.fixture
def presets(lead: Caller) -> dict[str, Any]:
    """A scaling study of native and upscaled."""
    for name, size, upscaling in (("native", "1920 × 1080", "off"), ("upscaled", "3840 × 2160", "50%")):
        body = {"name": name, "resolution": size, "preset": "high", "upscaling": upscaling}
        lead.post("/conditions", body, status=201)
    setup = lead.post("/setups", {"name": "Box"}, status=201)
    lanes = [{"name": name, "condition": name, "setup_id": setup["id"]} for name in ("native", "upscaled")]
    found: dict[str, Any] = lead.post(
        "/studies", study_body(lanes=lanes, kind="scaling", factor="Upscaling", tests=TESTS[:1]), status=201
    )
    return found


def test_what_the_eye_gets_is_kept_with_pictures(
    lead: Caller, tester: Caller, viewer: Caller, presets: dict[str, Any]
) -> None:
    first, second = (one["id"] for one in presets["lanes_full"])
    address = f"/studies/{presets['id']}/eye-notes"
    (note,) = tester.put(f"{address}/{first}/{second}", {"words": "Softer leaves."})
    assert (note["words"], note["by"], note["pictures"]) == ("Softer leaves.", "a-tester", [])
    stale = tester.put(f"{address}/{first}/{second}", {"words": "Other."}, status=409)
    assert stale["code"] == "changed_meanwhile"
    tester.put(f"{address}/{first}/{second}", {"words": "Softer leaves, no shimmer.", "seen": note["seen"]})
    tester.hand_picture(f"{address}/{first}/{second}/from", PICTURE)
    (note,) = tester.hand_picture(f"{address}/{first}/{second}/to", picture("JPEG"), name="up.jpg")
    assert [(one["side"], one["width"], one["height"]) for one in note["pictures"]] == [("from", 16, 9), ("to", 16, 9)]
    shown = viewer.client.get(f"/api{address}/{first}/{second}/to")
    assert (shown.status_code, shown.headers["Content-Type"]) == (200, "image/jpeg")
    assert shown.headers["X-Content-Type-Options"] == "nosniff"
    with Image.open(io.BytesIO(viewer.client.get(f"/api{address}/{first}/{second}/from").content)) as kept:
        assert (kept.size, kept.getpixel((3, 3))) == ((16, 9), (30, 90, 110))
    # Another in its place needs to have been seen, and carries nothing along.
    told = Image.Exif()
    told[0x010E] = "where it was taken"
    out = io.BytesIO()
    Image.new("RGB", (20, 9), (1, 2, 3)).save(out, "PNG", exif=told)
    stale = tester.hand_picture(f"{address}/{first}/{second}/from", out.getvalue(), status=409)
    assert stale["code"] == "changed_meanwhile"
    seen = next(one["sha256"] for one in note["pictures"] if one["side"] == "from")
    body = {"file": SimpleUploadedFile("new.png", out.getvalue()), "seen": seen}
    assert tester.client.post(f"/api{address}/{first}/{second}/from", body).status_code == 200
    anew = viewer.client.get(f"/api{address}/{first}/{second}/from").content
    assert b"where it was taken" in out.getvalue()
    assert b"where it was taken" not in anew
    lead.post(f"/studies/{presets['id']}/archive")
    gone = tester.put(f"{address}/{first}/{second}", {"words": "Other.", "seen": note["seen"]}, status=409)
    assert gone["code"] == "study_archived"
    assert tester.hand_picture(f"{address}/{first}/{second}/to", PICTURE, status=409)["code"] == "study_archived"
    lead.post(f"/studies/{presets['id']}/restore")
    assert any("what the eye gets" in line["what"] for line in lead.get(f"/studies/{presets['id']}/audit"))
    assert viewer.get(address)[0]["words"] == "Softer leaves, no shimmer."


@pytest.mark.parametrize(
    ("content", "code"),
    [
        (b"<svg xmlns='http://www.w3.org/2000/svg'><script>alert(1)</script></svg>", "no_picture"),
        (b"<html>", "no_picture"),
        (PICTURE[:40], "no_picture"),
        (picture("GIF"), "no_picture"),
        (picture("PNG", (9000, 8000)), "too_large"),
    ],
)  # fmt: skip
def test_what_is_no_picture_is_refused(tester: Caller, presets: dict[str, Any], content: bytes, code: str) -> None:
    first, second = (one["id"] for one in presets["lanes_full"])
    address = f"/studies/{presets['id']}/eye-notes"
    refused = tester.hand_picture(f"{address}/{first}/{second}/from", content, status=422)
    assert refused["code"] == code
    assert tester.get(address) == []
    assert tester.hand_picture(f"{address}/{first}/{first}/from", PICTURE, status=404)["code"] == "not_found"
    assert tester.hand_picture(f"{address}/{first}/{second}/aside", PICTURE, status=404)["code"] == "not_found"


def test_upscaled_lanes_are_held_against_what_they_draw_inside(
    lead: Caller, tester: Caller, presets: dict[str, Any]
) -> None:
    bench = Bench(lead, tester, presets, DEMAND, LOGGER)
    for position, speed in enumerate((1.0, 0.8)):
        for number in range(3):
            bench.accept(bench.record(position, 0, seed=10 * position + number, rig=Rig(gpu_speed=speed)))
    found = lead.get(f"/studies/{presets['id']}/answer")["scaling"][0]
    (one,) = found["upscaling"]
    assert (one["lane"], one["native"]) == (str(bench.lane(1)), str(bench.lane(0)))
    assert one["cost_ms"] > 0
    assert one["share_kept"] == pytest.approx(0.8, abs=0.05)


def test_tables_come_as_sheets_too(lead: Caller, run: Callable[..., Bench]) -> None:
    bench = run({"old": 1.0, "=new": 1.1}, kind="ladder", factor="Graphics card")
    for path in ("findings.ods", "answer.ods"):
        response = lead.client.get(f"/api/studies/{bench.id}/{path}")
        assert response.headers["Content-Type"] == "application/vnd.oasis.opendocument.spreadsheet"
        content = zipfile.ZipFile(io.BytesIO(response.content)).read("content.xml").decode()
        assert 'office:value-type="float"' in content
        assert "table:formula" not in content
        # A name that looks like a formula is a word.
        assert 'office:string-value="=new' in content


def test_one_condition_run_as_people_play_and_to_expose_gives_two_estimates(
    lead: Caller, run: Callable[..., Bench]
) -> None:
    names = {"1080 a": ("1920 × 1080", "typical"), "1440 a": ("2560 × 1440", "typical"),
             "1080 b": ("1920 × 1080", "expose"), "1440 b": ("2560 × 1440", "expose")}  # fmt: skip
    for name, (size, intent) in names.items():
        body = {"name": name, "resolution": size, "preset": "high", "intent": intent}
        lead.post("/conditions", body, status=201)
    tests = [TESTS[0] | {"condition": name} for name in names]
    bench = run({"old": 1.0, "new": 1.1}, tests=tests)
    found = lead.get(f"/studies/{bench.id}/limits?resolution=3840x2160")
    HeldOut.model_validate(found)
    assert len(found["expected"]["scenes"]) == 2


def test_a_lane_that_is_only_partly_priced_has_no_price(lead: Caller, run: Callable[..., Bench]) -> None:
    for name, price in {"old": "200", "new": "300"}.items():
        body = {"kind": "card", "name": name, "price": price, "currency": "EUR"}
        lead.post("/parts", body, status=201)
    lanes = [lane("old"), lane("new")]
    study = lead.post(
        "/studies", study_body(lanes=lanes, tests=TESTS, kind="ladder", factor="Graphics card"), status=201
    )
    assert lead.get(f"/studies/{study['id']}/answer")["currency"] == "EUR"
    lanes[1]["setup"]["parts"].append({"kind": "cooler", "name": "Nobody knows what it costs"})
    for one in lanes:
        one["setup"]["name"] += ", cooled"
    other = lead.post(
        "/studies", study_body(lanes=lanes, tests=TESTS, kind="ladder", factor="Graphics card"), status=201
    )
    assert lead.get(f"/studies/{other['id']}/answer")["currency"] == ""
