"""What else a blind panel may ask and be: own questions, parts, paper, bite and portion, an expected order, teams."""

from __future__ import annotations

import io
import re

import numpy as np
import pytest
from flask import url_for
from pypdf import PdfReader
from scipy import stats
from sqlalchemy import select
from sqlalchemy.orm import Session

from bruvet.core.units import Units
from bruvet.records.models import Arm, Trial
from bruvet.records.people import Person
from bruvet.records.tasting import Ballot, Panel, QuestionSet, Sample
from bruvet.work.analysis import TrialFacts
from bruvet.work.panel_results import results
from bruvet.work.panels import answer, ballot_of, free_numbers, join, open_envelope, send
from bruvet.work.verdicts import verdict_of
from conftest import PASSWORD, Visitor
from made import ON, make_trial

FORM = {"title": "Sunday", "expected": "6", "notice": "Pork, mustard.", "amount": "bite"}


@pytest.fixture
def db(engine):
    with Session(engine, expire_on_commit=False) as session:
        yield session


def make(member, db, letters="AB", **more):
    """A panel made through its page."""
    trial = db.scalar(select(Trial)) or make_trial(db, letters, readings=True)
    form = FORM | {f"arm-{arm.id}": "on" for arm in trial.arms} | more
    return member.post(f"/trials/{trial.id}/panels", form, at=f"/trials/{trial.id}/panels")


def opened(db, panel: Panel, people: int, score, choose=None, name="P") -> Panel:
    """The panel after so many came in, answered by `score(number, arm, amount, key)` and sent."""
    panel.state = "open"
    db.commit()
    for number in range(people):
        ballot = ballot_of(db, join(db, panel, f"{name}{number}", False, ON))
        arm_of = {sample.id: sample.arm.letter for sample in panel.samples}
        for page, step in enumerate(ballot.steps, 1):
            if step["kind"] == "sample":
                said = {}
                for key in panel.asks["scales"]:
                    value = score(number, arm_of[step["sample"]], step["amount"], key)
                    said[f"score-{key}"] = str(int(np.clip(round(value), 1, 9)))
                answer(db, ballot, page, said, ON)
            elif step["kind"] == "rank":
                answer(
                    db,
                    ballot,
                    page,
                    {f"place-{c}": str(choose(number, arm_of[s])) for c, s in step["codes"].items()},
                    ON,
                )
            elif choose is not None and step["kind"] == "prefer":
                best = next(c for c, s in step["codes"].items() if arm_of[s] == choose(number, ""))
                answer(db, ballot, page, {"choice": best}, ON)
        send(db, ballot, ON)
    open_envelope(panel, None, ON)
    db.commit()
    db.expire_all()
    return panel


OWN = {"own-1-name": "Crackle <b>", "own-1-low": "leathery", "own-1-high": "shatters", "own-2-name": "Pepper"}


class TestOwnQuestions:
    def test_are_asked_kept_as_a_set_and_asked_again(self, member, db, app) -> None:
        page = make(member, db, **OWN, keep_as="Belly night")
        assert "The tasting is made" in page.text
        row = db.scalars(select(QuestionSet)).one()
        make(member, db, starter=f"set-{row.id}")
        first, second = db.scalars(select(Panel).order_by(Panel.id))
        assert second.asks["own"] == first.asks["own"]
        second.state = "open"
        db.commit()
        phone = Visitor(app)
        at = phone.client.post(f"/taste/{second.join_code}", data={"name": "Ana", "consent": "1"}).location
        shown = phone.get(at).text
        assert "Crackle &lt;b&gt;" in shown, "a name is text, whatever it holds"
        assert "leathery" in shown
        assert 'name="right-own2"' in shown, "a name without words asks what is right"

    def test_need_both_words_or_none_and_a_name_of_their_own(self, member, db) -> None:
        page = make(member, db, **{"own-1-name": "Crackle", "own-1-low": "leathery"})
        assert page.status_code == 422
        assert "the words at both ends" in page.text
        assert 'value="leathery"' in page.text, "what was typed is kept"
        make(member, db, **OWN, keep_as="Belly night")
        assert "already" in make(member, db, **OWN, keep_as="belly NIGHT").text

    def test_a_set_that_goes_leaves_tastings_as_they_are(self, member, db) -> None:
        make(member, db, **OWN, keep_as="Belly night")
        member.post("/trials/1/panels/sets/1/delete", at="/trials/1/panels")
        assert db.scalars(select(QuestionSet)).all() == []
        assert db.scalars(select(Panel)).one().asks["own"]
        assert make(member, db, starter="set-1").status_code == 422


