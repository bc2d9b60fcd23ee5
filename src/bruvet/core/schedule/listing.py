"""What a cook day asks for: every arm's tasks, every cooker's, and the fuel, with how far each may be moved."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bruvet.core.thermal.cooker import BURN_AT_C, BURN_FROM_C, HABITS
from bruvet.core.units import span_words

from .tasks import Task

FloatArray = NDArray[np.float64]

# Hands-on and waiting minutes (common practice, no source).
TRIM_MIN, RUB_MIN, RUB_WAIT_MIN, LIGHT_MIN = 20, 10, 60, 10
ON_MIN, LOOK_MIN, WRAP_MIN, PULL_MIN, CUT_MIN = 5, 4, 10, 6, 15
FIRST_LOOK_MIN = 180.0
# Trimming and rubbing may be done this much earlier.
EVENING_MIN = 600.0
# Fuel is looked at when this share of a load is gone, and more goes on then.
FUEL_AT = 0.7
FUEL_MIN = 8


# A frozen piece thaws in the fridge, hours by weight (USDA FSIS: about 24 h for each 4 to 5 lb; value from memory).
THAW_H_PER_KG = 24 / 2.05
MOVE_MIN = 8


@dataclass(frozen=True)
class ArmDay:
    """What the day needs to know of one arm.

    Attributes
    ----------
    done_min : array, shape (draws,)
        Minutes from meat on to done; infinite where it never is.
    wrap_min : 10, 50 and 90 % of when it is wrapped; None when it is not.
    safe_hold_min : minutes after the pull until a resting piece is below hot-holding temperature; None when it stays
        above for as long as was looked at.
    danger_min : forecast minutes between 4 and 60 °C; `opened` when its surface was taken inside.
    thaw_kg : weight of its heaviest frozen piece; 0 when all are fresh.
    move_min, move_to : when it goes on to another cooker; None when it does not.
    burn_share : what its cooker burns against its kind, as its own record has it.
    """

    letter: str
    cooker: str
    kind: str
    pit_c: float
    pieces: int
    done_min: FloatArray
    wrap_min: tuple[float, float, float] | None
    wrap_in: str
    rest_min: float
    rest_kind: str
    safe_hold_min: float | None
    spritz_every_min: float | None = None
    danger_min: float | None = None
    opened: bool = False
    thaw_kg: float = 0.0
    move_min: float | None = None
    move_to: tuple[str, str, float] | None = None
    burn_share: float = 1.0

    @property
    def cookers(self) -> tuple[tuple[str, str, float], ...]:
        """Name, kind and pit of the cookers that it stands in, in order."""
        first = (self.cooker, self.kind, self.pit_c)
        return (first,) if self.move_to is None else (first, self.move_to)


@dataclass(frozen=True)
class ArmTimes:
    """One arm's day: meat on; 10, 50 and 90 % of the pull; the hold that the surplus makes, rest included."""

    letter: str
    meat_on: datetime
    pull: tuple[datetime, datetime, datetime | None]
    hold_min: tuple[float, float]


@dataclass(frozen=True)
class Fire:
    """One cooker's day: lit, until when it must burn, how long a load lasts (None for mains), and fuel in kg."""

    cooker: str
    kind: str
    letters: str
    lit: datetime
    ready: datetime
    until: datetime
    load_h: float | None
    fuel: str
    fuel_kg: float

    @property
    def margin_min(self) -> float | None:
        """Minutes between the look at the fuel and the load's end."""
        return None if self.load_h is None else (1 - FUEL_AT) * self.load_h * 60


def burn_hours(kind: str, pit_c: float, air_c: float, share: float = 1.0) -> float | None:
    """Hours that a full load lasts at a pit temperature; None for electricity and gas.

    Parameters
    ----------
    share : what this cooker burns against its kind.
    """
    habit = HABITS[kind]
    if habit.burn_kg_h <= 0 or habit.load_kg <= 0:
        return None
    excess = max(pit_c - air_c, 5.0) / (BURN_AT_C - BURN_FROM_C)
    return habit.load_kg / (habit.burn_kg_h * share * excess)


