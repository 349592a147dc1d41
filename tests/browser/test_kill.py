"""kill -9 in mid-treatment: the page goes on, and leads back to the same step, count and second."""

import re

from playwright.sync_api import Browser, expect

from builders.browser import signed_in_page
from builders.server import Server, sign_in
from builders.visits import ready_to_begin, tap


def test_a_killed_server_is_not_noticed_at_the_chair(demo: str, browser: Browser) -> None:
    server = Server()
    client = sign_in(server.url, "tomas")
    visit = ready_to_begin(client, "Ines Duarte")
    run = f"/api/visits/{visit}/run"
    client.post(run, json={"taps": [tap("start"), tap("next"), *[tap("count") for _ in range(6)]]})
    try:
        with signed_in_page(browser, server, "tomas") as page:
            page.goto(f"{server.url}/visits/{visit}/treat")
            expect(page.locator("#count")).to_have_text("6")
            server.kill()
            page.keyboard.press("Space")  # no server: painted and kept here
            expect(page.locator("#count")).to_have_text("7")
            expect(page.locator("#sent")).to_contain_text("No connection")
            server.start()
            expect(page.locator("#sent")).to_have_text("all kept")
            shown, state = page.locator("#clock").inner_text(), client.get(run).json()
            minutes, seconds = re.fullmatch(r"(\d+):(\d\d)", shown).groups()  # type: ignore[union-attr]
            assert abs(int(minutes) * 60 + int(seconds) - state["acts"][1]["worked_s"]) <= 2
            assert state["acts"][1]["strokes"] == 7
    finally:
        server.kill()
