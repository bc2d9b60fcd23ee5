"""What a person may choose of the curves, what can be taken away, and pages that answer hostile addresses calmly."""

from __future__ import annotations

import csv
import io
import xml.etree.ElementTree as ElementTree

import numpy as np
import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session

from bruvet.records.models import Event, Piece, Probe, Trial
from bruvet.records.series import save_readings, seconds
from made import ON, log_curves, make_trial


@pytest.fixture
def cooked(engine) -> None:
    """Two arms; A's middle has a spike at 1:00 and was moved at 4:00, and a second probe of A is 5 °C warmer."""
    with Session(engine) as session:
        trial = make_trial(session)
        from bruvet.records.models import Event

        rng = np.random.default_rng(5)
        for number, arm in enumerate(trial.arms):
            trial.events.append(Event(arm_id=arm.id, kind="meat-on", at=ON))
            minutes = np.arange(0, 360.0 + 60 * number)
            inner = np.interp(minutes, [0, minutes[-1]], [4, 95]) + rng.normal(0, 0.1, len(minutes))
            curves = [("grate", None, 120 + rng.normal(0, 1, len(minutes))), ("middle", arm.pieces[0].id, inner)]
            if number == 0:
                curves.append(("edge", arm.pieces[0].id, inner + 5))
                inner[60] += 30
                inner[240:] -= 10
            for place, piece_id, values in curves:
                probe = Probe(trial_id=trial.id, arm_id=arm.id, piece_id=piece_id, place=place)
                session.add(probe)
                session.flush()
                save_readings(session, [(probe.id, seconds(ON) + minutes * 60, values)])
        session.commit()


def drawn(member, query: str = "") -> dict:
    return member.get(f"/trials/1/curves/data.json{query}").get_json()


def middle(answer: dict) -> np.ndarray:
    (series,) = [s for s in answer["series"] if s["label"] == "A1 middle"]
    return np.array([np.nan if v is None else v for v in series["values"]], float)


def rows_of(member, address: str) -> list[list[str]]:
    return list(csv.reader(io.StringIO(member.get(address).get_data(as_text=True))))


def test_cleaning_is_listed_taken_back_and_done_again(member, cooked, engine) -> None:
    page = member.get("/trials/1/curves").text
    assert "1:00: 1 reading that leap" in page
    assert "4:00: a leap down of 18 °F" in page
    assert len(drawn(member)["aside"]) == 1
    with Session(engine) as session:
        probe = session.scalars(select(Probe).where(Probe.place == "middle")).first()
        at = seconds(ON) + 3600
        form = {"probe": probe.id, "kind": "spike", "from": at, "until": at}
    member.post("/trials/1/curves/cleaning", form | {"do": "back"}, at="/trials/1/curves")
    assert "left as it was read" in member.get("/trials/1/curves").text
    assert drawn(member)["aside"] == []
    member.post("/trials/1/curves/cleaning", form | {"do": "clean"}, at="/trials/1/curves")
    assert len(drawn(member)["aside"]) == 1


def test_a_cut_curve_is_never_joined(member, cooked) -> None:
    answer = drawn(member)
    x, values = np.array(answer["x"]), middle(answer)
    cut = np.isnan(values) & (np.abs(x - 240) < 3)
    assert cut.any()
    whole = middle(drawn(member, "?raw=1"))
    assert not np.isnan(whole[np.abs(x - 240) < 3]).all()


@pytest.mark.parametrize(
    "form",
    [{}, {"probe": "x"}, {"probe": "1", "kind": "gap"}, {"probe": "2", "kind": "spike", "from": "nan", "until": "1"}],
)
def test_nonsense_cleans_nothing(member, cooked, form, engine) -> None:
    page = member.post("/trials/1/curves/cleaning", form, at="/trials/1/curves")
    assert "Nothing was changed" in page.text
    with Session(engine) as session:
        assert all(not probe.taken_back for probe in session.scalars(select(Probe)))


def test_which_probe_a_piece_is_read_by_changes_its_figures(member, cooked, engine) -> None:
    def highest() -> float:
        (row,) = [r for r in rows_of(member, "/trials/1/curves/figures.csv") if r[1] == "highest internal"]
        return float(row[3])

    coldest = highest()
    with Session(engine) as session:
        edge = session.scalars(select(Probe).where(Probe.place == "edge")).one()
        value, piece = f"probe:{edge.id}", edge.piece_id
    member.post("/trials/1/curves/read-by", {f"piece-{piece}": value}, at="/trials/1/curves")
    assert highest() > coldest + 15
    member.post("/trials/1/curves/read-by", {f"piece-{piece}": "probe:77"}, at="/trials/1/curves")
    with Session(engine) as session:
        assert session.get(Piece, piece).read_by == value


