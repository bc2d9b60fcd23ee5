"""Readings over HTTP: tokens, batches, what is refused and why; where channels sit; the stand-in station against it."""

from __future__ import annotations

import json
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import numpy as np
import pytest
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from bruvet.instruments.station import Channel, Delivery, Faults, reading, readings, run
from bruvet.instruments.weather import taken_from_pit, weather
from bruvet.records.models import Channel as Seat
from bruvet.records.models import Reading, Station
from bruvet.web.api import views as api
from bruvet.work.importing import probe_for
from bruvet.work.stations import add_station, seat, take
from made import ON, make_trial

ADDRESS = "/api/v1/readings"


@pytest.fixture
def token(engine) -> str:
    api._made.clear()
    with Session(engine) as session:
        trial = make_trial(session)
        station, token = add_station(session, "Yard", None)
        arm = trial.arms[0]
        seat(station, "1", probe_for(session, trial, {"to": f"piece:{arm.pieces[0].id}"}, "1"), ON)
        seat(station, "2", probe_for(session, trial, {"to": f"pit:{arm.id}"}, "2"), ON)
        session.commit()
    return token


def item(channel: str = "1", minutes: float = 0.0, temp_c: object = 20.0) -> dict[str, object]:
    return {"channel": channel, "at": (ON + timedelta(minutes=minutes)).isoformat(), "temp_c": temp_c}


def send(visitor, token: str, body: object, **more):
    headers = {"Authorization": f"Bearer {token}"}
    data = body if isinstance(body, str | bytes) else json.dumps(body)
    return visitor.client.post(ADDRESS, data=data, headers=headers, content_type="application/json", **more)


def kept(engine) -> int:
    with Session(engine) as session:
        return session.scalar(select(func.count()).select_from(Reading)) or 0


def test_a_batch_is_kept_and_a_repeat_of_it_changes_nothing(visitor, engine, token) -> None:
    batch = {"readings": [item("1", m, 4.0 + m) for m in range(60)] + [item("2", m, 120.0) for m in range(60)]}
    assert send(visitor, token, batch).get_json() == {"accepted": 120, "new": 120, "refused": []}
    again = send(visitor, token, batch).get_json()
    assert (again["accepted"], again["new"]) == (120, 0)
    assert kept(engine) == 120


def test_late_early_and_out_of_order_is_all_right(visitor, engine, token) -> None:
    rows = [item("1", m, 30.0) for m in (50, 10, 30)]
    assert send(visitor, token, {"readings": rows}).get_json()["new"] == 3
    assert send(visitor, token, {"readings": [item("1", 5), item("1", 5)]}).get_json() == {
        "accepted": 2,
        "new": 1,
        "refused": [],
    }
    assert kept(engine) == 4


def test_what_is_wrong_with_one_item_does_not_hold_up_the_others(visitor, engine, token) -> None:
    rows = [
        item(), item("9"), item(temp_c="hot"), item(temp_c=float("nan")), item(temp_c=9999), {"channel": "1"}, 7,
        {**item(), "at": "yesterday"}, {**item(), "at": "2026-05-02T07:40:00"}, {**item(), "at": "9999-12-31T23:59:59Z"},
        item(minutes=-30), {**item(), "temp_c": True}, item(minutes=1.0),
    ]  # fmt: skip
    answer = send(visitor, token, {"readings": rows}).get_json()
    assert answer["accepted"] == 2
    why = {r["index"]: r["detail"] for r in answer["refused"]}
    assert set(why) == set(range(1, 12))
    assert "nobody has said where '9' sits" in why[1]
    assert "number of °C" in why[2]
    assert "out of range" in why[4]
    assert "no zone" in why[8]
    assert "sat nowhere at that time" in why[10]
    assert kept(engine) == 2


@pytest.mark.parametrize(
    ("body", "status"),
    [("", 400), ("{", 400), ("[]", 422), ('{"readings": 3}', 422), ('{"readings": []}', 200), ("[" * 5000, 400)],
)
def test_a_body_that_is_no_batch_gets_a_problem_document(visitor, token, body, status) -> None:
    answer = send(visitor, token, body)
    assert answer.status_code == status
    if status >= 400:
        assert answer.content_type == "application/problem+json"
        found = json.loads(answer.data)
        assert {"type", "title", "status", "detail"} <= set(found)
        assert found["status"] == status


