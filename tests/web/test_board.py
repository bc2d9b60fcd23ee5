"""The pit side without a browser: entries, photos, watches kept by the watcher, webhook, calls, helpers, stations."""

from __future__ import annotations

import io
import threading
from datetime import UTC, datetime, timedelta

import numpy as np
import pytest
from PIL import Image
from sqlalchemy import select
from sqlalchemy.orm import Session

from bruvet.instruments.receiver import make_receiver
from bruvet.records.models import Arm, Channel, Event, Photo, Probe, Revision, Station, Trial
from bruvet.records.people import Person
from bruvet.records.series import save_readings, seconds
from bruvet.records.watching import AnswerRow, Board, ToldRow, WatchRow
from bruvet.web.access import hasher
from bruvet.work.live import tell_ahead
from bruvet.work.stations import add_station, seat
from bruvet.work.watcher import look
from made import make_trial

NOW = datetime.now(UTC).replace(microsecond=0)


@pytest.fixture
def running(engine) -> None:
    """Two arms, on for three hours; B's pit has been far too cool for half of that."""
    with Session(engine) as session:
        trial = make_trial(session)
        trial.cook_date = NOW.date()
        series = []
        for arm in trial.arms:
            trial.events.append(Event(arm_id=arm.id, kind="meat-on", at=NOW - timedelta(hours=3)))
            minutes = np.arange(180.0)
            pit = np.where((minutes > 90) & (arm.letter == "B"), 85.0, 120.0) + np.sin(minutes)
            for piece_id, values in ((None, pit), (arm.pieces[0].id, np.linspace(4, 64, 180) + 0.1 * np.cos(minutes))):
                probe = Probe(
                    trial_id=trial.id, arm_id=arm.id, piece_id=piece_id, place="middle" if piece_id else "grate"
                )
                session.add(probe)
                session.flush()
                series.append((probe.id, seconds(NOW - timedelta(hours=3)) + 60 * minutes, values))
        save_readings(session, series)
        session.commit()


def post_json(member, address: str, body: object):
    headers = {"X-CSRFToken": member.token("/account")}
    return member.client.post(address, json=body, headers=headers)


def entry(name: str = "abcdef0123456789", **more: object) -> dict[str, object]:
    return {"id": name, "kind": "spritz", "arms": ["A"], "at": NOW.isoformat(), **more}


# ---- entries --------------------------------------------------------------------------------------------


def test_an_entry_sent_again_is_kept_once(member, engine, running) -> None:
    for _ in range(3):
        answer = post_json(member, "/trials/1/log", {"entries": [entry(arms=["A", "B"])]}).get_json()
        assert [one["id"] for one in answer["kept"]] == ["abcdef0123456789"]
    with Session(engine) as session:
        assert len(session.scalars(select(Event).where(Event.kind == "spritz")).all()) == 2


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"kind": "dance"}, "none of"), ({"arms": []}, "say which"), ({"arms": ["Z"]}, "no arm Z"), ({"at": "yesterday"}, "its zone"),
        ({"at": (NOW + timedelta(hours=2)).isoformat()}, "clock right"), ({"at": (NOW - timedelta(days=9)).isoformat()}, "three days"),
        ({"id": "x"}, "8 to 36"), ({"kind": "wrap"}, "foil, paper or tray"), ({"kind": "pit-set"}, "what the pit was set to"),
        ({"kind": "pit-set", "temp": "hot"}, "give a number"), ({"kind": "pit-set", "temp": 9000}, "give a number"), ({"note": "x" * 600}, "500"),
        ({"kind": "look", "bark": "crunchy"}, "wet, tacky, set"), ({"kind": "look", "spots": [1]}, "an object"), ({"kind": "look", "spots": [{"feel": "odd"}]}, "firm"),
    ],
)  # fmt: skip
def test_a_wrong_entry_is_refused_by_itself_with_how_to_mend_it(member, engine, running, change, says) -> None:
    good = entry("another-good-one", kind="turn")
    answer = post_json(member, "/trials/1/log", {"entries": [{**entry(), **change}, good, 17]}).get_json()
    assert [one["id"] for one in answer["kept"]] == ["another-good-one"]
    assert says in answer["refused"][0]["why"]
    with Session(engine) as session:
        assert {e.kind for e in session.scalars(select(Event))} == {"meat-on", "turn"}


