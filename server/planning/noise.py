"""How well scenes repeat, learned from the accepted passes of all studies."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from rennbahn.comparing.model import AVERAGE, low_figure
from rennbahn.planning.noise import Pooled, pooled_noise
from studies.models import Pass, PassState

#: The accepted passes of a cell: headline figures, and whether the pass is capped.
Cell = list[tuple[dict[str, float], bool]]
#: Kinds of figure, as plans name them.
KINDS = (AVERAGE, "low_1", "low_0.1")


@dataclass(frozen=True)
class SceneNoise:
    """Noise of a scene by kind of figure, and what it stands on."""

    noise: Mapping[str, Pooled]
    passes: int
    studies: int


@dataclass(frozen=True)
class Learned:
    """Noise of each scene, and of all together by kind of figure."""

    scenes: Mapping[int, SceneNoise]
    everything: Mapping[str, Pooled]


def figure_of(kind: str, low_school: str) -> str:
    """The figure of a kind under a school of lows."""
    return AVERAGE if kind == AVERAGE else low_figure(kind.removeprefix("low_"), low_school)


def learned_noise(low_school: str) -> Learned:
    """Noise of all scenes, in one query. Capped passes say nothing about the average's noise."""
    found = Pass.objects.filter(state=PassState.ACCEPTED, capture__measurement__isnull=False)
    cells: dict[int, dict[tuple[int, int], Cell]] = {}
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
    every = [cell for own in cells.values() for cell in own.values()]
    return Learned(
        scenes={
            scene: SceneNoise(
                noise=_by_kind(list(own.values()), low_school),
                passes=sum(map(len, own.values())),
                studies=len(studies[scene]),
            )
            for scene, own in cells.items()
        },
        everything=_by_kind(every, low_school),
    )


def _by_kind(cells: list[Cell], low_school: str) -> dict[str, Pooled]:
    return {kind: _noise(cells, kind, figure_of(kind, low_school)) for kind in KINDS}


def _noise(cells: list[Cell], kind: str, figure: str) -> Pooled:
    counting = [cell for cell in cells if kind != AVERAGE or 2 * sum(capped for _, capped in cell) < len(cell)]
    return pooled_noise([[headline[figure] for headline, _ in cell if figure in headline] for cell in counting])
