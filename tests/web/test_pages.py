"""Pages without script: who may see them, what they refuse, and that nothing typed is lost."""

from __future__ import annotations

import io
import re
from pathlib import Path

import pytest
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from bruvet.records.models import Event, Look, Panellist, Reading, Revision, Trial
from bruvet.records.people import Person, SignIn
from bruvet.web.access import FAILURES_ALLOWED
from conftest import NAME, PASSWORD
from made import make_trial

DEMO_LOGS = Path(__file__).resolve().parents[2] / "demo" / "logs"
HOSTILE = "<script>alert('x')</script>\"'&<b>"

NEW_TRIAL = {
    "do": "save", "arms": "A B", "pieces": "0 1", "title": "Two pits", "question": "Which pit?", "factor": "cooker",
    "cook_date": "2026-05-02", "tz": "Europe/Lisbon",
    "A-label": "one", "A-pit_target": "250", "A-wrap_rule": "temperature", "A-wrap_in": "foil", "A-wrap_at": "160", "A-done_rule": "feel",
    "A-rest_kind": "box", "A-rest": "1:00", "B-label": "two", "B-pit_target": "250", "B-wrap_rule": "never", "B-wrap_in": "none",
    "B-done_rule": "feel", "B-rest_kind": "box", "p0-arm": "A", "p0-cut": "pork-collar", "p0-raw": "5", "p0-trimmed": "4,5", "p0-thickness": "3.5",
    "p1-arm": "B", "p1-cut": "other", "p1-cut_other": "goat neck", "p1-start": "39",
}  # fmt: skip


def new_trial(member, **changes) -> object:
    return member.post("/trials/new", NEW_TRIAL | changes, at="/trials/new")


@pytest.fixture
def db(engine):
    with Session(engine) as session:
        yield session


class TestDoor:
    def test_every_page_asks_for_a_sign_in(self, app, visitor) -> None:
        for rule in app.url_map.iter_rules():
            if rule.endpoint.endswith("static") or rule.endpoint in ("healthz", "account.sign_in", "account.welcome"):
                continue
            if rule.endpoint == "account.invited":
                assert visitor.get("/invited/a-guess").status_code == 410, "a guessed invitation lets nobody in"
                continue
            if rule.endpoint.startswith("ballot.") or rule.endpoint == "verdict.read":
                # Panellists and readers have no account: the address is the key, and a guessed one opens nothing.
                if rule.endpoint != "ballot.door":
                    with app.test_request_context():
                        from flask import url_for

                        guessed = url_for(rule.endpoint, **dict.fromkeys(rule.arguments, 1))
                    way = visitor.client.get if "GET" in rule.methods else visitor.client.post
                    assert way(guessed).status_code in (404, 429)
                continue
            if rule.endpoint in ("api.described", "board.worker"):
                continue
            if rule.endpoint.startswith("api."):
                # Machines show a token of their own.
                assert visitor.client.post(rule.rule, json={}).status_code == 401
                continue
            values = dict.fromkeys(rule.arguments, 1)
            with app.test_request_context():
                from flask import url_for

                address = url_for(rule.endpoint, **values)
            if "GET" in rule.methods:
                answer = visitor.get(address)
            else:
                answer = visitor.post(address, follow=False)
            assert answer.status_code == 302, rule
            assert "/sign-in" in answer.location, rule

    def test_the_first_visit_makes_the_owner_and_then_the_door_is_shut(self, app, visitor, db) -> None:
        db.execute(Person.__table__.delete())
        db.commit()
        assert visitor.get("/").location.endswith("/welcome")
        short = visitor.post("/welcome", {"name": "Odo", "password": "short"}, at="/welcome")
        assert short.status_code == 422
        assert 'value="Odo"' in short.text
        made = visitor.post(
            "/welcome",
            {"name": "Odo", "password": "long enough now", "temp_unit": "c", "mass_unit": "kg"},
            at="/welcome",
        )
        assert "Trials" in made.text
        stored = db.scalars(select(Person)).one()
        assert stored.password_hash.startswith("$argon2id$")
        assert visitor.get("/welcome").location.endswith("/")

    def test_wrong_passwords_are_counted_and_then_refused(self, visitor) -> None:
        for _ in range(FAILURES_ALLOWED):
            assert visitor.sign_in(password="wrong").status_code == 401
        assert visitor.sign_in(password="wrong").status_code == 429
        assert visitor.sign_in().status_code == 429, "the right one is not looked at either"

    def test_a_change_without_a_token_is_refused(self, member, db) -> None:
        answer = member.client.post("/trials/new", data=NEW_TRIAL)
        assert answer.status_code == 400
        assert "too old" in answer.text
        assert db.scalar(select(func.count()).select_from(Trial)) == 0

    def test_nobody_is_sent_to_another_site_after_signing_in(self, visitor) -> None:
        for target in ("//elsewhere.example", "https://elsewhere.example", "/\\elsewhere.example"):
            answer = visitor.post(f"/sign-in?next={target}", {"name": NAME, "password": PASSWORD}, follow=False)
            assert answer.location in ("/", "http://localhost/")
            visitor.post("/sign-out", at="/account")

    def test_an_ended_sign_in_is_out(self, member, db) -> None:
        assert member.get("/").status_code == 200
        db.execute(SignIn.__table__.delete())
        db.commit()
        assert member.get("/").status_code == 302

    def test_headers_forbid_inline_script_and_framing(self, member) -> None:
        headers = member.get("/").headers
        assert "script-src 'self'" in headers["Content-Security-Policy"]
        assert "unsafe" not in headers["Content-Security-Policy"]
        assert headers["X-Frame-Options"] == "DENY"
        assert headers["X-Content-Type-Options"] == "nosniff"

    def test_health_is_open_and_says_ok(self, visitor) -> None:
        assert visitor.get("/healthz").json == {"status": "ok"}


