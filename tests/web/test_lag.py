"""Curves laid on one another by what happened, how far behind at each temperature, and the figures of heat."""

from __future__ import annotations

import csv
import io
from datetime import timedelta

import numpy as np
import pytest
from sqlalchemy.orm import Session

from bruvet.records.models import Event, Trial
from made import ON, make_trial


@pytest.fixture
def cooked(engine) -> None:
    """A takes 6 h and B 7 h from 4 to 95 °C, each in a straight line; both wrapped, A at 3 h and B at 4 h."""
    with Session(engine) as session:
        trial = make_trial(session, readings=True)
        for arm, hours in zip(trial.arms, (3, 4), strict=True):
            trial.events.append(Event(arm_id=arm.id, kind="wrap", wrap_in="foil", at=ON + timedelta(hours=hours)))
        session.commit()


def test_lag_is_told_in_words_picture_and_csv(member, cooked) -> None:
    page = member.get("/trials/1/curves/compare").text
    assert 'class="line arm-line-B"' in page
    assert "B1 lost" in page.replace("</span>", "").replace("\n", " ")
    rows = list(csv.reader(io.StringIO(member.get("/trials/1/curves/lag.csv").get_data(as_text=True))))
    assert rows[0] == ["inside °F", "B1 behind A1, min"]
    at, behind = (np.array([float(row[i]) for row in rows[1:] if row[1]]) for i in (0, 1))
    expected = ((at - 32) / 1.8 - 4) / 91 * 60
    assert np.abs(behind - expected).max() < 2.0


def test_a_sceptic_can_redo_the_sums_in_celsius_too(member, cooked) -> None:
    first = member.get("/trials/1/curves/lag.csv").get_data(as_text=True)
    member.post("/account/units", {"temp_unit": "c", "mass_unit": "kg"}, at="/account")
    second = member.get("/trials/1/curves/lag.csv").get_data(as_text=True)
    one, two = (list(csv.reader(io.StringIO(text)))[1:] for text in (first, second))
    assert [row[1] for row in one] == [row[1] for row in two], "units change no result"


@pytest.mark.parametrize(
    ("align", "shift"), [("wrap", (180, 240)), ("pull", (359, 419)), ("clock", (0, 0)), ("meat-on", (0, 0))]
)
def test_curves_are_laid_on_what_happened(member, cooked, align, shift) -> None:
    plain = member.get("/trials/1/curves/data.json").get_json()
    moved = member.get(f"/trials/1/curves/data.json?align={align}").get_json()
    events = {(e["arm"], e["mark"]): e["at"] for e in plain["events"]}
    for event in moved["events"]:
        by = dict(zip("AB", shift, strict=True))[event["arm"]]
        assert event["at"] == pytest.approx(events[event["arm"], event["mark"]] - by, abs=0.1)
    assert min(moved["x"]) == pytest.approx(-max(shift), abs=2)


def test_a_temperature_is_laid_on_zero_in_the_persons_units(member, cooked) -> None:
    moved = member.get("/trials/1/curves/data.json?align=temp&level=140").get_json()
    x = np.array(moved["x"])
    for series in moved["series"]:
        if not series["pit"]:
            values = np.array([np.nan if v is None else v for v in series["values"]], float)
            near = np.nanargmin(np.abs(x) + np.where(np.isnan(values), 1e9, 0))
            assert values[near] == pytest.approx(140.0, abs=2.0)
    page = member.get("/trials/1/curves?align=temp&level=140").text
    assert 'data-align="temp"' in page
    assert "Minutes count from a temperature" in page


@pytest.mark.parametrize(
    "query", ["align=moon", "align=temp&level=hot", "align=temp&level=nan", "align=", "align=stall"]
)
def test_a_way_that_is_none_leaves_the_curves_as_they_are(member, cooked, query) -> None:
    assert member.get(f"/trials/1/curves/data.json?{query}").status_code == 200
    assert member.get(f"/trials/1/curves?{query}").status_code == 200


def test_the_figures_of_heat_stand_in_the_table_and_its_csv(member, cooked, engine) -> None:
    page = member.get("/trials/1/curves").text
    assert "Time at heat" in page
    rows = {
        row["figure"]: row
        for row in csv.DictReader(io.StringIO(member.get("/trials/1/curves/figures.csv").get_data(as_text=True)))
    }
    rate = rows["140 °F to 160 °F"]
    assert rate["unit"] == "°F/h"
    assert float(rate["A1 A (way A)"]) == pytest.approx(91 / (359 / 60) * 1.8, rel=0.03)
    assert float(rows["heat offered"]["B1 B (way B)"]) > float(rows["heat offered"]["A1 A (way A)"])
    with Session(engine) as session:
        make_trial(session)
        assert session.get(Trial, 2) is not None
    assert "No two pieces have passed" in member.get("/trials/2/curves/compare").text
