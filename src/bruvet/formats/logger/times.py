"""When each row was taken: clock stamps, times of day, epochs and elapsed times, and what is open about them."""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from typing import Literal
from zoneinfo import ZoneInfo

import numpy as np
from numpy.typing import NDArray

from .values import NUMBER, is_missing, shorten

Kind = Literal["clock", "time-of-day", "epoch", "elapsed"]
Order = Literal["day", "month"]

DAY_S = 86400.0
SERIAL_1970 = 25569.0
MONTHS = {
    name: index
    for index, name in enumerate(
        ["jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec"], 1
    )
}
_TIME = (
    r"(?P<time>\d{1,3}[:h.]\d{2}(?:[:.]\d{2}(?:[.,:]\d{1,9})?)?)\s*(?P<half>[AaPp]\.?\s?[Mm]\.?)?"
    r"\s*(?P<zone>Z|UTC|GMT|[+-]\d{2}:?\d{2}|[+-]\d{2})?"
)
_DATE = (
    r"(?P<date>\d{4}[-/.]\d{1,2}[-/.]\d{1,2}|\d{1,2}[-/.]\d{1,2}[-/.](?:\d{4}|\d{2})|\d{8}"
    r"|\d{1,2}[\s.-]+[A-Za-z]{3,9}\.?[\s,.-]+\d{2,4}|[A-Za-z]{3,9}\.?\s+\d{1,2},?\s+\d{4})"
)
_WEEKDAY = r"(?:(?:mon|tue|wed|thu|fri|sat|sun)[a-z]*\.?,?\s+)?"
CLOCK = re.compile(rf"^\s*{_WEEKDAY}{_DATE}(?:\s*[T,;\s]\s*{_TIME})?\s*$", re.IGNORECASE)
COMPACT = re.compile(r"^\s*(\d{8})T(\d{2})(\d{2})(\d{2})?(Z|[+-]\d{2}:?\d{2})?\s*$")
TIME_OF_DAY = re.compile(rf"^\s*{_TIME}\s*$", re.IGNORECASE)
SPAN = re.compile(r"^\s*(?:(\d+)\s*d(?:ays?)?[\s,]+)?(\d{1,4}):(\d{1,2})(?::(\d{1,2}(?:[.,]\d+)?))?\s*$")


def looks_like_time(cell: str) -> bool:
    text = cell.strip()
    return (":" in text and bool(CLOCK.match(text) or TIME_OF_DAY.match(text) or SPAN.match(text))) or bool(
        COMPACT.match(text) or (CLOCK.match(text) and not NUMBER.match(text) and len(text) >= 8)
    )


class _Memo(dict[str, float]):
    """Results of a cell parser by text: logs repeat dates, times and values by the thousand."""

    def __init__(self, parse: Callable[[str], float]) -> None:
        super().__init__()
        self.parse = parse

    def __missing__(self, text: str) -> float:
        value = self.parse(text)
        if len(self) < 200_000:
            self[text] = value
        return value


def time_seconds(text: str, half: str | None) -> float:
    """Seconds since midnight of `5:30`, `17:30:15`, `5:30 PM`; ValueError when it is no time of day."""
    parts = re.split(r"[:h.]", text, maxsplit=2)
    hour, minute = int(parts[0]), int(parts[1])
    second = float(parts[2].replace(",", ".").replace(":", ".")) if len(parts) > 2 else 0.0
    if half:
        if not 1 <= hour <= 12:
            raise ValueError(f"'{text} {half}' is not a 12-hour time")
        hour = hour % 12 + (12 if half[0] in "pP" else 0)
    if hour > 23 or minute > 59 or second >= 61:
        raise ValueError(f"'{text}' is not a time of day")
    return hour * 3600 + minute * 60 + second


def span_minutes(text: str) -> float:
    """Minutes of `1:30` (h:mm), `1:30:00` (h:mm:ss) or `1d 02:00`."""
    match = SPAN.match(text)
    if not match:
        raise ValueError(f"'{shorten(text)}' is not a length of time")
    days, hours, minutes, seconds = match.groups()
    if int(minutes) > 59:
        raise ValueError(f"'{shorten(text)}' has more than 59 minutes")
    return int(days or 0) * 1440 + int(hours) * 60 + int(minutes) + float((seconds or "0").replace(",", ".")) / 60


def date_parts(text: str) -> tuple[int, int, int, bool]:
    """`(first, second, year, open)` of a date; when not `open`, first is the day and second the month."""
    clean = text.strip().strip(",")
    if re.fullmatch(r"\d{8}", clean):
        return int(clean[6:]), int(clean[4:6]), int(clean[:4]), False
    words = [word for word in re.split(r"[-/.,\s]+", clean) if word]
    if len(words) != 3:
        raise ValueError(f"'{shorten(text)}' is not a date")
    for place in (0, 1):
        if words[place][0].isalpha():
            month = MONTHS.get(words[place][:3].lower())
            if month is None:
                raise ValueError(f"'{shorten(text)}' names no month")
            return int(words[1 - place]), month, _year(words[2]), False
    if len(words[0]) == 4:
        return int(words[2]), int(words[1]), int(words[0]), False
    return int(words[0]), int(words[1]), _year(words[2]), True


