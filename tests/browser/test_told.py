"""What the screen says is true now: numbers that follow, refusals in sight, consent to what is shown, taps that were
refused.
"""

import re

import httpx
import pytest
from playwright.sync_api import Browser, Page, expect

from builders.browser import at_the_next_tap, signed_in_page
from builders.server import Server, sign_in
from builders.visits import HX, begun, booked, planned, sent, step_ids


@pytest.fixture(scope="module")
def adaeze(server: Server) -> httpx.Client:
    return sign_in(server.url, "adaeze")


def in_first_screen(page: Page, what: str) -> None:
    box = page.locator(what).first.bounding_box()
    assert box and 0 <= box["y"] < 800, (what, box)


def test_a_number_that_follows_is_never_stale_and_a_refusal_is_in_sight(
    browser: Browser, server: Server, adaeze: httpx.Client
) -> None:
    visit = planned(adaeze, "Follows Invented", "microcurrent", "led")
    lift = step_ids(adaeze, visit)[0]
    with signed_in_page(browser, server, "adaeze") as page:
        page.goto(f"{server.url}/visits/{visit}/plan?step={lift}")
        level, current = page.get_by_label("Level", exact=True), page.get_by_label("Current", exact=True)
        page.wait_for_load_state("networkidle")
        level.fill("9.5")
        level.press("Tab")  # the field that follows has the focus, and nothing was typed into it
        expect(current).to_be_focused()
        expect(current).to_have_value("1045")
        in_first_screen(page, f"#slip-{lift}-level")
        in_first_screen(page, "#numbers .caution.stop")
        stop, figure = (
            page.locator(one).first.bounding_box() for one in ("#numbers .caution.stop", "#numbers .number")
        )
        assert stop and figure and stop["y"] < figure["y"], "what stands against it comes before the figures"
        current.fill("150")
        current.press("Shift+Tab")
        expect(level).to_have_value("3")
        expect(page.locator("#numbers .caution.stop")).to_have_count(0)


def test_a_plan_that_was_changed_is_shown_again_before_anybody_agrees(
    browser: Browser, server: Server, adaeze: httpx.Client
) -> None:
    visit = planned(adaeze, "Changed Invented", "microcurrent", "finish")
    with signed_in_page(browser, server, "adaeze") as page:
        page.goto(f"{server.url}/visits/{visit}/plan")
        page.get_by_label("signed on paper").check()
        lift = step_ids(adaeze, visit)[0]
        sign_in(server.url, "marit").post(f"/visits/{visit}/plan/strength", data={"step": lift, "by": "-1"}, headers=HX)
        page.get_by_role("button", name="Changed agrees").click()
        expect(page.get_by_role("alert").filter(has_text="was changed since this page was shown")).to_be_visible()
        expect(page.locator("main")).not_to_contain_text("Agreed to the plan as it stands")
        page.get_by_label("signed on paper").check()
        page.get_by_role("button", name="Changed agrees").click()
        expect(page).to_have_url(re.compile("/treat$"))


def test_beginning_anew_is_taken_back(browser: Browser, server: Server, adaeze: httpx.Client) -> None:
    visit = planned(adaeze, "Anew Invented", "microcurrent", "led")
    with signed_in_page(browser, server, "adaeze") as page:
        page.goto(f"{server.url}/visits/{visit}/plan")
        page.get_by_role("button", name="Begin anew").click()
        expect(page.locator("[data-step]")).to_have_count(0)
        page.get_by_role("button", name="Undo").click()
        expect(page.locator("[data-step]")).not_to_have_count(0)
        expect(page.locator("main")).to_contain_text("Microcurrent lift")


