"""Scenes and conditions as tables: all rows or none, an empty cell changes nothing, the row at fault is named."""

from __future__ import annotations

from typing import Any

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from testkit import Bench, Caller


def bring(who: Caller, path: str, table: str, status: int = 200) -> Any:
    response = who.client.post(f"/api{path}", {"file": SimpleUploadedFile("t.csv", table.encode())})
    assert response.status_code == status, response.content
    return response.json()


def test_scenes_come_in_change_and_go_out(lead: Caller) -> None:
    table = "game;name;length_s;leans_on;start\nVelvet Quarry;floor;45;card, memory;at the lift\nTin;rim;;;\n"
    assert bring(lead, "/scenes.csv", table) == {"added": 2, "changed": 0, "unchanged": 0}
    assert bring(lead, "/scenes.csv", table) == {"added": 0, "changed": 0, "unchanged": 2}
    floor = next(one for one in lead.get("/scenes") if one["name"] == "floor")
    assert (floor["length_s"], floor["leans_on"], floor["start"]) == (45, ["card", "memory"], "at the lift")
    assert bring(lead, "/scenes.csv", "game,name,length_s\nvelvet quarry,FLOOR,50\n")["changed"] == 1
    changed = next(one for one in lead.get("/scenes") if one["name"].lower() == "floor")
    assert (changed["length_s"], changed["start"]) == (50, "at the lift"), "an empty cell changes nothing"
    out = lead.get("/scenes.csv").decode()
    assert "Velvet Quarry,FLOOR,route,50,at the lift" in out
    assert bring(lead, "/scenes.csv", out)["unchanged"] == 2


def test_conditions_come_in_change_and_go_out(lead: Caller) -> None:
    table = 'name,resolution,frame_limit_fps,intent\n1440 high,2560 x 1440,"90,5",expose\n'
    assert bring(lead, "/conditions.csv", table)["added"] == 1
    (made,) = lead.get("/conditions")
    assert (made["frame_limit_fps"], made["intent"]) == (90.5, "expose")
    assert bring(lead, "/conditions.csv", lead.get("/conditions.csv").decode())["unchanged"] == 1


@pytest.mark.parametrize(
    ("path", "table", "row", "field"),
    [
        ("/scenes.csv", "game,name,length_s\nA,b,60\nA,c,1_6\n", 2, "length_s"),
        ("/scenes.csv", "game,name,length_s\nA,b,60\nA,c,2.5\n", 2, "length_s"),
        ("/scenes.csv", "game,name,kind\nA,b,\nA,c,dance\n", 2, "kind"),
        ("/scenes.csv", "game,name,leans_on\nA,b,\nA,c,magic\n", 2, "leans_on.0"),
        ("/scenes.csv", "game,name\nA,b\nA,\n", 2, "name"),
        ("/scenes.csv", "game,name\nA,b\nA,c\u200b\n", 2, "name"),
        ("/conditions.csv", "name,frame_limit_fps\na,60\nb,-5\n", 2, "frame_limit_fps"),
        ("/conditions.csv", "name,intent\na,typical\nb,fun\n", 2, "intent"),
    ],
)
def test_the_row_at_fault_is_named_and_nothing_is_kept(
    lead: Caller, path: str, table: str, row: int, field: str
) -> None:
    refused = bring(lead, path, table, status=422)
    assert (refused["row"], refused["line"], refused["field"]) == (row, row + 1, field), refused
    assert lead.get("/scenes") == []
    assert lead.get("/conditions") == []


def test_a_table_of_something_else_is_refused(lead: Caller) -> None:
    assert bring(lead, "/scenes.csv", "game,colour\nA,red\n", status=422)["code"] == "unknown_column"
    assert bring(lead, "/scenes.csv", "game\nA\n", status=422)["field"] == "name"
    assert bring(lead, "/scenes.csv", 'game,name\n"A,b\n', status=422)["code"] == "broken_row"


def test_a_scene_that_was_run_becomes_its_next_version(bench: Bench) -> None:
    bring(bench.lead, "/scenes.csv", "game,name,start\nMoss Republic,square,at the gate\n")
    bench.record(0, 0)
    assert bring(bench.lead, "/scenes.csv", "game,name,start\nMoss Republic,square,by the well\n")["changed"] == 1
    (scene,) = [one for one in bench.lead.get("/scenes") if one["name"] == "square"]
    assert (scene["version"], scene["start"]) == (2, "by the well")
