"""Readings, earlier values and imports on a real PostgreSQL."""

from __future__ import annotations

import threading
from datetime import timedelta

import numpy as np
import pytest
from sqlalchemy import func, select

from bruvet.core.units import Units
from bruvet.records.models import Event, LogFile, Probe, Reading, Revision, Trial
from bruvet.records.series import bucketed, extents, save_readings, seconds
from bruvet.records.store import engine_url, session_scope
from bruvet.work.analysis import TrialFacts
from bruvet.work.importing import BadMapping, add_file, import_in_background, run_import
from bruvet.work.ledgers import kept_ledger
from bruvet.work.verdicts import verdict_of
from made import ON, make_trial

LOG = b"time,A pit C,A meat C\n2026-05-02 07:40,120,4\n2026-05-02 07:41,121,4.5\n2026-05-02 07:42,119,5\n"


def count(session) -> int:
    return session.scalar(select(func.count()).select_from(Reading))


def probe_of(session, trial) -> Probe:
    probe = Probe(trial_id=trial.id, arm_id=trial.arms[0].id, piece_id=None, place="grate")
    session.add(probe)
    session.flush()
    return probe


def test_readings_are_kept_once_and_exactly(session) -> None:
    trial = make_trial(session)
    probe = probe_of(session, trial)
    at = seconds(ON) + np.arange(0, 100.0)
    assert save_readings(session, [(probe.id, at, np.full(100, 99.5))]) == 100
    assert save_readings(session, [(probe.id, at + 50, np.full(100, 50.0))]) == 50
    session.commit()
    first = session.scalars(select(Reading).order_by(Reading.at)).first()
    assert (first.at, first.temp_c) == (ON, 99.5)
    kept = session.scalar(select(Reading.temp_c).where(Reading.at == ON + timedelta(seconds=60)))
    assert kept == 99.5, "an import never changes a reading that is there"


def test_buckets_are_the_minimum_maximum_and_mean(session) -> None:
    trial = make_trial(session)
    probe = probe_of(session, trial)
    values = np.random.default_rng(1).normal(100, 5, 600)
    save_readings(session, [(probe.id, seconds(ON) + np.arange(600.0), values)])
    fine = bucketed(session, {probe.id: seconds(ON)}, 30.0, 0.0, 10.0)[probe.id]
    stored = values.astype(np.float32).astype(float).reshape(20, 30)
    np.testing.assert_allclose(fine.mean_c, stored.mean(axis=1))
    np.testing.assert_allclose(fine.low_c, stored.min(axis=1))
    np.testing.assert_allclose(fine.high_c, stored.max(axis=1))
    wide, direct = fine.coarser(120.0), bucketed(session, {probe.id: seconds(ON)}, 120.0, 0.0, 10.0)[probe.id]
    for name in ("minute", "mean_c", "low_c", "high_c", "count"):
        np.testing.assert_allclose(getattr(wide, name), getattr(direct, name))
    part = bucketed(session, {probe.id: seconds(ON)}, 1.0, 1.0, 2.0)[probe.id]
    assert len(part.minute) == 61


def test_a_probe_takes_its_readings_with_it_and_a_trial_everything(session) -> None:
    trial = make_trial(session, readings=True)
    before = count(session)
    session.delete(trial.probes[0])
    session.commit()
    assert 0 < count(session) < before
    session.refresh(trial)
    session.delete(session.get(Trial, trial.id))
    session.commit()
    assert count(session) == 0


def test_an_edit_keeps_the_earlier_value_with_who_did_it(session) -> None:
    trial = make_trial(session)
    session.info["person_id"] = 7
    trial.title = "Another title"
    trial.arms[0].pieces[0].trimmed_kg = 1.9
    session.commit()
    rows = {r.table_name: r for r in session.scalars(select(Revision))}
    assert rows["trial"].earlier == {"title": "Collar test"}
    assert rows["piece"].earlier == {"trimmed_kg": 2.0}
    assert rows["piece"].trial_id == trial.id
    assert {r.person_id for r in rows.values()} == {7}


def bring(session, trial, content=LOG, mapping=None):
    row, fresh = add_file(session, trial, "log.csv", content, None)
    arm = trial.arms[0]
    row.mapping = mapping or {
        "targets": {
            "A pit C": {"to": f"pit:{arm.id}"},
            "A meat C": {"to": f"piece:{arm.pieces[0].id}", "place": "thick end"},
        }
    }
    return row, fresh


def test_the_same_file_twice_adds_nothing(session) -> None:
    trial = make_trial(session)
    row, _ = bring(session, trial)
    assert run_import(session, row)["new"] == 6
    again, fresh = bring(session, trial)
    assert (again.id, fresh) == (row.id, False)
    outcome = run_import(session, again)
    assert (outcome["new"], outcome["already"]) == (0, 6)
    assert count(session) == 6
    session.refresh(trial)
    assert sorted(p.label for p in trial.probes) == ["A pit, grate", "A1 thick end"]
    assert {e.first for e in extents(session, [p.id for p in trial.probes]).values()} == {ON}


