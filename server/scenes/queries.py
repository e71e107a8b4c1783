"""What one can ask about scenes."""

from __future__ import annotations

from django.db.models import Count, Exists, OuterRef, QuerySet

from scenes.models import Condition, Game, Scene, SceneKind
from scenes.schemas import ConditionOut, GameIn, GameOut, SceneKindOut, SceneOut
from scenes.services import RUN, condition_fields, condition_mark, game_mark, scene_mark


def all_scene_kinds() -> list[SceneKindOut]:
    """Kinds of scene, the one that repeats best first."""
    return [SceneKindOut(kind=kind, label=label) for kind, label in SceneKind.choices]


def all_scenes() -> list[SceneOut]:
    """The newest version of every scene, by game and name."""
    return [scene_out(scene) for scene in newest_scenes()]


def newest_scenes() -> QuerySet[Scene]:
    """The newest version of every scene with its game, by game and name; `was_run` once a pass of it was run."""
    newer = Scene.objects.filter(game=OuterRef("game"), name__iexact=OuterRef("name"), version__gt=OuterRef("version"))
    return _scenes().filter(~Exists(newer))


def one_scene(scene_id: int) -> SceneOut:
    """One scene, as it is now."""
    return scene_out(_scenes().get(pk=scene_id))


def all_conditions() -> list[ConditionOut]:
    """All conditions by name."""
    found = Condition.objects.annotate(in_tests=Count("tests", distinct=True), in_lanes=Count("lanes", distinct=True))
    return [condition_out(condition) for condition in found.order_by("name")]


def condition_out(condition: Condition) -> ConditionOut:
    """A condition as the API gives it."""
    uses = getattr(condition, "in_tests", 0) + getattr(condition, "in_lanes", 0)
    return ConditionOut(id=condition.pk, used=bool(uses), seen=condition_mark(condition), **condition_fields(condition))


def all_games() -> list[GameOut]:
    """All games by name."""
    return [game_out(game) for game in _games()]


def one_game(game_id: int) -> GameOut:
    """One game."""
    return game_out(_games().get(pk=game_id))


def game_out(game: Game) -> GameOut:
    """A game as the API gives it."""
    own = {name: getattr(game, name) for name in GameIn.model_fields}
    return GameOut(id=game.pk, scenes=getattr(game, "scene_count", 0), seen=game_mark(game), **own)


def scene_out(scene: Scene) -> SceneOut:
    """A scene as the API gives it."""
    return SceneOut(
        id=scene.pk,
        game_id=scene.game_id,
        game=scene.game.name,
        name=scene.name,
        version=scene.version,
        kind=scene.kind,
        length_s=scene.length_s,
        start=scene.start,
        route=scene.route,
        end=scene.end,
        warm_up_runs=scene.warm_up_runs,
        warm_up=scene.warm_up,
        leans_on=scene.leans_on,
        engine_cap_fps=scene.game.engine_cap_fps,
        used=bool(getattr(scene, "was_run", False)),
        seen=scene_mark(scene),
    )


def _games() -> QuerySet[Game]:
    return Game.objects.annotate(scene_count=Count("scenes")).order_by("name")


def _scenes() -> QuerySet[Scene]:
    run = Scene.objects.filter(RUN, pk=OuterRef("pk"))
    return Scene.objects.select_related("game").annotate(was_run=Exists(run)).order_by("game__name", "name")