def _year(text: str) -> int:
    return int(text) + 2000 if len(text) == 2 else int(text)


def date_seconds(text: str, order: Order) -> float:
    """Seconds from 1970-01-01 to the start of a date, read day first or month first where that is open."""
    first, second, year, is_open = date_parts(text)
    day, month = (second, first) if is_open and order == "month" else (first, second)
    try:
        return (date(year, month, day) - date(1970, 1, 1)).days * DAY_S
    except ValueError:
        raise ValueError(f"'{shorten(text)}' is not a date on the calendar") from None


def zone_seconds(text: str) -> float:
    if text.upper() in ("Z", "UTC", "GMT"):
        return 0.0
    digits = text[1:].replace(":", "").ljust(4, "0")
    return (1 if text[0] == "+" else -1) * (int(digits[:2]) * 3600 + int(digits[2:]) * 60)


@dataclass(frozen=True)
class TimeReader:
    """How to read the time cells of a file.

    `columns` are one column, or a date column and a time column. `scale` turns an elapsed number into
    minutes and an epoch into seconds; `as_span` reads elapsed times as h:mm. `serial` marks a spreadsheet's
    dates as numbers of days. `order` matters only for clock stamps with all-number dates.
    """

    kind: Kind
    columns: tuple[int, ...]
    order: Order = "day"
    scale: float = 1.0
    as_span: bool = False
    serial: bool = False

    def parser(self) -> Callable[[Sequence[str]], tuple[float, float]]:
        """A function from a row's cells to `(number, zone)`.

        The number is naive seconds since 1970 (clock), seconds since midnight (time of day), UTC seconds
        (epoch) or minutes (elapsed); zone is the offset from UTC in seconds written in the cell, or NaN.
        """
        if self.kind == "clock" and not self.serial:
            return self._clock_parser()
        column = self.columns[0]
        if self.serial:
            return lambda cells: (round((_plain_number(cells[column]) - SERIAL_1970) * DAY_S), math.nan)
        if self.kind == "time-of-day":
            memo = _Memo(_time_of_day)
            return lambda cells: (memo[cells[column]], math.nan)
        if self.kind == "elapsed" and self.as_span:
            spans = _Memo(span_minutes)
            return lambda cells: (spans[cells[column]], math.nan)
        scale = self.scale
        return lambda cells: (_plain_number(cells[column]) * scale, math.nan)

    def _clock_parser(self) -> Callable[[Sequence[str]], tuple[float, float]]:
        dates = _Memo(lambda text: date_seconds(text, self.order))
        times = _Memo(lambda text: time_seconds(*_split_half(text)))
        zones = _Memo(zone_seconds)
        columns = self.columns

        # Halves of stamps without a zone that were read before: most rows of a long log are made of such.
        days: dict[str, float] = {}
        clocks: dict[str, float] = {}

        def parse(cells: Sequence[str]) -> tuple[float, float]:
            text = cells[columns[0]]
            if len(columns) == 2:
                text = f"{text.strip()} {cells[columns[1]].strip()}"
            left, _, right = text.partition(" ")
            if left in days and right in clocks:
                return days[left] + clocks[right], math.nan
            match = CLOCK.match(text)
            if not match:
                return _compact(text)
            day, time, half, zone = match.group("date", "time", "half", "zone")
            since = times[f"{time}|{half}" if half else time] if time else 0.0
            if time and not zone and left == day:
                days[left] = dates[day]
                clocks[right] = since
            at = dates[day] + since
            return at, (zones[zone] if zone else math.nan)

        return parse


def _split_half(text: str) -> tuple[str, str | None]:
    time, _, half = text.partition("|")
    return time, half or None


def _compact(text: str) -> tuple[float, float]:
    match = COMPACT.match(text)
    if not match:
        raise ValueError("has no time" if is_missing(text) else f"'{shorten(text)}' is not a date and time")
    day, hour, minute, second, zone = match.groups()
    at = date_seconds(day, "day") + time_seconds(f"{hour}:{minute}:{second or '00'}", None)
    return at, (zone_seconds(zone) if zone else math.nan)


def _time_of_day(text: str) -> float:
    match = TIME_OF_DAY.match(text)
    if not match:
        raise ValueError("has no time" if is_missing(text) else f"'{shorten(text)}' is not a time of day")
    return time_seconds(match.group("time"), match.group("half"))


