"""`./bruvet shots`: one picture of each main view, from the demo data, into docs/screenshots."""

from __future__ import annotations

import os
from pathlib import Path
from typing import TYPE_CHECKING

from .cluster import free_port
from .packages import ensure_chromium, say
from .serving import child, end, prepare, stoppable, throwaway_cluster, wait_until_up, web_command

if TYPE_CHECKING:
    from playwright.sync_api import Page

FOLDER = Path(__file__).resolve().parents[3] / "docs" / "screenshots"
BENCH, PHONE = (1280, 800), (390, 844)
COLLAR, LAMB, TURKEY, CHEEKS, RUNNING = 1, 2, 3, 4, 17

# name, address, size, night
VIEWS = (
    ("trials", "/", BENCH, False),
    ("plan", f"/trials/{COLLAR}", BENCH, False),
    ("plan-form", f"/trials/{COLLAR}/edit", BENCH, False),
    ("logs-columns", f"/trials/{TURKEY}/logs", BENCH, False),
    ("record", f"/trials/{LAMB}/record", BENCH, False),
    ("curves", f"/trials/{LAMB}/curves", BENCH, False),
    ("curves-forecast", f"/trials/{RUNNING}/curves", BENCH, False),
    ("ledger", f"/trials/{LAMB}/ledger", BENCH, False),
    ("quantities", f"/trials/{CHEEKS}/quantities", BENCH, False),
    ("lots", f"/trials/{CHEEKS}/lots", BENCH, False),
    ("how-many", f"/trials/{CHEEKS}/how-many", BENCH, False),
    ("day", f"/trials/{CHEEKS}/day", BENCH, False),
    ("what-if", "/what-if", BENCH, False),
    ("board", f"/trials/{RUNNING}/board", BENCH, False),
    ("board-night", f"/trials/{RUNNING}/board", PHONE, True),
    ("panel", f"/trials/{COLLAR}/panels/1", BENCH, False),
    ("ballot", "/taste", PHONE, False),
    ("tasting", f"/trials/{LAMB}/panels/2/results", BENCH, False),
    ("verdict", f"/trials/{LAMB}/verdict", BENCH, False),
)


def browser_options() -> dict[str, object]:
    """How to start Debian's Chromium, without a sandbox when root."""
    flags = ["--disable-gpu", "--disable-quic", "--disable-background-networking", "--disable-component-update"]
    if os.geteuid() == 0:
        flags.append("--no-sandbox")
    return {"executable_path": ensure_chromium(), "args": flags}


def _learn(url: str) -> None:
    """What the worker would do by and by: learn from every finished cook."""
    from bruvet.core.units import Units
    from bruvet.records.models import Trial
    from bruvet.records.store import open_engine, session_scope
    from bruvet.work.analysis import TrialFacts
    from bruvet.work.forecasts import learn_from, to_learn_from

    engine = open_engine(url)
    with session_scope(engine) as session:
        for trial_id in to_learn_from(session):
            trial = session.get(Trial, trial_id)
            assert trial is not None
            learn_from(TrialFacts(session, trial, Units()))
    engine.dispose()


def _work_out(url: str) -> None:
    """What the watcher and the worker do, once: the boards as they stand, every arm told ahead."""
    from datetime import UTC, datetime

    from bruvet.records.models import Arm
    from bruvet.records.store import open_engine, session_scope
    from bruvet.work.live import tell_ahead
    from bruvet.work.watcher import look

    engine = open_engine(url)
    arms: list[int] = []
    look(engine, {}, datetime.now(UTC), arms.extend)
    with session_scope(engine) as session:
        for arm_id in arms:
            arm = session.get(Arm, arm_id)
            if arm is not None:
                tell_ahead(session, arm, datetime.now(UTC))
    look(engine, {}, datetime.now(UTC))
    engine.dispose()


def _come_in(page: Page, code: str) -> None:
    """Join a tasting as a panellist does, and tap an answer."""
    page.fill("#code", code)
    page.click("text=Go on")
    page.fill("#name", "Dunja")
    page.check("[name=consent]")
    page.click("text=Begin")
    page.locator("fieldset.scale").first.locator("label").nth(6).click()
    page.wait_for_selector("[data-kept]:has-text('kept')")


def shoot() -> None:
    from playwright.sync_api import sync_playwright

    from bruvet.work.demo import LOGS, NAME, PASSWORD

    FOLDER.mkdir(parents=True, exist_ok=True)
    with stoppable(), throwaway_cluster() as cluster:
        cluster.ensure_database("shots")
        url = cluster.url("shots")
        say("Loading the demo")
        prepare(url, demo=True)
        _learn(url)
        address = f"127.0.0.1:{free_port()}"
        processes = [
            child("shots", web_command(address), {"DATABASE_URL": url, "BRUVET_SECRET": "only for the pictures"})
        ]
        try:
            wait_until_up(address, processes)
            with sync_playwright() as playwright:
                browser = playwright.chromium.launch(**browser_options())  # type: ignore[arg-type]
                page = browser.new_page()
                page.goto(f"http://{address}/sign-in")
                page.fill("#name", NAME)
                page.fill("#password", PASSWORD)
                page.click("main button")
                night, code = False, ""
                for name, where, (width, height), at_night in VIEWS:
                    page.set_viewport_size({"width": width, "height": height})
                    page.goto(f"http://{address}{where}")
                    if at_night != night:
                        page.click(".top-end form button")
                        night = at_night
                    if name == "panel":
                        code = page.inner_text(".join-code").replace(" ", "")
                    if name == "ballot":
                        _come_in(page, code)
                    if name == "logs-columns":
                        page.set_input_files("#file", LOGS / "turkey-drum-controller.csv")
                        page.click("text=Look at it")
                    if name.startswith("board"):
                        _work_out(url)
                        page.reload()
                    if "curves" in name or name.startswith("board"):
                        page.wait_for_selector("[data-ready]")
                    if name == "curves-forecast":
                        page.click("[data-told-button]")
                        page.wait_for_selector("[data-told-words]:not([hidden])")
                    if "curves" in name:
                        page.wait_for_selector("[data-aligned]")
                    page.evaluate("document.fonts.ready.then(() => true)")
                    page.screenshot(path=FOLDER / f"{name}.png")
                    say(f"  {name}.png")
                browser.close()
        finally:
            end(processes)
