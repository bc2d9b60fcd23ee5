"""A day that works out: backward from the serving time, with the twin's doubt, one pair of hands and the fuel."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from bruvet.core.thermal.cooker import BURN_AT_C, BURN_FROM_C, HABITS
from bruvet.core.units import span_words

from .tasks import Clash, Task, longest_quiet, settle

FloatArray = NDArray[np.float64]
Together = Literal["finish", "start"]

# Hands-on and waiting minutes (common practice, no source).
TRIM_MIN, RUB_MIN, RUB_WAIT_MIN, LIGHT_MIN = 20, 10, 60, 10
ON_MIN, LOOK_MIN, WRAP_MIN, PULL_MIN, CUT_MIN = 5, 4, 10, 6, 15
FIRST_LOOK_MIN = 180.0
# Trimming and rubbing may be done this much earlier.
EVENING_MIN = 600.0
# Fuel is looked at when this share of a load is gone, and more goes on then.
FUEL_AT = 0.7
FUEL_MIN = 8
UNEQUAL_HOLD_MIN = 45.0


class CannotPlan(ValueError):
    """A day that does not work out; the text says why and what would."""


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


@dataclass(frozen=True)
class Wish:
    """What the person wants of the day; `hands` counts the cook and the helpers."""

    serve_at: datetime
    together: Together = "finish"
    assurance: float = 0.9
    hands: int = 1
    air_c: float = 20.0


@dataclass(frozen=True)
class ArmTimes:
    """One arm's day: meat on; 10, 50 and 90 % of the pull; the hold that the surplus makes, rest included."""

    letter: str
    meat_on: datetime
    pull: tuple[datetime, datetime, datetime | None]
    hold_min: tuple[float, float]


@dataclass(frozen=True)
class Day:
    """A worked-out day.

    Attributes
    ----------
    assured : share of days on which every arm is ready by serving, by the draws and taking pieces as independent.
    quiet : the longest stretch in which nothing should need a hand, and what bounds it.
    """

    tasks: tuple[Task, ...]
    arms: tuple[ArmTimes, ...]
    clashes: tuple[Clash, ...]
    assured: float
    quiet: tuple[datetime, datetime]
    quiet_words: str
    cautions: tuple[str, ...]
    fuel_kg: tuple[tuple[str, str, float], ...]


def work_out(arms: Sequence[ArmDay], wish: Wish, now: datetime) -> Day:
    """Plan the day of a trial.

    Raises
    ------
    CannotPlan
        When serving is in the past, an arm is too seldom done at all, or the day would have had to begin already; the
        text says what would fit.
    """
    if wish.serve_at <= now:
        raise CannotPlan("The serving time is in the past; give a later one.")
    level = wish.assurance ** (1 / len(arms))
    needed = {}
    for arm in arms:
        quantile = float(np.quantile(arm.done_min, level, method="inverted_cdf"))
        if not math.isfinite(quantile):
            share = float(np.isfinite(arm.done_min).mean())
            raise CannotPlan(
                f"Arm {arm.letter} is done at all on {share:.0%} of the twin's days, too few for the assurance asked "
                "for; give it a hotter pit, a wrap, a lower temperature to stop at, or ask for less assurance."
            )
        needed[arm.letter] = quantile
    ready = wish.serve_at - timedelta(minutes=CUT_MIN)
    last_pull = {arm.letter: ready - timedelta(minutes=arm.rest_min) for arm in arms}
    meat_on = {arm.letter: _earlier_5(last_pull[arm.letter] - timedelta(minutes=needed[arm.letter])) for arm in arms}
    if wish.together == "start":
        first = min(meat_on.values())
        meat_on = dict.fromkeys(meat_on, first)
    times = tuple(_arm_times(arm, meat_on[arm.letter], ready) for arm in arms)
    tasks = _tasks(arms, wish, meat_on, times)
    settled, clashes = settle(tasks, max(wish.hands, 1))
    begins = settled[0].at
    if begins < now:
        late = span_words((now - begins).total_seconds() / 60)
        raise CannotPlan(
            f"That day would have had to begin {late} ago. Serve {late} later or more, or choose hotter pits, wraps or "
            "smaller pieces."
        )
    quiet = longest_quiet(settled, min(meat_on.values()), min(t.pull[0] for t in times))
    return Day(
        tasks=tuple(settled),
        arms=times,
        clashes=tuple(clashes),
        assured=_assured(arms, meat_on, last_pull),
        quiet=quiet,
        quiet_words=_quiet_words(settled, quiet),
        cautions=_cautions(arms, times),
        fuel_kg=_fuel_needed(arms, meat_on, times, wish.air_c),
    )


