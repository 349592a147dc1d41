"""What is marked when it is seen: tapped where it lies, on the plate and on the head, and told at the close."""

import re

import httpx
import pytest
from playwright.sync_api import Browser, Page, expect

from builders.browser import at_the_chair, signed_in_page, violations
from builders.server import Server, sign_in
from builders.visits import HX, agreed, hours_ago, planned, sent, step_ids

#: A place of a part that is seen, on the screen.
MIDDLE = """(name) => {
  const part = [...document.querySelectorAll("g[data-act]:not([hidden]) path.part")]
    .find((one) => one.querySelector("title").textContent === name && !one.closest("[hidden]"));
  const box = part.getBoundingClientRect();
  for (let down = 0.5; down > 0; down -= 0.05) {
    const [x, y] = [box.left + box.width / 2, box.top + box.height * down];
    if (document.elementFromPoint(x, y) === part) return [x, y];
  }
}"""


@pytest.fixture
def visit(server: Server) -> str:
    """Wet abrasion only where something is seen, begun, its first bottle in hand."""
    adaeze: httpx.Client = sign_in(server.url, "adaeze")
    visit = planned(adaeze, "Seenat Invented", "wet_abrasion", "finish")
    step = step_ids(adaeze, visit)[0]
    stage = re.findall(rf'"({step}[^".]*)\.how\.where"', adaeze.get(f"/visits/{visit}/plan?step={step}").text)
    for one in stage or [step]:
        adaeze.post(f"/visits/{visit}/plan/manner", data={"stage": one, f"{one}.how.where": "chair"}, headers=HX)
    agreed(adaeze, visit)
    assert adaeze.post(f"/visits/{visit}/treat/begin", data={"another_day": "yes", "cleaned": "on"}).status_code == 200
    hours_ago(visit)
    state = sent(adaeze, visit, ("start", 400), ("next", 300))
    assert state["acts"][1]["begun"]
    return visit


def test_another_plate_is_chosen_by_its_name(browser: Browser, server: Server) -> None:
    """What is seen on face and neck: the neck is shown by its button, tapped, and counted there."""
    adaeze = sign_in(server.url, "adaeze")
    visit = planned(adaeze, "Neckseen Invented", "wet_abrasion", "finish")
    step = step_ids(adaeze, visit)[0]
    zones = {f"zone.{side} {zone}": "on" for side in ("right", "left") for zone in ("forehead", "front of neck")}
    adaeze.post(f"/visits/{visit}/plan/zones", data={"step": step} | zones, headers=HX)
    adaeze.post(f"/visits/{visit}/plan/manner", data={"stage": step, f"{step}.how.where": "chair"}, headers=HX)
    agreed(adaeze, visit)
    assert adaeze.post(f"/visits/{visit}/treat/begin", data={"another_day": "yes", "cleaned": "on"}).status_code == 200
    hours_ago(visit)
    sent(adaeze, visit, ("start", 400), ("next", 300))
    with signed_in_page(browser, server, "adaeze") as page:
        at_the_chair(page, server, visit)
        shown = page.locator("[data-sheet]:not([hidden])")
        expect(shown).to_have_attribute("data-sheet", "face")
        page.get_by_role("button", name="neck", exact=True).click()
        expect(shown).to_have_attribute("data-sheet", "neck")
        page.mouse.click(*page.evaluate(MIDDLE, "right neck"))
        expect(page.locator("#line")).to_contain_text("right neck: 1 seen")
        expect(shown.locator("[data-seen-in] circle:visible")).to_have_count(1)
        assert violations(page) == []
        page.get_by_role("button", name="face", exact=True).click()
        expect(shown).to_have_attribute("data-sheet", "face")


def tapped(page: Page, part: str) -> None:
    page.mouse.click(*page.evaluate(MIDDLE, part))


def test_what_is_seen_is_tapped_where_it_lies(browser: Browser, server: Server, visit: str) -> None:
    with signed_in_page(browser, server, "adaeze") as page:
        at_the_chair(page, server, visit)
        expect(page.locator("#of")).to_have_text("seen")
        expect(page.locator("#main-act")).to_contain_text("Next")
        dots = page.locator("g[data-act]:not([hidden]) [data-seen-in] circle")
        for n, view in enumerate(("unrolled", "front"), 1):
            page.locator(f'[data-turn="{"flat" if view == "unrolled" else 0}"]:visible').first.click()
            tapped(page, "forehead")
            expect(page.locator("#count")).to_have_text(str(n))
            expect(dots).to_have_count(n)
        expect(page.locator("#line")).to_contain_text("forehead: 2 seen")
        first, second = (dots.nth(n).bounding_box() for n in (0, 1))
        assert first and second

        page.keyboard.press("ArrowDown")
        chosen = page.locator("#line").inner_text()
        assert "none seen" in chosen and "forehead" not in chosen
        page.keyboard.press("m")
        expect(page.locator("#count")).to_have_text("3")
        expect(dots).to_have_count(2)
        assert violations(page) == []
        page.keyboard.press("m")
        for _ in range(3):
            page.keyboard.press("ArrowLeft")
        expect(page.locator("#count")).to_have_text("1")
        expect(dots).to_have_count(1)
        page.reload()
        expect(dots).to_have_count(1)

        page.keyboard.press("n")
        page.goto(f"{server.url}/visits/{visit}/close")
        expect(page.locator("table.ruled", has_text="seen").first).to_contain_text("1 seen")
        expect(page.locator("#plate .seen circle")).to_have_count(1)
