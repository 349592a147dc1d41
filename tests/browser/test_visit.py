"""A visit by hand in the real browser: from sign-in to the sheet and the calendar file; and one that a rule stops."""

import re
from collections.abc import Callable
from datetime import date, timedelta
from io import BytesIO

import psutil
from playwright.sync_api import Browser, Page, expect
from pypdf import PdfReader

from builders.browser import clean_first, settled, sign_in_by_hand, signed_in_page, violations
from builders.server import Server

WORDS = {"microcurrent": "Microcurrent", "mask": "Mask", "led": "Light", "finish": "Finish", "cleanse": "Cleanse"}


def stage(page: Page, name: str) -> None:
    page.get_by_role("navigation", name="Phases of the visit").get_by_role("link", name=name).click()
    page.wait_for_url(re.compile(f"/{name.lower()}"))


def answer_nothing(page: Page) -> None:
    """Everything was asked, heading by heading, and nothing applies."""
    rest = page.get_by_role("button", name="Asked the rest: nothing")
    for _ in range(rest.count()):
        before = rest.count()
        rest.first.click()
        expect(rest).to_have_count(before - 1)
    expect(page.locator("#board")).not_to_contain_text(re.compile(r"\d open"))


def sign(page: Page) -> None:
    """A signature drawn on the pad."""
    pad = page.locator("#pad")
    pad.scroll_into_view_if_needed()
    box = pad.bounding_box()
    assert box
    page.mouse.move(box["x"] + 60, box["y"] + 60)
    page.mouse.down()
    for n in range(1, 8):
        page.mouse.move(box["x"] + 60 + 40 * n, box["y"] + 60 + (25 if n % 2 else -15))
    page.mouse.up()


def number(page: Page, key: str) -> str:
    return page.locator(f"[data-key='{key}'] b").inner_text()


def cut_words(page: Page) -> list[str]:
    """Words and numbers of the strip of which a part is seen."""
    found: list[str] = page.evaluate(
        """() => [...document.querySelectorAll(".step-block .whole > *")].filter((word) => {
          const box = word.parentElement.getBoundingClientRect(), own = word.getBoundingClientRect();
          return own.top < box.bottom - 1 && own.right > box.right + 1;
        }).map((word) => word.textContent)"""
    )
    return found