class TestTrial:
    def test_a_trial_is_made_in_the_persons_units_and_stored_in_si(self, member, db) -> None:
        assert "The trial is kept." in new_trial(member).text
        trial = db.scalars(select(Trial)).one()
        a, b = trial.arms
        assert a.pit_target_c == pytest.approx(121.11, abs=0.01)
        assert (a.wrap_in, b.wrap_in, a.rest_min) == ("foil", "none", 60)
        assert a.pieces[0].raw_kg == pytest.approx(2.268, abs=0.001)
        assert a.pieces[0].trimmed_kg == pytest.approx(2.041, abs=0.001)
        assert a.pieces[0].thickness_mm == pytest.approx(88.9, abs=0.1)
        assert (b.pieces[0].cut_other, b.pieces[0].start_c) == ("goat neck", pytest.approx(3.89, abs=0.01))

    def test_the_form_of_a_kept_trial_gives_the_same_trial_back(self, member, db) -> None:
        new_trial(member)
        page = member.get("/trials/1/edit").text
        form = dict(re.findall(r'<input class="form-control" id="([^"]+)"[^>]*value="([^"]*)"', page))
        assert form["A-pit_target"] == "250"
        assert form["A-rest"] == "1:00"
        assert form["p0-trimmed"] == "4.5"

    @pytest.mark.parametrize(
        ("change", "says"),
        [
            ({"title": " "}, "Title is needed"),
            ({"factor": ""}, "what is changed"),
            ({"factor": "other"}, "What is changed, in words is needed"),
            ({"tz": "Nowhere/Land"}, "is no time zone"),
            ({"cook_date": "yesterday"}, "date of the cook is needed"),
            ({"A-pit_target": "hot"}, "is not a number"),
            ({"A-pit_target": "2500"}, "must be between"),
            ({"p0-trimmed": "9"}, "more than its raw weight"),
            ({"A-wrap_in": "none"}, "say in what"),
            ({"A-rest": "soon"}, "hours and minutes"),
            ({"p1-cut_other": ""}, "The cut of a piece in arm B is needed"),
            ({"pieces": "0"}, "Arm B has no piece"),
            ({"arms": "A"}, "2 to 8 arms"),
            ({"title": "x" * 500}, "120 characters at most"),
        ],
    )
    def test_what_is_wrong_is_said_and_what_was_typed_is_kept(self, member, db, change, says) -> None:
        answer = new_trial(member, **change)
        assert answer.status_code == 422
        assert says.lower() in answer.text.lower()
        assert 'value="goat neck"' in answer.text or "p1-cut_other" in change or "pieces" in change or "arms" in change
        assert db.scalar(select(func.count()).select_from(Trial)) == 0

    def test_a_broken_change_of_a_kept_trial_changes_nothing(self, member, db) -> None:
        new_trial(member)
        answer = member.post(
            "/trials/1/edit", NEW_TRIAL | {"title": "Changed", "A-pit_target": "hot"}, at="/trials/1/edit"
        )
        assert answer.status_code == 422
        assert db.scalars(select(Trial)).one().title == "Two pits"

    def test_arms_and_pieces_are_added_and_removed_without_script(self, member) -> None:
        page = member.post("/trials/new", NEW_TRIAL | {"do": "add-arm"}, at="/trials/new").text
        assert "Arm C" in page
        assert 'value="Two pits"' in page
        form = NEW_TRIAL | {"arms": "A B C", "pieces": "0 1 2", "p2-arm": "C", "do": "drop-arm:B"}
        page = member.post("/trials/new", form, at="/trials/new").text
        assert "Arm B" not in page
        page = member.post("/trials/new", NEW_TRIAL | {"do": "add-piece:A"}, at="/trials/new").text
        assert 'name="p2-cut"' in page

    def test_pieces_move_between_arms_and_keep_what_they_are(self, member, db) -> None:
        new_trial(member)
        ids = [p.id for t in db.scalars(select(Trial)) for a in t.arms for p in a.pieces]
        swapped = NEW_TRIAL | {"p0-id": str(ids[0]), "p1-id": str(ids[1]), "p0-arm": "B", "p1-arm": "A"}
        assert member.post("/trials/1/edit", swapped, at="/trials/1/edit").status_code == 200
        db.expire_all()
        a, b = db.scalars(select(Trial)).one().arms
        assert ([p.id for p in a.pieces], [p.id for p in b.pieces]) == ([ids[1]], [ids[0]])

    def test_removing_what_has_readings_needs_a_second_thought(self, member, db) -> None:
        make_trial(db, letters="ABC", readings=True)
        readings = db.scalar(select(func.count()).select_from(Reading))
        ids = [p.id for t in db.scalars(select(Trial)) for a in t.arms for p in a.pieces]
        form = NEW_TRIAL | {"arms": "A B", "pieces": "0 1", "p0-id": str(ids[0]), "p1-id": str(ids[1])}
        answer = member.post("/trials/1/edit", form, at="/trials/1/edit")
        assert answer.status_code == 422
        assert "2 probes with readings, 2 events would go with what you removed" in answer.text
        db.expire_all()
        assert len(db.get(Trial, 1).arms) == 3
        assert db.scalar(select(func.count()).select_from(Reading)) == readings
        member.post("/trials/1/edit", form | {"confirm_leaving": "on"}, at="/trials/1/edit")
        db.expire_all()
        assert len(db.get(Trial, 1).arms) == 2
        assert 0 < db.scalar(select(func.count()).select_from(Reading)) < readings

    def test_what_was_measured_in_a_piece_moves_with_it(self, member, db) -> None:
        make_trial(db, readings=True)
        ids = [p.id for t in db.scalars(select(Trial)) for a in t.arms for p in a.pieces]
        swapped = NEW_TRIAL | {"p0-id": str(ids[0]), "p1-id": str(ids[1]), "p0-arm": "B", "p1-arm": "A"}
        assert member.post("/trials/1/edit", swapped, at="/trials/1/edit").status_code == 200
        db.expire_all()
        inner = {p.piece_id: p.arm.letter for p in db.get(Trial, 1).probes if p.piece_id}
        assert inner == {ids[0]: "B", ids[1]: "A"}

    def test_running_it_again_copies_the_plan_and_nothing_that_happened(self, member, db) -> None:
        make_trial(db, readings=True)
        assert "Copied without what happened" in member.post("/trials/1/duplicate", at="/trials/1").text
        copy = db.get(Trial, 2)
        assert [a.label for a in copy.arms] == ["way A", "way B"]
        assert not copy.events
        assert not copy.probes
        assert copy.arms[0].pieces[0].trimmed_kg is None

    def test_deleting_needs_the_title(self, member, db) -> None:
        make_trial(db, readings=True)
        assert member.post("/trials/1/delete", {"title": "yes"}, at="/trials/1/delete").status_code == 422
        assert db.scalar(select(func.count()).select_from(Trial)) == 1
        member.post("/trials/1/delete", {"title": "collar test"}, at="/trials/1/delete")
        assert db.scalar(select(func.count()).select_from(Reading)) == 0

    def test_hostile_words_are_shown_as_words(self, member) -> None:
        new_trial(member, title=HOSTILE, question=HOSTILE, held_same=HOSTILE, **{"A-label": HOSTILE, "A-rub": HOSTILE})
        for step in ("", "/logs", "/record", "/curves", "/tasting", "/verdict", "/edit", "/delete"):
            text = member.get(f"/trials/1{step}").text
            assert "<script>alert" not in text, step
            assert "&lt;script&gt;" in text, step


