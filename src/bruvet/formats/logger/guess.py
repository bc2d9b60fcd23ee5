"""What each column of a table seems to be, and what is truly open about it."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from itertools import pairwise
from typing import Literal

from .table import Row, Table
from .times import CLOCK, DAY_S, SPAN, Order, TimeReader, date_parts, looks_like_time
from .values import NUMBER, is_missing, last_letter, looks_like_number, number, unit_word

Role = Literal["temperature", "time", "probe", "unit", "event", "value", "ignored"]

TIME_NAME = re.compile(
    r"\b(date|time|timestamp|datetime|clock|elapsed|epoch|unix|hour|hours|minutes?|min|seconds?|secs?|zeit|datum|"
    r"uhrzeit|hora|fecha|data|heure|stamp|when|at|duration|runtime|t)\b"
)
ELAPSED_NAME = re.compile(r"\b(elapsed|duration|run ?time|since|minutes?|mins?|seconds?|secs?|hours?|t)\b")
SECONDS_NAME = re.compile(r"\b(seconds?|secs?|s)\b")
MILLIS_NAME = re.compile(r"\b(ms|millis|milliseconds?)\b")
HOURS_NAME = re.compile(r"\b(hours?|hrs?|h)\b")
MINUTES_NAME = re.compile(r"\b(minutes?|mins?)\b")
PROBE_NAME = re.compile(r"\b(probe|channel|sensor|source|name|id|ch|label|input|port|meter|series|fühler|sonde)\b")
VALUE_NAME = re.compile(r"\b(temp|temps|temperature|value|reading|wert|temperatur|valor)\b")
UNIT_NAME = re.compile(r"\b(units?|scale|einheit)\b")
EVENT_NAME = re.compile(
    r"\b(events?|notes?|remarks?|comments?|actions?|log|marker|annotation|what|ereignis|bemerkung)\b"
)
# Settings and states of a device are no readings, even when they are temperatures.
NEVER_NAME = re.compile(
    r"\b(battery|batt|bat|rssi|signal|humidity|hum|rh|fan|alarm|set|setpoint|target|limit|firmware|volt|voltage|"
    r"status|duty|output|power|high|low|pressure|co2|wind|latitude|longitude|percent)\b|%"
)
COUNTING_NAME = re.compile(r"\b(index|no|nr|row|record|sample|seq|sequence|number|serial|level|model|mac)\b|^#$")


@dataclass(frozen=True)
class Guess:
    """Roles by column, how time is read, and units by column with the question where one is open."""

    roles: tuple[Role, ...]
    time: TimeReader
    time_ask: str | None
    layout: Literal["wide", "long"]
    units: tuple[str | None, ...]
    unit_asks: tuple[str | None, ...]


def _words(name: str) -> str:
    spaced = re.sub(r"(?<=[a-z])(?=[A-Z])", " ", name)
    return re.sub(r"[_\-/().\[\]:]+", " ", spaced).lower().strip()


def _filled(rows: Sequence[Row], column: int) -> list[str]:
    return [row.cells[column].strip() for row in rows if column < len(row.cells) and not is_missing(row.cells[column])]


def _share(cells: Sequence[str], test: object) -> float:
    return sum(bool(test(cell)) for cell in cells) / len(cells) if cells else 0.0  # type: ignore[operator]


def _numbers(cells: Sequence[str]) -> list[float]:
    out = []
    for cell in cells:
        try:
            value, _ = number(cell)
        except ValueError:
            continue
        if math.isfinite(value) and value != -1.0:
            out.append(value)
    return out


def guess(table: Table, log_date: date | None = None) -> Guess:
    """Guess the meaning of every column of `table`; `log_date` settles an open day and month where it can."""
    rows = table.sample()
    columns = [_filled(rows, index) for index in range(table.width)]
    names = [_words(name) for name in table.names]
    time_columns, reader, time_ask = _time_columns(table, rows, columns, names, log_date)
    roles: list[Role] = []
    for index, (cells, name) in enumerate(zip(columns, names, strict=True)):
        has_unit = unit_word(table.names[index]) is not None
        roles.append("time" if index in time_columns else _role(cells, name, has_unit))
    layout = _settle_layout(roles, names, columns)
    units, asks = _units(table, roles, columns, names)
    return Guess(tuple(roles), reader, time_ask, layout, units, asks)


def _role(cells: list[str], name: str, has_unit: bool) -> Role:
    numeric = _share(cells, looks_like_number)
    if not cells:
        # An empty column may be a probe that was never plugged in, or an empty column of notes.
        return "event" if EVENT_NAME.search(name) else "temperature" if VALUE_NAME.search(name) else "ignored"
    if UNIT_NAME.search(name) and _share(cells, lambda c: unit_word(c) is not None) > 0.9:
        return "unit"
    if _share(cells, lambda c: unit_word(c) is not None and not looks_like_number(c)) > 0.9:
        return "unit"
    if TIME_NAME.search(name) and _share(cells, looks_like_time) > 0.5:
        return "ignored"
    if numeric < 0.5:
        if EVENT_NAME.search(name):
            return "event"
        return "probe" if PROBE_NAME.search(name) or len(set(cells)) <= max(2, len(cells) // 3) else "event"
    if NEVER_NAME.search(name):
        return "ignored"
    if COUNTING_NAME.search(name) and not (has_unit or re.search(r"\b(temp|probe|meat|pit|food)", name)):
        return "ignored"
    if name in ("elapsed", "time", "minutes", "seconds") or (ELAPSED_NAME.search(name) and not VALUE_NAME.search(name)):
        return "ignored"
    return "temperature"


def _settle_layout(roles: list[Role], names: list[str], columns: list[list[str]]) -> Literal["wide", "long"]:
    """Decide between a column a probe and a row a reading; settles the roles that depend on it."""
    named = [i for i, role in enumerate(roles) if role == "probe"]
    temperatures = [i for i, role in enumerate(roles) if role == "temperature"]
    if not named:
        # Probes may be numbered: a column of few whole numbers under a probe's name.
        named = [
            i
            for i, role in enumerate(roles)
            if role in ("temperature", "ignored")
            and re.search(
                r"^(probe|channel|sensor|ch|port|input|id|probe (id|no|nr|number)|channel (no|nr|number))$",
                names[i],
            )
            and len(set(columns[i])) <= 16
            and len(columns[i]) >= 2 * len(set(columns[i]))
            and all(cell.isdigit() for cell in columns[i])
        ]
    values = [i for i in temperatures if i not in named]
    if len(values) > 1:
        by_name = [i for i in values if VALUE_NAME.search(names[i]) or re.search(r"^[cf]$", names[i])]
        values = by_name if len(by_name) == 1 else values
    if named and len(values) == 1 and len(set(columns[named[0]])) >= 1:
        best = max(named, key=lambda i: (bool(PROBE_NAME.search(names[i])), len(set(columns[i]))))
        for i in range(len(roles)):
            if i == best:
                roles[i] = "probe"
            elif i == values[0]:
                roles[i] = "value"
            elif roles[i] in ("probe", "temperature"):
                roles[i] = "ignored"
        return "long"
    for i in named:
        if roles[i] == "probe":
            roles[i] = "event" if EVENT_NAME.search(names[i]) else "ignored"
    return "wide"


# ---- time -------------------------------------------------------------------------------------------


def _time_columns(
    table: Table, rows: list[Row], columns: list[list[str]], names: list[str], log_date: date | None
) -> tuple[tuple[int, ...], TimeReader, str | None]:
    width = range(table.width)

    def is_clock(cell: str) -> bool:
        match = CLOCK.match(cell)
        return bool(match and match.group("time")) or bool(re.match(r"^\d{8}T\d{4}", cell))

    def is_day(cell: str) -> bool:
        match = CLOCK.match(cell)
        if not match or match.group("time"):
            return False
        return not NUMBER.match(cell) or (len(cell) == 8 and cell.isdigit() and cell[:2] in ("19", "20"))

    clocks = [i for i in width if _share(columns[i], is_clock) > 0.5]
    days = [i for i in width if _share(columns[i], is_day) > 0.5]
    times = [i for i in width if i not in clocks and _share(columns[i], looks_like_time) > 0.5 and i not in days]
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
    candidates = [
        i for i, cells in enumerate(columns) if cells and _share(cells, lambda c: bool(NUMBER.match(c))) > 0.9
    ]
    for i in candidates:
        values = _numbers(columns[i])
        if values and min(values) > 9e8 and max(values) < 5e9:
            return (i,), TimeReader("epoch", (i,)), None
        if values and min(values) > 9e11 and max(values) < 5e12:
            return (i,), TimeReader("epoch", (i,), scale=0.001), None
        if values and min(values) > 9e14 and max(values) < 5e15:
            return (i,), TimeReader("epoch", (i,), scale=1e-6), None
    named = [i for i in candidates if TIME_NAME.search(names[i]) or ELAPSED_NAME.search(names[i])]
    rising = [i for i in candidates if _rising(_numbers(columns[i]))]
    for i in [i for i in named if i in rising] + named + rising:
        values = _numbers(columns[i])
        if not values:
            continue
        scale, ask = _elapsed_scale(values, names[i])
        return (i,), TimeReader("elapsed", (i,), scale=scale), ask
    raise_no_time(names)
    raise AssertionError


def raise_no_time(names: list[str]) -> None:
    from .table import UnreadableFile

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


# ---- units ------------------------------------------------------------------------------------------


def _units(
    table: Table, roles: list[Role], columns: list[list[str]], names: list[str]
) -> tuple[tuple[str | None, ...], tuple[str | None, ...]]:
    holds = [i for i, role in enumerate(roles) if role in ("temperature", "value")]
    letters = {i: last_letter(table.names[i]) for i in range(table.width)}
    numbered = any(letter not in (None, "c", "f") for letter in letters.values())
    whole_file = _file_unit(table)
    has_unit_column = "unit" in roles
    units: list[str | None] = [None] * table.width
    asks: list[str | None] = [None] * table.width
    open_columns = []
    for i in holds:
        suffixes = {number(cell)[1] for cell in columns[i] if looks_like_number(cell)} - {None}
        if unit_word(table.names[i]):
            units[i] = unit_word(table.names[i])
        elif len(suffixes) == 1:
            units[i] = suffixes.pop()
        elif letters[i] in ("c", "f") and not numbered:
            units[i] = letters[i]
        elif has_unit_column:
            said = {unit_word(cell) for cell in columns[roles.index("unit")]} - {None}
            units[i] = said.pop() if len(said) == 1 else None
        elif whole_file:
            units[i] = whole_file
        else:
            open_columns.append(i)
    if open_columns:
        value, reason = _unit_by_size([_numbers(columns[i]) for i in open_columns])
        for i in open_columns:
            units[i] = value
            asks[i] = f"Is '{table.names[i]}' in °F or °C? Read as °{value.upper()}, {reason}."
    return tuple(units), tuple(asks)


def _file_unit(table: Table) -> str | None:
    for line in table.preamble.splitlines():
        if re.search(r"temp|unit|scale|°|celsius|fahrenheit|einheit", line, re.IGNORECASE):
            for word in [line, *re.split(r"[:=\s,;]+", line)]:
                unit = unit_word(word) if word.strip() else None
                if unit:
                    return unit
    return None


def _unit_by_size(series: list[list[float]]) -> tuple[str, str]:
    """Unit of readings that name none, by what pits and meat can be, and the reason."""
    lows = [min(values) for values in series if values]
    highs = [max(values) for values in series if values]
    if not lows:
        return "c", "though the column is empty"
    if min(lows) < 28:
        return "c", f"since meat that begins at {min(lows):g} would be frozen hard in °F"
    if max(highs) > 190:
        return "f", f"since {max(highs):g} is a pit or finish in °F and out of reach in °C"
    if min(highs) > 110:
        return "f", f"since nothing stays under {min(highs):g} °C that is not a very hot pit"
    return ("c", "since nothing passes 130") if max(highs) <= 130 else ("f", "since most of it would be too hot in °C")


def seconds_of(day: date) -> float:
    """Naive seconds from 1970 to the start of a date."""
    return (day - date(1970, 1, 1)).days * DAY_S
