"""A plan to take along: as CSV for a sheet, as iCalendar for a calendar."""

from __future__ import annotations

import csv
import datetime as dt
import io
from collections.abc import Sequence
from itertools import groupby

from icalendar import Calendar, Event
from rennbahn.planning.schedule import Work
from rennbahn.planning.timeline import Slot
from sheets import safe_cell

from planning.queries import slots_of


def plan_csv(study_id: int) -> str:
    """Every pass in its order: when, what to change before it, lane, test, number."""
    study, work, slots, when = slots_of(study_id)
    conditions = {str(test.pk): test.condition.name for test in study.tests.all()}
    own = {str(lane.pk): lane.condition.name for lane in study.lanes.all() if lane.condition}
    out = io.StringIO()
    sheet = csv.writer(out)
    sheet.writerow(
        ["order", "day", "starts", "pass starts", "changes before", "lane", "game", "scene", "condition", "pass"]
    )
    for number, slot in enumerate(slots, start=1):
        test, lane = work.tests[slot.one.test], work.lanes[slot.one.lane]
        starts, begins = when.moment(slot.start_s), when.moment(slot.begin_s)
        told = own.get(lane.id, conditions[test.id])
        words = "; ".join(change.words for change in slot.changes)
        row = [number, f"{starts:%Y-%m-%d}", f"{starts:%H:%M}", f"{begins:%H:%M:%S}", words,
               lane.name, test.game, test.scene, told, slot.one.number]  # fmt: skip
        sheet.writerow([safe_cell(str(value)) for value in row])
    return out.getvalue()


def plan_ics(study_id: int, stamp: dt.datetime) -> bytes:
    """One event a session, in the bench's own time, with what is run in it."""
    study, work, slots, when = slots_of(study_id)
    calendar = Calendar()
    calendar.add("prodid", "-//Rennbahn//plan//EN")
    calendar.add("version", "2.0")
    calendar.add("x-wr-calname", study.question)
    for session, members in groupby(slots, key=lambda slot: slot.session):
        own = list(members)
        event = Event()
        event.add("uid", f"rennbahn-study-{study.pk}-session-{session}")
        event.add("dtstamp", stamp)
        event.add("dtstart", when.moment(own[0].start_s))
        event.add("dtend", when.moment(own[-1].end_s))
        event.add("summary", f"{study.question} ({len(own)} passes)")
        event.add("description", _told(work, own))
        calendar.add_component(event)
    content: bytes = calendar.to_ical()
    return content


def _told(work: Work, slots: Sequence[Slot]) -> str:
    lines = []
    for (lane, game), members in groupby(slots, key=lambda slot: (slot.one.lane, work.tests[slot.one.test].game)):
        count = len(list(members))
        lines.append(f"{work.lanes[lane].name}: {game}, {count} {'pass' if count == 1 else 'passes'}")
    return "\n".join(lines)