class TestSamples:
    def test_parts_are_samples_of_their_own_and_named_in_the_results(self, member, db) -> None:
        make(member, db, part="flat, point", **{"scale-overall": "on"})
        panel = db.scalars(select(Panel)).one()
        assert len(panel.samples) == 4
        found = results(opened(db, panel, 6, lambda n, arm, amount, key: 5 + (arm == "B")))
        assert found.samples == ("A flat", "A point", "B flat", "B point")

    def test_more_than_anybody_can_taste_is_refused(self, member, db) -> None:
        page = make(member, db, part="a, b, c, d, e", **{"scale-overall": "on"})
        assert page.status_code == 422
        assert "More than eight samples" in page.text
        assert "Tests of a pair are for two samples" in make(member, db, part="a, b", **{"test-prefer": "on"}).text

    def test_how_it_was_served_is_kept_in_the_persons_units_and_unlike_serving_is_said(self, member, db) -> None:
        make(member, db, **{"scale-overall": "on"})
        first, second = db.scalars(select(Sample).order_by(Sample.id))
        form = {f"temp-{first.id}": "150", f"temp-{second.id}": "120", f"cut-{first.id}": "5", f"cut-{second.id}": "30"}
        member.post("/trials/1/panels/1/served", form, at="/trials/1/panels/1")
        db.refresh(first)
        assert first.served_c == pytest.approx((150 - 32) / 1.8)
        panel = db.get(Panel, 1)
        found = results(opened(db, panel, 6, lambda *_: 5))
        assert "not equally warm" in found.served[0]
        assert "cut equally long" in found.served[1]
        facts = TrialFacts(db, db.get(Trial, 1), Units())
        lines = dict(verdict_of(facts).sections)["What else differed"]
        assert any(line.startswith("Served at: A 150 °F, B 120 °F.") for line in lines)
        bad = member.post("/trials/1/panels/1/served", form | {f"temp-{first.id}": "hot"}, at="/trials/1/panels/1")
        assert bad.status_code == 422
        assert "not a number" in bad.text

    def test_a_bite_and_a_portion_are_told_apart(self, member, db) -> None:
        make(member, db, amount="both", **{"scale-overall": "on", "test-prefer": "on"})

        def rich(number, arm, amount, key):
            """B wins the first bite and loses the plateful."""
            return 5 + number % 2 + (0 if arm == "A" else 2 if amount == "bite" else -2)

        panel = opened(db, db.scalars(select(Panel)).one(), 8, rich)
        found = results(panel)
        assert [(a.amount, round(a.means["B"] - a.means["A"], 6)) for a in found.attributes] == [
            ("bite", 2.0),
            ("portion", -2.0),
        ]
        assert found.disagree[0] == "The first bite likes B best, a whole portion A."
        assert "B loses 4.0 points against A" in found.disagree[1]
        page = member.get("/trials/1/panels/1/results").text
        assert "Scores: first bite" in page
        assert "Scores: a portion" in page


class TestPaper:
    def test_the_codes_on_paper_are_those_of_the_ballot_that_is_typed_in(self, member, db) -> None:
        make(member, db, paper="2", starter="sliced", **{"test-prefer": "on", "repeat": "on", "warm_up": "on"})
        panel = db.scalars(select(Panel)).one()
        printed = member.get("/trials/1/panels/1/paper").text
        papers = re.split(r'paper-number">', printed)[1:]
        assert [int(p.split("<")[0]) for p in papers] == [5, 6], "the last two of six are on paper"
        member.post("/trials/1/panels/1/state", {"to": "open"}, at="/trials/1/panels/1")
        page = member.post("/trials/1/panels/1/typed", {"number": "5", "name": "Odo"}, at="/trials/1/panels/1")
        code = re.compile(r'class="code">(\d{3})<')
        assert set(code.findall(papers[0])) == set(code.findall(page.text))
        for word in ("way A", "way B", "sample_id", "Collar"):
            assert word not in page.text
        address = page.request.path
        names = dict.fromkeys(re.findall(r'type="radio" name="([^"]+)"', page.text))
        values = {name: re.findall(rf'name="{name}" value="([^"]+)"', page.text)[0] for name in names}
        part = dict(list(values.items())[:-1])
        short = member.client.post(address, data=part)
        assert "not sent" in short.text
        wrong = member.client.post(address, data=values | {next(iter(values)): "99"})
        assert "That is no answer to choose" in wrong.text
        assert member.client.post(address, data=values).location.endswith("/sent")
        db.expire_all()
        row = db.scalars(select(Ballot)).one()
        assert (row.number, row.how, row.name) == (5, "paper", "Odo")
        assert {a.value for a in row.answers if a.value} == set(values.values())
        again = member.post("/trials/1/panels/1/typed", {"number": "5", "name": "Ida"}, at="/trials/1/panels/1")
        assert "Ballot 5 is there already" in again.text
        assert free_numbers(panel) == [1, 2, 3, 4, 6, 7]

    def test_phones_leave_the_numbers_on_paper_alone(self, member, db) -> None:
        make(member, db, paper="4", **{"scale-overall": "on"})
        panel = opened(db, db.scalars(select(Panel)).one(), 4, lambda *_: 5)
        assert [ballot.number for ballot in panel.ballots] == [1, 2, 7, 8]

    def test_nobody_types_in_after_the_envelope_or_without_a_name(self, member, db) -> None:
        make(member, db, paper="1", **{"scale-overall": "on"})
        closed = member.post("/trials/1/panels/1/typed", {"number": "6", "name": ""}, at="/trials/1/panels/1")
        assert "Whose ballot is it?" in closed.text
        opened(db, db.scalars(select(Panel)).one(), 2, lambda *_: 5)
        late = member.post("/trials/1/panels/1/typed", {"number": "6", "name": "Odo"}, at="/trials/1/panels/1")
        assert "envelope" in late.text
        assert len(db.scalars(select(Ballot)).all()) == 2

    def test_a_phone_that_is_passed_round_goes_on_to_the_next(self, member, db, app) -> None:
        make(member, db, **{"scale-overall": "on"})
        panel = db.scalars(select(Panel)).one()
        panel.state = "open"
        db.commit()
        token = join(db, panel, "Ana", False, ON)
        send(db, ballot_of(db, token), ON)
        db.commit()
        page = Visitor(app).get(f"/ballot/{token}/sent").text
        assert f"/taste/{panel.join_code}" in page
        assert "/trials/" not in page, "a panellist is shown no way into the house"


