"""Times as people type them: a clock time, a date with one, or a span since meat on."""

from __future__ import annotations

import re
from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

EARLY = timedelta(hours=8)

_CLOCK = re.compile(r"^(?:(\d{4}-\d{2}-\d{2})[T\s]+)?(\d{1,2})[:.h](\d{2})(?::(\d{2}))?\s*([ap])?\.?(?:m\.?)?$", re.I)
_BARE_HALF = re.compile(r"^(\d{1,2})\s*([ap])\.?m\.?$", re.I)
_SPAN = re.compile(r"^([+-])?\s*(?:(\d+)\s*h(?:ours?|rs?)?\s*)?(?:(\d+)\s*(?:m(?:in(?:utes?)?)?)?)?$", re.I)
_SIGNED = re.compile(r"^([+-])\s*(\d{1,3}):(\d{2})$")


class BadTime(ValueError):
    """A time that cannot be read; the text says how to write one."""


HOW = "Write a clock time such as 14:35 or 2:35 pm, or the time since meat on such as +3:20 or 200 min."


def read_span(text: str) -> timedelta | None:
    """A span such as `+3:20`, `3h20`, `45 min`; None when the text is no span."""
    clean = text.strip().replace("−", "-")
    signed = _SIGNED.match(clean)
    if signed:
        sign, hours, minutes = signed.groups()
        if int(minutes) > 59:
            raise BadTime(f"'{text}' has more than 59 minutes. {HOW}")
        span = timedelta(hours=int(hours), minutes=int(minutes))
        return -span if sign == "-" else span
    match = _SPAN.match(clean)
    worded = re.search(r"[hm]", clean, re.I) or clean.startswith(("+", "-"))
    if match and worded and (match.group(2) or match.group(3)):
        span = timedelta(hours=int(match.group(2) or 0), minutes=int(match.group(3) or 0))
        return -span if match.group(1) == "-" else span
    return None


def read_when(text: str, zero: datetime | None, day: date, tz: str) -> datetime:
    """The UTC moment that a person means.

    Parameters
    ----------
    text : str
        `14:35`, `2:35 pm`, `2026-05-02 14:35`, `+3:20`, `3 h 20 min`, `200 min`.
    zero : datetime or None
        Meat on, for spans; a clock time without a date is the first such time after eight hours before it.
    day : date
        The cook's date, for clock times when there is no zero yet.
    tz : str
        The trial's zone.
    """
    clean = text.strip()
    if not clean:
        raise BadTime(f"When was it? {HOW}")
    zone = ZoneInfo(tz)
    span = read_span(clean)
    if span is not None:
        if zero is None:
            raise BadTime("A time since meat on needs a meat-on first: mark it with a clock time.")
        return zero + span
    half = _BARE_HALF.match(clean)
    if half:
        clean = f"{half.group(1)}:00 {half.group(2)}m"
    match = _CLOCK.match(clean)
    if not match:
        raise BadTime(f"'{text.strip()[:40]}' is not a time. {HOW}")
    written_day, hour, minute, second, ap = match.groups()
    hours = int(hour)
    if ap:
        if not 1 <= hours <= 12:
            raise BadTime(f"'{text.strip()}' is not a 12-hour time. {HOW}")
        hours = hours % 12 + (12 if ap in "pP" else 0)
    if hours > 23 or int(minute) > 59 or int(second or 0) > 59:
        raise BadTime(f"'{text.strip()}' is not a time of day. {HOW}")
    try:
        base = date.fromisoformat(written_day) if written_day else day
    except ValueError:
        raise BadTime(f"'{written_day}' is not on the calendar.") from None

    def on(which: date) -> datetime:
        local = datetime(which.year, which.month, which.day, hours, int(minute), int(second or 0), tzinfo=zone)
        return local.astimezone(UTC)

    if written_day or zero is None:
        return on(base)
    start = zero - EARLY
    first = start.astimezone(zone).date()
    return next(moment for step in range(3) if (moment := on(first + timedelta(days=step))) >= start)
