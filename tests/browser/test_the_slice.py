"""The whole slice as a person walks it: describe, bring in, mark, look at curves, taste, read the verdict."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect
from sqlalchemy.orm import Session

from conftest import NAME, PASSWORD
from made import make_trial

LOGS = Path(__file__).resolve().parents[2] / "demo" / "logs"


def describe_trial(page: Page, fahrenheit: bool) -> None:
    page.goto("/cookers")
    page.fill("#name", "The drum")
    page.select_option("#kind", "drum")
    page.get_by_role("button", name="Keep").click()
    expect(page.get_by_role("status")).to_contain_text("The drum is kept")
    page.get_by_role("link", name="Trials", exact=True).click()
    page.get_by_role("link", name="New trial").click()
    page.get_by_label("Title").fill("Collar at the slip")
    page.get_by_label("One question").fill("Is foil worth the bark?")
    page.get_by_label("What is changed").select_option("wrap")
    page.get_by_label("Date of the cook").fill("2026-05-02")
    page.get_by_label("Time zone").fill("Europe/Lisbon")
    page.get_by_label("What is held the same").fill("One collar, split")
    for arm, name in (("A", "foil"), ("B", "bare")):
        page.get_by_label(f"Short name, arm {arm}").fill(name)
        page.get_by_label(f"Cooker, arm {arm}").select_option(label="The drum")
        page.get_by_label(f"Pit target, arm {arm}").fill("250" if fahrenheit else "121")
    page.get_by_label("Wrap, arm A").select_option("temperature")
    page.get_by_label("Wrap in, arm A").select_option("foil")
    for row, weight in enumerate(("4.2", "4.5") if fahrenheit else ("1.92", "2.04")):
        page.locator(f"[name=p{row}-cut]").select_option("pork-collar")
        page.locator(f"[name=p{row}-trimmed]").fill(weight)
        page.locator(f"[name=p{row}-start]").fill("39" if fahrenheit else "4")
    page.get_by_role("button", name="Keep the trial").last.click()
    expect(page.get_by_role("status")).to_contain_text("The trial is kept")


def bring_in(page: Page, name: str, arm: str) -> None:
    page.get_by_role("link", name="Logs").click()
    page.set_input_files("#file", LOGS / name)
    page.get_by_role("button", name="Look at it").click()
    expect(page.get_by_role("heading", name=name)).to_be_visible()
    expect(page.locator("select[name=to-0] option:checked")).to_have_text(f"{arm}: the pit")
    expect(page.locator("select[name=to-1] option:checked")).to_have_text(f"{arm}1: inside the meat")
    page.get_by_role("button", name="Bring it in").click()
    expect(page.get_by_text("readings were added")).to_be_visible()


def mark(page: Page, kind: str, to: str, when: str, **more: str) -> None:
    page.get_by_label("What was done").select_option(kind)
    page.locator("#to").select_option(label=to)
    page.locator("#when").fill(when)
    for field, value in more.items():
        box = page.locator(f"#{field}")
        box.select_option(value) if field == "wrap_in" else box.fill(value)
    page.get_by_role("button", name="Add it").click()
    expect(page.get_by_role("status")).to_be_visible()


def taster(page: Page, name: str, preferred: str, a: str, b: str) -> None:
    page.locator("#name").fill(name)
    page.locator("#preferred").select_option(label=preferred)
    page.get_by_label("Bark of arm A").fill(a)
    page.get_by_label("Bark of arm B").fill(b)
    page.get_by_role("button", name="Keep it").click()
    expect(page.get_by_role("status")).to_contain_text(name)


@pytest.mark.parametrize("unit", ["°F", "°C"])
def test_from_logger_files_to_a_verdict(page: Page, unit: str) -> None:
    if unit == "°C":
        page.goto("/account")
        page.get_by_label("°C").check()
        page.get_by_label("kg and mm").check()
        page.get_by_role("button", name="Use these").click()
    describe_trial(page, fahrenheit=unit == "°F")
    bring_in(page, "collar-foil-controller.csv", "A")
    bring_in(page, "collar-bare-spreadsheet.csv", "B")
    page.get_by_role("link", name="Record", exact=True).click()
    expect(page.get_by_text("No meat-on yet for A, B")).to_be_visible()
    mark(page, "meat-on", "All arms", "7:40")
    mark(page, "wrap", "Arm A (foil)", "+3:48", wrap_in="foil", note="stock")
    mark(page, "pull", "Arm A (foil)", "12:58")
    mark(page, "pull", "Arm B (bare)", "6 h 35 min")
    expect(page.locator("#events tbody tr")).to_have_count(5)
    page.get_by_role("link", name="Curves").click()
    page.wait_for_selector("[data-ready]")
    figures = page.locator("[data-figures]")
    first = "to 140 °F" if unit == "°F" else "to 60 °C"
    expect(figures.get_by_role("row", name=re.compile(f"^{first}"))).to_be_visible()
    expect(figures.get_by_role("row", name=re.compile("^total"))).to_contain_text("6:35")
    page.get_by_role("link", name="Tasting").click()
    taster(page, "Mirela", "B (bare)", "5", "8")
    taster(page, "Jory", "B (bare)", "6", "7")
    page.get_by_role("link", name="Verdict").click()
    answer = page.locator(".answer")
    expect(answer).to_contain_text("A (foil) was 1 h 17 min faster than B (bare)")
    expect(answer).to_contain_text(
        "cannot be told Which is better to eat was judged only by people who knew which was which."
    )
    expect(answer).to_contain_text("the arms also differed in weight")
    expect(page.get_by_text("ran at").first).to_contain_text(unit)


@pytest.fixture
def trial(engine, page: Page) -> None:
    with Session(engine) as session:
        make_trial(session, readings=True)


def test_curves_zoom_hide_and_take_a_moment_for_an_entry(page: Page, trial) -> None:
    page.goto("/trials/1/curves")
    page.wait_for_selector("[data-ready]")
    keys = page.locator("[data-chart-key] button")
    expect(keys).to_have_count(4)
    keys.nth(1).click()
    expect(keys.nth(1)).to_have_attribute("aria-pressed", "false")
    keys.nth(1).click()
    page.keyboard.press("b")
    expect(page.get_by_role("button", name="B1 middle")).to_have_attribute("aria-pressed", "false")
    page.keyboard.press("b")
    page.keyboard.press("Shift+A")
    expect(page.get_by_role("button", name="A pit, grate")).to_have_attribute("aria-pressed", "false")
    page.keyboard.press("Shift+A")
    box = page.locator("[data-chart] .u-over").bounding_box()
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + 100)
    expect(page.locator("[data-at]")).to_contain_text("in (A ")
    assert re.search(r"\d", keys.nth(0).locator("output").inner_text())
    page.mouse.click(box["x"] + box["width"] / 2, box["y"] + 100)
    expect(page.locator("#when")).to_have_value(re.compile(r"^\+3:\d\d$"))
    with page.expect_response(re.compile(r"data\.json\?from")):
        page.mouse.move(box["x"] + 100, box["y"] + 100)
        page.mouse.down()
        page.mouse.move(box["x"] + 250, box["y"] + 100, steps=5)
        page.mouse.up()
    with page.expect_response(re.compile(r"curves/strip\?")):
        page.get_by_role("button", name="All of it").click()


def test_a_marked_event_can_be_removed_and_brought_back(page: Page, trial) -> None:
    page.goto("/trials/1/record")
    rows = page.locator("#events tbody tr")
    expect(rows).to_have_count(4)
    page.get_by_role("button", name=re.compile("^Remove Pull")).first.click()
    expect(rows).to_have_count(3)
    page.get_by_role("button", name="Undo").click()
    expect(rows).to_have_count(4)


def painted(page: Page) -> None:
    """Chromium drops keys that come before a new page's first frame; a person sees the page before typing."""
    page.evaluate("new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)))")


