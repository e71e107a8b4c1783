"""What the house keeps beside its studies, as blocks of a report: tuning logs, what fits, sums, scenes and setups."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from bench.queries import description_of, setup_out, whole_versions
from bench.schemas import SumIn
from bench.sums import all_sums, lines
from fitting.queries import matrix_csv, matrix_out
from page_marks import mark_of
from problems import NotFound
from rennbahn.comparing.sentences import raised
from rennbahn.display import fixed, fps
from rennbahn.parts import kind_named
from rennbahn.running import cautions_in_print
from rennbahn.tuning import amount
from scenes.models import Scene
from scenes.queries import scene_out
from tuning.exports import log_csv
from tuning.queries import log_out

from reports.models import BlockKind

#: What changes of these without anything changing that is shown.
_VOLATILE = ("seen", "next", "next_of_sample", "machine", "machine_id")


@dataclass(frozen=True)
class House:
    """Which of what the house keeps: `of` by its number, or of a sum its name with what it was asked."""

    kind: str
    of: Any

    @classmethod
    def of_look(cls, told: dict[str, Any]) -> House | None:
        """As it is kept with a block; None where that shows something of a study."""
        return next((cls(kind, told[kind]) for kind in _SHOWN if kind in told), None)

    @property
    def mark(self) -> str:
        """What tells one from another."""
        return mark_of([self.kind, self.of])


@dataclass
class HouseBlock:
    """What such a block shows: a title, sentences, a table, and of logs and matrices what their pictures are of."""

    title: str
    sentences: Sequence[str]
    heads: Sequence[str]
    rows: list[tuple[str, list[str]]]
    way: str
    log: dict[str, Any] | None = None
    of: str = "fps"
    over: str = ""
    matrix: dict[str, Any] | None = None
    cautions: Sequence[str] = ()
    #: Studies of which something is shown.
    studies: Sequence[int] = ()

    @property
    def text(self) -> str:
        """All of it in words."""
        return " ".join(self.sentences)

    @property
    def mark(self) -> str:
        """What tells one state of it from another."""
        log = {key: one for key, one in (self.log or {}).items() if key not in _VOLATILE}
        matrix = {key: one for key, one in (self.matrix or {}).items() if key not in _VOLATILE}
        return mark_of([self.title, list(self.sentences), self.rows, log, matrix])

    def dict(self) -> dict[str, Any]:
        """In the form of `HouseShownOut`."""
        return {
            "title": self.title, "sentences": list(self.sentences), "heads": list(self.heads), "way": self.way,
            "rows": [{"key": key, "cells": cells} for key, cells in self.rows], "log": self.log, "of": self.of,
            "over": self.over, "matrix": self.matrix,
        }  # fmt: skip


def house_block(house: House) -> HouseBlock:
    """What a block of it shows now. Raises :class:`NotFound`, :class:`Problem`."""
    return _SHOWN[house.kind](house.of)


def house_file(house: House) -> tuple[str, str] | None:
    """Its data to take along, as CSV with a name; None where all of it stands in the block."""
    if house.kind == BlockKind.LOG:
        content, name = log_csv(house.of["log_id"])
    elif house.kind == BlockKind.FIT:
        content, name = matrix_csv(house.of)
    else:
        return None
    return name, content


def _log(of: dict[str, Any]) -> HouseBlock:
    log = log_out(of["log_id"])
    settings = [(one.name, f"{one.name}, {one.unit}" if one.unit else one.name) for one in log.settings]
    rows = [
        (
            str(one.number),
            [
                f"Step {one.number}",
                *(amount(one.set[name], "") if name in one.set else "stock" for name, _ in settings),
                one.state + (", beyond a failure" if one.beyond_a_failure else ""),
                f"{one.minutes:g}",
                "–" if one.fps is None else fps(one.fps),
                _or_dash(one.w),
                _or_dash(one.temperature_c),
                "; ".join(filter(None, [one.conclusion, one.why_unstable, *map(_past, one.over_limit)])),
            ],
        )
        for one in log.steps
    ]
    base = whole_versions().get(tuning_logs=log.id)
    risky = [one.caution for one in log.settings if one.caution]
    return HouseBlock(
        title=log.title, sentences=[*log.sentences, *filter(None, [log.samples_words])],
        heads=["Step", *(name for _, name in settings), "State", "Minutes passed", "fps", "W", "°C", "What came of it"],
        rows=rows, way=f"/tuning/{log.id}", log=log.dict(), of=of.get("of", "fps"),
        over=next((name for name, _ in settings if name == of.get("over", "")), ""),
        cautions=[*risky, *cautions_in_print([description_of(base)])],
        studies=[log.rival.study_id] if log.rival else [],
    )  # fmt: skip


def _fit(of: int) -> HouseBlock:
    found = matrix_out(of)
    names = {one.id: one.name for one in (*found.rows, *found.via, *found.columns)}
    rows = [
        (
            f"{place.row}-{place.via or 0}-{place.column}",
            [
                names[place.row], *([names[place.via]] if place.via else []), names[place.column], place.words,
                place.link, "; ".join(place.checks),
                "; ".join(one.seen for one in place.attempts if one.seen and not one.struck),
            ],
        )
        for place in found.places
    ]  # fmt: skip
    heads = [found.rows_are, *([found.via_are] if found.via else []), found.columns_are, "Stands", "Link",
             "Against it", "Seen"]  # fmt: skip
    cautions = dict.fromkeys(words for place in found.places for words in place.cautions)
    return HouseBlock(
        title=found.title, sentences=found.sentences, heads=heads, rows=rows, way=f"/tuning/fit/{found.id}",
        matrix=found.dict(), cautions=list(cautions),
    )  # fmt: skip


def _sum(of: dict[str, Any]) -> HouseBlock:
    asked = next((one for one in all_sums() if one.name == of["name"]), None)
    if asked is None:
        raise NotFound("sum of that name")
    beside = lines(asked.name, SumIn(of=of["of"]))
    words = {one.name: one.words for one in asked.of}
    rows = [
        (
            line.words,
            [raised(line.words), *(f"{each[at].shown} ({each[at].how})" for each in beside)],
        )
        for at, line in enumerate(beside[0])
    ]
    asks = ["; ".join(f"{words[name]} {value:g}" for name, value in one.items()) for one in of["of"]]
    told = [
        f"{one}: {', '.join(f'{x.words} {x.shown}' for x in each)}." for one, each in zip(asks, beside, strict=True)
    ]
    title = raised(asked.words)
    return HouseBlock(
        title=title, sentences=[f"{title}.", *told], heads=["What", *asks], rows=rows,
        way="/tuning/sums",
    )  # fmt: skip


def _scene(of: int) -> HouseBlock:
    found = Scene.objects.select_related("game").filter(pk=of).first()
    if found is None:
        raise NotFound("scene")
    scene = scene_out(found)
    runs = f"{scene.warm_up_runs} {'run' if scene.warm_up_runs == 1 else 'runs'} after loading, not counted"
    told = [
        ("Start", scene.start), ("Route", scene.route), ("End", scene.end),
        ("Warm-up", "; ".join(filter(None, [runs if scene.warm_up_runs else "none", scene.warm_up]))),
        ("Held back by", ", ".join(scene.leans_on)),
    ]  # fmt: skip
    lasts = "" if scene.length_s is None else f", {scene.length_s:g} s"
    return HouseBlock(
        title=f"{scene.game}, {scene.name}",
        sentences=[f"Scene {scene.name} of {scene.game}, version {scene.version}{lasts}."],
        heads=["Of the run", "How it goes"], rows=[(name, [name, words or "not said"]) for name, words in told],
        way=f"/scenes/card/{scene.id}",
    )  # fmt: skip


def _setup(of: int) -> HouseBlock:
    version = whole_versions().filter(pk=of).first()
    if version is None:
        raise NotFound("setup")
    told = setup_out(version)
    rows = [(f"setting {one.name}", [one.name, one.value, ""]) for one in told.settings]
    rows += [(f"part {one.id}", [kind_named(one.kind).label, one.name, one.summary]) for one in told.parts]
    rig = f" on the rig {told.rig}" if told.rig else ""
    return HouseBlock(
        title=told.name, sentences=[f"Setup {told.name}, version {told.version}{rig}."],
        heads=["What", "Which", "Facts"], rows=rows, way=f"/bench/setups/{told.id}",
        cautions=cautions_in_print([description_of(version)]),
    )  # fmt: skip


def _or_dash(value: float | None) -> str:
    return "–" if value is None else fixed(value, 1)


def _past(setting: str) -> str:
    return f"past the stated limit of {setting}"


_SHOWN: dict[str, Callable[[Any], HouseBlock]] = {
    BlockKind.LOG: _log, BlockKind.FIT: _fit, BlockKind.SUM: _sum, BlockKind.SCENE: _scene, BlockKind.SETUP: _setup,
}  # fmt: skip
