"""Edges that once broke a page: days at the ends of time, unticked zones, newborns; and that saving says so."""

import re
from datetime import date, timedelta

import httpx
import pytest

from builders.server import Server, sign_in
from builders.visits import HX, agreed, planned, step_ids
from merak.core.plan.screening import questions

ENDS = ["0001-01-01", "9999-12-31", "1999-05-05", "2999-01-01"]


@pytest.fixture(scope="module")
def marit(server: Server) -> httpx.Client:
    return sign_in(server.url, "marit")


def slip(text: str, field: str) -> str:
    """What stands beside a field."""
    found = re.search(rf'id="slip-{field}"[^>]*>([^<]*)<', text)
    return found[1] if found else ""


@pytest.mark.parametrize("day", ENDS)
def test_a_day_at_the_ends_of_time_is_told_beside_its_field(marit: httpx.Client, day: str) -> None:
    visit = planned(marit, f"Ends Invented {day}", "microcurrent")
    sheet = marit.get(f"/?on={day}")
    assert sheet.status_code == (200 if day == "1999-05-05" else 422)
    form = {"name": "Far Invented", "born": "1980-01-01", "day": day, "time": "10:00", "minutes": "60"}
    refused = marit.post("/visits", data=form)
    assert (
        refused.status_code == 422 and "Between" in slip(refused.text, "day") and 'value="Far Invented"' in refused.text
    )
    back = marit.post(f"/visits/{visit}/return", data={"day": day, "time": "10:00"})
    assert back.status_code == 422 and "Between" in slip(back.text, "day")
    event = marit.post(f"/visits/{visit}/ask", data={"wish.event": day}, headers=HX | {"x-changed": "wish.event"})
    assert event.status_code == 200 and "Between" in event.text
    for page in ("ask", "look", "plan", "return", "close"):
        assert marit.get(f"/visits/{visit}/{page}").status_code == 200, page


def test_a_newborn_has_pages_and_no_plan_that_is_not_a_minors(marit: httpx.Client) -> None:
    options = marit.get("/").text.split('<option value="')[1:]
    whose = next(one.split('"')[0] for one in options if "Adaeze" in one.split("</option>")[0])
    day = date.today() + timedelta(days=300)
    day += timedelta(days=(8 - day.isoweekday()) % 7)
    form = {
        "name": "Newborn Invented",
        "born": f"{date.today()}",
        "day": f"{day}",
        "time": "10:00",
        "minutes": "60",
        "therapist": whose,
    }
    marit.post("/visits", data=form)
    sheet = marit.get(f"/?on={day}").text
    visit = re.findall(r"/visits/([0-9a-f-]{36})", sheet[sheet.index("Newborn Invented") :])[0]
    marit.post(f"/visits/{visit}/ask", data={q.id: q.options[0].id for q in questions(False)}, headers=HX)
    for page in ("ask", "look", "plan", "plan?propose=yes", "treat", "close", "return", "plate", "tray"):
        assert marit.get(f"/visits/{visit}/{page}").status_code in (200, 404), page
    added = marit.post(f"/visits/{visit}/plan/add", data={"modality": "microcurrent"}, headers=HX)
    assert added.status_code == 200 and "under 18" in added.text


def test_zones_of_a_settled_plan_are_ticked_and_unticked(marit: httpx.Client) -> None:
    """Every set of zones, drawn anew whole or by htmx, before and after the client agreed."""
    visit = planned(marit, "Zoned Invented", "microcurrent", "led", "mask")
    for agreed_to in (False, True):
        if agreed_to:
            assert "To the plan" not in agreed(marit, visit).text
        for zones in (
            ["mid cheek", "upper cheek"],
            ["mid cheek"],
            ["upper cheek"],
            ["mid cheek", "forehead"],
            ["nose"],
            [],
        ):
            for step in step_ids(marit, visit):
                for headers in (HX, {}):
                    sent = {"step": step} | {f"zone.{zone}": "on" for zone in zones}
                    assert marit.post(f"/visits/{visit}/plan/zones", data=sent, headers=headers).status_code in (
                        200,
                        409,
                    ), (zones, step)


def test_saving_says_that_it_saved(marit: httpx.Client) -> None:
    said = marit.post("/practice/prices", data={"currency": "EUR"}).text
    assert re.search(r'id="notice"[^>]*>The prices are kept\.<', said)
    assert re.search(r'id="notice"[^>]*><', marit.get("/practice").text), "once"
