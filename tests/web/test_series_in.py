"""Whole stretches of readings over HTTP: taken once, refused with reasons, seated by where the channel was."""

from __future__ import annotations

import json
from datetime import UTC, datetime, timedelta

import pytest
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from bruvet.records.models import Reading
from bruvet.work.importing import probe_for
from bruvet.work.stations import add_station, seat
from made import make_trial

BEGAN = datetime.now(UTC).replace(microsecond=0) - timedelta(hours=3)


@pytest.fixture
def token(engine) -> str:
    with Session(engine) as session:
        trial = make_trial(session)
        station, token = add_station(session, "Shed", None)
        for number, arm in enumerate(trial.arms):
            probe = probe_for(session, trial, {"to": f"pit:{arm.id}", "place": "grate"}, "grate")
            session.flush()
            seat(station, "1", probe, BEGAN + timedelta(hours=number))
        session.commit()
    return token


def send(visitor, token: str, body, **more):
    content = body if isinstance(body, str) else json.dumps(body)
    headers = {"Authorization": f"Bearer {token}"}
    return visitor.client.post("/api/v1/series", data=content, headers=headers, content_type="application/json", **more)


def stretch(**more) -> dict:
    return {"channel": "1", "from": BEGAN.isoformat(), "step_s": 60, "temp_c": [100.0 + n for n in range(90)]} | more


def test_a_stretch_is_kept_once_and_goes_where_the_channel_sat(visitor, token, engine) -> None:
    first = send(visitor, token, {"series": [stretch()]}).get_json()
    assert (first["accepted"], first["new"], first["refused"]) == (90, 90, [])
    again = send(visitor, token, {"series": [stretch()]}).get_json()
    assert (again["accepted"], again["new"]) == (90, 0)
    with Session(engine) as session:
        counts = session.execute(
            select(Reading.probe_id, func.count()).group_by(Reading.probe_id).order_by(Reading.probe_id)
        )
        assert [count for _, count in counts] == [60, 30]


def test_what_is_null_or_out_of_range_is_left_out_and_told(visitor, token) -> None:
    found = send(visitor, token, {"series": [stretch(temp_c=[100.0, None, 9999.0, 101.0])]}).get_json()
    assert (found["accepted"], found["new"]) == (2, 2)
    assert found["refused"] == [{"index": 0, "detail": "temp_c: 1 readings out of range were left out"}]
    early = stretch(**{"from": (BEGAN - timedelta(minutes=30)).isoformat()})
    assert "sat nowhere" in send(visitor, token, {"series": [early]}).get_json()["refused"][0]["detail"]


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"channel": "9"}, "nobody has said"),
        ({"channel": None}, "nobody has said"),
        ({"from": "noon"}, "not a time"),
        ({"from": "2026-05-02T07:40:00"}, "no zone"),
        ({"from": 5}, "give a time"),
        ({"temp_c": []}, "give a list"),
        ({"temp_c": "100"}, "give a list"),
        ({"temp_c": ["hot"]}, "numbers only"),
        ({"temp_c": [[1, 2]]}, "as many as"),
        ({"step_s": None}, "numbers only"),
        ({"offset_s": [1, 2]}, "as many as"),
        ({"step_s": 1e12}, "too far"),
        ({"step_s": float("nan")}, "too far"),
    ],
)
def test_a_stretch_that_cannot_be_read_is_refused_whole(visitor, token, change, words) -> None:
    found = send(visitor, token, {"series": [stretch(**change), stretch()]}).get_json()
    assert words in found["refused"][0]["detail"]
    assert found["new"] == 90, "what is wrong with one does not hold up the other"


def test_batches_that_are_none_are_told_as_problems(visitor, token) -> None:
    assert send(visitor, "st_wrong", {"series": []}).status_code == 401
    assert send(visitor, token, "{").status_code == 400
    assert send(visitor, token, {"readings": []}).status_code == 422
    assert send(visitor, token, {"series": [stretch()] * 65}).status_code == 413
    many = send(visitor, token, {"series": [stretch(temp_c=[1.0] * 250_001)]})
    assert many.status_code == 413
    assert many.content_type == "application/problem+json"


def test_offsets_stand_in_for_a_step(visitor, token, engine) -> None:
    found = send(visitor, token, {"series": [stretch(temp_c=[1.0, 2.0, 3.0], offset_s=[0, 10, 10])]}).get_json()
    assert (found["accepted"], found["new"]) == (3, 2)
    with Session(engine) as session:
        first = session.scalars(select(Reading).order_by(Reading.at)).all()
    assert [row.at - BEGAN for row in first] == [timedelta(0), timedelta(seconds=10)]
