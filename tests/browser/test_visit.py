"""A visit by hand in the real browser: from sign-in to the sheet and the calendar file; and one that a rule stops."""

import re
from collections.abc import Callable
from io import BytesIO

import psutil
from playwright.sync_api import Browser, Page, expect
from pypdf import PdfReader

from tests.browser.test_pages import violations
from tests.conftest import Server, signed_in_page

RETURNING = {"since", "changes"}


def stage(page: Page, name: str) -> None:
    page.get_by_role("navigation", name="Stages of the visit").get_by_role("link", name=name).click()
    page.wait_for_url(re.compile(f"/{name.lower()}"))


def answer_nothing(page: Page) -> None:
    """The first option of every question, one after the other, as a client with nothing to tell."""
    questions = page.locator("#ask-form fieldset")
    for n in range(questions.count()):
        questions.nth(n).get_by_role("radio").first.check()
    expect(page.locator("#board")).not_to_contain_text("open")


def number(page: Page, key: str) -> str:
    return page.locator(f"[data-key='{key}'] b").inner_text()


def test_a_first_visit_from_sign_in_to_calendar_file(
    browser: Browser, server: Server, record_property: Callable[[str, object], None]
) -> None:
    with signed_in_page(browser, server, "adaeze", accept_downloads=True) as page:
        # A walk-in who is new.
        form = page.get_by_role("region", name="Add a visit")
        form.get_by_label("Client").fill("Oona Virtanen-Reyes")
        form.get_by_label("Birth date, when new").fill("1983-02-17")
        form.get_by_label("Time").fill("19:00")
        form.get_by_label("Length").fill("30")
        form.get_by_role("button", name="Add to the day").click()
        row = page.get_by_role("row", name=re.compile("Oona"))
        expect(row).to_contain_text("1 of 10")
        expect(row).to_contain_text("first visit")
        row.get_by_role("link", name="Ask").click()

        # Ask: the board follows each answer.
        expect(page.locator("#q-since")).to_have_count(0)  # nothing "since last time" on a first visit
        page.get_by_role("radio", name="pregnant, or may be").check()
        expect(page.locator("#board")).to_contain_text("No current in pregnancy")
        answer_nothing(page)
        expect(page.locator("#board .verdict.go")).to_have_count(2)

        # Look: zones tapped on the plate, heights give the side.
        stage(page, "Look")
        page.get_by_label("Phototype").select_option("3")
        page.get_by_label("Sensitivity").select_option("yes")
        for _ in range(2):
            page.locator("#z-left-lower-cheek").press("Enter")
        expect(page.locator("#plate")).to_contain_text("left lower cheek 2")
        page.get_by_label("Brow, right").fill("9,5")
        page.get_by_label("Brow, left").fill("12")
        expect(page.locator("#side")).to_contain_text("Start on the left")
        page.get_by_label("Ear to ear").fill("1300")
        expect(page.locator("#slip-ear_to_ear_mm")).to_contain_text("1300 mm cannot be ear to ear")
        page.get_by_label("Ear to ear").fill("284")
        expect(page.locator("#slip-ear_to_ear_mm")).to_be_empty()

        # Plan: start values, everything recomputed, a ceiling refused beside its field, a working opened.
        stage(page, "Plan")
        expect(page.get_by_label("Level", exact=True)).to_have_value("2")  # 3 − 1 for sensitive skin
        assert number(page, "microcurrent.current") == "90"
        strokes, gel = number(page, "microcurrent.strokes"), number(page, "microcurrent.gel")
        page.get_by_label("Repeats").fill("2")
        expect(page.locator("[data-key='microcurrent.strokes'] b")).to_have_text(str(int(strokes) * 2 // 3))
        assert number(page, "microcurrent.gel") == gel
        page.get_by_label("Current", exact=True).fill("1100")
        expect(page.locator("#slip-microcurrent-level")).to_contain_text("above 1000 µA")
        expect(page.get_by_label("Current", exact=True)).to_have_value("1100")
        expect(page.get_by_role("button", name="Oona agrees")).to_have_count(0)
        page.get_by_label("Current", exact=True).fill("150")
        expect(page.get_by_label("Level", exact=True)).to_have_value("3")
        page.get_by_label("Fluence").fill("48")
        expect(page.get_by_label("Minutes", exact=True)).to_have_value("12.9")  # 48 J/cm² at 62 mW/cm²
        page.locator("[data-key='microcurrent.density']").click()
        expect(page.get_by_role("complementary", name="Working")).to_contain_text("current ÷ contact area")
        assert violations(page) == []
        page.keyboard.press("Escape")
        expect(page.get_by_role("complementary", name="Working")).to_have_count(0)
        page.reload()
        expect(page.get_by_label("Level", exact=True)).to_have_value("3")
        page.get_by_role("button", name="Oona agrees").click()

        # Treat: the steps, counted by key and tap.
        page.get_by_role("button", name="Begin").click()
        page.get_by_role("button", name="Start the clock").click()
        page.keyboard.press("n")
        expect(page.locator("#title")).to_have_text("Lift, left")
        total = int(page.locator("#total").inner_text())
        for _ in range(4):
            page.keyboard.press("Space")
        page.keyboard.press("ArrowLeft")
        expect(page.locator("#count")).to_have_text("3")
        expect(page.locator("#line")).to_contain_text("middle: 2 of 2")
        page.get_by_role("button", name="level up").click()
        page.get_by_role("button", name="just felt").click()
        expect(page.locator("#level")).to_have_text("3.5")
        page.get_by_role("button", name="pause").click()
        expect(page.locator("#main-act")).to_have_text("Resume")
        page.locator("#main-act").click()
        expect(page.locator("#sent")).to_have_text("all kept")

        with signed_in_page(browser, server, "lin") as second:  # another browser, the same step and count
            second.goto(page.url)
            expect(second.locator("#count")).to_have_text("3")
            expect(second.locator("#level")).to_have_text("3.5")
            second.keyboard.press("Space")
            expect(second.locator("#sent")).to_have_text("all kept")
        expect(page.locator("#count")).to_have_text("4")

        for _ in range(total - 4 + 1):  # one press too many
            page.keyboard.press("Space")
        expect(page.locator("#main-act")).to_have_text("Next: Mirror")
        for _ in range(4):
            page.keyboard.press("n")
        page.locator("#main-act").click()
        expect(page.locator("#title")).to_have_text("Finished")
        expect(page.locator("#sent")).to_have_text("all kept")
        page.locator("#main-act").click()

        # Close: prefilled from the events, the sheet follows the grades, nothing is closed half.
        expect(page.get_by_role("row", name=re.compile("Lift, left"))).to_contain_text(f"{total} of {total}")
        expect(page.get_by_role("row", name=re.compile("Lift, right"))).to_contain_text("0 of")
        expect(page.get_by_role("row", name=re.compile("Lift, left"))).to_contain_text("just felt")
        assert violations(page) == []
        page.get_by_label("Note").fill("Went well; stopped the right side on purpose.")
        page.get_by_role("button", name="Close and seal").click()
        expect(page.locator("#slip-redness")).to_contain_text("0 to 4")
        expect(page.get_by_label("Note")).to_have_value("Went well; stopped the right side on purpose.")
        for name, grade in (("Redness", "3"), ("Swelling", "0"), ("Pain", "1"), ("Comfort", "9")):
            page.get_by_role("radiogroup", name=re.compile(name)).get_by_role("radio", name=grade, exact=True).check(force=True)
        expect(page.locator("#sheet")).to_contain_text("No sauna")
        page.get_by_role("radio", name="Sheet explained").check()
        page.get_by_role("button", name="Close and seal").click()

        # Return: proposed, booked, handed over.
        expect(page.get_by_text("days after this visit")).to_be_visible()
        page.get_by_role("button", name="Book it").click()
        expect(page.get_by_text("session 2 of 10")).to_be_visible()
        assert violations(page) == []
        with page.expect_download() as download:
            page.get_by_role("link", name="calendar").click()
        ics = download.value.path().read_text()
        assert "BEGIN:VEVENT" in ics and "Oona" not in ics, "where and when, nothing of whom or what"
        pdf = page.request.get(server.url + (page.get_by_role("link", name="Aftercare sheet").get_attribute("href") or ""))
        text = "".join(sheet.extract_text() for sheet in PdfReader(BytesIO(pdf.body())).pages)
        assert "Oona Virtanen-Reyes" in text and "No sauna" in text and "Your next visit" in text and "____" not in text

        # Sealed: what was closed cannot be written over.
        stage(page, "Ask")
        assert page.request.post(page.url, form={"heart": "yes", "csrf": "x"}).status == 403
        token = page.locator("input[name=csrf]").first.input_value()
        assert page.request.post(page.url, form={"heart": "yes", "csrf": token}).status == 409

    used = psutil.Process(server.process.pid).memory_info().rss / 2**20
    record_property("app_process_mb", round(used))
    assert used <= 250, f"{used:.0f} MB"


def test_a_rule_stops_microcurrent_but_not_light(browser: Browser, server: Server) -> None:
    with signed_in_page(browser, server, "adaeze") as page:
        row = page.get_by_role("row", name=re.compile("Rosalind Achterberg"))
        expect(row).to_contain_text("microcurrent: never")
        row.get_by_role("link").click()
        page.get_by_role("button", name=re.compile("Unchanged since")).click()
        for name in RETURNING:
            page.locator(f"#q-{name}").get_by_role("radio").first.check()
        expect(page.locator("#board .verdict.never")).to_have_count(1)
        stage(page, "Plan")
        expect(page.get_by_role("checkbox", name="Microcurrent lift")).to_be_disabled()
        expect(page.locator("#worked")).to_contain_text("Microcurrent cannot be planned. Current through the body can disturb")
        token = page.locator("input[name=csrf]").first.input_value()
        wanted = {"csrf": token, "microcurrent": "on", "microcurrent.level": "1", "led": "on", "led.minutes": "10"}
        asked = page.request.post(page.url, form=wanted, headers={"HX-Request": "true"})
        assert "microcurrent cannot be planned: never" in asked.text(), "not through the back door either"
        page.reload()
        page.get_by_role("button", name="Rosalind agrees").click()
        # An answer given after consent takes the consent back.
        stage(page, "Ask")
        page.locator("#q-light_medicine").get_by_role("radio", name=re.compile("taking it")).check()
        expect(page.locator("#board .verdict.letter")).to_have_count(1)
        stage(page, "Treat")
        expect(page.get_by_role("button", name="Begin")).to_have_count(0)
        expect(page.locator("main")).to_contain_text("not agreed")
        # With the medicine out of the way the light alone is treated.
        stage(page, "Ask")
        page.locator("#q-light_medicine").get_by_role("radio", name="no", exact=True).check()
        expect(page.locator("#board .verdict.go")).to_have_count(1)
        stage(page, "Plan")
        page.get_by_role("button", name="Rosalind agrees").click()
        page.get_by_role("button", name="Begin").click()
        page.get_by_role("button", name="Start the clock").click()
        page.keyboard.press("n")
        expect(page.locator("#title")).to_have_text("Red light")
        expect(page.locator("#saying")).to_be_hidden()
