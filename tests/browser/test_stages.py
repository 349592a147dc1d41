"""The rows of a step: one stage more, dragged, by keys, and each with its own fields."""

from playwright.sync_api import Browser, Page, expect

from builders.browser import settled, signed_in_page, violations
from builders.server import Server, sign_in
from builders.visits import HX, planned


def rows(page: Page) -> list[str]:
    return [row.get_attribute("data-stage") or "" for row in page.locator(".stage-rows a").all()]


def test_stages_are_rows_that_move_by_hand_and_by_keys(server: Server, browser: Browser) -> None:
    visit = planned(sign_in(server.url, "adaeze"), "Rowan Stager", "cleanse", "wet_abrasion", "finish")
    with signed_in_page(browser, server, "adaeze") as page:
        page.goto(f"{server.url}/visits/{visit}/plan")
        page.locator(".step-block", has_text="Wet abrasion").click()
        expect(page.locator(".stage-rows a")).to_have_count(3)
        acid, salicylic, infuse = rows(page)
        expect(page.locator(".ticks s")).to_have_count(3)
        assert not violations(page)

        page.locator(f"#s-{infuse}").click()
        expect(page.locator(".stage-rows .here")).to_contain_text("infuse")
        settled(page)
        page.locator(f"#s-{infuse}").press("ArrowUp")
        expect(page.locator(".stage-rows a").nth(1)).to_have_attribute("data-stage", infuse)
        expect(page.locator(f"#s-{infuse}")).to_be_focused()
        settled(page)

        page.locator(f"#s-{infuse}").drag_to(page.locator(f"#s-{acid}"), target_position={"x": 40, "y": 2})
        expect(page.locator(".stage-rows a").nth(0)).to_have_attribute("data-stage", infuse)
        assert rows(page) == [infuse, acid, salicylic]

        page.locator(f"#s-{salicylic}").press("a")
        expect(page.locator(".stage-rows a")).to_have_count(4)
        page.locator(f"#s-{salicylic}").press("Delete")
        expect(page.locator(".stage-rows a")).to_have_count(3)
        assert salicylic not in rows(page)
        page.get_by_role("button", name="Undo").click()
        expect(page.locator(".stage-rows a")).to_have_count(4)


def test_a_programme_is_chosen_and_one_stage_more(server: Server, browser: Browser) -> None:
    visit = planned(sign_in(server.url, "adaeze"), "Perpetua Grammer", "cleanse", "wet_abrasion", "finish")
    with signed_in_page(browser, server, "adaeze") as page:
        page.goto(f"{server.url}/visits/{visit}/plan")
        page.locator(".step-block", has_text="Wet abrasion").click()
        page.get_by_label("Programme", exact=True).select_option("plain")
        expect(page.locator(".stage-rows")).to_have_count(0)
        expect(page.locator("#tools .note")).to_contain_text("one stage")
        page.locator(".more-stages summary").click()
        page.locator(".more-stages").get_by_role("button", name="Vibration and massage").click()
        expect(page.locator(".stage-rows a")).to_have_count(2)
        expect(page.locator(".stage-rows .here")).to_contain_text("Vibration and massage")

        page.locator("#how-of summary").click()
        page.get_by_label("Product").fill("cream")
        page.get_by_label("Product").press("Enter")
        expect(page.locator("#how-of summary")).to_contain_text("cream")


def test_a_tap_on_the_drawing_takes_a_zone_and_gives_it_back(server: Server, browser: Browser) -> None:
    visit = planned(sign_in(server.url, "adaeze"), "Zona Tapley", "cleanse", "led", "finish")
    with signed_in_page(browser, server, "adaeze") as page:
        page.goto(f"{server.url}/visits/{visit}/plan")
        page.locator(".step-block", has_text="Light-emitting panel").click()
        expect(page.locator("#where .work").first).to_be_attached()
        many = page.locator("#where .work").count()
        page.locator('#where [data-zone="forehead"]').first.click()
        expect(page.locator("#where .work")).to_have_count(many - 2)
        expect(page.locator("#zones-of summary")).not_to_contain_text("everywhere")
        page.locator('#where [data-zone="forehead"]').first.click()
        expect(page.locator("#zones-of summary")).to_contain_text("everywhere")