def test_a_stall_can_be_told_by_hand(member, cooked, engine) -> None:
    with Session(engine) as session:
        first, second = (piece.id for piece in session.scalars(select(Piece).order_by(Piece.id)))
    form = {"by": "hand", f"onset-{first}": "2:00", f"end-{first}": "2:45"}
    page = member.post("/trials/1/curves/stall", form, at="/trials/1/curves/stall")
    assert "A stall is now: by hand" in page.text
    assert "2:00 to 2:45" in page.text.replace("</b>", "").replace("<b>", "")
    for bad in (
        {f"onset-{first}": "3:00", f"end-{first}": "2:00"},
        {f"onset-{second}": "soon", f"end-{second}": "2:00"},
    ):
        page = member.post("/trials/1/curves/stall", {"by": "hand", **bad}, at="/trials/1/curves/stall")
        assert "Nothing was changed" in page.text
    with Session(engine) as session:
        assert session.get(Piece, first).stall_by["until"] - session.get(Piece, first).stall_by["from"] == 45 * 60


@pytest.mark.parametrize("form", [{"by": "moon"}, {"by": "rate", "rate": "fast"}, {"by": "rate", "rate": "900"}, {}])
def test_a_definition_that_is_none_is_refused(member, cooked, form, engine) -> None:
    page = member.post("/trials/1/curves/stall", form, at="/trials/1/curves/stall")
    assert "Nothing was changed" in page.text
    with Session(engine) as session:
        assert session.get(Trial, 1).stall_by == {}


def test_a_rate_is_in_the_persons_units_and_every_definition_shows_its_effect(member, cooked, engine) -> None:
    member.post("/trials/1/curves/stall", {"by": "rate", "rate": "9"}, at="/trials/1/curves/stall")
    with Session(engine) as session:
        assert session.get(Trial, 1).stall_by == {"by": "rate", "rate_c_per_h": pytest.approx(5.0)}
    page = member.get("/trials/1/curves/stall").text
    assert page.count('type="radio"') == 4


def test_a_marked_stretch_says_the_same_in_both_units(member, cooked) -> None:
    first = member.get("/trials/1/curves/marked?bt=104&et=140").text
    member.post("/account/units", {"temp_unit": "c", "mass_unit": "kg"}, at="/account")
    second = member.get("/trials/1/curves/marked?bt=40&et=60").text

    def lies(text: str) -> list[str]:
        return [part.split('"')[1] for part in text.split("data-from-min=")[1:] for part in ["=" + part]]

    assert lies(first) == lies(second)
    assert "B1" in first


@pytest.mark.parametrize(
    "query", ["b=1&e=nan", "b=5&e=1", "bt=hot&et=cold", "b=-1e300&e=1e300", "bt=-999&et=9999", "b=1e4&e=2e4"]
)
def test_wild_marks_are_calm(member, cooked, query) -> None:
    for part in (
        "curves",
        "curves/marked",
        "curves/data.json",
        "curves/compare",
        "curves/picture.svg",
        "curves/series.csv",
    ):
        assert member.get(f"/trials/1/{part}?{query}&hide=x..1&from=inf&to=2").status_code == 200


@pytest.mark.parametrize("key", ["lag", "minus", "rate", "pit", "series"])
def test_every_picture_has_its_numbers(member, cooked, key) -> None:
    rows = rows_of(member, f"/trials/1/curves/{key}.csv")
    assert len(rows) > 4
    assert all(len(row) == len(rows[0]) for row in rows)
    assert member.get("/trials/1/curves/moon.csv").status_code == 404


def test_a_sceptic_gets_the_difference_by_redoing_the_sums(member, cooked) -> None:
    """The difference's CSV is the series' CSV, B less A, minute by minute."""
    series = rows_of(member, "/trials/1/curves/series.csv")
    columns = {name.split(",")[0]: number for number, name in enumerate(series[0])}
    by_minute = {float(row[0]): row for row in series[1:]}
    compared = 0
    for minute, step in rows_of(member, "/trials/1/curves/minus.csv")[1:]:
        row = by_minute.get(float(minute) + 0.5)
        a, b = (row[columns[name]] if row else "" for name in ("A1 middle", "B1 middle"))
        if a and b and float(minute) < 235:
            assert float(step) == pytest.approx(float(b) - float(a), abs=0.7)
            compared += 1
    assert compared > 150


def test_all_readings_go_out_as_they_came_in(member, cooked, engine) -> None:
    rows = rows_of(member, "/trials/1/curves/readings.csv")
    assert rows[0] == ["probe", "at_utc", "temp_c"]
    assert len(rows) - 1 == 3 * 360 + 2 * 420
    assert rows[1][1] == "2026-05-02T06:40:00.000000Z"


def test_the_svg_stands_by_itself(member, cooked) -> None:
    answer = member.get("/trials/1/curves/picture.svg?from=60&to=200")
    tree = ElementTree.fromstring(answer.data)
    assert tree.tag.endswith("svg")
    assert b"class=" not in answer.data
    assert answer.data.count(b"<path") > 8


