"""Which columns of a table hold time, how it is written, and what is truly open about it."""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Sequence
from datetime import date
from itertools import pairwise
from typing import NoReturn

from .table import Row, Table, UnreadableFile
from .times import CLOCK, DAY_S, SPAN, Order, TimeReader, date_parts, looks_like_time
from .values import NUMBER, number

TIME_NAME = re.compile(
    r"\b(date|time|timestamp|datetime|clock|elapsed|epoch|unix|hour|hours|minutes?|min|seconds?|secs?|zeit|datum|"
    r"uhrzeit|hora|fecha|data|heure|stamp|when|at|duration|runtime|t)\b"
)
ELAPSED_NAME = re.compile(r"\b(elapsed|duration|run ?time|since|minutes?|mins?|seconds?|secs?|hours?|t)\b")
SECONDS_NAME = re.compile(r"\b(seconds?|secs?|s)\b")
MILLIS_NAME = re.compile(r"\b(ms|millis|milliseconds?)\b")
HOURS_NAME = re.compile(r"\b(hours?|hrs?|h)\b")
MINUTES_NAME = re.compile(r"\b(minutes?|mins?)\b")
# A spreadsheet's date as a number: days since the last day of 1899.
SERIAL_2000, SERIAL_2100 = 36526.0, 73051.0


def share(cells: Sequence[str], test: Callable[[str], object]) -> float:
    """Share of cells that pass a test; 0 of none."""
    return sum(bool(test(cell)) for cell in cells) / len(cells) if cells else 0.0


def numbers_in(cells: Sequence[str]) -> list[float]:
    """Readings among cells, without the ways to say *no probe*."""
    out = []
    for cell in cells:
        try:
            value, _ = number(cell)
        except ValueError:
            continue
        if math.isfinite(value) and value != -1.0:
            out.append(value)
    return out


def time_columns(
    table: Table, rows: list[Row], columns: list[list[str]], names: list[str], log_date: date | None
) -> tuple[tuple[int, ...], TimeReader, str | None]:
    """The columns that hold time, how to read them, and the question where one is open.

    Raises `UnreadableFile` when no column holds times.
    """
    width = range(table.width)

    def is_clock(cell: str) -> bool:
        match = CLOCK.match(cell)
        return bool(match and match.group("time")) or bool(re.match(r"^\d{8}T\d{4}", cell))

    def is_day(cell: str) -> bool:
        match = CLOCK.match(cell)
        if not match or match.group("time"):
            return False
        return not NUMBER.match(cell) or (len(cell) == 8 and cell.isdigit() and cell[:2] in ("19", "20"))

    clocks = [i for i in width if share(columns[i], is_clock) > 0.5]
    days = [i for i in width if share(columns[i], is_day) > 0.5]
    times = [i for i in width if i not in clocks and share(columns[i], looks_like_time) > 0.5 and i not in days]
    if clocks:
        chosen: tuple[int, ...] = (_preferred(clocks, names),)
    elif days and times:
        chosen = (days[0], next((i for i in times if not re.search(r"elapsed|duration", names[i])), times[0]))
    else:
        chosen = ()
    if chosen:
        order, ask = _day_order(rows, chosen, log_date)
        return chosen, TimeReader("clock", chosen, order), ask
    if times:
        index = _preferred(times, names)
        return (index,), *_bare_time(index, columns[index], names[index])
    return _numeric_time(columns, names)


def _preferred(candidates: list[int], names: list[str]) -> int:
    local = [i for i in candidates if "local" in names[i]]
    return (local or [i for i in candidates if TIME_NAME.search(names[i])] or candidates)[0]


def _bare_time(index: int, cells: list[str], name: str) -> tuple[TimeReader, str | None]:
    """Times without a date: of day, or elapsed as h:mm."""
    spans = [SPAN.match(cell) for cell in cells]
    if not all(spans):
        return TimeReader("time-of-day", (index,)), None
    hours = [int(match.group(2)) for match in spans if match]
    elapsed = TimeReader("elapsed", (index,), as_span=True)
    if max(hours) > 23 or ELAPSED_NAME.search(name.replace("hh mm ss", "").replace("h mm", "").replace("time", "")):
        return elapsed, None
    from_zero = re.fullmatch(r"0{1,2}:00(?::00(?:[.,]0+)?)?", cells[0]) is not None
    in_order = hours == sorted(hours)
    if from_zero and in_order and not re.search(r"\b(clock|of day|uhrzeit|hora|local)\b", name):
        return (
            elapsed,
            "Is this time elapsed since the log began, or time of day from midnight on? Read as elapsed.",
        )
    return TimeReader("time-of-day", (index,)), None


