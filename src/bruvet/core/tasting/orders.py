"""In which order each panellist gets the samples: balanced for position and for what came just before."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise, permutations

import numpy as np
from numpy.typing import NDArray

IntArray = NDArray[np.int64]
MOST_SEARCHED = 7
TRIES = 20


def williams(samples: int) -> IntArray:
    """A Williams design: rows are orders of samples 0 to n-1.

    Every sample stands equally often in every position, and follows every other equally often: n rows when n is even,
    2n when it is odd.

    Returns
    -------
    array, shape (n or 2n, n)

    Raises
    ------
    ValueError
        For fewer than two samples.

    Notes
    -----
    Williams, Australian Journal of Scientific Research A 2 (1949) 149: the first row goes 0, 1, n-1, 2, n-2, …; the
    others add one each time, modulo n; for odd n the mirror image of every row is added.
    """
    if samples < 2:
        raise ValueError("an order needs two samples at the least")
    first = [0]
    low, high = 1, samples - 1
    while low <= high:
        first.append(low)
        if low < high:
            first.append(high)
        low, high = low + 1, high - 1
    rows = (np.array(first)[None, :] + np.arange(samples)[:, None]) % samples
    return np.asarray(rows if samples % 2 == 0 else np.vstack([rows, rows[:, ::-1]]), dtype=np.int64)


def positions(orders: Sequence[Sequence[int]], samples: int) -> IntArray:
    """How often each sample stood in each position; shape (samples, positions)."""
    found = np.zeros((samples, max((len(order) for order in orders), default=0)), dtype=np.int64)
    for order in orders:
        for place, sample in enumerate(order):
            found[sample, place] += 1
    return found


def followings(orders: Sequence[Sequence[int]], samples: int) -> IntArray:
    """How often the column's sample came right after the row's; shape (samples, samples)."""
    found = np.zeros((samples, samples), dtype=np.int64)
    for order in orders:
        for before, after in pairwise(order):
            found[before, after] += 1
    return found


def imbalance(orders: Sequence[Sequence[int]], samples: int) -> float:
    """How far a plan is from balance: the spread of servings, positions and followings, 0 when all are even."""
    place, follow = positions(orders, samples).astype(float), followings(orders, samples).astype(float)
    off = follow[~np.eye(samples, dtype=bool)]
    return float(((place - place.mean()) ** 2).sum() + ((off - off.mean()) ** 2).sum() + 4 * place.sum(axis=1).var())


def orders_for(samples: int, panellists: int, seed: int, each: int | None = None) -> list[tuple[int, ...]]:
    """An order for each panellist.

    Parameters
    ----------
    each : int, optional
        How many samples a panellist gets; all by default.
    seed : int
        Which sample is which row's, and which row is whose, is drawn by it.

    Notes
    -----
    Whole Williams squares as long as they fit. For those left over, or when each gets only some samples, orders are
    chosen one by one, each the one that keeps positions, followings and servings most even, the best of many draws.
    """
    if samples < 2 or panellists < 0:
        raise ValueError("an order needs two samples at the least")
    each = samples if each is None else each
    if not 1 <= each <= samples:
        raise ValueError(f"each panellist gets 1 to {samples} samples")
    draw = np.random.default_rng(seed)
    names = draw.permutation(samples)
    plan: list[tuple[int, ...]] = []
    square = [tuple(int(names[s]) for s in row) for row in williams(samples)]
    if each == samples:
        for _ in range(panellists // len(square)):
            plan += [square[i] for i in draw.permutation(len(square))]
    left = panellists - len(plan)
    if left:
        tried = [_rest(plan, square, samples, each, left, draw) for _ in range(TRIES)]
        plan += min(tried, key=lambda rest: imbalance([*plan, *rest], samples))
    return plan


def _rest(
    plan: list[tuple[int, ...]],
    square: list[tuple[int, ...]],
    samples: int,
    each: int,
    left: int,
    draw: np.random.Generator,
) -> list[tuple[int, ...]]:
    """Orders for those whom the squares do not reach, chosen one by one among a draw of candidates."""
    if each == samples and samples > 2:
        pool = square
    elif samples <= MOST_SEARCHED:
        pool = list(permutations(range(samples), each))
    else:
        pool = [tuple(int(s) for s in draw.permutation(samples)[:each]) for _ in range(200)]
    place, follow = positions(plan, samples), followings(plan, samples)
    if place.shape[1] < each:
        place = np.pad(place, ((0, 0), (0, each - place.shape[1])))
    candidates = np.array(pool)
    spots = np.arange(each)
    found: list[tuple[int, ...]] = []
    for _ in range(left):
        # What each candidate would add to the sum of squares of servings, positions and followings.
        cost = place[candidates, spots].sum(axis=1) + 2 * place.sum(axis=1)[candidates].sum(axis=1)
        cost = cost + follow[candidates[:, :-1], candidates[:, 1:]].sum(axis=1)
        least = np.flatnonzero(cost == cost.min())
        chosen = candidates[least[draw.integers(len(least))]]
        place[chosen, spots] += 1
        follow[chosen[:-1], chosen[1:]] += 1
        found.append(tuple(int(one) for one in chosen))
    return found