class TestRecord:
    def mark(self, member, **form):
        return member.post(
            "/trials/1/events", {"kind": "spritz", "to": "all", "when": "+1:00"} | form, at="/trials/1/record"
        )

    def test_clock_and_elapsed_are_both_taken_and_both_shown(self, member, db) -> None:
        make_trial(db, readings=True)
        assert self.mark(member, kind="wrap", wrap_in="foil", when="+3:20", to="arm:1").status_code == 200
        text = self.mark(member, kind="lid", when="10:05", minutes="3").text
        wrap = db.scalars(select(Event).where(Event.kind == "wrap")).one()
        lids = db.scalars(select(Event).where(Event.kind == "lid")).all()
        zero = db.scalars(select(Event).where(Event.kind == "meat-on")).first().at
        assert (wrap.at - zero).total_seconds() / 60 == 200
        assert [(e.at - zero).total_seconds() / 60 for e in lids] == [145, 145]
        assert re.search(r"10:05</a></th><td>2:25</td>", text)

    @pytest.mark.parametrize(
        ("form", "says"),
        [
            ({"when": "later"}, "is not a time"),
            ({"when": ""}, "When was it?"),
            ({"kind": "wrap"}, "what it was wrapped in"),
            ({"kind": "pit-set"}, "what the pit was set to"),
            ({"kind": "pit-set", "temp": "9999"}, "must be between"),
            ({"kind": "nonsense"}, "Choose one"),
            ({"to": "arm:99"}, "which arm or piece"),
            ({"kind": "lid", "minutes": "-3"}, "must be between"),
        ],
    )
    def test_a_wrong_entry_is_not_saved_and_is_kept_in_the_form(self, member, db, form, says) -> None:
        make_trial(db, readings=True)
        before = db.scalar(select(func.count()).select_from(Event))
        answer = self.mark(member, note="keep me", **form)
        assert answer.status_code == 422
        assert says in answer.text
        assert 'value="keep me"' in answer.text
        assert db.scalar(select(func.count()).select_from(Event)) == before

    def test_an_elapsed_time_before_meat_on_is_known_says_what_to_do(self, member, db) -> None:
        make_trial(db)
        assert "needs a meat-on first" in self.mark(member).text

    def test_an_entry_is_changed_with_its_history_removed_and_brought_back(self, member, db) -> None:
        make_trial(db, readings=True)
        self.mark(member, note="water", to="arm:1")
        spritz = db.scalar(select(Event.id).where(Event.kind == "spritz"))
        self.mark(member, event_id=str(spritz), note="vinegar", to="arm:1", when="+1:30")
        db.expire_all()
        assert db.get(Event, spritz).note == "vinegar"
        assert db.scalars(select(Revision).where(Revision.table_name == "event")).first().earlier["note"] == "water"
        page = member.post(f"/trials/1/events/{spritz}/delete", at="/trials/1/record")
        revision = re.search(r'name="revision" value="(\d+)"', page.text).group(1)
        db.expire_all()
        assert db.get(Event, spritz) is None
        member.post("/trials/1/undo", {"revision": revision}, at="/trials/1/record")
        db.expire_all()
        assert db.get(Event, spritz).note == "vinegar"

    def test_a_look_with_spots_is_kept_shown_and_brought_back(self, member, db) -> None:
        make_trial(db, readings=True)
        look = {
            "piece": "1",
            "look_when": "+4:00",
            "bark": "set",
            "colour": "dark",
            "pull_back": "6",
            "spot0-place": "flat",
            "spot0-temp": "195",
            "spot0-feel": "slight",
            "spot1-temp": "201",
        }
        page = member.post("/trials/1/looks", look, at="/trials/1/record").text
        assert "flat 195 °F, slight drag" in page
        assert "middle 201 °F" in page
        page = member.post("/trials/1/looks/1/delete", at="/trials/1/record")
        revision = re.search(r'name="revision" value="(\d+)"', page.text).group(1)
        page = member.post("/trials/1/undo", {"revision": revision}, at="/trials/1/record").text
        assert "flat 195 °F, slight drag" in page
        assert db.scalar(select(func.count()).select_from(Look)) == 1

    def test_undo_brings_back_the_spots_of_the_last_edit_only(self, member, db) -> None:
        make_trial(db, readings=True)
        look = {"piece": "1", "look_when": "+4:00", "spot0-place": "flat", "spot0-temp": "195"}
        member.post("/trials/1/looks", look, at="/trials/1/record")
        member.post("/trials/1/looks", look | {"look_id": "1", "spot0-temp": "199"}, at="/trials/1/record")
        page = member.post("/trials/1/looks/1/delete", at="/trials/1/record")
        revision = re.search(r'name="revision" value="(\d+)"', page.text).group(1)
        page = member.post("/trials/1/undo", {"revision": revision}, at="/trials/1/record").text
        assert "flat 199 °F" in page
        assert "flat 195 °F" not in page

    def test_an_empty_look_is_refused(self, member, db) -> None:
        make_trial(db, readings=True)
        answer = member.post("/trials/1/looks", {"piece": "1", "look_when": "+4:00"}, at="/trials/1/record")
        assert "at least one thing" in answer.text

    def test_entries_of_another_trial_cannot_be_touched(self, member, db) -> None:
        make_trial(db, readings=True)
        make_trial(db)
        assert member.post("/trials/2/events/1/delete", at="/trials/2/record").status_code == 404
        assert member.get("/trials/2/record?event=1").status_code == 404


