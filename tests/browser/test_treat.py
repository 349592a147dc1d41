"""Treatments by hand in the real browser: wet abrasion, pins with their spot and grid, an oxygen mask against its
clocks, a spell without network, two devices at once, what a tap costs.
"""

import re
from typing import Any

import httpx
import pytest
from playwright.sync_api import Browser, Page, Route, expect

from builders.browser import at_the_chair, at_the_next_tap, faint, intercept, signed_in_page, violations
from builders.markup import flat
from builders.server import Server, sign_in
from builders.visits import NUMBED, begun, booked, sent, tap


def treated(client: httpx.Client, name: str, *modalities: str, **zones: tuple[str, ...]) -> str:
    return begun(client, booked(client, name), *modalities, **zones)


@pytest.fixture(scope="module")
def adaeze(server: Server) -> httpx.Client:
    return sign_in(server.url, "adaeze")


def kept(page: Page) -> None:
    assert page.evaluate("document.documentElement.scrollHeight") <= 800, "the chair never scrolls"
    expect(page.locator("#sent")).to_have_text("all kept")


def test_wet_abrasion_stage_by_stage_section_by_section(browser: Browser, server: Server, adaeze: httpx.Client) -> None:
    visit = treated(adaeze, "Wet Invented", "wet_abrasion", "finish")
    sent(adaeze, visit, ("start", 400), ("next", 250))
    with signed_in_page(browser, server, "adaeze") as page:
        at_the_chair(page, server, visit)
        expect(page.locator("#title")).to_have_text("Acid cleanse")
        expect(page.locator("#alarm")).to_contain_text(re.compile(r"Time is up, 2:1\d over\. Off with the acid"))
        expect(page.locator("#line")).to_contain_text("right cheek")
        page.keyboard.press("Space")
        expect(page.locator("[data-act='1'] .part.done")).to_have_count(1)
        page.locator("[data-act='1'] [data-place='3']").click()  # chin, forehead: out of order, by a tap on the plate
        expect(page.locator("#walked")).to_have_text("2 missed")
        expect(page.locator("[data-act='1'] .part.missed")).to_have_count(2)
        page.keyboard.press("n")
        expect(page.locator("#title")).to_have_text("Acid cleanse")
        expect(page.locator("#main-act")).to_have_text("2 missed: press again to leave them")
        page.keyboard.press("n")
        expect(page.locator("#title")).to_have_text("Salicylic extraction")
        kept(page)
        sent(adaeze, visit, ("next", 0))
        expect(page.locator("#title")).to_have_text("Infusion")
        expect(page.locator("#line")).to_contain_text("suction level 7")
        expect(page.locator("[data-act-name='1']")).to_contain_text("2 missed")
        page.keyboard.press("Digit5")
        expect(page.locator("#alarm")).to_contain_text("Pain 5: gentler.")
        page.keyboard.press("ArrowLeft")
        kept(page)
        assert violations(page) == []


