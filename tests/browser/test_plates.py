"""Several plates in one stage: chosen on the plan, shown one by one at the chair, turned to where the hand stands."""

import httpx
import pytest
from playwright.sync_api import Browser, Page, expect

from builders.browser import at_the_chair, settled, signed_in_page, violations
from builders.server import Server, sign_in
from builders.visits import begun, booked, planned, sent


@pytest.fixture(scope="module")
def adaeze(server: Server) -> httpx.Client:
    return sign_in(server.url, "adaeze")


def middle(page: Page, place: str) -> tuple[float, float]:
    box = page.locator(place).first.bounding_box()
    assert box
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


def test_zones_of_another_plate_are_ticked_and_drawn(browser: Browser, server: Server, adaeze: httpx.Client) -> None:
    visit = planned(adaeze, "Plates Invented", "wet_abrasion", "focused_lifting", "finish")
    with signed_in_page(browser, server, "adaeze") as page:
        page.goto(f"{server.url}/visits/{visit}/plan")
        page.locator('[data-step][title^="Wet"]').first.click()
        page.locator("#zones-of summary").click()
        for zone in ("front of neck", "side of neck"):
            page.get_by_role("checkbox", name=f"left {zone}").check()
            settled(page)
            expect(page.locator("#zones-of")).to_have_attribute("open", "")  # what is unfolded stays so
            expect(page.get_by_role("checkbox", name=f"right {zone}")).to_be_checked()
        expect(page.locator("#where > svg")).to_have_count(2)
        expect(page.locator(".stage-rows .on, .stage-rows a").first).to_contain_text("2 zones of the neck")
        # A tap on the neck's own drawing takes a zone back; a third plate is not offered for wet work.
        page.locator('#where [data-zone="front of neck"]').first.click()
        expect(page.get_by_role("checkbox", name="right front of neck")).not_to_be_checked()
        expect(page.locator("#where")).not_to_contain_text("hands")
        assert violations(page) == []
        page.get_by_role("button", name="face and neck").click()
        expect(page.locator("#zones-of > summary")).to_have_text("Zones: face and neck")


def test_the_chair_shows_the_plate_that_the_hand_is_on(browser: Browser, server: Server, adaeze: httpx.Client) -> None:
    where = ("mid cheek", "lower cheek", "front of neck", "side of neck")
    visit = begun(adaeze, booked(adaeze, "Chair Plates Invented"), "wet_abrasion", "finish", Wet=where)
    sent(adaeze, visit, ("start", 100), ("next", 60))
    with signed_in_page(browser, server, "adaeze") as page:
        at_the_chair(page, server, visit)
        for part, plate in (
            ("right cheek", "face"),
            ("left cheek", "face"),
            ("right neck", "neck"),
            ("left neck", "neck"),
        ):
            expect(page.locator("#line")).to_contain_text(part)
            expect(page.locator(".sheet:visible")).to_have_attribute("data-sheet", plate)
            expect(page.locator(".sheet:visible .part.current")).to_have_count(1)
            page.keyboard.press("Space")
        expect(page.locator(".part.done")).to_have_count(4)


def test_the_plate_turns_to_where_the_therapist_stands(browser: Browser, server: Server, adaeze: httpx.Client) -> None:
    """From behind the head up is down and right is left; words stay upright, and say the client's own sides."""
    visit = begun(adaeze, booked(adaeze, "Turned Invented"), "wet_abrasion", "finish")
    sent(adaeze, visit, ("start", 100), ("next", 60))
    right_end, cheek = ".sheet:visible .legend .lead.on-right", ".sheet:visible .part.current"
    with signed_in_page(browser, server, "adaeze") as page:
        at_the_chair(page, server, visit)
        page.keyboard.press("u")
        expect(page.locator("#line")).to_contain_text("right cheek")
        plate = middle(page, ".sheet:visible svg.plate")
        assert middle(page, cheek)[0] < plate[0] and middle(page, right_end)[0] < plate[0], "as one looks at the client"
        page.keyboard.press("t")
        assert middle(page, cheek)[0] > plate[0] and middle(page, right_end)[0] > plate[0]
        assert middle(page, right_end)[1] < plate[1], "the chin is above"
        upright = "e => { const m = e.getScreenCTM(); return m.a > 0 && m.d > 0; }"
        assert page.locator(right_end).evaluate(upright)
        expect(page.locator(right_end)).to_contain_text("client’s right")
        page.reload()
        expect(page.locator("#line")).to_contain_text("right cheek")
        assert middle(page, cheek)[0] > plate[0], "said once, it stays on this device"
        page.mouse.click(*middle(page, cheek))
        expect(page.locator("#count")).to_have_text("1")  # a tap counts what it hits, turned or not
        page.get_by_role("button", name="Elsewhere").or_(page.locator("[data-open-sheet=more]")).first.click()
        page.get_by_role("button", name="I stand behind the head").click()
        expect(page.get_by_role("button", name="I stand facing the client")).to_be_visible()
        assert violations(page) == []