def test_an_undone_entry_leaves_its_trace(member, engine, running) -> None:
    post_json(member, "/trials/1/log", {"entries": [entry()]})
    assert post_json(member, "/trials/1/log/undo", {"id": "abcdef0123456789"}).get_json() == {"undone": "Spritz"}
    assert post_json(member, "/trials/1/log/undo", {"id": "abcdef0123456789"}).get_json() == {"undone": None}
    with Session(engine) as session:
        assert session.scalars(
            select(Revision).where(Revision.action == "delete", Revision.table_name == "event")
        ).one()


def test_entries_ask_for_a_sign_in_and_a_token(member, visitor, running, app) -> None:
    assert member.client.post("/trials/1/log", json={"entries": []}).status_code == 400, "no CSRF token"
    stranger = app.test_client()
    assert stranger.get("/trials/1/board").status_code == 302
    assert post_json(member, "/trials/1/log", {"entries": "x"}).status_code == 422
    assert post_json(member, "/trials/1/log", {"entries": [entry()] * 300}).status_code == 422


# ---- photos ---------------------------------------------------------------------------------------------


def test_a_photo_is_made_small_turned_upright_and_stripped(member, engine, running) -> None:
    picture = Image.new("RGB", (3000, 1000), "brown")
    exif = Image.Exif()
    exif[0x0112] = 6
    exif[0x010F] = "a secret maker"
    sink = io.BytesIO()
    picture.save(sink, "JPEG", exif=exif)
    sent = {"photo": (io.BytesIO(sink.getvalue()), "bark.jpg"), "arm": "A"}
    assert "The photo is kept" in member.post("/trials/1/photos", sent).text
    with Session(engine) as session:
        row = session.scalars(select(Photo)).one()
        kept = Image.open(io.BytesIO(row.content))
        assert max(kept.size) == 1600
        assert kept.height > kept.width, "turned the way it was held"
        assert not kept.getexif()
        assert b"secret maker" not in row.content
    answer = member.get("/photos/1.jpg")
    assert answer.mimetype == "image/jpeg"
    assert "/photos/1.jpg" in member.get("/trials/1/record").text
    for content in (b"", b"not a picture", b"GIF89a" + b"x" * 40):
        sent = {"photo": (io.BytesIO(content), "x.jpg")}
        assert "no picture that can be read" in member.post("/trials/1/photos", sent).text
    assert "The photo is gone" in member.post("/photos/1/delete", at="/account").text
    assert member.get("/photos/1.jpg").status_code == 404


# ---- the watcher ----------------------------------------------------------------------------------------