def test_the_keyboard_reaches_the_steps_and_lists_itself(page: Page, trial) -> None:
    page.goto("/trials/1")
    expect(page.locator("[data-help]")).to_be_visible()
    page.keyboard.press("?")
    expect(page.get_by_role("dialog")).to_contain_text("Verdict")
    page.keyboard.press("Escape")
    painted(page)
    page.keyboard.press("8")
    expect(page).to_have_url(re.compile("/trials/1/verdict$"))
    # The ? in the corner shows once the page listens to keys.
    expect(page.locator("[data-help]")).to_be_visible()
    painted(page)
    page.keyboard.press("5")
    expect(page).to_have_url(re.compile("/trials/1/record$"))
    page.locator("#when").focus()
    page.keyboard.type("6")
    expect(page).to_have_url(re.compile("/trials/1/record$"))
    page.keyboard.press("Enter")
    expect(page.get_by_text("'6' is not a time").first).to_be_visible()


def test_the_keyboard_alone_signs_in_and_moves_on(chromium, site: str) -> None:
    context = chromium.new_context(base_url=site)
    page = context.new_page()
    page.goto("/sign-in")
    page.keyboard.type(NAME)
    page.keyboard.press("Tab")
    page.keyboard.type(PASSWORD)
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Trials")).to_be_visible()
    page.keyboard.press("Tab")
    expect(page.get_by_role("link", name="Skip to the page")).to_be_focused()
    context.close()


