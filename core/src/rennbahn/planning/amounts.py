"""Amounts as people write them: the one reader of numbers with signs, thousands, fractions and units.

Everything that reads `1,200 W` reads it here, so that an axis, a limit and a difference never part over it.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass

#: A number: thousands in groups of three with a blank, comma, point or apostrophe between, then a fraction.
_NUMBER = r"\d{1,3}(?:[ ,.'’]\d{3})+(?!\d)(?:[.,]\d+)?|\d+(?:[.,]\d+)?"
_SIGN = r"[+\-−±]"
_AMOUNT = re.compile(
    rf"(?P<sign>{_SIGN})?\s*(?P<number>{_NUMBER})\s*"
    r"(?P<unit>%|percent|prozent|kw|mw|w(?:atts?)?|mv|v(?:olts?)?|ghz|mhz|hz|fps|°\s*c|c|rpm|u/min)?(?![^\W\d_])",
    re.IGNORECASE,
)
_ALONE = re.compile(rf"(?P<sign>{_SIGN})?\s*(?P<number>{_NUMBER})(?![\d.,])\s*(?P<unit>.*)")
#: PL1 and the like are names, whatever digits they hold.
_NAME = re.compile(r"\b[A-Za-z]{2,}\d+\b")
_LETTERS = str.maketrans("0123456789", "abcdefghij")
#: Factor and base unit of each way to write one.
_UNITS: Mapping[str, tuple[float, str]] = {
    "%": (1, "%"), "percent": (1, "%"), "prozent": (1, "%"), "kw": (1000, "W"), "mw": (0.001, "W"), "w": (1, "W"),
    "watt": (1, "W"), "watts": (1, "W"), "mv": (0.001, "V"), "v": (1, "V"), "volt": (1, "V"), "volts": (1, "V"),
    "ghz": (1000, "MHz"), "mhz": (1, "MHz"), "hz": (1, "Hz"), "fps": (1, "fps"), "°c": (1, "°C"), "c": (1, "°C"),
    "rpm": (1, "rpm"), "u/min": (1, "rpm"),
}  # fmt: skip
#: Units in which a thousand is written more often than three decimals; in all others it is the other way round.
_OF_THOUSANDS = {"w", "watt", "watts", "mhz", "hz", "rpm", "u/min", "fps"}


@dataclass(frozen=True)
class Amount:
    """An amount in base units (W, V, MHz, fps, °C, rpm, % as 100).

    A relative one is added to what is delivered, in percent where `unit` is `%`.
    """

    number: float
    unit: str
    relative: bool = False


def amounts_of(text: str) -> list[Amount]:
    """Every amount with a unit that a value says, or a single bare number; PL1 and the like are names.

    >>> amounts_of("PL1 1.200 W")
    [Amount(number=1200.0, unit='W', relative=False)]
    """
    found = []
    for match in _AMOUNT.finditer(_NAME.sub(" ", text)):
        unit = _plain(match["unit"] or "")
        factor, base = _UNITS.get(unit, (1.0, ""))
        number = _signed(match["sign"], match["number"], unit) * factor
        found.append(Amount(number, base, bool(match["sign"])))
    with_unit = [one for one in found if one.unit]
    return with_unit or found


def amount_alone(text: str) -> tuple[float, str] | None:
    """The number that a text begins with, and the unit it ends with, as it was typed; None where it is a name.

    >>> amount_alone("1 200 W"), amount_alone("2,5 GHz"), amount_alone("two sticks")
    ((1200.0, 'W'), (2.5, 'GHz'), None)
    """
    found = _ALONE.fullmatch(" ".join(text.split()))
    if found is None:
        return None
    return _signed(found["sign"], found["number"], _plain(found["unit"])), found["unit"]


def without_amounts(text: str) -> str:
    """What a value says beside its amounts; PL1 and the like are kept, as letters."""
    return _AMOUNT.sub(" ", _NAME.sub(lambda name: name.group().translate(_LETTERS), text))


def _plain(unit: str) -> str:
    return re.sub(r"\s", "", unit.lower())


def _signed(sign: str | None, digits: str, unit: str) -> float:
    number = _number(digits, unit)
    return -number if sign in ("-", "−") else number


def _number(text: str, unit: str) -> float:
    """Commas and points stand for thousands where three digits follow each, and the unit is one of thousands."""
    signs = re.findall(r"[ ,.'’]", text)
    grouped = re.fullmatch(r"[1-9]\d{0,2}(?:[ ,.'’]\d{3})+", text) is not None
    # Nobody parts a fraction by blanks, or twice; a comma before three digits of a unit that is unknown is English.
    sure = (len(signs) > 1 and len(set(signs)) == 1) or set(signs) & {" ", "'", "’"}
    if grouped and (sure or unit in _OF_THOUSANDS or (unit not in _UNITS and signs == [","])):
        return float(re.sub(r"[ ,.'’]", "", text))
    if len(signs) > 1:
        last = max(text.rfind("."), text.rfind(","))
        return float(re.sub(r"[ ,.'’]", "", text[:last]) + "." + text[last + 1 :])
    return float(text.replace(",", "."))
