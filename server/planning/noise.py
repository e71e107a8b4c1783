"""How well scenes repeat, learned from the accepted passes of all studies."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass

from rennbahn.comparing.model import AVERAGE, low_figure
from rennbahn.planning.needs import Estimate, guessed
from rennbahn.planning.noise import Pooled, pooled_noise
from studies.models import Pass, PassState

#: Kinds of figure, as plans name them.
KINDS = (AVERAGE, "low_1", "low_0.1")
#: A scene's own noise is planned with from this many degrees of freedom on: two cells of three passes.
ENOUGH_FREEDOM = 4


@dataclass(frozen=True)
class SceneNoise:
    """Noise of a scene by kind of figure, and what it stands on."""

    noise: Mapping[str, Pooled]
    passes: int
    studies: int


def figure_of(kind: str, low_school: str) -> str:
    """The figure of a kind under a school of lows."""
    return AVERAGE if kind == AVERAGE else low_figure(kind.removeprefix("low_"), low_school)


def scene_noise(low_school: str, scenes: Collection[int] | None = None) -> dict[int, SceneNoise]:
    """Noise by scene, in one query. Capped passes say nothing about the average's noise."""
    found = Pass.objects.filter(state=PassState.ACCEPTED, capture__measurement__isnull=False)
    if scenes is not None:
        found = found.filter(test__scene__in=scenes)
    cells: dict[int, dict[tuple[int, int], list[tuple[dict[str, float], bool]]]] = {}
    studies: dict[int, set[int]] = {}
    for scene, lane, test, study, headline, cap in found.values_list(
        "test__scene",
        "lane",
        "test",
        "test__study",
        "capture__measurement__headline",
        "capture__measurement__figures__limits__cap__state",
    ).order_by("test__scene", "lane", "test", "number"):
        cells.setdefault(scene, {}).setdefault((lane, test), []).append((headline, cap == "capped"))
        studies.setdefault(scene, set()).add(study)
    return {
        scene: SceneNoise(
            noise={kind: _noise(list(own.values()), kind, figure_of(kind, low_school)) for kind in KINDS},
            passes=sum(map(len, own.values())),
            studies=len(studies[scene]),
        )
        for scene, own in cells.items()
    }


def estimate(known: SceneNoise | None, scene_kind: str, kind: str) -> Estimate:
    """Noise to plan a scene with: its own where it was run often enough, else the stated guess."""
    learned = known.noise[kind] if known else None
    if learned is not None and learned.s is not None and learned.df >= ENOUGH_FREEDOM:
        return Estimate(learned.s, "scene")
    return guessed(scene_kind, kind)


def _noise(cells: list[list[tuple[dict[str, float], bool]]], kind: str, figure: str) -> Pooled:
    counting = [cell for cell in cells if kind != AVERAGE or 2 * sum(capped for _, capped in cell) < len(cell)]
    return pooled_noise([[headline[figure] for headline, _ in cell if figure in headline] for cell in counting])
