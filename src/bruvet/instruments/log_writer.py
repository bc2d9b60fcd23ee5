"""Logs as different invented instruments would write them: for the demo's files and for trying the import."""

from __future__ import annotations

import math
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

from bruvet.core.units import f_from_c

from .bench_cook import Logged


def controller_f(logged: Logged, meat_on: datetime, tz: str, meat: str, pit: str) -> str:
    """A pit controller's export: preamble, month first, 12-hour clock, whole °F, `---` for no probe."""
    lines = ["Pit controller export", "Interval: 60 s", "", f"Date/Time,{pit} (°F),{meat} (°F)"]
    for at, meat_c, pit_c in _rows(logged):
        local = (meat_on + timedelta(minutes=at)).astimezone(ZoneInfo(tz))
        stamp = local.strftime("%m/%d/%Y %I:%M:%S %p")
        lines.append(f"{stamp},{_whole_f(pit_c)},{_whole_f(meat_c)}")
    return "\r\n".join(lines) + "\r\n"


def spreadsheet_c(logged: Logged, meat_on: datetime, tz: str, meat: str, pit: str) -> str:
    """A spreadsheet's export from a country of decimal commas: semicolons, day first, tenths of °C, blanks."""
    lines = [f"Date;Time;{pit} °C;{meat} °C"]
    for at, meat_c, pit_c in _rows(logged):
        local = (meat_on + timedelta(minutes=at)).astimezone(ZoneInfo(tz))
        lines.append(f"{local:%d.%m.%Y};{local:%H:%M:%S};{_tenths_c(pit_c)};{_tenths_c(meat_c)}")
    return "\n".join(lines) + "\n"


def elapsed_long_c(logged: Logged, meat: str, pit: str) -> str:
    """A row a reading, counted in minutes from when the logger was switched on."""
    begin = float(logged.t_min[0])
    lines = ["elapsed_min\tprobe\ttemp_c"]
    for at, meat_c, pit_c in _rows(logged):
        for name, value in ((pit, pit_c), (meat, meat_c)):
            lines.append(f"{at - begin:g}\t{name}\t{'N/A' if math.isnan(value) else f'{value:.1f}'}")
    return "\n".join(lines) + "\n"


def _rows(logged: Logged) -> list[tuple[float, float, float]]:
    return list(zip(logged.t_min.tolist(), logged.meat_c.tolist(), logged.pit_c.tolist(), strict=True))


def _whole_f(temp_c: float) -> str:
    return "---" if math.isnan(temp_c) else f"{f_from_c(temp_c):.0f}"


def _tenths_c(temp_c: float) -> str:
    return "" if math.isnan(temp_c) else f"{temp_c:.1f}".replace(".", ",")
