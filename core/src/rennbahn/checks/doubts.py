"""All checks over a context."""

from __future__ import annotations

from collections.abc import Collection

from rennbahn.checks import course, lanes, length, record
from rennbahn.checks.base import Check, Looked
from rennbahn.checks.model import Context, Doubt

#: Every check, in the order in which doubts are told.
CHECKS: tuple[Check, ...] = (*length.checks(), *course.checks(), *record.checks(), *lanes.checks())


def doubts_of(context: Context, only: Collection[str] | None = None) -> list[Doubt]:
    """What deserves another look, in the order of the checks. `only` names checks to ask."""
    looked = Looked(context)
    return [doubt for check in CHECKS if only is None or check.id in only for doubt in check.doubts(looked)]
