"""What one can ask about scenes."""

from __future__ import annotations

from django.db.models import Count, QuerySet

from scenes.models import Condition, Scene
from scenes.schemas import ConditionOut, SceneOut


def all_scenes() -> list[SceneOut]:
    """All scenes by game and name."""
    return [scene_out(scene) for scene in _scenes()]


def one_scene(scene_id: int) -> SceneOut:
    """One scene, as it is now."""
    return scene_out(_scenes().get(pk=scene_id))


def all_conditions() -> list[ConditionOut]:
    """All conditions by name."""
    return [condition_out(condition) for condition in Condition.objects.all()]


def condition_out(condition: Condition) -> ConditionOut:
    """A condition as the API gives it."""
    return ConditionOut(
        id=condition.pk,
        name=condition.name,
        resolution=condition.resolution,
        preset=condition.preset,
        frame_limit_fps=condition.frame_limit_fps,
    )


def scene_out(scene: Scene) -> SceneOut:
    """A scene as the API gives it."""
    return SceneOut(
        id=scene.pk,
        game_id=scene.game_id,
        game=scene.game.name,
        name=scene.name,
        kind=scene.kind,
        length_s=scene.length_s,
        start=scene.start,
        route=scene.route,
        end=scene.end,
        engine_cap_fps=scene.game.engine_cap_fps,
        used=bool(getattr(scene, "uses", 0)),
    )


def _scenes() -> QuerySet[Scene]:
    return Scene.objects.select_related("game").annotate(uses=Count("tests")).order_by("game__name", "name")
