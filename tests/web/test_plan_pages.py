"""The plan's pages: ledger, lots and labels, quantities, protocols, days of one question; and what they refuse."""

from __future__ import annotations

import csv
import io
import re
from datetime import UTC, datetime, timedelta

import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session

from bruvet.records.models import Cooker, Event, Piece, Protocol, Revision, Trial
from made import ON, fields_of, make_trial


@pytest.fixture
def trial(engine, member):
    with Session(engine) as session:
        found = make_trial(session)
        cooker = Cooker(name="The drum", kind="drum")
        for arm in found.arms:
            arm.cooker, arm.done_at_c, arm.rub = cooker, 93.0, "2 pepper, 1 salt"
        session.commit()
    return 1


def of(engine, number: int = 1):
    session = Session(engine)
    return session, session.get(Trial, number)


# ---- the ledger -----------------------------------------------------------------------------------------


def test_what_is_said_on_the_ledger_is_kept_with_its_earlier_value(member, engine, trial) -> None:
    form = {"A:membrane": "off", "B:membrane": "on", "A:grate at its place": "250", "A:rub left on": "1:30"}
    page = member.post("/trials/1/ledger", form)
    assert "The ledger is kept" in page.text
    session, found = of(engine)
    assert found.arms[0].said == {
        "membrane": "off",
        "grate at its place": pytest.approx((250 - 32) / 1.8),
        "rub left on": 90.0,
    }
    assert found.arms[1].said == {"membrane": "on"}
    assert re.search(r"is-differs.*?Membrane", page.text, re.DOTALL)
    member.post("/trials/1/ledger", {"A:membrane": "on", "B:membrane": "on"})
    kept = session.scalars(select(Revision).where(Revision.table_name == "arm")).all()
    assert any(row.earlier.get("said", {}).get("membrane") == "off" for row in kept)
    session.close()


def test_tolerances_are_typed_in_the_persons_own_units(member, engine, trial) -> None:
    assert re.search(r'is-differs"><th class="words">Weight', member.get("/trials/1/ledger").text)
    page = member.post("/trials/1/ledger", {"tolerance:weight": "20", "tolerance:start": "9"})
    session, found = of(engine)
    assert found.tolerances == {"weight": pytest.approx(0.2), "start": pytest.approx(5.0)}
    assert not re.search(r'is-differs"><th class="words">Weight', page.text)
    session.close()


@pytest.mark.parametrize(
    ("name", "value", "says"),
    [
        ("A:grate at its place", "hot", "is not a number"), ("A:fat left on", "9999", "must be between"),
        ("B:rub left on", "soon", "write minutes"), ("tolerance:weight", "-1", "must be between"), ("A:membrane", "x" * 200, "80 characters"),
    ],
)  # fmt: skip
def test_a_wrong_entry_keeps_the_rest_as_typed_and_saves_nothing(member, engine, trial, name, value, says) -> None:
    page = member.post("/trials/1/ledger", {"B:binder": "mustard", name: value})
    assert page.status_code == 422
    assert says in page.text
    assert 'value="mustard"' in page.text
    session, found = of(engine)
    assert found.arms[1].said == {}
    session.close()


def test_minutes_are_the_twins_for_just_that_value(member, trial) -> None:
    page = member.get("/trials/1/ledger").text
    row = re.search(r'<tr class="is-differs"><th class="words">Weight.*?</tr>', page, re.DOTALL)
    assert row
    minutes = re.search(r"B \+(\d):(\d\d)", row[0])
    assert minutes, "2.3 kg against 2.0 kg takes longer"
    assert 5 <= int(minutes[1]) * 60 + int(minutes[2]) <= 90


def test_what_was_done_otherwise_stands_beside_the_plan(member, engine, trial) -> None:
    with Session(engine) as session:
        found = session.get(Trial, 1)
        for arm in found.arms:
            found.events += [
                Event(arm_id=arm.id, kind="meat-on", at=ON),
                Event(arm_id=arm.id, kind="pull", at=ON + timedelta(hours=6)),
            ]
        first, second = found.arms
        found.events.append(Event(arm_id=second.id, kind="wrap", wrap_in="paper", at=ON + timedelta(hours=3)))
        found.events.append(Event(arm_id=first.id, kind="pit-set", temp_c=150.0, at=ON + timedelta(hours=2)))
        session.commit()
    page = member.get("/trials/1/ledger").text
    assert "Where the cook left the plan" in page
    assert "planned nothing" in page
    assert "pit to 302 °F" in page
    assert "because" in page
    assert "changed half-way" in page


