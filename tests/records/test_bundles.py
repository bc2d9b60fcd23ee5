"""A whole trial out and in again: equal, whole or not at all, and with nothing that was still shut."""

from __future__ import annotations

import base64
import gzip
import io
import json
from contextlib import suppress
from datetime import timedelta

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from PIL import Image
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from bruvet.core.units import Units
from bruvet.formats.trial_bundle import BadBundle
from bruvet.records.models import (
    Base,
    Channel,
    Cooker,
    Cutting,
    Event,
    Look,
    Panellist,
    Photo,
    Probe,
    Reading,
    Score,
    Spot,
    Station,
    Trial,
)
from bruvet.records.series import save_readings, seconds
from bruvet.records.tasting import Panel
from bruvet.work.analysis import TrialFacts
from bruvet.work.bundles import NAMES, STAY, HereAlready, bring_in, export
from bruvet.work.importing import add_file
from bruvet.work.panel_results import results
from bruvet.work.panels import Asked, answer, ballot_of, join, new_panel, open_envelope, send
from made import ON, make_trial


def jpeg() -> bytes:
    sink = io.BytesIO()
    Image.new("RGB", (8, 6), (90, 40, 20)).save(sink, "JPEG")
    return sink.getvalue()


JPEG = jpeg()


def rich_trial(session: Session) -> Trial:
    """One of everything."""
    trial = make_trial(session, readings=True)
    cooker = Cooker(name="The drum", kind="drum", note="welded at home")
    session.add(cooker)
    session.flush()
    first, second = trial.arms
    first.cooker_id, second.move_to_id, second.move_at_min = cooker.id, cooker.id, 200.0
    first.said = {"fresh or frozen": "fresh"}
    piece = first.pieces[0]
    piece.cutting = Cutting(bend="drapes", ring_mm=6.5, note="“good”")
    look = Look(trial_id=trial.id, piece_id=piece.id, at=ON + timedelta(hours=3), bark="set", colour="dark")
    look.spots.append(Spot(place="middle", temp_c=71.25, feel="firm"))
    session.add(look)
    session.add(Event(trial_id=trial.id, arm_id=first.id, piece_id=piece.id, kind="spritz", at=ON, note="<b>=1+1"))
    who = Panellist(trial_id=trial.id, name="Tomé", blind=True, preferred_arm_id=second.id, remark="−ok")
    who.scores.append(Score(arm_id=first.id, attribute="overall", value=7))
    session.add(who)
    session.add(Photo(trial_id=trial.id, arm_id=first.id, at=ON, content=JPEG, view="slice", spans_mm=90.0))
    row, _ = add_file(session, trial, "log.csv", b"time,x\n1,2\n", None)
    row.mapping = {
        "targets": {"x": {"to": f"piece:{piece.id}"}, "y": {"to": f"pit:{second.id}"}, "z": {"to": "piece:9999"}}
    }
    station = Station(name="Yard", token_hash="h")
    probe = trial.probes[1] if trial.probes else session.scalars(select(Probe)).all()[1]
    station.channels.append(
        Channel(name="1", probe_id=probe.id, from_at=ON, calibration={"ice_c": 0.5, "boil_c": 100.5, "altitude_m": 0.0})
    )
    session.add(station)
    # Odd moments and odd temperatures, which single precision does not write in a few figures.
    at = seconds(ON) + 40_000 + np.array([0.0, 0.125, 1.000001, 7.25])
    save_readings(session, [(probe.id, at, np.array([93.4, 1 / 3, -12.000001, 88.123456]))])
    session.flush()
    session.expire_all()
    return trial


def a_panel(session: Session, trial: Trial, title: str, shut: bool = False) -> Panel:
    asked = Asked(
        title=title, arm_ids=tuple(a.id for a in trial.arms), amounts=("bite",), parts=("",), scales=("overall",),
        rights=("salt",), tests=("prefer", "duo-trio"), expected=3, warm_up=True, repeat=True, own_codes=True,
        pause_s=0, notice="x",
    )  # fmt: skip
    panel = new_panel(session, trial, asked, None)
    panel.state = "open"
    session.flush()
    for name in ("Ana", "Ida", "Odo"):
        ballot = ballot_of(session, join(session, panel, name, name == "Odo", ON))
        for page, step in enumerate(ballot.steps, 1):
            if step["kind"] == "sample":
                answer(session, ballot, page, {"score-overall": "6", "right-salt": "0", "remark": "secret salt"}, ON)
            elif step["kind"] != "warm":
                answer(session, ballot, page, {"choice": step["shown"][0]}, ON)
        send(session, ballot, ON)
    if not shut:
        open_envelope(panel, None, ON)
    session.flush()
    session.expire_all()
    return panel


