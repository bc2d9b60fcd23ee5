"""The median and the spread by it, without the checks that cost more than it does on arrays of some hundred numbers."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray


def median(values: NDArray[np.float64]) -> float:
    """Median of a flat array of at least one number, none of them NaN; as NumPy's, several times as fast."""
    half = len(values) // 2
    parted = np.partition(values, half)
    upper = float(parted[half])
    return upper if len(values) % 2 else (upper + float(parted[:half].max())) / 2


def spread(values: NDArray[np.float64]) -> float:
    """Standard deviation, were the values normal, by the median of their departures from the median."""
    return 1.4826 * median(np.abs(values - median(values)))
