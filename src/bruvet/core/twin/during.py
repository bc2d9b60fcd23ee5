"""What readings so far say about this piece: draws drawn toward those that would have read the same."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from bruvet.core.thermal.engine import Run, cook

from .case import Case
from .course import course_of
from .draws import INDEX, SPREAD, grid_of, pieces_of

FloatArray = NDArray[np.float64]

ROUNDS = 4
MOST_KNOTS = 20
# What readings differ by from the best of models: jitter, and a part that lingers for hours (ours).
JITTER_C = 0.6
LINGERING_C = 1.8
LINGERING_MIN = 150.0
STRANGE = 2.0


def knots(readings: Sequence[tuple[float, float]]) -> tuple[FloatArray, FloatArray]:
    """Readings merged to at most twenty, evenly over their time; minutes and °C.

    The first quarter of an hour is left out: a probe takes that long to settle.
    """
    rows = np.array([(at, temp) for at, temp in readings if at >= 15.0])
    if not len(rows):
        return np.empty(0), np.empty(0)
    if len(rows) <= MOST_KNOTS:
        return rows[:, 0], rows[:, 1]
    edges = np.linspace(rows[0, 0], rows[-1, 0] + 1e-6, MOST_KNOTS + 1)
    bins = np.clip(np.searchsorted(edges, rows[:, 0], side="right") - 1, 0, MOST_KNOTS - 1)
    found = [
        (np.mean(rows[bins == b, 0]), np.median(rows[bins == b, 1])) for b in range(MOST_KNOTS) if (bins == b).any()
    ]
    return np.array([a for a, _ in found]), np.array([b for _, b in found])


def probe_at(run: Run, z: FloatArray, minutes: FloatArray) -> FloatArray:
    """What the probes read: the model and each probe's own error, shape (minutes, draws).

    Parameters
    ----------
    minutes : array, shape (minutes,) for all draws alike, or (minutes, draws)
    """
    wanted = np.broadcast_to(minutes.reshape(len(minutes), -1), (len(minutes), len(z)))
    right = np.clip(np.searchsorted(run.t_min, wanted), 1, len(run.t_min) - 1)
    share = (wanted - run.t_min[right - 1]) / (run.t_min[right] - run.t_min[right - 1])
    columns = np.arange(len(z))
    left_c = run.probe_c[right - 1, columns]
    found = left_c + share * (run.probe_c[right, columns] - left_c)
    return np.asarray(found + SPREAD["probe_c"] * z[:, INDEX["probe_c"]])


def condition(case: Case, z: FloatArray) -> FloatArray:
    """Draws that agree with the case's readings, shape as `z`.

    Parameters
    ----------
    z : array, shape (draws, dimensions)
        Draws from before; the first is their middle and stays so.

    Returns
    -------
    array, shape (draws, dimensions)
        `z` itself when no reading is of use.

    Notes
    -----
    Ensemble smoother with multiple data assimilation (Emerick and Reynolds, 2013): the readings are taken in a few
    rounds, each with its error widened, and each moves the draws by the regression of what is drawn on what would be
    read. The error of the model is part of the reading's error and lingers, so that many readings close together do not
    make the twin surer than a few. Readings that no draw comes near widen their own error.
    """
    minutes, seen = knots(case.readings)
    if not len(minutes):
        return z
    apart = np.abs(minutes[:, None] - minutes[None, :])
    error = JITTER_C**2 * np.eye(len(minutes)) + LINGERING_C**2 * np.exp(-apart / LINGERING_MIN)
    first = _assimilate(case, z, minutes, seen, error)
    gap = _read(case, first[:1], minutes)[:, 0] - seen
    strange = float(gap @ np.linalg.solve(error, gap)) / len(minutes)
    return first if strange < STRANGE else _assimilate(case, z, minutes, seen, error * strange)


def _read(case: Case, z: FloatArray, minutes: FloatArray) -> FloatArray:
    last = float(minutes[-1]) + 1.0
    run = cook(grid_of(case), pieces_of(case, z), course_of(case, last), last)
    return probe_at(run, z, minutes)


def _assimilate(
    case: Case,
    z: FloatArray,
    minutes: FloatArray,
    seen: FloatArray,
    error: FloatArray,
) -> FloatArray:
    rng = np.random.default_rng(11)
    root = np.linalg.cholesky(error * ROUNDS)
    for _ in range(ROUNDS):
        read = _read(case, z, minutes)
        noise = root @ rng.standard_normal((len(minutes), len(z)))
        noise[:, 0] = 0.0
        around_z, around_y = z - z[1:].mean(axis=0), read - read[:, 1:].mean(axis=1, keepdims=True)
        count = len(z) - 2
        cross = around_z[1:].T @ around_y[:, 1:].T / count
        spread = around_y[:, 1:] @ around_y[:, 1:].T / count
        z = z + (cross @ np.linalg.solve(spread + error * ROUNDS, seen[:, None] + noise - read)).T
        z = np.clip(z, -3.5, 3.5)
    return np.asarray(z)