@pytest.fixture
def other(database_url: str):
    """Another Bruvet: a database of its own."""
    import psycopg

    from bruvet.records.store import migrate, open_engine

    plain, name = database_url.replace("+psycopg", ""), database_url.rsplit("/", 1)[1] + "_other"
    with psycopg.connect(plain, autocommit=True) as connection:
        connection.execute(f"DROP DATABASE IF EXISTS {name}")
        connection.execute(f"CREATE DATABASE {name}")
    url = database_url.rsplit("/", 1)[0] + "/" + name
    migrate(url)
    engine = open_engine(url)
    # Numbers of rows there are others than here.
    with Session(engine) as session:
        make_trial(session, "ABC", readings=True)
        make_trial(session, "AB")
    yield engine
    engine.dispose()


def test_another_bruvet_reads_it_back_equal(session, other) -> None:
    trial = rich_trial(session)
    a_panel(session, trial, "Sunday")
    session.commit()
    out = export(session, trial)
    with Session(other) as there:
        again = bring_in(there, out)
        there.commit()
        assert export(there, again) == out
        mine = TrialFacts(session, trial, Units())
        theirs = TrialFacts(there, again, Units())
        for a, b in zip(mine.pieces, theirs.pieces, strict=True):
            one, two = mine.measures[a.id], theirs.measures[b.id]
            assert (one.total, one.highest, one.pit_mean) == (two.total, two.highest, two.pit_mean)
        first = results(session.scalars(select(Panel)).one())
        second = results(there.scalars(select(Panel)).one())
        assert [t.counts for t in first.tests] == [t.counts for t in second.tests]
        assert first.attributes == second.attributes


def test_packed_it_is_read_too(session, other) -> None:
    out = export(session, rich_trial(session))
    with Session(other) as there:
        assert export(there, bring_in(there, gzip.compress(out))) == out


def test_what_is_shut_stays_shut(session, other) -> None:
    trial = rich_trial(session)
    a_panel(session, trial, "Still shut", shut=True)
    out = export(session, trial)
    said = json.loads(out)
    assert said["left_out"] == ["the tasting Still shut, whose envelope is shut"]
    assert said["tables"]["panel"] == said["tables"]["ballot"] == said["tables"]["ballot_answer"] == []
    assert "secret salt" not in out.decode()


def test_nothing_that_opens_a_door_is_in_it(session) -> None:
    trial = rich_trial(session)
    panel = a_panel(session, trial, "Sunday")
    out = export(session, trial).decode()
    for secret in (panel.join_code, "token_hash", "password", "created_by", *(b.token_hash for b in panel.ballots)):
        assert secret not in out


def test_every_table_is_in_the_bundle_or_stays_for_a_reason() -> None:
    tables = {table.name for table in Base.metadata.sorted_tables}
    assert tables == NAMES | set(STAY)
    assert not NAMES & set(STAY)


def test_the_same_trial_comes_in_once_or_as_a_copy(session) -> None:
    trial = rich_trial(session)
    session.commit()
    out = export(session, trial)
    with pytest.raises(HereAlready, match="here already, as Collar test"):
        bring_in(session, out)
    copy = bring_in(session, out, copy=True)
    assert copy.id != trial.id
    one, two = json.loads(out), json.loads(export(session, copy))
    one["tables"]["trial"][0]["uid"] = two["tables"]["trial"][0]["uid"]
    # The station that carries its calibration is named after the trial it came with.
    assert one == two
    assert session.scalar(select(func.count()).select_from(Cooker)) == 1, "the kitchen's own cooker is used"


def test_readings_that_were_given_up_come_along_as_half_minutes(session, other) -> None:
    trial = rich_trial(session)
    probe = session.scalars(select(Probe).order_by(Probe.id)).first()
    session.execute(Reading.__table__.delete().where(Reading.probe_id == probe.id))
    session.commit()
    out = export(session, trial)
    assert len(json.loads(out)["half_minutes"]["1"]) > 100
    with Session(other) as there:
        again = bring_in(there, out)
        assert export(there, again) == out
        assert TrialFacts(there, again, Units()).measures[again.arms[0].pieces[0].id].pit_mean.known


@pytest.fixture(scope="module")
def told() -> dict:
    """A small bundle, written by hand."""
    arm = {"trial_id": 1, "label": "", "wrap_rule": "never", "wrap_in": "none", "done_rule": "feel", "rest_kind": "box"}
    return {
        "format": "bruvet-trial", "version": 1, "left_out": [],
        "tables": {
            "trial": [{
                "title": "T", "question": "Q", "factor": "wrap", "cook_date": "2026-05-02", "tz": "Europe/Lisbon",
                "kind": "one-factor",
            }],
            "arm": [arm | {"letter": "A"}, arm | {"letter": "B"}],
            "piece": [{"arm_id": 1, "number": 1, "cut": "pork-collar"}, {"arm_id": 2, "number": 1, "cut": "pork-collar"}],
            "probe": [{"trial_id": 1, "arm_id": 1, "piece_id": 1, "place": "middle"}],
            "event": [{"trial_id": 1, "arm_id": 1, "kind": "meat-on", "at": "2026-05-02T06:00:00+00:00"}],
        },
        "readings": [{"probe": 1, "from_s": 1777701600, "after_s": [0, 60, 120], "temp_c": [4, 5.5, 7]}],
        "half_minutes": {},
    }  # fmt: skip