def test_a_wrong_token_is_told_so(visitor, engine, token) -> None:
    answer = send(visitor, "st_wrong", {"readings": [item()]})
    assert answer.status_code == 401
    assert "WWW-Authenticate" in answer.headers
    assert visitor.client.post(ADDRESS, json={"readings": [item()]}).status_code == 401
    assert kept(engine) == 0


def test_too_many_too_large_and_too_often_are_named(visitor, token) -> None:
    assert send(visitor, token, {"readings": [item()] * 5001}).status_code == 413
    assert send(visitor, token, " " * 2_000_001).status_code == 413
    answer = visitor.client.post(
        ADDRESS, data="x", headers={"Authorization": f"Bearer {token}"}, content_type="text/plain"
    )
    assert answer.status_code == 415
    for _ in range(api.MOST_A_MINUTE):
        last = send(visitor, token, {"readings": []})
    assert last.status_code == 429
    assert last.headers["Retry-After"]


def test_a_moved_channel_goes_to_the_new_place_from_then_on(engine) -> None:
    with Session(engine) as session:
        trial = make_trial(session)
        station, _ = add_station(session, "Yard", None)
        one, two = (probe_for(session, trial, {"to": f"piece:{a.pieces[0].id}"}, "x") for a in trial.arms)
        seat(station, "1", one, ON)
        session.flush()
        seat(station, "1", two, ON + timedelta(minutes=60))
        session.flush()
        taken = take(session, station, [item("1", 59), item("1", 60), item("1", 61)], ON + timedelta(hours=2))
        assert taken.new == 3
        counts = dict(session.execute(select(Reading.probe_id, func.count()).group_by(Reading.probe_id)).all())
        assert counts == {one.id: 1, two.id: 2}


def test_a_station_is_added_its_token_shown_once_and_a_channel_put_somewhere(member, engine) -> None:
    with Session(engine) as session:
        trial = make_trial(session)
        piece = trial.arms[0].pieces[0].id
    page = member.post("/trials/1/stations", {"name": "Back yard"})
    assert "st_" in page.text
    assert "st_" not in member.get("/trials/1/stations").text
    again = member.post("/trials/1/stations", {"name": "back YARD"})
    assert "There is a station called back YARD already" in again.text
    page = member.post(
        "/trials/1/channels",
        {"station": "1", "channel": "3", "to": f"piece:{piece}", "place": "thick end", "from": "07:40"},
    )
    assert "A1 thick end" in page.text
    page = member.post("/trials/1/channels/1/end", {})
    assert "sits nowhere from now on" in page.text
    with Session(engine) as session:
        assert session.scalars(select(Seat)).one().until_at is not None
        assert session.scalars(select(Station)).one().name == "Back yard"


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"station": "99"}, "Choose a station"), ({"channel": ""}, "The channel is needed"), ({"to": "piece:999"}, "Say which pit or piece"),
        ({"from": "when the birds sing"}, ""),
    ],
)  # fmt: skip
def test_a_channel_that_cannot_be_put_there_is_told_why(member, engine, change, says) -> None:
    with Session(engine) as session:
        trial = make_trial(session)
        add_station(session, "Yard", None)
        session.commit()
        piece = trial.arms[0].pieces[0].id
    page = member.post("/trials/1/channels", {"station": "1", "channel": "3", "to": f"piece:{piece}", **change})
    assert page.status_code == 422
    assert says in page.text
    with Session(engine) as session:
        assert session.scalars(select(Seat)).all() == []


# ---- the stand-ins ------------------------------------------------------------------------------------

CURVE = Channel("meat", np.arange(-10.0, 121.0), np.linspace(4.0, 70.0, 131))


def test_a_station_reads_the_same_minute_the_same_again() -> None:
    first = list(readings([CURVE], ON, ON, ON + timedelta(minutes=30), 10, 3, 0.1))
    second = list(readings([CURVE], ON, ON + timedelta(minutes=10), ON + timedelta(minutes=30), 10, 3, 0.1))
    assert len(first) == pytest.approx(180, abs=8)
    assert first[-len(second) :] == second
    assert len({one.at for one in first}) == len(first)


