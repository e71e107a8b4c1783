"""The numbers of a study that an article may say, each with its words, unit, direction and baseline.

A quote is a number of the study's data package (:mod:`rennbahn.packages.numbers`) under the same name, so that whoever
reads it in an article finds it in the package by that name.
"""

from __future__ import annotations

import json
import math
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from rennbahn.comparing.model import AVERAGE, Study, low_figure
from rennbahn.comparing.sentences import Naming, figure_words, raised, signed
from rennbahn.comparing.verdicts import VERDICTS, verdicts_of_logs
from rennbahn.comparing.words import interval_words
from rennbahn.display import fixed, fps, ms
from rennbahn.measures.rates import LOWS
from rennbahn.packages.numbers import Number, named_numbers

_Names = Mapping[str, Any]
#: A pair of lanes in a group and a figure.
_Suite = tuple[str, str, str, str]
#: How a number is said by its name in the package; what is not here, as a spread or a count of passes, is not quoted.
_SHARES = {"b_over_a", "a_over_b", "margin", "reverse"}
#: The same the other way round.
_REVERSED = {"a_over_b", "reverse"}
_RATES = {"value": "", "fps": "", "processor_ceiling_fps": "Ceiling of the processor"}
_MONEY = {"price", "cost_per_frame"}
_QUOTED = {*_SHARES, *_RATES, *_MONEY, "cost_ms", "watts"}


@dataclass(frozen=True)
class Quote:
    """A number as it is said. `key` is its name in the package, `of` what it is of, `text` the number with its unit.

    `interval` is in words and empty where it has none. `lanes` are ids of the lanes that it is of, where there are two
    the one that is held against first; `tests` those of the tests that take part in it, empty where that is for the
    answer of its kind to say, of the tests of `group`.
    """

    key: str
    of: str
    text: str
    value: float
    interval: str = ""
    verdict: str = ""
    lanes: tuple[str, ...] = ()
    tests: tuple[str, ...] = ()
    group: str = ""


def quotes_of(study: Study, currency: str = "") -> tuple[Quote, ...]:
    """Every number of a study that can be quoted: of the suite first, then of single tests, then levels and money.

    `study` names the pairs to compare; `currency` is what its prices are in.
    """
    speaker = _Speaker(study, currency)
    numbers = list(named_numbers(study, speaker.may_be_quoted))
    speaker.learn(numbers)
    found = filter(None, (speaker.quote(names, number) for names, number in numbers))
    # What stands in several places of an answer is quoted from the first.
    once: dict[str, tuple[bool, Quote]] = {}
    for single, quote in found:
        once.setdefault(quote.of, (single, quote))
    in_order = sorted(once.values(), key=lambda one: (one[0], len(one[1].lanes) < 2))
    return tuple(quote for _, quote in in_order)


def is_of_money(key: str) -> bool:
    """Whether a quote of that key depends on prices."""
    return json.loads(key).get("number") in _MONEY


