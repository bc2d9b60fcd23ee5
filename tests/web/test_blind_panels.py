"""A blind panel through its pages: nothing leaks before the envelope, nothing is lost, doubled or changed after sending."""

from __future__ import annotations

import re
import threading
from collections import Counter

import pytest
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from bruvet.records.models import Arm
from bruvet.records.people import Person
from bruvet.records.tasting import Ballot, BallotAnswer, Panel, Sample
from bruvet.work.panel_results import results
from bruvet.work.panels import CannotTaste
from conftest import NAME, PASSWORD, Visitor
from made import ON, make_trial

FORM = {
    "title": "Sunday",
    "expected": "6",
    "amount": "bite",
    "starter": "sliced",
    "test-prefer": "on",
    "test-triangle": "on",
    "repeat": "on",
    "notice": "Pork, mustard, pepper.",
}


@pytest.fixture
def panel(member, engine) -> str:
    """A panel of two arms, open for tasting; its join code."""
    with Session(engine) as session:
        arms = make_trial(session).arms
        form = FORM | {f"arm-{arm.id}": "on" for arm in arms}
    assert member.post("/trials/1/panels", form, at="/trials/1/panels").status_code == 200
    member.post("/trials/1/panels/1/state", {"to": "open"}, at="/trials/1/panels/1")
    with Session(engine) as session:
        return session.get(Panel, 1).join_code


def come_in(app, code: str, name: str, **more) -> tuple[Visitor, str]:
    """A phone of its own, and the address of its ballot."""
    phone = Visitor(app)
    answer = phone.client.post(f"/taste/{code}", data={"name": name, "consent": "1", **more})
    assert answer.status_code == 302, answer.text
    return phone, answer.location.rsplit("/", 1)[0]


def fill(phone: Visitor, ballot: str, score=lambda code: 5, prefer=0) -> list[str]:
    """Answer every page as its form asks and send; all that the browser was sent."""
    seen = []
    for number in range(1, 99):
        page = phone.get(f"{ballot}/{number}")
        seen.append(page.text)
        names = dict.fromkeys(re.findall(r'type="radio" name="([^"]+)"', page.text))
        code = re.search(r'class="code">(\d{3})<', page.text)
        values = {}
        for name in names:
            choices = re.findall(rf'name="{name}" value="([^"]+)"', page.text)
            values[name] = str(score(code[1])) if name.startswith("score") else choices[prefer % len(choices)]
        last = 'value="send"' in page.text
        phone.client.post(f"{ballot}/{number}", data=values | {"go": "send" if last else "next", "sure": "1"})
        if last:
            return seen
    raise AssertionError("no end")


def test_nothing_a_panellist_receives_tells_which_code_is_which(app, panel, engine) -> None:
    """Pages, addresses, order of elements, lengths: two phones with the same codes differ in nothing that follows arms."""
    phone, ballot = come_in(app, panel, "Ana")
    seen = fill(phone, ballot)
    with Session(engine) as session:
        arms = session.scalars(select(Arm)).all()
        samples = session.scalars(select(Sample)).all()
        row = session.scalars(select(Ballot)).one()
    words = [arm.label for arm in arms] + ["way A", "way B", "sample_id", "Collar", "arm-", "arm_"]
    for page in [*seen, phone.get(f"{ballot}/sent").text, phone.get(f"/taste/{panel}").text]:
        for word in words:
            assert word not in page, word
        assert not re.search(r"\bA1\b|\bB1\b", page)
        assert "right" not in re.findall(r'name="choice" value="([^"]+)"', page)
    # Sample pages are alike but for their code; one of them is a repeat, and that cannot be seen either.
    plain = {
        re.sub(r"\d{3}|Page \d+ of \d+|/\d+/one|Back|<button[^>]*>", "", p)
        for p, s in zip(seen, row.steps, strict=True)
        if s["kind"] == "sample"
    }
    assert len({len(page) for page in plain}) <= 2
    assert {s.id for s in samples} == {s["sample"] for s in row.steps if s["kind"] == "sample"}


def test_codes_are_not_in_the_order_of_the_arms(app, member, engine) -> None:
    """Over many panels the lower code is A's about as often as B's."""
    from bruvet.work.panels import Asked, new_panel, steps_for

    lower = Counter()
    with Session(engine) as session:
        trial = make_trial(session)
        asked = Asked(
            title="x",
            arm_ids=tuple(a.id for a in trial.arms),
            amounts=("bite",),
            parts=("",),
            scales=("overall",),
            rights=(),
            tests=("prefer",),
            expected=4,
            warm_up=False,
            repeat=False,
            own_codes=False,
            pause_s=0,
            notice="x",
        )
        for _ in range(60):
            panel = new_panel(session, trial, asked, None)
            steps = steps_for(panel, 1)
            first = min((s for s in steps if s["kind"] == "sample"), key=lambda s: s["code"])
            lower[next(s.arm.letter for s in panel.samples if s.id == first["sample"])] += 1
            (shown,) = [s["shown"] for s in steps if s["kind"] == "prefer"]
            assert set(shown) == {s["code"] for s in steps if s["kind"] == "sample"}
        session.rollback()
    assert 15 < lower["A"] < 45


