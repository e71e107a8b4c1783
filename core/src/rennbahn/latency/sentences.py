"""What is known of a study of latency, in sentences that can be copied as they are."""

from __future__ import annotations

import math
from collections.abc import Sequence

from scipy.special import chdtrc

from rennbahn.comparing.sentences import listed
from rennbahn.display import fixed
from rennbahn.latency.answer import Latency, ReaderError
from rennbahn.latency.devices import EVEN, NOT_COMPARABLE, QUICKER, SLOWER, DeviceFigures, Pair
from rennbahn.latency.model import Clip, Device, LatencyStudy
from rennbahn.latency.rate import RE_ENCODED, SUSPECT, UNCHECKED, UNCLEAR, UNEVEN, Rate, seconds_for_ok

#: A spread beyond that of the camera is shown at this p.
_SHOWN = 0.05
_PARTS = {1 / 2: "half", 1 / 3: "a third", 1 / 4: "a quarter", 1 / 8: "an eighth"}


def sentences_of(study: LatencyStudy, found: Latency) -> tuple[str, ...]:
    """Who answers first by how much, what that stands on, and what is not told; the first one leads."""
    told = [*_answers(study, found), *_not_told(study, found), *_spread(study, found), *_displays(study, found)]
    return (*told, *(reader_words(one) for one in found.readers))


def _answers(study: LatencyStudy, found: Latency) -> list[str]:
    counted = [one for one in found.devices if one.n]
    if not counted:
        return ["No press counts yet."]
    groups = _groups(study, counted)
    told = []
    for name, devices in groups.items():
        heading = f"{name}: " if len(groups) > 1 else ""
        told += [heading + words for words in _of_group(study, found, devices)]
    if len(groups) > 1:
        told.append("Between them there is no verdict: they were counted with another test program or press rule.")
    elif study.comparable and len({(one.program, one.press_rule) for one in study.devices}) > 1:
        told.append(f"They are compared in spite of unlike test programs or press rules: {study.comparable}")
    return told


def _groups(study: LatencyStudy, counted: Sequence[DeviceFigures]) -> dict[str, list[DeviceFigures]]:
    """Devices by what they may be compared with."""
    of = {one.id: one for one in study.devices}
    if study.comparable:
        return {"": list(counted)}
    found: dict[str, list[DeviceFigures]] = {}
    for one in counted:
        device = of[one.device]
        name = ", ".join(filter(None, [device.program, device.press_rule])) or "without a named test program"
        found.setdefault(name, []).append(one)
    return found


def _of_group(study: LatencyStudy, found: Latency, devices: Sequence[DeviceFigures]) -> list[str]:
    names = {one.id: one.name for one in study.devices}
    if len(devices) == 1:
        return [_alone(names[devices[0].device], devices[0])]
    by_mean = sorted(devices, key=lambda one: one.mean_ms or 0.0)
    pairs = {frozenset((one.a, one.b)): one for one in found.pairs}
    if len(devices) == 2:
        first, second = devices
        pair = pairs[frozenset((first.device, second.device))]
        return [_pair_sentence(names, pair, found), *(_alone(names[one.device], one) for one in by_mean)]
    first = by_mean[0]
    may = [one for one in by_mean if one.ranks is not None and one.ranks[0] == 1]
    if len(may) == 1:
        lead = f"{names[first.device]} answers first of {len(devices)} devices, in {_figures(first)}."
    else:
        who = listed([names[one.device] for one in may])
        lead = f"Which of {len(devices)} devices answers first is not shown: {who} may."
    others = [
        _pair_sentence(names, _towards(pairs[frozenset((first.device, one.device))], first.device), found)
        for one in by_mean[1:]
    ]
    return [lead, *([_alone(names[first.device], first)] if len(may) > 1 else []), *others]


def _towards(pair: Pair, a: str) -> Pair:
    """A pair as seen from A."""
    if pair.a == a:
        return pair

    def turned(value: float | None) -> float | None:
        return None if value is None else -value

    verdict = {QUICKER: SLOWER, SLOWER: QUICKER}.get(pair.verdict, pair.verdict)
    return Pair(
        a, pair.a, turned(pair.difference_ms), turned(pair.high), turned(pair.low), turned(pair.high_all),
        turned(pair.low_all), verdict, pair.presses_needed,
    )  # fmt: skip


def _pair_sentence(names: dict[str, str], pair: Pair, found: Latency) -> str:
    many = {one.device: one.n for one in found.devices}
    presses = f"{many[pair.b]} and {many[pair.a]} presses"
    return f"{names[pair.b]} against {names[pair.a]}, {presses}: {pair_words(pair, found.equal_ms)}."


def pair_words(pair: Pair, equal_ms: float) -> str:
    """What is shown of a pair, of B, without names."""
    if pair.difference_ms is None:
        return "nothing is counted of both"
    apart = f"{fixed(pair.difference_ms, 1)} ms"
    if pair.verdict == NOT_COMPARABLE:
        return "no verdict, since test program or press rule differ"
    if pair.low_all is None or pair.high_all is None:
        return f"open, {apart} apart without an interval yet"
    more = "" if pair.presses_needed is None else f"; {pair.presses_needed} presses of each would most likely tell"
    return {
        QUICKER: f"quicker by {fixed(-pair.difference_ms, 1)} ms ({_ends(-pair.high_all, -pair.low_all)})",
        SLOWER: f"slower by {apart} ({_ends(pair.low_all, pair.high_all)})",
        EVEN: f"even within {fixed(equal_ms, 1)} ms ({_ends(pair.low_all, pair.high_all)})",
    }.get(pair.verdict, f"open, {apart} apart ({_ends(pair.low_all, pair.high_all)}){more}")


