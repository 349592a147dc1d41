"""One picture of each main view at 1280×800, from the demo, by walking through a visit. Run by scripts/screenshots."""

import os
import re
import subprocess
import sys
from pathlib import Path

import psycopg
from playwright.sync_api import Browser, Page, sync_playwright

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT))
from builders.browser import signed_in_page  # noqa: E402
from builders.database import cli, fresh_database  # noqa: E402
from builders.server import Server, sign_in  # noqa: E402
from builders.visits import begun, sent, visit_of  # noqa: E402
from merak.demo.portrait import HEIGHT, WIDTH, portrait  # noqa: E402

SHOTS = ROOT / "docs/screenshots"


def shot(page: Page, name: str) -> None:
    """The page as it stands, without the pointer's traces."""
    page.mouse.move(0, 0)
    page.evaluate("window.scrollTo(0, 0)")
    page.evaluate("document.activeElement?.blur()")
    page.wait_for_load_state("networkidle")
    page.screenshot(path=SHOTS / f"{name}.png")


def first_answers(page: Page) -> None:
    """Last time's answers confirmed, the rest asked, nothing found."""
    page.get_by_role("button", name="Unchanged").click()
    rest = page.get_by_role("button", name="Asked the rest: nothing")
    while rest.count():
        rest.first.click()
        page.wait_for_load_state("networkidle")


def photograph(page: Page, visit: str) -> None:
    """Today's photograph, with its landmarks clicked."""
    content, landmarks = portrait(-20, -3, 9)
    page.goto(f"{visit}/photos")
    page.locator("#file").set_input_files({"name": "today.jpg", "mimeType": "image/jpeg", "buffer": content})
    page.get_by_role("button", name="Keep it").click()
    page.locator("#photo").wait_for()
    page.locator("#again").click()
    box = page.locator("#photo").bounding_box()
    assert box
    size = min(box["width"] / WIDTH, box["height"] / HEIGHT)
    left, top = box["x"] + (box["width"] - WIDTH * size) / 2, box["y"] + (box["height"] - HEIGHT * size) / 2
    for point in landmarks.split():
        x, y = (float(part) for part in point.split(","))
        page.mouse.click(left + x * size, top + y * size)
    page.locator("#over").wait_for()


def open_visit(page: Page, server: Server, client: str) -> str:
    """The address of a client's visit today."""
    page.goto(server.url)
    row = page.locator("tr", has_text=client)
    return f"{server.url}/visits/{row.get_attribute('data-visit')}"


def walk(browser: Browser, server: Server) -> None:
    """Each view in the order of the work."""
    with signed_in_page(browser, server, "tomas", "/") as page:
        shot(page, "day")
        visit = open_visit(page, server, "Kofi Mensah-Lund")
        page.goto(f"{visit}/ask")
        page.get_by_role("button", name="Unchanged").click()
        shot(page, "ask")
        visit = open_visit(page, server, "Ines Duarte")
        page.goto(f"{visit}/ask")
        first_answers(page)
        page.goto(f"{visit}/look")
        for field, value in (
            ("brow_right_mm", "12"),
            ("brow_left_mm", "10.5"),
            ("cheek_right_mm", "20"),
            ("cheek_left_mm", "18.9"),
        ):
            page.locator(f"#f-{field}").fill(value)
        page.locator("#side", has_text="1.3 mm higher").wait_for()
        page.goto(f"{visit}/look?kind=laxity")
        for zone, before, times in (("left-lower-cheek", 1, 1), ("left-jawline", 0, 2), ("left-mid-cheek", 0, 1)):
            for n in range(times):
                page.locator(f"#z-{zone}").press("Enter")
                page.locator(f"#z-{zone}[aria-label$='{before + n + 1} of 4']").wait_for()
        shot(page, "look")
        page.goto(f"{visit}/plate?work=rf_fractional")
        page.locator("#sheet").focus()
        for _ in range(5):
            page.keyboard.press("ArrowRight")
        shot(page, "plate")
        page.goto(f"{visit}/plate#marks")
        page.locator(".kind-pigment").click()
        page.goto(f"{server.url}/bench/heat")
        with page.expect_response("**/bench/heat"):
            page.locator("[name=readings]").fill("30 35.6\n90 37.9\n180 39.6")
        page.locator("#w-heat-absorbed").wait_for()
        shot(page, "bench")
        page.goto(f"{server.url}/rules?of=pulsed_light")
        shot(page, "rules")
        photograph(page, visit)
        page.goto(f"{visit}/plan")
        page.get_by_role("button", name="Take this one").first.click()
        page.locator("#strip .step-block[title^='Microcurrent']").click()
        page.locator("#step-form").wait_for()
        shot(page, "plan")
        page.goto(f"{visit}/plan")
        page.get_by_label("signed on paper").check()
        page.get_by_role("button", name="Ines agrees").click()
        page.get_by_role("button", name="Begin").click()
        page.get_by_role("button", name="Start the clock").click()
        while not page.locator("#title").inner_text().startswith("Lift"):
            page.keyboard.press("n")
        for _ in range(17):
            page.keyboard.press("Space")
        page.keyboard.press("2")
        page.get_by_text("all kept").wait_for()
        shot(page, "treat")
        for _ in range(19):
            page.keyboard.press("Space")
        while page.locator("#title").inner_text() not in ("Finish", "Finished"):
            page.keyboard.press("n")
        page.locator("#main-act").click()
        page.get_by_text("all kept").wait_for()
        page.goto(f"{visit}/close")
        close(page)
        page.get_by_role("button", name="Book it").click()
        page.get_by_text("session 4 of 10").wait_for()
        shot(page, "return")
        made = Path(os.environ["MERAK_VAR_PDF"])
        made.write_bytes(page.request.get(f"{visit}/sheet.pdf?lang=en").body())
        subprocess.run(
            ["pdftoppm", "-png", "-r", "70", "-singlefile", str(made), str(SHOTS / "aftercare-sheet")], check=True
        )
        afterwards(page, server)
    at_the_chair(browser, server)
    with signed_in_page(browser, server, "marit") as page:
        page.goto(f"{server.url}/practice")
        shot(page, "practice")
        page.goto(f"{server.url}/instruments")
        shot(page, "instruments")