def test_the_plain_forms_work_without_script(chromium, site: str) -> None:
    context = chromium.new_context(base_url=site, java_script_enabled=False)
    page = context.new_page()
    page.goto("/sign-in")
    page.fill("#name", NAME)
    page.fill("#password", PASSWORD)
    page.click("main button")
    describe_trial(page, fahrenheit=True)
    bring_in(page, "collar-foil-controller.csv", "A")
    page.get_by_role("link", name="Record", exact=True).click()
    mark(page, "meat-on", "All arms", "7:40")
    mark(page, "pull", "Arm A (foil)", "+5:19")
    page.get_by_role("link", name="Curves").click()
    expect(page.locator("[data-figures]").get_by_role("row", name=re.compile("^total"))).to_contain_text("5:19")
    page.get_by_role("link", name="Verdict").click()
    expect(page.locator(".key-figures").get_by_role("row", name=re.compile("^meat on to pull"))).to_contain_text("5:19")
    context.close()


@pytest.mark.parametrize("step", ["", "/logs", "/record", "/curves", "/tasting", "/cutting", "/panels", "/verdict"])
def test_no_page_is_wider_than_a_phone_and_targets_are_large(page: Page, trial, step: str) -> None:
    page.set_viewport_size({"width": 390, "height": 844})
    page.goto(f"/trials/1{step}")
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
    for button in page.locator("main .btn-primary:visible").all():
        assert button.bounding_box()["height"] >= 44


def test_night_is_dark_and_stays_chosen(page: Page) -> None:
    page.goto("/")
    page.get_by_role("button", name="Night").click()
    expect(page.locator("html")).to_have_attribute("data-theme", "night")
    ground = page.evaluate("getComputedStyle(document.body).backgroundColor")
    assert max(int(part) for part in re.findall(r"\d+", ground)) < 16
    page.goto("/cookers")
    expect(page.locator("html")).to_have_attribute("data-theme", "night")


def test_a_large_file_is_read_by_the_worker_with_a_progress_bar(
    page: Page, trial, database_url: str, monkeypatch
) -> None:
    import asyncio
    import threading

    import procrastinate

    from bruvet.work.jobs import queue

    monkeypatch.setenv("DATABASE_URL", database_url)
    rows = "".join(f"{minute},{110 + minute % 5}.{'0' * 40}\n" for minute in range(70_000))
    page.goto("/trials/1/logs")
    page.set_input_files(
        "#file", {"name": "long.csv", "mimeType": "text/csv", "buffer": f"seconds,A pit C\n{rows}".encode()}
    )
    page.get_by_role("button", name="Look at it").click()
    page.locator("#zero").fill("2026-05-02T20:00")
    page.get_by_role("button", name="Bring it in").click()
    expect(page.get_by_text("Waiting for its turn")).to_be_visible()

    def work() -> None:
        connector = procrastinate.PsycopgConnector(conninfo=database_url.replace("+psycopg", ""))
        with queue.replace_connector(connector) as app:

            async def once() -> None:
                async with app.open_async():
                    await app.run_worker_async(wait=False, install_signal_handlers=False)

            asyncio.run(once())

    worker = threading.Thread(target=work)
    worker.start()
    expect(page.get_by_text("70,000 readings were added")).to_be_visible(timeout=30_000)
    worker.join()