def _earlier_5(moment: datetime) -> datetime:
    """The whole five minutes before or at a moment: nobody puts meat on at 04:37."""
    return moment - timedelta(minutes=moment.minute % 5, seconds=moment.second, microseconds=moment.microsecond)


def _arm_times(arm: ArmDay, on: datetime, ready: datetime) -> ArmTimes:
    low, middle, high = np.percentile(arm.done_min, (10, 50, 90), method="inverted_cdf")
    pull = (
        on + timedelta(minutes=float(low)),
        on + timedelta(minutes=float(middle)),
        on + timedelta(minutes=float(high)) if math.isfinite(high) else None,
    )
    holds = sorted((ready - moment).total_seconds() / 60 for moment in pull if moment is not None)
    return ArmTimes(arm.letter, on, pull, (max(holds[0], 0.0), max(holds[-1], 0.0)))


def _assured(arms: Sequence[ArmDay], meat_on: dict[str, datetime], last_pull: dict[str, datetime]) -> float:
    shares = [
        float((arm.done_min <= (last_pull[arm.letter] - meat_on[arm.letter]).total_seconds() / 60).mean())
        for arm in arms
    ]
    return float(np.prod(shares))


def burn_hours(kind: str, pit_c: float, air_c: float) -> float | None:
    """Hours that a full load lasts at a pit temperature; None for electricity and gas."""
    habit = HABITS[kind]
    if habit.burn_kg_h <= 0 or habit.load_kg <= 0:
        return None
    excess = max(pit_c - air_c, 5.0) / (BURN_AT_C - BURN_FROM_C)
    return habit.load_kg / (habit.burn_kg_h * excess)


def _tasks(arms: Sequence[ArmDay], wish: Wish, meat_on: dict[str, datetime], times: Sequence[ArmTimes]) -> list[Task]:
    tasks: list[Task] = []
    by_letter = {t.letter: t for t in times}
    for arm in arms:
        tasks += _arm_tasks(arm, wish, meat_on[arm.letter], by_letter[arm.letter])
    for cooker in dict.fromkeys(arm.cooker for arm in arms):
        mine = [arm for arm in arms if arm.cooker == cooker]
        tasks += _cooker_tasks(cooker, mine, wish, meat_on, by_letter)
    tasks.append(Task("Serve", wish.serve_at, arms="".join(arm.letter for arm in arms)))
    return tasks


def _arm_tasks(arm: ArmDay, wish: Wish, on: datetime, times: ArmTimes) -> list[Task]:
    letter, rub, trim = arm.letter, f"rub {arm.letter}", f"trim {arm.letter}"

    def task(name: str, at_min: float, hands: float, room: tuple[float, float] = (0, 0), **more: Any) -> Task:
        """A task at a minute after meat on, which may begin that much earlier or later."""
        early, late = (on + timedelta(minutes=at_min + by) for by in (-room[0], room[1]))
        at = on + timedelta(minutes=at_min)
        return Task(name, at, hands, hands, letter, early=early, late=late, **more)

    rub_min, trim_min = RUB_MIN * arm.pieces, TRIM_MIN * arm.pieces
    rub_at = -(RUB_WAIT_MIN + rub_min)
    cold, leave = "May be done the evening before; keep it cold.", "An hour at least, or overnight in the fridge."
    out = [
        task("Trim", rub_at - trim_min, trim_min, (EVENING_MIN, 0), key=trim, note=cold),
        task("Rub, then leave it", rub_at, rub_min, (EVENING_MIN - trim_min, 0), key=rub, after=(trim,), note=leave),
        task("Meat on", 0, ON_MIN, key=f"on {letter}", after=(rub,), note="This moment is zero."),
    ]
    low, middle = ((moment - on).total_seconds() / 60 for moment in times.pull[:2])
    until = min(low, arm.wrap_min[0]) if arm.wrap_min else low
    if until - 20 > FIRST_LOOK_MIN:
        seen = "Colour, bark, and whether the surface is dry."
        out.append(task("First look", FIRST_LOOK_MIN, LOOK_MIN, (30, 45), note=seen))
    if arm.spritz_every_min:
        third = arm.spritz_every_min / 3
        at = FIRST_LOOK_MIN + arm.spritz_every_min
        while at < until:
            out.append(task("Spritz, if dry", at, LOOK_MIN, (third, third)))
            at += arm.spritz_every_min
    if arm.wrap_min and arm.wrap_min[1] < middle:
        first, likely, last = arm.wrap_min
        band = (on + timedelta(minutes=first), on + timedelta(minutes=last) if math.isfinite(last) else None)
        rule = "When its own rule says so; this is the middle of the forecast."
        out.append(task(f"Wrap in {arm.wrap_in}", likely, WRAP_MIN, (10, 15), band=band, note=rule))
    feel = "Several places: no drag. The band is four days in five."
    cut_at = (wish.serve_at - on).total_seconds() / 60 - CUT_MIN
    done = (times.pull[0], times.pull[2])
    out.append(task("Done? Probe, and pull", middle, PULL_MIN, (0, 15), key=f"pull {letter}", band=done, note=feel))
    out.append(task("Cut", cut_at, CUT_MIN, (2 * CUT_MIN, 0), after=(f"pull {letter}",)))
    return out


