"""How well scenes repeat, learned from the accepted passes of all studies.

Every decision on a pass teaches: what its study says of its scene is added up anew and kept, and so is what all studies
say of it. Reading costs as much as there are scenes, whatever the number of passes and studies behind them.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field

from bench.models import SetupPart
from django.db import transaction
from django.db.models import Count, Q, Sum
from intake.measuring import FIGURE_COLUMNS
from rennbahn.comparing.cells import cell_is_capped
from rennbahn.comparing.model import AVERAGE, low_figure
from rennbahn.planning.noise import Estimate, Pooled, Squares, learned, pooled, squares_within
from rennbahn.planning.noise_book import firsts_of
from scenes.models import Scene
from studies.models import COUNTING, STANDING, Pass, PassRole, PassState

from planning.models import PartScatter, SceneFirsts, SceneNoise, SceneTotal

#: Kinds of figure, as plans name them.
KINDS = (AVERAGE, "low_1", "low_0.1")
#: Parts by which it is told how noise changes, and the figure of which it is.
PART_KINDS = ("card", "processor")
PART_FIGURES = (AVERAGE,)


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
    cells = _cells(study_id, wanted)
    SceneNoise.objects.filter(study=study_id, scene__in=wanted).delete()
    SceneNoise.objects.bulk_create(_scatter(study_id, cells))
    SceneFirsts.objects.filter(study=study_id, scene__in=wanted).delete()
    SceneFirsts.objects.bulk_create(_firsts(study_id, cells))
    PartScatter.objects.filter(study=study_id, scene__in=wanted).delete()
    PartScatter.objects.bulk_create(_part_scatter(study_id, cells))
    _add_up(wanted)


@dataclass
class _Cell:
    """The passes of a lane in a test: accepted ones that count, and warm-up runs before them, by figure."""

    capped: list[bool] = field(default_factory=list)
    values: list[list[float]] = field(default_factory=list)
    warm_ups: list[list[float]] = field(default_factory=list)
    setup: int | None = None

    def of(self, at: int, figure: str) -> list[float]:
        """What counts of a figure; nothing of the average where the cell is capped."""
        if figure == AVERAGE and cell_is_capped(sum(self.capped), len(self.capped)):
            return []
        return [values[at] for values in self.values]


def _cells(study_id: int, scenes: list[int]) -> dict[int, list[_Cell]]:
    """Cells of a study by scene, their passes in the order in which they were run."""
    columns = [f"capture__current__{column}" for column in FIGURE_COLUMNS.values()]
    counting = Q(state=PassState.ACCEPTED, role__in=COUNTING)
    warm_up = Q(state__in=STANDING, role=PassRole.WARM_UP)
    rows = Pass.objects.filter(
        counting | warm_up, test__study=study_id, test__scene__in=scenes, capture__current__isnull=False
    ).values_list("test__scene", "lane", "test", "role", "setup_version", "capture__current__cap", *columns)
    found: dict[int, dict[tuple[int, int], _Cell]] = {}
    for scene, lane, test, role, setup, cap, *values in rows.order_by("ran_at", "pk"):
        cell = found.setdefault(scene, {}).setdefault((lane, test), _Cell())
        if role == PassRole.WARM_UP:
            cell.warm_ups.append(values)
        else:
            cell.capped.append(cap == "capped")
            cell.values.append(values)
            cell.setup = cell.setup or setup
    return {scene: [cell for cell in own.values() if cell.values] for scene, own in found.items()}


def _scatter(study_id: int, cells: Mapping[int, list[_Cell]]) -> Iterator[SceneNoise]:
    for scene, own in cells.items():
        passes = sum(len(cell.values) for cell in own)
        for at, figure in enumerate(FIGURE_COLUMNS):
            found = squares_within(cell.of(at, figure) for cell in own)
            if found.df:
                yield SceneNoise(
                    study_id=study_id, scene_id=scene, figure=figure, squares=found.total, df=found.df,
                    cells=found.cells, passes=passes,
                )  # fmt: skip


def _firsts(study_id: int, cells: Mapping[int, list[_Cell]]) -> Iterator[SceneFirsts]:
    """The warm-up run of a cell beside all that counts, else the first pass that counts beside the others."""
    at = list(FIGURE_COLUMNS).index(AVERAGE)
    for scene, own in cells.items():
        pairs = []
        for cell in own:
            counting = cell.of(at, AVERAGE)
            if cell.warm_ups:
                pairs.append((cell.warm_ups[0][at], counting))
            elif counting:
                pairs.append((counting[0], counting[1:]))
        found = firsts_of(pairs)
        if found.count:
            yield SceneFirsts(
                study_id=study_id, scene_id=scene, count=found.count, weight=found.weight, weighted=found.weighted
            )


def _part_scatter(study_id: int, cells: Mapping[int, list[_Cell]]) -> Iterator[PartScatter]:
    setups = {cell.setup for own in cells.values() for cell in own if cell.setup}
    parts: dict[int, set[int]] = {}
    named = SetupPart.objects.filter(version__in=setups, part__kind__in=PART_KINDS)
    for setup, part in named.values_list("version", "part"):
        parts.setdefault(setup, set()).add(part)
    names = list(FIGURE_COLUMNS)
    for scene, own in cells.items():
        by_part: dict[int, list[_Cell]] = {}
        for cell in own:
            for part in parts.get(cell.setup or 0, ()):
                by_part.setdefault(part, []).append(cell)
        for part, its in by_part.items():
            for figure in PART_FIGURES:
                found = squares_within(cell.of(names.index(figure), figure) for cell in its)
                if found.df:
                    yield PartScatter(
                        study_id=study_id, scene_id=scene, part_id=part, figure=figure, squares=found.total,
                        df=found.df, cells=found.cells,
                    )  # fmt: skip


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
