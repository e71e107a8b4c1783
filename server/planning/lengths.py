"""How long scenes take: what their cards say, else what their passes took, and giving cards what was measured."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from intake.models import Capture
from rennbahn.planning.lengths import Length, length_of, usual_s
from scenes.models import Scene
from scenes.queries import newest_scenes
from studies.models import STANDING, PassRole, Test

from planning.schemas import SceneLengthOut


def lengths_of(tests: Iterable[Test]) -> dict[int, Length]:
    """How long a pass of each test takes, by the test's id; nothing is asked where all cards say so."""
    tests = list(tests)
    unsaid = {test.scene_id: test.scene.kind for test in tests if not (test.length_s or test.scene.length_s)}
    measured = _measured(unsaid)
    return {
        test.pk: length_of(test.length_s or test.scene.length_s, measured.get(test.scene_id, (None, 0))[0])
        for test in tests
    }


def lengths_of_scenes(scenes: Iterable[Scene]) -> dict[int, Length]:
    """The same of scenes, by their ids; one that is not kept yet has none."""
    scenes = [scene for scene in scenes if scene.pk]
    measured = _measured({scene.pk: scene.kind for scene in scenes if not scene.length_s})
    return {scene.pk: length_of(scene.length_s, measured.get(scene.pk, (None, 0))[0]) for scene in scenes}


def lengths_to_give() -> list[SceneLengthOut]:
    """Scenes whose card says no length although their passes agree on one, by game and name."""
    scenes = [scene for scene in newest_scenes() if not scene.length_s]
    measured = _measured({scene.pk: scene.kind for scene in scenes})
    return [
        SceneLengthOut(
            scene_id=scene.pk, game=scene.game.name, scene=scene.name, length_s=max(1, round(measured[scene.pk][0])),
            passes=measured[scene.pk][1],
        )
        for scene in scenes
        if scene.pk in measured
    ]  # fmt: skip


def _measured(kinds: Mapping[int, str]) -> dict[int, tuple[float, int]]:
    """The length on which the passes of scenes agree, in s, and how many they are: by scene, where they do.

    A capture that somebody trimmed counts with what was left of it.
    """
    if not kinds:
        return {}
    rows = Capture.objects.filter(
        on_pass__test__scene__in=kinds, on_pass__state__in=STANDING, current__isnull=False
    ).exclude(on_pass__role=PassRole.WARM_UP)
    took: dict[int, list[float]] = {}
    for scene, seconds in rows.values_list("on_pass__test__scene", "current__duration_s"):
        took.setdefault(scene, []).append(seconds)
    agreed = {scene: usual_s(durations, kinds[scene]) for scene, durations in took.items()}
    return {scene: (usual, len(took[scene])) for scene, usual in agreed.items() if usual is not None}
