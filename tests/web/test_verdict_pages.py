"""The verdict's pages: figures, PDF, a link that dies when it is withdrawn, files; and what is seen at the board."""

from __future__ import annotations

import csv
import io
import json
import re

import pandas
import pytest
from PIL import Image
from pypdf import PdfReader
from sqlalchemy import select
from sqlalchemy.orm import Session

from bruvet.records.models import Cutting, Photo, Piece, Revision, Trial, VerdictLink
from bruvet.records.people import Person
from bruvet.web.cutting.scaled import rows_of
from bruvet.work.panels import answer, ballot_of, join, open_envelope, send
from conftest import PASSWORD, Visitor
from made import ON, make_trial

HOSTILE = "<script>alert('x')</script>\"'&<b>"


@pytest.fixture
def db(engine):
    with Session(engine, expire_on_commit=False) as session:
        yield session


@pytest.fixture
def trial(db, member) -> Trial:
    return make_trial(db, readings=True)


def helper(app, db, password_hash) -> Visitor:
    db.add(Person(name="Helper", password_hash=password_hash, role="helper"))
    db.commit()
    visitor = Visitor(app)
    visitor.sign_in("Helper", PASSWORD)
    return visitor


def photo(width=120, height=80) -> io.BytesIO:
    sink = io.BytesIO()
    Image.new("RGB", (width, height), (120, 60, 40)).save(sink, "PNG")
    sink.seek(0)
    return sink


class TestVerdict:
    def test_the_answer_comes_with_its_word_and_the_figures_behind_it(self, member, trial) -> None:
        page = member.get("/trials/1/verdict").text
        answer = re.search(r'<div class="answer">(.*?)</div>', page, re.S)[1]
        assert ">hinted</b> A (way A) was 1 h faster than B (way B)" in answer
        assert "Before this is put down to the wrap: the arms also differed in weight." in answer
        for label in ("meat on to pull", "pit as run, mean", "hands on, about"):
            assert label in page
        for word in ("shown", "likely", "hinted", "not shown", "cannot be told"):
            assert f"<dt>{word}</dt>" in page

    def test_an_empty_trial_says_so(self, member, db) -> None:
        make_trial(db)
        page = member.get("/trials/1/verdict").text
        assert "There is not enough in the record yet" in page

    def test_the_pdf_says_the_same(self, member, db, trial) -> None:
        trial.own_words, trial.title = "Würde ich wieder so machen.", f"Collar {HOSTILE}"
        db.commit()
        found = member.get("/trials/1/verdict.pdf")
        assert found.mimetype == "application/pdf"
        pages = PdfReader(io.BytesIO(found.data)).pages
        text = " ".join(" ".join(page.extract_text() for page in pages).split())
        assert 1 <= len(pages) <= 3
        assert "A (way A) was 1 h faster than B (way B)" in text
        assert "Würde ich wieder so machen." in text
        assert "<script>" in text, "hostile words are words"
        assert (round(float(pages[0].mediabox.width)), round(float(pages[0].mediabox.height))) == (595, 842), "A4"

    def test_without_pango_the_page_says_what_is_missing(self, member, trial, monkeypatch) -> None:
        from bruvet.web.verdict.paper import NoPdf

        def missing(html: str) -> bytes:
            raise NoPdf("A PDF needs Debian's packages. Print the page instead.")

        monkeypatch.setattr("bruvet.web.verdict.views.as_pdf", missing)
        assert "Print the page instead" in member.get("/trials/1/verdict.pdf", follow_redirects=True).text

    def test_a_pdf_fetches_nothing(self) -> None:
        """A page that names addresses elsewhere and files of the machine gets neither."""
        from bruvet.web.verdict.paper import as_pdf

        html = '<p>x</p><img src="file:///etc/passwd"><img src="http://127.0.0.1:9/x.png"><link rel="stylesheet" href="file:///etc/hosts">'
        assert as_pdf(html)[:5] == b"%PDF-"


