"""What one can do with scenes."""

from __future__ import annotations

from django.contrib.auth.models import AnonymousUser, User
from django.db import IntegrityError, transaction
from people.access import require
from people.models import Role
from problems import Conflict, NotFound, Problem

from scenes.models import Condition, Game, Scene, SceneKind
from scenes.schemas import ConditionIn, SceneIn


def add_scene(user: User | AnonymousUser, data: SceneIn) -> Scene:
    """Add a scene, and its game where that is new. Raises :class:`Conflict` where the game has such a scene."""
    require(user, Role.LEAD)
    _known_kind(data.kind)
    with transaction.atomic():
        game = game_named(data.game, data.engine_cap_fps)
        return _written(Scene(game=game), data)


def edit_scene(user: User | AnonymousUser, scene_id: int, data: SceneIn) -> Scene:
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
        scene.game = game_named(data.game, data.engine_cap_fps)
        return _written(scene, data)


def add_condition(user: User | AnonymousUser, data: ConditionIn) -> Condition:
    """Add a condition. Raises :class:`Conflict` where there is one of that name."""
    require(user, Role.LEAD)
    try:
        with transaction.atomic():
            return Condition.objects.create(**data.dict())
    except IntegrityError:
        raise Conflict("condition_exists", f"There is already a condition “{data.name}”.", field="name") from None


def game_named(name: str, engine_cap_fps: float | None = None) -> Game:
    """The game of that name, made if it is not there yet; a cap that becomes known is noted."""
    game = Game.objects.filter(name__iexact=name).first()
    if game is None:
        return Game.objects.create(name=name, engine_cap_fps=engine_cap_fps)
    if engine_cap_fps is not None and game.engine_cap_fps != engine_cap_fps:
        game.engine_cap_fps = engine_cap_fps
        game.save(update_fields=["engine_cap_fps"])
    return game


def scene_named(game: str, name: str) -> Scene:
    """The scene of that game and name, made if it is not there yet."""
    found = Scene.objects.filter(game__name__iexact=game, name__iexact=name).first()
    return found or Scene.objects.create(game=game_named(game), name=name)


def condition_named(name: str) -> Condition:
    """The condition of that name, made if it is not there yet."""
    return Condition.objects.filter(name__iexact=name).first() or Condition.objects.create(name=name)


def _written(scene: Scene, data: SceneIn) -> Scene:
    for field in ("name", "kind", "length_s", "start", "route", "end"):
        setattr(scene, field, getattr(data, field))
    try:
        with transaction.atomic():
            scene.save()
    except IntegrityError:
        raise Conflict("scene_exists", f"{scene.game} already has a scene “{data.name}”.", field="name") from None
    return scene


def _known_kind(kind: str) -> None:
    if kind not in SceneKind.values:
        raise Problem("unknown_kind", f"{kind!r} is no kind of scene: {', '.join(SceneKind.values)}.", field="kind")
