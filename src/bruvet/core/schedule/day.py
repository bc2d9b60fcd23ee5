"""A day that works out: backward from serving or forward from a start, with the twin's doubt and one pair of hands."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Literal

import numpy as np

from bruvet.core.units import span_words

from .listing import CUT_MIN, ArmDay, ArmTimes, Fire, fires, tasks_of
from .tasks import Clash, Stretch, Task, longest_quiet, pinned, settle

Together = Literal["finish", "start"]

UNEQUAL_HOLD_MIN = 45.0
# Whole muscle should pass 60 °C (140 °F) within about 4 h, and opened meat well within (common practice, no source).
DANGER_MIN, DANGER_OPENED_MIN = 240.0, 180.0
LONGER_MIN = 15.0


class CannotPlan(ValueError):
    """A day that does not work out; the text says why and what would."""


@dataclass(frozen=True)
class Wish:
    """What the person wants of the day.

    Attributes
    ----------
    serve_at : when it is eaten; None to go forward from `begin_at`, when the first meat goes on.
    hands : the cook and the helpers.
    asleep : stretches to be kept free where the meat allows it.
    pins : by task key, times that the person has set.
    """

    serve_at: datetime | None
    together: Together = "finish"
    assurance: float = 0.9
    hands: int = 1
    air_c: float = 20.0
    begin_at: datetime | None = None
    asleep: tuple[Stretch, ...] = ()
    pins: Mapping[str, datetime] = field(default_factory=dict)


@dataclass(frozen=True)
class Day:
    """A worked-out day.

    Attributes
    ----------
    assured : share of days on which every arm is ready by serving, by the draws and taking pieces as independent.
    quiet : the longest stretch in which nothing should need a hand, and what bounds it.
    longer : what would lengthen it, each with the minutes it would then have.
    awake : tasks that fall into the sleep asked for.
    troubles : what is wrong with times that a person has set.
    """

    tasks: tuple[Task, ...]
    arms: tuple[ArmTimes, ...]
    fires: tuple[Fire, ...]
    clashes: tuple[Clash, ...]
    serve_at: datetime
    assured: float
    quiet: Stretch
    quiet_words: str
    longer: tuple[tuple[str, float], ...]
    awake: tuple[Task, ...]
    troubles: tuple[str, ...]
    cautions: tuple[str, ...]


def work_out(arms: Sequence[ArmDay], wish: Wish, now: datetime) -> Day:
    """Plan the day of a trial.

    Raises
    ------
    CannotPlan
        When serving is in the past, an arm is too seldom done at all, or the day would have had to begin already; the
        text says what would fit.
    """
    needed = _needed(arms, wish)
    serve_at = _serving(arms, wish, needed)
    if serve_at <= now:
        raise CannotPlan("The serving time is in the past; give a later one.")
    ready = serve_at - timedelta(minutes=CUT_MIN)
    last_pull = {arm.letter: ready - timedelta(minutes=arm.rest_min) for arm in arms}
    meat_on = {arm.letter: _earlier_5(last_pull[arm.letter] - timedelta(minutes=needed[arm.letter])) for arm in arms}
    if wish.together == "start":
        meat_on = dict.fromkeys(meat_on, min(meat_on.values()))
    meat_on = {letter: wish.pins.get(f"on {letter}", at) for letter, at in meat_on.items()}
    times = {arm.letter: _arm_times(arm, meat_on[arm.letter], ready) for arm in arms}
    burning = fires(arms, meat_on, times, wish.air_c)
    held, troubles = pinned(tasks_of(arms, serve_at, meat_on, times, burning), wish.pins)
    settled, clashes = settle(held, max(wish.hands, 1), wish.asleep)
    begins = settled[0].at
    if begins < now:
        late = span_words((now - begins).total_seconds() / 60)
        what = settled[0].words.lower()
        raise CannotPlan(
            f"That day would have had to begin {late} ago, with “{what}”. Serve {late} later or more, or choose hotter "
            "pits, wraps or smaller pieces."
        )
    low, high = min(meat_on.values()), min(t.pull[0] for t in times.values())
    quiet = longest_quiet(settled, low, high)
    assured = _assured(arms, meat_on, last_pull)
    if wish.pins and assured < wish.assurance - 0.01:
        troubles.append(f"With the times you set, every arm is ready by serving on {assured:.0%} of days only.")
    return Day(
        tasks=tuple(settled),
        arms=tuple(times[arm.letter] for arm in arms),
        fires=tuple(burning),
        clashes=tuple(clashes),
        serve_at=serve_at,
        assured=assured,
        quiet=quiet,
        quiet_words=_quiet_words(settled, quiet),
        longer=_longer(settled, quiet, low, high),
        awake=tuple(
            t for t in settled if t.hands_min > 0 and any(a < t.hands_end and t.at < b for a, b in wish.asleep)
        ),
        troubles=tuple(troubles),
        cautions=_cautions(arms, tuple(times.values())),
    )


def _needed(arms: Sequence[ArmDay], wish: Wish) -> dict[str, float]:
    """By letter, minutes from meat on by which an arm is done as surely as was asked."""
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
    return needed


def _serving(arms: Sequence[ArmDay], wish: Wish, needed: Mapping[str, float]) -> datetime:
    if wish.serve_at is not None:
        return wish.serve_at
    if wish.begin_at is None:
        raise CannotPlan("Say when it is to be served, or when the first meat goes on.")
    longest = max(needed[arm.letter] + arm.rest_min for arm in arms) + CUT_MIN
    at = wish.begin_at + timedelta(minutes=longest)
    return _earlier_5(at) + timedelta(minutes=5)


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


def _assured(arms: Sequence[ArmDay], meat_on: Mapping[str, datetime], last_pull: Mapping[str, datetime]) -> float:
    shares = [
        float((arm.done_min <= (last_pull[arm.letter] - meat_on[arm.letter]).total_seconds() / 60).mean())
        for arm in arms
    ]
    return float(np.prod(shares))


def _quiet_words(tasks: Sequence[Task], quiet: Stretch) -> str:
    """What begins and ends the quiet stretch, so that a person can see what would lengthen it."""
    before = [t for t in tasks if t.hands_min > 0 and t.hands_end == quiet[0]]
    after = [t for t in tasks if t.hands_min > 0 and t.at == quiet[1]]
    begun = f"after {before[0].name.lower()}" if before else "from the start"
    ended = f"until {after[0].name.lower()}" if after else "until the first piece may be done"
    return f"{begun} {ended}"


def _longer(tasks: list[Task], quiet: Stretch, low: datetime, high: datetime) -> tuple[tuple[str, float], ...]:
    """What would lengthen the quiet stretch, and to how many minutes, the best first."""
    kinds = {
        "without the spritz": ("spritz",),
        "without spritz and first look": ("spritz", "look"),
        "with a cooker that holds fuel through the night": ("fuel",),
        "without spritz and looks, in a cooker that holds its fuel": ("spritz", "look", "fuel"),
        "with a wrap by the clock that a helper does": ("wrap",),
    }
    now = (quiet[1] - quiet[0]).total_seconds() / 60
    out: list[tuple[str, float]] = []
    for words, dropped in kinds.items():
        if not any(t.key.startswith(dropped) for t in tasks):
            continue
        begin, end = longest_quiet([t for t in tasks if not t.key.startswith(dropped)], low, high)
        minutes = (end - begin).total_seconds() / 60
        if minutes > max(now, *(known for _, known in out), 0) + LONGER_MIN:
            out.append((words, minutes))
    return tuple(sorted(out, key=lambda row: -row[1]))


def _cautions(arms: Sequence[ArmDay], times: Sequence[ArmTimes]) -> tuple[str, ...]:
    out = []
    for arm, when in zip(arms, times, strict=True):
        longest = when.hold_min[1]
        if arm.safe_hold_min is not None and longest > arm.safe_hold_min:
            out.append(
                f"Arm {arm.letter} may wait {span_words(longest)} after its pull; its rest keeps it hot for about "
                f"{span_words(arm.safe_hold_min)}. Have a hot holder at 60 °C (140 °F) or more ready."
            )
        limit = DANGER_OPENED_MIN if arm.opened else DANGER_MIN
        if arm.danger_min is not None and arm.danger_min > limit:
            strict = "; it was opened or injected, for which this matters more" if arm.opened else ""
            out.append(
                f"Arm {arm.letter} is forecast to be {span_words(arm.danger_min)} between 4 and 60 °C (40 and 140 °F), "
                f"longer than the usual {span_words(limit)}{strict}. A hotter pit or a smaller piece shortens it."
            )
    longest_holds = [when.hold_min[1] for when in times]
    if len(times) > 1 and max(longest_holds) - min(longest_holds) > UNEQUAL_HOLD_MIN:
        low, high = span_words(min(longest_holds)), span_words(max(longest_holds))
        out.append(
            f"The longest waits of the arms run from {low} to {high}: rest differs. Hold all of them alike, "
            "or let them finish together."
        )
    return tuple(out)
