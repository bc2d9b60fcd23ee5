"""A cook day as an iCalendar file (RFC 5545), an event a task, each with an alarm."""

from __future__ import annotations

from datetime import datetime, timedelta

from icalendar import Alarm, Calendar, Event

from bruvet.core.schedule.tasks import Task

ALARM_BEFORE = timedelta(minutes=5)


def calendar(title: str, uid: str, tasks: tuple[Task, ...], made_at: datetime) -> bytes:
    """The file's bytes.

    Parameters
    ----------
    uid : str
        What tells this day's events from all others, so that a calendar that takes it in again replaces them.
    """
    out = Calendar()
    out.add("prodid", "-//Bruvet//Cook day//EN")
    out.add("version", "2.0")
    out.add("x-wr-calname", title)
    for number, task in enumerate(tasks):
        event = Event()
        arms = f" ({', '.join(task.arms)})" if task.arms else ""
        event.add("summary", f"{task.name}{arms}")
        event.add("uid", f"{uid}-{number}@bruvet")
        event.add("dtstamp", made_at)
        event.add("dtstart", task.at)
        event.add("dtend", task.at + timedelta(minutes=max(task.hands_min, 5)))
        if task.note:
            event.add("description", task.note)
        alarm = Alarm()
        alarm.add("action", "DISPLAY")
        alarm.add("description", f"{task.name}{arms}")
        alarm.add("trigger", -ALARM_BEFORE)
        event.add_component(alarm)
        out.add_component(event)
    return out.to_ical()
