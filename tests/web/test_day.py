"""The cook day on its page, as a calendar, as CSV, and what it says when it does not work out."""

from __future__ import annotations

import csv
import io
import re
from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
import vobject
from sqlalchemy.orm import Session

from bruvet.records.models import Cooker, Trial
from made import make_trial

TZ = ZoneInfo("Europe/Lisbon")


def planned(engine, **more: object) -> datetime:
    """A two-cooker trial without events; the day after tomorrow at six."""
    with Session(engine) as session:
        trial = make_trial(session)
        for arm, kind in zip(trial.arms, ("drum", "offset"), strict=True):
            arm.cooker = Cooker(name=f"The {kind}", kind=kind)
            arm.done_at_c, arm.rest_min = 93.0, 60.0
        trial.arms[0].wrap_rule, trial.arms[0].wrap_in, trial.arms[0].wrap_at_c = "temperature", "foil", 72.0
        for name, value in more.items():
            setattr(trial, name, value)
        session.commit()
    day = (datetime.now(TZ) + timedelta(days=2)).replace(hour=18, minute=0, second=0, microsecond=0)
    return day


def asked(day: datetime, **more: str) -> dict[str, str]:
    return {
        "day": f"{day:%Y-%m-%d}",
        "time": f"{day:%H:%M}",
        "together": "finish",
        "assurance": "90",
        "hands": "1",
        **more,
    }


def test_a_two_cooker_day_is_worked_out_from_its_serving_time(member, engine) -> None:
    day = planned(engine)
    page = member.post("/trials/1/day", asked(day, spritz="60"))
    assert page.status_code == 200
    for words in (
        "Light the drum",
        "Light the offset",
        "Wrap in foil",
        "Meat on",
        "Done? Probe, and pull",
        "Serve",
        "Fuel for the day",
    ):
        assert words in page.text
    ready = re.search(r"ready on <b>(\d+) days in 100", page.text)
    assert ready
    assert int(ready[1]) >= 90
    with Session(engine) as session:
        trial = session.get(Trial, 1)
        assert trial is not None
        assert trial.serve_at == day.astimezone(UTC)
        assert trial.spritz_every_min == 60


def test_the_calendar_is_read_back_by_another_parser(member, engine) -> None:
    """RFC 5545, by the PyPI library vobject."""
    day = planned(engine)
    member.post("/trials/1/day", asked(day))
    answer = member.get("/trials/1/day.ics")
    assert answer.mimetype == "text/calendar"
    found = vobject.readOne(answer.get_data(as_text=True))
    events = list(found.vevent_list)
    names = [event.summary.value for event in events]
    assert "Serve (A, B)" in names
    serve = next(event for event in events if event.summary.value.startswith("Serve"))
    assert serve.dtstart.value == day
    assert len({event.uid.value for event in events}) == len(events)
    assert all(event.valarm.trigger.value < timedelta(0) for event in events)
    page = member.get("/trials/1/day").text
    assert len(events) == page.count('<th class="at">')


def test_the_csv_has_a_row_a_task_in_the_trials_own_time(member, engine) -> None:
    day = planned(engine)
    member.post("/trials/1/day", asked(day))
    rows = list(csv.DictReader(io.StringIO(member.get("/trials/1/day.csv").get_data(as_text=True))))
    assert rows[-1]["what"] == "Serve"
    assert datetime.fromisoformat(rows[-1]["at"]) == day
    assert rows == sorted(rows, key=lambda row: datetime.fromisoformat(row["at"]))


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"day": "2020-01-01"}, "in the past"), ({"day": "soon"}, "is needed, as"), ({"time": "25:00"}, "no clock time"),
        ({"time": ""}, "is needed"), ({"assurance": "100"}, "must be between"), ({"hands": "0"}, "must be between"),
        ({"spritz": "1"}, "must be between"), ({"together": "never"}, "Choose one of the list"),
    ],
)  # fmt: skip
def test_what_cannot_be_planned_from_is_named_and_what_was_typed_is_kept(member, engine, change, says) -> None:
    day = planned(engine)
    page = member.post("/trials/1/day", {**asked(day), **change})
    assert page.status_code == 422
    assert says in page.text
    with Session(engine) as session:
        assert session.get(Trial, 1).serve_at is None


def test_a_day_that_is_too_short_says_how_much_later_would_do(member, engine) -> None:
    planned(engine)
    soon = datetime.now(TZ) + timedelta(hours=3)
    page = member.post("/trials/1/day", asked(soon))
    assert "would have had to begin" in page.text
    assert "later or more" in page.text
    assert member.get("/trials/1/day.ics").status_code == 302


def test_a_cut_that_the_twin_does_not_know_is_named(member, engine) -> None:
    day = planned(engine)
    with Session(engine) as session:
        session.get(Trial, 1).arms[1].pieces[0].cut = "other"
        session.commit()
    assert "Arm B: the twin cannot tell its time" in member.post("/trials/1/day", asked(day)).text


def test_a_pit_too_cool_to_finish_is_named(member, engine) -> None:
    day = planned(engine)
    with Session(engine) as session:
        session.get(Trial, 1).arms[0].pit_target_c = 80.0
        session.commit()
    page = member.post("/trials/1/day", asked(day)).text
    assert "Arm A is done at all on" in page
    assert "give it a hotter pit" in page


def test_before_a_serving_time_is_given_the_page_asks_for_one(member, engine) -> None:
    planned(engine)
    page = member.get("/trials/1/day")
    assert page.status_code == 200
    assert "Give a serving time" in page.text


def test_the_plan_says_whether_it_is_fair_and_how_many_pieces_it_takes(member, engine) -> None:
    planned(engine)
    page = member.get("/trials/1/fair").text
    assert "This cannot answer the question, because cooker" in page
    assert "cook both in one cooker" in page
    assert re.search(r"With one piece an arm, only a difference beyond <?[^<]+ would stand out", page)
    with Session(engine) as session:
        trial = session.get(Trial, 1)
        for arm in trial.arms:
            arm.cooker_id = trial.arms[0].cooker_id
            arm.pieces[0].position = "the middle, one after another"
        trial.arms[1].pieces[0].trimmed_kg = trial.arms[0].pieces[0].trimmed_kg
        session.commit()
    mended = member.get("/trials/1/fair").text
    assert "Fair: nothing that is known differs" in mended
    assert "By the twin" in mended
