"""The twin's cook done two plainer ways, for `./bruvet bench`: an explicit loop, and a general solver of equations.

Both take the same cells, the same surface and the same middle piece; neither is used for anything else.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.integrate import solve_ivp

from bruvet.core.thermal.air import STANDARD_PA, boiling_c, vapour_pa
from bruvet.core.thermal.body import Grid
from bruvet.core.thermal.engine import FRESH_KG_M2, SHRINKING, USUAL_LEAN, WATER_KG_M3, WETTING_KG_M2, Pieces
from bruvet.core.thermal.meat import TABLE_FROM_C, TABLE_PER_C, fat_by_volume, tables
from bruvet.core.thermal.surface import Around, balance

FloatArray = NDArray[np.float64]


class BareCook:
    """The rates of one bare piece in a steady pit, as a system of ordinary equations: cells, and water lost."""

    def __init__(self, grid: Grid, piece: Pieces, pit_c: float, air_c: float = 20.0, air_rh: float = 0.5) -> None:
        self.grid, self.piece, self.pit_c = grid, piece, np.array([pit_c])
        self.fat = float(fat_by_volume(piece.fat)[0])
        self.outside_pa = vapour_pa(air_c, air_rh) + piece.damp_pa
        self.weight = grid.volume / grid.volume.sum()
        self.half, self.heft = float(piece.half_m[0]), float(piece.heft[0])
        lean = 1 - self.fat
        self.deep = WATER_KG_M3 * lean * self.half * grid.volume.sum() * float(piece.arriving[0]) * self.heft
        self.fresh = FRESH_KG_M2 / USUAL_LEAN * (1 - float(piece.fat[0]))
        self.slimming = self.half * SHRINKING / 3 * float(piece.area_m2[0] / piece.mass_kg[0])
        self.boiling = boiling_c(STANDARD_PA)
        tab = tables()
        self.at = np.arange(len(tab.lean_k)) / TABLE_PER_C + TABLE_FROM_C
        self.k, self.c = tab.lean_k + self.fat * tab.more_k, tab.lean_c + self.fat * tab.more_c
        self.letting_go = tab.letting_go

    def start(self) -> FloatArray:
        return np.append(np.full(len(self.grid.volume), float(self.piece.start_c[0])), 0.0)

    def rates(self, t_s: float, y: FloatArray) -> FloatArray:
        """Change a second of each cell, and of the water lost."""
        grid, piece, temp, lost = self.grid, self.piece, y[:-1], float(y[-1])
        conductivity = np.interp(temp, self.at, self.k)
        half = self.half - self.slimming * lost
        capacity = np.interp(temp, self.at, self.c) * grid.volume * (half * half * self.heft)
        free = max(self.deep * float(np.interp(temp, self.at, self.letting_go) @ self.weight) + self.fresh - lost, 0.0)
        wet = piece.wet - (piece.wet - piece.dry) * np.exp(-free / WETTING_KG_M2)
        inner = conductivity[-1:] / (half * grid.skin)
        outer = np.clip(temp[-1:], -5.0, 200.0)
        own_pa = np.zeros(1)
        for _ in range(3):
            steaming = bool(outer.max() > self.boiling - 5)
            around = Around(
                self.pit_c, piece.h, piece.radiant, wet, piece.wet, self.outside_pa + own_pa, np.zeros(1),
                STANDARD_PA, self.boiling, steaming,
            )  # fmt: skip
            _, flux, _, rate, _ = balance(around, outer, inner, outer, 3)
            carried = np.maximum(rate, 0.0) * piece.area_m2 / piece.airflow_kg_s
            own_pa = STANDARD_PA * carried / (0.622 + carried)
        between = 0.5 * (conductivity[1:] + conductivity[:-1]) * grid.face * np.diff(temp)
        gain = np.zeros(len(temp))
        gain[:-1] += between
        gain[1:] -= between
        gain[-1] += half * float(flux[0])
        return np.append(gain / capacity, rate)


def explicit_cook(problem: BareCook, minutes: float, step_s: float) -> FloatArray:
    """Explicit Euler, a step at a time; the temperature of the innermost cell at the end of each minute."""
    y = problem.start()
    out = []
    each = round(60 / step_s)
    for _ in range(int(minutes)):
        for _ in range(each):
            y = y + step_s * problem.rates(0.0, y)
        out.append(y[0])
    return np.array(out)


def solved_cook(problem: BareCook, minutes: float, tolerance: float) -> FloatArray:
    """SciPy's general stiff solver (BDF) to a tolerance; the innermost cell at the end of each minute."""
    at = np.arange(1.0, minutes + 1) * 60
    start, loose = problem.start(), tolerance * 100
    found = solve_ivp(problem.rates, (0.0, minutes * 60), start, "BDF", at, rtol=tolerance, atol=loose)
    return np.asarray(found.y[0])