def test_the_watcher_keeps_a_board_and_warns_once_until_it_is_over(member, engine, running) -> None:
    live: dict = {}
    asked: list[int] = []
    for seconds_on in (0, 2, 4):
        assert look(engine, live, NOW + timedelta(seconds=seconds_on), asked.extend) == 1
    assert len(asked) == 2, "each arm is to be told ahead, once for a while"
    with Session(engine) as session:
        for arm_id in asked:
            assert tell_ahead(session, session.get(Arm, arm_id), NOW)
        session.commit()
    look(engine, live, NOW + timedelta(seconds=6))
    with Session(engine) as session:
        board = session.get(Board, 1)
        assert [lane["letter"] for lane in board.body["lanes"]] == ["A", "B"]
        (row,) = session.scalars(select(WatchRow).where(WatchRow.kind == "pit-low")).all()
        assert row.letter == "B"
        assert "°C" in row.words["c"]
        assert "°F" in row.words["f"]
        assert len(session.scalars(select(ToldRow)).all()) == 2
        first, second = (lane["done"] for lane in board.body["lanes"])
        assert first[0] < first[1]
        assert datetime.fromisoformat(first[1]) > NOW
        assert second[1] is None, "its pit is too cool for it ever to be done"
    assert "The pit of B" in member.get("/trials/1/board").text
    with Session(engine) as session:
        probe = session.scalars(
            select(Probe).join(Probe.arm).where(Probe.piece_id.is_(None), Probe.arm.has(letter="B"))
        ).one()
        minutes = np.arange(0.0, 40.0)
        save_readings(session, [(probe.id, seconds(NOW) + 60 * minutes, 120 + np.sin(minutes))])
        session.commit()
    for minute in (30, 36, 39):
        look(engine, live, NOW + timedelta(minutes=minute))
    with Session(engine) as session:
        assert session.scalars(select(WatchRow).where(WatchRow.kind == "pit-low")).one().ended_at is not None


def test_warnings_go_to_a_webhook_and_wait_through_quiet_hours(engine, app, running) -> None:
    got: list[dict] = []
    server = make_receiver(0, got.append)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    with Session(engine) as session:
        session.get(Trial, 1).watching = {
            "webhook": f"http://127.0.0.1:{server.server_port}/",
            "quiet_from": "00:00",
            "quiet_until": "23:59",
        }
        mind = WatchRow(trial_id=1, key="mind A", kind="probe-jump", letter="A", level="mind", words={"f": "leapt", "c": "leapt"},
                        began_at=NOW, fired_at=NOW, last_at=NOW)  # fmt: skip
        session.add(mind)
        session.commit()
    live: dict = {}
    look(engine, live, NOW)
    look(engine, live, NOW + timedelta(seconds=2))
    server.shutdown()
    server.server_close()
    assert [one["kind"] for one in got] == ["pit-low"], "what asks for action is told at any hour, once; the rest waits"
    assert got[0]["arm"] == "B"


def test_a_webhook_that_does_not_answer_is_tried_again(engine, app, running) -> None:
    with Session(engine) as session:
        session.get(Trial, 1).watching = {"webhook": "http://127.0.0.1:9/"}
        session.commit()
    look(engine, {}, NOW)
    with Session(engine) as session:
        assert session.scalars(select(WatchRow).where(WatchRow.kind == "pit-low")).one().told_at is None


def test_a_silent_station_is_told_though_no_page_is_open(engine, app, running) -> None:
    look(engine, {}, NOW + timedelta(minutes=12))
    with Session(engine) as session:
        assert {row.kind for row in session.scalars(select(WatchRow))} >= {"station-silent"}


def test_state_is_a_few_kilobytes_and_nothing_when_nothing_changed(member, engine, running) -> None:
    look(engine, {}, NOW)
    first = member.get("/trials/1/board.json")
    body = first.get_json()
    assert len(first.data) < 5000
    assert body["texts"]["A.temp.0"] == "147°"
    assert member.get(f"/trials/1/board.json?since={body['version']}").status_code in (200, 204)
    curve = member.get("/trials/1/board/curve.json").get_json()
    assert len(curve["series"]) == 4
    more = member.get("/trials/1/board/curve.json?after=170").get_json()
    assert all(min(one["x"]) >= 170 for one in more["series"])
    assert member.get("/trials/1/board/nothing").status_code == 404


