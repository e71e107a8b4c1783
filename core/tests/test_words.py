"""The words of verdicts as a corpus: every sentence that people copy reads as one."""

from __future__ import annotations

import re

import pytest
from trials.corpus import corpus, shape_of

#: What no sentence holds: each was in one once.
FAULTS = {
    "one of several": r"(?<![\d.,])1 (tests|games|lanes|passes|steps|benchmarks|cards|stutters|scenes)\b",
    "several of one": r"(?<![\d.,])([2-9]|\d\d+) (test|game|lane|pass|step|benchmark|stutter|scene)\b(?! )",
    "a space too much": r"  | [.,;:)]|\( ",
    "a sign too much": r"\.\.|,,|;;|, \.|\(\)",
    "a verb twice": r"\b(\w+) \1\b(?<!had had)",
    "an interval of no width": r"interval (?:of \d+ steps at once )?([−+]?[\d.]+%?) to \1(?![\d.])",
    "a capital in the middle": r"[a-z,] (It|What|Whether|Beyond|Best|Average|No|Nothing)\b(?! of)",
    "a capital in brackets": r"\((It|What|Whether|Beyond|Best|Average)\b",
    "no English": r"to mind|off siblings|all the same|does depends|does does",
    "more tests for lanes": r"Lane \w and \d+ more tests",
    "certain of what is not": r"the machine throttles",
    "nothing in it": r"\bNone\b|\bnan\b|\binf\b|_",
}


@pytest.fixture(scope="module")
def words() -> dict[str, list[str]]:
    return corpus(4, seed=3)


def test_the_corpus_holds_every_kind_and_every_check(words: dict[str, list[str]]) -> None:
    kinds = {where.split(":")[0] for where in words if where.endswith("first sentence")}
    assert kinds == {"a_b", "ladder", "sweep", "grid", "scaling", "budget", "several", "proxy", "for a reader"}
    assert sum(where.startswith("doubt: ") for where in words) >= 14
    assert sum(map(len, words.values())) > 150


@pytest.mark.parametrize("fault", FAULTS)
def test_no_sentence_has_a_fault_that_one_once_had(words: dict[str, list[str]], fault: str) -> None:
    sentences = [text for texts in words.values() for text in texts]
    assert [text for text in sentences if re.search(FAULTS[fault], text)] == []


def test_sentences_begin_and_end_as_such(words: dict[str, list[str]]) -> None:
    whole = [
        text
        for where, texts in words.items()
        if where.endswith("first sentence") or where.startswith(("doubt", "a rate", "no drift", "lengths"))
        for text in texts
    ]
    assert [text for text in whole if not text.endswith((".", "?"))] == []
    assert [text for text in whole if not re.match(r"[A-Z0-9]|lane \d", text)] == []
    assert [text for text in whole if text.count("(") != text.count(")")] == []


def test_shapes_tell_sentences_apart_by_more_than_names_and_numbers() -> None:
    assert shape_of("Lane A: 3.4% ahead of Lane B.") == shape_of("Lane C: 12% ahead of Lane D.")
    assert shape_of("1 test of Lane A") != shape_of("2 tests of Lane A")
    assert shape_of("Game P, Game Q and Game R") == shape_of("Game P and Game S")
