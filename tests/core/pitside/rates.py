"""The rates that stand in docs/method.md: `PYTHONPATH=src:tests python -m core.pitside.rates [days]`."""

from __future__ import annotations

import sys
from collections import Counter

import numpy as np

from .faults import FAULTS, planted
from .simulated import ordinary
from .test_watches import EXPECTED


def ordinary_days(count: int) -> None:
    wrong: Counter[str] = Counter()
    hours = 0.0
    for seed in range(count):
        day = ordinary(seed, step_c=(0.1, 1 / 1.8)[seed % 2])
        hours += day.logged.pull_min / 60
        wrong.update(alarm.kind for _, alarm in day.alarms() if alarm.kind not in EXPECTED)
    print(f"{count} ordinary days, {hours:.0f} h: {sum(wrong.values())} false ({dict(wrong)})")


def faulty_days(each: int) -> None:
    for name, (_, wanted, within) in FAULTS.items():
        delays = []
        for seed in range(100, 100 + each):
            day, at = planted(name, seed)
            until = day.faults.get("until", min(at + within + 60, day.logged.pull_min + 20))
            told = [m - at for m, alarm in day.alarms(1.0, until) if alarm.kind in wanted and m >= at - 1]
            delays.append(told[0] if told else np.inf)
        share = np.mean(np.array(delays) <= within)
        print(f"{name}: {share:.0%} of {each} within {within:.0f} min, median {np.median(delays):.0f} min")


if __name__ == "__main__":
    days = int(sys.argv[1]) if len(sys.argv) > 1 else 128
    ordinary_days(days)
    faulty_days(max(days // 6, 4))
