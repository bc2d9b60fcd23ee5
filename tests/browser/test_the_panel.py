"""A host and six phones: one goes offline, one reloads, one tries another's address; then the envelope."""

from __future__ import annotations

import re

from playwright.sync_api import BrowserContext, Page, expect
from sqlalchemy.orm import Session

from made import make_trial

PHONE = {"width": 390, "height": 844}


def answer_page(phone: Page, choice: int) -> bool:
    """Answer what is asked by tapping, and go on; whether that was the last page."""
    for fieldset in phone.locator("fieldset.scale").all():
        fieldset.locator("label").nth(choice % fieldset.locator("label").count()).click()
    if phone.locator(".choices label").count():
        phone.locator(".choices label").nth(choice % 2).click()
    expect(phone.locator("[data-kept]")).not_to_contain_text("until the connection")
    last = phone.locator("button[value=send]")
    if last.count():
        if phone.locator("[name=sure]").count():
            phone.check("[name=sure]")
        last.click()
        return True
    phone.locator("[data-next]").click()
    return False


def test_a_host_and_six_phones(page: Page, chromium, site: str, engine) -> None:
    with Session(engine) as session:
        make_trial(session)
    page.goto("/trials/1/tasting")
    page.get_by_role("link", name="A blind tasting").click()
    page.fill("#expected", "6")
    page.fill("#notice", "Pork, mustard.")
    page.select_option("#starter", "pulled")
    page.check("[name=test-prefer]")
    page.get_by_role("button", name="Make it").click()
    page.get_by_role("button", name="Let people in").click()
    code = re.sub(r"\s", "", page.locator(".join-code").inner_text())
    contexts: list[BrowserContext] = [chromium.new_context(viewport=PHONE, base_url=site) for _ in range(6)]
    phones = []
    for number, context in enumerate(contexts):
        phone = context.new_page()
        phone.goto("/taste")
        phone.fill("#code", code)
        phone.get_by_role("button", name="Go on").click()
        phone.fill("#name", f"Phone {number}")
        phone.check("[name=consent]")
        phone.get_by_role("button", name="Begin").click()
        phone.wait_for_selector("h1.code")
        phones.append(phone)
    # One loses the yard's Wi-Fi while it answers: what was tapped waits, and goes out once.
    offline = phones[0]
    contexts[0].set_offline(True)
    offline.locator("fieldset.scale").first.locator("label").nth(6).click()
    expect(offline.locator("[data-kept]")).to_contain_text("until the connection is back")
    contexts[0].set_offline(False)
    expect(offline.locator("[data-kept]")).to_contain_text("kept")
    offline.reload()
    expect(offline.locator("fieldset.scale").first.locator("input").nth(6)).to_be_checked()
    # One tries another's address with a letter changed.
    other = phones[1].url.replace("/ballot/", "/ballot/x")
    assert phones[2].request.get(other).status == 404
    for number, phone in enumerate(phones):
        for _ in range(9):
            if answer_page(phone, number):
                break
        expect(phone.get_by_role("heading", name="Thank you")).to_be_visible()
    page.goto("/trials/1/panels/1")
    expect(page.locator("[data-inside]")).to_contain_text("6 of 6 inside")
    assert "Phone 1" not in page.content()
    page.check("[name=sure]")
    page.get_by_role("button", name="Open the envelope").click()
    expect(page.get_by_text("6 blind ballots")).to_be_visible()
    expect(page.get_by_role("heading", name="Which do you prefer?")).to_be_visible()
    page.goto("/trials/1/verdict")
    expect(page.get_by_text("6 tasters were asked, 6 of them without knowing")).to_be_visible()
    for context in contexts:
        context.close()
