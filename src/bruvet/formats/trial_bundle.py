"""The bundle of a whole trial: one JSON document of tables, their rows numbered from 1, and readings by probe."""

from __future__ import annotations

import base64
import binascii
import gzip
import io
import json
import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date, datetime
from typing import Any

import numpy as np
from numpy.typing import NDArray

FORMAT, VERSION = "bruvet-trial", 1
MOST_BYTES = 1_000_000_000
LARGEST_INT = 2**31 - 1
FloatArray = NDArray[np.float64]


class BadBundle(ValueError):
    """A document that is no bundle; the text says where it goes wrong, and what was wanted."""


@dataclass(frozen=True)
class Kept:
    """One value's column: the type it has, the longest text, the words that are allowed, whether it may be empty.

    `table` is set where the value is the number of a row of that table.
    """

    kind: type
    longest: int | None = None
    words: frozenset[str] = frozenset()
    empty: bool = False
    needed: bool = False
    table: str = ""


@dataclass(frozen=True)
class Series:
    """One probe's readings: UTC seconds and °C, shape (n,)."""

    probe: int
    at_s: FloatArray
    temp_c: FloatArray


@dataclass(frozen=True)
class Bundle:
    """Rows by table, each a mapping of columns; readings by the number of their probe."""

    tables: Mapping[str, list[dict[str, Any]]]
    readings: tuple[Series, ...] = ()
    half_minutes: Mapping[int, list[list[float]]] = field(default_factory=dict)
    left_out: tuple[str, ...] = ()


def write(bundle: Bundle) -> bytes:
    """The document. Times are ISO 8601 in UTC, files base64, readings seconds after the first."""
    readings = []
    for one in bundle.readings:
        first = float(one.at_s[0]) if len(one.at_s) else 0.0
        readings.append(
            {
                "probe": one.probe,
                "from_s": first,
                "after_s": _short(np.round(one.at_s - first, 6)),
                "temp_c": _short(_as_told(one.temp_c)),
            }
        )
    tables = {
        name: [{key: _plain(value) for key, value in row.items()} for row in rows]
        for name, rows in bundle.tables.items()
    }
    whole = {
        "format": FORMAT,
        "version": VERSION,
        "left_out": list(bundle.left_out),
        "tables": tables,
        "readings": readings,
        "half_minutes": {str(probe): rows for probe, rows in bundle.half_minutes.items()},
    }
    return json.dumps(whole, ensure_ascii=False, separators=(",", ":"), allow_nan=False).encode()


def _as_told(temp_c: FloatArray) -> FloatArray:
    """Single-precision readings in the fewest figures that give the same reading back."""
    single = temp_c.astype(np.float32)
    short = np.round(temp_c, 3)
    return np.where(short.astype(np.float32) == single, short, single.astype(float))


def _short(values: FloatArray) -> list[float | int]:
    """Whole numbers without their decimal point."""
    if len(values) and (values == np.floor(values)).all():
        return [int(v) for v in values]
    return [float(v) for v in values]


def _plain(value: Any) -> Any:
    if isinstance(value, (datetime, date)):
        return value.isoformat()
    return base64.b64encode(value).decode() if isinstance(value, bytes) else value


def read(content: bytes, columns: Mapping[str, Mapping[str, Kept]]) -> Bundle:
    """A document taken apart and checked.

    Parameters
    ----------
    columns : by table, then by column, what its values are.

    Raises
    ------
    BadBundle
        For anything that is not as `write` makes it.
    """
    whole = _parsed(content)
    if not isinstance(whole, dict) or whole.get("format") != FORMAT:
        raise BadBundle(f"this is no bundle of a trial: it does not say format {FORMAT}")
    if whole.get("version") != VERSION:
        raise BadBundle(f"this bundle is of version {whole.get('version')!r}; this Bruvet reads version {VERSION}")
    said = whole.get("tables")
    if not isinstance(said, dict):
        raise BadBundle("tables: missing")
    for name in said:
        if name not in columns:
            raise BadBundle(f"tables: there is no table called {str(name)[:40]!r}")
    counts = {name: len(rows) if isinstance(rows, list) else 0 for name, rows in said.items()}
    if counts.get("trial") != 1:
        raise BadBundle("tables.trial: one trial is wanted")
    tables = {name: _rows(name, said.get(name, []), columns[name], counts) for name in columns}
    left_out = whole.get("left_out", [])
    return Bundle(
        tables,
        tuple(_series(n, one, counts.get("probe", 0)) for n, one in enumerate(_list(whole, "readings"), 1)),
        _half_minutes(whole.get("half_minutes", {}), counts.get("probe", 0)),
        tuple(str(line)[:200] for line in left_out) if isinstance(left_out, list) else (),
    )


def _parsed(content: bytes) -> Any:
    if content[:2] == b"\x1f\x8b":
        try:
            with gzip.open(io.BytesIO(content)) as packed:
                content = packed.read(MOST_BYTES + 1)
        except (OSError, EOFError):
            raise BadBundle("the packed file is damaged") from None
    if len(content) > MOST_BYTES:
        raise BadBundle("the document is larger than any trial")
    try:
        return json.loads(content, parse_constant=_no_constant)
    except (UnicodeDecodeError, RecursionError):
        raise BadBundle("this is no JSON in UTF-8") from None
    except json.JSONDecodeError as error:
        raise BadBundle(f"this is no JSON: {error.msg} in line {error.lineno}, column {error.colno}") from None


def _no_constant(word: str) -> None:
    raise BadBundle(f"{word} is no number that a bundle holds")


