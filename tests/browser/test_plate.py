"""The plate by hand: marks drawn, moved and taken off, tapes, layers, zoom, and a grid walked by keyboard."""

import re
from collections.abc import Iterator
from zlib import decompressobj

import pytest
from playwright.sync_api import Browser, Page, expect

from builders.browser import settled, signed_in_page, violations
from builders.server import Server, sign_in
from builders.visits import planned, visit_of

CLIENT = "Samir Oduya"


@pytest.fixture
def page(browser: Browser, server: Server) -> Iterator[Page]:
    visit = visit_of(sign_in(server.url, "adaeze"), CLIENT)
    with signed_in_page(browser, server, "adaeze", has_touch=True) as page:
        said: list[str] = []
        page.on("pageerror", lambda error: said.append(str(error)))
        page.goto(f"{server.url}/visits/{visit}/plate")
        yield page
        assert said == []


def at(page: Page, x: float, y: float) -> tuple[float, float]:
    """A place of the plate in mm, on the screen."""
    there = page.evaluate(
        "([x, y]) => { const p = new DOMPoint(x, y).matrixTransform(document.getElementById('sheet').getScreenCTM());"
        " return [p.x, p.y]; }",
        [x, y],
    )
    return there[0], there[1]


def number(page: Page, key: str) -> float:
    return float(page.locator(f"[data-key='{key}'] b").inner_text())


def to_marks(page: Page, kind: str, shape: str) -> None:
    page.get_by_role("radio", name="Mark").check(force=True)
    page.get_by_label("What", exact=True).select_option(kind)
    page.get_by_role("radio", name=shape).check()


def drag(page: Page, *places: tuple[float, float]) -> None:
    page.mouse.move(*at(page, *places[0]))
    page.mouse.down()
    for place in places[1:]:
        page.mouse.move(*at(page, *place), steps=4)
    page.mouse.up()


def test_a_mark_is_drawn_moved_and_taken_off(page: Page) -> None:
    whole = number(page, "area.treatable")
    to_marks(page, "stay-out", "area")
    page.get_by_label("Note").fill("scalded last week")
    drag(page, (60, 100), (90, 100), (90, 128), (60, 128), (60, 101))
    mark = page.locator("[data-mark]")
    expect(mark).to_have_count(1)
    expect(page.locator("#marks")).to_contain_text("stay out, left upper cheek")
    page.get_by_role("radio", name="Measure").check(force=True)
    assert number(page, "area.treatable") == pytest.approx(whole - 8, abs=1.6)
    assert violations(page) == []

    # Moved by hand, then by the arrows; what would leave the skin is told, and stays where it was.
    page.get_by_role("radio", name="Mark").check(force=True)
    drag(page, (75, 114), (40, 30))
    expect(page.locator("#marks")).to_contain_text("forehead")
    mark.focus()
    was = mark.get_attribute("data-points")
    page.keyboard.press("ArrowLeft")
    expect(mark).not_to_have_attribute("data-points", was or "")
    expect(mark).to_be_focused()
    drag(page, (40, 30), (150, 10))
    expect(page.locator("#slip-points")).to_contain_text("leaves the plate")
    expect(page.locator("#marks")).to_contain_text("forehead")

    # Taken back step by step, then removed by key and put back.
    for _ in range(2):
        page.keyboard.press("u")
    expect(page.locator("#marks")).to_contain_text("left upper cheek")
    mark.focus()
    page.keyboard.press("Delete")
    expect(mark).to_have_count(0)
    page.get_by_role("button", name="Take my last change back").click()
    expect(mark).to_have_count(1)
    page.get_by_role("button", name="history").click()
    expect(page.get_by_role("complementary", name="Working")).to_contain_text("scalded last week")
    page.keyboard.press("Escape")
    mark.click()
    page.get_by_role("button", name="Remove").click()
    expect(mark).to_have_count(0)


def test_a_drawing_that_cannot_be_is_kept_for_mending(page: Page) -> None:
    to_marks(page, "pigment", "area")
    page.get_by_label("Grade, 0 to 4").fill("9")
    for place in ((-80, 100), (-60, 120), (-60, 100), (-80, 120)):
        page.mouse.click(*at(page, *place))
    page.get_by_role("button", name="Keep the drawing").click()
    expect(page.locator("#slip-points")).to_contain_text("crosses itself")
    expect(page.locator("#slip-grade")).to_contain_text("0 to 4")
    expect(page.locator("#ink circle")).to_have_count(4)
    expect(page.get_by_label("Grade, 0 to 4")).to_have_value("9")
    page.locator("#sheet").focus()
    for _ in range(2):
        page.keyboard.press("Backspace")
    page.mouse.click(*at(page, -60, 128))
    page.get_by_label("Grade, 0 to 4").fill("2")
    page.get_by_role("button", name="Keep the drawing").click()
    expect(page.locator("#marks")).to_contain_text("pigment, grade 2, right")
    expect(page.locator("#slip-points")).to_be_empty()
    page.keyboard.press("u")
    expect(page.locator("[data-mark]")).to_have_count(0)