class TestSeveral:
    def test_an_order_expected_beforehand_is_tested_by_page(self, member, db) -> None:
        """SciPy's page_trend_test on the same table."""
        make(member, db, "ABC", expected_order="c, a, b", **{"test-rank": "on"})
        place = {"C": 1, "A": 2, "B": 3}
        swapped = {"C": 2, "A": 1, "B": 3}
        panel = db.scalars(select(Panel)).one()
        opened(db, panel, 6, lambda *_: 5, lambda n, arm: (swapped if n % 3 == 0 else place)[arm])
        found = results(panel)
        table = [[(swapped if n % 3 == 0 else place)[arm] for arm in "CAB"] for n in range(6)]
        assert found.trend is not None
        assert found.trend.p == pytest.approx(stats.page_trend_test(table, ranked=True).pvalue)
        assert "Expected beforehand: C, A, B" in member.get("/trials/1/panels/1/results").text

    @pytest.mark.parametrize("order", ["A, B", "A, B, D", "A, A, B", "<script>"])
    def test_an_order_that_names_other_arms_is_refused(self, member, db, order) -> None:
        page = make(member, db, "ABC", expected_order=order, **{"test-rank": "on"})
        assert page.status_code == 422
        assert "Name each arm once" in page.text

    def test_a_friendly_contest_is_judged_like_any_other_trial(self, member, db) -> None:
        """Four teams cook as they please; the ledger lets them, and the panel ranks them."""
        make(member, db, "ABCD", **{"test-rank": "on"})
        trial = db.scalar(select(Trial))
        trial.kind, trial.factor = "teams", "cook"
        for number, arm in enumerate(trial.arms):
            arm.label, arm.rub, arm.wood, arm.pit_target_c = (
                f"team {arm.letter}",
                f"rub {number}",
                f"wood {number}",
                100.0 + number,
            )
        places = {"C": 1, "A": 2, "B": 3, "D": 4}
        opened(db, db.scalars(select(Panel)).one(), 10, lambda *_: 5, lambda n, arm: places[arm])
        db.expire_all()
        found = verdict_of(TrialFacts(db, db.get(Trial, 1), Units()))
        taste = next(one for one in found.headlines if one.about == "taste")
        assert taste.headline == "10 blind tasters rank C (team C) first of 4, at 1.0 in the mean."
        assert "It differs from" in taste.sentence
        assert "rub" not in found.credit, "another cook's rub is the cook's own"
        assert "weight" in found.credit, "unlike pieces are not"

    def test_each_may_taste_only_some_and_the_best_is_named_all_the_same(self, member, db) -> None:
        """Six arms, four each: every arm is served as often as any other, and steps come from the mixed model."""
        make(member, db, "ABCDEF", at_most="4", expected="12", **{"scale-overall": "on"})
        liking = dict(zip("ABCDEF", (3, 4, 8, 5, 4, 3), strict=True))
        panel = opened(db, db.scalars(select(Panel)).one(), 12, lambda n, arm, *_: liking[arm] + n % 2)
        served = [step["sample"] for ballot in panel.ballots for step in ballot.steps]
        assert sorted(served.count(sample.id) for sample in panel.samples) == [8] * 6
        found = results(panel)
        assert {s.sample: round(s.mean) for s in found.attributes[0].steps} == {"B": 1, "C": 5, "D": 2, "E": 1, "F": 0}
        taste = verdict_of(TrialFacts(db, db.get(Trial, 1), Units())).headlines[-1]
        assert taste.headline.startswith("12 blind tasters rank C (way C) first of 6 by their scores")
        refused = make(member, db, at_most="3", **{"test-rank": "on"})
        assert "Who gets only some of the samples cannot compare them all" in refused.text

    def test_relabelling_the_arms_changes_nothing_but_labels(self, member, db) -> None:
        make(member, db, **{"scale-overall": "on", "scale-bark": "on", "test-prefer": "on"})
        draw = np.random.default_rng(5)
        noise = draw.normal(0, 1, (40, 2))
        panel = db.scalars(select(Panel)).one()
        opened(
            db,
            panel,
            9,
            lambda n, arm, amount, key: 5 + noise[n, int(arm == "B")] + (arm == "B"),
            lambda n, _: "AB"[n % 3 > 0],
        )
        one = results(panel)
        first, second = db.scalars(select(Arm).order_by(Arm.letter))
        for arm, letter in ((first, "H"), (second, "A"), (first, "B")):
            arm.letter = letter
            db.flush()
        db.expire_all()
        other = results(db.get(Panel, panel.id))
        assert [t.counts for t in other.tests] == [{"A": t.counts["B"], "B": t.counts["A"]} for t in one.tests]
        assert [t.found for t in other.tests] == [t.found for t in one.tests]
        for a, b in zip(one.attributes, other.attributes, strict=True):
            assert b.means == {"A": a.means["B"], "B": a.means["A"]}
            (x,), (y,) = a.steps, b.steps
            assert (y.mean, y.low, y.high, y.p) == pytest.approx((-x.mean, -x.high, -x.low, x.p))