def _plain_number(text: str) -> float:
    clean = text.strip()
    if not NUMBER.match(clean):
        raise ValueError("has no time" if is_missing(clean) else f"'{shorten(text)}' is not a time")
    return float(clean.replace(",", "."))


# ---- from what was written to moments ---------------------------------------------------------------


def days_unrolled(seconds: NDArray[np.float64]) -> NDArray[np.float64]:
    """Seconds since the first midnight of times of day that run past midnight, in file order.

    A step back of more than half a day is a midnight; a step forward of more than half a day is a row
    out of order from before it. A file that runs backward (newest first) is unrolled from its end.
    """
    if len(seconds) < 2:
        return seconds.copy()
    steps = np.diff(seconds)
    backward = np.count_nonzero((steps < 0) & (steps > -DAY_S / 2)) > np.count_nonzero(
        (steps > 0) & (steps < DAY_S / 2)
    )
    ordered = seconds[::-1] if backward else seconds
    steps = np.diff(ordered)
    days = np.concatenate([[0.0], np.cumsum((steps < -DAY_S / 2).astype(float) - (steps > DAY_S / 2))])
    unrolled = ordered + (days - days.min()) * DAY_S
    return unrolled[::-1] if backward else unrolled


def localised(naive_s: NDArray[np.float64], zone: ZoneInfo) -> NDArray[np.float64]:
    """UTC seconds of wall-clock seconds in `zone`, through a change of clocks in the night.

    Times inside the repeated hour are the first pass until the written clock steps back, the second pass
    after. A logger that did not follow the change (it wrote times that do not exist, or ran straight
    through the repeated hour) is read with the offset it began with.
    """
    if not len(naive_s):
        return naive_s.copy()
    low, high = float(naive_s.min()), float(naive_s.max())
    first = _offset(low, zone, 0)
    changes = _changes(low, high, zone)
    if not changes:
        return naive_s - first
    offsets = np.full(len(naive_s), first)
    for change_s, before, after in changes:
        if after < before:
            inside = (naive_s >= change_s - (before - after)) & (naive_s < change_s)
            offsets[naive_s >= change_s] = after
            where = np.flatnonzero(inside)
            if not len(where):
                continue
            order = _file_direction(naive_s)
            walk = where if order > 0 else where[::-1]
            back = np.flatnonzero(np.diff(naive_s[walk]) < -900)
            if len(back):
                offsets[walk[: back[0] + 1]] = before
                offsets[walk[back[0] + 1 :]] = after
            elif _runs_straight_through(naive_s, change_s):
                offsets[:] = first
            else:
                offsets[where] = before
        else:
            missing = (naive_s >= change_s) & (naive_s < change_s + (after - before))
            if missing.any():
                offsets[:] = first
            else:
                offsets[naive_s >= change_s] = after
    return naive_s - offsets


def _file_direction(values: NDArray[np.float64]) -> int:
    steps = np.diff(values)
    return 1 if np.count_nonzero(steps >= 0) * 2 >= len(steps) else -1


def _runs_straight_through(naive_s: NDArray[np.float64], change_s: float) -> bool:
    """Whether the log goes on past the repeated hour at its usual pace, so its clock was never set back."""
    near = np.unique(naive_s[np.abs(naive_s - change_s) < 7200])
    after, before = near[near >= change_s], near[near < change_s]
    if len(near) < 3 or not len(after) or not len(before):
        return False
    return bool(after[0] - before[-1] <= 1.5 * np.median(np.diff(near)) + 1)


def _offset(naive_s: float, zone: ZoneInfo, fold: int) -> float:
    moment = datetime(1970, 1, 1) + timedelta(seconds=float(naive_s))
    offset = moment.replace(tzinfo=zone, fold=fold).utcoffset()
    return offset.total_seconds() if offset is not None else 0.0


def _changes(low_s: float, high_s: float, zone: ZoneInfo) -> list[tuple[float, float, float]]:
    """Clock changes between two naive times: `(naive second of the change by the old clock, before, after)`."""
    found = []
    start = math.floor(low_s / 3600 - 3) * 3600.0
    previous = _utc_offset(start - _offset(low_s, zone, 0), zone)
    hours = min(int((high_s - start) / 3600) + 6, 24 * 400)
    base = start - _offset(low_s, zone, 0)
    for step in range(1, hours):
        utc = base + step * 3600.0
        offset = _utc_offset(utc, zone)
        if offset != previous:
            found.append((utc + previous, previous, offset))
            previous = offset
    return found


def _utc_offset(utc_s: float, zone: ZoneInfo) -> float:
    offset = (datetime(1970, 1, 1, tzinfo=UTC) + timedelta(seconds=utc_s)).astimezone(zone).utcoffset()
    return offset.total_seconds() if offset is not None else 0.0
