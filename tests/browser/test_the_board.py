"""The board on a phone and on a laptop: a whole cook by tapping, offline and back, two browsers, keys alone."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import numpy as np
import pytest
from playwright.sync_api import Page, expect
from sqlalchemy import select
from sqlalchemy.orm import Session

from bruvet.records.models import Event, Look, Probe, Trial
from bruvet.records.series import save_readings, seconds
from bruvet.records.watching import WatchRow
from bruvet.work.watcher import look
from conftest import NAME, PASSWORD
from made import make_trial


@pytest.fixture
def running(engine) -> None:
    """Two arms that went on three hours ago, read every minute."""
    now = datetime.now(UTC).replace(microsecond=0)
    with Session(engine) as session:
        trial = make_trial(session)
        trial.cook_date = now.date()
        trial.arms[0].wrap_rule, trial.arms[0].wrap_in, trial.arms[0].wrap_at_c = "temperature", "foil", 60.0
        series = []
        for arm in trial.arms:
            trial.events.append(Event(arm_id=arm.id, kind="meat-on", at=now - timedelta(hours=3)))
            for piece_id, low, high in ((None, 120.0, 120.0), (arm.pieces[0].id, 4.0, 64.0)):
                probe = Probe(
                    trial_id=trial.id, arm_id=arm.id, piece_id=piece_id, place="middle" if piece_id else "grate"
                )
                session.add(probe)
                session.flush()
                minutes = np.arange(181.0)
                at = seconds(now - timedelta(hours=3)) + 60 * minutes
                series.append((probe.id, at, np.linspace(low, high, 181) + 0.1 * np.sin(minutes)))
        save_readings(session, series)
        session.commit()
    look(engine, {}, datetime.now(UTC))


def events(engine) -> list[tuple[str, str]]:
    with Session(engine) as session:
        rows = session.scalars(select(Event).where(Event.kind != "meat-on").order_by(Event.at, Event.id))
        return [(row.arm.letter, row.kind) for row in rows]


def tap(page: Page, name: str) -> None:
    page.locator(f"[data-act='{name}']").click()


def test_a_whole_cook_is_logged_by_tapping_on_a_phone(page: Page, running, engine) -> None:
    page.set_viewport_size({"width": 390, "height": 844})
    page.goto("/trials/1/board")
    expect(page.locator("[data-ready]")).to_have_count(1)
    expect(page.locator("#lane-A [data-t='A.temp.0']")).to_have_text("147°")
    assert page.evaluate("document.documentElement.scrollWidth") <= 392
    page.locator(".arm-chip:has([value=A])").click()
    tap(page, "spritz")
    expect(page.locator("[data-toast]")).to_contain_text("Spritz A at")
    tap(page, "wrap")
    page.locator("[data-wrap-dialog] button", has_text="Butcher paper").click()
    tap(page, "pit-set")
    for digit in "275":
        page.locator(f"[data-digit='{digit}']").click()
    page.locator("[data-keypad] button", has_text="OK").click()
    page.locator(".arm-chip:has([value=A])").click()
    page.locator(".chip", has_text="−20").click()
    tap(page, "lid")
    expect(page.locator("[data-part=events]")).to_contain_text("Lid open")
    tap(page, "pull")
    expect(page.locator("[data-part=events]")).to_contain_text("Pull")
    assert events(engine) == [
        ("A", "lid"),
        ("B", "lid"),
        ("A", "spritz"),
        ("A", "wrap"),
        ("A", "pit-set"),
        ("A", "pull"),
        ("B", "pull"),
    ]
    with Session(engine) as session:
        wrap, pit, lid = (
            session.scalars(select(Event).where(Event.kind == kind)).first() for kind in ("wrap", "pit-set", "lid")
        )
        assert wrap.wrap_in == "paper"
        assert pit.temp_c == pytest.approx(135.0)
        assert timedelta(minutes=19) < datetime.now(UTC) - lid.at < timedelta(minutes=22)


def test_an_entry_is_undone_for_a_while(page: Page, running, engine) -> None:
    page.goto("/trials/1/board")
    expect(page.locator("[data-ready]")).to_have_count(1)
    tap(page, "fuel")
    expect(page.locator("[data-part=events]")).to_contain_text("Fuel")
    page.locator("[data-undo-last]").click()
    expect(page.locator("[data-toast]")).to_contain_text("Taken back")
    expect(page.locator("[data-part=events]")).not_to_contain_text("Fuel")
    assert events(engine) == []


def test_a_look_is_three_taps_with_spots_and_a_keypad(page: Page, running, engine) -> None:
    page.set_viewport_size({"width": 390, "height": 844})
    page.goto("/trials/1/board")
    expect(page.locator("[data-ready]")).to_have_count(1)
    page.locator(".arm-chip:has([value=B])").click()
    tap(page, "look")
    page.locator("[data-look-dialog] .chip", has_text="Tacky").click()
    page.locator("[data-spot='0']").click()
    for digit in "165":
        page.locator(f"[data-digit='{digit}']").click()
    page.locator("[data-keypad] button", has_text="OK").click()
    page.locator("[data-look-dialog] .chip", has_text="Slight drag").click()
    page.locator("[data-look-dialog] button", has_text="Keep the look").click()
    expect(page.locator("[data-part=events]")).to_contain_text("Look")
    with Session(engine) as session:
        (found,) = session.scalars(select(Look)).all()
        assert found.bark == "tacky"
        assert found.piece.arm.letter == "B"
        (spot,) = found.spots
        assert (spot.place, spot.feel) == ("thick end", "slight")
        assert spot.temp_c == pytest.approx((165 - 32) / 1.8)


def test_what_is_tapped_offline_waits_and_goes_once_with_its_own_time(page: Page, running, engine) -> None:
    page.goto("/trials/1/board")
    expect(page.locator("[data-ready]")).to_have_count(1)
    page.context.set_offline(True)
    tap(page, "spritz")
    tap(page, "turn")
    expect(page.locator("[data-state]")).to_contain_text("offline")
    expect(page.locator("[data-state]")).to_contain_text("2 entries wait")
    assert events(engine) == []
    tapped = datetime.now(UTC)
    page.context.set_offline(False)
    expect(page.locator("[data-state]")).to_have_text("Live.")
    expect(page.locator("[data-part=events]")).to_contain_text("Turn")
    assert sorted(events(engine)) == [("A", "spritz"), ("A", "turn"), ("B", "spritz"), ("B", "turn")]
    with Session(engine) as session:
        assert all(row.at <= tapped for row in session.scalars(select(Event)))


def test_the_board_opens_again_while_offline_and_leaves_nothing_after_signing_out(page: Page, running, engine) -> None:
    page.goto("/trials/1/board")
    expect(page.locator("[data-kept]")).to_have_count(1)
    page.context.set_offline(True)
    page.reload()
    expect(page.locator("#lane-A")).to_be_visible()
    expect(page.locator("[data-ready]")).to_have_count(1)
    tap(page, "spritz")
    expect(page.locator("[data-state]")).to_contain_text("1 entry waits")
    page.context.set_offline(False)
    expect(page.locator("[data-state]")).to_have_text("Live.")
    expect(page.locator("[data-part=events]")).to_contain_text("Spritz")
    assert sorted(events(engine)) == [("A", "spritz"), ("B", "spritz")]
    page.goto("/account")
    page.get_by_role("button", name="Sign out here").click()
    expect(page.locator("#password")).to_be_visible()
    page.wait_for_function("caches.has('bruvet-board-1').then((kept) => !kept)")


def test_two_browsers_agree_and_one_thing_logged_twice_is_said(page: Page, running, engine, chromium, site) -> None:
    from bruvet.records.people import Person

    with Session(engine) as session:
        first = session.scalars(select(Person)).one()
        session.add(Person(name="Helper", password_hash=first.password_hash, role="helper"))
        session.commit()
    other_context = chromium.new_context(base_url=site)
    other = other_context.new_page()
    other.goto("/sign-in")
    other.fill("#name", "Helper")
    other.fill("#password", PASSWORD)
    other.click("main button")
    other.goto("/trials/1/board")
    page.goto("/trials/1/board")
    for one in (page, other):
        expect(one.locator("[data-ready]")).to_have_count(1)
    tap(page, "spritz")
    expect(other.locator("[data-part=events]")).to_contain_text("Spritz")
    tap(other, "spritz")
    expect(other.locator("[data-toast]")).to_contain_text("logged by somebody else too")
    expect(page.locator(".last-events li")).to_have_count(6)
    other_context.close()
    assert NAME != "Helper"


def test_the_arms_letter_then_the_actions_letter(page: Page, running, engine) -> None:
    page.goto("/trials/1/board")
    expect(page.locator("[data-ready]")).to_have_count(1)
    page.keyboard.press("b")
    page.keyboard.press("s")
    expect(page.locator("[data-part=events]")).to_contain_text("Spritz")
    page.keyboard.press("0")
    page.keyboard.press("t")
    expect(page.locator("[data-part=events]")).to_contain_text("Turn")
    assert events(engine) == [("B", "spritz"), ("A", "turn"), ("B", "turn")]
    page.keyboard.press("?")
    expect(page.locator("dialog.keys")).to_contain_text("Spritz, for arm A")


def test_a_call_is_answered_and_a_warning_quietened(page: Page, running, engine) -> None:
    with Session(engine) as session:
        now = datetime.now(UTC)
        words = {"f": "The pit of B is low.", "c": "The pit of B is low."}
        session.add(
            WatchRow(
                trial_id=1,
                key="pit-low B",
                kind="pit-low",
                letter="B",
                level="act",
                words=words,
                began_at=now,
                fired_at=now,
                last_at=now,
            )
        )
        session.commit()
    page.goto("/trials/1/board")
    call = page.locator(".call", has_text="Wrap A in foil?")
    expect(call).to_contain_text("the rule 140 °F")
    expect(page.locator(".watch")).to_contain_text("The pit of B is low")
    page.get_by_role("button", name="Seen").click()
    expect(page.locator(".watch")).to_have_count(0)
    call.get_by_role("button", name="Done").click()
    expect(page.locator(".call", has_text="Wrap A in foil?")).to_have_count(0)
    assert ("A", "wrap") in events(engine)
    page.goto("/trials/1/hand-over")
    expect(page.locator("main")).to_contain_text("Wrap A in foil?")


def test_the_board_works_without_script(chromium, site, running, engine) -> None:
    context = chromium.new_context(base_url=site, java_script_enabled=False)
    page = context.new_page()
    page.goto("/sign-in")
    page.fill("#name", NAME)
    page.fill("#password", PASSWORD)
    page.click("main button")
    page.goto("/trials/1/board")
    page.locator(".arm-chip:has([value=A])").click()
    page.locator("[data-act=spritz]").click()
    expect(page.get_by_role("status").first).to_contain_text("Spritz A is logged")
    context.close()
    assert events(engine) == [("A", "spritz")]


def test_a_trial_of_nothing_begins_with_meat_on(page: Page, engine) -> None:
    with Session(engine) as session:
        make_trial(session)
    page.goto("/trials/1/board")
    expect(page.locator("[data-ready]")).to_have_count(1)
    tap(page, "meat-on")
    expect(page.locator("[data-part=events]")).to_contain_text("Meat on")
    look(engine, {}, datetime.now(UTC))
    expect(page.locator("#lane-A")).to_contain_text("bare")
    with Session(engine) as session:
        assert len(session.get(Trial, 1).events) == 2