def test_a_figure_of_the_scale_stands_at_its_minute(server: Server, browser: Browser) -> None:
    visit = planned(sign_in(server.url, "adaeze"), "Scalar Ruler", "cleanse", "wet_abrasion", "led", "finish")
    with signed_in_page(browser, server, "adaeze") as page:
        page.goto(f"{server.url}/visits/{visit}/plan")
        lane = page.locator(".lane .track").first.bounding_box()
        minutes = float(page.locator(".total[data-key='visit.minutes'] b").inner_text())
        figures = page.locator(".scale span").all()
        assert lane and [one.inner_text() for one in figures] == ["0", "10", "20"] and 20 < minutes < 30
        for one in figures:
            box = one.bounding_box()
            assert box and abs(box["x"] - lane["x"] - lane["width"] * float(one.inner_text()) / minutes) < 3


def test_something_gentle_goes_between_two_steps(server: Server, browser: Browser) -> None:
    visit = planned(sign_in(server.url, "adaeze"), "Gap Between", "cleanse", "wet_abrasion", "led", "finish")
    with signed_in_page(browser, server, "adaeze") as page:
        page.goto(f"{server.url}/visits/{visit}/plan")
        page.get_by_role("link", name="Something gentle after Wet abrasion").click()
        add = page.locator("#add-what")
        expect(add).to_be_focused()
        assert "Microcurrent lift" not in add.inner_text() and "after Wet abrasion" in add.inner_text()
        add.select_option("dry")
        page.get_by_role("button", name="Add", exact=True).click()
        expect(page.locator(".track-0 .step-block")).to_have_count(5)
        titles = page.locator(".track-0 .step-block .whole:first-child b").all_inner_texts()
        assert [title.split()[0] for title in titles] == ["Cleanse", "Wet", "Dry", "Light-emitting", "Finish"]
        assert not violations(page)
        expect(page.locator("#add-what")).to_contain_text("add a step")


def test_a_tap_takes_both_sides_or_by_a_key_one(server: Server, browser: Browser) -> None:
    """On the drawing and in the list, where each side has a box of its own."""
    visit = planned(sign_in(server.url, "adaeze"), "Imogen Halver", "cleanse", "ultrasound", "finish")
    with signed_in_page(browser, server, "adaeze") as page:
        page.goto(f"{server.url}/visits/{visit}/plan")
        page.locator(".step-block", has_text="Ultrasound").click()
        settled(page)
        right, left = (page.locator(f"input[name='zone.{side} mid cheek']") for side in ("right", "left"))
        page.locator("#where [data-key='right mid cheek']").first.dispatch_event("click")
        settled(page)
        expect(right).not_to_be_checked()
        expect(left).not_to_be_checked()

        page.keyboard.press("m")
        expect(page.locator("[data-mirror]")).to_have_text("A tap takes one side")
        page.locator("#where [data-key='left mid cheek']").first.dispatch_event("click")
        settled(page)
        expect(left).to_be_checked()
        expect(right).not_to_be_checked()
        expect(page.locator("[data-mirror]")).to_have_text("A tap takes one side")

        page.locator("#zones-of summary").click()
        right.press("Space")
        settled(page)
        expect(right).to_be_checked()
        expect(right).to_be_focused()
        page.locator("[data-mirror]").click()
        page.locator("input[name='zone.left chin']").press("Space")
        settled(page)
        expect(page.locator("input[name='zone.right chin']")).not_to_be_checked()
        assert not violations(page)


def test_one_key_puts_right_what_a_stage_asks_for_and_is_taken_back(server: Server, browser: Browser) -> None:
    adaeze = sign_in(server.url, "adaeze")
    visit = planned(adaeze, "Mended Stager", "cleanse", "microcurrent", "finish")
    adaeze.post(f"/visits/{visit}/plan/add", data={"modality": "diamond"}, headers=HX)
    with signed_in_page(browser, server, "adaeze") as page:
        page.goto(f"{server.url}/visits/{visit}/plan")
        need = page.locator("#strip .caution", has_text="Diamond abrasion asks for dry skin: nothing before it")
        expect(need).to_be_visible()
        expect(need).not_to_contain_text("in writing")
        assert violations(page) == []
        need.get_by_role("button", name="Dry first").click()
        expect(need).to_have_count(0)
        page.locator(".step-block", has_text="Diamond").click()
        expect(page.locator(".stage-rows a").first).to_contain_text("Dry")
        expect(page.locator("#plan")).to_contain_text("Adaeze put dry before Diamond abrasion")
        settled(page)
        page.get_by_role("button", name="Undo").click()
        expect(need).to_be_visible()
