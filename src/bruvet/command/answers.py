"""Commands that need no database: they read one file and print one JSON object.

What only one of them needs is imported when it is asked for: a tasting's models alone take half a second to load.
"""

from __future__ import annotations

import json
from datetime import date
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

import numpy as np

from bruvet.formats.logger.table import UnreadableFile

from . import Refusal

LEVELS_C = (40, 50, 55, 60, 63, 65, 68, 70, 71, 74, 75, 77, 80, 82, 85, 88, 90, 91, 93, 95, 96, 98)


def read_file(path: str) -> bytes:
    try:
        return Path(path).read_bytes()
    except OSError as error:
        raise Refusal(f"{path}: {error.strerror or error}") from None


def known_zone(name: str) -> str:
    try:
        ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError, OSError):
        raise Refusal(f"--tz {name}: no such time zone; give one like Europe/Lisbon") from None
    return name


def known_date(text: str | None) -> date | None:
    try:
        return date.fromisoformat(text) if text else None
    except ValueError:
        raise Refusal(f"--date {text}: not a date; give one like 2026-05-02") from None


def import_check(path: str, log_date: str | None, tz: str) -> dict[str, Any]:
    from bruvet.formats.logger.check import check
    from bruvet.formats.logger.read import Choices

    choices = Choices(log_date=known_date(log_date), tz=known_zone(tz))
    try:
        return check(read_file(path), choices)
    except UnreadableFile as error:
        raise Refusal(f"{path}: {error}") from None


def stall(path: str) -> dict[str, Any]:
    from bruvet.core.curves.clean import clean
    from bruvet.core.curves.measures import time_to
    from bruvet.core.curves.stall import stalls_of
    from bruvet.formats.wide_curves import BadCurves, read_wide_curves

    try:
        curves = read_wide_curves(read_file(path))
    except (BadCurves, UnreadableFile) as error:
        raise Refusal(f"{path}: {error}") from None
    probes = {}
    for name, temp_c in curves.probes.items():
        pit_t = curves.t_min if curves.pit_c is not None else None
        cleaned = clean(curves.t_min, temp_c)
        report = stalls_of(cleaned, pit_t, curves.pit_c, curves.marks)
        probes[name] = {
            "stalls": [
                {
                    "onset_min": _tidy(s.onset_min),
                    "end_min": _tidy(s.end_min),
                    "temp_c": _tidy(s.temp_c),
                    "kind": s.kind,
                    "reason": s.reason,
                    "onset_band_min": None if s.onset_band is None else [_tidy(m) for m in s.onset_band],
                    "end_band_min": None if s.end_band is None else [_tidy(m) for m in s.end_band],
                    "rate_c_per_h": _tidy(s.rate_c_per_h),
                    "depth": _tidy(s.depth),
                }
                for s in report.stalls
            ],
            "not_stalls": [
                {"onset_min": _tidy(s.onset_min), "end_min": _tidy(s.end_min), "why": s.why, "reason": s.reason}
                for s in report.not_stalls
            ],
            "to_c": {str(level): _tidy(time_to(cleaned, level).value) for level in LEVELS_C},
        }
    return {"probes": probes}


def twin(path: str) -> dict[str, Any]:
    from bruvet.core.twin.case import BadCase
    from bruvet.core.twin.forecast import forecast
    from bruvet.formats.cook_json import answer, read_cook

    try:
        case, at_min = read_cook(read_file(path))
    except BadCase as error:
        raise Refusal(f"{path}: {error}") from None
    return answer(case, forecast(case, at_min), at_min)


def panel(path: str) -> dict[str, Any]:
    from bruvet.formats.tasting_json import BadTasting, what_it_shows

    try:
        return what_it_shows(read_file(path))
    except BadTasting as error:
        raise Refusal(f"{path}: {error}") from None


def _tidy(value: float | None) -> float | None:
    return None if value is None or not np.isfinite(value) else round(float(value), 2)


def show(answer: dict[str, Any]) -> None:
    print(json.dumps(answer, ensure_ascii=False, indent=1))
