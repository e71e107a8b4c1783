"""Sums that a reviewer does on the back of an envelope, each with its formula and the numbers in it.

Formulas are those of docs/measures.md, section 7, computed where they always are; here they get names and words.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from rennbahn.display import fixed
from rennbahn.errors import RennbahnError
from rennbahn.worth import gpu_bandwidth, memory, ownership, pcie

#: No number of the trade lies beyond these: what does is a slip, and its sum is no number any more.
_LEAST, _MOST = 1e-9, 1e8


@dataclass(frozen=True)
class Asked:
    """A number that a sum is made of: its name, what it is, its bounds, and what it is taken for where nobody says."""

    name: str
    words: str
    whole: bool = False
    usual: float | None = None
    zero: bool = False


@dataclass(frozen=True)
class Line:
    """What comes out: in words, as a number in its unit, and how (the formula with the numbers in it)."""

    words: str
    value: float
    unit: str
    how: str


@dataclass(frozen=True)
class Sum:
    """A sum by its name."""

    name: str
    words: str
    of: tuple[Asked, ...]
    lines: Callable[[Mapping[str, float]], tuple[Line, ...]]


def sum_named(name: str) -> Sum:
    """A sum. Raises :class:`RennbahnError` (`unknown_sum`), naming those that there are."""
    found = next((one for one in SUMS if one.name == name), None)
    if found is None:
        raise RennbahnError("unknown_sum", f"there is no sum {name}; there are {', '.join(x.name for x in SUMS)}")
    return found


def lines_of(one: Sum, told: Mapping[str, float]) -> tuple[Line, ...]:
    """What a sum comes to. Raises :class:`RennbahnError` (`bad_sum`) naming the number that is wrong or missing."""
    strange = next((name for name in told if name not in {asked.name for asked in one.of}), None)
    if strange is not None:
        known = ", ".join(asked.name for asked in one.of)
        raise RennbahnError("bad_sum", f"{one.name} asks for no {strange}, but for {known}", field=strange)
    values = {}
    for asked in one.of:
        value = told.get(asked.name, asked.usual)
        if value is None:
            message = f"{one.name} needs {asked.name}: {asked.words}"
            raise RennbahnError("bad_sum", message, field=asked.name)
        wrong = not value >= 0 or (value == 0 and not asked.zero) or (asked.whole and value % 1 != 0)
        if wrong:
            bound = "a whole number above 0" if asked.whole else "no less than 0" if asked.zero else "above 0"
            raise RennbahnError("bad_sum", f"{asked.name} must be {bound} (got {value:g})", field=asked.name)
        if not (value == 0 or _LEAST <= value <= _MOST):
            message = f"{asked.name} must lie between {_LEAST:g} and {_MOST:g} (got {value:g})"
            raise RennbahnError("bad_sum", message, field=asked.name)
        values[asked.name] = value
    return one.lines(values)


def _memory(of: Mapping[str, float]) -> tuple[Line, ...]:
    cl, rate, channels = int(of["cl"]), of["rate"], int(of["channels"])
    found = memory(cl, rate, channels)
    return (
        Line("first word after", found.first_word_ns, "ns", f"2000 × {cl} / {rate:g}"),
        Line("at most", found.peak_gb_per_s, "GB/s", f"{channels} × 8 × {rate:g} / 1000"),
    )


def _refresh(of: Mapping[str, float]) -> tuple[Line, ...]:
    busy, every = of["busy"], of["every"]
    share = busy / every
    return (
        Line("refreshing for", 100.0 * share, "% of the time", f"{busy:g} / {every:g}"),
        Line("left of the bandwidth", 100.0 * (1.0 - share), "%", f"1 − {busy:g} / {every:g}"),
    )


def _link(of: Mapping[str, float]) -> tuple[Line, ...]:
    generation, lanes, asks = int(of["generation"]), int(of["lanes"]), of["asks"]
    gives = pcie(generation, lanes)
    one = Line("one way", gives, "GB/s", f"{lanes} lanes × {pcie(generation, 1):.4g}")
    if not asks:
        return (one,)
    return one, Line("the link gives", 100.0 * gives / asks, "% of what is asked", f"{gives:.4g} / {asks:g}")


def _card_memory(of: Mapping[str, float]) -> tuple[Line, ...]:
    bits, pin = int(of["bits"]), of["gbit"]
    return (Line("at most", gpu_bandwidth(bits, pin), "GB/s", f"{bits} / 8 × {pin:g}"),)


def _budget(of: Mapping[str, float]) -> tuple[Line, ...]:
    price, whole = of["price"], of["whole"]
    return (
        Line("of the budget", 100.0 * price / whole, "%", f"{price:g} / {whole:g}"),
        Line("left for all else", whole - price, "", f"{whole:g} − {price:g}"),
    )


def _energy(of: Mapping[str, float]) -> tuple[Line, ...]:
    watts, hours, price = of["watts"], of["hours"], of["price"]
    found = ownership(watts, hours, price, None, 1.0)
    kwh = f"{watts:g} / 1000 × {hours:g} × 365"
    return (
        Line("a year", found.kwh_a_year, "kWh", kwh),
        Line("costs a year", found.energy_cost_a_year or 0.0, "", f"{kwh} × {price:g}"),
    )


def _percent(of: Mapping[str, float]) -> tuple[Line, ...]:
    a, b = of["a"], of["b"]
    return (
        Line("b over a", 100.0 * (b / a - 1.0), "%", f"{b:g} / {a:g} − 1"),
        Line("a over b", 100.0 * (a / b - 1.0), "%", f"{a:g} / {b:g} − 1"),
    )


def _upscaling(of: Mapping[str, float]) -> tuple[Line, ...]:
    up, inside = of["upscaled"], of["inside"]
    return (
        Line("upscaling costs", 1000.0 / up - 1000.0 / inside, "ms a frame", f"1000 / {up:g} − 1000 / {inside:g}"),
        Line("kept of the rate", 100.0 * up / inside, "%", f"{up:g} / {inside:g}"),
    )


def _turned(value: float, unit: str) -> tuple[Line, ...]:
    return (Line("that is", 1000.0 / value, unit, f"1000 / {value:g}"),)


SUMS: tuple[Sum, ...] = (
    Sum("memory", "a memory kit: how soon its first word comes, and its bandwidth",
        (Asked("cl", "CAS latency in clocks", whole=True), Asked("rate", "transfers a second, MT/s"),
         Asked("channels", "channels of 64 bits", whole=True, usual=2)), _memory),
    Sum("refresh", "how much of memory's time goes into refreshing it",
        (Asked("busy", "how long a refresh takes, ns"), Asked("every", "how far apart refreshes are, ns")), _refresh),
    Sum("link", "what a link gives, against what is asked of it",
        (Asked("generation", "its generation, 1 to 5", whole=True), Asked("lanes", "its lanes", whole=True),
         Asked("asks", "what is asked of it, GB/s", usual=0.0, zero=True)), _link),
    Sum("card-memory", "the memory bandwidth of a card",
        (Asked("bits", "width of its bus, bits", whole=True), Asked("gbit", "Gbit/s a pin")), _card_memory),
    Sum("budget", "what a part takes of a budget",
        (Asked("price", "its price", zero=True), Asked("whole", "the whole budget")), _budget),
    Sum("energy", "what a part draws and costs a year",
        (Asked("watts", "what it draws, W"), Asked("hours", "hours a day", zero=True),
         Asked("price", "price of a kWh", zero=True)), _energy),
    Sum("percent", "a margin, both ways round", (Asked("a", "one"), Asked("b", "the other")), _percent),
    Sum("upscaling", "what upscaling costs a frame",
        (Asked("upscaled", "fps with it"), Asked("inside", "fps at the resolution it draws inside")), _upscaling),
    Sum("rate", "a rate from a frame time", (Asked("ms", "frame time, ms"),), lambda of: _turned(of["ms"], "fps")),
    Sum("frame-time", "a frame time from a rate", (Asked("fps", "rate, fps"),), lambda of: _turned(of["fps"], "ms")),
)  # fmt: skip


def alternatives(words: list[str]) -> list[dict[str, float]]:
    """What is typed as `name=number`, with `and` between what stands beside each other.

    >>> alternatives(["cl=30", "rate=6000", "and", "cl=36", "rate=7200"])
    [{'cl': 30.0, 'rate': 6000.0}, {'cl': 36.0, 'rate': 7200.0}]

    Raises :class:`RennbahnError` (`bad_sum`).
    """
    found: list[dict[str, float]] = [{}]
    for word in words:
        if word == "and":
            found.append({})
            continue
        name, equals, text = word.partition("=")
        try:
            value = float(text)
        except ValueError:
            value = float("nan")
        if not equals or not abs(value) < float("inf"):
            raise RennbahnError("bad_sum", f"{word!r} is not of the form name=number", field=name)
        if name in found[-1]:
            raise RennbahnError("bad_sum", f"{name} is told twice; `and` parts what stands beside it", field=name)
        found[-1][name] = value
    return found


def sum_text(one: Sum, told: list[dict[str, float]]) -> str:
    """A sum of what stands beside each other, as text to read."""
    parts = []
    for of in told:
        heading = ", ".join(f"{name} {value:g}" for name, value in of.items())
        lines = [f"  {line.words} {shown(line)}  ({line.how})" for line in lines_of(one, of)]
        parts.append("\n".join([f"{one.name}: {heading}", *lines]))
    return "\n".join(parts)


def shown(line: Line) -> str:
    """A result as it is shown, with its unit."""
    return f"{fixed(line.value, 2)}{'' if line.unit.startswith('%') or not line.unit else ' '}{line.unit}"
