"""Is all of the scene there, and nothing but the scene?"""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator
from statistics import median

import numpy as np
from numpy.typing import NDArray

from rennbahn.capture.capture import PAUSE_MS, SHORT_FRAMES, SHORT_SECONDS
from rennbahn.checks.base import Check, Looked, percent, seconds
from rennbahn.checks.model import CheckedPass, Doubt
from rennbahn.checks.profile import Floats, Profile
from rennbahn.planning.lengths import tolerance_s, usual_s

#: A capture this much shorter than all of its siblings was cut rather than walked faster.
_CUT = 0.85
#: A log that holds every second frame: its rate is half of its siblings', within this.
_HALF = 0.06
#: A pause this near to either end belongs to loading, in s and as a share of a capture, whichever is less.
_END_S = 4.0
_END_SHARE = 0.12
#: At most this share of a capture is taken for loading at one end.
_MOST_LOADING = 0.4
#: A rate this much beyond all that the rest of the capture shows is another picture.
_BEYOND = 1.22
#: Frame times that scatter this much less than those of the rest stand still.
_STILL = 0.35
#: A still picture keeps its rate within this.
_SAME = 0.02
#: A stretch at an end is told from so many seconds on.
_LEAST_LOADING_S = 1.0


class TooShort(Check):
    """Hardly any frames."""

    id = "too_short"
    asks = "Are there enough frames for a low figure at all?"

    def doubts(self, looked: Looked) -> Iterable[Doubt]:
        """Captures under five seconds or 200 frames."""
        for one in looked.context.passes:
            if "too_short" in one.profile.flags:
                profile = one.profile
                yield self.on(
                    one,
                    f"Only {profile.frames} frames in {seconds(profile.duration_s)}: no low figure stands on so few. "
                    "Run it again.",
                    frames=profile.frames, duration_s=profile.duration_s,
                    fewest_frames=SHORT_FRAMES, shortest_s=SHORT_SECONDS,
                )  # fmt: skip


class WrongLength(Check):
    """Longer or shorter than the scene."""

    id = "wrong_length"
    asks = "Is the capture as long as its scene?"

    def doubts(self, looked: Looked) -> Iterable[Doubt]:
        """Captures off the length of their scene, or of the other passes; where those agree on another, its card.

        A scene without a length doubts nothing by itself: its passes are held against each other, where they agree.
        """
        context = looked.context
        for test in context.tests:
            scene = context.scene_by_id[test.scene]
            passes = [one for one in context.of_test(test.id) if "too_short" not in one.profile.flags]
            usual = usual_s([one.profile.duration_s for one in passes], scene.kind, scene.length_s)
            length = scene.length_s or usual
            if length is None:
                continue
            allowed = tolerance_s(scene.kind, length)
            if usual is not None and abs(usual - length) > allowed:
                yield Doubt(
                    self.id,
                    f"All passes of {context.test_words(test.id)} take about {seconds(usual)}, its card says "
                    f"{seconds(length)}: put the card right, or they began or ended elsewhere.",
                    None, None, test.id, self.weak,
                    {"scene_s": length, "usual_s": usual, "allowed_s": allowed},
                )  # fmt: skip
                length = usual
            for one in passes:
                off = one.profile.duration_s - length
                if abs(off) > allowed:
                    yield self.on(
                        one,
                        f"{seconds(one.profile.duration_s)} instead of {seconds(length)}: "
                        f"the recording {'went on' if off > 0 else 'began late or ended early'}. "
                        f"{'Trim it to the scene' if off > 0 else 'Run it again'}.",
                        duration_s=one.profile.duration_s, expected_s=length, allowed_s=allowed,
                    )  # fmt: skip


class CutLog(Check):
    """The log breaks off, or holds half of its frames."""

    id = "cut_log"
    asks = "Does the log hold all frames up to its end?"

    def doubts(self, looked: Looked) -> Iterable[Doubt]:
        """Torn files, files far shorter than all siblings, files with every second frame."""
        context = looked.context
        for one in context.passes:
            profile = one.profile
            if profile.torn:
                yield self.on(
                    one,
                    f"The last line of the file is broken after {seconds(profile.duration_s)}: the log was cut while "
                    "it was written. Run it again, or close the logger before the file is taken.",
                    duration_s=profile.duration_s, frames=profile.frames,
                )  # fmt: skip
                continue
            others = [other.profile for other in context.of_test(one.test) if other.id != one.id]
            scene = context.scene_of(one)
            lengths = [other.duration_s for other in others] or ([scene.length_s] if scene.length_s else [])
            unfinished = "unterminated_last_line" in profile.flags
            if lengths and profile.duration_s < _CUT * median(lengths):
                yield self.on(
                    one,
                    f"The log ends after {seconds(profile.duration_s)} of {seconds(median(lengths))}"
                    f"{' in the middle of a line' if unfinished else ''}: it was cut, or the run was. Run it again.",
                    duration_s=profile.duration_s, expected_s=median(lengths),
                    **({"flags": ["unterminated_last_line"]} if unfinished else {}),
                )  # fmt: skip
                continue
            siblings = [other.profile for other in context.siblings(one)]
            rates = [other.average_fps for other in siblings]
            if len(rates) < 2:
                continue
            ratio = profile.average_fps / median(rates)
            if abs(math.log(ratio / 0.5)) <= _HALF:
                yield self.on(
                    one,
                    f"It holds {profile.frames} frames, its siblings {median(o.frames for o in siblings):.0f} "
                    "in the same time: every second frame is missing from the log. Run it again with the logger’s "
                    "own load in mind.",
                    frames=profile.frames, expected_frames=median(other.frames for other in siblings), ratio=ratio,
                )  # fmt: skip


