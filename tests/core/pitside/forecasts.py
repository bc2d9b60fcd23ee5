"""How good the finish forecast is against two rules of thumb: `PYTHONPATH=src:tests python -m core.pitside.forecasts [cooks]`.

Simulated cooks with quirks of their own, told at a quarter, half and three quarters of their time, by the twin from
their readings, by a straight line through the last hour, and by the same minutes per kg as another cook of the kind.
"""

from __future__ import annotations

import sys
from dataclasses import replace

import numpy as np

from bruvet.core.twin.case import Case
from bruvet.core.twin.forecast import forecast

from .simulated import Day, ordinary

SHARES = (0.25, 0.5, 0.75)
EVERY = 3


def told(day: Day, share: float) -> tuple[float | None, float | None, float | None]:
    """10, 50 and 90 % of the finish by the twin, from what was read so far."""
    logged, script = day.logged, day.script
    now = share * logged.pull_min
    inner = day.inner[0]
    seen = (inner.t_min >= 0) & (inner.t_min <= now)
    wrapped = logged.wrap_min is not None and logged.wrap_min <= now
    wraps = ((logged.wrap_min, script.wrap_in),) if wrapped and logged.wrap_min is not None else ()
    pit = day.pits[0]
    steps = [(float(at), float(np.clip(pit.mean(at, at + 15) or 121.0, 40, 250))) for at in np.arange(0.0, now, 15.0)]
    case = Case(
        script.cut, script.mass_kg, script.cooker, script.thickness_mm, script.start_c, tuple(steps), wraps,
        None if wraps or script.wrap_at_c is None else (script.wrap_at_c, script.wrap_in), until_c=script.done_c,
        readings=tuple(zip(inner.t_min[seen][::EVERY].tolist(), inner.temp_c[seen][::EVERY].tolist(), strict=True)),
    )  # fmt: skip
    ahead = float(np.mean([temp for at, temp in steps if at >= now - 60]))
    found = forecast(replace(case, pit_c=(*steps, (now, ahead))), draws=128)
    band = found.done_min
    return (None, None, None) if band is None else (band.p10, band.p50, band.p90)


def straight_line(day: Day, share: float) -> float | None:
    """Where a line through the last hour's readings meets the temperature to stop at."""
    now = share * day.logged.pull_min
    t, temp = day.inner[0].between(now - 60, now)
    slope, level = np.polyfit(t - now, temp, 1)
    return None if slope <= 0.005 else float(now + max(day.script.done_c - level, 0) / slope)


def last_time(day: Day, seed: int) -> float:
    """The same minutes per kg as another cook of the kind took."""
    other = ordinary(seed + 1000, cooker=day.script.cooker, cut=day.script.cut, settings=day.script.settings,
                     wrap_at_c=day.script.wrap_at_c, wrap_in=day.script.wrap_in, thickness_mm=day.script.thickness_mm,
                     mass_kg=day.script.mass_kg * float(np.random.default_rng(seed).uniform(0.8, 1.2)))  # fmt: skip
    return other.logged.pull_min / other.script.mass_kg * day.script.mass_kg


def main(cooks: int) -> None:
    for share in SHARES:
        errors: dict[str, list[float]] = {"twin": [], "line": [], "per kg": []}
        inside = 0
        for seed in range(cooks):
            day = ordinary(seed)
            true = day.logged.pull_min
            low, middle, high = told(day, share)
            inside += low is not None and low <= true and (high is None or true <= high)
            for name, found in (
                ("twin", middle),
                ("line", straight_line(day, share)),
                ("per kg", last_time(day, seed)),
            ):
                errors[name].append(np.inf if found is None else abs(found - true) / true)
        words = ", ".join(
            f"{name} {np.median(found):.1%} (within 10 %: {np.mean(np.array(found) <= 0.1):.0%})"
            for name, found in errors.items()
        )
        print(f"at {share:.0%} of {cooks} cooks: band holds {inside / cooks:.0%}; median error {words}")


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 60)
