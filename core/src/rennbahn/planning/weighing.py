"""Rules that weigh a difference, kind by kind. Each says its reason in words and is symmetric in its two sides.

A rule sees only the recorded facts of the parts on both sides. Where the facts that would decide are missing, the
answer is `mind`: what nobody wrote down cannot be called harmless.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from typing import Literal

from rennbahn.parts.facts import FactValue
from rennbahn.worth import pcie

Weight = Literal["harmless", "mind", "spoils"]
Verdict = tuple[Weight, str]
Facts = Mapping[str, FactValue]
Sides = Sequence[Facts]

#: Within this many °C two rooms count as alike; cards lose about a percent of clock over ten.
ROOM_ALIKE_C = 2.0
#: Days between two versions from which they count as far apart: about one release cycle.
FAR_APART_DAYS = 45


def weigh_part(kind: str, a: Sides, b: Sides) -> Verdict:
    """The weight of a difference in the parts of a kind; a side without such a part is empty."""
    if not a or not b:
        return "mind", "it is written down for one lane only: say what the other has"
    return _RULES.get(kind, _unknown)(a[0], b[0])


def weigh_setting(name: str, a: str, b: str) -> Verdict:
    """The weight of a difference in a setting of that name."""
    if not a or not b:
        if _TUNED.search(name):
            return "spoils", "one lane is tuned and the other is not: it answers another question"
        return "mind", "it is written down for one lane only: look it up on the other machine"
    for pattern, rule in _SETTINGS:
        if pattern.search(name):
            return rule(a, b)
    return "mind", "nobody has shown that this setting costs no frames"


def _card(_a: Facts, _b: Facts) -> Verdict:
    return "spoils", "another graphics card is another result"


def _processor(_a: Facts, _b: Facts) -> Verdict:
    return "spoils", "another processor is another result wherever it holds the rate"


def _memory(a: Facts, b: Facts) -> Verdict:
    sizes = _numbers("size_gb", a, b)
    if sizes and min(sizes) * 2 <= max(sizes):
        return "spoils", "one lane has half the memory or less: games that need more will hitch there"
    if _differ("sticks", a, b) or _differ("channels", a, b):
        return "spoils", "another number of sticks or channels changes bandwidth, which processors feel"
    if sizes and sizes[0] != sizes[1]:
        return "mind", "another amount of memory: harmless only while neither lane runs short"
    timed = [name for name in ("mt_per_s", "cl", "trcd", "trp", "tras", "ranks") if _differ(name, a, b)]
    if timed:
        return "mind", "another rate, rank or timing: processor-bound games feel it"
    return _harmless_if_known("the kits run alike", a, b, "size_gb", "mt_per_s", "cl")


def _dated(thing: str) -> Callable[[Facts, Facts], Verdict]:
    def rule(a: Facts, b: Facts) -> Verdict:
        if a.get("beta") or b.get("beta"):
            return "mind", f"a beta {thing} may go before the final one in speed or faults"
        days = _days_apart(a, b)
        if days is None:
            return "mind", f"another {thing}, with no date to say how far apart"
        far = f"{days} days apart" if days else "of the same date"
        weight: Weight = "mind" if days else "harmless"
        late = ": more than a release apart" if days > FAR_APART_DAYS else ""
        return weight, f"another {thing}, {far}{late}"

    return rule


def _build(a: Facts, b: Facts) -> Verdict:
    if a.get("beta") or b.get("beta"):
        return "spoils", "one lane runs a beta build of the game: it is not the same program"
    return "spoils", "another game build is another program: update both, then run"


def _display(a: Facts, b: Facts) -> Verdict:
    if _differ("built_in", a, b):
        return "spoils", "frames reach a laptop's own panel by another way than an outside display"
    if _differ("width_px", a, b) or _differ("height_px", a, b):
        return "mind", "another panel: with desktop and game resolution unequal, frames are scaled"
    if _differ("refresh_hz", a, b) or _differ("variable_refresh", a, b):
        return "mind", "another refresh: harmless only while nothing waits for the display"
    return _harmless_if_known("the displays ask for the same", a, b, "width_px", "height_px", "refresh_hz")


def _cooler(a: Facts, b: Facts) -> Verdict:
    heat = _numbers("max_heat_w", a, b)
    if heat and heat[0] == heat[1] and not _differ("type", a, b):
        return "harmless", "both coolers carry off the same heat"
    return "mind", "another cooler: what runs hotter clocks lower"


def _supply(a: Facts, b: Facts) -> Verdict:
    power = _numbers("power_w", a, b)
    if power is None:
        return "mind", "another supply, of unknown power"
    if min(power) < 0.75 * max(power):
        return "mind", "one supply is much weaker: a machine that comes near its limit clocks down or stops"
    return "harmless", "supplies of like power do not change frames"


def _case(a: Facts, b: Facts) -> Verdict:
    volumes = _numbers("volume_l", a, b)
    if volumes and volumes[0] == volumes[1] and not _differ("fans", a, b):
        return "harmless", "the cases are of one size with as many fans"
    return "mind", "another case: air and heat go other ways"


def _drive(a: Facts, b: Facts) -> Verdict:
    reading = _numbers("read_mb_s", a, b)
    if reading is None:
        return "mind", "another drive, of unknown rate: scenes that load on the way feel it"
    if min(reading) * 2 <= max(reading):
        return "mind", "one drive reads at half the rate or less: scenes that load on the way feel it"
    return "harmless", "drives of like rate do not change frames"


def _board(a: Facts, b: Facts) -> Verdict:
    rates = _links(a, b)
    if rates and rates[0] != rates[1]:
        return "spoils", "the boards give the card another link"
    return "mind", "another board: its firmware sets power limits and memory timings of its own"


def _adapter(a: Facts, b: Facts) -> Verdict:
    rates = _links(a, b)
    if rates is None:
        return "mind", "another adapter, of unknown link"
    if rates[0] != rates[1]:
        return "spoils", "the link of the card is another"
    return "harmless", "both pass on the same link"


def _unknown(_a: Facts, _b: Facts) -> Verdict:
    return "mind", "another part"


_RULES: dict[str, Callable[[Facts, Facts], Verdict]] = {
    "card": _card,
    "processor": _processor,
    "memory": _memory,
    "board": _board,
    "drive": _drive,
    "cooler": _cooler,
    "supply": _supply,
    "case": _case,
    "display": _display,
    "adapter": _adapter,
    "system": _dated("operating system"),
    "driver": _dated("driver"),
    "firmware": _dated("firmware"),
    "build": _build,
}


def _limiter(_a: str, _b: str) -> Verdict:
    return "spoils", "a limiter or sync holds one lane's rate and not the other's"


def _port(_a: str, _b: str) -> Verdict:
    return "spoils", "on another port, an external card's frames go back over the link"


def _tuning(_a: str, _b: str) -> Verdict:
    return "spoils", "one lane is tuned otherwise: it answers another question"


def _power(_a: str, _b: str) -> Verdict:
    return "spoils", "another power limit is another clock"


def _room(a: str, b: str) -> Verdict:
    found = [re.search(r"-?\d+(?:[.,]\d+)?", side) for side in (a, b)]
    degrees = [float(one.group().replace(",", ".")) for one in found if one]
    if len(degrees) == 2 and abs(degrees[0] - degrees[1]) <= ROOM_ALIKE_C:
        return "harmless", f"rooms within {ROOM_ALIKE_C:g} °C are alike"
    return "mind", "a warmer room means lower clocks where heat is the limit"


def _fans(_a: str, _b: str) -> Verdict:
    return "mind", "other fans: what runs hotter clocks lower"


_TUNED = re.compile(r"tun(ed|ing)|overclock|undervolt|offset")
_SETTINGS: tuple[tuple[re.Pattern[str], Callable[[str, str], Verdict]], ...] = (
    (_TUNED, _tuning),
    (re.compile(r"\bsync\b|frame limit|frame cap|limiter"), _limiter),
    (re.compile(r"\bport\b|display on"), _port),
    (re.compile(r"power (limit|target)"), _power),
    (re.compile(r"\broom\b|ambient"), _room),
    (re.compile(r"\bfans?\b"), _fans),
)


def _numbers(name: str, a: Facts, b: Facts) -> tuple[float, float] | None:
    left, right = a.get(name), b.get(name)
    if isinstance(left, (int, float)) and isinstance(right, (int, float)):
        return float(left), float(right)
    return None


def _differ(name: str, a: Facts, b: Facts) -> bool:
    """Known on both sides, and not the same; a flag that is not set is off."""
    left, right = a.get(name), b.get(name)
    if isinstance(left, bool) or isinstance(right, bool):
        return bool(left) != bool(right)
    return left is not None and right is not None and left != right


def _harmless_if_known(words: str, a: Facts, b: Facts, *names: str) -> Verdict:
    if all(name in a and name in b for name in names):
        return "harmless", words
    return "mind", "the facts that would show them alike are not written down"


def _links(a: Facts, b: Facts) -> tuple[float, float] | None:
    generations, lanes = _numbers("generation", a, b), _numbers("lanes", a, b)
    if generations is None or lanes is None:
        return None
    left, right = (pcie(int(g), int(n)) for g, n in zip(generations, lanes, strict=True))
    return left, right


def _days_apart(a: Facts, b: Facts) -> int | None:
    left, right = a.get("date"), b.get("date")
    if not isinstance(left, str) or not isinstance(right, str):
        return None
    return abs(_day_number(left) - _day_number(right))


def _day_number(text: str) -> int:
    """Days on the proleptic calendar, counted from a fixed day."""
    year, month, day = map(int, text.split("-"))
    year, month = (year - 1, month + 12) if month <= 2 else (year, month)
    return 365 * year + year // 4 - year // 100 + year // 400 + (153 * (month - 3) + 2) // 5 + day
