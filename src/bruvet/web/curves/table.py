"""The figures beside the curves: groups of rows, a column a piece, each other piece less the first."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from bruvet.core.curves.heat import BANDS_C, LEVELS_C, REFERENCE_C
from bruvet.core.curves.measures import Figure, unknown
from bruvet.core.units import Units
from bruvet.web.access import units
from bruvet.work.analysis import TrialFacts

# By kind of figure, the unit that its column in a CSV is in.
UNIT_OF: Mapping[str, Callable[[Units], str]] = {
    "span": lambda shown: "min",
    "temp": lambda shown: shown.degree,
    "step": lambda shown: shown.degree,
    "share": lambda shown: "share",
    "per-mass": lambda shown: "min/kg",
    "rate": lambda shown: f"{shown.degree}/h",
    "heat": lambda shown: f"{shown.degree}·h",
    "count": lambda shown: "",
    "mass": lambda shown: shown.mass,
    "money": lambda shown: "",
}


@dataclass(frozen=True)
class FigureRow:
    """A figure a piece; `steps` are each other piece minus the first, None where either is not known."""

    label: str
    kind: str
    figures: list[Figure]
    steps: list[float | None]


def figure_table(facts: TrialFacts) -> list[tuple[str, list[FigureRow]]]:
    """Groups of rows, a column a piece."""
    measures = [facts.measures[piece.id] for piece in facts.pieces]
    shown = facts.units

    def row(label: str, kind: str, figures: list[Figure]) -> FigureRow:
        first = figures[0].value
        steps = [None if first is None or f.value is None else f.value - first for f in figures[1:]]
        return FigureRow(label, kind, figures, steps)

    times = [
        row(f"to {shown.temp_text(temp)}", "span", [m.time_to[temp] for m in measures])
        for temp in sorted(dict.fromkeys(facts.thresholds_c))
    ]
    times += [
        row("total, meat on to pull", "span", [m.total for m in measures]),
        row("per weight", "per-mass", [m.per_kg for m in measures]),
        row("rest", "span", [m.rest for m in measures]),
    ]
    longest = [max(m.stalls.stalls, key=lambda s: s.length_min, default=None) for m in measures]
    none = unknown("no stall found")
    depth = [
        none if s is None else unknown("too little rise before it") if s.depth is None else Figure(s.depth)
        for s in longest
    ]
    stall = [
        row("onset", "span", [m.stall_onset for m in measures]),
        row("end", "span", [m.stall_end for m in measures]),
        row("length", "span", [m.stall_length for m in measures]),
        row("temperature", "temp", [m.stall_temp for m in measures]),
        row("slowed by", "share", depth),
    ]
    wrap = [
        row("wrapped at", "span", [m.wrap_at for m in measures]),
        row("time wrapped", "span", [m.wrapped for m in measures]),
    ]
    pit = [
        row("mean", "temp", [m.pit_mean for m in measures]),
        row("spread (standard deviation)", "step", [m.pit_spread for m in measures]),
        row(f"within {shown.step_text(15 / 1.8)} of target", "share", [m.pit_in_band for m in measures]),
    ]
    meat = [
        row("highest internal", "temp", [m.highest for m in measures]),
        row("yield", "share", [m.cooked_yield for m in measures]),
    ]
    heat = [facts.heat[piece.id] for piece in facts.pieces]
    bands = [
        row(f"{shown.temp_text(low)} to {shown.temp_text(high)}", "rate", [h.rate[low, high] for h in heat])
        for low, high in BANDS_C
    ]
    at_heat = [
        row(f"at or over {shown.temp_text(level)}", "span", [h.above[level] for h in heat]) for level in LEVELS_C
    ]
    at_heat += [
        row(f"collagen, as at {shown.temp_text(REFERENCE_C)}", "span", [h.collagen_min for h in heat]),
        row(f"between {shown.temp_text(4.0)} and {shown.temp_text(60.0)}", "span", [h.danger for h in heat]),
        row("heat offered", "heat", [h.offered_c_h for h in heat]),
    ]
    pit += [
        row("off its target", "step", [h.pit_bias for h in heat]),
        row("lowest hundredth", "temp", [h.pit_low for h in heat]),
        row("highest hundredth", "temp", [h.pit_high for h in heat]),
        row("swing, period", "span", [h.swing_period for h in heat]),
        row("swing, size", "step", [h.swing_size for h in heat]),
        row("lids that told on it", "count", [Figure(float(len(h.lids))) for h in heat]),
        row("what they cost", "heat", [Figure(sum(lid.cost_c_h for lid in h.lids)) for h in heat]),
    ]
    pit.append(row("back from a lid, median", "span", [h.lid_back for h in heat]))
    meat.append(row("carry-over", "step", [h.carry_over for h in heat]))
    wrap.append(row("share of the cook wrapped", "share", [h.wrapped_share for h in heat]))
    done = [
        row("smoke time", "span", [h.smoke for h in heat]),
        row("times spritzed", "count", [h.sprays for h in heat]),
        row("looks", "count", [h.looks for h in heat]),
        row("fuel weighed", "mass", [h.fuel_kg for h in heat]),
        row("cost of meat and fuel weighed", "money", [h.cost for h in heat]),
    ]
    return [
        ("Time from meat on", times), ("Longest stall", stall), ("Wrap", wrap), ("Rate of rise", bands),
        ("Time at heat", at_heat), ("Pit", pit), ("Meat", meat), ("Smoke, visits, cost", done),
    ]  # fmt: skip


def csv_value(figure: Figure, kind: str) -> str:
    if figure.value is None:
        return ""
    value = figure.value
    if kind == "temp":
        value = units().temp_shown(value)
    elif kind in ("step", "rate", "heat"):
        value = units().step_shown(value)
    elif kind == "mass":
        value = units().mass_shown(value)
    return f"{value:.4g}" if kind == "share" else f"{value:.2f}"