def test_the_host_sees_how_many_and_not_what_until_the_envelope(app, member, panel, engine) -> None:
    phone, ballot = come_in(app, panel, "Ana")
    fill(phone, ballot, score=lambda code: 9)
    page = member.get("/trials/1/panels/1").text
    assert "<b>1</b> of 1 inside" in page
    assert "Open the envelope" in page
    early = member.get("/trials/1/panels/1/results", follow_redirects=True).text
    assert "still shut" in early
    for part in ("verdict", "tasting", "curves/figures.csv"):
        assert "Ana" not in member.get(f"/trials/1/{part}").text
    with Session(engine) as session, pytest.raises(CannotTaste):
        results(session.get(Panel, 1))
    shut = member.post("/trials/1/panels/1/envelope", {}, at="/trials/1/panels/1").text
    assert "still shut" in shut
    opened = member.post("/trials/1/panels/1/envelope", {"sure": "1"}, at="/trials/1/panels/1").text
    assert "1 blind ballot" in opened
    assert "can say what they like, not what others would" in opened
    with Session(engine) as session:
        row = session.get(Panel, 1)
        assert row.envelope_at is not None
        assert row.envelope_by == session.scalar(select(Person.id).where(Person.name == NAME))
    assert "1 taster was asked" in member.get("/trials/1/verdict").text


def test_a_helper_never_gets_the_carving_sheet_nor_the_envelope(app, member, panel, engine) -> None:
    assert "Carving sheet" in member.get("/trials/1/panels/1/carving").text
    with Session(engine) as session:
        session.add(
            Person(name="Helper", password_hash=session.scalars(select(Person)).first().password_hash, role="helper")
        )
        session.commit()
    helper = Visitor(app)
    helper.sign_in("Helper", PASSWORD)
    assert helper.get("/trials/1/panels/1/carving").status_code == 403
    assert helper.post("/trials/1/panels/1/envelope", {"sure": "1"}, at="/trials/1/panels/1").status_code == 403
    paper = helper.get("/trials/1/panels/1/paper").text
    assert "way A" not in paper
    assert "Pork, mustard" in paper


def test_those_who_cooked_or_came_late_are_kept_apart(app, member, panel, engine) -> None:
    for name, more in (("Ana", {}), ("Cook", {"cooked": "1"})):
        fill(*come_in(app, panel, name, **more))
    slow, ballot = come_in(app, panel, "Slow")
    member.post("/trials/1/panels/1/envelope", {"sure": "1"}, at="/trials/1/panels/1")
    fill(slow, ballot)
    assert "is marked so" in slow.get(f"{ballot}/sent").text
    page = member.get("/trials/1/panels/1/results").text
    assert "1 blind ballot" in page
    assert "2 of people who cooked, cut or came after the envelope" in page
    late = Visitor(app).client.post(f"/taste/{panel}", data={"name": "Later", "consent": "1"})
    assert late.status_code == 422


def test_a_ballot_is_sent_once_and_not_changed_after(app, panel, engine) -> None:
    phone, ballot = come_in(app, panel, "Ana")
    assert phone.client.post(f"{ballot}/1/one", json={"score-overall": "7"}).status_code == 200
    assert phone.client.post(f"{ballot}/1/one", json={"score-overall": "8"}).status_code == 200
    fill(phone, ballot, score=lambda code: 4)
    assert phone.client.post(f"{ballot}/1/one", json={"score-overall": "9"}).status_code == 409
    phone.client.post(f"{ballot}/1", data={"score-overall": "9", "go": "send"})
    with Session(engine) as session:
        assert session.get(BallotAnswer, (1, "1:score-overall")).value == "4"
        assert session.scalar(select(func.count()).select_from(Ballot)) == 1


@pytest.mark.parametrize(
    "body", [{"score-overall": "99"}, {"moon": "1"}, {"score-overall": 5}, [], "x", None, {"choice": "123"}]
)
def test_answers_that_are_none_are_refused(app, panel, body, engine) -> None:
    phone, ballot = come_in(app, panel, "Ana")
    assert phone.client.post(f"{ballot}/1/one", json=body).status_code in (400, 422)
    assert phone.client.post(f"{ballot}/77/one", json={"remark": "x"}).status_code == 422
    assert phone.get(f"{ballot}/77").status_code == 404
    with Session(engine) as session:
        assert session.scalar(select(func.count()).select_from(BallotAnswer)) == 0


def test_hostile_words_are_shown_as_words(app, member, panel) -> None:
    phone, ballot = come_in(app, panel, "<script>alert(1)</script>")
    phone.client.post(f"{ballot}/1/one", json={"remark": "<img src=x onerror=alert(2)>\x00"})
    fill(phone, ballot)
    member.post("/trials/1/panels/1/envelope", {"sure": "1"}, at="/trials/1/panels/1")
    page = member.get("/trials/1/panels/1/results").text
    assert "<script>alert" not in page
    assert "<img src=x" not in page
    assert "&lt;img src=x" in page