def _numeric_time(columns: list[list[str]], names: list[str]) -> tuple[tuple[int, ...], TimeReader, str | None]:
    candidates = [i for i, cells in enumerate(columns) if cells and share(cells, lambda c: bool(NUMBER.match(c))) > 0.9]
    for i in candidates:
        values = numbers_in(columns[i])
        if values and min(values) > 9e8 and max(values) < 5e9:
            return (i,), TimeReader("epoch", (i,)), None
        if values and min(values) > 9e11 and max(values) < 5e12:
            return (i,), TimeReader("epoch", (i,), scale=0.001), None
        if values and min(values) > 9e14 and max(values) < 5e15:
            return (i,), TimeReader("epoch", (i,), scale=1e-6), None
    for i in candidates:
        values = numbers_in(columns[i])
        dated = values and min(values) > SERIAL_2000 and max(values) < SERIAL_2100 and TIME_NAME.search(names[i])
        if dated and any(value % 1 for value in values):
            return (i,), TimeReader("clock", (i,), serial=True), None
    named = [i for i in candidates if TIME_NAME.search(names[i]) or ELAPSED_NAME.search(names[i])]
    # Under a heading that says nothing of time, only a first column that rises may be it.
    rising = [i for i in candidates if (i == 0 or names[i].startswith("column ")) and _rising(numbers_in(columns[i]))]
    for i in [i for i in named if i in rising] + named + rising:
        values = numbers_in(columns[i])
        if not values:
            continue
        scale, ask = _elapsed_scale(values, names[i])
        return (i,), TimeReader("elapsed", (i,), scale=scale), ask
    _refuse(names)


def _refuse(names: list[str]) -> NoReturn:
    raise UnreadableFile(
        "No column of times was found among: "
        + ", ".join(names[:12])
        + ". Each line needs a clock time, a time of day or the minutes since the start."
    )


def _rising(values: list[float]) -> bool:
    if len(values) < 2:
        return bool(values)
    ups = sum(b > a for a, b in pairwise(values))
    return ups >= 0.9 * (len(values) - 1)


def _elapsed_scale(values: list[float], name: str) -> tuple[float, str | None]:
    """Minutes per unit of an elapsed column, and the question where the heading does not say."""
    if MILLIS_NAME.search(name):
        return 1 / 60000, None
    if SECONDS_NAME.search(name):
        return 1 / 60, None
    if MINUTES_NAME.search(name):
        return 1.0, None
    if HOURS_NAME.search(name):
        return 60.0, None
    top = max(values)
    question = "Is this column in minutes, seconds or hours since the log began? Read as "
    if top > 60 * 48:
        return 1 / 60, question + "seconds, since as minutes it would be more than two days."
    if top < 24 and any(value != round(value) for value in values):
        return 60.0, question + "hours, since its numbers are small and have decimals."
    return 1.0, question + "minutes."


def _day_order(rows: list[Row], chosen: tuple[int, ...], log_date: date | None) -> tuple[Order, str | None]:
    """Whether all-number dates are day first or month first, with a question when nothing settles it."""
    dates: list[tuple[int, int, int]] = []
    dotted = half_day = False
    example = ""
    for row in rows:
        if max(chosen) >= len(row.cells):
            continue
        match = CLOCK.match(row.cells[chosen[0]])
        if not match:
            continue
        half_day |= bool(re.search(r"\d\s*[ap]\.?m", " ".join(row.cells[i] for i in chosen), re.IGNORECASE))
        try:
            first, second, year, is_open = date_parts(match.group("date"))
        except ValueError:
            continue
        if not is_open:
            return "day", None
        dotted |= "." in match.group("date")
        example = example or match.group("date")
        dates.append((first, second, year))
    days_first = _calendar([(y, m, d) for d, m, y in dates])
    months_first = _calendar([(y, m, d) for m, d, y in dates])
    if dotted and days_first is not None:
        return "day", None
    if days_first is None and months_first is None:
        return _majority(dates), None
    if days_first is None or months_first is None:
        return ("month", None) if days_first is None else ("day", None)
    if days_first == months_first:
        return "day", None
    spread_d, spread_m = (max(x) - min(x) for x in (days_first, months_first))
    if min(spread_d, spread_m) <= 10 and max(spread_d, spread_m) >= 20:
        return ("day", None) if spread_d < spread_m else ("month", None)
    if log_date is not None:
        near_d = min(abs(day - log_date.toordinal()) for day in days_first) <= 2
        near_m = min(abs(day - log_date.toordinal()) for day in months_first) <= 2
        if near_d != near_m:
            return ("day", None) if near_d else ("month", None)
    order: Order = "month" if half_day else "day"
    return order, (f"Is {example} day/month or month/day? Nothing in the file settles it; read as {order} first.")


def _calendar(dates: list[tuple[int, int, int]]) -> list[int] | None:
    """Ordinals of (year, month, day) triples, or None when one of them is on no calendar."""
    out = []
    for year, month, day in dates:
        try:
            out.append(date(year, month, day).toordinal())
        except ValueError:
            return None
    return out or None


def _majority(dates: list[tuple[int, int, int]]) -> Order:
    """Order under which more rows are on the calendar; the others are bad lines."""
    days = sum(second <= 12 for _, second, _ in dates)
    months = sum(first <= 12 for first, _, _ in dates)
    return "month" if months > days else "day"


def seconds_of(day: date) -> float:
    """Naive seconds from 1970 to the start of a date."""
    return (day - date(1970, 1, 1)).days * DAY_S
