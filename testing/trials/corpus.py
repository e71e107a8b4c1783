"""All words that people copy: sentences of incomplete studies of every kind, doubts, verdicts and reasons.

Sentences that differ in names and numbers alone are one, told by an example: few enough to be read aloud.
"""

from __future__ import annotations

import re
from collections.abc import Iterator

import numpy as np
from rennbahn.checks import CHECKS, doubts_of
from rennbahn.checks.words import check_words
from rennbahn.comparing.cells import Sheet
from rennbahn.comparing.model import AVERAGE, Method
from rennbahn.comparing.sentences import MISSING_WORDS, Naming
from rennbahn.comparing.verdicts import VERDICTS
from rennbahn.comparing.words import REASON_WORDS, no_drift_words
from rennbahn.kinds import answer_of
from rennbahn.kinds.crossing import crossing_of, crossing_words
from rennbahn.kinds.holding import holding_words
from rennbahn.kinds.reader_words import cheapest_words, lane_words, reader_sentence, reader_words, test_words
from rennbahn.kinds.readers import Reader, for_reader
from rennbahn.planning.fairness import REQUIRED
from rennbahn.planning.lengths import RECKONED_S
from rennbahn.planning.schedule import PlannedTest
from rennbahn.planning.words import length_words

from trials.doubts import FAULTS, GENERATORS, PlantedIn
from trials.incomplete import KINDS, drawn
from trials.sentences import said

#: Readers of every temper, each asked about every study.
READERS = (
    Reader("Somebody at 60", 60.0, variable=False, floor_fps=60.0),
    Reader(
        "Somebody who counts",
        144.0,
        variable=True,
        floor_fps=70.0,
        floor_on="low_1",
        price_per_kwh=0.3,
        budget=450.0,
        currency="EUR",
    ),
)


#: Why no drift is taken off: what is wrong with the hours, and how many passes say none.
_DRIFT = (("", (0, 0)), ("overlap", (0, 9)), ("unknown", (1, 9)), ("unknown", (3, 9)), ("unknown", (9, 9)))


def corpus(studies: int, seed: int = 1) -> dict[str, list[str]]:
    """Sentences by where they stand, each once whatever its names and numbers, in the order in which they are met."""
    found: dict[str, dict[str, str]] = {}
    for where, text in _all(studies, seed):
        if text:
            found.setdefault(where, {}).setdefault(shape_of(text), text)
    return {where: list(texts.values()) for where, texts in found.items()}


def shape_of(text: str) -> str:
    """A sentence without its names and numbers; one and several of something are two shapes.

    >>> shape_of("Lane A: 3.4% ahead of Lane B in 12 games.") == shape_of("Lane C: 5% ahead of Lane D in 9 games.")
    True
    """
    plain = re.sub(
        r"\b(Lane|Game|Scene|preset|group) \w+\b", lambda one: one.group(1).title(), text, flags=re.IGNORECASE
    )
    plain = re.sub(r"\b(C\d|K\d)\b", "Level", plain)
    plain = re.sub(r"\b(Lane|Game|Level)((, | and | or |, and )\1)+\b", r"\1 and \1", plain)
    return re.sub(r"[−+±]?\d[\d.,]*\b", lambda one: "1" if one.group() == "1" else "#", plain)


def _all(studies: int, seed: int) -> Iterator[tuple[str, str]]:
    for kind in KINDS:
        rng = np.random.default_rng([seed, KINDS.index(kind)])
        for number in range(studies):
            yield from _of_study(kind, Sheet(drawn(kind, rng, number).study))
    yield from _of_checks(studies, seed)
    yield from _constant()


def _of_study(kind: str, sheet: Sheet) -> Iterator[tuple[str, str]]:
    names = Naming.of(sheet.study)
    for sentence, _ in said(sheet):
        yield f"{kind}: first sentence", sentence.text
    if kind != "a_b":
        for block in answer_of(sheet).blocks:
            for part in ("needs", "shorts", "steps", "pairs", "against_rivals"):
                for one in block.get(part) or ():
                    if isinstance(one, dict) and one.get("words"):
                        yield f"{kind}: {part}", one["words"]
    else:
        for target in (55.0, 75.0):
            yield "a rate wanted", crossing_words(crossing_of(sheet, ("0", "1"), AVERAGE, target), names)
    group = sheet.study.groups[0] if sheet.study.groups else ""
    for reader in READERS:
        found = for_reader(sheet, reader, ("0", "1"), group)
        yield "for a reader", reader_words(reader)
        yield "for a reader: first sentence", reader_sentence(found, names, of_all=kind == "ladder").text
        yield "for a reader: cheapest", cheapest_words(found, names)
        for test in found.tests:
            yield "for a reader: a test", test_words(test, found, names)
        for lane in found.lanes:
            yield "for a reader: a lane", lane_words(lane, found, names)


def _of_checks(studies: int, seed: int) -> Iterator[tuple[str, str]]:
    for number in range(max(1, studies // 20)):
        for generator in GENERATORS:
            study = PlantedIn(np.random.default_rng([seed, number]), GENERATORS[generator], 3)
            for fault in FAULTS:
                changed, *_ = study.planted(fault)
                for doubt in doubts_of(changed, [fault.check]):
                    yield f"doubt: {check_words(doubt.check)}", doubt.words


def _constant() -> Iterator[tuple[str, str]]:
    for check in CHECKS:
        yield "what checks ask", check.asks
    for words in VERDICTS:
        yield "verdicts", words
    for words in (*REASON_WORDS.values(), *MISSING_WORDS.values()):
        yield "reasons", words
    for trouble, unsaid in _DRIFT:
        yield "no drift taken off", no_drift_words(Method(drift_allowance=0.005 if trouble else 0.0), trouble, unsaid)
    for may_miss in (None, 0, 1, 2):
        yield "holding a rate", holding_words(may_miss, 12)
    for required in {one.label for kind in REQUIRED.values() for one in kind}:
        yield "what lanes should say", required
    tests = [PlannedTest(str(at), f"Game {'PQ'[at]}", "run", length_s=RECKONED_S, length_known=False) for at in (0, 1)]
    yield "lengths", length_words(tests[:1])
    yield "lengths", length_words(tests)
