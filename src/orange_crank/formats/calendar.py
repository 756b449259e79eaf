"""Visits and due tasks as iCalendar (RFC 5545): a file to open, a feed to subscribe to."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta

from icalendar import Calendar, Event


@dataclass(frozen=True)
class CalendarVisit:
    """A visit to come."""

    uid: str
    title: str
    begins: datetime
    ends: datetime
    place: str
    text: str
    url: str
    person: str
    version: int


@dataclass(frozen=True)
class CalendarTask:
    """A task with a due date: an all-day entry, which every calendar shows."""

    uid: str
    title: str
    due_on: date
    text: str
    url: str
    person: str
    version: int


def calendar(name: str, visits: Sequence[CalendarVisit], tasks: Sequence[CalendarTask]) -> bytes:
    """Return a calendar of visits and due tasks.

    Notes
    -----
    A due task is an all-day event and not a to-do: many calendars show no to-dos. The sequence number is the
    record's own version, so that a moved visit replaces the old one.

    """
    cal = Calendar()
    cal.add("prodid", "-//Orange Crank//Visits and tasks//EN")
    cal.add("version", "2.0")
    cal.add("x-wr-calname", name)
    stamp = datetime.now(UTC)
    for v in visits:
        event = Event()
        event.add("uid", f"{v.uid}@orange-crank")
        event.add("dtstamp", stamp)
        event.add("dtstart", v.begins.astimezone(UTC))
        event.add("dtend", v.ends.astimezone(UTC))
        event.add("summary", v.title)
        event.add("location", v.place)
        event.add("description", f"{v.text}\n{v.person}".strip())
        event.add("url", v.url)
        event.add("sequence", v.version)
        cal.add_component(event)
    for t in tasks:
        event = Event()
        event.add("uid", f"{t.uid}@orange-crank")
        event.add("dtstamp", stamp)
        event.add("dtstart", t.due_on)
        event.add("dtend", min(t.due_on, date.max - timedelta(days=1)) + timedelta(days=1))
        event.add("summary", f"Due: {t.title}")
        event.add("description", f"{t.text}\n{t.person}".strip())
        event.add("url", t.url)
        event.add("transp", "TRANSPARENT")
        event.add("sequence", t.version)
        cal.add_component(event)
    made: bytes = cal.to_ical()
    return made