class TestLogs:
    def upload(self, member, content: bytes, name="log.csv"):
        token = member.token("/trials/1/logs")
        data = {"csrf_token": token, "file": (io.BytesIO(content), name)}
        return member.client.post(
            "/trials/1/logs", data=data, follow_redirects=True, content_type="multipart/form-data"
        )

    def test_a_demo_log_is_brought_in_step_by_step(self, member, db) -> None:
        make_trial(db)
        page = self.upload(member, (DEMO_LOGS / "collar-foil-controller.csv").read_bytes()).text
        assert "A pit (°F)" in page
        form = {
            "do": "save",
            "name-0": "A pit (°F)",
            "unit-0": "f",
            "to-0": "pit:1",
            "name-1": "A meat (°F)",
            "unit-1": "f",
            "to-1": "piece:1",
            "order": "month",
            "tz": "Europe/Lisbon",
        }
        page = member.post("/trials/1/logs/1", form, at="/trials/1/logs/1").text
        assert "readings were added" in page
        first = db.scalar(select(func.min(Reading.at)))
        assert first.isoformat() == "2026-05-02T06:20:00+00:00"

    def test_the_same_file_again_is_said_to_be_here(self, member, db) -> None:
        self.test_a_demo_log_is_brought_in_step_by_step(member, db)
        page = self.upload(member, (DEMO_LOGS / "collar-foil-controller.csv").read_bytes()).text
        assert "here already, so nothing was added" in page

    @pytest.mark.parametrize(
        ("content", "says"), [(b"", "empty"), (b"hello", "No table"), (b"\x89PNG....", "not a text file")]
    )
    def test_what_is_no_log_is_refused_in_words(self, member, db, content, says) -> None:
        make_trial(db)
        answer = self.upload(member, content)
        assert answer.status_code == 422
        assert says in answer.text

    def test_nothing_assigned_is_asked_for(self, member, db) -> None:
        make_trial(db)
        self.upload(member, b"minutes,Meat C\n0,4\n1,5\n")
        answer = member.post("/trials/1/logs/1", {"do": "save", "name-0": "Meat C", "to-0": ""}, at="/trials/1/logs/1")
        assert answer.status_code == 422
        assert "where it belongs" in answer.text

    def test_what_a_column_is_can_be_corrected(self, member, db) -> None:
        make_trial(db)
        page = self.upload(member, b"time,Fan,Meat C\n2026-05-02 07:40,120,4\n2026-05-02 07:41,121,5\n").text
        assert 'name="name-1"' not in page, "a fan is no probe, so it is not offered"
        roles = {
            "column-0": "time",
            "role-0": "time",
            "column-1": "Fan",
            "role-1": "temperature",
            "column-2": "Meat C",
            "role-2": "temperature",
        }
        page = member.post("/trials/1/logs/1", roles | {"do": "again"}, at="/trials/1/logs/1").text
        assert 'name="name-1"' in page
        form = roles | {
            "do": "save",
            "name-0": "Fan",
            "unit-0": "c",
            "to-0": "pit:1",
            "name-1": "Meat C",
            "to-1": "piece:1",
        }
        assert "4 readings were added" in member.post("/trials/1/logs/1", form, at="/trials/1/logs/1").text

    def test_a_zone_that_is_none_is_refused_in_words(self, member, db) -> None:
        make_trial(db)
        self.upload(member, b"time,Meat C\n2026-05-02 07:40,4\n2026-05-02 07:41,5\n")
        for zone in ("Nowhere/Land", "../../etc/passwd", "x" * 300):
            form = {"do": "save", "name-0": "Meat C", "to-0": "piece:1", "tz": zone}
            answer = member.post("/trials/1/logs/1", form, at="/trials/1/logs/1")
            assert answer.status_code == 422
            assert "is no time zone" in answer.text

    def test_roles_without_a_time_are_refused_in_words(self, member, db) -> None:
        make_trial(db)
        self.upload(member, b"time,Meat C\n2026-05-02 07:40,4\n2026-05-02 07:41,5\n")
        answer = member.post(
            "/trials/1/logs/1", {"do": "again", "column-0": "time", "role-0": "ignored"}, at="/trials/1/logs/1"
        )
        assert answer.status_code == 422
        assert "No column of times was found" in answer.text

    def test_an_elapsed_log_asks_when_it_began_and_keeps_the_choices(self, member, db) -> None:
        make_trial(db)
        self.upload(member, b"minutes,Meat C\n0,4\n1,5\n")
        form = {"do": "save", "name-0": "Meat C", "to-0": "piece:1", "place-0": "thin end"}
        answer = member.post("/trials/1/logs/1", form, at="/trials/1/logs/1")
        assert "say when it began" in answer.text
        assert 'value="thin end"' in answer.text
        assert db.scalar(select(func.count()).select_from(Reading)) == 0
        answer = member.post("/trials/1/logs/1", form | {"zero": "not a time"}, at="/trials/1/logs/1")
        assert "cannot be read" in answer.text
        assert (
            "2 readings were added"
            in member.post("/trials/1/logs/1", form | {"zero": "2026-05-02T07:40"}, at="/trials/1/logs/1").text
        )


