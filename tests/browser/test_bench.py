"""The bench and the rule book by hand and by keyboard in Chromium."""

from playwright.sync_api import Browser, expect

from builders.browser import settled, signed_in_page
from builders.server import Server


def test_a_calculation_answers_as_one_types(browser: Browser, server: Server) -> None:
    with signed_in_page(browser, server, "tomas", "/") as page:
        page.get_by_role("link", name="Bench").click()
        page.get_by_role("link", name="Fluence of a light").click()
        found = page.locator("#w-fluence-fluence")
        expect(found).to_contain_text("48.0")
        found.locator("summary").focus()
        page.keyboard.press("Enter")
        expect(found).to_contain_text("irradiance × minutes × 60 ÷ 1000 × duty")
        line = page.locator(".plot .line").get_attribute("d")
        with page.expect_response("**/bench/fluence"):
            page.get_by_role("textbox", name="Minutes").fill("30")
        expect(found).to_contain_text("72.0")
        expect(found).to_have_attribute("open", "")  # a working that was open stays open
        settled(page)
        with page.expect_response("**/bench/fluence"):
            page.get_by_role("textbox", name="Irradiance").fill("80")
        expect(page.locator("#slip-minutes")).to_contain_text("144.0 J/cm² is above 96 J/cm²")
        assert page.locator(".plot .line").get_attribute("d") != line
        settled(page)
        with page.expect_response("**/bench/fluence"):
            page.get_by_role("textbox", name="Irradiance").fill("much")
        expect(page.locator("#slip-irradiance_mw_cm2")).to_contain_text("“much” is not a number")
        expect(page.get_by_role("textbox", name="Minutes")).to_have_value("30")


def test_another_skin_has_other_start_values(browser: Browser, server: Server) -> None:
    with signed_in_page(browser, server, "tomas") as page:
        page.goto(f"{server.url}/bench/modality/pulsed_light")
        expect(page.get_by_label("Set to")).to_have_value("12")
        with page.expect_response("**/bench/modality/pulsed_light"):
            page.get_by_label("Phototype").fill("4")
        expect(page.get_by_label("Set to")).to_have_value("10")
        expect(page.get_by_label("Filter from")).to_have_value("590")
        expect(page.locator("#w-pulsed_light-start")).to_contain_text("phototype IV or darker")
        settled(page)
        with page.expect_response("**/bench/modality/pulsed_light"):
            page.get_by_label("Set to").fill("17")
        expect(page.locator("#slip-settings-at")).to_contain_text("above 16 J/cm²")
        settled(page)
        with page.expect_response("**/bench/modality/pulsed_light"):
            page.get_by_label("Phototype").fill("6")
        expect(page.locator("#answer")).to_contain_text("Never on phototype VI")


def test_the_rule_book_is_searched_as_one_types(browser: Browser, server: Server) -> None:
    with signed_in_page(browser, server, "joost", "/") as page:
        page.get_by_role("link", name="Rules").click()
        page.wait_for_url("**/rules")  # loaded, and live: no hand is quicker, a test is
        with page.expect_response("**/rules?**"):
            page.get_by_label("Words").fill("1000 µA")
        expect(page.locator(".rule-list li")).to_have_count(1)
        expect(page.locator(".rule-list")).to_contain_text("Cheng et al. 1982; from memory [S]")
        expect(page.locator(".rule-list")).to_contain_text("absolute")
        assert "q=1000" in page.url