def close(page: Page) -> None:
    """Both looks at the skin, what differs explained, initials; then sealed."""
    page.get_by_role("link", name=re.compile("2 after the mask")).click()
    page.locator("#answer-nav [aria-current]", has_text="2 after").wait_for()
    page.get_by_role("button", name="Nothing seen").click()
    page.locator("#soothing", has_text="nothing").wait_for()
    page.get_by_role("link", name=re.compile("1 after the treatment")).click()
    page.locator("#answer-nav [aria-current]", has_text="1 after").wait_for()
    for zone, times in (("right-upper-cheek", 2), ("right-mid-cheek", 1)):
        for n in range(times):
            page.locator(f"#z-{zone}").press("Enter")
            page.locator(f"#z-{zone}[aria-label$='{n + 1} of 4']").wait_for()
    for name, grade in (("pain", 0), ("comfort", 9)):
        page.locator(f"input[name={name}][value='{grade}']").check(force=True)
    for group in page.get_by_role("radiogroup", name=re.compile("Endpoint of")).all():
        group.get_by_role("radio", name="seen", exact=True).check()
    page.get_by_label("Why, for all").select_option("time")
    page.get_by_label("Note").fill("Right side up by two millimetres; left side not done, out of time.")
    page.locator("#sheet").get_by_role("link", name="English").click()
    page.locator("#sheet", has_text="Do").wait_for()
    page.get_by_role("radio", name="by letters").check()
    page.get_by_label("Initials", exact=True).fill("ID")
    shot(page, "close")
    page.get_by_role("button", name="Close and seal").click()


def afterwards(page: Page, server: Server) -> None:
    """The client's page, progress, what another's skin was given, two photographs and what changed between them, the
    client's own questions.
    """
    page.goto(server.url)
    whose = page.get_by_role("link", name="Ines Duarte", exact=True).get_attribute("href")
    page.goto(f"{server.url}{whose}")
    shot(page, "client")
    page.goto(f"{server.url}{whose}/progress")
    shot(page, "progress")
    with psycopg.connect(os.environ["MERAK_DATABASE_URL"]) as db:
        row = db.execute("SELECT id FROM client WHERE name = 'Margit Ferro'").fetchone()
    page.goto(f"{server.url}/clients/{row[0] if row else ''}/given")
    shot(page, "given")
    page.goto(f"{server.url}{whose}/photos?neutral_one=770,1000&neutral_other=770,1005&place=330,640")
    page.locator(".said").wait_for()
    shot(page, "photos")
    with psycopg.connect(os.environ["MERAK_DATABASE_URL"]) as db:  # a day goes by
        db.execute("UPDATE task SET due_at = now() - interval '1 hour' WHERE kind = 'ask' AND done_at IS NULL")
    page.goto(f"{server.url}/outbox")
    letter = page.locator("article.message", has_text="Ines Duarte").filter(has_text="no dia a seguir").first
    link = letter.locator("[href^='/answer/']").get_attribute("href")
    page.goto(f"{server.url}{link}?lang=en")
    shot(page, "answer")


def at_the_chair(browser: Browser, server: Server) -> None:
    """Pins walked cell by cell."""
    ctx = sign_in(server.url, "adaeze")
    cheeks = ("mid cheek", "lower cheek", "upper cheek")
    pins = begun(
        ctx, visit_of(ctx, "Petra Halloran"), "cleanse", "numbing", "rf_fractional", "finish", Fractional=cheeks
    )
    sent(
        ctx,
        pins,
        ("start", 2700),
        ("next", 2460),
        ("next", 2430),
        ("next", 2280),
        ("next", 480),
        ("next", 470),
        ("next", 460),
        ("spot", 400, None, {"zone": "right jawline"}),
    )
    with signed_in_page(browser, server, "adaeze") as page:
        page.goto(f"{server.url}/visits/{pins}/treat")
        page.get_by_role("radiogroup", name="Redness").get_by_role("radio", name="2").click()
        page.get_by_role("radiogroup", name="Swelling").get_by_role("radio", name="1").click()
        page.keyboard.press("Space")
        for _ in range(31):
            page.keyboard.press("Space")
        page.get_by_text("all kept").wait_for()
        shot(page, "treat-pins")


def main() -> None:
    """Takes them all."""
    SHOTS.mkdir(parents=True, exist_ok=True)
    os.environ["MERAK_VAR_PDF"] = str(ROOT / "var/sheet.pdf")
    os.environ["MERAK_DATABASE_URL"] = fresh_database("merak_shots")
    cli("migrate")
    server = Server()
    try:
        with sync_playwright() as playwright:
            browser = playwright.chromium.launch(
                executable_path="/usr/bin/chromium-headless-shell", args=["--no-sandbox", "--disable-gpu"]
            )
            cli("demo")
            walk(browser, server)
            browser.close()
    finally:
        server.kill()


if __name__ == "__main__":
    main()