def test_a_refused_tap_is_told_kept_and_sent_once_more(browser: Browser, server: Server, adaeze: httpx.Client) -> None:
    visit = begun(adaeze, booked(adaeze, "Refused Invented"), "microcurrent", "finish")
    sent(adaeze, visit, ("start", 60), ("next", 30))
    with signed_in_page(browser, server, "adaeze") as page:
        page.goto(f"{server.url}/visits/{visit}/treat")
        expect(page.locator("#title")).to_have_text("Lift, right")
        for told, status in ((1, 404), (2, 422)):
            at_the_next_tap(page, lambda route, status=status: route.fulfill(status=status, body="{}"))
            page.keyboard.press("Space")
            expect(page.locator("#sent")).to_contain_text(f"{told} not taken: see the menu")
        page.reload()
        expect(page.locator("#sent")).to_contain_text("2 not taken")
        page.get_by_role("button", name=re.compile("^Menu")).click()
        expect(page.locator("#aside-says")).to_contain_text("count")
        page.get_by_role("button", name="Send once more").click()
        expect(page.locator("#sent")).to_have_text("all kept")
        assert adaeze.get(f"/api/visits/{visit}/run").json()["acts"][1]["strokes"] == 2, "dropped by nobody"


def test_taps_that_wait_here_never_go_out_under_another_name(
    browser: Browser, server: Server, adaeze: httpx.Client, demo: str
) -> None:
    visit = begun(adaeze, booked(adaeze, "Handed Invented"), "microcurrent", "finish")
    sent(adaeze, visit, ("start", 60), ("next", 30))
    with signed_in_page(browser, server, "adaeze") as page:
        page.goto(f"{server.url}/visits/{visit}/treat")
        expect(page.locator("#main-act")).to_have_text("Stroke")
        page.context.set_offline(True)  # a held request would go out with the cookie that it was made with
        for _ in range(3):
            page.keyboard.press("Space")
        expect(page.locator("#count")).to_have_text("3")
        expect(page.locator("#sent")).to_contain_text("No connection")
        # Lin takes the same trolley: what Adaeze tapped waits for Adaeze.
        page.context.clear_cookies(name="merak")
        page.context.set_offline(False)
        for login in ("lin", "adaeze"):
            page.goto(f"{server.url}/sign-in")
            page.get_by_label("Sign-in name").fill(login)
            page.get_by_label("Password").fill("vesper-quay")
            page.get_by_role("button", name="Sign in").click()
            page.goto(f"{server.url}/visits/{visit}/treat")
            expect(page.locator("#main-act")).to_have_text("Stroke")
            if login == "lin":
                expect(page.locator("#sent")).to_contain_text("3 taps of somebody else wait here")
                page.keyboard.press("Space")
                expect(page.locator("#sent")).to_contain_text("all kept")
                assert adaeze.get(f"/api/visits/{visit}/run").json()["acts"][1]["hands"] == [
                    "Adaeze Okonjo",
                    "Lin Farrow",
                ]
                page.context.clear_cookies(name="merak")
        expect(page.locator("#sent")).to_have_text("all kept")
        assert adaeze.get(f"/api/visits/{visit}/run").json()["acts"][1]["strokes"] == 4


def test_a_second_answer_stands_beside_the_first(browser: Browser, server: Server, adaeze: httpx.Client) -> None:
    visit = booked(adaeze, "Twofold Invented")
    with signed_in_page(browser, server, "adaeze") as page:
        page.goto(f"{server.url}/visits/{visit}/ask")
        page.locator("#q-allergy").get_by_role("radio", name="amide").check()
        also = page.locator("#extra-allergy .another")
        also.get_by_role("radio", name="shellfish").check()
        expect(also).to_have_count(2)
        expect(page.locator("#allergy\\~2-shellfish")).to_be_focused()  # what was chosen keeps the focus
        expect(page.locator("#at-numbing")).to_contain_text("No numbing after a reaction to it")
        expect(page.locator("#at-mask")).to_contain_text("Glucosamine")
        page.reload()
        expect(page.locator("#q-allergy").get_by_role("radio", name="amide").first).to_be_checked()
        expect(page.locator("#allergy\\~2-shellfish")).to_be_checked()
        page.locator("#allergy\\~2-none").check()
        expect(page.locator("#at-mask")).not_to_contain_text("Glucosamine")
        expect(page.locator("#at-numbing")).to_contain_text("No numbing")
