"""From the carving board to a verdict that a sceptic may read: photos to scale, paper, print, a link that dies."""

from __future__ import annotations

import io
import re

import pytest
from PIL import Image
from playwright.sync_api import Page, expect
from pypdf import PdfReader
from sqlalchemy.orm import Session

from made import make_trial


@pytest.fixture
def trial(engine) -> None:
    with Session(engine) as session:
        make_trial(session, readings=True)


def photo(tmp_path, width: int):
    path = tmp_path / f"{width}.png"
    Image.new("RGB", (width, 300), (130, 70, 50)).save(path)
    return path


def test_what_was_seen_and_photos_that_are_scaled_by_two_clicks(page: Page, trial, tmp_path) -> None:
    page.goto("/trials/1/tasting")
    page.get_by_role("link", name="Cut and look").click()
    page.get_by_label("Bend of a slice of A1").select_option("cracks")
    page.get_by_label("Smoke ring, mm of A1").fill("5")
    page.get_by_role("button", name="Keep it").click()
    expect(page.get_by_role("status")).to_contain_text("is kept")
    for letter in "AB":
        page.set_input_files("#photo", photo(tmp_path, 600))
        page.select_option("#photo-arm", letter)
        page.select_option("#photo-view", "slice")
        page.get_by_role("button", name="Add the photo").click()
        expect(page.get_by_role("status")).to_contain_text("The photo is kept")
    # Half of the picture's width is 60 mm, so the whole is 120.
    image = page.locator("[data-scaled]").first
    box = image.bounding_box()
    image.click(position={"x": box["width"] * 0.25, "y": 20})
    image.click(position={"x": box["width"] * 0.75, "y": 20})
    form = page.locator(".photos figure").first
    form.locator("[data-known]").fill("60")
    assert float(form.locator("[name=spans]").input_value()) == pytest.approx(120, rel=0.03)
    form.get_by_role("button", name="Keep").click()
    expect(page.locator("figure.scaled image")).to_have_count(1)
    page.locator(".photos figure").nth(1).locator("[name=spans]").fill("60")
    page.locator(".photos figure").nth(1).get_by_role("button", name="Keep").click()
    expect(page.locator("figure.scaled image")).to_have_count(2)
    wide = [float(one.get_attribute("width")) for one in page.locator("figure.scaled image").all()]
    assert wide[0] / wide[1] == pytest.approx(2, rel=0.03), "the same millimetre is as long in both"
    page.goto("/trials/1/verdict")
    expect(page.get_by_text("A (way A). Bend: cracks; smoke ring: 5 mm.")).to_be_visible()
    expect(page.locator("figure.scaled image").first).to_be_visible()


def test_a_paper_ballot_and_questions_of_ones_own(page: Page, trial) -> None:
    page.goto("/trials/1/panels")
    page.fill("#title", "Kitchen table")
    page.fill("#expected", "12")
    page.get_by_role("button", name="What fits these people").click()
    expect(page.locator("#advice")).to_contain_text("10 of 12 must agree")
    expect(page.locator("#title")).to_have_value("Kitchen table")
    page.fill("#expected", "2")
    page.fill("#paper", "1")
    page.fill("#notice", "Pork.")
    page.get_by_text("Questions of your own").click()
    page.get_by_label("Name of own question 1").fill("Crackle")
    page.get_by_label("Word at 1 of own question 1").fill("soft")
    page.get_by_label("Word at 9 of own question 1").fill("shatters")
    page.fill("#keep_as", "Belly")
    page.check("[name=scale-overall]")
    page.check("[name=test-prefer]")
    page.get_by_role("button", name="Make it").click()
    page.get_by_role("button", name="Let people in").click()
    # From the paper of number 2, by keyboard alone.
    page.locator("#number").select_option("2")
    page.fill("#name", "Odo")
    page.get_by_role("button", name="Type it in").click()
    expect(page.get_by_text("Ballot 2, Odo")).to_be_visible()
    for group in page.locator("fieldset.scale, fieldset.choices").all():
        group.locator("input").nth(1).focus()
        page.keyboard.press("Space")
    page.get_by_role("button", name="Keep and send").click()
    expect(page.get_by_role("heading", name="Thank you")).to_be_visible()
    page.get_by_role("link", name="Back to the tasting").click()
    expect(page.locator("[data-inside]")).to_contain_text("1 of 1 inside")
    page.check("[name=sure]")
    page.get_by_role("button", name="Open the envelope").click()
    expect(page.get_by_text("1 blind ballot;").or_(page.get_by_text("1 blind ballot."))).to_be_visible()
    expect(page.locator("svg.bars")).to_contain_text("Crackle")
    page.goto("/trials/1/panels")
    expect(page.locator("#starter")).to_contain_text("Belly (own)")


def test_the_verdict_prints_and_is_read_by_a_link_until_it_is_withdrawn(page: Page, trial, chromium, site) -> None:
    page.goto("/trials/1/verdict")
    expect(page.locator(".answer")).to_contain_text("hinted")
    printed = PdfReader(io.BytesIO(page.pdf(format="A4")))
    text = " ".join(" ".join(one.extract_text() for one in printed.pages).split())
    assert len(printed.pages) <= 2
    assert "A (way A) was 1 h faster than B (way B)" in text
    for not_printed in ("Make a link", "Keep them", "Plan another day"):
        assert not_printed not in text
    page.fill("#given_to", "my brother in law")
    page.get_by_role("button", name="Make a link").click()
    link = page.locator("[data-new-link]").inner_text()
    reader = chromium.new_context(viewport={"width": 390, "height": 844})
    friend = reader.new_page()
    friend.goto(link)
    expect(friend.locator(".answer")).to_contain_text("A (way A) was 1 h faster")
    assert friend.evaluate("document.documentElement.scrollWidth") <= 392
    assert friend.locator("form").count() == 0
    page.get_by_role("button", name="Withdraw my brother in law").click()
    expect(page.get_by_role("status")).to_contain_text("The link is dead")
    friend.reload()
    expect(friend.get_by_role("heading", name="This link is dead")).to_be_visible()
    assert not re.search("way A", friend.content())
    reader.close()


def test_a_verdict_without_script(chromium, site, trial, engine) -> None:
    from conftest import NAME, PASSWORD

    context = chromium.new_context(java_script_enabled=False, base_url=site)
    page = context.new_page()
    page.goto("/sign-in")
    page.fill("#name", NAME)
    page.fill("#password", PASSWORD)
    page.click("main button")
    page.goto("/trials/1/panels")
    page.fill("#expected", "20")
    page.get_by_role("button", name="What fits these people").click()
    expect(page.locator("#advice")).to_contain_text("15 of 20 must agree")
    page.goto("/trials/1/verdict")
    page.get_by_role("button", name="Make a link").click()
    expect(page.locator("[data-new-link]")).to_be_visible()
    context.close()
