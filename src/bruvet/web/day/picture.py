"""The day on one axis of clock time: every arm a strip, its doubt as a band, the hands-on tasks as ticks, the night."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

from bruvet.core.schedule.day import Day
from bruvet.core.schedule.listing import ArmTimes
from bruvet.core.schedule.tasks import Stretch, Task
from bruvet.core.trial.terms import ARM_LOOKS

WIDTH, LEFT, RIGHT, TOP, ROW, FOOT = 1200.0, 44.0, 20.0, 22.0, 62.0, 26.0
NIGHT_FROM, NIGHT_UNTIL = 22, 6


@dataclass(frozen=True)
class Box:
    x: float
    width: float
    kind: str
    word: str


@dataclass(frozen=True)
class Lane:
    letter: str
    marker: str
    y: float
    boxes: tuple[Box, ...]
    band: tuple[float, float]
    middle: float
    ticks: tuple[tuple[float, float, str, str], ...]


@dataclass(frozen=True)
class DayPicture:
    """`low` and `per_min` (pixels a minute) let a dragged task be told as a time."""

    width: float
    height: float
    top: float
    foot: float
    hours: tuple[tuple[float, str], ...]
    nights: tuple[tuple[float, float], ...]
    lanes: tuple[Lane, ...]
    serve: float
    clashes: tuple[float, ...]
    low: datetime
    per_min: float
    left: float
    asleep: tuple[tuple[float, float], ...]


def draw_day(day: Day, tz: str, asleep: Sequence[Stretch] = ()) -> DayPicture:
    """Lay the day out from its first task (thawing, which takes days, left aside) to serving."""
    zone, serve_at = ZoneInfo(tz), day.serve_at
    low = min(t.at for t in day.tasks if not t.key.startswith("thaw")) - timedelta(minutes=10)
    high = max(serve_at, day.tasks[-1].at) + timedelta(minutes=20)
    scale = (WIDTH - LEFT - RIGHT) / (high - low).total_seconds()

    def x(moment: datetime) -> float:
        return round(LEFT + min(max((moment - low).total_seconds(), 0), (high - low).total_seconds()) * scale, 1)

    lanes = [
        _lane(times, number, [t for t in day.tasks if times.letter in t.arms], x, serve_at)
        for number, times in enumerate(day.arms)
    ]
    foot = TOP + len(lanes) * ROW
    first = low.astimezone(zone).replace(minute=0, second=0, microsecond=0)
    count = int((high - low).total_seconds() // 3600) + 2
    each = next(step for step in (1, 2, 3, 4, 6, 12) if count / step <= 16 or step == 12)
    marks = [first + timedelta(hours=h) for h in range(count)]
    hours = tuple(
        (x(m), f"{m.astimezone(zone):%H:%M}") for m in marks if low <= m <= high and m.astimezone(zone).hour % each == 0
    )
    return DayPicture(
        WIDTH, foot + FOOT, TOP, foot, hours, _nights(low, high, zone, x), tuple(lanes), x(serve_at),
        tuple(x(clash.at) for clash in day.clashes), low, scale * 60, LEFT,
        tuple((x(a), round(x(b) - x(a), 1)) for a, b in asleep if b > low and a < high),
    )  # fmt: skip


def _lane(times: ArmTimes, number: int, tasks: Sequence[Task], x, serve_at: datetime) -> Lane:  # type: ignore[no-untyped-def]
    y = TOP + number * ROW
    light = [t.at for t in tasks if t.key.startswith("light")]
    wrap = [t.at for t in tasks if t.name.startswith("Wrap")]
    pull = times.pull[1]
    edges: list[tuple[datetime, datetime, str, str]] = []
    if light and light[0] < times.meat_on:
        edges.append((light[0], times.meat_on, "heat", "heat"))
    edges.append((times.meat_on, wrap[0] if wrap else pull, "bare", "bare"))
    if wrap:
        word = next(t.name for t in tasks if t.name.startswith("Wrap")).rpartition(" ")[2]
        edges.append((wrap[0], pull, word if word in ("foil", "paper", "tray") else "foil", word))
    edges.append((pull, serve_at, "rest", "rest and hold"))
    boxes = tuple(
        Box(x(a), round(x(b) - x(a), 1), kind, word if x(b) - x(a) > 8 * len(word) else "")
        for a, b, kind, word in edges
        if b > a
    )
    ticks = tuple(
        (x(t.at), max(round(x(t.hands_end) - x(t.at), 1), 2.0), t.name, t.key)
        for t in tasks
        if t.hands_min > 0 and not t.key.startswith("thaw")
    )
    late = times.pull[2] or serve_at
    return Lane(times.letter, ARM_LOOKS[times.letter].marker, y, boxes, (x(times.pull[0]), x(late)), x(pull), ticks)


def _nights(low: datetime, high: datetime, zone: ZoneInfo, x) -> tuple[tuple[float, float], ...]:  # type: ignore[no-untyped-def]
    out = []
    day = low.astimezone(zone).replace(hour=NIGHT_FROM, minute=0, second=0, microsecond=0) - timedelta(days=1)
    while day < high:
        dawn = day + timedelta(hours=24 - NIGHT_FROM + NIGHT_UNTIL)
        if dawn > low:
            out.append((x(day), round(x(min(dawn, high)) - x(day), 1)))
        day += timedelta(days=1)
    return tuple(out)
