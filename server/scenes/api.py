"""Scenes: games, scenes, conditions."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse
from ninja import File, Router, Status, UploadedFile
from people.access import user_of
from sheets import Imported, csv_answer, table_file

from scenes import queries, services, tables
from scenes.schemas import (
    ConditionEdit,
    ConditionIn,
    ConditionOut,
    GameEdit,
    GameIn,
    GameOut,
    LengthsGiven,
    LengthsIn,
    SceneEdit,
    SceneIn,
    SceneKindOut,
    SceneOut,
)

router = Router(tags=["scenes"])
FILE: Any = File(None)  # type: ignore[type-arg]


@router.get("/scene-kinds", response=list[SceneKindOut])
def scene_kinds(request: HttpRequest) -> list[SceneKindOut]:
    """The kinds of scene, from the one that repeats best."""
    return queries.all_scene_kinds()


@router.get("/scenes", response=list[SceneOut])
def scenes(request: HttpRequest) -> list[SceneOut]:
    """All scenes."""
    return queries.all_scenes()


@router.post("/scenes", response={201: SceneOut})
def add_scene(request: HttpRequest, payload: SceneIn) -> Status[SceneOut]:
    """Add a scene."""
    return Status(201, queries.one_scene(services.add_scene(user_of(request), payload).pk))


@router.put("/scenes/{int:scene_id}", response=SceneOut)
def edit_scene(request: HttpRequest, scene_id: int, payload: SceneEdit) -> SceneOut:
    """Edit a scene: in place while no pass of it was run or where its card is put right, else as its next version."""
    return queries.one_scene(services.edit_scene(user_of(request), scene_id, payload).pk)


@router.post("/scenes/lengths", response=LengthsGiven)
def give_lengths(request: HttpRequest, payload: LengthsIn) -> LengthsGiven:
    """Write lengths on the cards of scenes that have none: all of them or none."""
    lengths = {one.scene_id: one.length_s for one in payload.lengths}
    return LengthsGiven(given=services.give_lengths(user_of(request), lengths))


@router.get("/games", response=list[GameOut])
def games(request: HttpRequest) -> list[GameOut]:
    """All games."""
    return queries.all_games()


@router.post("/games", response={201: GameOut})
def add_game(request: HttpRequest, payload: GameIn) -> Status[GameOut]:
    """Add a game."""
    return Status(201, queries.one_game(services.add_game(user_of(request), payload).pk))


@router.put("/games/{int:game_id}", response=GameOut)
def edit_game(request: HttpRequest, game_id: int, payload: GameEdit) -> GameOut:
    """Write down what has become known of a game."""
    return queries.one_game(services.edit_game(user_of(request), game_id, payload).pk)


@router.get("/conditions", response=list[ConditionOut])
def conditions(request: HttpRequest) -> list[ConditionOut]:
    """All conditions."""
    return queries.all_conditions()


@router.post("/conditions", response={201: ConditionOut})
def add_condition(request: HttpRequest, payload: ConditionIn) -> Status[ConditionOut]:
    """Add a condition."""
    return Status(201, queries.condition_out(services.add_condition(user_of(request), payload)))


@router.put("/conditions/{int:condition_id}", response=ConditionOut)
def edit_condition(request: HttpRequest, condition_id: int, payload: ConditionEdit) -> ConditionOut:
    """Edit a condition; of one that passes were run under, blanks can be filled in."""
    return queries.condition_out(services.edit_condition(user_of(request), condition_id, payload))


@router.get("/scenes.csv")
def scenes_csv(request: HttpRequest) -> HttpResponse:
    """The newest version of every scene, as CSV."""
    return csv_answer(tables.scenes_csv(), "scenes.csv")


@router.post("/scenes.csv", response=Imported)
def import_scenes(request: HttpRequest, file: UploadedFile | None = FILE) -> Imported:
    """Add and change scenes by a CSV table: all rows or none."""
    return tables.import_scenes(user_of(request), table_file(file))


@router.get("/conditions.csv")
def conditions_csv(request: HttpRequest) -> HttpResponse:
    """All conditions, as CSV."""
    return csv_answer(tables.conditions_csv(), "conditions.csv")


@router.post("/conditions.csv", response=Imported)
def import_conditions(request: HttpRequest, file: UploadedFile | None = FILE) -> Imported:
    """Add and change conditions by a CSV table: all rows or none."""
    return tables.import_conditions(user_of(request), table_file(file))
