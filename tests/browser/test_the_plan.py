"""A tester plans Saturday at six, two cookers side by side, from nothing to the sheet for the wall."""

from __future__ import annotations

import re
from datetime import UTC, datetime, timedelta

import pytest
from playwright.sync_api import Page, expect
from sqlalchemy.orm import Session

from bruvet.records.models import Cooker, Trial


@pytest.fixture
def cookers(engine) -> None:
    with Session(engine) as session:
        session.add_all([Cooker(name="The drum", kind="drum"), Cooker(name="The pellet pit", kind="pellet")])
        session.commit()


def planned(page: Page) -> None:
    """A two-cooker trial from a protocol, unfair as people make them: another rub in one of them."""
    page.goto("/")
    page.get_by_role("link", name="From a protocol").click()
    page.get_by_role("link", name="Two cookers, one meat").click()
    page.get_by_label("Title").fill("Saturday at six")
    page.get_by_label("Cooker, arm A").select_option(label="The drum")
    page.get_by_label("Cooker, arm B").select_option(label="The pellet pit")
    page.get_by_label("Rub, arm A").fill("2 pepper, 1 salt")
    page.get_by_label("Rub, arm B").fill("2 pepper, 1 salt, 1 brown sugar")
    for number in (0, 1):
        page.locator(f"#p{number}-trimmed").fill(("8", "9.5")[number])
        page.locator(f"#p{number}-start").fill("40")
    page.get_by_role("button", name="Keep the trial").last.click()
    expect(page.get_by_role("status").first).to_contain_text("The trial is kept")


def test_from_nothing_to_the_sheet_for_the_wall(page: Page, cookers, engine) -> None:
    planned(page)
    expect(page.locator("[data-fair]")).to_contain_text("cannot answer the question, because rub")
    expect(page.locator("[data-fair]")).to_contain_text("one rub, mixed once")
    page.get_by_role("link", name="Change", exact=True).click()
    page.get_by_label("Rub, arm B").fill("2 pepper, 1 salt")
    page.get_by_role("button", name="Keep the trial").last.click()
    expect(page.locator("[data-fair]")).to_contain_text("Fair with these reservations: weight (worth about")
    page.get_by_role("link", name="The whole ledger").click()
    expect(page.locator("tr.is-differs")).to_have_count(1)
    expect(page.locator("tr.is-differs")).to_contain_text(re.compile(r"B \+\d:\d\d"))
    page.get_by_role("link", name="Protocol", exact=True).click()
    page.get_by_role("link", name="Change", exact=True).click()
    page.locator("#p1-trimmed").fill("8.1")
    page.get_by_role("button", name="Keep the trial").last.click()
    expect(page.locator("[data-fair]")).to_contain_text("Fair: nothing that is known differs")

    page.get_by_role("link", name="Day", exact=True).click()
    day = datetime.now(UTC) + timedelta(days=3)
    page.get_by_label("on", exact=True).fill(f"{day:%Y-%m-%d}")
    page.get_by_label("at", exact=True).fill("18:00")
    page.get_by_role("button", name="Work the day out").click()
    worked = page.locator("#worked")
    expect(worked).to_contain_text(re.compile(r"every arm is ready on \d\d days in 100"))
    for words in ("Light the drum", "Light the pellet pit", "Meat on", "Serve"):
        expect(worked).to_contain_text(words)
    page.emulate_media(media="print")
    expect(page.get_by_role("button", name="Work the day out")).to_be_hidden()
    expect(worked.locator("svg.day-strip")).to_be_visible()
    page.emulate_media(media="screen")
    with page.expect_download() as caught:
        page.get_by_role("link", name="Calendar with alarms").click()
    assert caught.value.path().read_bytes().startswith(b"BEGIN:VCALENDAR")


def test_a_task_dragged_along_the_strip_is_worked_out_anew(page: Page, cookers, engine) -> None:
    planned(page)
    with Session(engine) as session:
        trial = session.get(Trial, 1)
        trial.serve_at = (datetime.now(UTC) + timedelta(days=3)).replace(hour=18, minute=0, second=0, microsecond=0)
        session.commit()
    page.goto("/trials/1/day")
    task = page.locator('[data-task="trim A"] .reach')
    before = page.get_by_label("Trim A at").input_value()
    box = task.bounding_box()
    assert box
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] / 2 - 60, box["y"] + box["height"] / 2, steps=4)
    page.mouse.up()
    expect(page.get_by_role("button", name="Let go of 1 held time")).to_be_visible()
    after = page.get_by_label("Trim A at").input_value()
    assert after != before
    assert int(after[3:]) % 5 == 0
    page.get_by_label("Trim A at").fill("04:40")
    page.get_by_role("button", name="Work out with these times").click()
    expect(page.locator('input.held[value="04:40"]')).to_be_visible()
    page.get_by_role("button", name="Let go of 1 held time").click()
    expect(page.get_by_label("Trim A at")).to_have_value(before)


def test_the_plans_pages_fit_a_phone(page: Page, cookers) -> None:
    planned(page)
    page.set_viewport_size({"width": 390, "height": 844})
    for part in ("", "/ledger", "/ledger?fill=1", "/lots", "/labels", "/how-many", "/quantities", "/day"):
        page.goto(f"/trials/1{part}")
        expect(page.locator("main h1, main h2, .trial-head h1").first).to_be_visible()
        assert page.evaluate("document.documentElement.scrollWidth") <= 392, part