def test_pins_wait_for_their_spot_and_are_walked_cell_by_cell(
    browser: Browser, server: Server, adaeze: httpx.Client
) -> None:
    visit = treated(
        adaeze, "Pins Invented", "numbing", "rf_fractional", "finish", Fractional=("mid cheek", "lower cheek")
    )
    sent(adaeze, visit, *NUMBED)
    with signed_in_page(browser, server, "lin") as page:
        at_the_chair(page, server, visit)
        expect(page.locator("#main-act")).to_have_text(
            "Needs a licence: fractional"
        )  # the senior's is not the assistant's
        expect(page.locator("#main-act")).to_be_disabled()
    with signed_in_page(browser, server, "adaeze") as page:
        at_the_chair(page, server, visit)
        page.get_by_role("button", name="below the ear").click()
        page.keyboard.press("Space")
        expect(page.locator("#spot-says")).to_contain_text(re.compile(r"Read it in [45]:\d\d"))
        expect(page.locator("#main-act")).to_be_disabled()
        page.locator("[data-act='5'] [data-place='0']").click(force=True)
        expect(page.locator("[data-act='5'] .cell.done")).to_have_count(0)
        kept(page)
        assert faint(page) == []

    visit = treated(
        adaeze, "Pins Again Invented", "numbing", "rf_fractional", "finish", Fractional=("mid cheek", "lower cheek")
    )
    sent(
        adaeze,
        visit,
        *NUMBED,
        ("spot", 400, None, {"zone": "right jawline"}),
    )
    with signed_in_page(browser, server, "adaeze") as page:
        at_the_chair(page, server, visit)
        expect(page.locator("#main-act")).to_have_text("Grade the spot")
        page.get_by_role("radiogroup", name="Redness").get_by_role("radio", name="2").click()
        page.get_by_role("radiogroup", name="Swelling").get_by_role("radio", name="1").click()
        page.keyboard.press("Space")
        expect(page.locator("#main-act")).to_have_text("Pulse")
        for _ in range(3):
            page.keyboard.press("Space")
        expect(page.locator("#count")).to_have_text("3")
        expect(page.locator("[data-act='5'] .cell.done")).to_have_count(3)
        expect(page.locator("[data-act='5'] .cell.current")).to_have_attribute("data-place", "3")
        expect(page.locator("#line")).to_contain_text("right cheek · 4 of")
        page.locator("[data-act='5'] [data-place='1']").click()
        expect(page.locator("#walked")).to_have_text("1 done twice")
        page.keyboard.press("ArrowLeft")
        expect(page.locator("#walked")).to_have_text("")
        # The machine counts for itself, is unplugged in mid-step, and it goes on by hand.
        page.get_by_role("button", name="connect").click()
        expect(page.locator("#machine-says")).to_contain_text("Set to 2 W.")
        pins = re.search(r'data-instrument="([0-9a-f-]{36})"><div><h2>Pin unit', flat(adaeze.get("/instruments").text))
        assert pins
        adaeze.post(f"/instruments/{pins[1]}/fire", data={"value": "4"})
        expect(page.locator("#count")).to_have_text("7")
        adaeze.post(f"/instruments/{pins[1]}/unplug")
        expect(page.locator("#alarm")).to_contain_text("The machine is lost")
        assert violations(page) == []
        page.get_by_role("button", name="by hand").click()
        page.keyboard.press("Space")
        expect(page.locator("#count")).to_have_text("8")
        adaeze.post(f"/instruments/{pins[1]}/plug")
        many = int(page.locator("#total").inner_text())
        for _ in range(many - 8):
            page.keyboard.press("Space")
        expect(page.locator("#count")).to_have_text(str(many))
        expect(page.locator("[data-act='5'] .cell.done")).to_have_count(many)
        kept(page)


def test_an_oxygen_mask_is_not_overrun_in_silence(browser: Browser, server: Server, adaeze: httpx.Client) -> None:
    visit = treated(adaeze, "Mask Invented", "oxygen_mask", "finish")
    sent(adaeze, visit, ("start", 300), ("next", 125))
    with signed_in_page(browser, server, "adaeze") as page:
        at_the_chair(page, server, visit)
        expect(page.locator("#title")).to_have_text("Foam")
        expect(page.locator("#alarm")).to_contain_text(re.compile(r"Time is up, 0:\d\d over\. Activator on now\."))
        expect(page.locator("#chair")).to_have_class(re.compile("flash"))
        page.keyboard.press("Space")
        expect(page.locator("#title")).to_have_text("Activator")
        expect(page.locator("#clock")).to_have_text(re.compile(r"^1:5\d|2:00$"))
        page.keyboard.press("p")  # a pause of the hands: what is on the skin works on
        expect(page.locator("#main-act")).to_have_text("Resume")
        before = page.locator("#clock").inner_text()
        expect(page.locator("#clock")).not_to_have_text(before)
        page.keyboard.press("Space")
        page.keyboard.press("n")
        expect(page.locator("#title")).to_have_text("Neutralise")
        page.keyboard.press("Space")
        expect(page.locator("#main-act")).to_have_text("Close pass 1 of 2")
        page.keyboard.press("Space")
        expect(page.locator("#line")).to_contain_text("pass 2 of 2")
        page.keyboard.press("Space")
        expect(page.locator("#main-act")).to_have_text("Next: Back to its pH")
        assert violations(page) == [] and faint(page) == []
        # Stopped: the card that is likeliest first, the incident written, the record goes on.
        page.keyboard.press("Escape")
        expect(page.locator("#first-act")).to_contain_text("Off with it now")
        page.get_by_role("tab", name="Something in the eye").click()
        expect(page.locator("#why")).to_contain_text("Rinse with lukewarm water")
        page.get_by_label("What was done").fill("rinsed, 15 minutes")
        page.get_by_role("button", name="Write the incident").click()
        page.locator("#incident-photo").set_input_files(
            {"name": "p.jpg", "mimeType": "image/jpeg", "buffer": b"not a picture"}
        )
        expect(page.locator("#photo-says")).to_contain_text("This is not a JPEG")
        page.get_by_role("button", name="Go on treating").click()
        expect(page.locator("#title")).to_have_text("Neutralise")
        kept(page)
        page.goto(f"{server.url}/visits/{visit}/close")
        expect(page.locator("main")).to_contain_text("Something in the eye, grade 1: rinsed, 15 minutes")


