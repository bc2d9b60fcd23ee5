"""The what-if bench and the forecast under the curves, as a person uses them."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect
from sqlalchemy.orm import Session

from made import make_trial


def finishes(page: Page) -> list[str]:
    return page.locator("[data-told] tbody tr").first.locator("b").all_inner_texts()


def test_a_changed_field_changes_the_answer_and_the_address(page: Page) -> None:
    page.goto("/what-if")
    expect(page.get_by_role("heading", name="What if")).to_be_visible()
    first = finishes(page)
    page.get_by_label("Pit, °F, case A").fill("300")
    page.keyboard.press("Tab")
    expect(page.locator("[data-told] tbody tr").first.locator("b").first).not_to_have_text(first[0])
    assert finishes(page)[1] == first[1], "the other case stays"
    expect(page).to_have_url(re.compile("1-pit=300"))
    expect(page.locator(".why")).to_contain_text("takes")
    page.reload()
    expect(page.get_by_label("Pit, °F, case A")).to_have_value("300")


def test_what_cannot_be_read_is_said_and_mended_in_place(page: Page) -> None:
    page.goto("/what-if")
    page.get_by_label("Weight, lb, case B").fill("a lot")
    page.keyboard.press("Tab")
    expect(page.get_by_role("alert")).to_contain_text("'a lot' is not a number")
    page.get_by_label("Weight, lb, case B").fill("9")
    page.keyboard.press("Tab")
    expect(page.get_by_role("alert")).to_have_count(0)


def test_cases_become_a_plan_with_what_was_changed_last(page: Page) -> None:
    page.goto("/what-if")
    page.get_by_label("Pit, °F, case B").fill("275")
    page.keyboard.press("Tab")
    expect(page).to_have_url(re.compile("2-pit=275"))
    page.get_by_role("button", name="Another case").click()
    expect(page.get_by_label("Cut, case C")).to_be_visible()
    page.get_by_role("button", name="Make it the plan").click()
    expect(page.get_by_role("status")).to_contain_text("The cases are a plan now")
    expect(page.get_by_label("Pit target, arm B")).to_have_value("275")


def test_the_bench_works_on_a_phone(page: Page) -> None:
    page.set_viewport_size({"width": 390, "height": 844})
    page.goto("/what-if")
    expect(page.locator("svg.told")).to_be_visible()
    assert page.evaluate("document.documentElement.scrollWidth") <= 392


def test_the_bench_works_without_script(chromium, site) -> None:
    from conftest import NAME, PASSWORD

    context = chromium.new_context(java_script_enabled=False, base_url=site)
    page = context.new_page()
    page.goto("/sign-in")
    page.fill("#name", NAME)
    page.fill("#password", PASSWORD)
    page.click("main button")
    page.goto("/what-if")
    before = finishes(page)
    page.get_by_label("Wrap, case A").select_option("paper")
    page.get_by_role("button", name="Work it out").click()
    assert finishes(page) != before
    page.get_by_role("link", name="What each difference is worth").click()
    expect(page.locator("main")).to_contain_text("takes")
    context.close()


def test_the_forecast_from_before_lies_under_the_curves_when_asked(page: Page, engine) -> None:
    with Session(engine) as session:
        make_trial(session, readings=True)
    page.goto("/trials/1/curves")
    button = page.get_by_role("button", name="Forecast from before")
    expect(button).to_be_visible()
    expect(page.locator("[data-help]")).to_be_visible()
    page.keyboard.press("f")
    expect(page.locator("[data-told-words]")).to_contain_text("A1 done at")
    expect(button).to_have_attribute("aria-pressed", "true")
    page.get_by_role("button", name="Closer").click()
    expect(page.locator("[data-told-words]")).to_be_visible()
    button.click()
    expect(page.locator("[data-told-words]")).to_be_hidden()
    expect(page.get_by_text("Where the difference in time comes from")).to_be_visible()


def test_a_station_is_set_up_by_hand(page: Page, engine) -> None:
    with Session(engine) as session:
        make_trial(session)
    page.goto("/trials/1/logs")
    page.get_by_role("link", name="stations and where their probes sit").click()
    page.get_by_label("Name of a new one").fill("Yard")
    page.get_by_role("button", name="Add it").click()
    expect(page.locator("code.token")).to_contain_text("st_")
    page.get_by_label("Channel").fill("2")
    page.get_by_label("Sits in").select_option(label="A1, in the meat")
    page.get_by_role("button", name="Put it there").click()
    expect(page.get_by_role("status")).to_contain_text("sits at A1 middle")
    page.get_by_role("button", name="Take it out").click()
    expect(page.get_by_role("status")).to_contain_text("sits nowhere from now on")


def test_a_day_is_planned_from_nothing_to_the_sheet_for_the_wall(page: Page, engine) -> None:
    from datetime import datetime, timedelta

    with Session(engine) as session:
        trial = make_trial(session)
        for arm in trial.arms:
            arm.done_at_c = 93.0
        session.commit()
    page.goto("/trials/1")
    page.get_by_role("link", name="Day", exact=True).click()
    expect(page.get_by_text("Give a serving time, or a start")).to_be_visible()
    page.get_by_label("on", exact=True).fill(f"{datetime.now() + timedelta(days=3):%Y-%m-%d}")
    page.get_by_label("at", exact=True).fill("18:00")
    page.keyboard.press("Enter")
    expect(page.get_by_text("What to do when")).to_be_visible()
    expect(page.locator(".day-strip")).to_be_visible()
    expect(page.get_by_text("Nothing should need a hand for")).to_be_visible()
    page.emulate_media(media="print")
    expect(page.get_by_role("button", name="Sheet for the wall")).to_be_hidden()
    expect(page.locator(".tasks")).to_be_visible()
    page.emulate_media(media="screen")
    page.get_by_label("All arms").select_option("start")
    page.get_by_role("button", name="Work the day out").click()
    expect(page.get_by_label("All arms")).to_have_value("start")
