"""Is a pass fit to count? Each check returns doubts in words, with their evidence; none rejects by itself.

Rules of this package: a check sees profiles (:class:`~rennbahn.checks.profile.Profile`), small summaries that can be
kept beside a capture, and never raw frames, so that a pass is checked among its siblings within milliseconds. What a
check found out about its own hits and false alarms stands in docs/checks.md; one that is known to be unsure says so.
"""

from rennbahn.checks.doubts import CHECKS, NEAR, WIDE, concerned, doubts_of, marks_passes
from rennbahn.checks.model import CheckedLane, CheckedPass, CheckedScene, CheckedTest, Context, Doubt, ReadBack
from rennbahn.checks.own_columns import ToldByFile, told_by_file
from rennbahn.checks.profile import Profile, profile_of
from rennbahn.checks.read import context_from_json
from rennbahn.checks.repeats import Repeated, repeats_of

__all__ = [
    "CHECKS",
    "NEAR",
    "WIDE",
    "CheckedLane",
    "CheckedPass",
    "CheckedScene",
    "CheckedTest",
    "Context",
    "Doubt",
    "Profile",
    "ReadBack",
    "Repeated",
    "ToldByFile",
    "concerned",
    "context_from_json",
    "doubts_of",
    "marks_passes",
    "profile_of",
    "repeats_of",
    "told_by_file",
]