class Loading(Check):
    """A gap, a loading screen or a still scene at either end."""

    id = "loading"
    asks = "Does the capture begin and end with the scene?"

    def doubts(self, looked: Looked) -> Iterable[Doubt]:
        """Ends that show another picture than the rest, with the window that leaves them out."""
        for one in looked.context.passes:
            start, end = _ends(looked, one)
            profile = one.profile
            if start is None and end is None:
                continue
            window = (start or 0.0, profile.duration_s if end is None else end)
            where = " and ".join(
                words
                for words, there in (
                    (f"the first {seconds(window[0])}", start is not None),
                    (f"the last {seconds(profile.duration_s - window[1])}", end is not None),
                )
                if there
            )
            yield Doubt(
                self.id,
                f"{where[0].upper()}{where[1:]} show something else than the scene: a loading screen, a menu or a "
                f"still picture. Trim it to {window[0]:.1f} s to {window[1]:.1f} s, or run it again.",
                one.id, one.lane, one.test, self.weak,
                {"from_s": window[0], "to_s": window[1], "duration_s": profile.duration_s}, window,
            )  # fmt: skip


def _ends(looked: Looked, one: CheckedPass) -> tuple[float | None, float | None]:
    """Where the scene begins and ends, where that is not where the capture does; found once a pass."""
    if one.id not in looked.ends:
        looked.ends[one.id] = _ends_of(one.profile)
    return looked.ends[one.id]


def disturbed(looked: Looked, one: CheckedPass) -> bool:
    """Does a capture hold a loading screen or a pause, so that its course says nothing about the machine?"""
    return _ends(looked, one) != (None, None) or any(ms >= PAUSE_MS for _, ms in one.profile.gaps)


def _ends_of(profile: Profile) -> tuple[float | None, float | None]:
    count = len(profile.fps)
    if count < 8:
        return None, None
    fps, uneven = np.array(profile.fps), np.array(profile.uneven)
    start = _run_of_another(fps, uneven)
    end = _run_of_another(fps[::-1], uneven[::-1])
    begins = start * profile.bin_s if start * profile.bin_s >= _LEAST_LOADING_S else None
    ends = (count - end) * profile.bin_s if end * profile.bin_s >= _LEAST_LOADING_S else None
    # A frame of a second and more near an end is loading too, whatever its neighbours say.
    near_s = min(_END_S, _END_SHARE * profile.duration_s)
    for at_s, ms in profile.gaps:
        stop_s = at_s + ms / 1000.0
        if ms >= PAUSE_MS and at_s < (begins or 0.0) + near_s:
            begins = max(begins or 0.0, round(stop_s + 1e-6, 3))
        elif ms >= PAUSE_MS and stop_s > profile.duration_s - near_s:
            ends = min(ends if ends is not None else profile.duration_s, round(at_s - 1e-6, 3))
    return begins, ends


def _run_of_another(fps: Floats, uneven: Floats) -> int:
    """How many stretches from the left show another picture than the rest; 0 for none."""
    most = int(_MOST_LOADING * len(fps))
    # A first guess by what surely is no loading; then held against all that follows it.
    for length in range(_guess(fps, uneven, most, len(fps) - most), 0, -1):
        if _guess(fps, uneven, length, len(fps) - length) == length:
            return length
    return 0


def _guess(fps: Floats, uneven: Floats, most: int, rest: int) -> int:
    """The longest run of stretches from the left, of at most `most`, unlike the last `rest` of them."""
    low, high = np.quantile(fps[-rest:], (0.02, 0.98))
    own = fps[:most]
    other = (own > high * _BEYOND) | (own < low / _BEYOND)
    # A still picture: hardly any scatter, where the scene has some.
    still = (uneven[:most] < _STILL * np.quantile(uneven[-rest:], 0.1)) & (np.abs(own / own[0] - 1.0) < _SAME)
    # The stretch after the run may hold the change itself.
    runs = [_leading(other), _leading(still)]
    lengths = [min(run + 1, most) for run, least in zip(runs, (1, 2), strict=True) if run >= least]
    return max(lengths, default=0)


def _leading(there: NDArray[np.bool_]) -> int:
    """How many are true before the first that is not."""
    return int(np.argmin(there)) if not there.all() else len(there)


class Pause(Check):
    """A frame of a second or more inside."""

    id = "pause"
    asks = "Did it stand still for a second in the middle?"

    def doubts(self, looked: Looked) -> Iterable[Doubt]:
        """Frames of a second or more that do not belong to loading at an end."""
        for one in looked.context.passes:
            start, end = _ends(looked, one)
            inside = [
                (at, ms)
                for at, ms in one.profile.gaps
                if ms >= PAUSE_MS and at >= (start or 0.0) and (end is None or at + ms / 1000.0 <= end + 1e-6)
            ]
            if inside:
                at, ms = max(inside, key=lambda gap: gap[1])
                lost = math.fsum(gap[1] for gap in inside) / 1000.0
                yield self.on(
                    one,
                    f"The picture stood still for {seconds(ms / 1000.0)} at {seconds(at)}"
                    f"{f' and {len(inside) - 1} times more' if len(inside) > 1 else ''}: loading, or something else "
                    f"took the machine; {percent(lost / one.profile.duration_s)} of its time. Run it again; "
                    "if it repeats, it belongs to the scene.",
                    at_s=at, longest_ms=ms, count=len(inside), lost_s=lost,
                )  # fmt: skip


def checks() -> Iterator[Check]:
    """All checks of this family."""
    yield from (TooShort(), WrongLength(), CutLog(), Loading(), Pause())
