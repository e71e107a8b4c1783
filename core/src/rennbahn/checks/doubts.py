"""All checks over a context."""

from __future__ import annotations

from collections.abc import Collection

from rennbahn.checks import course, elsewhere, lanes, length, record
from rennbahn.checks.base import Check, Looked
from rennbahn.checks.lanes import sessions_of
from rennbahn.checks.model import Context, Doubt

#: Every check, in the order in which doubts are told.
CHECKS: tuple[Check, ...] = (*length.checks(), *course.checks(), *record.checks(), *lanes.checks(), *elsewhere.checks())


def doubts_of(context: Context, only: Collection[str] | None = None) -> list[Doubt]:
    """What deserves another look, in the order of the checks. `only` names checks to ask."""
    looked = Looked(context)
    return [doubt for check in CHECKS if only is None or check.id in only for doubt in check.doubts(looked)]


#: Checks that see more than one test: asked over a whole study.
WIDE = ("slow_first", "like_another_lane", "order", "offset", "unlike_elsewhere")
#: Those that say nothing of one test alone.
_ONLY_WIDE = ("like_another_lane", "order", "offset", "unlike_elsewhere")
#: Checks of the passes of one test among each other.
NEAR = tuple(check.id for check in CHECKS if check.id not in _ONLY_WIDE)


def marks_passes(doubt: Doubt) -> bool:
    """Whether the passes that a doubt is about are doubted with it.

    Where all passes of a test agree on another length than its scene's card, it is the card that is doubted.
    """
    return doubt.on is not None or doubt.check != "wrong_length"


def concerned(context: Context, doubt: Doubt) -> tuple[str, ...]:
    """The passes that a doubt is about: the one it names, else all of its lane, test or session as far as it says."""
    if doubt.on is not None:
        return (doubt.on,)
    named = doubt.evidence.get("passes")
    if isinstance(named, list):
        return tuple(str(one) for one in named)
    sessions = sessions_of(context) if "session" in doubt.evidence else {}
    return tuple(
        one.id
        for one in context.passes
        if doubt.lane in (None, one.lane)
        and doubt.test in (None, one.test)
        and ("session" not in doubt.evidence or sessions.get(one.id) == doubt.evidence["session"])
        and (doubt.check != "slow_first" or one.after_load)
    )
