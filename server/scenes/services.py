"""What one can do with scenes."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.models import AnonymousUser, User
from django.db import IntegrityError, transaction
from django.db.models import Q
from people.access import require
from people.models import Role
from problems import Conflict, NotFound, Problem

from scenes.models import Condition, Game, Scene, SceneKind
from scenes.schemas import ConditionIn, GameIn, SceneIn

Caller = User | AnonymousUser


def add_game(user: Caller, data: GameIn) -> Game:
    """Add a game. Raises :class:`Conflict` where there is one of that name."""
    require(user, Role.LEAD)
    return _kept_game(Game(), data)


def edit_game(user: Caller, game_id: int, data: GameIn) -> Game:
    """Write down what has become known of a game."""
    require(user, Role.LEAD)
    game = Game.objects.filter(pk=game_id).first()
    if game is None:
        raise NotFound("game")
    return _kept_game(game, data)


def add_scene(user: Caller, data: SceneIn) -> Scene:
    """Add a scene, and its game where that is new. Raises :class:`Conflict` where the game has such a scene."""
    require(user, Role.LEAD)
    _known_kind(data.kind)
    with transaction.atomic():
        return _written(Scene(game=game_named(data.game)), data)


def edit_scene(user: Caller, scene_id: int, data: SceneIn) -> Scene:
    """Edit a scene that no study uses yet; one that is used stays as it was run."""
    require(user, Role.LEAD)
    _known_kind(data.kind)
    with transaction.atomic():
        scene = Scene.objects.select_for_update().filter(pk=scene_id).first()
        if scene is None:
            raise NotFound("scene")
        if scene.tests.exists():
            raise Conflict(
                "scene_in_use",
                f"“{scene.name}” was used by a study and stays as it was run.",
                hint="Add a scene under another name for the changed route.",
            )
        scene.game = game_named(data.game)
        return _written(scene, data)


def add_condition(user: Caller, data: ConditionIn) -> Condition:
    """Add a condition. Raises :class:`Conflict` where there is one of that name."""
    require(user, Role.LEAD)
    return _kept_condition(Condition(), data)


def edit_condition(user: Caller, condition_id: int, data: ConditionIn) -> Condition:
    """Edit a condition. What a study that has passes told its games stays; what is blank may be filled in."""
    require(user, Role.LEAD)
    with transaction.atomic():
        condition = Condition.objects.select_for_update().filter(pk=condition_id).first()
        if condition is None:
            raise NotFound("condition")
        if is_run(condition):
            said = condition_fields(condition)
            lost = [n for n, value in said.items() if value not in ("", None) and getattr(data, n) != value]
            if lost:
                raise Conflict(
                    "condition_in_use",
                    f"Passes were run under “{condition.name}”: what it told the game stays.",
                    field=lost[0],
                    hint="Add a condition under another name for the changed settings.",
                )
        return _kept_condition(condition, data)


def is_run(condition: Condition) -> bool:
    """Was a pass recorded under this condition?"""
    run = Q(passes__state__in=("recorded", "accepted", "rejected"))
    return condition.tests.filter(run).exists() or condition.lanes.filter(run).exists()


def condition_fields(condition: Condition) -> dict[str, Any]:
    """What a condition says, by field."""
    return {name: getattr(condition, name) for name in ConditionIn.model_fields}


def game_named(name: str) -> Game:
    """The game of that name, made if it is not there yet."""
    return Game.objects.filter(name__iexact=name).first() or Game.objects.create(name=name)


def scene_named(game: str, name: str) -> Scene:
    """The scene of that game and name, made if it is not there yet."""
    found = Scene.objects.filter(game__name__iexact=game, name__iexact=name).first()
    return found or Scene.objects.create(game=game_named(game), name=name)


def condition_named(name: str) -> Condition:
    """The condition of that name, made if it is not there yet."""
    return Condition.objects.filter(name__iexact=name).first() or Condition.objects.create(name=name)


def _written(scene: Scene, data: SceneIn) -> Scene:
    for field in SceneIn.model_fields:
        if field != "game":
            setattr(scene, field, getattr(data, field))
    try:
        with transaction.atomic():
            scene.save()
    except IntegrityError:
        raise Conflict("scene_exists", f"{scene.game} already has a scene “{data.name}”.", field="name") from None
    return scene


def _kept_game(game: Game, data: GameIn) -> Game:
    for field in GameIn.model_fields:
        setattr(game, field, getattr(data, field))
    try:
        with transaction.atomic():
            game.save()
    except IntegrityError:
        raise Conflict("game_exists", f"There is already a game “{data.name}”.", field="name") from None
    return game


def _kept_condition(condition: Condition, data: ConditionIn) -> Condition:
    for field in ConditionIn.model_fields:
        setattr(condition, field, getattr(data, field))
    try:
        with transaction.atomic():
            condition.save()
    except IntegrityError:
        raise Conflict("condition_exists", f"There is already a condition “{data.name}”.", field="name") from None
    return condition


def _known_kind(kind: str) -> None:
    if kind not in SceneKind.values:
        raise Problem("unknown_kind", f"{kind!r} is no kind of scene: {', '.join(SceneKind.values)}.", field="kind")
