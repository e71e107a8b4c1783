"""Is what was written down of a pass what was meant to be run?"""

from __future__ import annotations

from collections.abc import Iterable, Iterator

import numpy as np

from rennbahn.capture.words import CHANNEL_WORDS
from rennbahn.checks.base import Check, Looked
from rennbahn.checks.model import CheckedPass, Doubt, ReadBack
from rennbahn.checks.own_columns import told_by_file
from rennbahn.checks.profile import Profile
from rennbahn.planning.settings import same_value

#: Loggers round; the same frames under other units differ by no more, in ms.
_ROUNDED_MS = 0.06
#: So many frames must be compared, and they must scatter by so many times the rounding to be known again.
_FEWEST_KNOWN = 40
_TELLING = 4.0


class ReadBackCheck(Check):
    """The setting under test was not read back, or is another."""

    id = "read_back"
    asks = "Did a second place show the setting under test?"

    def doubts(self, looked: Looked) -> Iterable[Doubt]:
        """Passes whose setting was not seen, or seen to be another: by a person, or in the capture's own columns."""
        for one in looked.context.passes:
            found = [told for back in one.read_backs if (told := _unlike(back, one)) is not None]
            if found:
                # What is known to be wrong is told before what nobody knows.
                found.sort(key=lambda told: told[1]["seen"] is None)
                words = " ".join(words for words, _ in found)
                yield self.on(one, words, read_backs=[evidence for _, evidence in found])


def _unlike(back: ReadBack, one: CheckedPass) -> tuple[str, dict[str, str | None]] | None:
    """Why a setting may be another than it was to be, with what was seen; None where nothing speaks against it."""
    by_file = told_by_file(one.profile, back.setting, back.wanted)
    was = f"{back.setting} was to be {back.wanted}"
    seen = (back.seen or "").strip()
    if seen and not read_back_agrees(back.wanted, seen):
        words = f"{was} and read back as {seen}: this is a pass of another setup. Set it right and run it again."
    elif by_file is not None and not by_file.holds:
        seen = by_file.reads
        words = (
            f"{was}, and the capture itself reads {seen}: whatever was seen before it ran, this is a pass of another "
            "setup. Set it right and run it again."
        )
    elif not seen and by_file is None:
        words = (
            f"Nobody read {back.setting} back: it was to be {back.wanted}. Look it up in a second place; without it "
            "the pass may be one of another lane."
        )
    else:
        return None
    return words, {"setting": back.setting, "wanted": back.wanted, "seen": seen or None}


def read_back_agrees(wanted: str, seen: str) -> bool:
    """Whether what was seen is what was wanted, whatever its spelling, spaces and units."""
    return " ".join(wanted.split()).casefold() == " ".join(seen.split()).casefold() or same_value(wanted, seen)


class MissingChannel(Check):
    """A channel that was to be recorded is not there."""

    id = "missing_channel"
    asks = "Are all channels there that the logger was to write?"

    def doubts(self, looked: Looked) -> Iterable[Doubt]:
        """Channels that are absent or all empty."""
        for one in looked.context.passes:
            gone = [name for name in one.expected_channels if name not in one.profile.channels]
            if gone:
                listed = " and ".join(CHANNEL_WORDS.get(name, name) for name in gone)
                yield self.on(
                    one,
f"The capture lacks {listed}: the logger did not write {'it' if len(gone) == 1 else 'them'}. What limits "
                    "the rate, or what it drew, stays unknown. Look at the logger’s settings before the next pass.",
                    missing=gone,
                )  # fmt: skip


class Duplicate(Check):
    """The same frames as another pass, under other bytes."""

    id = "duplicate"
    asks = "Is it a run of its own?"

    def doubts(self, looked: Looked) -> Iterable[Doubt]:
        """Passes that hold the frames of an earlier one."""
        by_digest: dict[str, CheckedPass] = {}
        by_start: dict[int, list[CheckedPass]] = {}
        for one in looked.context.passes:
            profile = one.profile
            earlier = by_digest.get(profile.digest) or next(
                (other for other in self._near(by_start, profile) if same_run(other.profile, profile)), None
            )
            if earlier is not None:
                yield self.on(
                    one,
                    f"It holds the same frames as pass {earlier.number} of {looked.context.where(earlier)} in "
                    f"{looked.context.lane_by_id[earlier.lane].name}: one run is not two passes. Hand in the capture "
                    "of the other run.",
                    same_as=earlier.id,
                )  # fmt: skip
            by_digest.setdefault(profile.digest, one)
            by_start.setdefault(round(profile.duration_s), []).append(one)

    def _near(self, by_start: dict[int, list[CheckedPass]], profile: Profile) -> Iterator[CheckedPass]:
        at = round(profile.duration_s)
        for key in (at - 1, at, at + 1):
            yield from by_start.get(key, ())


def same_run(a: Profile, b: Profile) -> bool:
    """Whether two captures hold the same frames, rounded differently or one frame apart."""
    if abs(a.frames - b.frames) > 2 or abs(a.average_fps / b.average_fps - 1.0) > 1e-3:
        return False
    one, other = np.array(a.sketch), np.array(b.sketch)
    for shift in (0, 1, -1):
        left, right = one[max(shift, 0) :], other[max(-shift, 0) :]
        count = min(len(left), len(right))
        if count < _FEWEST_KNOWN:
            continue
        left, right = left[:count], right[:count]
        telling = float(left.std()) > _TELLING * float(np.abs(left - right).max())
        if telling and float(np.abs(left - right).max()) <= _ROUNDED_MS:
            return True
    return False


def checks() -> Iterator[Check]:
    """All checks of this family."""
    yield from (ReadBackCheck(), MissingChannel(), Duplicate())