def _cooker_tasks(
    cooker: str, mine: Sequence[ArmDay], wish: Wish, meat_on: dict[str, datetime], times: dict[str, ArmTimes]
) -> list[Task]:
    first = min(meat_on[arm.letter] for arm in mine)
    last = max(times[arm.letter].pull[2] or times[arm.letter].pull[1] for arm in mine)
    habit = HABITS[mine[0].kind]
    letters = "".join(arm.letter for arm in mine)
    light = first - timedelta(minutes=habit.lead_min + LIGHT_MIN)
    verb = "Switch on" if habit.burn_kg_h <= 0 else "Light"
    out = [
        Task(f"{verb} {cooker}", light, LIGHT_MIN + habit.lead_min, LIGHT_MIN, letters, f"light {cooker}",
             early=light - timedelta(minutes=20), late=light,
             note=f"{habit.lead_min:.0f} min to come to temperature. Outdoors only: carbon monoxide."),
    ]  # fmt: skip
    hours = burn_hours(mine[0].kind, max(arm.pit_c for arm in mine), wish.air_c)
    if hours is None:
        return out
    every = timedelta(hours=hours * FUEL_AT)
    at = light + every
    lasts = f"A load lasts some {span_words(hours * 60)} at this pit; look before, and do not wait longer."
    while at < last:
        room = min(timedelta(hours=hours * 0.15), timedelta(minutes=60))
        more = {"early": at - room, "late": at + room, "note": lasts}
        out.append(Task(f"Fuel on {cooker}", at, FUEL_MIN, FUEL_MIN, letters, **more))  # type: ignore[arg-type]
        at += every
    return out


def _quiet_words(tasks: list[Task], quiet: tuple[datetime, datetime]) -> str:
    """What begins and ends the quiet stretch, so that a person can see what would lengthen it."""
    before = [t for t in tasks if t.hands_min > 0 and t.hands_end == quiet[0]]
    after = [t for t in tasks if t.hands_min > 0 and t.at == quiet[1]]
    begun = f"after {before[0].name.lower()}" if before else "from the start"
    ended = f"until {after[0].name.lower()}" if after else "until the first piece may be done"
    return f"{begun} {ended}"


def _cautions(arms: Sequence[ArmDay], times: Sequence[ArmTimes]) -> tuple[str, ...]:
    out = []
    for arm, when in zip(arms, times, strict=True):
        longest = when.hold_min[1]
        if arm.safe_hold_min is not None and longest > arm.safe_hold_min:
            out.append(
                f"Arm {arm.letter} may wait {span_words(longest)} after its pull; its rest keeps it hot for about "
                f"{span_words(arm.safe_hold_min)}. Have a hot holder at 60 °C (140 °F) or more ready."
            )
    longest_holds = [when.hold_min[1] for when in times]
    if len(times) > 1 and max(longest_holds) - min(longest_holds) > UNEQUAL_HOLD_MIN:
        low, high = span_words(min(longest_holds)), span_words(max(longest_holds))
        out.append(
            f"The longest waits of the arms run from {low} to {high}: rest differs. Hold all of them alike, "
            "or let them finish together."
        )
    return tuple(out)


def _fuel_needed(
    arms: Sequence[ArmDay], meat_on: dict[str, datetime], times: Sequence[ArmTimes], air_c: float
) -> tuple[tuple[str, str, float], ...]:
    """By cooker: its fuel and the kg for the whole day, warming up included, to the late end of the band."""
    by_letter = {t.letter: t for t in times}
    out = []
    for cooker in dict.fromkeys(arm.cooker for arm in arms):
        mine = [arm for arm in arms if arm.cooker == cooker]
        habit = HABITS[mine[0].kind]
        hours = burn_hours(mine[0].kind, max(arm.pit_c for arm in mine), air_c)
        if hours is None:
            continue
        first = min(meat_on[arm.letter] for arm in mine) - timedelta(minutes=habit.lead_min)
        last = max(by_letter[arm.letter].pull[2] or by_letter[arm.letter].pull[1] for arm in mine)
        out.append((cooker, habit.fuel, (last - first).total_seconds() / 3600 / hours * habit.load_kg))
    return tuple(out)
