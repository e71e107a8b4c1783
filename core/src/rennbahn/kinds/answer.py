"""The answer to a study's question, by its kind: blocks as plain data under the kind's name, each with its sentence."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, fields, replace
from functools import cache
from typing import Any

import numpy as np

from rennbahn.comparing import Block as ComparedPairs
from rennbahn.comparing.cells import Sheet
from rennbahn.comparing.composition import Composition, composed, composition_of, why_not
from rennbahn.comparing.model import AVERAGE, Study, low_figure
from rennbahn.comparing.sentences import Naming, Sentence, but_words, lacks_words, listed, otherwise_words
from rennbahn.kinds import ladder_words, words
from rennbahn.kinds.budget import budget_of
from rennbahn.kinds.fit import group_tests
from rennbahn.kinds.grid import grid_of
from rennbahn.kinds.ladder import ladder_of
from rennbahn.kinds.limits import Limits, limits_of
from rennbahn.kinds.proxy import Gauge, proxy_of
from rennbahn.kinds.scaling import scaling_of
from rennbahn.kinds.several import several_of
from rennbahn.kinds.sweep import sweep_of
from rennbahn.plain import plain

Block = dict[str, Any]
#: A block with its sentence.
Told = tuple[Block, Sentence]
AskLimits = Callable[[], Limits]


@dataclass(frozen=True)
class Answer:
    """What a study of a kind other than A against B is answered by, and the limits of any.

    `blocks` are by group and figure, the average of the first group first, each with its own of `sentences`;
    `sentence` is that of the first, of several benchmarks that over all.
    """

    kind: str
    blocks: tuple[Block, ...]
    sentences: tuple[Sentence, ...]
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
        found: Any = list(self.blocks)
        if self.kind in _ONE:
            found = self.blocks[0] | {"others": found[1:]} if self.blocks else {}
        return {self.kind: found, "answer": self.sentence.text if self.sentence else ""} | limits


def answer_of(sheet: Sheet) -> Answer:
    """The answer to the study of a sheet. Raises :class:`RennbahnError` where lanes lack what their kind needs."""
    study, limits = sheet.study, cache(lambda: limits_of(sheet))
    make = _KINDS.get(study.kind)
    told = make(sheet, limits) if make else []
    sentences = tuple(sentence for _, sentence in told)
    return Answer(study.kind, tuple(block for block, _ in told), sentences, _whole_sentence(sheet, sentences), limits)


def tells_limits(study: Study) -> bool:
    """Does a study say anything but rates: resolutions, presets, busy times?"""
    of_tests = any(test.facts.resolution or test.facts.preset for test in study.tests)
    return of_tests or any(one.facts.gpu_busy_ms or one.facts.bound_by for one in study.passes)


def leading_figures(study: Study) -> tuple[str, str]:
    """The figures that every kind is answered in: the average, and the 1% low of the study's school."""
    return AVERAGE, low_figure("1", study.method.low_school)


@dataclass(frozen=True)
class _Said:
    """A block with its sentence before it is told what the other groups say; `made` is what it is made of.

    `tests` are tests with what each says for itself, by id, margin and verdict; `verdict` is what their mean says.
    """

    figure: str
    group: str | None
    found: Any
    sentence: Sentence
    made: Composition
    verdict: str | None = None
    tests: tuple[tuple[str, float, str | None], ...] = ()


def _blocks(sheet: Sheet, said: Sequence[_Said]) -> list[Told]:
    """Blocks as plain data, each sentence with what its mean hides, what other groups say and what lacks."""
    names, blocks = Naming.of(sheet.study), []
    for one in said:
        others = [(x.group, x.sentence) for x in said if x.figure == one.figure and x is not one]
        sentence = replace(
            _single_sessions(sheet, one.figure, one.sentence),
            but=but_words(one.verdict, one.tests, names),
            otherwise=otherwise_words(one.sentence, others, names),
            lacks=lacks_words(one.made, names),
        )
        block: Block = plain(one.found)
        blocks.append((block | {"sentence": sentence_parts(sentence)}, sentence))
    return blocks


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
    told = f"{listed(lanes)} {stands}, and nothing is stated of what sessions differ by"
    return replace(sentence, basis=f"{sentence.basis}; {told}")


def sentence_parts(sentence: Sentence) -> dict[str, Any]:
    """A sentence in parts and whole, as plain data."""
    parts = {one.name: getattr(sentence, one.name) for one in fields(sentence) if one.name != "claims"}
    return parts | {"text": sentence.text}


