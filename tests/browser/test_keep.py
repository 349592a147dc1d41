"""Ask and look without a network: nothing typed or tapped is lost, each counts once, and moving on waits for it."""

import re
from datetime import date, timedelta

import httpx
import pytest
from playwright.sync_api import Browser, Route, expect

from builders.browser import intercept, settled, signed_in_page
from builders.server import Server, sign_in
from builders.visits import booked


@pytest.fixture(scope="module")
def adaeze(server: Server) -> httpx.Client:
    return sign_in(server.url, "adaeze")


def test_answers_without_a_network_are_kept_sent_and_waited_for(
    browser: Browser, server: Server, adaeze: httpx.Client
) -> None:
    visit = booked(adaeze, "Tunnel Invented")
    with signed_in_page(browser, server, "adaeze") as page:
        page.goto(f"{server.url}/visits/{visit}/ask")
        page.context.set_offline(True)
        page.locator("#q-pregnancy input").last.check()
        page.get_by_label("Money today").fill("140")
        page.get_by_label("Time today").click()
        expect(page.locator("#offline")).to_contain_text(re.compile(r"2 answers are kept here"))
        box = page.locator("#offline").bounding_box()
        assert box and 0 <= box["y"] < 200, "told where the eye is"
        page.locator(".phases a", has_text="Look").click()
        expect(page.locator("#offline")).to_contain_text("Moving on waits")
        expect(page).to_have_url(re.compile("/ask$"))
        page.context.set_offline(False)
        expect(page).to_have_url(re.compile("/look$"))
        page.goto(f"{server.url}/visits/{visit}/ask")
        expect(page.locator("#q-pregnancy input").last).to_be_checked()
        expect(page.get_by_label("Money today")).to_have_value("140")

        # The page is thrown away while there is no network: what was answered is in the browser.
        page.context.set_offline(True)
        page.locator("#q-pregnancy input").first.check()
        expect(page.locator("#offline")).to_contain_text("1 answer is kept here")
        page.context.set_offline(False)
        page.reload()
        expect(page.locator("#offline")).to_be_hidden()
        expect(page.locator("#q-pregnancy input").first).to_be_checked()


def test_a_page_that_was_asked_for_before_an_answer_went_through_shows_it(
    browser: Browser, server: Server, adaeze: httpx.Client
) -> None:
    """Reloaded while an answer is on its way: the page is made without it, and when it comes nothing waits any more."""
    visit = booked(adaeze, "Overlap Invented")
    with signed_in_page(browser, server, "adaeze") as page:
        page.goto(f"{server.url}/visits/{visit}/ask")
        page.context.set_offline(True)
        page.locator("#q-pregnancy input").first.check()
        expect(page.locator("#offline")).to_contain_text("1 answer is kept here")
        made_before = page.request.get(page.url).text()
        page.context.set_offline(False)
        expect(page.locator("#offline")).to_be_hidden()
        expect(page.locator("#q-pregnancy input").first).to_be_checked()
        through = "Object.keys(localStorage).filter((key) => key.endsWith('.through'))"
        (key,) = page.evaluate(through)  # as if it had gone through after the next page was asked for
        page.evaluate("(key) => localStorage.setItem(key, Date.now() + 60000)", key)
        page.route("**/ask", lambda route: route.fulfill(body=made_before, content_type="text/html"), times=1)
        page.reload()
        expect(page.locator("#q-pregnancy input").first).to_be_checked()


def test_taps_on_the_plate_count_once_each(browser: Browser, server: Server, adaeze: httpx.Client) -> None:
    visit = booked(adaeze, "Lift Shaft Invented")
    with signed_in_page(browser, server, "adaeze") as page:
        page.goto(f"{server.url}/visits/{visit}/look?kind=acne")
        # The answer to the first tap is lost on its way back: it was kept, and is not counted again.
        intercept(page, "**/look/tap", lambda route: (route.fetch(), route.abort("connectionreset")), times=1)
        page.locator("#z-left-chin").click()
        expect(page.locator("#z-left-chin")).to_have_attribute("aria-label", re.compile("acne 1 of 4"))
        settled(page)
        page.context.set_offline(True)
        page.locator("#z-left-chin").click()
        page.locator("#z-right-chin").click()
        expect(page.locator("#offline")).to_contain_text("2 answers are kept here")
        page.context.set_offline(False)
        expect(page.locator("#z-left-chin")).to_have_attribute("aria-label", re.compile("acne 2 of 4"))
        expect(page.locator("#z-right-chin")).to_have_attribute("aria-label", re.compile("acne 1 of 4"))
        expect(page.locator("#offline")).to_be_hidden()


def test_an_answer_that_met_the_end_of_a_sign_in_waits_for_its_giver(
    browser: Browser, server: Server, adaeze: httpx.Client
) -> None:
    visit = booked(adaeze, "Expired Invented")
    with signed_in_page(browser, server, "adaeze") as page:
        page.goto(f"{server.url}/visits/{visit}/ask")
        page.context.clear_cookies(name="merak")
        # A bare click: check() would look at the answer afterwards, on a page that is being left.
        page.locator("#q-pregnancy input").last.click()
        page.wait_for_url(re.compile("/sign-in"))
        page.get_by_label("Sign-in name").fill("adaeze")
        page.get_by_label("Password").fill("vesper-quay")
        page.get_by_role("button", name="Sign in").click()
        page.goto(f"{server.url}/visits/{visit}/ask")
        expect(page.locator("#q-pregnancy input").last).to_be_checked()
        expect(page.locator("#offline")).to_be_hidden()


def test_what_is_ticked_while_an_answer_is_under_way_outlives_it(
    browser: Browser, server: Server, adaeze: httpx.Client
) -> None:
    """The answer to the date draws the zones anew; the zone that was ticked meanwhile stays ticked, and counts."""
    visit = booked(adaeze, "Meanwhile Invented")
    with signed_in_page(browser, server, "adaeze") as page:
        page.goto(f"{server.url}/visits/{visit}/ask")
        page.get_by_role("radio", name="a muscle relaxant").check()
        zones = page.locator("#extra-injections")
        expect(zones.locator("summary")).to_be_visible()
        settled(page)
        zones.locator("summary").click()
        forehead = zones.get_by_role("checkbox", name="forehead")

        def meanwhile(route: Route) -> None:
            answer = route.fetch()
            forehead.check()
            route.fulfill(response=answer)

        intercept(page, "**/ask", meanwhile, times=1)
        page.locator("#on-injections").fill(f"{date.today() - timedelta(days=3)}")
        expect(page.locator("#at-microcurrent")).to_contain_text("Left out: forehead")
        settled(page)
        expect(forehead).to_be_checked()
        page.reload()
        expect(page.locator("#at-microcurrent")).to_contain_text("Left out: forehead")
