"""Every page: nothing leaves the machine, light to load, no violation found by axe, no sideways scroll."""

import re
from collections.abc import Callable

from playwright.sync_api import Browser, Request, expect

from builders.browser import faint, settled, signed_in_page, violations
from builders.server import Server, sign_in
from builders.visits import step_ids, visit_of

PATHS = (
    "/",
    "/practice",
    "/bench/heat",
    "/bench/modality/muscle_stimulation",
    "/rules?of=led",
    "/rules/own",
    "/rules/of/chair.pain.lower",
    "/rules/of/screening.pregnancy",
    "/instruments",
    "/emergency",
    "/outbox",
    "/reactions",
    "/outcomes",
    "/clients/CLIENT",
    "/clients/CLIENT/given",
    "/clients/CLIENT/progress",
    "/clients/CLIENT/photos",
    "ask",
    "look",
    "plate",
    "plate?plate=neck&work=pulsed_light",
    "plan",
    "plan?step=FIRST",
    "treat",
    "close",
    "return",
)


def addresses(server: Server, client_name: str) -> list[str]:
    marit = sign_in(server.url, "marit")
    visit = visit_of(marit, client_name)
    whose = re.search(r'/clients/([0-9a-f-]{36})" class="[^"]*">Ines Duarte', marit.get("/").text)
    assert whose
    first = next(iter(step_ids(marit, visit)), "none")
    paths = (path.replace("CLIENT", whose[1]).replace("FIRST", first) for path in PATHS)
    return [f"{server.url}{path}" if path.startswith("/") else f"{server.url}/visits/{visit}/{path}" for path in paths]


SIZES = ((820, 1180), (1280, 800))


def test_every_page(browser: Browser, server: Server) -> None:
    """In the light theme; in the dim one its colours, on the same page: the theme is an attribute of it."""
    with signed_in_page(browser, server, "marit") as page:
        page.context.add_cookies([{"name": "theme", "value": "light", "url": server.url}])
        asked: list[Request] = []
        said: list[str] = []
        page.on("request", lambda request: asked.append(request))
        page.on("console", lambda message: said.append(message.text) if message.type == "error" else None)
        page.on("pageerror", lambda error: said.append(str(error)))
        for address in addresses(server, "Greta Lindqvist"):
            page.goto(address)
            settled(page)
            for width, height in SIZES:
                page.set_viewport_size({"width": width, "height": height})
                assert page.evaluate("document.documentElement.scrollWidth") <= width, address
            assert violations(page) == [], address  # what axe finds does not hang on the size
            page.evaluate("document.documentElement.dataset.theme = 'dim'")
            assert violations(page, "color-contrast") == [], f"{address}, dim"
        assert said == []
        assert all(request.url.startswith((server.url, "data:")) for request in asked)


def test_first_load_is_light(browser: Browser, server: Server, record_property: Callable[[str, object], None]) -> None:
    context = browser.new_context()
    page = context.new_page()
    cdp = context.new_cdp_session(page)
    cdp.send("Network.enable")
    sizes: list[float] = []
    cdp.on("Network.loadingFinished", lambda event: sizes.append(event["encodedDataLength"]))
    page.goto(f"{server.url}/sign-in")
    page.wait_for_load_state("networkidle")
    context.close()
    assert len(sizes) >= 5, "page, style, two scripts, font"
    record_property("first_load_kb", round(sum(sizes) / 1024))
    assert sum(sizes) <= 250 * 1024, f"{sum(sizes) / 1024:.0f} KB"


def test_the_chair_never_scrolls_and_reads_from_afar(browser: Browser, server: Server) -> None:
    from tests.browser.test_kill import ready_to_begin

    visit = ready_to_begin(sign_in(server.url, "tomas"), "Samir Oduya")
    with signed_in_page(browser, server, "tomas") as page:
        page.goto(f"{server.url}/visits/{visit}/treat")
        page.locator("#main-act", has_text="Start the clock").wait_for()
        while page.locator("#title").inner_text() != "Finished":  # prepare, start, every step to the end
            assert page.evaluate("document.documentElement.scrollHeight") <= 800, page.locator("#title").inner_text()
            for figure in page.locator("#chair .figure:visible").all():
                assert float(re.sub("px", "", figure.evaluate("e => getComputedStyle(e).fontSize"))) >= 48, (
                    figure.inner_text()
                )
            for key in page.locator("#chair button:visible").all():
                box = key.bounding_box()
                assert box and min(box["width"], box["height"]) >= 56 and box["y"] + box["height"] <= 800, (
                    key.inner_text()
                )
            assert violations(page) == []
            assert faint(page) == []
            page.keyboard.press("Space" if page.locator("#main-act").inner_text() == "Start the clock" else "n")


def test_pages_for_nobody_yet_and_pages_of_trouble(browser: Browser, server: Server) -> None:
    page = browser.new_page(viewport={"width": 1280, "height": 800})
    page.goto(f"{server.url}/sign-in")
    assert violations(page) == []
    page.get_by_role("button", name="Sign in").click()
    assert page.locator("#slip-password").inner_text().strip("⊘ ") == "That name and password do not belong together."
    page.goto(f"{server.url}/nowhere")
    assert violations(page) == []
    assert page.get_by_role("heading").inner_text() == "There is no such page."
    page.close()


def test_theme_keys_and_days_by_hand(browser: Browser, server: Server) -> None:
    with signed_in_page(browser, server, "joost", "/") as page:
        page.get_by_role("button", name="Dim").click()
        assert page.locator("html").get_attribute("data-theme") == "dim"
        page.wait_for_load_state()
        page.keyboard.press("?")
        expect(page.get_by_role("dialog", name="Keys")).to_be_visible()
        page.keyboard.press("Escape")
        page.get_by_role("link", name=re.compile("→")).click()
        assert page.locator("tbody tr").count() >= 1, "the demo is alive tomorrow too"
        asked: list[str] = []
        page.on("dialog", lambda dialog: (asked.append(dialog.message), dialog.dismiss()))
        page.get_by_role("button", name="cancel").first.click()
        assert "off the diary" in asked[0] and page.locator("tbody tr").count() >= 1, (
            "asked in words of the consequence, and not done"
        )


def test_the_owner_adds_a_machine_by_hand(browser: Browser, server: Server) -> None:
    with signed_in_page(browser, server, "marit", "/") as page:
        page.get_by_role("link", name="Practice").click()
        form = page.locator("form", has=page.get_by_role("heading", name="Add a machine"))
        form.get_by_label("Name in the room").fill("old unit")
        form.get_by_label("Contact area").fill("0,9")
        form.get_by_label("Measured points").fill("3 100\n1 200")
        form.get_by_role("button", name="Add").click()
        slip = page.locator("#slip-points")
        assert "must rise" in slip.inner_text()
        assert page.get_by_label("Name in the room").input_value() == "old unit", "nothing typed is lost"
        page.get_by_label("Measured points").fill("")
        page.locator("form", has=page.get_by_role("heading", name="Add a machine")).get_by_role(
            "button", name="Add"
        ).click()
        assert "Not calibrated: doses are unknown" in page.get_by_role("region", name="Machines").inner_text()
        page.on("dialog", lambda dialog: dialog.accept())
        page.get_by_role("button", name="put away").last.click()
        page.get_by_text("Put away: 1").click()
        page.get_by_role("button", name="take the old unit out again").click()
        page.get_by_text("The machine is in use again.").wait_for()
        page.get_by_role("button", name="put away").last.click()
        page.get_by_text("Put away: 1").wait_for()
