"""What of another study may stand beside this one's: results of the same figures, in the same tests."""

from __future__ import annotations

from collections.abc import Hashable, Iterable, Mapping
from typing import Any, TypeVar

#: What of a method decides what a figure is: under another one it is not the same figure.
DECIDES = ("low_school", "cell_school", "target_hz")

T = TypeVar("T")


def other_figures(mine: Mapping[str, Any], theirs: Mapping[str, Any]) -> str | None:
    """The first setting by which the figures of two methods are not the same figures; None where they are.

    >>> other_figures({"low_school": "percentile", "cell_school": "mean", "target_hz": 60.0},
    ...               {"low_school": "percentile", "cell_school": "mean", "target_hz": 90.0})
    'target_hz'
    """
    return next((name for name in DECIDES if mine[name] != theirs[name]), None)


def same_tests(mine: Iterable[tuple[Hashable, T]], theirs: Iterable[tuple[Hashable, T]]) -> list[tuple[T, T]]:
    """Tests of two studies that are the same one, in the order of the first.

    Each comes with what it is: the version of its scene and its condition, so that one described anew is another test.

    >>> same_tests([(("harbour, 1", "1440 high"), "a")], [(("harbour, 2", "1440 high"), "b")])
    []
    """
    known = dict(theirs)
    return [(test, known[what]) for what, test in mine if what in known]
