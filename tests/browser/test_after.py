"""From the close page to the client's own answer and the changed next plan; the sheet as PDF; photographs measured."""

import re

import httpx
import psycopg
import pytest
from playwright.sync_api import Browser, Page, Route, expect

from builders.browser import intercept, settled, signed_in_page, violations
from builders.server import Server, sign_in
from builders.visits import begun, booked, sent
from tests.browser.test_visit import sign


@pytest.fixture(scope="module")
def adaeze(server: Server) -> httpx.Client:
    return sign_in(server.url, "adaeze")


def due_now(demo: str, visit: str) -> None:
    """Days go by."""
    with psycopg.connect(demo) as db:
        db.execute("UPDATE task SET due_at = now() - interval '1 hour' WHERE visit_id = %s AND kind = 'ask'", [visit])
        db.execute("UPDATE message SET send_at = now() - interval '1 hour' WHERE visit_id = %s", [visit])


def secret(page: Page, name: str, words: str) -> str:
    """The address that a message to a client holds, read off the outbox."""
    letter = page.locator("article.message", has_text=name).filter(has_text=words)
    return letter.locator("a[href^='/answer/']").get_attribute("href") or ""


def answer(page: Page, **said: str) -> None:
    for field, value in said.items():
        page.locator(f"[name={field}][value='{value}']").check()
    page.get_by_role("button").click()


