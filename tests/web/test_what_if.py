"""The what-if bench: cases in the address, answers in figures and picture, and a plan made of them."""

from __future__ import annotations

import re

import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session

from bruvet.records.models import Arm, Cooker, Event, Trial
from bruvet.records.people import Person
from made import make_trial

TWO = {
    "cases": "2", "1-cut": "pork-collar", "1-mass": "4.4", "1-cooker": "drum", "1-pit": "250", "1-done": "200",
    "2-cut": "pork-collar", "2-mass": "4.4", "2-cooker": "drum", "2-pit": "275", "2-done": "200",
}  # fmt: skip


def finishes(text: str) -> list[int]:
    row = re.search(r"Done, after meat on</th>(.*?)</tr>", text, re.S)
    assert row
    return [int(h) * 60 + int(m) for h, m in re.findall(r"<b>(\d+):(\d\d)</b>", row[1])]


def test_the_first_visit_shows_two_cases_side_by_side(member) -> None:
    page = member.get("/what-if")
    assert page.status_code == 200
    bare, foil = finishes(page.text)
    assert foil < bare
    assert 'class="told"' in page.text


def test_a_hotter_pit_is_done_sooner_and_the_difference_is_explained(member) -> None:
    low, high = finishes(member.get("/what-if", query_string=TWO).text)
    assert high < low
    why = member.get("/what-if/why", query_string=TWO).text
    assert re.search(r"takes <b>.*less</b>", why)
    assert "pit −" in why


def test_the_bench_speaks_the_persons_units(member, engine) -> None:
    with Session(engine) as session, session.begin():
        person = session.scalars(select(Person)).one()
        person.temp_unit, person.mass_unit = "c", "kg"
    asked = {**TWO, "1-mass": "2.0", "2-mass": "2.0", "1-pit": "121", "2-pit": "135", "1-done": "93", "2-done": "93"}
    page = member.get("/what-if", query_string=asked).text
    assert "60°C" in page.replace(" ", "") or "60 °C" in page
    low, high = finishes(page)
    assert 240 < high < low < 900


def test_only_the_answers_are_sent_when_a_field_changes(member) -> None:
    part = member.get("/what-if", query_string=TWO, headers={"HX-Request": "true"}).text
    assert "<html" not in part
    assert len(finishes(part)) == 2


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"1-mass": "heavy"}, "Weight: &#39;heavy&#39; is not a number"),
        ({"1-pit": ""}, "Give the pit"),
        ({"1-pit2": "300"}, "Give both"),
        ({"1-wrap": "foil", "1-wrapt": "", "1-wrapat": ""}, "Say when it is wrapped"),
        ({"1-done": "999"}, "must be between"),
        ({"1-done": "30"}, "is out of range"),
        ({"1-mass": "90"}, "is out of range"),
        ({"1-cut": "unicorn"}, "Choose one of the list"),
        ({"1-cooker": "own-99999"}, "Choose one of the list"),
        ({"1-wrapat": "soon"}, "write minutes"),
    ],
)
def test_what_cannot_be_read_is_named_and_the_other_case_still_told(member, change, says) -> None:
    page = member.get("/what-if", query_string={**TWO, **change})
    assert page.status_code == 200
    assert says in page.text
    assert len(finishes(page.text)) == 1


def test_hostile_addresses_do_no_harm(member) -> None:
    for value in ("<script>alert(1)</script>", "'; DROP TABLE trial; --", "9" * 400, "-1e308", "\u202e250"):
        page = member.get("/what-if", query_string={**TWO, "1-mass": value, "1-thick": value, "cases": value})
        assert page.status_code == 200
        assert "<script>alert" not in page.text


def test_a_case_that_never_gets_there_says_why(member) -> None:
    page = member.get("/what-if", query_string={**TWO, "1-pit": "190"}).text
    assert "not reached" in page
    assert "levels off near" in page


def test_poultry_and_slow_meat_carry_their_cautions(member) -> None:
    bird = {
        "cases": "1",
        "1-cut": "chicken-whole",
        "1-mass": "4",
        "1-cooker": "pellet",
        "1-pit": "275",
        "1-done": "150",
    }
    assert "Poultry needs" in member.get("/what-if", query_string=bird).text
    assert "Poultry needs" not in member.get("/what-if", query_string={**bird, "1-done": "165"}).text
    slow = {
        "cases": "1",
        "1-cut": "pork-shoulder",
        "1-mass": "14",
        "1-cooker": "pellet",
        "1-pit": "200",
        "1-done": "170",
    }
    assert "takes long to pass" in member.get("/what-if", query_string=slow).text


def test_cases_are_added_and_taken_away(member) -> None:
    three = member.get("/what-if", query_string={**TWO, "do": "add"}).text
    assert 'name="3-cut"' in three
    one = member.get("/what-if", query_string={**TWO, "do": "drop-1"}).text
    assert 'name="2-cut"' not in one
    assert 'value="275"' in one


def test_the_cases_become_the_plan_of_a_new_trial(member, engine) -> None:
    answer = member.post("/what-if/plan", {**TWO, "to": "new"}, follow=False)
    assert answer.status_code == 302
    with Session(engine) as session:
        trial = session.scalars(select(Trial)).one()
        assert trial.factor == "pit-temperature"
        assert [a.letter for a in trial.arms] == ["A", "B"]
        assert trial.arms[1].pit_target_c == pytest.approx(135.0)
        assert trial.arms[1].done_at_min < trial.arms[0].done_at_min
        assert trial.arms[0].pieces[0].trimmed_kg == pytest.approx(2.0, abs=0.02)


def test_a_case_becomes_the_plan_of_an_arm_that_has_not_begun(member, engine) -> None:
    with Session(engine) as session:
        trial = make_trial(session)
        for event in session.scalars(select(Event)):
            session.delete(event)
        session.commit()
        arm_id = trial.arms[1].id
    asked = {**TWO, "2-wrap": "paper", "2-wrapat": "4:00", "to": f"arm-{arm_id}", "case": "B"}
    answer = member.post("/what-if/plan", asked, follow=False)
    assert answer.status_code == 302
    with Session(engine) as session:
        arm = session.get(Arm, arm_id)
        assert arm is not None
        assert (arm.wrap_rule, arm.wrap_in, arm.wrap_at_min) == ("clock", "paper", 240.0)


def test_one_case_alone_is_no_trial(member, engine) -> None:
    one = {k: v for k, v in TWO.items() if not k.startswith("2-")} | {"cases": "1"}
    member.post("/what-if/plan", {**one, "to": "new"}, follow=False)
    with Session(engine) as session:
        assert session.scalars(select(Trial)).all() == []


def test_an_own_cooker_is_told_with_what_was_learned_of_it(member, engine) -> None:
    with Session(engine) as session:
        cooker = Cooker(name="The old drum", kind="drum")
        session.add(cooker)
        session.commit()
        key = f"own-{cooker.id}"
    page = member.get("/what-if", query_string={**TWO, "1-cooker": key}).text
    assert "The old drum" in page
    assert "0 cooks" in page