def test_faults_show_in_what_is_read() -> None:
    pulled = Channel("m", CURVE.t_min, CURVE.temp_c, Faults(lost=0.0, pulled=(60.0, 10.0), bone=(90.0, 8.0)))
    at = {minute: reading(pulled, minute, 1, 0.1) for minute in (59.0, 69.0, 80.0, 100.0)}
    plain = {minute: float(np.interp(minute, CURVE.t_min, CURVE.temp_c)) for minute in at}
    assert at[59.0] == pytest.approx(plain[59.0], abs=0.5)
    assert at[69.0] == pytest.approx(18.0, abs=1.5)
    assert at[80.0] == pytest.approx(plain[80.0], abs=0.5)
    assert at[100.0] == pytest.approx(plain[100.0] + 8, abs=0.5)
    lossy = Channel("m", CURVE.t_min, CURVE.temp_c, Faults(lost=0.5))
    got = [reading(lossy, m, 1, 0.1) for m in np.arange(0, 100, 0.5)]
    assert 60 < sum(value is None for value in got) < 140
    whole = reading(CURVE, 50.0, 1, 1.0)
    assert whole is None or whole == round(whole)


def test_a_simulated_station_delivers_its_whole_cook_over_http(site, engine, token) -> None:
    """A hundred times faster than real; the server is away at first, and nothing is lost."""
    clock = {"now": ON}
    away = {"left": 2}
    import urllib.request

    def opener(request, timeout):
        if away["left"]:
            away["left"] -= 1
            raise OSError("no route")
        return urllib.request.urlopen(request, timeout=timeout)

    def sleep(seconds: float) -> None:
        clock["now"] += timedelta(seconds=max(seconds, 1.0))

    delivery = Delivery(site, token, [])
    delivery.send = (lambda original: lambda: original(opener))(delivery.send)  # type: ignore[method-assign]
    channel = Channel("1", np.arange(0.0, 61.0), np.linspace(4.0, 40.0, 61))
    said: list[str] = []
    run([channel], ON, delivery, 30.0, 100.0, 5, 0.1, said.append, lambda: clock["now"], sleep)
    expected = len(list(readings([channel], ON, ON - timedelta(minutes=1), ON + timedelta(minutes=60), 30.0, 5, 0.1)))
    assert kept(engine) == expected
    assert delivery.refused == 0
    assert "does not answer" in said[0]
    assert "delivering" in said


def test_an_unknown_token_stops_the_station(site, engine) -> None:
    from bruvet.instruments.station import Sent

    with pytest.raises(PermissionError, match="token"):
        Delivery(site, "st_nobody", [Sent("1", ON.astimezone(UTC), 20.0)]).send()


def test_made_up_weather_is_weather_and_the_same_for_a_seed() -> None:
    found = weather(4, 72)
    np.testing.assert_array_equal(found.temp_c, weather(4, 72).temp_c)
    assert -5 < found.temp_c.min() < found.temp_c.max() < 35
    assert ((found.humidity > 0) & (found.humidity <= 1)).all()
    assert (found.wind_m_s >= 0).all()
    wet = next(w for seed in range(50) if (w := weather(seed, 48)).rain_mm_h.max() > 1)
    assert taken_from_pit(wet, 48 * 60).max() > 3


def test_the_demo_has_a_trial_under_way_that_its_station_goes_on_with(engine, member) -> None:
    from bruvet.work import demo, demo_running

    with Session(engine) as session:
        demo.load(session, lambda password: password, lambda what: None)
        now = datetime.now(UTC)
        first, began = demo_running.keep_running(session, now)
        session.commit()
        count = session.scalar(select(func.count()).select_from(Reading))
        second, same = demo_running.keep_running(session, now + timedelta(minutes=20))
        session.commit()
        assert same == began
        assert first != second
        assert session.scalar(select(func.count()).select_from(Reading)) == count
    home = member.get("/").text
    assert "cooking now" in home
    assert home.index("paper or bare") < home.index("Beef cheeks: foil, paper or a tray")
    with Session(engine) as session:
        assert demo_running.keep_running(session, now + timedelta(hours=30))[1] > began


def test_a_cook_in_the_rain_has_a_colder_pit() -> None:
    from bruvet.instruments.bench_cook import Script, cook

    script = Script("kettle", "pork-collar", 2.0, 88.0, ((0.0, 121.0),), seed=3)
    dry = cook(script)
    seed = next(s for s in range(60) if weather(s, 6).rain_mm_h.max() > 2)
    wet = cook(replace(script, weather_seed=seed))
    early = slice(30, 300)
    assert (dry.pit_c[early] - wet.pit_c[early]).max() > 6