@pytest.mark.parametrize(
    "mapping", [{"targets": {}}, {"targets": {"A pit C": {"to": "pit:999"}}}, {"targets": {"no such": {"to": "pit:1"}}}]
)
def test_a_mapping_that_cannot_be_carried_out_saves_nothing(session, mapping) -> None:
    trial = make_trial(session)
    row, _ = bring(session, trial, mapping=mapping)
    with pytest.raises(BadMapping):
        run_import(session, row)
    assert count(session) == 0


def test_an_elapsed_log_needs_to_be_told_when_it_began(session) -> None:
    trial = make_trial(session)
    content = b"elapsed_min,A meat C\n0,4\n1,5\n"
    target = {"A meat C": {"to": f"piece:{trial.arms[0].pieces[0].id}"}}
    row, _ = bring(session, trial, content, {"targets": target})
    with pytest.raises(BadMapping, match="when it began"):
        run_import(session, row)
    row.mapping = {"targets": target, "zero": "2026-05-02T07:40"}
    run_import(session, row)
    assert session.scalar(select(func.min(Reading.at))) == ON


def test_events_in_a_file_are_taken_once(session) -> None:
    trial = make_trial(session)
    content = b"time,A pit F,event\n2026-05-02 07:40,250,meat on\n2026-05-02 07:41,250,pit set 275\n2026-05-02 07:42,250,wrap foil\n"
    mapping = {"targets": {"A pit F": {"to": f"pit:{trial.arms[0].id}"}}, "events_to": str(trial.arms[0].id)}
    row, _ = bring(session, trial, content, mapping)
    assert run_import(session, row)["events"] == 3
    assert run_import(session, row)["events"] == 0
    events = session.scalars(select(Event).order_by(Event.at)).all()
    assert [e.kind for e in events] == ["meat-on", "pit-set", "wrap"]
    assert events[1].temp_c == pytest.approx(135.0)
    assert events[2].wrap_in == "foil"


def test_a_background_import_says_how_it_ended(engine, session) -> None:
    trial = make_trial(session)
    row, _ = bring(session, trial)
    session.commit()
    import_in_background(engine, row.id)
    session.refresh(row)
    assert (row.state, row.done_share, row.outcome["new"]) == ("done", 1.0, 6)
    bad, _ = bring(session, trial, LOG + b"2026-05-02 07:43,1,2\n", {"targets": {}})
    session.commit()
    import_in_background(engine, bad.id)
    session.refresh(bad)
    assert bad.state == "failed"
    assert "assigned" in bad.outcome["error"]


def test_a_queued_import_is_carried_out_by_a_worker(engine, session, database_url) -> None:
    import procrastinate

    from bruvet.work.jobs import queue, queue_import

    trial = make_trial(session)
    row, _ = bring(session, trial)
    row.state = "queued"
    session.commit()
    queue_import(database_url, row.id)
    plain = database_url.replace("+psycopg", "")
    import os

    os.environ["DATABASE_URL"] = database_url
    try:
        with queue.replace_connector(procrastinate.PsycopgConnector(conninfo=plain)) as app:
            # In a thread of its own: a browser test before this one may have left an event loop in the main one.
            worker = threading.Thread(target=app.run_worker, kwargs={"wait": False, "install_signal_handlers": False})
            worker.start()
            worker.join(60)
    finally:
        del os.environ["DATABASE_URL"]
    session.expire_all()
    assert session.get(LogFile, row.id).state == "done"


def test_the_facts_of_a_trial_come_from_its_records(session) -> None:
    trial = make_trial(session, readings=True)
    session.refresh(trial)
    facts = TrialFacts(session, trial, Units())
    a, b = (facts.measures[p.id] for p in facts.pieces)
    assert a.total.value == pytest.approx(359)
    assert b.total.value == pytest.approx(419)
    assert a.pit_mean.value == pytest.approx(120, abs=0.1)
    assert [line.row.name for line in kept_ledger(facts).differing] == ["weight"]
    assert "A (way A) was 1 h faster than B (way B)" in verdict_of(facts).headlines[0].headline


def test_nothing_done_by_one_failed_block_is_kept(engine, session) -> None:
    make_trial(session)

    def half_done() -> None:
        with session_scope(engine) as inner:
            inner.delete(inner.scalars(select(Trial)).first())
            inner.flush()
            raise RuntimeError

    with pytest.raises(RuntimeError):
        half_done()
    assert session.scalar(select(func.count()).select_from(Trial)) == 1


def test_usual_spellings_of_a_database_url_are_understood() -> None:
    for url in ("postgres://u@h/d", "postgresql://u@h/d", "postgresql+psycopg://u@h/d"):
        assert engine_url(url) == "postgresql+psycopg://u@h/d"
