"""Closer looking by hand: scales scored, the phototype from questions and from a tone, photographs with landmarks laid
over each other.
"""

import re

from playwright.sync_api import Browser, Page, expect

from builders.browser import signed_in_page, violations
from builders.server import Server, sign_in
from builders.visits import step_ids, visit_of
from merak.demo.portrait import HEIGHT, WIDTH, portrait


def test_scales_and_phototype_are_scored_and_kept(browser: Browser, server: Server) -> None:
    visit = visit_of(sign_in(server.url, "tomas"), "Samir Oduya")
    with signed_in_page(browser, server, "tomas") as page:
        page.goto(f"{server.url}/visits/{visit}/scales")
        acne = page.get_by_role("region", name="Acne, global score")
        acne.get_by_label("Forehead").fill("5")
        acne.get_by_role("button", name="Score").click()
        expect(page.locator("#slip-acne-forehead")).to_contain_text("4 at most")
        acne.get_by_label("Forehead").fill("3")
        acne.get_by_label("Nose").fill("2")
        acne.get_by_role("button", name="Score").click()
        expect(acne).to_contain_text("8 of 44")  # 2 × 3 + 1 × 2
        expect(acne).to_contain_text("mild")
        expect(acne).to_contain_text("the face alone tops out at 32")
        questions = page.get_by_role("region", name="Phototype")
        questions.get_by_role("button", name="Phototype from these").click()
        expect(page.locator("#slip-points-eyes")).to_contain_text("Which of the five?")
        for one in questions.locator("fieldset").all():
            one.get_by_role("radio").nth(3).check()
        questions.get_by_role("button", name="Phototype from these").click()
        expect(questions.get_by_role("heading", name="Phototype: V")).to_be_visible()  # thirty points
        for name, value in (("L*", "66"), ("a*", "9,5"), ("b*", "15")):
            questions.get_by_label(name).fill(value)
        questions.get_by_role("button", name="Phototype from the angle").click()
        expect(questions).to_contain_text("46.8")
        expect(questions.get_by_role("heading", name="Phototype: II")).to_be_visible()
        assert violations(page) == []


def click_landmarks(page: Page, landmarks: str) -> None:
    box = page.locator("#photo").bounding_box()
    assert box
    size = min(box["width"] / WIDTH, box["height"] / HEIGHT)
    left, top = box["x"] + (box["width"] - WIDTH * size) / 2, box["y"] + (box["height"] - HEIGHT * size) / 2
    for point in landmarks.split():
        x, y = (float(part) for part in point.split(","))
        page.mouse.click(left + x * size, top + y * size)


def test_a_photograph_is_kept_stripped_and_laid_over_the_last(browser: Browser, server: Server) -> None:
    visit = visit_of(sign_in(server.url, "tomas"), "Ines Duarte")
    content, landmarks = portrait(-20, -3, 9)
    with signed_in_page(browser, server, "tomas") as page:
        page.goto(f"{server.url}/visits/{visit}/photos")
        page.locator("#file").set_input_files(
            {"name": "x.jpg", "mimeType": "image/jpeg", "buffer": b"<script>not a picture</script>"}
        )
        page.get_by_role("button", name="Keep it").click()
        expect(page.locator("#slip-file")).to_contain_text("whatever its name says")
        page.locator("#file").set_input_files({"name": "x.jpg", "mimeType": "image/jpeg", "buffer": content})
        page.get_by_role("button", name="Keep it").click()
        expect(page.locator("#over")).to_have_count(0)
        page.get_by_role("button", name="Click landmarks").click()
        click_landmarks(page, landmarks)
        expect(page.locator("#over")).to_be_visible()
        apart = re.search(r"lie ([\d.]+) % of the width apart", page.get_by_role("region", name="Before").inner_text())
        assert apart and float(apart.group(1)) < 1, "the drawing was turned by five degrees, and is laid straight"
        page.get_by_label("Before to the left").fill("20")
        assert page.locator("#cut").get_attribute("width") == f"{WIDTH * 0.2:g}"
        kept = page.locator("#photo image").get_attribute("href") or ""
        answer = page.request.get(server.url + kept)
        assert answer.headers["content-type"] == "image/jpeg" and "no-store" in answer.headers["cache-control"]
        assert violations(page) == []
    other = visit_of(sign_in(server.url, "tomas"), "Petra Halloran")
    client = sign_in(server.url, "tomas")
    assert client.get(kept.replace(visit, other)).status_code == 404, "another client's visit does not open it"
    assert sign_in(server.url, "joost").get(kept).status_code == 403


def test_the_house_chooses_its_methods_prices_and_licences(browser: Browser, server: Server) -> None:
    with signed_in_page(browser, server, "marit") as page:
        page.goto(f"{server.url}/practice")
        page.get_by_label("Microcurrent: feel").select_option("below")
        page.get_by_role("button", name="Keep methods").click()
        expect(page.get_by_label("Microcurrent: feel")).to_have_value("below")
        page.locator("#f-price-microcurrent").fill("fifty")
        page.get_by_role("button", name="Keep prices").click()
        expect(page.locator("#slip-price-microcurrent")).to_contain_text("not a price")
        expect(page.locator("#f-price-microcurrent")).to_have_value("fifty")
        page.locator("#f-price-microcurrent").fill("55")
        page.get_by_role("button", name="Keep prices").click()
        expect(page.locator("#f-price-microcurrent")).to_have_value("55")
        visit = visit_of(sign_in(server.url, "marit"), "Greta Lindqvist")
        client = sign_in(server.url, "marit")
        client.post(f"/visits/{visit}/ask/confirm")
        client.post(f"/visits/{visit}/ask", data={"since": "none", "changes": "none"}, headers={"hx-request": "true"})
        client.post(f"/visits/{visit}/plan/clear")
        client.post(f"/visits/{visit}/plan/add", data={"modality": "microcurrent"})
        plan = client.get(f"/visits/{visit}/plan?step={step_ids(client, visit)[0]}").text
        assert '<option value="stay below feeling" selected>' in plan and "<b>55.00</b>" in plan
        page.get_by_label("Microcurrent: feel").select_option("edge")
        page.get_by_role("button", name="Keep methods").click()
        page.locator("#f-price-microcurrent").fill("")
        page.get_by_role("button", name="Keep prices").click()
