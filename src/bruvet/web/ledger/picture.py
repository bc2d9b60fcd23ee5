"""Chance to show a difference against the number of pieces: two lines, told apart by pattern and word."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

WIDTH, HEIGHT, LEFT, RIGHT, TOP, FOOT = 680.0, 230.0, 46.0, 130.0, 12.0, 34.0


@dataclass(frozen=True)
class PowerPicture:
    width: float
    height: float
    left: float
    right: float
    groups: str
    pairs: str
    ends: tuple[tuple[float, str], ...]
    grid: tuple[tuple[float, str], ...]
    numbers: tuple[tuple[float, int], ...]
    foot: float
    wanted: float


def draw_power(curves: Sequence[Sequence[tuple[int, float]]]) -> PowerPicture:
    """Lay out the chance (0 to 1) by number of pieces an arm, for whole pieces and for split halves."""
    most = max(count for count, _ in curves[0])
    foot, right = HEIGHT - FOOT, WIDTH - RIGHT

    def x(count: float) -> float:
        return round(LEFT + (count - 2) / max(most - 2, 1) * (right - LEFT), 1)

    def y(chance: float) -> float:
        return round(foot - chance * (foot - TOP), 1)

    lines = ["M" + "L".join(f"{x(count)} {y(chance)}" for count, chance in curve) for curve in curves]
    ends = [y(curve[-1][1]) for curve in curves]
    if abs(ends[0] - ends[1]) < 14:
        ends = [ends[0] + 14, ends[1]] if ends[0] >= ends[1] else [ends[0], ends[1] + 14]
    return PowerPicture(
        WIDTH, HEIGHT, LEFT, right, lines[0], lines[1], ((ends[0], "whole pieces"), (ends[1], "split halves")),
        tuple((y(share), f"{share:.0%}") for share in (0.0, 0.25, 0.5, 0.75, 1.0)),
        tuple((x(count), count) for count in range(2, most + 1)), foot, y(0.8),
    )  # fmt: skip
