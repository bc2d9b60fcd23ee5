"""Conduction in bodies between slab, cylinder and sphere, many at once.

Finite volumes between the middle and the surface, second order in space; in time the two-step backward
difference formula (BDF2), one implicit Euler step at each start. All bodies are solved by one call: their
symmetric tridiagonal systems stand one behind the other in a single one with zeros between.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.linalg.lapack import dptsv

FloatArray = NDArray[np.float64]


@dataclass(frozen=True)
class Grid:
    """Cells from the middle (0) to the surface (1) of a body whose shells grow as `exponent`.

    Attributes
    ----------
    exponent : float
        0 slab, 1 cylinder, 2 sphere; anything between.
    square, volume : arrays, shape (cells,)
        Mean square of the place within each cell; its volume per unit of surface and of half thickness.
    face : array, shape (cells - 1,)
        Area over distance of the faces between cells.
    skin : float
        Distance that stands for the way from the last cell to the surface.

    Notes
    -----
    Distances are such that a profile that bends as the square of the place, which every body tends to, is passed on
    without error.
    """

    exponent: float
    square: FloatArray
    volume: FloatArray
    face: FloatArray
    skin: float


def make_grid(exponent: float, cells: int = 22) -> Grid:
    """Cells that grow smaller toward the surface, where the temperature bends most."""
    edges = 1 - (1 - np.linspace(0, 1, cells + 1)) ** 1.35
    edges[-1] = 1.0
    volume = np.diff(edges ** (exponent + 1)) / (exponent + 1)
    square = np.diff(edges ** (exponent + 3)) / (exponent + 3) / volume
    face = 2 * edges[1:-1] ** (exponent + 1) / np.diff(square)
    return Grid(exponent, square, volume, face, float(1 - square[-1]) / 2)


def place_of(grid: Grid, place: FloatArray) -> Callable[[FloatArray], FloatArray]:
    """How to read a place from 0 (middle) to 1 (surface) off each body's profile.

    Parameters
    ----------
    place : array, shape (bodies,)

    Returns
    -------
    callable
        From profiles, shape (bodies, cells), to temperatures, shape (bodies,). Between cells by a straight line in the
        square of the place, which is exact at a symmetric middle.
    """
    square, wanted = grid.square, place**2
    right = np.clip(np.searchsorted(square, wanted), 1, len(square) - 1)
    share = (wanted - square[right - 1]) / (square[right] - square[right - 1])
    rows = np.arange(len(place))

    def read(profile_c: FloatArray) -> FloatArray:
        left_c = profile_c[rows, right - 1]
        return np.asarray(left_c + share * (profile_c[rows, right] - left_c))

    return read


def solve_all(diagonal: FloatArray, beside: FloatArray, right: FloatArray) -> FloatArray:
    """Solve many symmetric positive definite tridiagonal systems at once.

    Parameters
    ----------
    diagonal, right : arrays, shape (bodies, cells)
    beside : array, shape (bodies, cells)
        Off-diagonal to the next cell; the last column must be zero.

    Returns
    -------
    array, shape (bodies, cells)

    Raises
    ------
    ArithmeticError
        When a system is not positive definite.
    """
    _, _, found, info = dptsv(diagonal.ravel(), beside.ravel()[:-1], right.ravel(), 1, 1, 1)
    if info:
        raise ArithmeticError("conduction: the system of equations is not positive definite")
    return np.asarray(found).reshape(right.shape)
