"""How well scenes repeat, learned from the accepted passes of all studies.

Every decision on a pass teaches: what its study says of its scene is added up anew and kept, and so is what all studies
say of it. Reading costs as much as there are scenes, whatever the number of passes and studies behind them.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from django.db import transaction
from django.db.models import Count, Sum
from intake.measuring import FIGURE_COLUMNS
from rennbahn.comparing.model import AVERAGE, low_figure
from rennbahn.planning.noise import Estimate, Pooled, Squares, learned, pooled, squares_within
from scenes.models import Scene
from studies.models import COUNTING, Pass, PassState

from planning.models import SceneNoise, SceneTotal

#: Kinds of figure, as plans name them.
KINDS = (AVERAGE, "low_1", "low_0.1")


@dataclass(frozen=True)
class Known:
    """Noise of a scene by kind of figure, and what it stands on.

    `noise` is what its own passes say; `estimates` what they say beside all other scenes, where it was ever run twice.
    """

    noise: Mapping[str, Pooled]
    estimates: Mapping[str, Estimate]
    passes: int
    studies: int


@dataclass(frozen=True)
class Learned:
    """Noise of each scene."""

    scenes: Mapping[int, Known]


def figure_of(kind: str, low_school: str) -> str:
    """The figure of a kind under a school of lows."""
    return AVERAGE if kind == AVERAGE else low_figure(kind.removeprefix("low_"), low_school)


def learn(study_id: int, scenes: Iterable[int]) -> None:
    """Add up anew what a study teaches about some scenes. Capped passes say nothing about the average's noise."""
    wanted = sorted(set(scenes))
    # Two studies may learn of one scene at once: the later must see what the earlier wrote before it adds up all.
    list(Scene.objects.select_for_update().filter(pk__in=wanted).order_by("pk").values_list("pk"))
    columns = [f"capture__current__{column}" for column in FIGURE_COLUMNS.values()]
    rows = Pass.objects.filter(
        test__study=study_id, test__scene__in=wanted, state=PassState.ACCEPTED, role__in=COUNTING,
        capture__current__isnull=False,
    ).values_list("test__scene", "lane", "test", "capture__current__cap", *columns)  # fmt: skip
    cells: dict[int, dict[tuple[int, int], list[tuple[str, list[float]]]]] = {}
    for scene, lane, test, cap, *values in rows.order_by("pk"):
        cells.setdefault(scene, {}).setdefault((lane, test), []).append((cap, values))
    taught = []
    for scene, own in cells.items():
        for at, figure in enumerate(FIGURE_COLUMNS):
            counting = [
                [values[at] for _, values in cell]
                for cell in own.values()
                if figure != AVERAGE or 2 * sum(cap == "capped" for cap, _ in cell) < len(cell)
            ]
            found = squares_within(counting)
            if found.df:
                passes = sum(map(len, own.values()))
                taught.append(
                    SceneNoise(
                        study_id=study_id, scene_id=scene, figure=figure, squares=found.total, df=found.df,
                        cells=found.cells, passes=passes,
                    )
                )  # fmt: skip
    SceneNoise.objects.filter(study=study_id, scene__in=wanted).delete()
    SceneNoise.objects.bulk_create(taught)
    _add_up(wanted)


def _add_up(scenes: list[int]) -> None:
    """What all studies say of some scenes."""
    rows = SceneNoise.objects.filter(scene__in=scenes).values_list("scene", "figure")
    sums = rows.annotate(Sum("squares"), Sum("df"), Sum("cells"), Sum("passes"), Count("pk")).order_by()
    SceneTotal.objects.filter(scene__in=scenes).delete()
    SceneTotal.objects.bulk_create(
        SceneTotal(scene_id=scene, figure=figure, squares=squares, df=df, cells=cells, passes=passes, studies=studies)
        for scene, figure, squares, df, cells, passes, studies in sums
    )


def learn_all() -> None:
    """Add up everything anew, as after an upgrade from a state that kept nothing."""
    studies: dict[int, set[int]] = {}
    accepted = Pass.objects.filter(state=PassState.ACCEPTED, role__in=COUNTING)
    for study, scene in accepted.values_list("test__study", "test__scene").distinct():
        studies.setdefault(study, set()).add(scene)
    with transaction.atomic():
        for study, scenes in studies.items():
            learn(study, scenes)


def learned_noise(low_school: str, scenes: Iterable[int] | None = None) -> Learned:
    """Noise of scenes (all of them without a list), each beside all others, in one query."""
    kinds = {figure_of(kind, low_school): kind for kind in KINDS}
    squares: dict[str, dict[int, Squares]] = {kind: {} for kind in KINDS}
    stands_on: dict[int, tuple[int, int]] = {}
    rows = SceneTotal.objects.filter(figure__in=kinds).order_by("scene")
    for scene, figure, total, df, cells, passes, studies in rows.values_list(
        "scene", "figure", "squares", "df", "cells", "passes", "studies"
    ):
        squares[kinds[figure]][scene] = Squares(total, df, cells)
        before = stands_on.get(scene, (0, 0))
        stands_on[scene] = (max(before[0], passes), max(before[1], studies))
    found = {kind: learned(own) for kind, own in squares.items()}
    wanted = stands_on if scenes is None else [scene for scene in scenes if scene in stands_on]
    nothing = Squares(0.0, 0, 0)
    return Learned(
        {
            scene: Known(
                {kind: pooled(squares[kind].get(scene, nothing)) for kind in KINDS},
                {kind: own[scene] for kind, own in found.items() if scene in own},
                *stands_on[scene],
            )
            for scene in wanted
        }
    )