def test_from_close_to_the_clients_answer_and_the_changed_next_plan(
    browser: Browser, server: Server, adaeze: httpx.Client, demo: str
) -> None:
    visit = begun(adaeze, booked(adaeze, "Answering Invented"), "microcurrent", "finish")
    sent(
        adaeze,
        visit,
        ("start", 900),
        ("next", 800),
        *[("count", 700)] * 51,
        ("next", 500),
        ("next", 480),
        *[("count", 400)] * 45,
    )
    with signed_in_page(browser, server, "adaeze") as page:
        page.goto(f"{server.url}/visits/{visit}/close")
        page.get_by_role("link", name="Answering Invented").click()
        page.get_by_label("Mail").fill("answering.example")
        page.get_by_role("button", name="Keep").click()
        expect(page.locator("#slip-email")).to_contain_text("no mail address")
        page.get_by_label("Mail").fill("answering@vesper-bay.example")
        page.get_by_label("Language").select_option("pt")
        page.get_by_role("button", name="Keep").click()
        expect(page.get_by_label("Mail")).to_have_value("answering@vesper-bay.example")
        page.goto(f"{server.url}/visits/{visit}/close")
        expect(page.locator("main")).to_contain_text("Still running")
        sent(adaeze, visit, ("next", 300), ("next", 200), ("finish", 100))
        page.reload()

        # Close: both looks, what differs explained, the sheet as PDF without leaving the page, initialled.
        page.locator("#z-left-chin").click()
        expect(page.locator("#soothing")).to_contain_text("redness 1 of 4 (left chin)")
        page.get_by_role("row", name=re.compile("Cool, damp cloth")).get_by_role("button", name="Order").click()
        page.get_by_role("row", name=re.compile("Cool, damp cloth")).get_by_role("button", name="Done").click()
        expect(page.get_by_role("row", name=re.compile("Cool, damp cloth"))).to_contain_text(
            re.compile("Adaeze Okonjo.*Adaeze Okonjo", re.DOTALL)
        )
        page.get_by_role("link", name=re.compile("2 after the mask")).click()
        expect(page.locator("#answer-nav [aria-current]").first).to_contain_text("2 after")
        page.get_by_role("button", name="Nothing seen").click()
        expect(page.locator("#answer-nav .text-stop")).to_have_count(0)
        for name in ("Pain", "Comfort"):
            page.get_by_role("radiogroup", name=re.compile(name)).get_by_role("radio", name="0", exact=True).check(
                force=True
            )
        page.get_by_role("radiogroup", name=re.compile("Endpoint of")).get_by_role("radio", name="not seen").check()
        page.get_by_label(re.compile("^Why: Lift, left")).select_option("client")
        page.get_by_label("Product 1", exact=True).fill("serum")
        page.get_by_label("Lot of product 1").fill("S-1")
        expect(page.locator("#sheet")).to_contain_text("Sem ácidos")
        page.locator("#sheet").get_by_role("link", name="English").click()
        expect(page.locator("#sheet")).to_contain_text("No acids")
        page.get_by_label("Words for the client").fill("Drink water.")
        page.get_by_label("Note").click()
        expect(page.locator("#sheet .own")).to_have_text("Drink water.")
        page.get_by_role("button", name="Close and seal").click()
        expect(page.locator("#slip-signature")).to_contain_text("Initials above")
        sign(page)
        page.get_by_role("button", name="Close and seal").click()
        page.get_by_label("Time").fill("09:30")  # beside what other tests have booked
        page.get_by_role("button", name="Book it").click()
        expect(page.get_by_text("session 2 of 10")).to_be_visible()
        page.goto(f"{server.url}/visits/{visit}/close")
        with page.expect_response(re.compile(r"sheet\.pdf")) as made:
            page.locator("#sheet").get_by_role("link", name="PDF").click()
        assert made.value.status == 200 and page.request.get(made.value.url).body().startswith(b"%PDF")
        expect(page.locator(".making")).to_be_hidden()
        page.get_by_label("What is added").fill("The chin was pink the next day.")
        page.get_by_label("Why", exact=True).fill("she called")
        page.get_by_role("button", name="Add to the record").click()
        expect(page.get_by_role("region", name="Additions")).to_contain_text(
            "The chin was pink the next day. Adaeze Okonjo"
        )
        assert violations(page) == []

        # The client's own page shows nothing else, in her language, on her telephone.
        due_now(demo, visit)
        page.goto(f"{server.url}/outbox")
        day1, day7 = (
            secret(page, "Answering Invented", "no dia a seguir"),
            secret(page, "Answering Invented", "Uma semana depois"),
        )
        phone = browser.new_context(viewport={"width": 390, "height": 844}).new_page()
        phone.goto(server.url + day1)
        expect(phone.get_by_role("heading")).to_have_text("Como está a sua pele?")
        shown = phone.locator("body").inner_text()
        assert (
            not re.search("Answering|Adaeze|Invented|current|Lift", shown)
            and phone.evaluate("document.body.scrollWidth") <= 390
        )
        assert violations(phone) == []
        answer(phone, redness="1", swelling="0", pain="0", settled_h="24", mark="none", kept="yes", call="no")
        expect(phone.get_by_role("heading")).to_have_text("Obrigado")
        phone.reload()
        expect(phone.get_by_role("heading")).to_have_text("Obrigado")
        assert phone.request.get(f"{server.url}/visits/{visit}/close").url.startswith(f"{server.url}/sign-in"), (
            "and opens nothing else"
        )

        # The next plan begins lower, and says why.
        page.goto(f"{server.url}/visits/{visit}/return")
        following = adaeze.get(f"/clients/{client_of(adaeze, visit)}").text
        second = re.search(r"/visits/([0-9a-f-]{36})/plan", following)
        assert second
        ready_to_plan(adaeze, second[1])
        page.goto(f"{server.url}/visits/{second[1]}/plan")
        caution = page.locator(".caution", has_text="Last time")
        if not caution.count():
            page.locator("[data-step]").first.click()
        expect(page.locator("main")).to_contain_text(
            re.compile(r"Last time, .*: 3; now 2, gentler\. It settled later than expected")
        )

        # A bad answer is on the day sheet at once, and the course waits for a doctor's word.
        phone.goto(server.url + day7)
        answer(
            phone, redness="1", settled_h="0", mark="colour", kept="yes", improvement="0", satisfaction="5", call="yes"
        )
        expect(phone.locator(".alarm")).to_contain_text("vamos ligar-lhe")
        phone.context.close()
        page.goto(server.url)
        expect(page.locator("#due li").first).to_contain_text("Senior:")
        expect(page.locator("#due")).to_contain_text("The client tells of a brown, white or grey mark.")
        page.goto(f"{server.url}/visits/{second[1]}/plan")
        expect(page.locator("main")).to_contain_text("until a doctor has had a word")
        page.goto(f"{server.url}/reactions")
        expect(page.get_by_role("row", name=re.compile("Answering Invented"))).to_contain_text(
            "a brown, white or grey mark"
        )


