"""A second family of curves with a known answer: meat that follows whatever the pit does, by a law of its own.

Where planted.py builds a curve of straight pieces, here the meat answers the pit with a lag, so that a dying fire, a
shower or a lid slows it as it would, and what is planted as a stall is a stretch in which it does not answer at all.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from scipy.ndimage import gaussian_filter1d

from bruvet.core.curves.stall import Mark

from .planted import Planted

PITS = ("pellet", "ceramic", "kettle", "offset", "cabinet")
STALLS = ("natural", "foil", "paper", "pit", "open", None)
FAULTS = (None, "lid", "spritz", "rain", "dead-fire", "moved", "out", "gap")


@dataclass
class Wish:
    """What to plant: an end of the stall (natural, foil, paper, pit, open, or none at all) and one fault."""

    stall: str | None = "natural"
    fault: str | None = None
    pit: str | None = None


def family(first_seed: int, each: int) -> Iterator[tuple[Wish, Planted]]:
    """So many curves of every stall with every fault, no two of one seed."""
    for i, stall in enumerate(STALLS):
        for j, fault in enumerate(FAULTS):
            first = first_seed + 1000 * (10 * i + j)
            for seed in range(first, first + each):
                yield Wish(stall, fault), follow(seed, Wish(stall, fault))


def _pit(rng: np.random.Generator, kind: str, t: np.ndarray, set_c: float) -> np.ndarray:
    n = len(t)
    jitter = gaussian_filter1d(rng.normal(0, 1.0, n), 2.0)
    if kind == "pellet":
        return set_c + rng.uniform(2, 6) * np.sin(2 * np.pi * t / rng.uniform(8, 25)) + 2.0 * jitter
    if kind == "ceramic":
        return set_c + 1.5 * np.sin(2 * np.pi * t / rng.uniform(90, 240)) + 0.7 * jitter
    if kind == "kettle":
        walk = gaussian_filter1d(np.cumsum(rng.normal(0, 1, n)), 40)
        walk -= walk.mean()
        return set_c + rng.uniform(4, 10) * walk / max(np.abs(walk).max(), 1e-6) + 1.5 * jitter
    if kind == "offset":
        period = rng.uniform(40, 75)
        phase = (t / period + rng.uniform()) % 1.0
        return set_c + rng.uniform(8, 14) * (np.exp(-3 * phase) * 2 - 0.65) + 2.0 * jitter
    return set_c + rng.uniform(5, 9) * np.sign(np.sin(2 * np.pi * t / rng.uniform(10, 30))) + jitter


def follow(seed: int, wish: Wish) -> Planted:
    """One curve of this family; what it was given is drawn from the seed."""
    rng = np.random.default_rng(seed)
    kind = wish.pit or PITS[int(rng.integers(len(PITS)))]
    set_c = rng.uniform(102, 137)
    pace = rng.uniform(0.14, 0.34)  # 1/h, meat's own
    at_c = rng.uniform(62, 77)
    length = float(rng.choice([rng.uniform(32, 80), rng.uniform(80, 320)]))
    stall_rate = rng.uniform(-0.6, 1.7)
    after = rng.uniform(0.55, 1.0) if wish.stall in ("natural", "open", None) else rng.uniform(0.8, 1.5)
    until_c = min(rng.uniform(88, 97), set_c - 8.0)
    t = np.arange(0, 60 * 30.0, 0.5)
    pit = _pit(rng, kind, t, set_c)
    truth = Planted(t, np.zeros(0), np.zeros(0))
    # Roughly when things happen, were there no fault.
    reach = 25 + np.log((set_c - 4.0) / (set_c - at_c)) / pace * 60
    fault_at = {"rain": rng.uniform(0.45, 0.9), "dead-fire": rng.uniform(0.45, 0.95)}.get(wish.fault or "", 0.5) * reach
    mend = np.inf
    if wish.fault == "dead-fire":
        tau, mend = rng.uniform(20, 70), fault_at + rng.uniform(90, 240)
        if rng.uniform() < 0.25:
            mend = np.inf
        cold = rng.uniform(10, 45)
        dying = cold + (pit - cold) * np.exp(-np.maximum(t - fault_at, 0) / tau)
        back = 1 - np.exp(-np.maximum(t - mend, 0) / rng.uniform(8, 18))
        pit = dying + (pit - dying) * np.where(t > mend, back, 0.0)
    if wish.fault == "rain":
        depth, lasts = rng.uniform(12, 32), rng.uniform(20, 80)
        shape = np.interp(t, [fault_at, fault_at + 8, fault_at + lasts, fault_at + lasts + 15], [0, 1, 1, 0])
        pit = pit - depth * shape
        truth.others.append((fault_at, fault_at + lasts, "pit-fell"))
        if rng.uniform() < 0.5:
            truth.marks.append(Mark(fault_at + rng.uniform(0, 5), "weather", "rain"))
    lids: list[float] = []
    if wish.fault == "lid":
        lids = list(rng.uniform(60, 1.4 * reach + length, int(rng.integers(2, 9))))
    if wish.fault == "spritz":
        lids = list(np.arange(rng.uniform(90, 180), 1.5 * reach + length, rng.uniform(30, 60)))
    marked = rng.uniform() < 0.6
    for at in lids:
        stays, heals = rng.uniform(1, 6), rng.uniform(4, 10)
        shape = np.where(t < at, 0, np.where(t < at + stays, 1.0, np.exp(-(t - at - stays) / heals)))
        pit = pit - rng.uniform(20, 60) * shape
        if marked:
            truth.marks.append(Mark(at, "lid"))
    # The meat answers heat of a while ago: two lags in a row.
    lag = rng.uniform(6, 16)
    temp, felt1, felt2, stalled_from, freed = 4.0, pit[0], pit[0], None, None
    changed: tuple[float, float] | None = None
    curve = np.zeros(len(t))
    stop = len(t)
    ease = rng.uniform(60, 72)
    wrap_lag = {"foil": rng.uniform(3, 22), "paper": rng.uniform(8, 45), "pit": rng.uniform(3, 20)}.get(
        wish.stall or "", 0.0
    )
    raised = rng.uniform(12, 28)
    # Nothing is planted as a stall while the fire is out or the rain falls, nor shortly after: nobody could tell.
    troubled = (np.inf, np.inf)
    if wish.fault == "dead-fire":
        troubled = (fault_at - 10, mend + 40)
    if wish.fault == "rain":
        troubled = (fault_at - 10, truth.others[0][1] + 40)
    for i, minute in enumerate(t):
        felt1 += (
            (pit[i] + (raised if changed and minute > changed[0] and wish.stall == "pit" else 0) - felt1) * 0.5 / lag
        )
        felt2 += (felt1 - felt2) * 0.5 / lag
        warm = 1 / (1 + np.exp(-(minute - 25) / 7))
        rate = pace * (felt2 - temp) * warm
        working = felt2 > set_c - 20 and (minute + length < troubled[0] or minute > troubled[1])
        if wish.stall is None:
            rate *= 1.0 if temp < ease else 0.5 + 0.5 * np.exp(-(temp - ease) / 10)
        elif stalled_from is None and at_c <= temp < at_c + 5.0 and working:
            stalled_from, freed = minute, minute + length
            changed = (freed - wrap_lag, freed)
        if stalled_from is not None:
            rate = stall_rate if minute < freed else rate * after
        temp += rate * 0.5 / 60
        curve[i] = temp
        if wish.stall == "open" and freed is not None and minute >= freed - 1:
            stop = i
            break
        if temp >= until_c or (minute > fault_at + 260 and not np.isfinite(mend) and wish.fault == "dead-fire"):
            stop = i
            break
    if stalled_from is not None and t[min(stop, len(t) - 1)] - stalled_from > 31:
        what = {"foil": "wrap-ended", "paper": "wrap-ended", "pit": "pit-ended"}.get(wish.stall or "", wish.stall or "")
        truth.stalls.append((stalled_from, min(freed, t[min(stop, len(t) - 1)]), what))
        assert changed is not None
        if wish.stall in ("foil", "paper"):
            if wrap_lag < length - 5:
                truth.marks.append(Mark(changed[0], "wrap", wish.stall))
            else:
                truth.stalls[0] = (stalled_from, freed, "natural")
        if wish.stall == "pit":
            truth.marks.append(Mark(changed[0], "pit-set", "", set_c + raised))
            pit = pit + raised * np.clip((t - changed[0]) / 10, 0, 1)
    if wish.fault == "dead-fire":
        truth.others.append((fault_at + 15, min(mend, t[min(stop, len(t) - 1)]), "pit-fell"))
    t, meat, pit = t[:stop].copy(), curve[:stop].copy(), pit[:stop].copy()
    if wish.fault == "moved":
        edges = [edge for stall in truth.stalls for edge in stall[:2]]
        at = next(x for x in rng.uniform(0.3, 0.95, 99) * t[-1] if all(abs(x - edge) > 25 for edge in edges))
        step = rng.choice([-1, 1]) * rng.uniform(5, 18)
        meat = meat + step * (t >= at) * np.exp(-np.maximum(t - at, 0) / rng.uniform(150, 900))
        truth.others.append((at, at, "probe-moved"))
    if wish.fault == "out":
        at, lasts = rng.uniform(0.2, 0.8) * t[-1], rng.uniform(4, 30)
        inside = (t >= at) & (t < at + lasts)
        meat = np.where(inside, rng.choice([20.0, set_c - 8.0]) + 6 * np.exp(-(t - at) / 4), meat)
    # As an instrument would give it.
    spacing = float(rng.choice([0.5, 1.0, 1.0, 2.0, 5.0]))
    kept = np.arange(0, len(t), max(1, int(spacing / 0.5)))
    t, meat, pit = t[kept], meat[kept], pit[kept]
    noise = float(rng.choice([0.05, 0.15, 0.3, 0.55]))
    meat = meat + rng.normal(0, noise, len(t))
    pit = pit + rng.normal(0, noise, len(t))
    quantum = float(rng.choice([0.0, 0.1, 5 / 9, 1.0]))
    if quantum:
        meat, pit = np.round(meat / quantum) * quantum, np.round(pit / quantum) * quantum
    if wish.fault == "gap":
        at = rng.uniform(0.2, 0.8) * t[-1]
        keep = (t < at) | (t > at + rng.uniform(12, 40))
        t, meat, pit = t[keep], meat[keep], pit[keep]
    truth.t_min, truth.meat_c, truth.pit_c = t, meat, pit
    truth.marks.sort(key=lambda mark: mark.at_min)
    return truth