def _list(whole: Mapping[str, Any], name: str) -> list[Any]:
    found = whole.get(name, [])
    if not isinstance(found, list):
        raise BadBundle(f"{name}: a list is wanted")
    return found


def _rows(table: str, rows: Any, columns: Mapping[str, Kept], counts: Mapping[str, int]) -> list[dict[str, Any]]:
    if not isinstance(rows, list):
        raise BadBundle(f"tables.{table}: a list of rows is wanted")
    out = []
    for number, row in enumerate(rows, 1):
        where = f"tables.{table}, row {number}"
        if not isinstance(row, dict):
            raise BadBundle(f"{where}: columns by name are wanted")
        for name in row:
            if name not in columns:
                raise BadBundle(f"{where}: there is no column called {str(name)[:40]!r}")
        for name, column in columns.items():
            if column.needed and name not in row:
                raise BadBundle(f"{where}: {name} is missing")
        out.append({name: _value(f"{where}, {name}", row[name], columns[name], counts) for name in row})
    return out


def _value(where: str, value: Any, column: Kept, counts: Mapping[str, int]) -> Any:
    if value is None:
        if not column.empty:
            raise BadBundle(f"{where}: may not be empty")
        return None
    if column.table:
        if not _is_int(value) or not 1 <= value <= counts.get(column.table, 0):
            raise BadBundle(f"{where}: there is no row {value!r} in {column.table}"[:200])
        return value
    kind = column.kind
    if kind is float and (_is_int(value) or isinstance(value, float)) and math.isfinite(value):
        return float(value)
    if kind is int and _is_int(value) and abs(value) <= LARGEST_INT:
        return value
    if kind is bool and isinstance(value, bool):
        return value
    if kind is str and isinstance(value, str):
        return _text(where, value, column)
    if kind in (dict, list) and isinstance(value, kind):
        if "\\u0000" in json.dumps(value):
            raise BadBundle(f"{where}: holds a zero byte")
        return value
    if kind in (datetime, date) and isinstance(value, str):
        return _moment(where, value, kind)
    if kind is bytes and isinstance(value, str):
        try:
            return base64.b64decode(value, validate=True)
        except (binascii.Error, ValueError):
            raise BadBundle(f"{where}: is no base64") from None
    raise BadBundle(f"{where}: {_wanted(kind)} is wanted, this is {str(value)[:30]!r}")


def _is_int(value: Any) -> bool:
    return isinstance(value, int) and not isinstance(value, bool)


def _text(where: str, value: str, column: Kept) -> str:
    if "\x00" in value:
        raise BadBundle(f"{where}: holds a zero byte")
    if column.longest is not None and len(value) > column.longest:
        raise BadBundle(f"{where}: {column.longest} characters are the most, this has {len(value)}")
    if column.words and value not in column.words:
        raise BadBundle(f"{where}: {value[:30]!r} is none of {', '.join(sorted(column.words))}")
    return value


def _moment(where: str, value: str, kind: type) -> datetime | date:
    try:
        if kind is date:
            return date.fromisoformat(value)
        found = datetime.fromisoformat(value)
    except ValueError:
        raise BadBundle(f"{where}: {value[:40]!r} is no time in ISO 8601") from None
    if found.tzinfo is None:
        raise BadBundle(f"{where}: {value[:40]!r} lacks its offset from UTC")
    return found


def _wanted(kind: type) -> str:
    words = {float: "a number", int: "a whole number", bool: "true or false", dict: "an object", list: "a list"}
    return words.get(kind, "text")


def _series(number: int, said: Any, probes: int) -> Series:
    where = f"readings, series {number}"
    if not isinstance(said, dict) or not _is_int(said.get("probe")) or not 1 <= said["probe"] <= probes:
        raise BadBundle(f"{where}: the number of a probe is wanted")
    try:
        first = float(said["from_s"])
        after, temp_c = np.array(said["after_s"], float), np.array(said["temp_c"], float)
    except (KeyError, TypeError, ValueError, OverflowError):
        raise BadBundle(f"{where}: from_s, after_s and temp_c are wanted, all numbers") from None
    if after.ndim != 1 or after.shape != temp_c.shape:
        raise BadBundle(f"{where}: as many times as temperatures are wanted, in plain lists")
    at_s = first + after
    if not (np.isfinite(at_s).all() and np.isfinite(temp_c).all()):
        raise BadBundle(f"{where}: holds something that is no number")
    if len(at_s) and (at_s.min() < 0 or at_s.max() > 4.1e9 or np.abs(temp_c).max() > 2000):
        raise BadBundle(f"{where}: holds a time or a temperature that cannot be")
    return Series(said["probe"], at_s, temp_c)


def _half_minutes(said: Any, probes: int) -> dict[int, list[list[float]]]:
    if not isinstance(said, dict):
        raise BadBundle("half_minutes: rows by probe are wanted")
    out = {}
    for probe, rows in said.items():
        if not probe.isdecimal() or not 1 <= int(probe) <= probes:
            raise BadBundle(f"half_minutes: there is no probe {probe[:20]!r}")
        try:
            table = np.array(rows, float)
        except (TypeError, ValueError):
            raise BadBundle(f"half_minutes of probe {probe}: rows of six numbers are wanted") from None
        if table.ndim != 2 or table.shape[1] != 6 or not np.isfinite(table).all() or np.abs(table).max() > 1e15:
            raise BadBundle(f"half_minutes of probe {probe}: rows of six numbers are wanted")
        out[int(probe)] = [list(row) for row in rows]
    return out
