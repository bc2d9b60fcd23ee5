"""The demo is rich enough that every page has something to show, and its log files are the simulator's own."""

from __future__ import annotations

import numpy as np
import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session

from bruvet.formats.logger import collect, understand
from bruvet.records.models import Trial
from bruvet.records.people import Person
from bruvet.work import demo
from conftest import NAME

STEPS = ("", "/logs", "/record", "/curves", "/curves/data.json", "/curves/figures.csv", "/tasting", "/verdict", "/edit")


def test_every_page_of_every_demo_trial_opens(app, engine, member) -> None:
    with Session(engine) as session:
        assert demo.load(session, lambda password: password, lambda what: None)
        session.commit()
        assert not demo.load(session, lambda password: password, lambda what: None), "a second load does nothing"
        trials = session.scalars(select(Trial)).all()
        assert len(trials) >= 14
        assert [p.name for p in session.scalars(select(Person))] == [NAME]
    assert "Pork collar" in member.get("/").text
    for number in range(1, len(trials) + 1):
        for step in STEPS:
            assert member.get(f"/trials/{number}{step}").status_code == 200, (number, step)
    verdict = member.get("/trials/2/verdict").text
    assert "The pit fell from" in verdict, "the brick pit's bad night is told from a stall"
    assert "cannot be told: the arms also differed in cooker and wood, and in weight" in verdict


@pytest.mark.parametrize(
    "name", ["collar-foil-controller.csv", "lamb-brick-pit-spreadsheet.csv", "turkey-cabinet-long.txt"]
)
def test_the_committed_logs_are_what_the_simulator_writes(tmp_path, name) -> None:
    written = {path.name: path for path in demo.write_logs(tmp_path)}
    now, kept = (collect(understand(path.read_bytes())) for path in (written[name], demo.LOGS / name))
    for mine, theirs in zip(now.series, kept.series, strict=True):
        np.testing.assert_array_equal(mine.at, theirs.at)
        np.testing.assert_allclose(mine.temp_c, theirs.temp_c, atol=0.6)
