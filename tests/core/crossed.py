"""A third family of curves with a known answer: two troubles on one curve, and troubles in the midst of a stall.

The other two (planted.py, followed.py) plant one trouble, beside the stall. Here straight pieces are cut open and
stretches of a dead fire or a shower put between them, wherever they fall.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from bruvet.core.curves.stall import Mark

from .planted import Planted

PITS = ("steady", "hunt", "saw", "drift", "climb")
TROUBLES: tuple[tuple[str, ...], ...] = (
    (),
    ("gap",),
    ("spikes",),
    ("wrap",),
    ("lids",),
    ("wrap", "lids"),
    ("moved",),
    ("moved-in",),
    ("lids", "moved"),
    ("moved-in", "lids"),
    ("dead",),
    ("dead-in",),
    ("lids", "dead"),
    ("moved", "dead"),
    ("dead-in", "lids"),
    ("rain",),
    ("dead", "rain"),
    ("rain", "lids", "gap"),
)
STEP_MIN = 0.25


def family(first_seed: int, each: int) -> Iterator[tuple[tuple[str, ...], Planted]]:
    """So many curves with a stall, and as many without, of every kind of trouble."""
    for i, troubles in enumerate(TROUBLES):
        for seed in range(first_seed + 1000 * i, first_seed + 1000 * i + each):
            yield troubles, cross(seed, troubles, stall=True)
            yield troubles, cross(seed + 500, troubles, stall=False)


def _pit(rng: np.random.Generator, kind: str, t: np.ndarray, set_c: float) -> np.ndarray:
    match kind:
        case "hunt":
            return set_c + rng.uniform(3, 8) * np.sin(2 * np.pi * t / rng.uniform(6, 40) + rng.uniform(0, 6))
        case "saw":
            return set_c + rng.uniform(6, 14) * (1 - 2 * ((t / rng.uniform(35, 80) + rng.uniform()) % 1))
        case "drift":
            return set_c + rng.uniform(-2, 2) * (t / 60 - 4) + rng.uniform(2, 5) * np.sin(t / rng.uniform(20, 65))
        case "climb":
            return set_c - 60 * np.exp(-t / rng.uniform(10, 30))
    return np.full(len(t), set_c)


def _pieces(rng: np.random.Generator, stall: bool) -> tuple[list[float], list[float], tuple[float, float] | None]:
    """Minutes and °C where the pace changes, and the stall among them."""
    rise, lag, begin_c, at_c = rng.uniform(8, 20), rng.uniform(10, 45), rng.uniform(2, 10), rng.uniform(64, 76)
    onset = lag + (at_c - begin_c) / rise * 60
    xs, ys = [0.0, lag, onset], [begin_c, begin_c, at_c]
    if stall:
        length = float(rng.choice([rng.uniform(32, 60), rng.uniform(60, 180), rng.uniform(180, 330)]))
        xs.append(onset + length)
        ys.append(at_c + rng.uniform(-0.8, 1.6) * length / 60)
        xs.append(xs[-1] + (94.0 - ys[-1]) / rng.uniform(5, 12) * 60)
        ys.append(94.0)
        return xs, ys, (onset, onset + length)
    for until_c, share in ((72.0, 0.85), (80.0, 0.75), (88.0, 0.7), (94.0, 0.65)):
        if until_c > ys[-1] + 1:
            xs.append(xs[-1] + (until_c - ys[-1]) / max(rise * share, 4.2) * 60)
            ys.append(until_c)
    return xs, ys, None


def cross(seed: int, troubles: tuple[str, ...], stall: bool) -> Planted:
    """One curve with all of these troubles."""
    rng = np.random.default_rng(seed)
    xs, ys, spell = _pieces(rng, stall)
    stalls = [spell] if spell is not None else []
    rising = xs[2]
    cuts = []
    for what in troubles:
        if what.startswith(("dead", "rain")):
            lasts = rng.uniform(70, 200) if what.startswith("dead") else rng.uniform(25, 60)
            at = rng.uniform(0.4, 0.85) * rising
            if what.endswith("-in") and spell is not None:
                at = spell[0] + rng.uniform(0.2, 0.7) * (spell[1] - spell[0])
            cuts.append((at, lasts, what))
    t = np.arange(0, xs[-1] + sum(lasts for _, lasts, _ in cuts), STEP_MIN)
    meat = np.interp(t, xs, ys)
    pit = _pit(rng, str(rng.choice(PITS)), t, rng.uniform(102, 128) if stall else rng.uniform(105, 150))
    truth = Planted(t, meat, pit)
    put_in = 0.0
    for cut, lasts, what in sorted(cuts):
        at = cut + put_in
        meat, pit = _opened(rng, t, meat, pit, at, lasts, what)
        truth.others.append((at, at + lasts, "pit-fell"))
        stalls = [part for one in stalls for part in _parted(one, at, lasts)]
        put_in += lasts
    for what in troubles:
        if what.startswith("moved"):
            inside = what == "moved-in" and stalls
            at = stalls[0][0] + rng.uniform(0.3, 0.7) * (stalls[0][1] - stalls[0][0]) if inside else 0.0
            at = at or rng.uniform(0.3, 0.75) * rising
            meat = meat + rng.choice([-1, 1]) * rng.uniform(5, 15) * (t >= at)
            truth.others.append((at, at, "probe-moved"))
        if what == "lids":
            marked = rng.uniform() < 0.5
            for at in np.arange(rng.uniform(60, 150), t[-1], rng.uniform(30, 90)):
                pit = pit - rng.uniform(15, 60) * _lid(t, at, rng.uniform(0.5, 4), rng.uniform(4, 10))
                meat = meat - rng.uniform(0, 0.5) * (t >= at) * np.exp(-np.maximum(t - at, 0) / 15)
                truth.marks += [Mark(float(at), "lid")] if marked else []
        if what == "wrap" and stalls:
            at = stalls[0][1] - rng.uniform(3, 25)
            truth.marks.append(Mark(at, "wrap", "foil"))
            pit = pit - 30 * _lid(t, at, 2.0, 7.0)
    truth.stalls = [(low, high, "") for low, high in stalls if high > low]
    truth.t_min, truth.meat_c, truth.pit_c = _as_read(rng, t, meat, pit, troubles)
    return truth


def _lid(t: np.ndarray, at: float, stays: float, heals: float) -> np.ndarray:
    return np.where(t < at, 0.0, np.where(t < at + stays, 1.0, np.exp(-np.maximum(t - at - stays, 0) / heals)))


def _parted(one: tuple[float, float], at: float, lasts: float) -> list[tuple[float, float]]:
    """A stall once a stretch was put into the clock: it comes later, or is what is left of it before and after."""
    low, high = one
    if at <= low:
        return [(low + lasts, high + lasts)]
    # The heat of a fire that was mended is felt some minutes later.
    return [(low, high)] if at >= high else [(low, at), (at + lasts + 15.0, high + lasts)]


def _opened(
    rng: np.random.Generator, t: np.ndarray, meat: np.ndarray, pit: np.ndarray, at: float, lasts: float, what: str
) -> tuple[np.ndarray, np.ndarray]:
    """Meat and pit with a stretch put in at a moment, in which the meat waits and the pit is without its heat."""
    meat = np.interp(np.where(t < at, t, np.maximum(t - lasts, at)), t, meat)
    # The pit fell some minutes before the meat felt it, and was back as much earlier.
    low = at - rng.uniform(8, 25)
    high = low + lasts
    if what.startswith("rain"):
        return meat, pit - rng.uniform(12, 24) * np.interp(t, [low, low + 6, high, high + 12], [0, 1, 1, 0])
    fade, cold = rng.uniform(15, 50), rng.uniform(25, 60)
    died = 1 - np.exp(-np.clip(t - low, 0, lasts) / fade)
    died = died * np.exp(-np.maximum(t - high, 0) / 8)
    sank = 0.0 if what.endswith("-in") else rng.uniform(0, 3)
    meat = meat - sank * np.clip(t - at, 0, lasts) / 60 * np.exp(-np.maximum(t - at - lasts, 0) / 90)
    return meat, pit + (cold - pit) * died


def _as_read(
    rng: np.random.Generator, t: np.ndarray, meat: np.ndarray, pit: np.ndarray, troubles: tuple[str, ...]
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """As an instrument gives it: every 15 s to 5 min, up to 0.8 °C of noise, in steps of up to a degree."""
    every = slice(None, None, int(rng.choice([1, 2, 4, 4, 8, 20])))
    t, meat, pit = t[every], meat[every], pit[every]
    if "gap" in troubles:
        at = rng.uniform(0.2, 0.8) * t[-1]
        kept = (t < at) | (t > at + rng.uniform(10, 45))
        t, meat, pit = t[kept], meat[kept], pit[kept]
    meat = meat + rng.normal(0, rng.choice([0.1, 0.3, 0.5, 0.8]), len(t))
    pit = pit + rng.normal(0, rng.choice([0.5, 1.5, 3.0]), len(t))
    quantum = rng.choice([0.0, 0.1, 5 / 9, 1.0])
    if quantum:
        meat, pit = np.round(meat / quantum) * quantum, np.round(pit / quantum) * quantum
    if "spikes" in troubles:
        meat[rng.integers(0, len(t), 6)] += rng.choice([-30, 15, 40], 6)
    return t, meat, pit
