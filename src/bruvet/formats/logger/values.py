"""Cells that hold a temperature: numbers with point or comma, a unit behind them, and the ways to say *no probe*."""

from __future__ import annotations

import math
import re

NUMBER = re.compile(r"^[+-]?(?:\d+(?:[.,]\d*)?|[.,]\d+)(?:[eE][+-]?\d+)?$")
SUFFIXED = re.compile(r"^([+-]?\d+(?:[.,]\d*)?)\s*(?:°|º|deg\.?\s*)?\s*([CcFf])$")
MISSING = frozenset(
    {
        *(
            "n/a",
            "na",
            "#n/a",
            "nan",
            "null",
            "none",
            "nil",
            "n/c",
            "nc",
            "open",
            "err",
            "error",
            "ovl",
            "ol",
        ),
        *("hhh", "lll", "hi", "lo", "off", "missing", "no probe", "noprobe", "no_probe", "no sensor"),
        *("not connected", "disconnected", "unplugged"),
    }
)
ABSENT_NUMBERS = frozenset({999.0, 999.9, 9999.0, -999.0, -9999.0, 32767.0, -32768.0})
MINUS_ONE = -1.0
COLDEST_C, HOTTEST_C = -60.0, 650.0


def is_missing(cell: str) -> bool:
    """Whether a cell says that there was no reading, in words or dashes."""
    text = cell.strip().lower()
    return not text.strip("-–—.*?_") or text in MISSING


def looks_like_number(cell: str) -> bool:
    text = cell.strip()
    return bool(NUMBER.match(text) or SUFFIXED.match(text))


def number(cell: str) -> tuple[float, str | None]:
    """Value of a cell and the unit behind it, "c", "f" or None; NaN when missing; ValueError when neither."""
    text = cell.strip().replace("−", "-").replace("\u00a0", "")
    if is_missing(text):
        return math.nan, None
    suffixed = SUFFIXED.match(text)
    if suffixed:
        text, unit = suffixed.group(1), suffixed.group(2).lower()
    else:
        unit = None
    if not NUMBER.match(text):
        raise ValueError(f"'{shorten(cell)}' is not a number")
    value = float(text.replace(",", "."))
    return (math.nan if value in ABSENT_NUMBERS else value), unit


def shorten(text: str, most: int = 40) -> str:
    clean = " ".join(text.split())
    return clean if len(clean) <= most else clean[: most - 1] + "…"


_UNIT = re.compile(
    r"(?:°|º|˚|\ufffd|\bdeg(?:rees?)?\.?[\s_]*|\bgrad[\s_]+)\s*([CF])(?![a-z])|\b(celsius|fahrenheit)\b"
    r"|[(\[/,]\s*([CF])\s*[)\]]?\s*$|^([CF])$|(?<![a-z])temp([CF])$",
    re.IGNORECASE,
)
_LOOSE = re.compile(r"[\s_-]([A-Z])$", re.IGNORECASE)


def unit_word(text: str) -> str | None:
    """Unit named in a heading, a unit cell or a line above the table: "c", "f" or None."""
    match = _UNIT.search(text.strip().replace("_", " "))
    if not match:
        return None
    found = next(group for group in match.groups() if group)
    return found[0].lower()


def last_letter(text: str) -> str | None:
    """The single letter that ends a heading after a space or underscore: a unit, unless it numbers the probes."""
    match = _LOOSE.search(text.strip())
    return match.group(1).lower() if match else None
