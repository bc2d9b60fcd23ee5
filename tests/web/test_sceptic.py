"""A sceptic takes the CSVs away and does the sums again, with pandas and without the project's own formulas."""

from __future__ import annotations

import io
from datetime import timedelta

import numpy as np
import pandas as pd
import pytest
from sqlalchemy.orm import Session

from bruvet.records.models import Event
from core.followed import Wish, follow
from made import ON, log_curves, make_trial


@pytest.fixture
def cooked(engine) -> None:
    """Foil against bare, by curves that follow their pits; lids and wraps marked."""
    with Session(engine) as session:
        trial = make_trial(session)
        for arm, wish, seed in zip(trial.arms, (Wish("foil", "lid"), Wish("natural", "lid")), (31, 32), strict=True):
            curve = follow(seed, wish)
            trial.events.append(Event(arm_id=arm.id, kind="meat-on", at=ON))
            for mark in curve.marks:
                if mark.kind in ("wrap", "lid"):
                    at = ON + timedelta(minutes=float(mark.at_min))
                    wrap = mark.detail if mark.kind == "wrap" else ""
                    trial.events.append(Event(arm_id=arm.id, kind=mark.kind, at=at, wrap_in=wrap))
            trial.events.append(Event(arm_id=arm.id, kind="pull", at=ON + timedelta(minutes=float(curve.t_min[-1]))))
            log_curves(session, arm, curve.t_min, curve.pit_c, curve.meat_c)
        session.commit()


def taken(member, key: str) -> pd.DataFrame:
    return pd.read_csv(io.StringIO(member.get(f"/trials/1/curves/{key}.csv").get_data(as_text=True)))


def figure(table: pd.DataFrame, group: str, name: str) -> np.ndarray:
    row = table[(table.group == group) & (table.figure == name)]
    return row.iloc[0, 3:].to_numpy(float)


def by_minute(member) -> dict[str, pd.Series]:
    """Every probe's readings, a median a minute, °C, by minutes since meat on up to the pull."""
    readings, marks = taken(member, "readings"), taken(member, "marks")
    on = pd.Timestamp(marks[marks.what == "meat-on"]["at utc"].iloc[0])
    pulls = {row.piece[0]: row["min"] for _, row in marks[marks.what == "pull"].iterrows()}
    readings["minute"] = (pd.to_datetime(readings.at_utc) - on).dt.total_seconds() / 60
    out = {}
    for label, rows in readings.groupby("probe"):
        rows = rows[(rows.minute >= 0) & (rows.minute <= pulls[label[0]])]
        out[label] = rows.groupby(np.floor(rows.minute + 1e-9)).temp_c.median()
    return out


def first_reached(curve: pd.Series, temp_c: float) -> float:
    """Straight between the readings around the first that is there to stay."""
    above = (curve >= temp_c) & (curve.shift(-1) >= temp_c)
    i = int(np.argmax(above.to_numpy()))
    (a, b), (low, high) = curve.index[i - 1 : i + 1], curve.iloc[i - 1 : i + 1]
    return a + (temp_c - low) / (high - low) * (b - a)


def test_the_figures_are_what_the_readings_come_to(member, cooked) -> None:
    member.post("/account/units", {"temp_unit": "c", "mass_unit": "kg"}, at="/account")
    figures, curves = taken(member, "figures"), by_minute(member)
    for number, letter in enumerate("AB"):
        meat, pit = curves[f"{letter}1 middle"], curves[f"{letter} pit, grate"]
        step = np.gradient(meat.index.to_numpy())

        def told(group: str, name: str, number: int = number) -> float:
            return figure(figures, group, name)[number]

        assert told("Time from meat on", "to 60 °C") == pytest.approx(first_reached(meat, 60.0), abs=2.5)
        assert told("Time at heat", "at or over 71 °C") == pytest.approx(step[meat >= 71].sum(), abs=3)
        danger = step[(meat >= 4) & (meat < 60)].sum()
        assert told("Time at heat", "between 4 °C and 60 °C") == pytest.approx(danger, abs=4)
        kelvin = 160_000 / 8.314462618 * (1 / 353.15 - 1 / (meat + 273.15))
        collagen = (step * np.where(meat >= 55, np.exp(kelvin), 0)).sum()
        assert told("Time at heat", "collagen, as at 80 °C") == pytest.approx(collagen, rel=0.03)
        assert told("Pit", "mean") == pytest.approx(pit.mean(), abs=0.5)
        assert told("Pit", "spread (standard deviation)") == pytest.approx(pit.std(), abs=0.5)
        offered = (np.interp(meat.index, pit.index, pit) - meat).clip(lower=0)
        assert told("Time at heat", "heat offered") == pytest.approx((offered * step).sum() / 60, rel=0.02)
    marks = taken(member, "marks")
    pulls = marks[marks.what == "pull"]["min"].to_numpy()
    assert figure(figures, "Time from meat on", "total, meat on to pull") == pytest.approx(pulls, abs=0.1)
    wraps = marks[marks.what == "wrap"]
    assert figure(figures, "Wrap", "wrapped at")[0] == pytest.approx(wraps["min"].iloc[0], abs=0.1)