def test_a_mark_by_keyboard_alone_and_by_touch(page: Page) -> None:
    to_marks(page, "vessel", "line")
    page.locator("#sheet").focus()
    page.keyboard.press("Shift+ArrowRight")
    page.keyboard.press("Enter")
    for _ in range(3):
        page.keyboard.press("Shift+ArrowRight")
    page.keyboard.press("Enter")
    page.keyboard.press("Enter")
    expect(page.locator("#marks")).to_contain_text("vessel")
    page.keyboard.press("u")
    expect(page.locator("[data-mark]")).to_have_count(0)
    page.get_by_label("What", exact=True).select_option("reading")
    expect(page.get_by_role("radio", name="spot")).to_be_checked()
    page.get_by_label("Reading").fill("41,2")
    page.touchscreen.tap(*at(page, -75, 130))
    expect(page.locator("#marks")).to_contain_text("temperature 41.2 °C")
    expect(page.locator("g[data-layer=temperature] .aim")).to_have_count(1)  # where it really read, half an inch below
    page.keyboard.press("u")
    expect(page.locator("[data-mark]")).to_have_count(0)


def test_a_tape_moves_the_areas_and_a_wrong_one_is_told(page: Page) -> None:
    area = number(page, "area.whole")
    page.get_by_role("radio", name="Tapes").check(force=True)
    tape = page.get_by_label("Ear to ear")
    was = tape.input_value()
    tape.fill("1300")
    expect(page.locator("#slip-ear_to_ear_mm")).to_contain_text("1300 mm cannot be ear to ear")
    tape.fill("310")
    expect(page.locator("#slip-ear_to_ear_mm")).to_be_empty()
    page.get_by_role("radio", name="Measure").check(force=True)
    expect(page.locator("[data-key='area.whole'] b")).not_to_have_text(f"{area:.0f}")
    assert number(page, "area.whole") == pytest.approx(area * 310 / float(was), rel=0.01)
    page.get_by_role("radio", name="Tapes").check(force=True)
    tape.fill(was)
    expect(page.locator("[data-key='area.whole'] b")).to_have_text(f"{area:.0f}")


def test_a_grid_is_walked_by_keyboard(page: Page) -> None:
    page.get_by_label("Modality").select_option("rf_fractional")
    expect(page.locator("[data-key='grid.count']")).to_be_visible()
    count = int(number(page, "grid.count"))
    told = page.locator("#told")
    page.locator("#sheet").focus()
    page.keyboard.press("ArrowRight")
    expect(told).to_contain_text(re.compile(rf"^1 of {count}: \w+ cheek, row 1"))
    page.keyboard.press("ArrowRight")
    expect(told).to_contain_text(f"2 of {count}")
    page.keyboard.press("ArrowDown")
    expect(told).to_contain_text("row 2")
    page.keyboard.press("End")
    expect(told).to_contain_text(f"{count} of {count}")
    page.keyboard.press("Home")
    expect(page.locator("#here")).to_be_visible()

    # A smaller tip: more of them; none: told beside the field, the drawing stays.
    page.get_by_label("Tip width").fill("6")
    expect(page.locator("[data-key='grid.count'] b")).not_to_have_text(str(count))
    more = number(page, "grid.count")
    assert more > 2 * count
    page.get_by_label("Tip width").fill("0")
    expect(page.locator("#slip-across_mm")).to_contain_text("more than 0 mm")
    page.get_by_label("Overlap").fill("100")
    expect(page.locator("#slip-overlap")).to_contain_text("60 % at most")
    page.get_by_label("Tip width").fill("6")
    page.get_by_label("Overlap").fill("0")
    expect(page.locator("[data-key='grid.count'] b")).to_have_text(f"{more:.0f}")
    expect(page).to_have_url(re.compile("work=rf_fractional.*across_mm=6"))
    page.locator("[data-key='grid.ratio']").click()
    expect(page.get_by_role("complementary", name="Working")).to_contain_text("footprints ÷ least possible")