def test_a_spell_without_network_loses_nothing_and_sends_once(
    browser: Browser, server: Server, adaeze: httpx.Client
) -> None:
    visit = treated(adaeze, "Offline Invented", "microcurrent", "led", "finish")
    with signed_in_page(browser, server, "adaeze") as page:
        at_the_chair(page, server, visit)
        page.keyboard.press("Space")
        page.keyboard.press("n")
        kept(page)
        page.context.set_offline(True)
        for _ in range(12):
            page.keyboard.press("Space")
        page.keyboard.press("ArrowLeft")
        page.get_by_role("button", name="just felt").click()
        expect(page.locator("#count")).to_have_text("11")
        expect(page.locator("#sent")).to_contain_text("No connection")
        # Meanwhile another device strokes as well, and this one's page is thrown away: what it had tapped is in the
        # browser.
        sent(adaeze, visit, *[("count", 0)] * 3)
        page.context.set_offline(False)
        page.reload()
        expect(page.locator("#count")).to_have_text("14")
        kept(page)
        state = adaeze.get(f"/api/visits/{visit}/run").json()
        assert state["acts"][1]["strokes"] == 14 and state["acts"][1]["said"] == ["just felt"], "once each, none lost"


def test_a_second_device_follows_live_and_both_count(browser: Browser, server: Server, adaeze: httpx.Client) -> None:
    visit = treated(adaeze, "Twice Invented", "microcurrent", "finish")
    sent(adaeze, visit, ("start", 60), ("next", 30))
    with signed_in_page(browser, server, "adaeze") as one, signed_in_page(browser, server, "lin") as two:
        for page in (one, two):
            at_the_chair(page, server, visit)
            expect(page.locator("#title")).to_have_text("Lift, right")
        for _ in range(5):
            one.keyboard.press("Space")
            two.keyboard.press("Space")
        for page in (one, two):
            expect(page.locator("#count")).to_have_text("10")
        one.keyboard.press("n")
        expect(two.locator("#title")).to_have_text("Mirror")
        expect(two.locator("#holder")).to_contain_text("Adaeze Okonjo")


def test_what_others_did_while_a_tap_was_on_its_way_is_seen(
    browser: Browser, server: Server, adaeze: httpx.Client
) -> None:
    """The other's tap is committed after this one and told of before this one's answer is here: it counts on screen
    too.
    """
    visit = treated(adaeze, "Overtaken Invented", "microcurrent", "finish")
    sent(adaeze, visit, ("start", 60), ("next", 30))
    with signed_in_page(browser, server, "lin") as page:
        page.add_init_script("""window.EventSource = class extends EventSource {
              constructor(...all) {
                super(...all);
                let heard = 0;
                this.addEventListener("message",
                    () => { document.documentElement.dataset.heard = String(heard += 1); });
              } };""")
        at_the_chair(page, server, visit)
        expect(page.locator("#title")).to_have_text("Lift, right")

        def overtaken(route: Route) -> None:
            answer = route.fetch()
            before = page.locator("html").get_attribute("data-heard")
            sent(adaeze, visit, ("count", 0))
            expect(page.locator("html")).not_to_have_attribute("data-heard", str(before))
            route.fulfill(response=answer)

        at_the_next_tap(page, overtaken)
        page.keyboard.press("Space")
        expect(page.locator("#count")).to_have_text("2")