def test_the_lag_is_the_difference_of_two_times(member, cooked) -> None:
    member.post("/account/units", {"temp_unit": "c", "mass_unit": "kg"}, at="/account")
    lag, curves = taken(member, "lag"), by_minute(member)
    a, b = (curves[f"{letter}1 middle"].rolling(5, center=True).median().dropna() for letter in "AB")
    for level in (20.0, 40.0, 60.0):
        told = float(lag[lag["inside °C"] == level].iloc[0, 1])
        assert told == pytest.approx(first_reached(b, level) - first_reached(a, level), abs=6)


def test_flat_stretches_are_as_flat_as_is_said(member, cooked) -> None:
    member.post("/account/units", {"temp_unit": "c", "mass_unit": "kg"}, at="/account")
    flats, curves = taken(member, "flats"), by_minute(member)
    stalls = flats[flats.what.str.startswith("stall")]
    assert set(stalls.piece) == {"A1", "B1"}
    for _, row in stalls.iterrows():
        meat = curves[f"{row.piece} middle"]
        inside = meat[(meat.index >= row["from min"]) & (meat.index <= row["to min"])]
        assert np.polyfit(inside.index, inside, 1)[0] * 60 == pytest.approx(row["°C/h"], abs=0.3)
        assert inside.median() == pytest.approx(row["inside °C"], abs=0.6)
        assert row["from at least"] <= row["from min"] <= row["from at most"]


def test_lids_cost_what_the_pit_lacked(member, cooked) -> None:
    member.post("/account/units", {"temp_unit": "c", "mass_unit": "kg"}, at="/account")
    lids, curves = taken(member, "lids"), by_minute(member)
    assert len(lids) >= 2
    for _, row in lids[lids["back after min"].notna()].iterrows():
        pit = curves[f"{row.arm} pit, grate"]
        at = row["opened min"]
        level = pit[(pit.index >= at - 12) & (pit.index < at - 0.5)].median()
        while_open = pit[(pit.index >= at) & (pit.index <= at + row["back after min"])]
        assert row["dip °C"] == pytest.approx(level - while_open.min(), abs=4)
        lacking = np.trapezoid((level - while_open).clip(lower=0), while_open.index) / 60
        assert row["cost °C·h"] == pytest.approx(lacking, abs=1.5)


def test_the_steps_of_why_add_up_to_the_difference(member, cooked) -> None:
    steps, figures = taken(member, "why"), taken(member, "figures")
    totals = figure(figures, "Time from meat on", "total, meat on to pull")
    parts = steps[(steps.piece == "B1") & (steps.part != "in all")]["min"]
    assert "what remains" in set(steps.part)
    assert parts.sum() == pytest.approx(totals[1] - totals[0], abs=0.1)


def test_units_change_no_figure(member, cooked) -> None:
    """What is in degrees, steps and shares in °F is the same thing in °C; what is in minutes is the same number."""
    first = taken(member, "figures")
    member.post("/account/units", {"temp_unit": "c", "mass_unit": "kg"}, at="/account")
    second = taken(member, "figures")
    assert len(first) == len(second)
    assert set(first.unit.dropna()) >= {"°F", "°F/h", "°F·h", "min"}
    for (_, f), (_, c) in zip(first.iterrows(), second.iterrows(), strict=True):
        for one, other in zip(f.iloc[3:], c.iloc[3:], strict=True):
            if pd.isna(one):
                assert pd.isna(other)
                continue
            is_step = f.unit in ("°F/h", "°F·h") or "spread" in f.figure or f.figure in STEPS
            wanted = one / 1.8 if is_step else (one - 32) / 1.8 if f.unit == "°F" else one
            assert float(other) == pytest.approx(wanted, abs=0.02), f.figure


STEPS = ("off its target", "swing, size", "carry-over")