class TestLink:
    def give(self, member, to="Odo") -> str:
        page = member.post("/trials/1/verdict/links", {"given_to": to}, at="/trials/1/verdict").text
        return re.search(r"http://localhost(/verdict/[\w-]+)", page)[1]

    def test_whoever_has_it_reads_the_verdict_and_finds_no_way_further_in(self, member, app, trial) -> None:
        address = self.give(member)
        page = Visitor(app).get(address)
        assert page.status_code == 200
        assert "A (way A) was 1 h faster than B (way B)" in page.text
        assert "/trials/" not in page.text
        assert "<form" not in page.text
        assert page.headers["X-Robots-Tag"] == "noindex"
        assert page.headers["Cache-Control"] == "no-store"

    def test_withdrawn_it_is_dead(self, member, app, db, trial) -> None:
        address, other = self.give(member), self.give(member, "Ida")
        assert address != other
        member.post("/trials/1/verdict/links/1/withdraw", at="/trials/1/verdict")
        dead = Visitor(app).get(address)
        assert dead.status_code == 410
        assert "way A" not in dead.text
        assert Visitor(app).get(other).status_code == 200, "others live on"
        assert member.get(address).status_code == 410, "for the owner too"
        assert "Withdraw Odo" not in member.get("/trials/1/verdict").text

    def test_only_its_hash_is_kept_and_a_guess_opens_nothing(self, member, app, db, trial) -> None:
        address = self.give(member)
        assert address.rsplit("/", 1)[1] not in member.get("/trials/1/verdict").text
        row = db.scalars(select(VerdictLink)).one()
        assert row.token_hash not in address
        for guess in ("x", row.token_hash, address.rsplit("/", 1)[1][:-1], "%00"):
            assert Visitor(app).get(f"/verdict/{guess}").status_code == 404

    def test_helpers_neither_give_nor_withdraw(self, member, app, db, trial, password_hash) -> None:
        self.give(member)
        visitor = helper(app, db, password_hash)
        assert visitor.post("/trials/1/verdict/links", at="/trials/1/verdict").status_code == 403
        assert visitor.post("/trials/1/verdict/links/1/withdraw", at="/trials/1/verdict").status_code == 403
        assert "Make a link" not in visitor.get("/trials/1/verdict").text

    def test_it_goes_with_its_trial(self, member, app, db, trial) -> None:
        address = self.give(member)
        member.post("/trials/1/delete", {"title": "Collar test"}, at="/trials/1/delete")
        assert Visitor(app).get(address).status_code == 404

    def test_it_reads_in_the_trials_units(self, member, app, db, trial) -> None:
        trial.temp_unit, trial.mass_unit = "c", "kg"
        db.commit()
        page = Visitor(app).get(self.give(member)).text
        assert "120 °C" in page
        assert "°F" not in page


class TestFiles:
    FORM = {"expected": "2", "notice": "Pork.", "scale-overall": "on", "right-salt": "on", "test-prefer": "on"}  # noqa: RUF012

    def taste(self, member, db, shut=False) -> None:
        arms = {f"arm-{arm.id}": "on" for arm in db.get(Trial, 1).arms}
        member.post("/trials/1/panels", self.FORM | arms, at="/trials/1/panels")
        from bruvet.records.tasting import Panel

        panel = db.scalars(select(Panel)).one()
        panel.state = "open"
        db.flush()
        ballot = ballot_of(db, join(db, panel, '=HYPERLINK("x")', False, ON))
        for page, step in enumerate(ballot.steps, 1):
            if step["kind"] == "sample":
                answer(db, ballot, page, {"score-overall": "6", "right-salt": "-1", "remark": '+cmd, "x"\nnew'}, ON)
            else:
                answer(db, ballot, page, {"choice": step["shown"][0]}, ON)
        send(db, ballot, ON)
        if not shut:
            open_envelope(panel, None, ON)
        db.commit()

    def test_every_answer_is_a_row_that_two_readers_read_alike(self, member, db, trial) -> None:
        """RFC 4180, by the standard library and by pandas; no cell is a formula."""
        self.taste(member, db)
        member.post(
            "/trials/1/tasting", {"name": "Ida", "1-bark": "7", "preferred": "2", "blind": "on"}, at="/trials/1/tasting"
        )
        text = member.get("/trials/1/tasting.csv").text
        rows = list(csv.DictReader(io.StringIO(text, newline="")))
        table = pandas.read_csv(io.StringIO(text), dtype=str, keep_default_na=False)
        assert table.to_dict("records") == rows
        assert {(r["arm"], r["answer"]) for r in rows if r["question"] == "score-overall"} == {("A", "6"), ("B", "6")}
        assert {r["answer"] for r in rows if r["question"] == "right-salt"} == {"-1"}
        chosen = next(r for r in rows if r["question"] == "prefer-choice")
        assert chosen["arm"] in "AB"
        assert chosen["code"] == chosen["answer"]
        assert [r["answer"] for r in rows if r["panellist"] == "Ida"] == ["7", "B"]
        assert not [r for r in rows if r["panellist"][0] in "=+@" or r["answer"][0] in "=+@"]

    def test_before_the_envelope_there_is_nothing_in_any_file(self, member, db, trial) -> None:
        self.taste(member, db, shut=True)
        assert len(member.get("/trials/1/tasting.csv").text.splitlines()) == 1
        bundle = member.get("/trials/1/bundle.json").text
        assert "HYPERLINK" not in bundle
        assert json.loads(bundle)["left_out"] == ["the tasting Tasting, whose envelope is shut"]

    def test_a_bundle_taken_by_page_comes_in_by_page(self, member, db, trial) -> None:
        self.taste(member, db)
        content = member.get("/trials/1/bundle.json").data

        def bring(data: bytes, **more):
            return member.post("/bring-in", {"bundle": (io.BytesIO(data), "x.json"), **more}, at="/bring-in")

        twice = bring(content)
        assert twice.status_code == 422
        assert "here already" in twice.text
        member.post("/trials/1/delete", {"title": "Collar test"}, at="/trials/1/delete")
        page = bring(content)
        assert "The whole trial is here now." in page.text
        assert "A (way A) was 1 h faster" in page.text
        assert member.get("/trials/2/bundle.json").data == content
        assert "is no JSON" in bring(b"{").text
        assert "Nothing was kept" in bring(b"").text

    def test_helpers_bring_nothing_in(self, app, db, member, trial, password_hash) -> None:
        assert helper(app, db, password_hash).post("/bring-in", at="/bring-in").status_code == 403