class _Speaker:
    """Says the numbers of one study."""

    def __init__(self, study: Study, currency: str) -> None:
        self.currency, self.names = currency, Naming.of(study)
        method = study.method
        self.figures = {AVERAGE, *(low_figure(low, method.low_school) for low in LOWS)}
        self.suite_school, self.band = method.suite_school, method.equal_band
        self.groups = {test.id: test.group for test in study.tests}
        self.tests = _told_apart(self.names.tests, self.groups)
        self._ends: dict[_Suite, dict[str, float]] = {}
        self._parts: dict[_Suite, list[str]] = {}

    def may_be_quoted(self, names: _Names) -> bool:
        """Whether a number of these names may be quoted, or is an end of an interval that is."""
        name, of = names.get("number"), names["of"]
        if of[:1] == ["compare"]:
            suite = name == self.suite_school and of[-1] == "margins"
            return (suite or self._is_end(names) or name in ("b_over_a", "a_over_b")) and self._led(names)
        return name in _QUOTED and self._led(names)

    def learn(self, numbers: Sequence[tuple[_Names, Number]]) -> None:
        """Keep what stands beside the margins of suites: the ends of their intervals, and the tests with a margin."""
        for names, number in numbers:
            if number.value is None or names["of"][:1] != ["compare"]:
                continue
            if self._is_end(names):
                self._ends.setdefault(self._suite(names), {})[names["number"]] = number.value
            elif names.get("number") == "b_over_a":
                self._parts.setdefault(self._suite(names), []).append(names["test"])

    def quote(self, names: _Names, number: Number) -> tuple[bool, Quote] | None:
        """The number as it is said, and whether it is of a single test; None of what nobody quotes."""
        if number.value is None or self._is_end(names):
            return None
        said = self._of_pair(names, number) if "a" in names and "b" in names else self._of_lane(names, number)
        return None if said is None else ("test" in names, said)

    def _of_pair(self, names: _Names, number: Number) -> Quote | None:
        """A margin of two lanes in a test, or over the suite."""
        of, name, value = names["of"], names.get("number", ""), number.value
        if value is None or not (name in _SHARES or (of[-1] == "margins" and "suite" in of)):
            return None
        low, high, verdict, tests = number.low, number.high, number.verdict, self._test(names)
        if of[-1] == "margins":
            ends = self._ends.get(self._suite(names), {})
            low, high, tests = ends.get("low"), ends.get("high"), tuple(self._parts.get(self._suite(names), ()))
            verdict = self._verdict(low, high)
        a, b = names["a"], names["b"]
        if name in _REVERSED:
            # Its ends and its word are those of the way that leads here.
            a, b, low, high, verdict = b, a, None, None, ""
        return Quote(
            number.what, f"{raised(self._figure(names))}: {self.names[b]} over {self.names[a]}{self._where(names)}",
            signed(value), value, "" if low is None or high is None else interval_words((low, high)),
            verdict if verdict in VERDICTS else "", (a, b), tests, self._group(names),
        )  # fmt: skip

    def _of_lane(self, names: _Names, number: Number) -> Quote | None:
        """A rate, a price, a power or a cost of one lane, or of one lane over another."""
        name, value = names.get("number", ""), number.value
        lanes = tuple(names[key] for key in ("from", "to", "lane") if names.get(key) in self.names.lanes)
        if value is None or not lanes:
            return None
        who, where, figure = self.names[lanes[-1]], self._where(names), self._figure(names)
        interval = ""
        if name == "price":
            said, text = f"Price of {who}", f"{fixed(value, 0)} {self.currency}"
        elif name == "cost_per_frame":
            said, text = f"Cost of a frame a second in {figure}, {who}{where}", f"{fixed(value, 2)} {self.currency}"
        elif name == "watts":
            said, text = f"Power of {who}{where}", f"{fixed(value, 0)} W"
        elif name == "cost_ms":
            step = f" over {self.names[lanes[0]]}" if len(lanes) > 1 else " over native"
            said, text, interval = f"Cost of {who}{step} a frame, by {figure}{where}", f"{ms(value)} ms", "ms"
        elif name in _RATES:
            said, text, interval = f"{_RATES[name] or raised(figure)} of {who}{where}", f"{fps(value)} fps", "fps"
        else:
            return None
        if name in _MONEY and not self.currency:
            return None
        # Beside the level of a cell stand its lowest and its highest pass, which are no interval.
        low, high = (number.low, number.high) if names["of"][:1] != ["cells"] else (None, None)
        ends = "" if not interval or low is None or high is None else _ends(low, high, interval)
        return Quote(
            number.what, said, text, value, ends, "", lanes, self._test(names), self._group(names)
        )  # fmt: skip

    def _is_end(self, names: _Names) -> bool:
        """Whether a number is an end of the interval of a suite."""
        return names.get("number") in ("low", "high") and names["of"][-2:] == ["measured", self.suite_school]

    def _led(self, names: _Names) -> bool:
        """Whether a number is of a figure of the study's own school: of the others only agreement is told."""
        figure = self._figure_key(names)
        return figure == "" or figure in self.figures

    def _figure_key(self, names: _Names) -> str:
        """The figure with its school; empty where none is named, as beside the answers of a kind."""
        told = names.get("figure")
        if isinstance(told, str):
            return told if told == AVERAGE or told in self.figures else ""
        path = (one for one in names["of"] if isinstance(one, str))
        return next((one for one in path if one == AVERAGE or one.startswith("low_")), "")

    def _figure(self, names: _Names) -> str:
        return figure_words(self._figure_key(names) or names.get("figure") or AVERAGE)

    def _test(self, names: _Names) -> tuple[str, ...]:
        test = names.get("test")
        return (test,) if isinstance(test, str) and test in self.tests else ()

    def _group(self, names: _Names) -> str:
        of = names["of"]
        named = of[of.index("groups") + 1] if "groups" in of else names.get("group")
        return named if isinstance(named, str) else ""

    def _where(self, names: _Names) -> str:
        """In which test, or that it is of the suite, and of which group."""
        for test in self._test(names):
            return f" in {self.tests[test]}{self.names.at(self.groups.get(test))}"
        return f", suite{self.names.at(self._group(names))}"

    def _suite(self, names: _Names) -> _Suite:
        return names["a"], names["b"], self._group(names), self._figure_key(names)

    def _verdict(self, low: float | None, high: float | None) -> str:
        if low is None or high is None:
            return ""
        return VERDICTS[int(verdicts_of_logs(math.log1p(low), math.log1p(high), self.band))]


def _ends(low: float, high: float, unit: str) -> str:
    say = fps if unit == "fps" else ms
    return f"{say(low)} to {say(high)} {unit}"


def _told_apart(tests: Mapping[str, str], groups: Mapping[str, str]) -> dict[str, str]:
    """Names of tests, with their ids where two of a group share one."""
    shared = Counter((name, groups.get(test)) for test, name in tests.items())
    return {test: name if shared[name, groups.get(test)] == 1 else f"{name} ({test})" for test, name in tests.items()}
