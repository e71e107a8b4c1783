"""The answer to a study's question, by its kind: blocks as plain data under the kind's name, each with its sentence."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from functools import cache
from typing import Any

from rennbahn.comparing.cells import Sheet
from rennbahn.comparing.model import AVERAGE, Study, low_figure
from rennbahn.comparing.words import Sentence
from rennbahn.kinds import words
from rennbahn.kinds.budget import budget_of
from rennbahn.kinds.grid import grid_of
from rennbahn.kinds.ladder import ladder_of
from rennbahn.kinds.limits import Limits, limits_of
from rennbahn.kinds.proxy import proxy_of
from rennbahn.kinds.scaling import scaling_of
from rennbahn.kinds.several import several_of
from rennbahn.kinds.sweep import sweep_of
from rennbahn.plain import plain

Block = dict[str, Any]
AskLimits = Callable[[], Limits]


@dataclass(frozen=True)
class Answer:
    """What a study of a kind other than A against B is answered by, and the limits of any.

    `blocks` are by group and figure, the average of the first group first; `sentence` is
    that of the first, of several benchmarks that over all.
    """

    kind: str
    blocks: tuple[Block, ...]
    sentence: Sentence | None
    ask_limits: AskLimits

    @property
    def limits(self) -> Limits:
        """What holds each lane in each test: worked out where it is asked for, once."""
        return self.ask_limits()

    def as_json(self) -> dict[str, Any]:
        """Plain data; A against B has only its limits here."""
        limits = {"limits": plain(self.limits)}
        if self.kind not in _KINDS:
            return limits
        listed: Any = list(self.blocks)
        if self.kind in _ONE:
            listed = self.blocks[0] | {"others": listed[1:]} if self.blocks else {}
        return {self.kind: listed, "answer": self.sentence.text if self.sentence else ""} | limits


def answer_of(sheet: Sheet) -> Answer:
    """The answer to the study of a sheet. Raises :class:`RennbahnError` where lanes lack what their kind needs."""
    study, limits = sheet.study, cache(lambda: limits_of(sheet))
    make = _KINDS.get(study.kind)
    blocks = tuple(make(sheet, limits)) if make else ()
    return Answer(study.kind, blocks, _whole_sentence(sheet, blocks), limits)


def tells_limits(study: Study) -> bool:
    """Does a study say anything but rates: resolutions, presets, busy times?"""
    of_tests = any(test.facts.resolution or test.facts.preset for test in study.tests)
    return of_tests or any(one.facts.gpu_busy_ms or one.facts.bound_by for one in study.passes)


def leading_figures(study: Study) -> tuple[str, str]:
    """The figures that every kind is answered in: the average, and the 1% low of the study's school."""
    return AVERAGE, low_figure("1", study.method.low_school)


def names_of(study: Study) -> dict[str, str]:
    """Names of lanes by id."""
    return {lane.id: lane.name for lane in study.lanes}


def games_of(study: Study) -> dict[str, str]:
    """The game of each test by id, with its scene where a game has several."""
    scenes = {scene.id: scene for scene in study.scenes}
    games = Counter(scene.game for scene in study.scenes)
    named = {key: one.game if games[one.game] == 1 else f"{one.game}, {one.name}" for key, one in scenes.items()}
    return {test.id: named[test.scene] for test in study.tests}


def _told(found: Any, sentence: Sentence) -> Block:
    block: Block = plain(found)
    return block | {"sentence": sentence_parts(sentence)}


def _single_sessions(sheet: Sheet, figure: str, sentence: Sentence) -> Sentence:
    """The sentence with what it does not hold: lanes that stand on one session each, of which nothing is stated."""
    at = sheet.figure_at.get(figure)
    if sheet.study.method.between is not None or at is None or not sentence.basis:
        return sentence
    there = sheet.sessions.there[at].any(axis=1)
    others = there.sum(axis=0, keepdims=True) - there
    apart = (there.sum(axis=1) == 1) & ~(there & (others > 0)).any(axis=1) & sheet.sessions.told[at]
    if apart.sum() < 1 or there.any(axis=1).sum() < 2:
        return sentence
    lanes = [lane.name for lane, alone in zip(sheet.study.lanes, apart.tolist(), strict=True) if alone]
    stands = "stands on one session" if len(lanes) == 1 else "each stand on one session"
    told = f"{words.listed(lanes)} {stands}, and nothing is stated of what sessions differ by"
    return replace(sentence, basis=f"{sentence.basis}; {told}")