class TestBoard:
    def test_what_was_seen_is_kept_with_its_earlier_values_and_told_in_the_verdict(self, member, db, trial) -> None:
        form = {"bend-1": "drapes", "ring_mm-1": "6,5", "cooked-1": "2.9", "note-1": HOSTILE, "bark_colour-2": "black"}
        member.post("/trials/1/cutting", form, at="/trials/1/cutting")
        member.post("/trials/1/cutting", form | {"ring_mm-1": "7"}, at="/trials/1/cutting")
        row = db.scalars(select(Cutting).where(Cutting.piece_id == 1)).one()
        assert (row.bend, row.ring_mm) == ("drapes", 7.0)
        earlier = db.scalars(select(Revision).where(Revision.table_name == "cutting")).one()
        assert (earlier.earlier, earlier.trial_id) == ({"ring_mm": 6.5}, 1)
        db.expire_all()
        assert db.get(Piece, 1).cooked_kg == pytest.approx(2.9 * 0.45359237)
        page = member.get("/trials/1/verdict").text
        assert "Bend: drapes, does not break; smoke ring: 7 mm" in page
        assert "<script>alert" not in page
        assert ">7 mm</td>" in re.sub(r"\s+", "", page).replace("7mm", "7 mm")

    def test_what_cannot_be_is_refused_whole(self, member, db, trial) -> None:
        form = {"bend-1": "drapes", "ring_mm-1": "400", "cooked-2": "90", "fat-1": "gold"}
        page = member.post("/trials/1/cutting", form, at="/trials/1/cutting")
        assert page.status_code == 422
        assert "between 0 and 40 mm" in page.text
        assert "weighs more cooked than raw" in page.text
        assert 'value="400"' in page.text
        assert db.scalars(select(Cutting)).all() == []

    def test_photos_of_one_view_are_drawn_to_one_scale(self, member, db, trial) -> None:
        for letter, spans in (("B", "100"), ("A", "50")):
            form = {"arm": letter, "view": "slice", "spans": spans, "photo": (photo(), "x.png")}
            member.post("/trials/1/cutting/photos", form, at="/trials/1/cutting")
        (row,) = rows_of(list(db.scalars(select(Photo))))
        assert [(one.photo.arm.letter, one.width, one.height) for one in row.laid] == [
            ("A", 50.0, pytest.approx(33.33, abs=0.01)),
            ("B", 100.0, pytest.approx(66.67, abs=0.01)),
        ]
        assert row.bar == 10
        page = member.get("/trials/1/cutting").text
        assert 'width="50.0"' in page
        assert 'width="100.0"' in page
        member.post("/trials/1/cutting/photos/1", {"view": "ring", "spans": "40"}, at="/trials/1/cutting")
        db.expire_all()
        assert [r.view for r in rows_of(list(db.scalars(select(Photo))))] == ["slice", "ring"]

    def test_a_bad_photo_or_scale_is_refused(self, member, db, trial) -> None:
        form = {"arm": "A", "view": "slice", "photo": (io.BytesIO(b"MZ"), "x.exe")}
        assert (
            "no picture that can be read" in member.post("/trials/1/cutting/photos", form, at="/trials/1/cutting").text
        )
        form = {"arm": "Z", "view": "slice", "spans": "-3", "photo": (photo(), "x.png")}
        assert "between 1 and 3000" in member.post("/trials/1/cutting/photos", form, at="/trials/1/cutting").text
        assert db.scalars(select(Photo)).all() == []
        assert member.post("/trials/1/cutting/photos/9", {}, at="/trials/1/cutting").status_code == 404


def test_a_part_that_answers_late_sets_no_cookie(member, trial) -> None:
    """What was flashed meanwhile lives in the cookie; an old one would bring back the time before."""
    assert "Set-Cookie" not in member.get("/trials").headers
    assert "Set-Cookie" not in member.get("/trials/1/verdict").headers