def _ends(low: float, high: float) -> str:
    return f"95% interval {fixed(low, 1)} to {fixed(high, 1)}"


def _alone(name: str, one: DeviceFigures) -> str:
    return f"{name} answers in {_figures(one)}."


def _figures(one: DeviceFigures) -> str:
    presses = f"{one.n} press" if one.n == 1 else f"{one.n} presses"
    mean = f"{fixed(one.mean_ms or 0.0, 1)} ms on average"
    if one.low is None or one.high is None:
        return f"{mean} (no interval yet, {presses})"
    return f"{mean} ({_ends(one.low, one.high)}, {presses})"


def _not_told(study: LatencyStudy, found: Latency) -> list[str]:
    """Clips whose numbers are withheld, or stand on what the camera says."""
    clips = {one.id: one for one in study.clips}
    counted = {one.clip for one in study.counted}
    told = [
        f"No number of clip {rate.clip} is told: {clip_words(rate, clips[rate.clip])}."
        for rate in found.clips
        if rate.withheld and rate.clip in counted
    ]
    unchecked = [one.clip for one in found.clips if one.verdict == UNCHECKED and one.clip in counted
                 and clips[one.clip].declared_fps is None]  # fmt: skip
    if unchecked:
        which = "clip" if len(unchecked) == 1 else "clips"
        told.append(f"The rate of {which} {listed(unchecked)} is unchecked: what the camera says was believed.")
    told += [
        f"The rate of clip {rate.clip} was set to {fixed(rate.fps, 1)} fps by hand: {clips[rate.clip].why}"
        for rate in found.clips
        if clips[rate.clip].declared_fps is not None and rate.clip in counted
    ]
    return told


def clip_words(rate: Rate, clip: Clip) -> str:
    """What is to be known of a clip's rate, and what to do about it."""
    nominal = f"{fixed(clip.nominal_fps, 0)} fps"
    measured = f"measured {fixed(rate.fps, 1)}"
    if rate.low is not None and rate.high is not None:
        measured = f"measured {fixed(rate.low, 1)} to {fixed(rate.high, 1)}"
    if rate.verdict == RE_ENCODED and rate.factor is not None:
        return (
            f"it plays at {_PARTS[rate.factor]} of the {nominal} that its camera says ({measured}), as clips do that "
            "were converted on the way: copy the file by cable with the phone's conversion off, or say which rate holds"
        )
    if rate.verdict == UNEVEN:
        return "its frames do not come evenly, so no single rate holds: film again, with more light and less zoom"
    if rate.verdict == UNCLEAR:
        needed = seconds_for_ok(clip.nominal_fps, clip.reading_error_s)
        return f"its readings lie too close together to tell the rate: {fixed(math.ceil(needed), 0)} s apart are enough"
    if rate.verdict == SUSPECT:
        return f"its rate is not the {nominal} that its camera says ({measured}): say which rate holds and why"
    if rate.verdict == UNCHECKED:
        return f"its rate is unchecked: the {nominal} that the camera says are believed"
    return f"its rate holds: {measured} of {nominal}"


def _spread(study: LatencyStudy, found: Latency) -> list[str]:
    """Whether presses scatter by themselves, or by the camera's frames alone."""
    rates = {one.clip: one for one in found.clips}
    names = {one.id: one.name for one in study.devices}
    camera: list[str] = []
    own: list[str] = []
    for one in found.devices:
        if one.sd_ms is None or one.n < 3:
            continue
        presses = [x for x in study.counted if x.device == one.device and not rates[x.clip].withheld]
        v = sum(rates[x.clip].frame_ms ** 2 / 6.0 for x in presses) / len(presses)
        shown = chdtrc(one.n - 1, (one.n - 1) * one.sd_ms**2 / v) < _SHOWN
        (own if shown else camera).append(f"{names[one.device]} ({fixed(one.sd_ms, 1)} ms)")
    told = []
    if own:
        told.append(f"Presses scatter by more than the camera's frames make: {listed(own)}.")
    if camera:
        told.append(f"The scatter is no more than the camera's frames make: {listed(camera)}.")
    return told


def _displays(study: LatencyStudy, found: Latency) -> list[str]:
    by_rate: dict[float, list[Device]] = {}
    counted = {one.device for one in found.devices if one.n}
    for one in study.devices:
        if one.refresh_hz is not None and one.id in counted:
            by_rate.setdefault(one.refresh_hz, []).append(one)
    return [
        f"Of that the display's refresh at {hz:g} Hz adds 0 to {fixed(1000.0 / hz, 1)} ms, {fixed(500.0 / hz, 1)} on "
        f"average, and up to as much again towards the bottom of the picture: {listed([one.name for one in devices])}."
        for hz, devices in by_rate.items()
    ]


def reader_words(one: ReaderError) -> str:
    """How well a further reader agrees with the first."""
    if one.bias_ms is None or one.low is None or one.high is None or one.reading_sd_ms is None:
        return f"{one.reader} and {one.against} counted {one.presses or 'no'} press in common: too few to say how well."
    later = "later" if one.bias_ms >= 0 else "earlier"
    # The interval is told the way that the words have it.
    low, high = (one.low, one.high) if one.bias_ms >= 0 else (-one.high, -one.low)
    return (
        f"{one.reader} reads {fixed(abs(one.bias_ms), 1)} ms {later} than {one.against} ({_ends(low, high)}), over "
        f"{one.presses} presses that both counted; one reading is good to {fixed(one.reading_sd_ms, 1)} ms."
    )