def client_of(client: httpx.Client, visit: str) -> str:
    return re.search(r"/clients/([0-9a-f-]{36})", client.get(f"/visits/{visit}/close").text)[1]  # type: ignore[index]


def ready_to_plan(client: httpx.Client, visit: str) -> None:
    client.post(f"/visits/{visit}/ask/confirm")
    client.post(f"/visits/{visit}/ask", data={"since": "none", "changes": "none"}, headers={"hx-request": "true"})
    client.post(f"/visits/{visit}/plan/add", data={"modality": "microcurrent"}, headers={"hx-request": "true"})


def test_two_photographs_are_laid_over_each_other_and_a_place_is_measured(
    browser: Browser, server: Server, adaeze: httpx.Client
) -> None:
    client = re.search(r'/clients/([0-9a-f-]{36})" class="[^"]*">Ines Duarte', adaeze.get("/").text)[1]  # type: ignore[index]
    with signed_in_page(browser, server, "tomas") as page:
        page.goto(f"{server.url}/clients/{client}/photos")
        page.locator("#slide").fill("20")
        assert page.locator("#cut").get_attribute("width") == "180"
        page.get_by_role("button", name="Measure a place").click()
        expect(page.locator("#measuring")).to_contain_text("grey card in the earlier")

        def click(photo: str, x: float, y: float) -> None:
            place = (
                "const p = new DOMPoint(x, y).matrixTransform(document.getElementById(id).getScreenCTM()); return [p.x,"
                " p.y]"
            )
            spot = page.evaluate(f"([id, x, y]) => {{ {place} }}", [photo, x, y])
            page.mouse.click(*spot)

        click("one", 770, 1000)
        expect(page.locator("#measuring")).to_contain_text("grey card in the later")
        click("other", 770, 1005)
        click("other", 330, 640)
        expect(page.locator(".said")).to_contain_text("less red", ignore_case=True)
        assert violations(page) == []
        page.goto(page.url.replace("neutral_other=", "neutral_other=330,640&was="))  # skin is no neutral reference
        expect(page.locator(".said")).to_contain_text("Cannot say")
        page.get_by_role("link", name="Progress").click()
        with page.expect_download() as table:
            page.get_by_role("link", name="As a table").click()
        assert "Water loss" in table.value.path().read_text(encoding="utf-8-sig")


def test_the_sheet_follows_the_last_of_quick_answers(browser: Browser, server: Server, adaeze: httpx.Client) -> None:
    """Taps come while the sheet is being joined for the first of them: it is joined once more for the last."""
    visit = begun(adaeze, booked(adaeze, "Hasty Invented"), "microcurrent", "led", "finish")
    sent(adaeze, visit, ("start", 900), ("next", 700), ("count", 690), ("stop", 100))
    with signed_in_page(browser, server, "adaeze") as page:
        page.goto(f"{server.url}/visits/{visit}/close")
        page.get_by_role("link", name=re.compile("1 after the treatment")).click()
        settled(page)
        cheek = page.locator("#z-right-upper-cheek")

        def meanwhile(route: Route) -> None:
            answer = route.fetch()
            for grade in (2, 3):
                cheek.click()
                expect(cheek).to_have_attribute("aria-label", re.compile(f"redness {grade} of 4"))
            route.fulfill(response=answer)

        intercept(page, "**/close/sheet", meanwhile, times=1)
        cheek.click()
        expect(cheek).to_have_attribute("aria-label", re.compile("redness 3 of 4"))
        expect(page.locator("#sheet")).to_contain_text("No sauna")