def sentence_parts(sentence: Sentence) -> dict[str, str]:
    """A sentence in parts and whole, as plain data."""
    parts: dict[str, str] = plain(sentence)
    return parts | {"text": sentence.text}


def _asked(sheet: Sheet) -> list[tuple[str, str | None]]:
    """Every figure there is in every group, in all tests where no group is named."""
    figures = [figure for figure in leading_figures(sheet.study) if figure in sheet.figure_at]
    return [(figure, group) for group in sheet.study.groups or (None,) for figure in figures]


def _ladder(sheet: Sheet, _: AskLimits) -> list[Block]:
    names, tests, blocks = names_of(sheet.study), games_of(sheet.study), []
    for figure, group in _asked(sheet):
        found = ladder_of(sheet, figure, group)
        sentence = words.ladder_sentence(found, names, sheet.study.method)
        block = _told(found, _single_sessions(sheet, figure, sentence))
        for need, plainly in zip(found.needs, block["needs"], strict=True):
            plainly["words"] = words.need_words(need, names)
        for short, plainly in zip(found.shorts, block["shorts"], strict=True):
            plainly["words"] = words.short_words(short, names, tests[short.test])
        blocks.append(block)
    return blocks


def _sweep(sheet: Sheet, _: AskLimits) -> list[Block]:
    names, blocks = names_of(sheet.study), []
    for figure, group in _asked(sheet):
        found = sweep_of(sheet, figure, group)
        block = _told(found, _single_sessions(sheet, figure, words.sweep_sentence(found, sheet.study.method)))
        if found.equal_power is not None:
            block["equal_power"]["words"] = words.equal_power_words(found, names)
        blocks.append(block)
    return blocks


def _grid(sheet: Sheet, _: AskLimits) -> list[Block]:
    found = [(figure, grid_of(sheet, figure, group)) for figure, group in _asked(sheet)]
    return [
        _told(one, _single_sessions(sheet, figure, words.grid_sentence(one, sheet.study.method)))
        for figure, one in found
    ]


def _scaling(sheet: Sheet, _: AskLimits) -> list[Block]:
    names, blocks = names_of(sheet.study), []
    for figure, group in _asked(sheet):
        found = scaling_of(sheet, figure, group)
        sentence = words.scaling_sentence(found, names, sheet.study.method)
        block = _told(found, _single_sessions(sheet, figure, sentence))
        for part in ("steps", "suite"):
            for step, plainly in zip(getattr(found, part), block[part], strict=True):
                plainly["words"] = words.two_ways(step, names)
        blocks.append(block)
    return blocks


def _several(sheet: Sheet, limits: AskLimits) -> list[Block]:
    found = [(figure, several_of(sheet, figure, limits(), group)) for figure, group in _asked(sheet)]
    return [
        _told(one, _single_sessions(sheet, figure, words.several_sentence(one, sheet.study.method)))
        for figure, one in found
    ]


def _budget(sheet: Sheet, _: AskLimits) -> list[Block]:
    found = budget_of(sheet.study)
    return [_told(found, words.budget_sentence(found, names_of(sheet.study)))]


def _proxy(sheet: Sheet, _: AskLimits) -> list[Block]:
    names = names_of(sheet.study)
    figures = [figure for figure in leading_figures(sheet.study) if figure in sheet.figure_at]
    gauges = [gauge for figure in figures for gauge in proxy_of(sheet, figure)]
    return [_told(gauge, words.proxy_sentence([gauge], names)) for gauge in gauges]


def _whole_sentence(sheet: Sheet, blocks: tuple[Block, ...]) -> Sentence | None:
    """The sentence over all: of several benchmarks how many hold, else that of the first block."""
    if not blocks:
        return None
    if sheet.study.kind == "proxy":
        leading = next(figure for figure in leading_figures(sheet.study) if figure in sheet.figure_at)
        return words.proxy_sentence(proxy_of(sheet, leading), names_of(sheet.study))
    first = blocks[0]["sentence"]
    return Sentence(first["before"], first["answer"], first["after"], first["basis"])


_KINDS: Mapping[str, Callable[[Sheet, AskLimits], list[Block]]] = {
    "ladder": _ladder, "sweep": _sweep, "grid": _grid, "scaling": _scaling, "budget": _budget, "several": _several,
    "proxy": _proxy,
}  # fmt: skip
#: Kinds whose first block stands in full under the kind's name, with the `others` in it.
_ONE = ("sweep", "grid", "scaling", "budget", "several")