# ---- lots -----------------------------------------------------------------------------------------------


def more_pieces(engine, weights=(1.4, 2.0, 1.45, 2.05)) -> None:
    with Session(engine) as session:
        trial = session.get(Trial, 1)
        for arm in trial.arms:
            arm.pieces.clear()
        session.flush()
        for number, kg in enumerate(weights):
            trial.arms[number % 2].pieces.append(Piece(number=number // 2 + 1, cut="pork-collar", trimmed_kg=kg))
        session.commit()


def shares(engine) -> dict[float, str]:
    with Session(engine) as session:
        return {p.trimmed_kg: p.arm.letter for arm in session.get(Trial, 1).arms for p in arm.pieces}


def test_a_draw_is_matched_kept_with_its_seed_and_repeated_by_it(member, engine, trial) -> None:
    more_pieces(engine)
    page = member.post("/trials/1/lots/draw", {"matched": "on", "seed": "77", "places": "a, b, c, d"})
    assert "seed 77" in page.text
    first = shares(engine)
    assert first[1.4] != first[1.45]
    assert first[2.0] != first[2.05]
    with Session(engine) as session:
        found = session.get(Trial, 1)
        assert found.lots["by"] == "draw"
        assert found.lots["seed"] == 77
        assert sorted(p.position for arm in found.arms for p in arm.pieces) == ["a", "b", "c", "d"]
        assert sorted(p.number for p in found.arms[0].pieces) == [1, 2]
    for seed in ("5", "6", "7", "8"):
        member.post("/trials/1/lots/draw", {"matched": "on", "seed": seed})
    member.post("/trials/1/lots/draw", {"matched": "on", "seed": "77"})
    assert shares(engine) == first


def test_set_by_hand_is_kept_and_marked_as_such(member, engine, trial) -> None:
    with Session(engine) as session:
        first, second = (arm.pieces[0].id for arm in session.get(Trial, 1).arms)
    form = {
        f"arm:{first}": "B",
        f"arm:{second}": "A",
        f"place:{first}": "left",
        f"pair:{first}": "1",
        f"pair:{second}": "1",
    }
    page = member.post("/trials/1/lots/hand", form)
    assert "Set by hand" in page.text
    with Session(engine) as session:
        piece = session.get(Piece, first)
        assert (piece.arm.letter, piece.position, piece.pair) == ("B", "left", "1")
    alone = member.post("/trials/1/lots/hand", {f"arm:{first}": "A", f"arm:{second}": "A"})
    assert alone.status_code == 422
    assert "Arm B would have no piece" in alone.text


def test_what_cannot_be_drawn_says_why_and_changes_nothing(member, engine, trial) -> None:
    more_pieces(engine, (1.0, 2.0, 3.0))
    before = shares(engine)
    page = member.post("/trials/1/lots/draw", {"matched": "on"})
    assert page.status_code == 422
    assert "do not go evenly into 2 arms" in page.text
    more_pieces(engine)
    assert "need 4 different places" in member.post("/trials/1/lots/draw", {"places": "left, right"}).text
    assert "whole number" in member.post("/trials/1/lots/draw", {"seed": "1.5"}).text
    assert "must be between" in member.post("/trials/1/lots/draw", {"seed": "-4"}).text
    assert "2 arms stand in 1 cookers" in member.post("/trials/1/lots/draw", {"cookers": "on"}).text
    assert len(before) == 3
    with Session(engine) as session:
        found = session.get(Trial, 1)
        found.events.append(Event(arm_id=found.arms[0].id, kind="meat-on", at=ON))
        session.commit()
    assert "on record already" in member.post("/trials/1/lots/draw", {}).text


def test_labels_carry_a_code_that_leads_to_the_piece(member, engine, trial) -> None:
    page = member.get("/trials/1/labels").text
    assert page.count('class="qr"') == 2
    with Session(engine) as session:
        piece = session.get(Trial, 1).arms[0].pieces[0].id
    answer = member.get(f"/p/{piece}")
    assert answer.status_code == 302
    assert "/trials/1/" in answer.location
    assert member.get("/p/999999").status_code == 404


# ---- quantities -----------------------------------------------------------------------------------------


def test_quantities_are_worked_out_and_cost_what_the_prices_say(member, engine, trial) -> None:
    page = member.get("/trials/1/quantities").text
    assert "Pork collar" in page
    assert re.search(r"pepper \d+ g, salt \d+ g", page)
    member.post("/account/units", {"temp_unit": "c", "mass_unit": "kg"}, at="/account")
    page = member.post(
        "/trials/1/quantities",
        {"measured": "weight", "rub_g_dm2": "5", "injection": "8", "serving": "200", "price:Pork collar": "10"},
    ).text
    assert "50.00" in page, "two raw pieces of 2.5 kg at 10 a kg"
    rows = list(csv.DictReader(io.StringIO(member.get("/trials/1/quantities.csv").get_data(as_text=True))))
    meat = next(row for row in rows if row["what"] == "Pork collar")
    assert (float(meat["amount"]), meat["unit"], float(meat["cost"])) == (5000.0, "g", 50.0)


@pytest.mark.parametrize(
    ("name", "value", "says"),
    [
        ("serving", "0", "must be between"),
        ("rub_g_dm2", "lots", "is not a number"),
        ("price:Pork collar", "-2", "must be between"),
        ("measured", "guess", "Choose one"),
    ],
)
def test_quantities_that_cannot_be_are_refused(member, trial, name, value, says) -> None:
    page = member.post("/trials/1/quantities", {"measured": "volume", name: value})
    assert page.status_code == 422
    assert says in page.text


def test_a_rub_that_is_not_in_parts_says_how_to_write_it(member, engine, trial) -> None:
    with Session(engine) as session:
        session.get(Trial, 1).arms[0].rub = "grandmother's"
        session.commit()
    assert "needs a number of parts" in member.get("/trials/1/quantities").text


# ---- protocols and days ---------------------------------------------------------------------------------


def test_every_starter_fills_a_form_that_can_be_kept(member, engine) -> None:
    listed = member.get("/protocols").text
    keys = re.findall(r"protocol=([a-z-]+)", listed)
    assert len(keys) >= 5
    for key in keys:
        page = member.get(f"/trials/new?protocol={key}")
        assert page.status_code == 200
        form = fields_of(page.text)
        kept = member.post("/trials/new", {**form, "do": "save", "title": f"From {key}"})
        assert "The trial is kept" in kept.text, (key, re.findall(r'class="problem"[^>]*>([^<]+)', kept.text))
    with Session(engine) as session:
        kinds = {trial.title: trial.kind for trial in session.scalars(select(Trial))}
        assert kinds["From timed-ribs"] == "lengths"
        assert kinds["From crossed"] == "crossed"
    assert member.get("/trials/new?protocol=nothing").status_code == 404


def test_a_plan_is_kept_as_a_protocol_and_begun_from(member, engine, trial) -> None:
    page = member.post("/trials/1/protocol", {"name": "Collar on the drum"})
    assert "Collar on the drum" in page.text
    assert "already" in member.post("/trials/1/protocol", {"name": "collar ON the drum"}).text
    assert "is needed" in member.post("/trials/1/protocol", {"name": " "}).text
    with Session(engine) as session:
        number = session.scalar(select(Protocol.id))
    form = member.get(f"/trials/new?protocol={number}").text
    assert "2 pepper, 1 salt" in form
    assert 'value="4.40' not in form, "no weights come along"
    assert "is gone" in member.post(f"/protocols/{number}/delete").text


def test_another_day_of_the_question_adds_up_to_one_answer(member, engine, trial) -> None:
    for _ in range(2):
        member.post("/trials/1/another-day")
    with Session(engine) as session:
        days = session.scalars(select(Trial).order_by(Trial.id)).all()
        assert [day.first_day_id for day in days] == [None, 1, 1]
        for number, day in enumerate(days):
            for arm, minutes in zip(day.arms, (300, 330 + 5 * number), strict=True):
                at = ON + timedelta(days=7 * number)
                day.events += [
                    Event(arm_id=arm.id, kind="meat-on", at=at),
                    Event(arm_id=arm.id, kind="pull", at=at + timedelta(minutes=minutes)),
                ]
        session.commit()
    page = member.get("/trials/2/days").text
    assert "Over 3 days" in page
    assert "35 min more" in page
    assert "more than chance between days explains" in page
    plain = member.get("/trials/1").text
    assert "All days of this question" in plain


# ---- kinds of trial, and the day's own wishes ------------------------------------------------------------


def edited(member, **changes: str) -> tuple[int, str]:
    form = fields_of(member.get("/trials/1/edit").text)
    answer = member.post("/trials/1/edit", {**form, "do": "save", **changes})
    return answer.status_code, answer.text


@pytest.mark.parametrize(
    ("changes", "says"),
    [
        ({"kind": "crossed"}, "choose the second one"), ({"kind": "crossed", "factor2": "wrap"}, "choose the second one"),
        ({"kind": "lengths"}, "needs its time on"), ({"kind": "moved"}, "say where, and when"),
        ({"A-move_to": "1"}, "in that cooker already"), ({"A-move_to": "77"}, "not one of yours"),
    ],
)  # fmt: skip
def test_each_kind_of_trial_asks_for_what_it_needs(member, trial, changes, says) -> None:
    status, text = edited(member, **changes)
    assert status == 422
    assert says in text


def test_a_finish_in_another_cooker_is_planned_told_and_scheduled(member, engine, trial) -> None:
    with Session(engine) as session:
        session.add(Cooker(name="The cabinet", kind="cabinet"))
        session.commit()
    status, _ = edited(member, **{"kind": "moved", "B-move_to": "2", "B-move_after": "3:00", "B-move_pit": "275"})
    assert status == 200
    assert "The cabinet at 275 °F, after 3:00" in member.get("/trials/1").text
    day = datetime.now(UTC) + timedelta(days=3)
    page = member.post("/trials/1/day", {"day": f"{day:%Y-%m-%d}", "time": "18:00", "anchor": "serve"}).text
    assert "Move to the cabinet" in page
    assert "Preheat the cabinet" in page
    assert "finished in" in member.get("/trials/1/fair").text


def test_a_typed_time_is_held_shown_and_let_go(member, engine, trial) -> None:
    day = datetime.now(UTC) + timedelta(days=3)
    page = member.post(
        "/trials/1/day",
        {"day": f"{day:%Y-%m-%d}", "time": "18:00", "anchor": "serve", "sleep_from": "23:00", "sleep_until": "6:00"},
    ).text
    trim = re.search(r'name="at:trim A" value="(\d\d:\d\d)"', page)
    assert trim
    held = member.post("/trials/1/day/times", {"at:trim A": "05:10", "do": "hold"}).text
    assert re.search(r'held" name="at:trim A" value="05:10"', held)
    assert "Let go of 1 held time" in held
    with Session(engine) as session:
        assert list(session.get(Trial, 1).pins) == ["trim A"]
    wrong = member.post("/trials/1/day/times", {"at:on A": "25:99", "do": "hold"}).text
    assert "no clock time" in wrong
    assert 'value="05:10"' not in member.post("/trials/1/day/times", {"do": "free"}).text


def test_the_day_goes_forward_from_a_start_too(member, engine, trial) -> None:
    day = datetime.now(UTC) + timedelta(days=3)
    page = member.post("/trials/1/day", {"day": f"{day:%Y-%m-%d}", "time": "09:00", "anchor": "begin"}).text
    assert re.search(r"goes on at <b>(08:55|09:00)</b>", page)
    half = member.post("/trials/1/day", {"day": f"{day:%Y-%m-%d}", "time": "09:00", "sleep_from": "23:00"})
    assert half.status_code == 422
    assert "both its beginning and its end" in half.text