def burn_share(kind: str, fills: Sequence[tuple[float, float, float]], air_c: float = BURN_FROM_C) -> float | None:
    """What a cooker burns against its kind, from its own record; None for mains, or with nothing to go by.

    Parameters
    ----------
    fills : sequence of (kg, hours, pit °C)
        Fuel put on, how long it burned, and how hot the pit was meanwhile.
    """
    habit = HABITS[kind]
    if habit.burn_kg_h <= 0:
        return None
    usual = sum(habit.burn_kg_h * hours * max(pit - air_c, 5.0) / (BURN_AT_C - BURN_FROM_C) for _, hours, pit in fills)
    burnt = sum(kg for kg, _, _ in fills)
    return burnt / usual if usual > 0 and burnt > 0 else None


def fires(
    arms: Sequence[ArmDay], meat_on: Mapping[str, datetime], times: Mapping[str, ArmTimes], air_c: float
) -> list[Fire]:
    """Every cooker's day, from the first arm that stands in it to the late end of the last."""
    out = []
    for name in dict.fromkeys(cooker for arm in arms for cooker, _, _ in arm.cookers):
        mine = [(arm, number) for arm in arms for number, cooker in enumerate(arm.cookers) if cooker[0] == name]
        begin, end = [], []
        for arm, number in mine:
            on, done = meat_on[arm.letter], times[arm.letter].pull
            moved = on + timedelta(minutes=arm.move_min or 0.0)
            begin.append(on if number == 0 else moved)
            end.append(moved if number == 0 and arm.move_to else done[2] or done[1])
        arm, number = mine[0]
        kind, pit_c = arm.cookers[number][1], max(a.cookers[n][2] for a, n in mine)
        habit = HABITS[kind]
        ready = min(begin)
        heat = timedelta(minutes=habit.lead_min)
        load_h = burn_hours(kind, pit_c, air_c, arm.burn_share if number == 0 else 1.0)
        hours = (max(end) - ready + heat).total_seconds() / 3600
        kg = 0.0 if load_h is None else hours / load_h * habit.load_kg
        letters = "".join(dict.fromkeys(a.letter for a, _ in mine))
        lit = ready - heat - timedelta(minutes=LIGHT_MIN)
        out.append(Fire(name, kind, letters, lit, ready, max(end), load_h, habit.fuel, kg))
    return out


def tasks_of(
    arms: Sequence[ArmDay],
    serve_at: datetime,
    meat_on: Mapping[str, datetime],
    times: Mapping[str, ArmTimes],
    burning: Sequence[Fire],
) -> list[Task]:
    """Everything that is to be done, each at the time it is wished for."""
    out = [task for arm in arms for task in _arm_tasks(arm, serve_at, meat_on[arm.letter], times[arm.letter])] + [
        task for fire in burning for task in _fire_tasks(fire)
    ]
    return [*out, Task("Serve", serve_at, arms="".join(arm.letter for arm in arms), key="serve")]