def test_a_tap_is_painted_at_once_without_the_server(
    browser: Browser, server: Server, adaeze: httpx.Client, record_property: Any
) -> None:
    visit = treated(adaeze, "Quick Invented", "numbing", "rf_fractional", "finish")
    sent(adaeze, visit, *NUMBED)
    adaeze.post(f"/api/visits/{visit}/run", json={"taps": [tap("unlock", words="read on the other cheek")]})
    with signed_in_page(browser, server, "adaeze") as page:
        at_the_chair(page, server, visit)
        expect(page.locator("#main-act")).to_have_text("Pulse")
        assert int(page.locator("#total").inner_text()) > 150, "a whole face of pins"
        intercept(page, "**/api/**", lambda route: route.abort())
        spent = page.evaluate("""async () => {
              const times = [];
              for (let n = 0; n < 30; n++) {
                const begun = performance.now();
                document.getElementById("main-act").click();
                document.body.offsetHeight;  // style and layout are done
                times.push(performance.now() - begun);
                await new Promise((on) => requestAnimationFrame(on));
              }
              return times.sort((a, b) => a - b);
            }""")
        expect(page.locator("#count")).to_have_text("30")
        record_property("tap_to_paint_ms", round(spent[14], 1))
        record_property("tap_to_paint_p95_ms", round(spent[28], 1))


def test_the_clock_is_right_after_the_machine_slept(browser: Browser, server: Server, adaeze: httpx.Client) -> None:
    visit = treated(adaeze, "Asleep Invented", "mask", "finish")
    sent(adaeze, visit, ("start", 200), ("next", 60))
    with signed_in_page(browser, server, "adaeze", "/") as page:
        page.clock.install()
        intercept(page, "**/api/**", lambda route: route.abort())  # nobody tells the time meanwhile
        at_the_chair(page, server, visit)
        expect(page.locator("#clock")).to_have_text(re.compile(r"^1[34]:"))
        page.clock.fast_forward("05:00")
        expect(page.locator("#clock")).to_have_text(re.compile(r"^[89]:"))
        page.unroute("**/api/**")
        page.clock.fast_forward("00:20")  # awake: the server is asked, and its time is the time
        expect(page.locator("#clock")).to_have_text(re.compile(r"^1[34]:"))


def test_a_spot_that_is_due_is_read_from_the_day_sheet(browser: Browser, server: Server) -> None:
    with signed_in_page(browser, server, "adaeze", "/") as page:
        page.get_by_role("list", name="Due").get_by_role("link", name=re.compile("Wanda Kessler")).click()
        page.get_by_role("button", name="Keep what is seen").click()
        expect(page.locator("#slip-redness")).to_contain_text("Redness: 0 to 4")
        assert violations(page) == []
        for name, value in (("redness", "0"), ("swelling", "0"), ("pain", "0")):
            page.locator(f"input[name={name}][value='{value}']").check(force=True)
        page.get_by_label("no mark").check()
        page.get_by_label("Note").fill("Nothing seen, nothing felt.")
        page.get_by_role("button", name="Keep what is seen").click()
        expect(page.locator("main")).to_contain_text("Nothing seen: one step up. One step up, to")
        page.goto(server.url)
        expect(page.get_by_text("Read the test spot")).to_have_count(0)
    with signed_in_page(browser, server, "joost", "/") as page:
        expect(page.get_by_role("list", name="Due")).to_have_count(0)
