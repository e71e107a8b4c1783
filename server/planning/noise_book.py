"""The noise book: what is kept of how scenes repeat, read at once and without a pass being looked at."""

from __future__ import annotations

from django.db.models import Sum
from rennbahn.comparing.model import AVERAGE
from rennbahn.measures.rates import LOW_SCHOOLS
from rennbahn.planning.noise import Squares
from rennbahn.planning.noise_book import Firsts, by_kind, part_noise, penalty, penalty_words, replay_words
from scenes.models import Scene
from studies.models import HIDDEN

from planning.models import PartScatter, SceneFirsts, SceneTotal
from planning.noise import KINDS, PART_FIGURES, learned_noise
from planning.schemas import BookOut, BookScene, KindNoiseOut, PartNoiseOut, PenaltyOut


def noise_book() -> BookOut:
    """All that passes taught about repeating, under the default school of lows; the scene that repeats best first."""
    learned = learned_noise(LOW_SCHOOLS[0]).scenes
    scenes = {one.pk: one for one in Scene.objects.filter(pk__in=learned).select_related("game")}
    firsts = {
        scene: Firsts(count, weight, weighted)
        for scene, count, weight, weighted in SceneFirsts.objects.values("scene")
        .annotate(Sum("count"), Sum("weight"), Sum("weighted"))
        .values_list("scene", "count__sum", "weight__sum", "weighted__sum")
        .order_by("scene")
    }
    rows = []
    for pk, known in learned.items():
        estimate = known.estimates.get(AVERAGE)
        found = penalty(firsts[pk], estimate.s if estimate else None) if pk in firsts else None
        rows.append(
            BookScene(
                scene_id=pk,
                game=scenes[pk].game.name,
                scene=scenes[pk].name,
                kind=scenes[pk].kind,
                passes=known.passes,
                studies=known.studies,
                df=known.noise[AVERAGE].df,
                percent={kind: known.estimates[kind].percent for kind in KINDS if kind in known.estimates},
                source=estimate.source if estimate else "",
                first=PenaltyOut(
                    share=found.share, low=found.low, high=found.high, told=found.told, words=penalty_words(found)
                )
                if found
                else None,
            )
        )
    rows.sort(key=lambda one: (one.percent.get(AVERAGE, float("inf")), one.scene_id))
    totals = {
        scene: Squares(squares, df, cells)
        for scene, squares, df, cells in SceneTotal.objects.filter(figure=AVERAGE).values_list(
            "scene", "squares", "df", "cells"
        )
    }
    of_kind = [(str(scenes[pk].kind), one) for pk, one in totals.items() if pk in scenes]
    kinds = by_kind(of_kind)
    return BookOut(
        scenes=rows,
        kinds=[KindNoiseOut(kind=one.kind, percent=one.percent, df=one.df, scenes=one.scenes) for one in kinds],
        replay_words=replay_words(of_kind),
        parts=_parts({pk: known.estimates[AVERAGE].s for pk, known in learned.items() if AVERAGE in known.estimates}),
    )


def _parts(usual: dict[int, float]) -> list[PartNoiseOut]:
    """How cards and processors scatter beside what is usual in their scenes, those farthest from it first."""
    own: dict[tuple[str, str], dict[int, Squares]] = {}
    rows = (
        PartScatter.objects.filter(figure=PART_FIGURES[0])
        .exclude(study__in=HIDDEN.get())
        .values("part__kind", "part__name", "scene")
        .annotate(Sum("squares"), Sum("df"), Sum("cells"))
        .values_list("part__kind", "part__name", "scene", "squares__sum", "df__sum", "cells__sum")
        .order_by("part__kind", "part__name", "scene")
    )
    for kind, name, scene, squares, df, cells in rows:
        own.setdefault((kind, name), {})[scene] = Squares(squares, df, cells)
    found = []
    for (kind, name), squares in own.items():
        one = part_noise(squares, usual)
        if one is not None:
            found.append(
                PartNoiseOut(
                    kind=kind, name=name, factor=one.factor, low=one.low, high=one.high, df=one.df, scenes=one.scenes,
                    unlike=one.unlike,
                )
            )  # fmt: skip
    return sorted(found, key=lambda one: (one.kind, -one.factor, one.name))