def test_layers_zoom_and_paper(page: Page) -> None:
    page.get_by_label("zones").uncheck()
    expect(page.locator("g[data-layer=zones]")).to_be_hidden()
    page.locator("#sheet").focus()
    box = page.locator("#sheet").get_attribute("viewBox")
    page.keyboard.press("+")
    zoomed = page.locator("#sheet").get_attribute("viewBox")
    assert zoomed != box
    drag(page, (0, 100), (20, 90))
    assert page.locator("#sheet").get_attribute("viewBox") not in (zoomed, box)
    page.get_by_label("Modality").select_option("pulsed_light")
    expect(page.locator("[data-key='grid.count']")).to_be_visible()
    expect(page.locator("g[data-layer=zones]")).to_be_hidden()
    assert page.locator("#sheet").get_attribute("viewBox") != box, "the view stays while the plate is drawn anew"
    page.locator("#sheet").focus()
    page.keyboard.press("0")
    assert [float(n) for n in (page.locator("#sheet").get_attribute("viewBox") or "").split()] == [
        float(n) for n in (box or "").split()
    ]
    svg, pdf = (
        page.request.get(page.evaluate(f"document.getElementById('as-{kind}').href")) for kind in ("svg", "pdf")
    )
    assert svg.status == 200 and 'data-layer="zones" hidden display="none"' in svg.text()
    assert pdf.status == 200 and pdf.body().startswith(b"%PDF")


def test_a_senior_narrows_a_margin(page: Page) -> None:
    usual = number(page, "area.treatable")
    form = page.get_by_role("form", name="Narrow: Keep half a finger from the hairline.")
    form.get_by_label("Narrow: hairline").fill("0.2")
    form.get_by_role("button", name="Keep this margin").click()
    expect(form.locator(".slip")).to_contain_text("Why is it narrowed?")
    expect(form.get_by_label("Narrow: hairline")).to_have_value("0.2")
    form.get_by_label("Reason").fill("receded hairline, bare skin")
    form.get_by_role("button", name="Keep this margin").click()
    expect(page.locator("#numbers")).to_contain_text("Narrowed: 3.5 mm from the hairline. receded hairline")
    assert number(page, "area.treatable") > usual
    form.get_by_label("Narrow: hairline").fill("")
    form.get_by_role("button", name="Keep this margin").click()
    expect(page.locator("#numbers")).not_to_contain_text("Narrowed")


def test_the_plan_shows_skin_and_not_a_shadow(browser: Browser, server: Server) -> None:
    """The plan's plate is borrowed from elsewhere on the page; styles that reach it only through ancestors would leave
    it black.
    """
    visit = planned(sign_in(server.url, "adaeze"), "Skin Invented", "led")
    with signed_in_page(browser, server, "adaeze") as page:
        page.goto(f"{server.url}/visits/{visit}/plan")
        box = page.locator("#where .plate").bounding_box()
        assert box
        clip = {"x": box["x"] + box["width"] / 2, "y": box["y"] + box["height"] * 0.55, "width": 1, "height": 1}
        picture = page.screenshot(clip=clip)  # type: ignore[arg-type]
        begin = picture.index(b"IDAT")
        size = int.from_bytes(picture[begin - 4 : begin])
        _, red, green, blue = decompressobj().decompress(picture[begin + 4 : begin + 4 + size])[:4]
        assert red > green > blue > 40, "the client's own skin"


def test_a_part_that_was_drawn_is_where_a_stage_goes(browser: Browser, server: Server) -> None:
    visit = planned(sign_in(server.url, "adaeze"), "Perdita Patcher", "cleanse", "ultrasound", "finish")
    with signed_in_page(browser, server, "adaeze") as page:
        page.goto(f"{server.url}/visits/{visit}/plate")
        to_marks(page, "part", "area")
        drag(page, (40, 85), (90, 85), (90, 130), (42, 130), (40, 90))
        expect(page.locator("#marks")).to_contain_text("part to work on, left upper cheek")
        page.goto(f"{server.url}/visits/{visit}/plan")
        page.locator(".step-block", has_text="Ultrasound").click()
        settled(page)
        page.locator("#parts-of summary").click()
        page.locator("#parts-of").get_by_label("part to work on, left upper cheek").press("Space")
        settled(page)
        expect(page.locator("#where .note")).to_contain_text("22 cm²")
        expect(page.locator("#where path.work")).to_have_count(1)
        assert not violations(page)
