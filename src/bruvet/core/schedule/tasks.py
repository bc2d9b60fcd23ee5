"""What is to be done on a cook day, when, for how long, and how far it may be moved."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta

Stretch = tuple[datetime, datetime]


@dataclass(frozen=True)
class Task:
    """One thing to do.

    Attributes
    ----------
    key : a name that other tasks' `after` may give, and by which a person moves it.
    at : when it begins; `minutes` how long it goes on, of which `hands_min` need a pair of hands from its beginning.
    early, late : how far its beginning may be moved; the same as `at` when it may not.
    band : 10 and 90 % of when it may turn out to be due, for what the meat decides.
    after : keys of what must be over before it.
    """

    name: str
    at: datetime
    minutes: float = 0.0
    hands_min: float = 0.0
    arms: str = ""
    key: str = ""
    early: datetime | None = None
    late: datetime | None = None
    band: tuple[datetime, datetime | None] | None = None
    after: tuple[str, ...] = ()
    note: str = ""

    @property
    def ends(self) -> datetime:
        return self.at + timedelta(minutes=self.minutes)

    @property
    def words(self) -> str:
        """The task with its arms, for a sentence."""
        return f"{self.name} {self.arms}" if len(self.arms) == 1 else self.name

    @property
    def hands_end(self) -> datetime:
        return self.at + timedelta(minutes=self.hands_min)


@dataclass(frozen=True)
class Clash:
    """Tasks that need more hands at once than there are, and cannot be moved out of each other's way."""

    at: datetime
    tasks: tuple[Task, ...]


def pinned(tasks: Sequence[Task], pins: Mapping[str, datetime]) -> tuple[list[Task], list[str]]:
    """Tasks with those that a person has set a time for held there, and what is wrong with such times, in words."""
    held = [replace(t, at=pins[t.key], early=pins[t.key], late=pins[t.key]) if t.key in pins else t for t in tasks]
    over = {task.key: task for task in held if task.key}
    troubles = []
    for was, now in zip(tasks, held, strict=True):
        for need in (over[key] for key in now.after if key in over):
            if need.at + timedelta(minutes=need.minutes) > now.at and (need.key in pins or now.key in pins):
                troubles.append(f"{now.words} would begin before {need.words.lower()} is over.")
        if now.key in pins and was.late is not None and now.at > was.late:
            troubles.append(f"{now.words} is set later than the cook allows.")
        elif now.key in pins and was.early is not None and now.at < was.early:
            troubles.append(f"{now.words} is set earlier than the cook allows.")
    return held, troubles


def settle(tasks: list[Task], hands: int, asleep: Sequence[Stretch] = ()) -> tuple[list[Task], list[Clash]]:
    """Move what may be moved so that no more hands are needed at once than there are, and none in sleep.

    Parameters
    ----------
    tasks : list of Task
    hands : int
        Pairs of hands; at least one.
    asleep : sequence of (from, until)
        Kept free where the tasks' room allows it.

    Returns
    -------
    tasks, clashes
        In order of time. Every overlap that is left stands in a clash.

    Notes
    -----
    Tasks that cannot be moved are placed first, then the others in order of how little room they have, each at the free
    moment nearest to where it was wished, within its room and after what it needs.
    """
    placed: list[Task] = []
    order = sorted(tasks, key=lambda t: (_room(t), t.at))
    for task in order:
        placed.append(task if task.hands_min <= 0 else _nearest_free(task, placed, hands, asleep))
    placed.sort(key=lambda t: (t.at, t.name, t.arms))
    return placed, _clashes(placed, hands)


def _room(task: Task) -> timedelta:
    return (task.late or task.at) - (task.early or task.at)


def _busy(task: Task, others: list[Task]) -> list[Task]:
    """Tasks whose hands-on time overlaps this one's."""
    return [o for o in others if o.hands_min > 0 and o.at < task.hands_end and task.at < o.hands_end]


def _most_at_once(task: Task, others: list[Task]) -> int:
    """The most hands that others need at any moment of a task."""
    overlapping = _busy(task, others)
    moments = [max(o.at, task.at) for o in overlapping]
    return max((sum(o.at <= m < o.hands_end for o in overlapping) for m in moments), default=0)


def _nearest_free(task: Task, placed: list[Task], hands: int, asleep: Sequence[Stretch]) -> Task:
    early, late = task.early or task.at, task.late or task.at
    needs = [o.ends for o in placed if o.key and o.key in task.after]
    early = max([early, *needs])
    late = min([late, *(o.at - timedelta(minutes=task.minutes) for o in placed if task.key and task.key in o.after)])
    length = timedelta(minutes=task.hands_min)
    wishes = [task.at, *(o.hands_end for o in placed), *(o.at - length for o in placed)]
    wishes += [until for _, until in asleep] + [begin - length for begin, _ in asleep]

    def in_sleep(moment: datetime) -> bool:
        return any(begin < moment + length and moment < until for begin, until in asleep)

    free = {m for m in wishes if early <= m <= late and _most_at_once(replace(task, at=m), placed) < hands}
    if not free:
        # A clash that is shown is better than a task before what it needs.
        return replace(task, at=max(min(task.at, late), early) if early <= late else task.at)
    return replace(task, at=min(free, key=lambda m: (in_sleep(m), abs(m - task.at), m)))


def _clashes(tasks: list[Task], hands: int) -> list[Clash]:
    found: list[Clash] = []
    for task in tasks:
        if task.hands_min <= 0:
            continue
        at_once = [t for t in tasks if t.hands_min > 0 and t.at <= task.at < t.hands_end]
        if len(at_once) > hands:
            found.append(Clash(task.at, tuple(at_once)))
    return found


def longest_quiet(tasks: list[Task], low: datetime, high: datetime) -> tuple[datetime, datetime]:
    """The longest stretch between two moments in which no task needs a hand."""
    busy = sorted((t.at, t.hands_end) for t in tasks if t.hands_min > 0 and t.hands_end > low and t.at < high)
    best, free_from = (low, low), low
    for begin, end in [*busy, (high, high)]:
        if begin - free_from > best[1] - best[0]:
            best = (free_from, begin)
        free_from = max(free_from, end)
    return best
