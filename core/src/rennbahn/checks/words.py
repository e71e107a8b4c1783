"""What the checks say of a pass, in one line."""

from __future__ import annotations

from collections.abc import Sequence

#: What checks are called where their ids are no words that one says.
_CALLED = {
    "off_siblings": "unlike its siblings",
    "stutter_unlike": "stutters unlike its siblings",
    "cut_log": "log cut off",
    "slow_first": "slow first pass",
    "unlike_elsewhere": "unlike all other tests",
}


def check_words(check: str) -> str:
    """What a check is called, by its id.

    >>> check_words("off_siblings"), check_words("too_short")
    ('unlike its siblings', 'too short')
    """
    return _CALLED.get(check, check.replace("_", " "))


#: What is likeliest the matter with a pass that a check doubts, as the reason for rejecting it; else it is odd.
_LIKELY = {
    "read_back": "wrong_setting",
    "lock": "wrong_setting",
    "like_another_lane": "wrong_setting",
    "unlike_elsewhere": "wrong_setting",
    "too_short": "interrupted",
    "wrong_length": "interrupted",
    "cut_log": "interrupted",
    "loading": "interrupted",
    "pause": "interrupted",
}


def likely_reason(check: str) -> str:
    """The likeliest reason, as a code, for rejecting a pass that a check doubts.

    >>> likely_reason("cut_log"), likely_reason("off_siblings")
    ('interrupted', 'odd')
    """
    return _LIKELY.get(check, "odd")


def verdict_line(weak: Sequence[bool]) -> str:
    """The verdict of all checks on a pass; `weak` says of each doubt whether its check is known to be unsure."""
    firm = sum(not one for one in weak)
    if firm:
        return "One check doubts it." if firm == 1 else f"{firm} checks doubt it."
    return "A check is unsure of it." if weak else "No check doubts it."
