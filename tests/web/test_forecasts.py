"""The twin over a trial's own records: the plan's forecast on the curves, lessons from finished cooks, why arms differ."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime

import numpy as np
import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session

from bruvet.core.units import Units
from bruvet.records.models import Event, LessonRow, Trial
from bruvet.work import demo, demo_running
from bruvet.work.analysis import TrialFacts
from bruvet.work.forecasts import cooked_case, from_now, learn_from, learned_for, planned_case, to_learn_from
from bruvet.work.why import why
from made import ON, make_trial


def test_the_curves_carry_the_forecast_from_before_the_cook_when_asked(member, engine) -> None:
    with Session(engine) as session:
        make_trial(session, readings=True)
    plain = member.get("/trials/1/curves/data.json").get_json()
    assert not any("told" in s for s in plain["series"])
    told = member.get("/trials/1/curves/data.json?told=1").get_json()
    bands = [s for s in told["series"] if s.get("told")]
    assert [s["told"] for s in bands] == ["high", "low", "middle"] * 2
    high, low, middle = (np.array([v if v is not None else np.nan for v in s["values"]], float) for s in bands[:3])
    known = np.isfinite(middle)
    assert (low[known] <= middle[known] + 1e-6).all()
    assert (middle[known] <= high[known] + 1e-6).all()
    assert all(len(s["values"]) == len(told["x"]) for s in told["series"])
    assert "A1 done at" in told["told"][0]
    zoomed = member.get("/trials/1/curves/data.json?told=1&from=30&to=90").get_json()
    assert 25 < zoomed["x"][0] < zoomed["x"][-1] < 95


def test_a_plan_becomes_a_case(engine) -> None:
    with Session(engine) as session:
        trial = make_trial(session)
        arm = trial.arms[0]
        arm.wrap_rule, arm.wrap_in, arm.wrap_at_min = "clock", "foil", 240.0
        assert planned_case(arm.pieces[0]).wraps == ((240.0, "foil"),)
        arm.wrap_rule, arm.wrap_at_c = "temperature", 74.0
        assert planned_case(arm.pieces[0]).wrap_at_c == (74.0, "foil")
        arm.wrap_rule = "never"
        case = planned_case(arm.pieces[0])
        assert case.wraps == ()
        assert case.wrap_at_c is None
        arm.pieces[0].cut = "other"
        assert planned_case(arm.pieces[0]) is None


def test_what_was_done_becomes_a_case_with_its_readings(engine) -> None:
    with Session(engine) as session:
        trial = make_trial(session, readings=True)
        trial.events.append(Event(arm_id=trial.arms[0].id, kind="wrap", at=ON.replace(hour=10), wrap_in="paper"))
        session.commit()
        facts = TrialFacts(session, trial, Units())
        case = cooked_case(facts, facts.pieces[0])
        assert case is not None
        assert case.wraps == ((240.0, "paper"),)
        assert case.pit_c[0][1] == pytest.approx(120, abs=0.5)
        assert case.readings[-1][1] == pytest.approx(95, abs=1)
        early = cooked_case(facts, facts.pieces[0], until_min=100)
        assert early is not None
        assert early.readings[-1][0] <= 100
        assert early.wraps == ()


def test_finished_cooks_teach_and_edited_ones_teach_again(engine) -> None:
    with Session(engine) as session:
        demo.load(session, lambda password: password, lambda what: None)
        session.commit()
        waiting = to_learn_from(session)
        assert len(waiting) >= 14
        trial = session.get(Trial, waiting[0])
        assert trial is not None
        facts = TrialFacts(session, trial, Units())
        assert learn_from(facts) == 2
        session.flush()
        assert learn_from(TrialFacts(session, trial, Units())) == 0
        assert trial.id not in to_learn_from(session)
        later = session.scalars(select(Trial).where(Trial.title.like("Pork collar: foil or nothing"))).one()
        learned = learned_for(session, later.arms[0].pieces[0])
        assert learned.cooks == 2
        assert np.abs(learned.mean).max() > 0.01
        assert learned_for(session, trial.arms[0].pieces[0]).cooks == 0, "a trial never teaches itself or its past"
        trial.arms[0].pieces[0].trimmed_kg = 2.9
        session.flush()
        assert learn_from(TrialFacts(session, trial, Units())) == 1
        row = session.scalars(select(LessonRow)).first()
        assert row is not None
        row.body = {**row.body, "dimensions": ["of another time"]}
        session.flush()
        assert learned_for(session, later.arms[0].pieces[0]).cooks == 1


def test_the_gap_between_two_arms_is_split_into_what_is_known(engine) -> None:
    with Session(engine) as session:
        demo.load(session, lambda password: password, lambda what: None)
        trial = session.scalars(select(Trial).where(Trial.title.like("Pork collar: foil or nothing"))).one()
        facts = TrialFacts(session, trial, Units())
        a, b = facts.pieces
        found = why(facts, a, b).found
        assert found is not None
        worth = {part.what: part.minutes for part in found.parts}
        assert worth["wrap"] > 30, "bare took longer"
        assert found.unexplained_min is not None
        gap = facts.measures[b.id].total.value - facts.measures[a.id].total.value
        assert found.modelled_min + found.unexplained_min == pytest.approx(gap)
        assert sum(worth.values()) == pytest.approx(found.modelled_min)


def test_a_case_can_be_made_for_every_piece_of_the_demo(engine) -> None:
    with Session(engine) as session:
        demo.load(session, lambda password: password, lambda what: None)
        for trial in session.scalars(select(Trial)):
            facts = TrialFacts(session, trial, Units())
            for piece in facts.pieces:
                assert planned_case(piece) is not None
                case = cooked_case(facts, piece)
                assert case is None or replace(case, readings=()).pit_c[0][1] > 40


def test_a_running_cook_is_told_from_its_last_reading_with_what_ifs(member, engine) -> None:
    with Session(engine) as session:
        demo.load(session, lambda password: password, lambda what: None)
        demo_running.keep_running(session, datetime.now(UTC))
        session.commit()
        trial = session.scalars(select(Trial).where(Trial.title == demo_running.RUNNING_TITLE)).one()
        facts = TrialFacts(session, trial, Units())
        paper, bare = (from_now(facts, piece) for piece in facts.pieces)
        assert paper is not None
        assert bare is not None
        assert bare.now_min == pytest.approx(220, abs=2)
        done = {t.option.name: t.told.done_min.p50 for t in bare.tried if t.told.done_min}
        assert done["foil now"] < done["paper now"] < done["go on as it is"]
        hotter, cooler = (t.told.done_min for t in bare.tried if t.option.pit_c)
        assert hotter.p50 < done["go on as it is"] < (cooler.p50 if cooler else 1e9)
        assert all(value > bare.now_min for value in done.values())
        number = trial.id
    page = member.get(f"/trials/{number}/curves/now").text
    assert "foil now" in page
    assert "go on as it is" in page
    assert "What it will do" in member.get(f"/trials/{number}/curves").text
    assert "What it will do" not in member.get("/trials/1/curves").text
    assert member.get("/trials/1/curves/now").status_code == 200
