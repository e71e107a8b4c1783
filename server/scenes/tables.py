"""Scenes and conditions as CSV tables, out and in: all rows or none, and an empty cell changes nothing."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Iterable, Mapping
from typing import Any

from django.contrib.auth.models import AnonymousUser, User
from django.db import transaction
from faults import place_of, sentence_of
from people.access import require
from people.models import Role
from problems import Problem
from pydantic import ValidationError
from rennbahn.errors import RennbahnError
from sheets import Imported, number_in, rows_of, safe_cell

from scenes.models import Condition, Scene
from scenes.schemas import ConditionIn, SceneIn
from scenes.services import add_condition, add_scene, condition_fields, edit_condition, edit_scene, newest_scene

Caller = User | AnonymousUser
SCENE_COLUMNS = tuple(SceneIn.model_fields)
CONDITION_COLUMNS = tuple(ConditionIn.model_fields)
_WHOLE, _NUMBERS, _LISTS = ("length_s", "warm_up_runs"), ("frame_limit_fps",), ("leans_on",)
_HINT = "Export the table to see its columns."


def scenes_csv() -> str:
    """The newest version of every scene."""
    newest: dict[tuple[int, str], Scene] = {}
    for scene in Scene.objects.select_related("game").order_by("game__name", "name", "version"):
        newest[scene.game_id, scene.name.lower()] = scene
    return _csv(SCENE_COLUMNS, (_scene_values(scene) for scene in newest.values()))


def conditions_csv() -> str:
    """All conditions."""
    return _csv(CONDITION_COLUMNS, (condition_fields(one) for one in Condition.objects.order_by("name")))


def import_scenes(user: Caller, content: bytes) -> Imported:
    """Add and change scenes by a table. One that was run is changed as its next version. Raises :class:`Problem`."""

    def take(said: dict[str, Any]) -> str:
        there = newest_scene(str(said.get("game", "")), str(said.get("name", "")))
        data = SceneIn(**({} if there is None else _scene_values(there)) | said)
        if there is None:
            add_scene(user, data)
            return "added"
        if data == SceneIn(**_scene_values(there)):
            return "unchanged"
        edit_scene(user, there.pk, data)
        return "changed"

    return _taken(user, content, SCENE_COLUMNS, ("game", "name"), take)


def import_conditions(user: Caller, content: bytes) -> Imported:
    """Add and change conditions by a table. Raises :class:`Problem`."""

    def take(said: dict[str, Any]) -> str:
        there = Condition.objects.filter(name__iexact=str(said.get("name", ""))).first()
        own = {} if there is None else condition_fields(there)
        data = ConditionIn(**own | said)
        if there is None:
            add_condition(user, data)
            return "added"
        if data == ConditionIn(**own):
            return "unchanged"
        edit_condition(user, there.pk, data)
        return "changed"

    return _taken(user, content, CONDITION_COLUMNS, ("name",), take)


def _taken(
    user: Caller,
    content: bytes,
    columns: tuple[str, ...],
    needed: tuple[str, ...],
    take: Callable[[dict[str, Any]], str],
) -> Imported:
    require(user, Role.LEAD)
    counts = {"added": 0, "changed": 0, "unchanged": 0}
    with transaction.atomic():
        for row in rows_of(content, columns, needed, _HINT):
            try:
                counts[take(_said(row.cells))] += 1
            except ValidationError as error:
                fault = error.errors()[0]
                raise row.problem(Problem("invalid", sentence_of(fault), field=place_of(fault))) from None
            except RennbahnError as error:
                raise row.problem(error) from None
    return Imported(**counts)


def _said(cells: Mapping[str, str]) -> dict[str, Any]:
    """What a row says, without its empty cells."""
    return {name: _value(name, text) for name, text in cells.items() if text != ""}


def _value(name: str, text: str) -> Any:
    if name in _WHOLE:
        return int(number_in(name, text, whole=True))
    if name in _NUMBERS:
        return number_in(name, text)
    if name in _LISTS:
        return [word.strip() for word in text.replace(",", ";").split(";") if word.strip()]
    return text


def _scene_values(scene: Scene) -> dict[str, Any]:
    own = {name: getattr(scene, name) for name in SCENE_COLUMNS if name != "game"}
    return {"game": scene.game.name, **own}


def _csv(columns: tuple[str, ...], rows: Iterable[Mapping[str, Any]]) -> str:
    out = io.StringIO()
    sheet = csv.writer(out)
    sheet.writerow(columns)
    for row in rows:
        sheet.writerow([safe_cell(_text(row[name])) for name in columns])
    return out.getvalue()


def _text(value: Any) -> str:
    if isinstance(value, list):
        return "; ".join(value)
    return "" if value is None else f"{value:g}" if isinstance(value, float) else str(value)