class TestCurvesTastingVerdict:
    def test_data_for_the_canvas_is_on_one_axis_and_finer_when_closer(self, member, db) -> None:
        make_trial(db, readings=True)
        whole = member.get("/trials/1/curves/data.json").json
        assert {s["label"] for s in whole["series"]} == {"A pit, grate", "A1 middle", "B pit, grate", "B1 middle"}
        assert all(len(s["values"]) == len(whole["x"]) for s in whole["series"])
        assert whole["degree"] == "°F"
        part = member.get("/trials/1/curves/data.json?from=60&to=120").json
        assert part["bucket_s"] < whole["bucket_s"] or part["bucket_s"] <= 5
        assert 58 <= part["x"][0] <= 61

    @pytest.mark.parametrize("query", ["from=x&to=y", "from=5&to=1", "from=nan&to=inf", "from=1"])
    def test_senseless_bounds_give_the_whole(self, member, db, query) -> None:
        make_trial(db, readings=True)
        assert member.get(f"/trials/1/curves/data.json?{query}").json["events"]

    def test_figures_follow_the_persons_units_and_own_thresholds(self, member, db) -> None:
        make_trial(db, readings=True)
        assert "to 150 °F" in member.get("/trials/1/curves?also=150").text
        member.post("/account/units", {"temp_unit": "c", "mass_unit": "kg"}, at="/account")
        page = member.get("/trials/1/curves?also=65,5").text
        assert "to 66 °C" in page
        assert "°F" not in page.replace("°F or °C", "")
        assert "is not a temperature" in member.get("/trials/1/curves?also=warm").text

    def test_the_csv_of_figures_is_the_table(self, member, db) -> None:
        import csv

        make_trial(db, readings=True)
        rows = list(csv.reader(io.StringIO(member.get("/trials/1/curves/figures.csv").text)))
        total = next(row for row in rows if row[1].startswith("total"))
        assert total[2:] == ["min", "359.00", "419.00"]

    def test_a_dash_says_why(self, member, db) -> None:
        make_trial(db)
        assert "no internal readings" in member.get("/trials/1/curves").text

    def score(self, member, name, **form):
        return member.post(
            "/trials/1/tasting",
            {"name": name, "preferred": "2", "1-bark": "5", "2-bark": "8"} | form,
            at="/trials/1/tasting",
        )

    def test_tasters_are_entered_changed_and_summed_up(self, member, db) -> None:
        make_trial(db)
        self.score(member, "Mirela", blind="on")
        page = self.score(member, "Odo").text
        assert "What 2 tasters said" in page
        row = db.scalars(select(Panellist).where(Panellist.name == "Odo")).one()
        self.score(member, "Odo", id=str(row.id), **{"2-bark": "6", "1-bark": ""})
        db.expire_all()
        assert {(s.arm_id, s.value) for s in db.get(Panellist, row.id).scores} == {(2, 6)}
        assert "it takes 6 who agree" in member.get("/trials/1/tasting").text

    @pytest.mark.parametrize(
        ("form", "says"),
        [
            ({"1-bark": "10"}, "between 1 and 9"), ({"1-bark": "5.5"}, "whole number"), ({"1-bark": "good"}, "is not a number"),
            ({"name": ""}, "name is needed"), ({"preferred": "77"}, "not one of this trial"),
        ],
    )  # fmt: skip
    def test_wrong_scores_are_refused_and_kept_in_the_form(self, member, db, form, says) -> None:
        make_trial(db)
        answer = (
            self.score(member, "Odo", remark="keep me", **form)
            if "name" not in form
            else self.score(member, "", remark="keep me")
        )
        assert answer.status_code == 422
        assert says in answer.text
        assert 'value="keep me"' in answer.text
        assert db.scalar(select(func.count()).select_from(Panellist)) == 0

    def test_a_taster_is_not_entered_twice(self, member, db) -> None:
        make_trial(db)
        self.score(member, "Odo")
        assert "is in the list already" in self.score(member, "odo").text

    def test_the_verdict_reads_in_sentences_and_keeps_own_words_apart(self, member, db) -> None:
        make_trial(db, readings=True)
        page = member.post("/trials/1/verdict", {"own_words": f"I liked it. {HOSTILE}"}, at="/trials/1/verdict").text
        assert "A (way A) was 1 h faster than B (way B)" in page
        assert "the arms also differed in weight" in page
        assert "In the tester&#39;s own words" in page or "In the tester's own words" in page
        assert "<script>alert" not in page