def _arm_tasks(arm: ArmDay, serve_at: datetime, on: datetime, times: ArmTimes) -> list[Task]:
    letter = arm.letter

    def task(
        name: str, word: str, at_min: float, hands: float, room: tuple[float, float] = (0, 0), **more: Any
    ) -> Task:
        """A task at a minute after meat on, which may begin that much earlier or later."""
        early, late = (on + timedelta(minutes=at_min + by) for by in (-room[0], room[1]))
        values: dict[str, Any] = {"minutes": hands, "key": f"{word} {letter}", "early": early, "late": late} | more
        return Task(name, on + timedelta(minutes=at_min), hands_min=hands, arms=letter, **values)

    rub_min, trim_min = RUB_MIN * arm.pieces, TRIM_MIN * arm.pieces
    rub_at = -(RUB_WAIT_MIN + rub_min)
    cold, leave = "May be done the evening before; keep it cold.", "An hour at least, or overnight in the fridge."
    out = []
    if arm.thaw_kg > 0:
        thaw_min = THAW_H_PER_KG * arm.thaw_kg * 60
        thawing = "In the fridge, in a tray, below raw food only; never on the counter."
        at = rub_at - trim_min - thaw_min
        out.append(task("Thaw in the fridge", "thaw", at, 2, (720, 0), minutes=thaw_min, note=thawing))
    evening = 0.0 if arm.thaw_kg > 0 else EVENING_MIN
    trim_needs = (f"thaw {letter}",) if arm.thaw_kg > 0 else ()
    out += [
        task("Trim", "trim", rub_at - trim_min, trim_min, (evening, 0), after=trim_needs, note=cold),
        task("Rub, then leave it", "rub", rub_at, rub_min, (max(evening - trim_min, 0), 0),
             after=(f"trim {letter}",), note=leave),
        task("Meat on", "on", 0, ON_MIN, after=(f"rub {letter}", f"preheat {arm.cooker}"), note="This moment is zero."),
    ]  # fmt: skip
    low, middle = ((moment - on).total_seconds() / 60 for moment in times.pull[:2])
    until = min(low, arm.wrap_min[0]) if arm.wrap_min else low
    if until - 20 > FIRST_LOOK_MIN:
        seen = "Colour, bark, and whether the surface is dry."
        out.append(task("First look", "look", FIRST_LOOK_MIN, LOOK_MIN, (30, 45), note=seen))
    if arm.spritz_every_min:
        third = arm.spritz_every_min / 3
        at, number = FIRST_LOOK_MIN + arm.spritz_every_min, 1
        while at < until:
            out.append(task("Spritz, if dry", f"spritz {number}", at, LOOK_MIN, (third, third)))
            at, number = at + arm.spritz_every_min, number + 1
    if arm.wrap_min and arm.wrap_min[1] < middle:
        first, likely, last = arm.wrap_min
        band = (on + timedelta(minutes=first), on + timedelta(minutes=last) if math.isfinite(last) else None)
        rule = "When its own rule says so; this is the middle of the forecast."
        out.append(task(f"Wrap in {arm.wrap_in}", "wrap", likely, WRAP_MIN, (10, 15), band=band, note=rule))
    if arm.move_to is not None and arm.move_min is not None and arm.move_min < middle:
        needs = (f"preheat {arm.move_to[0]}",)
        out.append(task(f"Move to {arm.move_to[0]}", "move", arm.move_min, MOVE_MIN, (10, 15), after=needs))
    feel = "Several places: no drag. The band is four days in five."
    cut_at = (serve_at - on).total_seconds() / 60 - CUT_MIN
    done = (times.pull[0], times.pull[2])
    out.append(task("Done? Probe, and pull", "pull", middle, PULL_MIN, (0, 15), band=done, note=feel))
    rested = max(cut_at - middle - PULL_MIN, 0.0)
    keep = f"{arm.rest_kind.replace('-', ' ')}; {arm.rest_min:.0f} min at least, the rest of it is the surplus."
    out.append(task("Rest and hold", "rest", middle + PULL_MIN, 0, minutes=rested, note=keep.capitalize()))
    out.append(task("Cut", "cut", cut_at, CUT_MIN, (2 * CUT_MIN, 0), after=(f"pull {letter}",)))
    return out


def _fire_tasks(fire: Fire) -> list[Task]:
    habit = HABITS[fire.kind]
    verb = "Switch on" if habit.burn_kg_h <= 0 else "Light"
    heat = fire.lit + timedelta(minutes=LIGHT_MIN)
    early = timedelta(minutes=20)
    out = [
        Task(f"{verb} {fire.cooker}", fire.lit, LIGHT_MIN, LIGHT_MIN, fire.letters, f"light {fire.cooker}",
             early=fire.lit - early, late=fire.lit, note="Outdoors only: carbon monoxide."),
        Task(f"Preheat {fire.cooker}", heat, habit.lead_min, 0, fire.letters, f"preheat {fire.cooker}",
             early=heat - early, late=heat, after=(f"light {fire.cooker}",), note="To the pit target, and thin smoke."),
    ]  # fmt: skip
    if fire.load_h is None or fire.margin_min is None:
        return out
    every = timedelta(hours=fire.load_h * FUEL_AT)
    at, number = fire.lit + every, 1
    lasts = (
        f"A load lasts some {span_words(fire.load_h * 60)} at this pit, so {span_words(fire.margin_min)} are left at "
        "this look; do not wait longer."
    )
    room = min(timedelta(hours=fire.load_h * 0.15), timedelta(minutes=60))
    while at < fire.until:
        out.append(
            Task(f"Fuel on {fire.cooker}", at, FUEL_MIN, FUEL_MIN, fire.letters, f"fuel {fire.cooker} {number}",
                 early=at - room, late=at + room, note=lasts)
        )  # fmt: skip
        at, number = at + every, number + 1
    return out
