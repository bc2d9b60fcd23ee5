"""What was understood of a log, as one JSON object."""

from __future__ import annotations

from typing import Any

import numpy as np

from .read import Choices, LogReadings, Series, Understanding, collect, moment_text, understand


def check(content: bytes, choices: Choices) -> dict[str, Any]:
    """The object that `./bruvet import --check` prints: encoding, layout, time, columns, rows, bad lines."""
    log = understand(content, choices)
    readings = collect(log, choices)
    return {
        "encoding": log.encoding,
        "layout": log.layout,
        "time": {"kind": log.reader.kind, "ask": log.time_ask},
        "columns": _columns(log, readings, choices),
        "rows": readings.rows,
        "duplicates": readings.duplicates,
        "bad": [{"line": line, "why": why} for line, why in readings.bad],
    }


def _columns(log: Understanding, readings: LogReadings, choices: Choices) -> list[dict[str, Any]]:
    by_name = {series.name: series for series in readings.series}
    out: list[dict[str, Any]] = []
    for column in log.columns:
        if column.role == "value":
            out += [_entry(s.name, "temperature", s, log, readings, choices) for s in readings.series]
        elif column.role == "temperature":
            out.append(_entry(column.name, "temperature", by_name[column.name], log, readings, choices))
        else:
            out.append(
                {"name": column.name, "role": column.role, "unit": None, "ask": None, "readings": 0}
                | {"first": None, "last": None}
            )
    return out


def _entry(
    name: str, role: str, series: Series, log: Understanding, readings: LogReadings, choices: Choices
) -> dict[str, Any]:
    def point(index: int) -> list[Any] | None:
        if not len(series.at):
            return None
        at = float(series.at[index])
        when: Any
        if log.reader.kind == "elapsed":
            when = round(at / 60, 4)
        elif readings.dated:
            when = moment_text(at, choices.tz)
        else:
            when = f"{int(at // 3600) % 24:02d}:{int(at // 60) % 60:02d}:{int(at) % 60:02d}"
        return [when, round(float(series.temp_c[index]), 3)]

    return {
        "name": name,
        "role": role,
        "unit": series.unit,
        "ask": series.ask,
        "readings": int(np.size(series.at)),
        "first": point(0),
        "last": point(-1),
    }
