"""The numbers of a study that an article may say, each with its words, unit, direction and baseline.

A quote is a number of the study's data package (:mod:`rennbahn.packages.numbers`) under the same name, so that whoever
reads it in an article finds it in the package by that name.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from rennbahn.comparing.model import AVERAGE, Study, low_figure
from rennbahn.comparing.sentences import Naming, figure_words, raised, signed
from rennbahn.comparing.verdicts import VERDICTS
from rennbahn.comparing.words import interval_words
from rennbahn.display import fixed, fps, ms
from rennbahn.measures.rates import LOWS
from rennbahn.packages.numbers import Number, named_numbers

#: How a number is said by its name in the package; what is not here, as a spread or a count of passes, is not quoted.
_SHARES = {"b_over_a", "a_over_b", "margin", "reverse"}
#: The same the other way round.
_REVERSED = {"a_over_b", "reverse"}
_RATES = {"value", "fps", "processor_ceiling_fps"}
_MONEY = {
    "price": "price",
    "cost_per_frame": "cost of a frame a second",
    "cost_per_extra_frame": "cost of a further one",
}
_OTHERS: dict[str, tuple[str, Callable[[float], str]]] = {
    "cost_ms": ("cost a frame", lambda value: f"{ms(value)} ms"),
    "watts": ("power", lambda value: f"{fixed(value, 0)} W"),
}


@dataclass(frozen=True)
class Quote:
    """A number as it is said. `key` is its name in the package, `of` what it is of, `text` the number with its unit.

    `interval` is in words and empty where it has none; `lanes` and `tests` are ids of what it stands on, where the
    passes of a pair of lanes count in all tests of `group` when `tests` is empty.
    """

    key: str
    of: str
    text: str
    value: float
    interval: str = ""
    verdict: str = ""
    lanes: tuple[str, ...] = ()
    tests: tuple[str, ...] = ()


def quotes_of(study: Study, currency: str = "") -> tuple[Quote, ...]:
    """Every number of a study that can be quoted: of the suite first, then of single tests, then levels and money.

    `study` names the pairs to compare; `currency` is what its prices are in.
    """
    speaker = _Speaker(study, currency)
    numbers = list(named_numbers(study, speaker.may_be_quoted))
    speaker.learn(numbers)
    found = filter(None, (speaker.quote(names, number) for names, number in numbers))
    # What stands in several places of an answer is quoted from the first.
    once: dict[tuple[str, str], Quote] = {}
    for quote in found:
        once.setdefault((quote.of, quote.text), quote)
    return tuple(sorted(once.values(), key=lambda one: (bool(one.tests), len(one.lanes) < 2)))


class _Speaker:
    """Says the numbers of one study."""

    def __init__(self, study: Study, currency: str) -> None:
        self.study, self.currency, self.names = study, currency, Naming.of(study)
        method = study.method
        self.figures = {AVERAGE, *(low_figure(low, method.low_school) for low in LOWS)}
        self.suite_school = method.suite_school
        self.groups = {test.id: test.group for test in study.tests}
        self._ends: dict[tuple[str, str, str, str], dict[str, float]] = {}

    def may_be_quoted(self, names: Mapping[str, Any]) -> bool:
        """Whether a number of these names may be quoted, or is an end of an interval that is."""
        name, of = names.get("number"), names["of"]
        if of[:1] == ["compare"]:
            suite = name == self.suite_school and of[-1] == "margins"
            end = name in ("low", "high") and of[-2:] == ["measured", self.suite_school]
            return (suite or end or name in ("b_over_a", "a_over_b")) and self._led(names)
        return (name in _SHARES or name in _RATES or name in _MONEY or name in _OTHERS) and self._led(names)

    def learn(self, numbers: Sequence[tuple[Mapping[str, Any], Number]]) -> None:
        """Keep the ends of suite intervals, which stand beside their margins."""
        for names, number in numbers:
            of = names["of"]
            if of[:1] != ["compare"] or "measured" not in of or number.value is None:
                continue
            if of[-2:] == ["measured", self.suite_school] and names.get("number") in ("low", "high"):
                self._ends.setdefault(self._suite(names), {})[names["number"]] = number.value

    def quote(self, names: Mapping[str, Any], number: Number) -> Quote | None:
        """The number as it is said; None of what nobody quotes."""
        if number.value is None or not self._led(names):
            return None
        name, of = names.get("number", ""), names["of"]
        key, value = number.what, number.value
        if of[:1] == ["compare"]:
            return self._margin(names, number)
        lane = names.get("lane", "")
        tests = tuple(filter(None, (names.get("test"),)))
        if name in _SHARES and "a" in names and "b" in names:
            ends = (number.low, number.high) if name not in _REVERSED else (None, None)
            return self._pair(key, names, value, ends, number.verdict, name in _REVERSED, tests)
        if lane not in self.names.lanes:
            return None
        said = self._of_lane(names, number)
        return said and Quote(key, said[0], said[1], value, said[2], "", (lane,), tests)

    def _of_lane(self, names: Mapping[str, Any], number: Number) -> tuple[str, str, str] | None:
        """What a number of one lane is of, the number, its interval."""
        name, value = names.get("number", ""), number.value
        assert value is not None
        of_lane = f"{self.names[names['lane']]}{self._where(names)}"
        if name in _RATES:
            figure = self._figure(names) if name != "processor_ceiling_fps" else "ceiling of the processor"
            low, high = number.low, number.high
            interval = "" if low is None or high is None else f"{fps(low)} to {fps(high)} fps"
            return f"{raised(figure)} of {of_lane}", f"{fps(value)} fps", interval
        if name in _MONEY and self.currency:
            text = f"{fixed(value, 0 if name == 'price' else 2)} {self.currency}"
            return f"{raised(_MONEY[name])}, {of_lane}", text, ""
        if name in _OTHERS:
            words, say = _OTHERS[name]
            return f"{raised(words)}, {of_lane}", say(value), ""
        return None

    def _margin(self, names: Mapping[str, Any], number: Number) -> Quote | None:
        """A margin of two lanes in a test, or over the suite."""
        of, name, value = names["of"], names.get("number", ""), number.value
        assert value is not None
        if "tests" in of and name in ("b_over_a", "a_over_b"):
            ends = (number.low, number.high) if name == "b_over_a" else (None, None)
            return self._pair(number.what, names, value, ends, number.verdict, name == "a_over_b", (names["test"],))
        if of[-1] == "margins" and "suite" in of and name == self.suite_school:
            ends_of = self._ends.get(self._suite(names), {})
            ends = (ends_of.get("low"), ends_of.get("high"))
            return self._pair(number.what, names, value, ends, _side(*ends), False, ())
        return None

    def _pair(
        self,
        key: str,
        names: Mapping[str, Any],
        value: float,
        ends: tuple[float | None, float | None],
        verdict: str,
        reverse: bool,
        tests: tuple[str, ...],
    ) -> Quote:
        a, b = (names["b"], names["a"]) if reverse else (names["a"], names["b"])
        low, high = ends
        interval = "" if low is None or high is None else interval_words((low, high))
        said = f"{raised(self._figure(names))}: {self.names[b]} over {self.names[a]}{self._where(names)}"
        word = verdict if verdict in VERDICTS else ""
        return Quote(key, said, signed(value), value, interval, word, (a, b), tests)

    def _led(self, names: Mapping[str, Any]) -> bool:
        """Whether a number is of a figure of the study's own school: of the others only agreement is told."""
        figure = self._figure_key(names)
        return figure == "" or figure in self.figures

    def _figure_key(self, names: Mapping[str, Any]) -> str:
        told = names.get("figure")
        if isinstance(told, str):
            return told if told == AVERAGE or told.count(".") > (1 if told.startswith("low_0.") else 0) else ""
        return next(
            (one for one in names["of"] if isinstance(one, str) and (one == AVERAGE or one.startswith("low_"))), ""
        )

    def _figure(self, names: Mapping[str, Any]) -> str:
        return figure_words(self._figure_key(names) or names.get("figure") or AVERAGE)

    def _where(self, names: Mapping[str, Any]) -> str:
        """In which test, or over the tests of which group."""
        test = names.get("test")
        if isinstance(test, str) and test in self.names.tests:
            return f" in {self.names.tests[test]}{self.names.at(self.groups.get(test))}"
        of = names["of"]
        group = of[of.index("groups") + 1] if "groups" in of else names.get("group")
        return self.names.at(group) if isinstance(group, str) else ""

    def _suite(self, names: Mapping[str, Any]) -> tuple[str, str, str, str]:
        of = names["of"]
        group = str(of[of.index("groups") + 1]) if "groups" in of else ""
        return names["a"], names["b"], group, self._figure_key(names)


def _side(low: float | None, high: float | None) -> str:
    """On which side of nothing an interval lies, as a verdict says it."""
    if low is None or high is None:
        return ""
    return "ahead" if low > 0 else "behind" if high < 0 else "open"
