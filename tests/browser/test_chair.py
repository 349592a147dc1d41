"""At the chair, by hand: what the client says is answered, a timed step is not overrun in silence, STOP asks why and
ends it.
"""

import re

import pytest
from playwright.sync_api import Browser, expect

from builders.browser import signed_in_page, violations
from builders.server import Server, sign_in
from builders.visits import begun, booked, ready_to_begin, sent, tap


@pytest.fixture(scope="module")
def visit(server: Server) -> str:
    return ready_to_begin(sign_in(server.url, "tomas"), "Yuki Tanabe-Ross")


def test_the_chair_answers_warns_and_stops(browser: Browser, server: Server, visit: str) -> None:
    with signed_in_page(browser, server, "tomas") as page:
        page.goto(f"{server.url}/visits/{visit}/treat")
        expect(page.get_by_role("button", name="STOP", exact=True)).to_be_disabled()
        expect(page.locator("#main-act")).to_have_text("Start the clock")
        page.keyboard.press("Space")
        page.keyboard.press("n")
        expect(page.locator("#title")).to_have_text("Lift, right")
        level = float(page.locator("#level").inner_text())
        page.keyboard.press("3")
        expect(page.locator("#alarm")).to_have_text("One step down now; more gel.")
        page.keyboard.press("ArrowDown")
        expect(page.locator("#level")).to_have_text(f"{max(1, level - 0.5):g}")
        page.keyboard.press("4")
        expect(page.locator("#alarm")).to_contain_text("Stop if it comes again")
        page.keyboard.press("n")
        page.keyboard.press("b")
        expect(page.locator("#title")).to_have_text("Lift, right")
        for _ in range(2):
            page.keyboard.press("n")
        expect(page.locator("#title")).to_have_text("Lift, left")
        expect(page.locator("#sent")).to_have_text("all kept")
        # Taps of eleven minutes ago from another browser: eight minutes of light (two less after a reaction) are over
        # since three.
        late = [tap("next", 660), tap("next", 660)]
        assert sign_in(server.url, "tomas").post(f"/api/visits/{visit}/run", json={"taps": late}).status_code == 200
        expect(page.locator("#title")).to_have_text("Red light")
        expect(page.locator("#counting")).to_be_hidden()
        expect(page.locator("#alarm")).to_contain_text(re.compile(r"Time is up, 3:\d\d over\. Light off\."))
        expect(page.locator("#clock")).to_have_class(re.compile("over"))
        page.get_by_role("button", name="STOP", exact=True).click()
        expect(page.locator("#first-act")).to_have_text("Light off; shields stay on until it is dark.")
        page.get_by_role("button", name="Go on treating").click()
        expect(page.locator("#title")).to_have_text("Red light")
        page.get_by_role("button", name="STOP", exact=True).click()
        page.get_by_role("radio", name="a patch, blister").click()
        expect(page.locator("#title")).to_have_text("Red light")  # a reason is a word, and ends nothing
        page.get_by_role("button", name="End the visit").click()
        expect(page.locator("#title")).to_have_text("Stopped")
        expect(page.locator("#instruction")).to_have_text("Because of: a patch, blister.")
        page.get_by_role("button", name="Take the ending back").click()
        expect(page.locator("#title")).to_have_text("Red light")
        expect(page.locator("#main-act")).to_have_text("Resume")
        page.get_by_role("button", name="STOP", exact=True).click()
        page.get_by_role("radio", name="a patch, blister").click()
        page.get_by_role("button", name="End the visit").click()
        expect(page.locator("#title")).to_have_text("Stopped")
        expect(page.locator("#ended-says")).to_contain_text("taken back")
        expect(page.locator("#instruction")).to_have_text("Because of: a patch, blister.")
        expect(page.locator("#sent")).to_have_text("all kept")
        page.get_by_role("button", name="Close the visit").click()
        expect(page.locator("main")).to_contain_text("Stopped: a patch, blister")
        expect(page.get_by_role("row", name=re.compile("Lift, right"))).to_contain_text("too strong, twitching")


def test_the_front_desk_cannot_look_over_the_shoulder(browser: Browser, server: Server, visit: str) -> None:
    with signed_in_page(browser, server, "joost") as page:
        page.goto(f"{server.url}/visits/{visit}/treat")
        expect(page.get_by_role("heading")).to_contain_text("Your role, front desk, does not include this")


def test_what_is_cut_beside_the_count_is_read_whole(browser: Browser, server: Server) -> None:
    adaeze = sign_in(server.url, "adaeze")
    visit = begun(adaeze, booked(adaeze, "Verbatim Long"), "wet_abrasion", "finish")
    sent(adaeze, visit, ("start", 40), ("next", 5))
    with signed_in_page(browser, server, "adaeze", viewport={"width": 390, "height": 844}) as page:
        page.goto(f"{server.url}/visits/{visit}/treat")
        expect(page.locator("#title")).to_have_text("Acid cleanse")
        told = page.locator("#instruction")
        assert told.evaluate("e => e.scrollHeight > e.clientHeight"), "three lines are not enough for it"
        whole = told.text_content() or ""
        assert "Enough:" in whole
        told.click()
        expect(page.locator("#words-whole")).to_have_text(whole)
        expect(page.get_by_role("heading", name="Acid cleanse").last).to_be_visible()
        assert page.locator("#words-whole").evaluate("e => e.scrollHeight <= e.clientHeight")
        assert violations(page) == []
        expect(page.get_by_role("button", name="STOP", exact=True)).to_be_enabled()
        page.keyboard.press("h")
        expect(page.locator("#words")).to_be_hidden()
        page.keyboard.press("h")
        page.keyboard.press("Space")  # the hands go on while it is read
        expect(page.locator("#words-whole")).to_be_visible()
        page.locator("[data-shut=words]").click()
        expect(page.locator("#count")).to_have_text("1")
