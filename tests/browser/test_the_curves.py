"""The curves as a tester uses them: mark, zoom, align, hide, take away, and send the address on."""

from __future__ import annotations

import csv
import re

import pytest
from playwright.sync_api import Page, expect
from sqlalchemy.orm import Session

from made import make_trial


@pytest.fixture
def cooked(engine) -> None:
    with Session(engine) as session:
        make_trial(session, letters="ABC", readings=True)


def opened(page: Page, query: str = "") -> Page:
    page.goto(f"/trials/1/curves{query}")
    page.wait_for_selector("[data-chart][data-ready]")
    page.wait_for_selector("svg.picture")
    # What comes later than the curves moves what stands below it.
    page.wait_for_load_state("networkidle")
    return page


def drag(page: Page, selector: str, low: float, high: float) -> None:
    box = page.locator(selector).first.bounding_box()
    assert box
    y = box["y"] + box["height"] / 2
    page.mouse.move(box["x"] + low * box["width"], y)
    page.mouse.down()
    page.mouse.move(box["x"] + (low + high) / 2 * box["width"], y, steps=4)
    page.mouse.move(box["x"] + high * box["width"], y, steps=4)
    page.mouse.up()


@pytest.mark.parametrize("unit", ["f", "c"])
def test_a_stretch_dragged_on_one_chart_is_marked_on_all_and_in_the_address(page: Page, cooked, unit: str) -> None:
    if unit == "c":
        page.goto("/account")
        page.check("#temp-c")
        page.locator("form:has([name=temp_unit]) button").click()
    opened(page).click("[data-mark-button]")
    drag(page, ".u-over", 0.3, 0.6)
    expect(page.locator("[data-marked-table] tbody tr")).to_have_count(3)
    expect(page.locator("[data-picture=rate] .marked")).to_have_count(3)
    expect(page.locator("[data-picture=minus] .marked").first).to_be_attached()
    expect(page.locator("[data-picture=small] .marked").first).to_be_attached()
    expect(page.locator(".strip-marked")).to_have_count(3)
    assert re.search(r"[?&]b=\d", page.url)
    rows = page.locator("[data-marked-table]").inner_text()
    assert ("°F" if unit == "f" else "°C") in rows
    # The address opens the same view elsewhere.
    other = page.context.new_page()
    opened(other, "?" + page.url.split("?")[1])
    assert other.locator("[data-marked-table]").inner_text() == rows
    other.close()


def test_a_stretch_of_temperature_is_marked_by_dragging_or_by_typing(page: Page, cooked) -> None:
    opened(page)
    page.locator("[data-picture=lag]").scroll_into_view_if_needed()
    drag(page, "[data-picture=lag] svg.picture", 0.4, 0.7)
    expect(page.locator("[data-marked-table] tbody tr")).to_have_count(3)
    assert "bt=" in page.url
    page.fill("#bt", "100")
    page.fill("#et", "150")
    page.press("#et", "Enter")
    expect(page.locator("[data-marked-table]")).to_contain_text("100 °F to 150 °F")
    page.keyboard.press("Escape")
    page.goto("/trials/1/curves?bt=100&et=150")
    page.click("[data-unmark]")
    expect(page.locator("[data-marked-table]")).to_have_count(0)


def test_zoom_and_hidden_probes_are_in_the_address_and_come_back(page: Page, cooked) -> None:
    opened(page)
    drag(page, ".u-over", 0.25, 0.5)
    expect(page).to_have_url(re.compile("from="))
    first = page.locator("[data-chart-key] button").first
    first.click()
    expect(page).to_have_url(re.compile("hide="))
    other = page.context.new_page()
    opened(other, "?" + page.url.split("?")[1])
    expect(other.locator("[data-chart-key] button").first).to_have_attribute("aria-pressed", "false")
    assert "from=" in other.url
    other.click("[data-zoom=all]")
    expect(other).not_to_have_url(re.compile("from="))
    other.close()


def test_curves_are_aligned_shown_as_read_and_taken_away(page: Page, cooked, tmp_path) -> None:
    opened(page)
    page.select_option("#align", "share")
    page.click("text=Lay them so")
    page.wait_for_selector("[data-chart][data-ready]")
    expect(page.get_by_text("own share from meat on to pull")).to_be_visible()
    page.click("[data-raw-button]")
    expect(page).to_have_url(re.compile("raw=1"))
    page.wait_for_selector("[data-chart][data-ready]")
    with page.expect_download() as png:
        page.click("[data-png]")
    path = tmp_path / "curves.png"
    png.value.save_as(path)
    assert path.read_bytes().startswith(b"\x89PNG")
    with page.expect_download() as svg:
        page.click("a[data-take]:has-text('SVG')")
    svg.value.save_as(tmp_path / "curves.svg")
    assert "<svg" in (tmp_path / "curves.svg").read_text()
    with page.expect_download() as numbers:
        page.click("a[data-take]:has-text('CSV')")
    numbers.value.save_as(tmp_path / "series.csv")
    rows = list(csv.reader((tmp_path / "series.csv").open()))
    assert rows[0][0] == "% of the cook"
    assert len(rows) > 100


def test_the_page_is_whole_without_script_and_at_phone_width(chromium, site: str, cooked) -> None:
    from conftest import NAME, PASSWORD

    context = chromium.new_context(java_script_enabled=False, viewport={"width": 390, "height": 844}, base_url=site)
    page = context.new_page()
    page.goto("/sign-in")
    page.fill("#name", NAME)
    page.fill("#password", PASSWORD)
    page.click("main button")
    page.goto("/trials/1/curves?bt=100&et=150")
    expect(page.locator("[data-marked-table]")).to_be_visible()
    page.goto("/trials/1/curves/compare")
    expect(page.locator("svg.picture").first).to_be_visible()
    page.goto("/trials/1/curves/stall")
    page.check("input[value=rate]")
    page.fill("#rate", "7")
    page.click("text=Take this one")
    expect(page.get_by_text("A stall is now: slower than a set rate")).to_be_visible()
    context.close()


@pytest.mark.parametrize("width", [1280, 390])
def test_eight_arms_stand_on_a_page_that_holds_them(page: Page, engine, width: int) -> None:
    """Wide tables scroll by themselves; the page does not."""
    with Session(engine) as session:
        make_trial(session, letters="ABCDEFGH", readings=True)
    page.set_viewport_size({"width": width, "height": 800})
    opened(page)
    expect(page.locator("[data-definitions]")).to_be_visible()
    expect(page.locator("[data-why]").first).to_be_visible()
    assert page.evaluate("document.documentElement.scrollWidth") <= width
    page.locator("details.later summary").first.click()
    expect(page.locator("details.later [data-why]").first).to_be_visible()


def test_on_paper_stand_the_pictures_and_figures_and_nothing_to_press(page: Page, cooked) -> None:
    opened(page)
    expect(page.locator(".parts-of-time").first).to_be_visible()
    page.emulate_media(media="print")
    for what in (".curves-grid form", ".curves-grid .btn", ".curves-grid .row-head > a", "[data-marked-sheet]"):
        assert not [one for one in page.locator(what).all() if one.is_visible()], what
    for what in ("[data-chart] canvas", "svg.strip", ".parts-of-time", "[data-picture=lag] svg", "[data-figures]"):
        expect(page.locator(what).first).to_be_visible()
    expect(page.get_by_text("Here: slow, and slow for the heat on offer.")).to_be_visible()
