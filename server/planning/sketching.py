"""What a study as typed so far comes to, before there is one."""

from __future__ import annotations

import datetime as dt

from django.contrib.auth.models import AnonymousUser, User
from people.access import require
from people.models import Role
from rennbahn.comparing.model import AVERAGE
from rennbahn.plain import plain
from rennbahn.planning.needs import Asked, Expected
from rennbahn.planning.noise import guessed
from rennbahn.planning.order_tells import Method, telling
from rennbahn.planning.schedule import ORDERS
from rennbahn.planning.timeline import plan
from studies.composing import check_size
from waiting import Turns

from planning.building import sketched
from planning.calendar import BenchTime
from planning.fair import pairings_out
from planning.fair_schemas import ObjectionOut
from planning.queries import outline
from planning.schemas import SketchIn, SketchOut

#: Passes of a sketch that is laid out while one types.
LARGEST_SKETCH = 4_000
_sketches = Turns("Other studies are being sketched")


def sketch(user: User | AnonymousUser, data: SketchIn) -> SketchOut:
    """What a study as typed so far comes to: passes, hours by order, and whether its lanes are fair.

    It is asked for at every pause in typing, so a large one is not laid out: its plan will be.
    """
    require(user, Role.LEAD)
    check_size(len(data.lanes), [data.passes_wanted] * len(data.tests))
    with _sketches.turn():
        return _sketch(data)


def _sketch(data: SketchIn) -> SketchOut:
    found = sketched(data)
    when = BenchTime(dt.date(2000, 1, 3), dt.time(9), 8.0, range(7))
    tests = found.work.tests
    small = 0 < len(found.work.passes) <= LARGEST_SKETCH
    timelines = [plan(found.work, order, when.sessions()) for order in ORDERS] if small else []
    fairness = found.fairness
    # Nothing is known of these scenes yet: orders are told apart by what passes along a route would scatter.
    asked = [Asked(f"{t.game}, {t.scene}", {AVERAGE: guessed("route", AVERAGE)}, data.passes_wanted) for t in tests]
    judge = Method(Expected(asked, AVERAGE)) if timelines else None
    return SketchOut(
        passes=len(found.work.passes),
        outlines=[
            outline(one, when, telling(found.work, one, when.sessions(), judge) if judge else None) for one in timelines
        ],
        pairings=pairings_out(fairness) if fairness else [],
        objections=[ObjectionOut(**plain(one)) for one in fairness.objections] if fairness else [],
    )
