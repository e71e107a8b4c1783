"""Sentences as somebody says them aloud, over pictures."""

from __future__ import annotations

import re

#: One and several of what a number may count, as they are said.
_UNITS = {
    "%": ("percent", "percent"),
    "fps/W": ("frame per second a watt", "frames per second a watt"),
    "fps": ("frame per second", "frames per second"),
    "ms": ("millisecond", "milliseconds"),
    "s": ("second", "seconds"),
    "min": ("minute", "minutes"),
    "h": ("hour", "hours"),
    "W": ("watt", "watts"),
    "Wh": ("watt hour", "watt hours"),
    "kWh": ("kilowatt hour", "kilowatt hours"),
    "Hz": ("hertz", "hertz"),
    "GB": ("gigabyte", "gigabytes"),
    "GiB": ("gigabyte", "gigabytes"),
    "°C": ("degree", "degrees"),
    "EUR": ("euro", "euros"),
    "USD": ("dollar", "dollars"),
    "GBP": ("pound", "pounds"),
    "CHF": ("franc", "francs"),
}
_SIGNS = {"+": "plus ", "−": "minus ", "-": "minus "}
_LOWS = {"1": "one-percent low", "0.1": "point-one-percent low"}
_LOW = re.compile(r"(?<![\w.,])(?P<low>0\.1|1)% low(?=s?\b)")
#: The longest unit first; a name like V7 is no number, and what follows another digit no sign.
_NUMBER = re.compile(
    r"(?<![\w.])(?P<sign>[+−-]?)(?P<number>\d+(?:\.\d+)?)"
    rf"(?:\s?(?P<unit>{'|'.join(re.escape(one) for one in sorted(_UNITS, key=len, reverse=True))})(?!\w))?"
)


def spoken(text: str) -> str:
    """A text with its signs and units as words; digits, names and everything else stay as they are.

    >>> spoken("Quiet profile: 1.0% behind standard profile in average fps (95% interval −1.4% to −0.6%)")
    'Quiet profile: 1 percent behind standard profile in average frames per second (95 percent interval minus 1.4 percent to minus 0.6 percent)'
    >>> spoken("Tellur 60: 61.2 fps, 1% low 48.0 fps, 379 EUR, +20 W")
    'Tellur 60: 61.2 frames per second, one-percent low 48 frames per second, 379 euros, plus 20 watts'
    """  # noqa: E501 - what an example gives is one line
    lows = _LOW.sub(lambda match: _LOWS[match["low"]], text)
    return re.sub(r"\bfps\b", "frames per second", _NUMBER.sub(_said, lows))


def _said(match: re.Match[str]) -> str:
    unit, number = match["unit"], match["number"]
    if not unit:
        return f"{_SIGNS.get(match['sign'], '')}{number}"
    short = number.removesuffix(".0")
    one, several = _UNITS[unit]
    return f"{_SIGNS.get(match['sign'], '')}{short} {one if short == '1' else several}"
