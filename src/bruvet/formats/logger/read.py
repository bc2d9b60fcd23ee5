"""A log understood, and its readings collected under that understanding."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from datetime import UTC, date, datetime, timedelta
from typing import Literal
from zoneinfo import ZoneInfo

import numpy as np
from numpy.typing import NDArray

from bruvet.core.units import c_from_f

from .guess import Guess, Role, guess
from .guess_time import seconds_of
from .table import Row, Table, cut
from .times import Order, TimeReader, days_unrolled, localised
from .values import COLDEST_C, HOTTEST_C, MINUS_ONE, number, shorten, unit_word

FloatArray = NDArray[np.float64]
PROGRESS_EVERY = 20_000


@dataclass(frozen=True)
class Column:
    """One column (or, in a long file, one probe) and what it is taken to be."""

    name: str
    role: Role
    unit: str | None = None
    ask: str | None = None


@dataclass(frozen=True)
class Understanding:
    """What a log seems to be. `columns` has one entry a column of the file."""

    table: Table
    layout: Literal["wide", "long"]
    reader: TimeReader
    time_ask: str | None
    columns: tuple[Column, ...]

    @property
    def encoding(self) -> str:
        return self.table.encoding

    def index(self, role: Role) -> int | None:
        return next((i for i, column in enumerate(self.columns) if column.role == role), None)


@dataclass(frozen=True)
class Choices:
    """What a person has settled: where time begins, the zone, and corrections of the guesses."""

    log_date: date | None = None
    tz: str = "UTC"
    order: Order | None = None
    elapsed_scale: float | None = None
    units: Mapping[str, str] = field(default_factory=dict)
    roles: Mapping[str, Role] = field(default_factory=dict)


@dataclass(frozen=True)
class Series:
    """Readings of one probe in order of time.

    `at` is seconds: UTC since 1970, or since the log began for an elapsed log, or since the first midnight
    for times of day without a date. `temp_c` in °C. Both shape (n,).
    """

    name: str
    unit: str | None
    ask: str | None
    at: FloatArray
    temp_c: FloatArray


@dataclass(frozen=True)
class LogReadings:
    """Everything a log holds: readings by probe, events as written, and the lines that could not be used."""

    series: tuple[Series, ...]
    events: tuple[tuple[float, str], ...]
    rows: int
    duplicates: int
    bad: tuple[tuple[int, str], ...]
    dated: bool


def understand(content: bytes, choices: Choices | None = None) -> Understanding:
    """Look at a log and say what its columns seem to be; `UnreadableFile` when it is no table."""
    choices = choices or Choices()
    table = cut(content)
    found: Guess = guess(table, choices.log_date, choices.roles)
    reader, ask = found.time, found.time_ask
    if choices.order:
        reader, ask = replace(reader, order=choices.order), None
    if choices.elapsed_scale and reader.kind == "elapsed":
        reader, ask = replace(reader, scale=choices.elapsed_scale, as_span=False), None
    if reader.kind == "time-of-day" and choices.log_date is None:
        ask = ask or "On which date does this log begin? Its times have no date."
    columns = []
    for i, name in enumerate(table.names):
        settled = choices.units.get(name)
        columns.append(Column(name, found.roles[i], settled or found.units[i], None if settled else found.unit_asks[i]))
    return Understanding(table, found.layout, reader, ask, tuple(columns))


class _Collector:
    """Cells into lists, row by row; a bad cell costs its cell, a bad time its row."""

    def __init__(self, log: Understanding) -> None:
        self.log = log
        self.times: list[float] = []
        self.zones: list[float] = []
        self.lines: list[int] = []
        self.names: list[str] = []
        self.values: list[list[float]] = []
        self.events: list[tuple[int, str]] = []
        self.bad: list[tuple[int, str]] = []
        self._memo: dict[tuple[int, str], float] = {}
        self._parse_time = log.reader.parser()
        self._value_columns = [i for i, column in enumerate(log.columns) if column.role in ("temperature", "value")]
        self._probe = log.index("probe")
        self._unit = log.index("unit")
        self._event = log.index("event")
        self._needed = max([*log.reader.columns, *self._value_columns, self._probe or 0]) + 1
        self._fahrenheit = [log.columns[i].unit == "f" for i in self._value_columns]
        self._minus_one_is_real = [self._has_frost(i) for i in self._value_columns]
        self._bare = max(log.reader.columns) + 1
        self._ends_early = self._often_ends_early()

    def _often_ends_early(self) -> bool:
        """Whether the logger leaves out trailing cells of probes that are not there, rather than one line cut short."""
        rows = self.log.table.sample()
        short = sum(self._bare < len(row.cells) < self._needed for row in rows)
        return short > 0.2 * len(rows)

    def _has_frost(self, column: int) -> bool:
        """Whether a column has other readings below zero, so that −1 is one of them and not *no probe*."""
        for row in self.log.table.sample():
            if column < len(row.cells):
                try:
                    value, _ = number(row.cells[column])
                except ValueError:
                    continue
                if value < 0 and value != MINUS_ONE:
                    return True
        return False

    def take(self, row: Row) -> None:
        cells = row.cells
        width = self.log.table.width
        if self._ends_early and len(cells) > self._bare:
            cells = [*cells, *[""] * (self._needed - len(cells))]
        if len(cells) < self._needed or (len(cells) != width and any(cell.strip() for cell in cells[width:])):
            heading = tuple(cell.strip() for cell in cells)
            self.bad.append((row.line, self._wrong_width(cells, heading)))
            return
        try:
            at, zone = self._parse_time(cells)
        except (ValueError, IndexError) as error:
            again = tuple(cell.strip() for cell in cells) == self.log.table.heading
            self.bad.append((row.line, "the heading again" if again else f"the time {_after_time(error)}"))
            return
        values = []
        for place, column in enumerate(self._value_columns):
            text = cells[column]
            value = self._memo.get((place, text))
            if value is None:
                try:
                    value = self._value(place, text)
                except ValueError as error:
                    self.bad.append((row.line, f"{self.log.columns[column].name}: {error}"))
                    value = math.nan
                if self._unit is None and len(self._memo) < 500_000 and value == value:
                    self._memo[(place, text)] = value
            if self._unit is not None and value == value:
                value = self._by_unit_cell(row, value)
            values.append(value)
        self.times.append(at)
        self.zones.append(zone)
        self.lines.append(row.line)
        self.values.append(values)
        if self._probe is not None:
            self.names.append(cells[self._probe].strip() or "(no name)")
        if self._event is not None and self._event < len(cells) and cells[self._event].strip():
            self.events.append((len(self.times) - 1, cells[self._event].strip()))

    def _wrong_width(self, cells: list[str], heading: tuple[str, ...]) -> str:
        if heading == self.log.table.heading:
            return "the heading again"
        return f"has {len(cells)} fields where the heading has {self.log.table.width}"

    def _value(self, place: int, text: str) -> float:
        value, suffix = number(text)
        if value != value or (value == MINUS_ONE and not self._minus_one_is_real[place]):
            return math.nan
        if self._unit is not None and suffix is None:
            return value
        fahrenheit = suffix == "f" if suffix else self._fahrenheit[place]
        return _in_range(c_from_f(value) if fahrenheit else value, text)

    def _by_unit_cell(self, row: Row, value: float) -> float:
        assert self._unit is not None
        unit = unit_word(row.cells[self._unit]) if self._unit < len(row.cells) else None
        try:
            return _in_range(c_from_f(value) if unit == "f" else value, f"{value:g}")
        except ValueError as error:
            self.bad.append((row.line, str(error)))
            return math.nan


def _in_range(value_c: float, text: str) -> float:
    if not COLDEST_C <= value_c <= HOTTEST_C:
        raise ValueError(f"'{shorten(text)}' is no temperature of a pit or of meat")
    return value_c


def _after_time(error: Exception) -> str:
    text = str(error)
    return text if text.startswith(("is ", "has ")) or "'" in text else "cannot be read"


def collect(
    log: Understanding, choices: Choices | None = None, progress: Callable[[float], None] | None = None
) -> LogReadings:
    """Read every row of a log.

    Parameters
    ----------
    log : Understanding
        From `understand`, with whatever a person corrected already in it.
    choices : Choices
        The date that undated times begin on, and the zone of clock times without one.
    progress : callable, optional
        Called now and then with the share of lines read, 0 to 1.

    Returns
    -------
    LogReadings
        Series in °C in order of time, without repeats; bad lines by number, with the reason.
    """
    choices = choices or Choices()
    collector = _Collector(log)
    total = max(len(log.table.lines), 1)
    for count, row in enumerate(log.table.rows()):
        collector.take(row)
        if progress and count % PROGRESS_EVERY == PROGRESS_EVERY - 1:
            progress(row.line / total)
    times = np.array(collector.times, dtype=float)
    zones = np.array(collector.zones, dtype=float)
    values = np.array(collector.values, dtype=float).reshape(len(times), -1)
    lines = np.array(collector.lines, dtype=np.int64)
    groups: dict[str, NDArray[np.intp]] = {}
    if log.layout == "long":
        places: dict[str, list[int]] = defaultdict(list)
        for position, name in enumerate(collector.names):
            places[name].append(position)
        groups = {name: np.array(where) for name, where in places.items()}
        at = np.empty_like(times)
        # A long file may list one probe after another: each is a run of time of its own.
        for where in groups.values():
            at[where] = _moments(log.reader, times[where], zones[where], choices)
    else:
        at = _moments(log.reader, times, zones, choices)
    dated = log.reader.kind in ("clock", "epoch") or (log.reader.kind == "time-of-day" and choices.log_date is not None)
    series, duplicates, conflicts = _by_probe(log, at, values, lines, groups)
    events = tuple((float(at[position]), text) for position, text in collector.events)
    return LogReadings(
        series=series,
        events=events,
        rows=len(times),
        duplicates=duplicates,
        bad=tuple(sorted({*collector.bad, *conflicts})),
        dated=dated,
    )


def _moments(reader: TimeReader, times: FloatArray, zones: FloatArray, choices: Choices) -> FloatArray:
    """Seconds of each row, as `Series.at` has them."""
    if reader.kind == "elapsed":
        return times * 60.0
    if reader.kind == "epoch":
        return times
    zone = ZoneInfo(choices.tz)
    if reader.kind == "time-of-day":
        unrolled = days_unrolled(times)
        if choices.log_date is None:
            return unrolled
        return localised(unrolled + seconds_of(choices.log_date), zone)
    written = np.isfinite(zones)
    if written.all():
        return times - zones
    out = localised(times, zone)
    out[written] = times[written] - zones[written]
    return out


def _by_probe(
    log: Understanding,
    at: FloatArray,
    values: FloatArray,
    lines: NDArray[np.int64],
    groups: dict[str, NDArray[np.intp]],
) -> tuple[tuple[Series, ...], int, list[tuple[int, str]]]:
    conflicts: list[tuple[int, str]] = []
    if log.layout == "long":
        index = log.index("value")
        assert index is not None
        column = log.columns[index]
        out, duplicates = [], 0
        for name, where in groups.items():
            keep, repeats, clashes = _first_of_each(at[where], values[where], lines[where])
            duplicates += repeats
            conflicts += clashes
            out.append(_series(name, column, at[where][keep], values[where][keep, 0]))
        return tuple(out), duplicates, conflicts
    keep, duplicates, conflicts = _first_of_each(at, values, lines)
    columns = [column for column in log.columns if column.role == "temperature"]
    series = [_series(c.name, c, at[keep], values[keep, i]) for i, c in enumerate(columns)]
    return tuple(series), duplicates, conflicts


def _series(name: str, column: Column, at: FloatArray, temp_c: FloatArray) -> Series:
    known = np.isfinite(temp_c)
    return Series(name, column.unit, column.ask, at[known], temp_c[known])


def _first_of_each(
    at: FloatArray, values: FloatArray, lines: NDArray[np.int64]
) -> tuple[NDArray[np.intp], int, list[tuple[int, str]]]:
    """Rows in order of time, the first of each moment; how many said the same again, and which said otherwise."""
    order = np.argsort(at, kind="stable")
    repeated = np.concatenate([[False], np.diff(at[order]) == 0]) if len(at) else np.zeros(0, bool)
    if not repeated.any():
        return order, 0, []
    leader = np.maximum.accumulate(np.where(repeated, 0, np.arange(len(order))))
    first, here = order[leader[repeated]], order[repeated]
    same = np.all((values[first] == values[here]) | (np.isnan(values[first]) & np.isnan(values[here])), axis=1)
    clashes = [
        (int(line), f"same time as line {int(other)} with another value; the first is kept")
        for line, other in zip(lines[here[~same]], lines[first[~same]], strict=True)
    ]
    return order[~repeated], int(same.sum()), clashes


def moment_text(seconds: float, tz: str) -> str:
    """A UTC second in a zone, as ISO 8601 with its offset."""
    moment = (datetime(1970, 1, 1, tzinfo=UTC) + timedelta(seconds=seconds)).astimezone(ZoneInfo(tz))
    return moment.isoformat(timespec="milliseconds" if moment.microsecond else "seconds")
