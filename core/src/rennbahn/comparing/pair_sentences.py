"""The answer of two lanes in full: their suite in a sentence, what its mean hides, other groups, what it lacks."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from rennbahn.comparing.cells import Sheet
from rennbahn.comparing.composition import Composition, composition_of
from rennbahn.comparing.sentences import Claim, Naming, Sentence, but_words, lacks_words, otherwise_words
from rennbahn.comparing.study import Block
from rennbahn.comparing.suite import Suite
from rennbahn.comparing.words import suite_sentence


def pair_sentence(block: Block, figure: str, names: Naming, elsewhere: Mapping[str, Block] | None = None) -> Sentence:
    """The sentence on the first pair of a block in one figure; `elsewhere` are blocks of other groups, by group."""
    own = _alone(block, figure, names)
    others = [(group, _alone(other, figure, names)) for group, other in (elsewhere or {}).items()]
    return replace(own, otherwise=otherwise_words(own, others, names))


def pair_composition(block: Block, figure: str) -> Composition:
    """Which tests of a block its first pair is compared in, and why not in the others."""
    return composition_of(block.sheet, figure, block.pairing.lanes_at[0].tolist(), block.pairing.tests.tolist())


def _alone(block: Block, figure: str, names: Naming) -> Sentence:
    sheet, (a, b) = block.sheet, block.pairs[0]
    made = pair_composition(block, figure)
    there = figure in sheet.figure_at
    suite = block.suite(figure) if there else Suite(0, ())
    sentence = suite_sentence(suite, sheet.study.method, figure, names[a], names[b], names.at(block.group))
    margins = block.margins(figure) if there and suite.tests else []
    tests = [(one.test, one.b_over_a, _shown(one.verdict, one.could_be_chance)) for one in margins if not one.left_out]
    return replace(
        sentence,
        but=but_words(suite.verdict, tests, names),
        lacks=lacks_words(made, names),
        claims=_claims(suite, sheet, figure, block, made),
    )


def _shown(verdict: str, by_chance: bool | None) -> str | None:
    """A test's verdict, where it is not one of many that chance alone would give."""
    return None if by_chance else verdict


def _claims(suite: Suite, sheet: Sheet, figure: str, block: Block, made: Composition) -> tuple[Claim, ...]:
    a, b = block.pairs[0]
    if suite.verdict is None or suite.measured is None or suite.verdict == "open":
        return () if suite.verdict is None else (Claim("open", (b, a), made.tests, figure, block.group),)
    low, high = suite.measured[sheet.study.method.suite_school].interval or (None, None)
    return (Claim(suite.verdict, (b, a), made.tests, figure, block.group, low=low, high=high),)


def pair_sentences(sheet: Sheet, pair: tuple[str, str], figures: tuple[str, ...]) -> dict[str, list[Sentence]]:
    """The sentences on a pair in some figures, by group; of a study without groups under one without a name."""
    names = Naming.of(sheet.study)
    groups = sheet.study.groups if len(sheet.study.groups) > 1 else ("",)
    blocks = {group: Block(sheet, (pair,), group or None) for group in groups}
    return {
        group: [
            pair_sentence(block, figure, names, {key: other for key, other in blocks.items() if key != group})
            for figure in figures
            if figure in sheet.figure_at
        ]
        for group, block in blocks.items()
    }
