"""What each column of a table seems to be, and what is truly open about it."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Literal

from .guess_time import ELAPSED_NAME, TIME_NAME, numbers_in, share, time_columns
from .table import Row, Table
from .times import TimeReader, looks_like_time
from .values import is_missing, last_letter, looks_like_number, number, unit_word

Role = Literal["temperature", "time", "probe", "unit", "event", "value", "ignored"]

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


def guess(table: Table, log_date: date | None = None, settled: Mapping[str, Role] | None = None) -> Guess:
    """Guess the meaning of every column of `table`.

    `log_date` settles an open day and month where it can; `settled` are roles that a person gave, by column
    name, which the rest is guessed around.
    """
    settled = settled or {}
    rows = table.sample()
    columns = [_filled(rows, index) for index in range(table.width)]
    names = [_words(name) for name in table.names]
    given = [settled.get(name) for name in table.names]
    for_time = [name for name, role in settled.items() if role == "time" and name in table.names]
    may_be_time = [
        cells if (table.names[i] in for_time if for_time else given[i] is None) else []
        for i, cells in enumerate(columns)
    ]
    in_time, reader, time_ask = time_columns(table, rows, may_be_time, names, log_date)
    roles: list[Role] = []
    for index, (cells, name) in enumerate(zip(columns, names, strict=True)):
        has_unit = unit_word(table.names[index]) is not None or last_letter(table.names[index]) in ("c", "f")
        guessed: Role = "time" if index in in_time else _role(cells, name, has_unit)
        said = given[index]
        roles.append(guessed if said is None or index in in_time else "ignored" if said == "time" else said)
    layout = _settle_layout(roles, names, columns)
    units, asks = _units(table, roles, columns, names)
    return Guess(tuple(roles), reader, time_ask, layout, units, asks)


def _role(cells: list[str], name: str, has_unit: bool) -> Role:
    numeric = share(cells, looks_like_number)
    if not cells:
        # An empty column may be a probe that was never plugged in, or an empty column of notes.
        if EVENT_NAME.search(name):
            return "event"
        named = has_unit or re.search(r"\b(temp\w*|probe|meat|pit|food|channel|sensor)\b", name)
        return "temperature" if named and not NEVER_NAME.search(name) else "ignored"
    if UNIT_NAME.search(name) and share(cells, lambda c: unit_word(c) is not None) > 0.9:
        return "unit"
    if share(cells, lambda c: unit_word(c) is not None and not looks_like_number(c)) > 0.9:
        return "unit"
    if TIME_NAME.search(name) and share(cells, looks_like_time) > 0.5:
        return "ignored"
    if numeric < 0.5:
        if EVENT_NAME.search(name):
            return "event"
        return "probe" if PROBE_NAME.search(name) or len(set(cells)) <= max(2, len(cells) // 3) else "event"
    if NEVER_NAME.search(name):
        return "ignored"
    if COUNTING_NAME.search(name) and not (has_unit or re.search(r"\b(temp|probe|meat|pit|food)", name)):
        return "ignored"
    if has_unit:
        return "temperature"
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
        value, reason = _unit_by_size([numbers_in(columns[i]) for i in open_columns])
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
