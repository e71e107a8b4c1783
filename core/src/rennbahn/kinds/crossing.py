"""A rate that is wanted of two lanes: which tests take it across, since only one of the two holds it there."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from rennbahn.comparing.cells import Sheet
from rennbahn.comparing.model import AVERAGE
from rennbahn.comparing.sentences import Naming, figure_words, raised, some, tests_words
from rennbahn.display import fixed
from rennbahn.kinds.fit import Fit, group_tests, of_figure
from rennbahn.kinds.holding import ABOVE, BELOW, side_of


@dataclass(frozen=True)
class Crossing:
    """Two lanes against a rate in fps, test by test, by ids: in which only a, or only b, surely holds it and the other
    surely does not; both, neither; on the `edge` where that is not shown of one of them; `missing` without a rate.
    """

    a: str
    b: str
    target: float
    group: str | None
    figure: str
    only_a: tuple[str, ...]
    only_b: tuple[str, ...]
    both: tuple[str, ...]
    neither: tuple[str, ...]
    edge: tuple[str, ...]
    missing: tuple[str, ...]


def crossing_of(sheet: Sheet, pair: tuple[str, str], figure: str, target: float, group: str | None = None) -> Crossing:
    """Which tests a wanted rate parts two lanes in; each lane's interval is its own, at the study's level."""
    fit = Fit(sheet, figure, [sheet.lane_at[lane] for lane in pair], group_tests(sheet, group))
    found: dict[str, list[str]] = {name: [] for name in ("only_a", "only_b", "both", "neither", "edge", "missing")}
    for at, (a, b) in enumerate(zip(*fit.cells(), strict=True)):
        sides = side_of(a, target), side_of(b, target)
        name = "missing" if None in sides else _WORDS.get((str(sides[0]), str(sides[1])), "edge")
        found[name].append(sheet.study.tests[fit.tests[at]].id)
    return Crossing(*pair, target, group, of_figure(figure), *(tuple(ids) for ids in found.values()))


_WORDS = {(ABOVE, BELOW): "only_a", (BELOW, ABOVE): "only_b", (ABOVE, ABOVE): "both", (BELOW, BELOW): "neither"}


def crossing_words(found: Crossing, names: Naming) -> str:
    """What a wanted rate parts, in a sentence that names the tests; no verb has to agree with the name of a lane."""
    what = "on average" if found.figure == AVERAGE else f"in the {figure_words(found.figure)}"
    rate = f"{fixed(found.target, 1).removesuffix('.0')} fps {what}{names.at(found.group)}"
    told = sum(len(getattr(found, part)) for part in ("only_a", "only_b", "both", "neither", "edge"))
    if not told:
        return f"{rate}: no test has a rate in both lanes."
    crossing = [
        f"held by {names[lane]} alone in {len(tests)} of {tests_words(told)} ({some([names.tests[x] for x in tests])})"
        for lane, tests in ((found.b, found.only_b), (found.a, found.only_a))
        if tests
    ]
    rest = _rest(found)
    first = " and ".join(crossing) if crossing else "no test is shown to part the lanes there"
    return f"{raised(rate)}: {first}; {rest}." if rest else f"{raised(rate)}: {first}."


def _rest(found: Crossing) -> str:
    parts: Sequence[tuple[str, tuple[str, ...]]] = (
        ("both hold it in", found.both), ("neither does in", found.neither), ("on the edge in", found.edge),
        ("no rate in one of them in", found.missing),
    )  # fmt: skip
    return ", ".join(f"{words} {len(tests)}" for words, tests in parts if tests)