def test_consent_and_a_name_come_first(app, panel) -> None:
    phone = Visitor(app)
    assert "Pork, mustard, pepper." in phone.get(f"/taste/{panel}").text
    assert phone.client.post(f"/taste/{panel}", data={"name": "Ana"}).status_code == 422
    assert phone.client.post(f"/taste/{panel}", data={"consent": "1"}).status_code == 422
    assert phone.client.post(f"/taste/{panel.lower()}", data={"name": "Ana", "consent": "1"}).status_code == 302


def test_codes_and_ballots_are_not_guessed(app, panel) -> None:
    phone = Visitor(app)
    assert phone.get("/ballot/" + "x" * 32 + "/1").status_code == 404
    answers = [phone.get(f"/taste/AAAA{n:05d}").status_code for n in range(25)]
    assert answers[0] == 404
    assert answers[-1] == 429, "who tries many codes is made to wait"


def test_forty_ballots_in_the_same_second_arrive_once_each(app, panel, engine) -> None:
    troubles: list[str] = []

    def one(number: int) -> None:
        try:
            fill(*come_in(app, panel, f"P{number}"), score=lambda code: 1 + number % 9)
        except Exception as error:
            troubles.append(repr(error))

    threads = [threading.Thread(target=one, args=(n,)) for n in range(40)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert not troubles, troubles[:2]
    with Session(engine) as session:
        ballots = session.scalars(select(Ballot)).all()
        assert sorted(b.number for b in ballots) == list(range(1, 41))
        assert sorted(b.name for b in ballots) == sorted(f"P{n}" for n in range(40))
        assert all(b.sent_at is not None for b in ballots)
        firsts = Counter(b.steps[0]["sample"] for b in ballots)
    assert max(firsts.values()) - min(firsts.values()) <= 4, "orders are balanced also among those who came in at once"


def test_a_preference_that_was_planted_is_found_and_named(app, member, panel, engine) -> None:
    """Twelve who score B higher and choose it: the results and the verdict name B."""
    with Session(engine) as session:
        letters = {s.id: s.arm.letter for s in session.scalars(select(Sample))}
    for n in range(12):
        phone, ballot = come_in(app, panel, f"P{n}")
        with Session(engine) as session:
            steps = session.scalars(select(Ballot).where(Ballot.name == f"P{n}")).one().steps
        for number, step in enumerate(steps, 1):
            if step["kind"] == "sample":
                good = letters[step["sample"]] == "B"
                values = {"score-overall": "8" if good else str(4 + n % 3), "right-smoke": "0" if good else "2"}
            elif step["kind"] == "prefer":
                values = {"choice": next(c for c, s in step["codes"].items() if letters[s] == "B")}
            else:
                values = {"choice": step["right"] if n < 9 else step["shown"][0]}
            assert phone.client.post(f"{ballot}/{number}/one", json=values).status_code == 200
        phone.client.post(f"{ballot}/{len(steps)}", data={"go": "send", "sure": "1"})
    member.post("/trials/1/panels/1/envelope", {"sure": "1"}, at="/trials/1/panels/1")
    with Session(engine) as session:
        found = results(session.get(Panel, 1))
        prefer, triangle = sorted(found.tests, key=lambda one: one.test)
        assert prefer.counts == {"A": 0, "B": 12}
        assert prefer.found.shown
        assert triangle.found.right >= 9
        (overall,) = [a for a in found.attributes if a.key == "overall"]
        assert overall.steps[0].mean == pytest.approx(3.0, abs=0.2)
    page = member.get("/trials/1/panels/1/results").text
    assert "12 of 12 chose the same; 10 are needed" in page
    assert "12 of 12" in member.get("/trials/1/verdict").text


@pytest.mark.parametrize(
    "change",
    [{"expected": "0"}, {"expected": "many"}, {"notice": ""}, {"starter": "", "test-prefer": "", "test-triangle": ""}],
)
def test_a_panel_that_cannot_be_is_told_so(member, engine, change) -> None:
    with Session(engine) as session:
        arms = make_trial(session).arms
        form = FORM | {f"arm-{arm.id}": "on" for arm in arms} | change
    answer = member.post("/trials/1/panels", form, at="/trials/1/panels")
    assert answer.status_code == 422
    with Session(engine) as session:
        assert session.scalar(select(func.count()).select_from(Panel)) == 0


def test_a_stall_is_never_told_as_the_time(member, engine) -> None:
    """Without a pull no total is known: the verdict says so, whatever else of the curves is."""
    with Session(engine) as session:
        trial = make_trial(session, readings=True)
        for event in [e for e in trial.events if e.kind == "pull"]:
            session.delete(event)
        for number, piece in enumerate(p for arm in trial.arms for p in arm.pieces):
            at = ON.timestamp()
            piece.stall_by = {"from": at + 3600, "until": at + 3600 * (2 + number)}
        trial.stall_by = {"by": "hand"}
        session.commit()
    page = member.get("/trials/1/verdict").text
    assert "No two totals are known." in page
    assert "cannot be told" in page
