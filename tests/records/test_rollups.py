"""The roll-up is what the readings are, whatever comes in which order; quarters have rooms; old ones can be given up."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import numpy as np
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import func, select, text

from bruvet.core.units import Units
from bruvet.records.models import Probe, Reading, ReadingRollup
from bruvet.records.retention import give_up_before, rooms
from bruvet.records.series import bucketed, extents, how_many, moment, rolled, save_readings, seconds
from bruvet.work.analysis import TrialFacts
from made import ON, make_trial


def probe_of(session) -> Probe:
    trial = make_trial(session)
    probe = Probe(trial_id=trial.id, arm_id=trial.arms[0].id, piece_id=None, place="grate")
    session.add(probe)
    session.flush()
    return probe


@settings(max_examples=15, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.lists(st.lists(st.integers(0, 600), min_size=1, max_size=60), min_size=1, max_size=5), st.integers(0, 99))
def test_the_roll_up_is_what_the_readings_are(engine, batches: list[list[int]], seed: int) -> None:
    """Late, repeated, overlapping batches: the same buckets as counted from the readings themselves."""
    from sqlalchemy.orm import Session

    rng = np.random.default_rng(seed)
    with Session(engine) as session:
        probe = probe_of(session)
        for batch in batches:
            at = seconds(ON) + np.array(sorted(set(batch)), float)
            save_readings(session, [(probe.id, at, rng.normal(100, 20, len(at)))])
        zero = {probe.id: seconds(ON)}
        fast, slow = rolled(session, zero)[probe.id], bucketed(session, zero, 30.0, -1.0, 11.0)[probe.id]
        for name in ("minute", "mean_c", "low_c", "high_c", "count"):
            np.testing.assert_allclose(getattr(fast, name), getattr(slow, name), rtol=1e-5, atol=1e-4)
        span = extents(session, [probe.id])[probe.id]
        assert (span.count, span.first, span.last) == session.execute(
            select(func.count(), func.min(Reading.at), func.max(Reading.at)).where(Reading.probe_id == probe.id)
        ).one()
        assert how_many(session, zero, -1, 11) == span.count
        session.rollback()


def test_a_probe_takes_its_roll_up_with_it(session) -> None:
    probe = probe_of(session)
    save_readings(session, [(probe.id, seconds(ON) + np.arange(100.0), np.full(100, 50.0))])
    session.delete(probe)
    session.flush()
    assert session.scalar(select(func.count()).select_from(ReadingRollup)) == 0


def test_readings_lie_in_the_room_of_their_quarter(session) -> None:
    probe = probe_of(session)
    ends = datetime(2026, 6, 30, 23, 59, 59, tzinfo=UTC)
    save_readings(session, [(probe.id, seconds(ends) + np.arange(3.0), np.full(3, 50.0))])
    found = {room.table: (room.begins, room.ends) for room in rooms(session)}
    assert found["reading_2026q2"] == (datetime(2026, 4, 1, tzinfo=UTC), datetime(2026, 7, 1, tzinfo=UTC))
    counts = [
        session.scalar(text(f"SELECT count(*) FROM reading_2026q{q} WHERE probe_id = {probe.id}")) for q in (2, 3)
    ]
    assert counts == [1, 2]


def test_wild_dates_are_kept_with_the_others(session) -> None:
    probe = probe_of(session)
    at = np.array([seconds(datetime(1995, 1, 1, tzinfo=UTC)), seconds(datetime(2090, 1, 1, tzinfo=UTC))])
    assert save_readings(session, [(probe.id, at, np.array([1.0, 2.0]))]) == 2
    assert rolled(session, {probe.id: 0.0})[probe.id].count.sum() == 2


def test_a_quarter_given_up_leaves_its_half_minutes_and_every_figure(session) -> None:
    trial = make_trial(session, readings=True)
    before = TrialFacts(session, trial, Units()).measures
    session.commit()
    early = {room.table for room in give_up_before(session, ON)}
    assert "reading_2026q2" not in early, "a quarter that goes on is kept"
    gone = give_up_before(session, ON + timedelta(days=200))
    assert "reading_2026q2" in {room.table for room in gone}
    assert session.scalar(select(func.count()).select_from(Reading)) == 0
    session.expire_all()
    facts = TrialFacts(session, trial, Units())
    assert {k: v.total for k, v in facts.measures.items()} == {k: v.total for k, v in before.items()}
    assert {k: v.pit_mean for k, v in facts.measures.items()} == {k: v.pit_mean for k, v in before.items()}
    session.rollback()


def test_a_page_asks_only_the_quarter_it_needs(session) -> None:
    """The plan for an hour of a trial touches that quarter's index and no other."""
    probe = probe_of(session)
    for quarter in range(6):
        at = seconds(ON) + quarter * 92 * 86_400 + np.arange(2000.0)
        save_readings(session, [(probe.id, at, np.full(2000, 50.0))])
    session.execute(text("ANALYZE reading"))
    low = moment(seconds(ON))
    plan = "\n".join(
        session.scalars(
            text("EXPLAIN SELECT temp_c FROM reading WHERE probe_id = :p AND at BETWEEN :a AND :b"),
            {"p": probe.id, "a": low, "b": low + timedelta(minutes=5)},
        )
    )
    assert "reading_2026q2" in plan
    assert "reading_2026q3" not in plan
    assert "Seq Scan" not in plan
