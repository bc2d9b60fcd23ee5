"""The forecast's band as it narrows: when each was made against when it said the arm would be done."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

WIDTH, HEIGHT, LEFT, RIGHT = 300.0, 56.0, 38.0, 6.0


@dataclass(frozen=True)
class BandPicture:
    width: float
    height: float
    left: float
    area: str
    middle: str
    grid: tuple[tuple[float, str], ...]


def draw_band(told: Sequence[Sequence[str | None]], tz: str) -> BandPicture | None:
    """Lay the forecasts out; None while there are fewer than two with a whole band."""
    rows = [tuple(datetime.fromisoformat(said) for said in row if said is not None) for row in told if all(row)]
    if len(rows) < 2:
        return None
    first, last = rows[0][0], rows[-1][0]
    low, high = min(row[1] for row in rows), max(row[3] for row in rows)
    whole = max((high - low).total_seconds(), 1.0)
    wide = max((last - first).total_seconds(), 1.0)

    def x(at: datetime) -> float:
        return round(LEFT + (at - first).total_seconds() / wide * (WIDTH - LEFT - RIGHT), 1)

    def y(at: datetime) -> float:
        return round(4 + (at - low).total_seconds() / whole * (HEIGHT - 8), 1)

    there = [f"{x(row[0])} {y(row[1])}" for row in rows]
    back = [f"{x(row[0])} {y(row[3])}" for row in reversed(rows)]
    hour = low.astimezone(ZoneInfo(tz)).replace(minute=0, second=0, microsecond=0)
    step = timedelta(hours=max(1, round(whole / 3600 / 3)))
    grid = [hour + step * n for n in range(1, 8)]
    return BandPicture(
        WIDTH, HEIGHT, LEFT,
        "M" + "L".join([*there, *back]) + "Z",
        "M" + "L".join(f"{x(row[0])} {y(row[2])}" for row in rows),
        tuple((y(at), f"{at:%H:%M}") for at in grid if low <= at <= high),
    )  # fmt: skip