def _asked(sheet: Sheet) -> list[tuple[str, str | None]]:
    """Every figure there is in every group, in all tests where no group is named."""
    figures = [figure for figure in leading_figures(sheet.study) if figure in sheet.figure_at]
    return [(figure, group) for group in sheet.study.groups or (None,) for figure in figures]


def _made(sheet: Sheet, figure: str, group: str | None, lanes: Sequence[int] | None = None) -> Composition:
    """What an answer over some lanes, over all of them without, is made of."""
    return composition_of(
        sheet, figure, range(len(sheet.study.lanes)) if lanes is None else lanes, group_tests(sheet, group)
    )


def _beside(said: Sequence[_Said], blocks: Sequence[Told]) -> Iterator[tuple[_Said, Block]]:
    """What was found beside the same as plain data."""
    return ((one, block) for one, (block, _) in zip(said, blocks, strict=True))


def _between(sheet: Sheet, group: str | None, lanes: Sequence[str], figure: str) -> list[tuple[str, float, str | None]]:
    """What each test of a group says of the first of two lanes over the other."""
    over, under = lanes
    margins = ComparedPairs(sheet, ((under, over),), group).margins(figure)
    return [(x.test, x.b_over_a, None if x.could_be_chance else x.verdict) for x in margins if x.left_out is None]


def _ladder(sheet: Sheet, _: AskLimits) -> list[Told]:
    names, said = Naming.of(sheet.study), []
    for figure, group in _asked(sheet):
        found, made = ladder_of(sheet, figure, group), _made(sheet, figure, group)
        sentence = ladder_words.ladder_sentence(found, made, names, sheet.study.method)
        needed = tuple(claim for need in found.needs for claim in ladder_words.need_claims(need, made))
        top = next((one.lanes for one in sentence.claims if one.says == "ahead"), None)
        tests = tuple(_between(sheet, group, top, figure)) if top else ()
        said.append(_Said(figure, group, found, sentence, made, "ahead" if top else None, tests))
        said[-1] = replace(said[-1], sentence=replace(sentence, claims=sentence.claims + needed))
    blocks = _blocks(sheet, said)
    for one, block in _beside(said, blocks):
        for need, plainly in zip(one.found.needs, block["needs"], strict=True):
            plainly["words"] = ladder_words.need_words(need, one.made, names)
        for short, plainly in zip(one.found.shorts, block["shorts"], strict=True):
            plainly["words"] = ladder_words.short_words(short, names)
    return blocks


def _sweep(sheet: Sheet, _: AskLimits) -> list[Told]:
    names, said = Naming.of(sheet.study), []
    swept = [at for at, lane in enumerate(sheet.study.lanes) if not lane.facts.rival]
    for figure, group in _asked(sheet):
        found, made = sweep_of(sheet, figure, group), _made(sheet, figure, group, swept)
        sentence = words.sweep_sentence(found, made, names, sheet.study.method)
        verdict = found.whole.verdict if found.whole and found.shape in ("rising", "falling", "flat") else None
        ends = (found.points[-1].lane, found.points[0].lane) if found.points else None
        tests = tuple(_between(sheet, group, ends, figure)) if ends and ends[0] != ends[1] else ()
        said.append(_Said(figure, group, found, sentence, made, verdict, tests))
    blocks = _blocks(sheet, said)
    for one, block in _beside(said, blocks):
        if one.found.equal_power is not None:
            block["equal_power"]["words"] = words.equal_power_words(one.found, names)
    return blocks


def _grid(sheet: Sheet, _: AskLimits) -> list[Told]:
    names, said = Naming.of(sheet.study), []
    for figure, group in _asked(sheet):
        found, made = grid_of(sheet, figure, group), _made(sheet, figure, group)
        said.append(_Said(figure, group, found, words.grid_sentence(found, made, names, sheet.study.method), made))
    return _blocks(sheet, said)