def changed(said: dict, path: tuple, value) -> bytes:
    copy = json.loads(json.dumps(said))
    place = copy
    for step in path[:-1]:
        place = place[step]
    place[path[-1]] = value
    return json.dumps(copy).encode()


def test_one_written_by_hand_comes_in(session, told) -> None:
    trial = bring_in(session, json.dumps(told).encode())
    assert [arm.letter for arm in trial.arms] == ["A", "B"]
    assert session.scalar(select(func.count()).select_from(Reading)) == 3


@pytest.mark.parametrize(
    ("path", "value", "words"),
    [
        (("format",), "other", "does not say format"),
        (("version",), 2, "of version 2"),
        (("tables", "frobs"), [], "no table called 'frobs'"),
        (("tables", "trial"), [], "one trial is wanted"),
        (("tables", "arm", 0, "colour"), "red", "tables.arm, row 1: there is no column called 'colour'"),
        (("tables", "arm", 0, "id"), 7, "no column called 'id'"),
        (("tables", "trial", 0, "title"), "x" * 121, "title: 120 characters are the most"),
        (("tables", "trial", 0, "title"), None, "may not be empty"),
        (("tables", "trial", 0, "title"), "a\x00b", "zero byte"),
        (("tables", "trial", 0, "tolerances"), {"a": "\x00"}, "zero byte"),
        (("tables", "trial", 0, "factor"), "sorcery", "is none of"),
        (("tables", "trial", 0, "cook_date"), "yesterday", "no time in ISO 8601"),
        (("tables", "trial", 0, "tz"), "Mars/Olympus", "is no time zone"),
        (("tables", "event", 0, "at"), "2026-05-02T06:00:00", "lacks its offset"),
        (("tables", "arm", 1, "letter"), "A", "contradict one another"),
        (("tables", "arm", 0, "pit_target_c"), "hot", "a number is wanted"),
        (("tables", "arm", 0, "pit_target_c"), 1e400, "no number that a bundle holds"),
        (("tables", "piece", 0, "arm_id"), 3, "there is no row 3 in arm"),
        (("tables", "piece", 0, "arm_id"), True, "there is no row True"),
        (("tables", "piece", 0, "number"), 2**40, "a whole number is wanted"),
        (("tables", "piece"), {"a": 1}, "a list of rows is wanted"),
        (("tables", "photo"), [{"trial_id": 1, "at": "2026-05-02T06:00:00+00:00", "content": "%%"}], "no base64"),
        (("tables", "photo"), [{"trial_id": 1, "at": "2026-05-02T06:00:00+00:00", "content": "YWJj"}], "no JPEG"),
        (("readings", 0, "probe"), 5, "the number of a probe"),
        (("readings", 0, "after_s"), [0, 1], "as many times as temperatures"),
        (("readings", 0, "after_s"), [0, 1, "x"], "all numbers"),
        (("readings", 0, "temp_c"), [1, 2, 1e9], "that cannot be"),
        (("half_minutes",), {"1": [[1, 2]]}, "rows of six numbers"),
    ],
)
def test_what_is_wrong_is_said_with_its_place_and_nothing_is_kept(session, told, path, value, words) -> None:
    with pytest.raises(BadBundle, match=words):
        bring_in(session, changed(told, path, value))
    assert session.scalar(select(func.count()).select_from(Trial)) == 0
    assert session.scalar(select(func.count()).select_from(Reading)) == 0


@pytest.mark.parametrize(
    "content", [b"", b"null", b"[]", b"\xff\xfe", b"{" * 100_000, b"\x1f\x8bbroken", b"[" * 100_000]
)
def test_what_is_no_bundle_at_all_is_said_plainly(session, content) -> None:
    with pytest.raises(BadBundle):
        bring_in(session, content)


@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.data())
def test_whatever_is_put_in_one_place_it_comes_in_or_is_refused(session, told, data) -> None:
    """No value of any kind in any place ends in anything but a trial or a refusal."""
    tables = told["tables"]
    name = data.draw(st.sampled_from(sorted(tables)))
    number = data.draw(st.integers(0, len(tables[name]) - 1))
    column = data.draw(st.sampled_from(sorted(tables[name][number])))
    value = data.draw(
        st.one_of(
            st.none(), st.booleans(), st.integers(-(2**70), 2**70), st.floats(), st.text(max_size=20),
            st.lists(st.integers(), max_size=2), st.dictionaries(st.text(max_size=3), st.integers(), max_size=2),
        )
    )  # fmt: skip
    with suppress(BadBundle):
        bring_in(session, changed(told, ("tables", name, number, column), value))
    session.rollback()


def test_a_photo_is_the_same_bytes(session, other) -> None:
    trial = rich_trial(session)
    row = json.loads(export(session, trial))["tables"]["photo"][0]
    assert base64.b64decode(row["content"]) == JPEG