def test_the_advice_is_for_the_people_at_hand(member, db) -> None:
    make_trial(db)
    arms = {f"arm-{arm.id}": "on" for arm in db.scalars(select(Arm))}
    page = member.post(
        "/trials/1/panels", {"advise": "1", "expected": "20", "title": "Mine", **arms}, at="/trials/1/panels"
    )
    assert page.status_code == 200
    assert "15 of 20 must agree" in page.text, "ISO 5495"
    assert 'value="Mine"' in page.text
    assert db.scalars(select(Panel)).all() == []


def test_no_page_of_a_helper_holds_a_code_but_the_paper_and_that_no_arm(
    member, db, app, password_hash, monkeypatch
) -> None:
    """Every address that a trial has, before the envelope: codes stand on paper ballots only, and those say no arm."""
    db.add(Person(name="Helper", password_hash=password_hash, role="helper"))
    make_trial(db, readings=True)
    helper = Visitor(app)
    helper.sign_in("Helper", PASSWORD)
    known = {"trial_id": 1, "panel_id": 1, "piece_id": 1, "arm_id": 1, "probe_id": 1}
    rules = [
        r
        for r in app.url_map.iter_rules()
        if "GET" in r.methods and "trial_id" in r.arguments and r.arguments <= set(known)
    ]
    assert len(rules) > 25
    with app.test_request_context():
        addresses = [url_for(r.endpoint, **{name: known[name] for name in r.arguments}) for r in rules]
    monkeypatch.setattr(
        "bruvet.work.panels.three_digits", lambda count, seed, taken=(): [f"Q{seed}-{n:02d}Z" for n in range(count)]
    )  # three digits may turn up on any page by chance
    make(
        member,
        db,
        starter="sliced",
        **{"test-triangle": "on", "test-duo-trio": "on", "test-prefer": "on", "warm_up": "on"},
    )
    panel = db.scalars(select(Panel)).one()
    panel.state = "open"
    db.commit()
    codes: set[str] = set()
    for name in ("Ana", "Ida"):
        ballot = ballot_of(db, join(db, panel, name, False, ON))
        for page, step in enumerate(ballot.steps, 1):
            codes |= {step[key] for key in ("code", "reference") if key in step} | set(step.get("shown", []))
            if step["kind"] == "sample":
                answer(db, ballot, page, {"score-overall": "9", "remark": f"a secret of {name}"}, ON)
        send(db, ballot, ON)
    db.commit()
    assert len(codes) > 10
    for at in addresses:
        answered = helper.get(at, follow_redirects=True)
        text = answered.data.decode(errors="replace")
        if answered.mimetype == "application/pdf":
            text = " ".join(page.extract_text() for page in PdfReader(io.BytesIO(answered.data)).pages)
        assert "a secret of" not in text, at
        if at.endswith("/paper"):
            assert any(code in text for code in codes), "else this test could not find one"
            assert "way A" not in text
            assert "way B" not in text
        else:
            assert not [code for code in codes if code in text], at
