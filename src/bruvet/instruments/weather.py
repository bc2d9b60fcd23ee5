"""A stand-in for the weather: temperature, humidity, wind and rain by the hour, from a seed."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

FloatArray = NDArray[np.float64]

# What a metre a second of wind and a millimetre an hour of rain take from a pit, °C (invented).
WIND_COST_C, RAIN_COST_C = 0.5, 4.0


@dataclass(frozen=True)
class Weather:
    """One value an hour, arrays of shape (hours,)."""

    temp_c: FloatArray
    humidity: FloatArray
    wind_m_s: FloatArray
    rain_mm_h: FloatArray


def weather(seed: int, hours: int, first_hour: int = 0, mean_c: float = 15.0) -> Weather:
    """Made-up weather from an hour of the day on.

    Parameters
    ----------
    first_hour : int
        Hour of the day, 0 to 23, that the first value is for.
    mean_c : float
        Mean temperature of the day; the nights are cooler, the afternoons warmer.
    """
    rng = np.random.default_rng([seed, 61])
    hour = first_hour + np.arange(hours, dtype=float)
    drift = np.cumsum(rng.normal(0, 0.35, hours))
    temp = mean_c + 4.5 * np.sin(2 * np.pi * (hour - 9) / 24) + drift
    wet = np.zeros(hours)
    raining = False
    for i in range(hours):
        raining = rng.random() < (0.6 if raining else 0.06)
        wet[i] = rng.gamma(2.0, 0.8) if raining else 0.0
    humidity = np.clip(0.72 - 0.02 * (temp - mean_c) + 0.18 * (wet > 0) + rng.normal(0, 0.03, hours), 0.2, 1.0)
    wind = np.abs(3.0 + 1.5 * np.sin(2 * np.pi * (hour - 12) / 24) + rng.normal(0, 1.0, hours))
    return Weather(temp - 2.0 * (wet > 0), humidity, wind, wet)


def taken_from_pit(found: Weather, minutes: int) -> FloatArray:
    """What wind and rain take from a pit at each minute, °C, shape (minutes,)."""
    at = np.arange(minutes) / 60.0
    hours = np.arange(len(found.temp_c))
    wind = np.interp(at, hours, found.wind_m_s - found.wind_m_s.mean())
    return np.asarray(WIND_COST_C * wind + RAIN_COST_C * np.interp(at, hours, found.rain_mm_h))