def test_an_answer_to_a_call_is_kept_and_a_put_off_one_comes_back(member, engine, running) -> None:
    with Session(engine) as session:
        arm = session.get(Trial, 1).arms[0]
        arm.wrap_rule, arm.wrap_in, arm.wrap_at_c = "temperature", "paper", 60.0
        session.commit()
    look(engine, {}, NOW)
    assert "Wrap A in butcher paper?" in member.get("/trials/1/board").text
    later = member.post("/trials/1/calls", {"key": "wrap A", "said": "put-off"})
    assert "Wrap A in butcher paper?" not in later.text
    with Session(engine) as session:
        row = session.scalars(select(AnswerRow)).one()
        row.until_at = NOW - timedelta(minutes=1)
        session.commit()
    assert "Wrap A in butcher paper?" in member.get("/trials/1/board").text
    member.post("/trials/1/calls", {"key": "wrap A", "said": "overruled"})
    with Session(engine) as session:
        assert [row.said for row in session.scalars(select(AnswerRow).order_by(AnswerRow.id))] == [
            "put-off",
            "overruled",
        ]
        assert not session.scalars(select(Event).where(Event.kind == "wrap")).all()
    assert member.post("/trials/1/calls", {"key": "wrap A", "said": "perhaps"}).status_code == 400


def test_a_departure_is_asked_about_once_and_stands_in_the_ledger(member, engine, running) -> None:
    post_json(member, "/trials/1/log", {"entries": [entry(kind="pit-set", temp=300)]})
    look(engine, {}, NOW)
    assert "A left the plan: changed half-way pit to 300 °F" in member.get("/trials/1/board").text
    member.post("/trials/1/calls", {"key": "departure A changed half-way", "said": "accepted"})
    assert "A left the plan: changed half-way" not in member.get("/trials/1/board").text
    assert "pit to 300 °F" in member.get("/trials/1/ledger").text


def test_quiet_hours_and_the_webhook_are_checked(member, engine, running) -> None:
    assert "begins with http" in member.post("/trials/1/watching", {"webhook": "ftp://x"}).text
    assert "both their beginning" in member.post("/trials/1/watching", {"quiet_from": "23:00"}).text
    assert (
        "The watches are set" in member.post("/trials/1/watching", {"quiet_from": "23:00", "quiet_until": "05:00"}).text
    )


def test_a_stand_in_cooks_a_planned_trial_in_the_demo_only(member, engine, app) -> None:
    with Session(engine) as session:
        make_trial(session)
    assert member.post("/trials/1/stand-in").status_code == 404
    app.config["DEMO_SIGN_IN"] = "demo"
    assert "A stand-in cooks this trial" in member.post("/trials/1/stand-in").text
    look(engine, {}, datetime.now(UTC))
    with Session(engine) as session:
        lanes = session.get(Board, 1).body["lanes"]
        assert all(lane["probes"][0]["c"] > 10 for lane in lanes)
        assert all(abs(lane["pit_c"] - 120) < 40 for lane in lanes)


# ---- helpers, stations ----------------------------------------------------------------------------------


def test_a_helper_comes_in_by_a_link_that_works_once_and_may_not_delete(member, engine, app, running) -> None:
    import re

    page = member.post("/account/invite").text
    link = re.search(r"/invited/[\w-]+", page)[0]
    assert 'class="qr"' in page
    helper = type(member)(app)
    assert helper.post(link, {"name": "Tester", "password": "long enough for this"}, at=link).status_code == 422
    assert helper.post(link, {"name": "Wenna", "password": "short"}, at=link).status_code == 422
    assert "Welcome, Wenna" in helper.post(link, {"name": "Wenna", "password": "long enough for this"}, at=link).text
    assert helper.get(link).status_code == 410, "used up"
    assert post_json(helper, "/trials/1/log", {"entries": [entry()]}).get_json()["kept"]
    assert helper.get("/trials/1/delete").status_code == 403
    assert "Not for helpers" in helper.post("/trials/1/delete", {"title": "Collar test"}, at="/account").text
    assert helper.post("/account/invite", at="/account").status_code == 403
    with Session(engine) as session:
        wenna = session.scalars(select(Person).where(Person.name == "Wenna")).one()
        assert session.get(Trial, 1) is not None
        number = wenna.id
    member.post(f"/account/people/{number}/remove", at="/account")
    assert helper.get("/trials/1/board").status_code == 302
    with Session(engine) as session:
        assert session.scalars(select(Event).where(Event.kind == "spritz")).one()
    assert app.test_client().get("/invited/nothing").status_code == 410