def _scaling(sheet: Sheet, _: AskLimits) -> list[Told]:
    names, said = Naming.of(sheet.study), []
    stepped = [at for at, lane in enumerate(sheet.study.lanes) if lane.facts.step is not None]
    for figure, group in _asked(sheet):
        found, made = scaling_of(sheet, figure, group), _made(sheet, figure, group, stepped)
        sentence = words.scaling_sentence(found, made, names, sheet.study.method)
        way = next((one for one in sentence.claims if one.says in ("ahead", "behind")), None)
        tests = tuple(
            (step.test or "", step.margin_down, step.verdict)
            for step in found.steps
            if way is not None and (step.to, step.from_) == way.lanes
        )
        said.append(_Said(figure, group, found, sentence, made, way.says if way else None, tests))
    blocks = _blocks(sheet, said)
    for one, block in _beside(said, blocks):
        for part, told in (("steps", words.two_ways), ("suite", words.two_ways), ("modes", words.mode_words)):
            for step, plainly in zip(getattr(one.found, part), block[part], strict=True):
                plainly["words"] = told(step, names)
    return blocks


def _several(sheet: Sheet, limits: AskLimits) -> list[Told]:
    names, said = Naming.of(sheet.study), []
    counted = [at for at, lane in enumerate(sheet.study.lanes) if lane.facts.cards is not None]
    for figure, group in _asked(sheet):
        found, made = several_of(sheet, figure, limits(), group), _made(sheet, figure, group, counted)
        sentence = words.several_sentence(found, made, names, sheet.study.method)
        most = found.suite[-1] if found.suite else None
        tests = tuple(
            (one.test or "", one.margin, one.verdict) for one in found.scaling if most and one.lane == most.lane
        )
        said.append(_Said(figure, group, found, sentence, made, most.verdict if most else None, tests))
    return _blocks(sheet, said)


def _budget(sheet: Sheet, _: AskLimits) -> list[Told]:
    found, study = budget_of(sheet.study), sheet.study
    there = np.zeros((len(study.lanes), len(study.tests)), dtype=np.bool_)
    for one in found.cells:
        there[sheet.lane_at[one.lane], sheet.test_at[one.test]] = one.inside is not None
    made = composed(
        sheet, range(len(study.lanes)), range(len(study.tests)), there,
        lambda lane, test: why_not(sheet, _NO_FRAMES, lane, test),
    )  # fmt: skip
    sentence = words.budget_sentence(found, made, Naming.of(study))
    return _blocks(sheet, [_Said("", None, found, sentence, made)])


#: No rate: of a cell that has passes but no frames, why it does not stand is that it reports none.
_NO_FRAMES = ""


def _proxy(sheet: Sheet, _: AskLimits) -> list[Told]:
    names, figures = Naming.of(sheet.study), leading_figures(sheet.study)
    said = []
    for figure in figures:
        for gauge, made in _gauges(sheet, figure):
            said.append(_Said(gauge.game, None, gauge, words.proxy_sentence([gauge], [made], names), made))
    # Games are answers of their own and not groups of one.
    return [block for one in said for block in _blocks(sheet, [one])]


def _gauges(sheet: Sheet, figure: str) -> list[tuple[Gauge, Composition]]:
    """Every benchmark in a figure, with what it is made of."""
    if figure not in sheet.figure_at:
        return []
    tests = [[sheet.test_at[test] for pair in gauge.benchmarks for test in pair] for gauge in proxy_of(sheet, figure)]
    return [
        (gauge, composition_of(sheet, figure, range(len(sheet.study.lanes)), list(dict.fromkeys(own))))
        for gauge, own in zip(proxy_of(sheet, figure), tests, strict=True)
    ]


def _whole_sentence(sheet: Sheet, sentences: Sequence[Sentence]) -> Sentence | None:
    """The sentence over all: of several benchmarks how many hold, else that of the first block."""
    if sheet.study.kind != "proxy":
        return sentences[0] if sentences else None
    found = next((own for figure in leading_figures(sheet.study) if (own := _gauges(sheet, figure))), [])
    if not found:
        return None
    names = Naming.of(sheet.study)
    sentence = words.proxy_sentence([one for one, _ in found], [made for _, made in found], names)
    return replace(sentence, lacks=lacks_words(Composition.over([made for _, made in found]), names))


_KINDS: Mapping[str, Callable[[Sheet, AskLimits], list[Told]]] = {
    "ladder": _ladder, "sweep": _sweep, "grid": _grid, "scaling": _scaling, "budget": _budget, "several": _several,
    "proxy": _proxy,
}  # fmt: skip
#: Kinds whose first block stands in full under the kind's name, with the `others` in it.
_ONE = ("sweep", "grid", "scaling", "budget", "several")
