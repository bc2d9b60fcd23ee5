"""The plain wide CSV of `./bruvet stall`: elapsed_min, pit_c or pit_f, NAME_c or NAME_f, and perhaps event."""

from __future__ import annotations

import csv
import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from bruvet.core.curves.stall import Mark
from bruvet.core.trial.event_text import read_event
from bruvet.core.units import c_from_f

from .logger.table import decode
from .logger.values import number

FloatArray = NDArray[np.float64]


class BadCurves(ValueError):
    """The file is not such a CSV; the text says where and how to mend it."""


@dataclass(frozen=True)
class WideCurves:
    """Minutes (n,), pit in °C (n,) or None, probes by name in °C (n,), and what was done."""

    t_min: FloatArray
    pit_c: FloatArray | None
    probes: dict[str, FloatArray]
    marks: tuple[Mark, ...]


def read_wide_curves(content: bytes) -> WideCurves:
    """Read the CSV; temperatures headed `_f` become °C. Raises `BadCurves`."""
    if not content.strip():
        raise BadCurves("the file is empty")
    text, _ = decode(content)
    lines = text.splitlines()
    delimiter = next((d for d in ",;\t" if d in lines[0]), ",")
    reader = csv.reader(lines, delimiter=delimiter)
    heading = [cell.strip() for cell in next(reader)]
    names = [cell.lower() for cell in heading]
    if "elapsed_min" not in names:
        raise BadCurves(f"line 1: no column 'elapsed_min' among {', '.join(heading) or 'nothing'}")
    time_at = names.index("elapsed_min")
    event_at = names.index("event") if "event" in names else None
    temps = {i: name[-1] for i, name in enumerate(names) if name.endswith(("_c", "_f")) and len(name) > 2}
    pit_at = next((i for i in temps if names[i] in ("pit_c", "pit_f")), None)
    if not [i for i in temps if i != pit_at]:
        raise BadCurves("line 1: no internal temperature: a column NAME_c or NAME_f is needed besides the pit")
    minutes: list[float] = []
    values: dict[int, list[float]] = {i: [] for i in temps}
    marks: list[Mark] = []
    for cells in reader:
        if not any(cell.strip() for cell in cells):
            continue
        at = _cell(cells, time_at, reader.line_num, "elapsed_min")
        if math.isnan(at):
            raise BadCurves(f"line {reader.line_num}: elapsed_min is blank")
        minutes.append(at)
        for i, unit in temps.items():
            value = _cell(cells, i, reader.line_num, heading[i])
            values[i].append(c_from_f(value) if unit == "f" else value)
        if event_at is not None and event_at < len(cells) and cells[event_at].strip():
            pit_unit = temps[pit_at] if pit_at is not None else None
            marks.append(_mark(at, cells[event_at], pit_unit))
    if not minutes:
        raise BadCurves("there are no rows under the heading")
    order = np.argsort(np.array(minutes), kind="stable")
    arrays = {i: np.array(column, float)[order] for i, column in values.items()}
    return WideCurves(
        t_min=np.array(minutes, float)[order],
        pit_c=arrays[pit_at] if pit_at is not None else None,
        probes={heading[i][:-2]: arrays[i] for i in temps if i != pit_at},
        marks=tuple(marks),
    )


def _cell(cells: list[str], index: int, line: int, name: str) -> float:
    if index >= len(cells):
        return math.nan
    try:
        value, _ = number(cells[index])
    except ValueError as error:
        raise BadCurves(f"line {line}, {name}: {error}") from None
    return value


def _mark(at_min: float, text: str, pit_unit: str | None) -> Mark:
    written = read_event(text)
    temp_c = written.temp
    # A setting without a unit is in the unit of the pit column; of two readings only one is a pit.
    if temp_c is not None and (written.unit or pit_unit or ("f" if temp_c > 180 else "c")) == "f":
        temp_c = c_from_f(temp_c)
    return Mark(at_min, written.kind.value, written.wrap_in or (text.strip() if written.temp is None else ""), temp_c)