def test_share_of_the_cook_runs_to_a_hundred(member, engine) -> None:
    with Session(engine) as session:
        make_trial(session, readings=True)
    answer = drawn(member, "?align=share")
    assert answer["by_share"]
    assert max(answer["x"]) == pytest.approx(100, abs=1)
    assert "own share" in member.get("/trials/1/curves?align=share").text


def test_why_is_two_sentences_and_steps_that_add_up(member, engine) -> None:
    with Session(engine) as session:
        make_trial(session, readings=True)
    page = member.get("/trials/1/curves/why").text
    assert "B1 took 1 h longer than A1" in page
    assert 'class="parts-of-time"' in page
    assert "How sure that is" in page
    assert "proves nothing" in page or "cannot be told" in page


@pytest.fixture
def dead_fire(engine) -> None:
    """Two arms; the fire of B dies on the way up and is mended two hours later."""
    from core.planted import plant

    with Session(engine) as session:
        trial = make_trial(session)
        for arm, fault in zip(trial.arms, (None, "dead-fire"), strict=True):
            curve = plant(11, fault=fault)
            trial.events.append(Event(arm_id=arm.id, kind="meat-on", at=ON))
            log_curves(session, arm, curve.t_min, curve.pit_c, curve.meat_c)
        session.commit()


def test_what_is_flat_and_no_stall_is_drawn_and_named(member, dead_fire) -> None:
    answer = drawn(member)
    assert {one["arm"] for one in answer["stalls"]} == {"A", "B"}
    (flat,) = [one for one in answer["flats"] if one["word"] == "pit fell"]
    assert flat["arm"] == "B"
    assert flat["to"] - flat["from"] > 40
    page = member.get("/trials/1/curves").text
    assert 'class="flat-line"' in page
    assert "pit fell" in page
    assert "The pit fell from" in page
    picture = member.get("/trials/1/curves/picture.svg").get_data(as_text=True)
    assert "pit fell B" in picture
    assert "stall A" in picture


def test_where_the_time_was_lost_is_told_by_the_lag_itself(member, dead_fire) -> None:
    """The dead fire cost B its hours within a few degrees, and the page says at which."""
    words = member.get("/trials/1/curves/compare").text.split('data-picture="lag"')[1].split("</p>")[0]
    lost = words.split("lost <b>")[1]
    assert lost[0] in "123"
    assert " h " in lost.split("</b>")[0]
    assert "against A1" in words


def test_a_calibration_is_listed_with_what_it_changes(member, cooked, engine) -> None:
    from datetime import timedelta

    from bruvet.records.models import Channel
    from bruvet.work.stations import add_station

    with Session(engine) as session:
        station, _ = add_station(session, "Yard", None)
        probe = session.scalars(select(Probe).where(Probe.place == "middle")).first()
        channel = Channel(name="1", probe_id=probe.id, from_at=ON - timedelta(hours=1), calibration={"ice_c": 1.5})
        station.channels.append(channel)
        session.commit()
    page = member.get("/trials/1/curves").text
    assert "put right by −2.7 °F at 160 °F, as calibrated" in page


def test_of_many_differences_the_first_are_told_and_the_others_when_asked(member, engine) -> None:
    with Session(engine) as session:
        make_trial(session, letters="ABCDEF", readings=True)
        last = session.scalars(select(Piece)).all()[-1].id
    page = member.get("/trials/1/curves/why").text
    assert page.count("data-why") == 3
    assert page.count('class="later"') == 2
    asked = member.get(f"/trials/1/curves/why?piece={last}").text
    assert asked.count("data-why") == 1
    assert "F1 took" in asked
    assert member.get("/trials/1/curves/why?piece=999").status_code == 200


def test_what_was_read_on_the_way_to_another_place_is_listed_crossed_and_can_be_taken_back(member, engine) -> None:
    minutes = np.arange(0.0, 300.0)
    meat = np.interp(minutes, [0, 300], [4, 70])
    meat[150:] -= 10
    meat[150] += 5
    with Session(engine) as session:
        trial = make_trial(session)
        trial.events.append(Event(arm_id=trial.arms[0].id, kind="meat-on", at=ON))
        log_curves(session, trial.arms[0], minutes, np.full(300, 110.0), meat)
        session.commit()
    page = member.get("/trials/1/curves").text
    assert "1 of its minutes on the way set aside" in page
    assert "Crosses are readings" in page
    assert [round(one["at"]) for one in drawn(member)["aside"]] == [150], "and the first in the new place is none"
    at = seconds(ON) + 150 * 60
    assert f'name="kind" value="moved"><input type="hidden" name="from" value="{at}"' in page
    with Session(engine) as session:
        probe = session.scalars(select(Probe).where(Probe.place == "middle")).one().id
    form = {"probe": probe, "kind": "moved", "from": at, "until": at, "do": "back"}
    member.post("/trials/1/curves/cleaning", form, at="/trials/1/curves")
    page = member.get("/trials/1/curves").text
    assert "left as it was read (the probe was moved)" in page
    assert "on the way set aside" not in page
    assert drawn(member)["aside"] == []