def test_an_invitation_that_is_a_day_old_is_over(member, engine, app) -> None:
    import re

    from bruvet.records.people import Invite

    link = re.search(r"/invited/[\w-]+", member.post("/account/invite").text)[0]
    with Session(engine) as session:
        session.scalars(select(Invite)).one().expires_at = NOW - timedelta(minutes=1)
        session.commit()
    assert app.test_client().get(link).status_code == 410
    assert hasher


def test_a_probe_is_swapped_in_one_action_and_calibrated_without_changing_what_was_read(
    member, engine, running
) -> None:
    with Session(engine) as session:
        station, _ = add_station(session, "Yard", None)
        probe = session.scalars(select(Probe).where(Probe.piece_id.is_not(None)).order_by(Probe.id)).first()
        seat(station, "1", probe, NOW - timedelta(hours=3))
        session.commit()
    before = member.get("/trials/1/board/curve.json").get_json()["series"][1]["y"][-1]
    page = member.post("/trials/1/channels/1/calibrate", {"ice": "34", "boil": "214", "altitude": "0"})
    assert "added near" in page.text
    after = member.get("/trials/1/board/curve.json").get_json()["series"][1]["y"][-1]
    assert after == pytest.approx(before - 2.0, abs=0.15)
    page = member.post("/trials/1/channels/1/swap", {"channel": "7", "station": "1"})
    assert "7 sits at A1 middle from now on" in page.text
    with Session(engine) as session:
        first, second = session.scalars(select(Channel).order_by(Channel.id))
        assert first.until_at is not None
        assert (second.name, second.probe_id, second.until_at) == ("7", first.probe_id, None)
        assert session.scalars(select(Station)).one()
    assert "broken probe" in member.post("/trials/1/channels/1/calibrate", {"ice": "70"}).text
    assert "already" in member.post("/trials/1/channels/2/swap", {"channel": "7", "station": "1"}).text


def test_the_description_of_the_interface_fits_what_it_does(visitor, engine, app) -> None:
    """Against the PyPI library jsonschema, and the OpenAPI 3.1 rule that every reference resolves."""
    import jsonschema

    document = visitor.get("/api/v1/openapi.json").get_json()
    assert document["openapi"].startswith("3.1")
    schemas = document["components"]["schemas"]

    def resolve(node: object) -> object:
        if isinstance(node, dict):
            if "$ref" in node:
                return resolve(schemas[node["$ref"].rsplit("/", 1)[1]])
            return {key: resolve(value) for key, value in node.items()}
        return [resolve(item) for item in node] if isinstance(node, list) else node

    post = document["paths"]["/api/v1/readings"]["post"]
    problem = resolve(post["responses"]["401"])["content"]["application/problem+json"]["schema"]
    refused = visitor.client.post("/api/v1/readings", json={})
    jsonschema.validate(refused.get_json(), problem)
    assert refused.mimetype == "application/problem+json"
    batch = resolve(post["requestBody"])["content"]["application/json"]["schema"]
    jsonschema.validate({"readings": [{"channel": "1", "at": NOW.isoformat(), "temp_c": 20.0}]}, batch)
    with pytest.raises(jsonschema.ValidationError):
        jsonschema.validate({"readings": [{"channel": "1"}]}, batch)
    with Session(engine) as session:
        make_trial(session)
        _, token = add_station(session, "Yard", None)
        session.commit()
    answer = visitor.client.post(
        "/api/v1/readings", json={"readings": []}, headers={"Authorization": f"Bearer {token}"}
    )
    jsonschema.validate(answer.get_json(), resolve(post["responses"]["200"])["content"]["application/json"]["schema"])