def test_an_unknown_address_and_a_breakage_are_pages_in_words(app, member, db, monkeypatch) -> None:
    assert member.get("/trials/999").status_code == 404
    assert member.get("/trials/99999999999").status_code == 404
    make_trial(db)

    def broken(*_):
        raise ZeroDivisionError("secret detail")

    monkeypatch.setattr("bruvet.web.verdict.views.facts_of", broken)
    answer = member.get("/trials/1/verdict")
    assert answer.status_code == 500
    assert "secret detail" not in answer.text
    assert "Traceback" not in answer.text
    assert "Nothing was saved" in answer.text


HUGE = 10**20


@pytest.mark.parametrize(
    "address",
    [f"/cookers?edit={HUGE}", f"/trials/{HUGE}", f"/trials/1/record?event={HUGE}", f"/trials/1/tasting?edit={HUGE}", "/trials/1/curves?also=%00",
     f"/trials/1/logs/{HUGE}", f"/trials/1/curves/strip?width={HUGE}&left=0&right=0&from=0&to=1"],
)  # fmt: skip
def test_numbers_out_of_range_and_zero_bytes_are_answered_in_words(member, db, address) -> None:
    make_trial(db)
    answer = member.get(address)
    assert answer.status_code in (200, 400, 404)


def test_forms_with_numbers_out_of_range_and_zero_bytes_save_nothing(member, db) -> None:
    make_trial(db, readings=True)
    assert member.post("/trials/1/undo", {"revision": str(HUGE)}, at="/trials/1").status_code == 404
    assert member.post(f"/trials/1/probes/{HUGE}/delete", at="/trials/1").status_code == 404
    assert new_trial(member, title="a\x00b").status_code == 400
    assert member.sign_in(name="a\x00b").status_code == 400
    assert db.scalar(select(func.count()).select_from(Trial)) == 1
