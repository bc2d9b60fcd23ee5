"""Bodies with constant properties and no water, for which textbooks have answers."""

from __future__ import annotations

import numpy as np

from bruvet.core.thermal.body import make_grid
from bruvet.core.thermal.engine import Course, Pieces, Run, cook
from bruvet.core.thermal.meat import Tables

CONDUCTIVITY_W_MK, CAPACITY_J_M3K = 0.48, 3.6e6
ROWS = 2701
PLAIN = Tables(
    lean_k=np.full(ROWS, CONDUCTIVITY_W_MK),
    more_k=np.zeros(ROWS),
    lean_c=np.full(ROWS, CAPACITY_J_M3K),
    more_c=np.zeros(ROWS),
    letting_go=np.zeros(ROWS),
)


def pieces(count: int = 1, **given: object) -> Pieces:
    """Dry, plain bodies; anything given replaces its value."""
    values: dict[str, object] = {
        **{"half_m": 0.04, "fat": 0.0, "heft": 1.0, "start_c": 4.0, "h": 12.0, "radiant": 0.0, "wet": 1e-12, "dry": 0.0},
        **{"arriving": 0.0, "offset_c": 0.0, "place": 0.0, "area_m2": 0.1, "mass_kg": 4.0, "damp_pa": 0.0},
        **{"airflow_kg_s": 1.0, "paper": 1.0},
    }  # fmt: skip
    values.update(given)
    return Pieces(**{name: np.broadcast_to(np.asarray(v, float), (count,)).copy() for name, v in values.items()})


def heated(exponent: float, biot: float, air_c: float = 99.0, minutes: float = 600.0, cells: int = 22, **more) -> Run:
    """A plain body of 4 cm half thickness from 4 °C in steady air."""
    h = biot * CONDUCTIVITY_W_MK / 0.04
    course = Course(np.full(2, air_c))
    return cook(make_grid(exponent, cells), pieces(h=h), course, minutes, matter=PLAIN, **more)