def test_a_first_visit_from_sign_in_to_calendar_file(
    browser: Browser, server: Server, record_property: Callable[[str, object], None]
) -> None:
    with signed_in_page(browser, server, "joost", "/") as page:  # she rings up: the front desk books
        form = page.get_by_role("region", name="Add a visit")
        form.get_by_label("Client").fill("Oona Virtanen-Reyes")
        form.get_by_label("Birth date, when new").fill("1983-02-17")
        form.get_by_label("Time").fill("18:15")
        form.get_by_label("Length").fill("60")
        form.get_by_label("With").select_option(label="Marit Solheim")
        form.get_by_role("button", name="Add to the day").click()
        expect(page.get_by_role("row", name=re.compile("Oona"))).to_contain_text("1 of 10")
    with signed_in_page(browser, server, "adaeze", accept_downloads=True) as page:
        page.context.clear_cookies()  # she signs in herself
        sign_in_by_hand(page, server, "adaeze")
        row = page.get_by_role("row", name=re.compile("Oona"))
        expect(row).to_contain_text("first visit")
        row.get_by_role("link", name="Ask").click()

        # Ask: what is wanted, then the questions; the board follows each answer, letters are asked for.
        expect(page.locator("#q-since")).to_have_count(0)  # nothing "since last time" on a first visit
        page.get_by_role("checkbox", name="Laxity, folds").check()
        page.get_by_role("radio", name="pregnant, or may be").check()
        expect(page.locator("#board")).to_contain_text("No energy in pregnancy")
        page.locator("#q-pregnancy").get_by_role("radio", name="no", exact=True).check()
        page.get_by_role("radio", name="a muscle relaxant").check()
        page.locator("#on-injections").fill(f"{date.today() - timedelta(days=3)}")
        page.locator("#extra-injections summary").click()
        page.locator("#extra-injections").get_by_role("checkbox", name="forehead").check()
        expect(page.locator("#at-microcurrent")).to_contain_text("Left out: forehead")
        answer_nothing(page)
        assert violations(page) == []

        # Look: zones tapped on the plate, heights give the side.
        stage(page, "Look")
        page.get_by_role("link", name="Laxity, folds").click()
        page.get_by_label("On arrival").select_option("washed")
        page.get_by_label("Phototype").select_option("3")
        page.get_by_label("Sensitivity").select_option("yes")
        for n in range(2):
            page.locator("#z-left-lower-cheek").press("Enter")
            expect(page.locator("#plate")).to_contain_text(f"left lower cheek {n + 1}")
        page.get_by_label("Brow, right").fill("9,5")
        page.get_by_label("Brow, left").fill("12")
        expect(page.locator("#side")).to_contain_text("Start on the left")
        page.get_by_label("Ear to ear").fill("1300")
        expect(page.locator("#slip-ear_to_ear_mm")).to_contain_text("1300 mm cannot be ear to ear")
        page.get_by_label("Ear to ear").fill("284")
        expect(page.locator("#slip-ear_to_ear_mm")).to_be_empty()

        # Plan: proposals; one by hand; everything recomputed, a ceiling refused beside its field, a working opened.
        stage(page, "Plan")
        proposals = page.get_by_role("region", name="Proposals")
        expect(proposals).to_contain_text("laxity, folds, weak")
        expect(proposals).to_contain_text("left out, and why")
        assert violations(page) == []
        for modality in ("microcurrent", "mask", "led", "finish"):
            page.get_by_label("Add a step").select_option(modality)
            page.get_by_role("button", name="Add", exact=True).click()
            expect(page.locator("#strip .step-block").last).to_be_visible()
            expect(page.locator(f"#strip .step-block[title^='{WORDS[modality]}']")).to_have_count(1)
        lift = page.locator("#strip .step-block[title^='Microcurrent lift']")
        lift.click()
        expect(page.get_by_label("Level", exact=True)).to_have_value("2")  # 3 − 1 for sensitive skin
        settled(page)
        step = lift.get_attribute("data-step") or ""
        assert number(page, f"{step}.current") == "90"
        strokes, gel = number(page, f"{step}.strokes"), number(page, f"{step}.gel")
        wide = lift.bounding_box()
        page.get_by_label("Repeats").fill("2")
        expect(page.locator(f"[data-key='{step}.strokes'] b")).to_have_text(str(int(strokes) * 2 // 3))
        assert number(page, f"{step}.gel") == gel
        shorter = lift.bounding_box()
        strip = page.locator(".lane").bounding_box()
        last = page.locator(".track-0 .step-block").last.bounding_box()
        assert wide and shorter and strip and last and shorter["width"] < wide["width"], (
            "the strip follows at once, width as minutes"
        )
        assert abs(last["x"] + last["width"] - strip["x"] - strip["width"]) < 4
        for width in (390, 1024, 1280):
            page.set_viewport_size({"width": width, "height": 800})
            assert cut_words(page) == [], "a word of the strip stands whole or not at all"
        page.get_by_label("Current", exact=True).fill("1100")
        expect(page.locator(f"#slip-{step}-level")).to_contain_text("above 1000 µA")
        expect(page.get_by_role("button", name="Oona agrees")).to_have_count(0)
        page.get_by_label("Current", exact=True).fill("150")
        expect(page.get_by_label("Level", exact=True)).to_have_value("3")
        settled(page)
        page.locator(f"[data-key='{step}.density']").click()
        expect(page.get_by_role("complementary", name="Working")).to_contain_text("current ÷ contact area")
        assert violations(page) == []
        page.keyboard.press("Escape")
        expect(page.get_by_role("complementary", name="Working")).to_have_count(0)

        # The strip by keyboard and by hand: moved, lengthened, beside, taken back.
        minutes = page.locator("[data-key='visit.minutes'] b")
        page.locator("#strip .step-block[title^='Light']").click()
        expect(page.get_by_label("Runs")).to_be_visible()
        settled(page)
        page.get_by_label("Runs").select_option(label="Mask")
        expect(page.locator(".track-1 .step-block")).to_have_count(1)
        saved = int(minutes.inner_text())
        mask = page.locator("#strip .step-block[title^='Mask']")
        mask.press("ArrowLeft")
        expect(page.locator("#strip")).to_contain_text("The mask comes after the work.")
        expect(mask).to_be_focused()
        mask.press("Control+z")
        expect(page.locator("#strip")).not_to_contain_text("The mask comes after the work.")
        mask.press("+")
        expect(minutes).to_have_text(str(saved + 1))
        mask.drag_to(page.locator("#strip .step-block[title^='Microcurrent']"), target_position={"x": 4, "y": 20})
        expect(page.locator("#strip")).to_contain_text("The mask comes after the work.")
        page.get_by_role("button", name="Undo").click()
        expect(page.locator("#strip")).not_to_contain_text("The mask comes after the work.")
        page.reload()
        expect(minutes).to_have_text(str(saved + 1))

        # Signed: not without a signature.
        page.get_by_role("button", name="Oona agrees").click()
        expect(page.locator("#slip-signature")).to_contain_text("Sign above")
        sign(page)
        page.get_by_role("button", name="Oona agrees").click()
        page.wait_for_url(re.compile("/treat"))
        stage(page, "Plan")
        expect(page.locator("#consent")).to_contain_text("Agreed to the plan as it stands")
        sheet = page.request.get(server.url + (page.get_by_role("link", name="The sheet").get_attribute("href") or ""))
        words = "".join(part.extract_text() for part in PdfReader(BytesIO(sheet.body())).pages)
        assert "Microcurrent lift" in words and "may feel" in words and "Agreed" in words
        page.get_by_role("link", name="Tray list").click()
        expect(page.locator(".tray")).to_contain_text("gel")
        assert violations(page) == []
        stage(page, "Treat")

        # Treat: the steps, counted by key and tap.
        clean_first(page)
        page.get_by_role("button", name="Begin").click()
        page.get_by_role("button", name="Start the clock").click()
        page.keyboard.press("n")
        expect(page.locator("#title")).to_have_text("Lift, left")
        total = int(page.locator("#total").inner_text())
        for _ in range(4):
            page.keyboard.press("Space")
        page.keyboard.press("ArrowLeft")
        expect(page.locator("#count")).to_have_text("3")
        expect(page.locator("#line")).to_contain_text("low: 2 of 2, bone")
        page.get_by_role("button", name="level up").click()
        page.get_by_role("button", name="just felt").click()
        expect(page.locator("#level")).to_have_text("2.5")
        page.get_by_role("button", name="pause").click()
        expect(page.locator("#main-act")).to_have_text("Resume")
        page.locator("#main-act").click()
        expect(page.locator("#sent")).to_have_text("all kept")

        with signed_in_page(browser, server, "lin") as second:  # another browser, the same step and count
            second.goto(page.url)
            expect(second.locator("#count")).to_have_text("3")
            expect(second.locator("#level")).to_have_text("2.5")
            second.keyboard.press("Space")
            expect(second.locator("#sent")).to_have_text("all kept")
        expect(page.locator("#count")).to_have_text("4")

        for _ in range(total - 4 + 1):  # one press too many
            page.keyboard.press("Space")
        expect(page.locator("#main-act")).to_have_text("Next: Mirror")
        while page.locator("#title").inner_text() != "Finish":
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
        page.get_by_role("radio", name="by letters").check()
        page.get_by_role("button", name="Close and seal").click()
        expect(page.locator("#slip-answer")).to_contain_text("Look once more after the treatment and after the mask")
        expect(page.get_by_label("Note")).to_have_value("Went well; stopped the right side on purpose.")
        for grade in (1, 2, 3):
            page.locator("#z-right-upper-cheek").click()
            expect(page.locator("#z-right-upper-cheek")).to_have_attribute(
                "aria-label", re.compile(f"redness {grade} of 4")
            )
        expect(page.locator("#sheet")).to_contain_text("No sauna")
        page.get_by_role("link", name=re.compile("2 after the mask")).click()
        expect(page.locator("#answer-nav [aria-current]").first).to_contain_text("2 after")
        page.get_by_role("button", name="Nothing seen").click()
        expect(page.locator("#soothing")).to_contain_text("before they go, Adaeze Okonjo: nothing")
        expect(page.get_by_label("Senior who looked")).to_have_value("Adaeze Okonjo")
        for name, grade in (("Pain", "1"), ("Comfort", "9")):
            page.get_by_role("radiogroup", name=re.compile(name)).get_by_role("radio", name=grade, exact=True).check(
                force=True
            )
        for group in page.get_by_role("radiogroup", name=re.compile("Endpoint of")).all():
            group.get_by_role("radio", name="seen", exact=True).check()
        page.get_by_label("Why, for all").select_option("judged")
        page.get_by_role("radio", name="by letters").check()
        page.get_by_label("Initials", exact=True).fill("OV")
        assert violations(page) == []
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
        pdf = page.request.get(
            server.url + (page.get_by_role("link", name="Aftercare sheet").get_attribute("href") or "")
        )
        text = "".join(sheet.extract_text() for sheet in PdfReader(BytesIO(pdf.body())).pages)
        assert "Oona Virtanen-Reyes" in text and "No sauna" in text and "Next visit" in text and "____" not in text

        # Sealed: what was closed cannot be written over.
        stage(page, "Ask")
        assert page.request.post(page.url, form={"heart": "yes", "csrf": "x"}).status == 403
        token = page.locator("input[name=csrf]").first.input_value()
        assert page.request.post(page.url, form={"heart": "yes", "csrf": token}).status == 409

    used = psutil.Process(server.process.pid).memory_info().rss / 2**20
    record_property("app_process_mb", round(used))
    assert used <= 250, f"{used:.0f} MB"


def test_a_rule_stops_current_but_not_light(browser: Browser, server: Server) -> None:
    with signed_in_page(browser, server, "adaeze", "/") as page:
        row = page.get_by_role("row", name=re.compile("Rosalind Achterberg"))
        expect(row).to_contain_text("never: ")
        row.get_by_role("link", name="Ask").click()
        page.get_by_role("button", name=re.compile("Unchanged since")).click()
        answer_nothing(page)
        expect(page.locator("#at-microcurrent .verdict")).to_have_text("never")
        stage(page, "Plan")
        token = page.locator("input[name=csrf]").first.input_value()
        asked = page.request.post(
            f"{page.url}/add", form={"csrf": token, "modality": "microcurrent"}, headers={"HX-Request": "true"}
        )
        assert "never: Current through the body can disturb" in asked.text(), "not through the back door either"
        for modality in ("cleanse", "led", "finish"):
            page.get_by_label("Add a step").select_option(modality)
            page.get_by_role("button", name="Add", exact=True).click()
            expect(page.locator(f"#strip .step-block[title^='{WORDS[modality]}']")).to_have_count(1)
        page.get_by_label("signed on paper").check()
        page.get_by_role("button", name="Rosalind agrees").click()
        # An answer given after consent takes the consent back.
        stage(page, "Ask")
        page.locator("#q-light_medicine").get_by_role("radio", name=re.compile("taking it")).check()
        expect(page.locator("#at-led .verdict")).to_have_text("letter")
        # The letter is asked for, comes, and is filed: light is possible again.
        page.locator("form", has_text="taking it").get_by_role("button", name="Ask for a letter").click()
        page.locator(".letter summary").click()
        page.get_by_role("radio", name="the doctor allows it").check()
        page.locator("[name=file]").set_input_files(
            {"name": "letter.pdf", "mimeType": "application/pdf", "buffer": b"%PDF-1.7 invented"}
        )
        page.get_by_role("button", name="File it").click()
        expect(page.locator("#at-led .verdict")).to_have_text("change")
        expect(page.locator(".letter .verdict")).to_contain_text("valid to")
        stage(page, "Treat")
        expect(page.get_by_role("button", name="Begin")).to_have_count(0)
        expect(page.locator("main")).to_contain_text("not agreed")
        stage(page, "Plan")
        page.get_by_label("signed on paper").check()
        page.get_by_role("button", name="Rosalind agrees").click()
        clean_first(page)
        page.get_by_role("button", name="Begin").click()
        page.get_by_role("button", name="Start the clock").click()
        expect(page.locator("#title")).to_have_text("Cleanse")
        page.keyboard.press("n")
        page.keyboard.press("n")
        expect(page.locator("#title")).to_have_text("Red light")
        expect(page.locator("#saying")).to_be_hidden()
