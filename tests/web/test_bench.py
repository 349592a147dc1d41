"""The bench and the rule book over HTTP: answers, slips beside fields, what goes into a plan, who may."""

import re

import httpx
import pytest

from builders.markup import flat
from builders.server import Server, sign_in
from builders.visits import step_ids, visit_of
from merak.core.bench.catalogue import CALCULATIONS
from merak.core.knowledge import about
from merak.core.plan.screening import questions
from merak.services.studio.rule_book import entries

HTMX = {"hx-request": "true"}


@pytest.fixture(scope="module")
def tomas(server: Server) -> httpx.Client:
    return sign_in(server.url, "tomas")


@pytest.mark.parametrize("name", sorted(CALCULATIONS))
def test_every_calculation_answers_alike_on_screen_and_as_json(tomas: httpx.Client, name: str) -> None:
    page = tomas.get(f"/bench/{name}")
    assert page.status_code == 200 and 'class="slip" id="slip-' in flat(page.text) and "cannot be read" not in page.text
    body = {"set_at": "2026-11-25T10:00:00"} if name == "test-spot" else {}
    numbers = tomas.post(f"/api/bench/{name}", json=body).json()["numbers"]
    for key, number in numbers.items():
        assert f'id="w-{name}-{key}"' in page.text
        assert number["value"] is None or number["formula"] or number["rules"], key


@pytest.mark.parametrize("name", sorted(about()))
def test_every_modality_has_its_page(server: Server, name: str) -> None:
    page = sign_in(server.url, "marit").get(f"/bench/modality/{name}").text
    words = about()[name]
    assert words.title in page
    has_machine = name in (
        "microcurrent",
        "led",
        "rf_bulk",
        "ultrasound",
        "iontophoresis",
        "galvanic_softening",
        "pulsed_light",
        "muscle_stimulation",
        "diamond",
        "rf_fractional",
        "wet_abrasion",
        "micro_needling",
        "cold",
        "oxygen_airbrush",
    )
    if words.licence == "physician":
        assert "never planned here" in page
    elif has_machine or name in ("peel", "numbing", "oxygen_mask", "enzyme", "touch", "cleanse", "finish", "mask"):
        assert 'class="figures"' in page
    assert "muscle" not in name or ("+1" in page and "−1" in page), "pads are drawn with their signs"


def test_what_is_wrong_stands_beside_its_field(tomas: httpx.Client) -> None:
    answer = tomas.post(
        "/bench/fluence",
        data={"irradiance_mw_cm2": "forty", "minutes": "50", "duty_percent": "100", "colour": "red"},
        headers=HTMX,
    )
    assert re.search(r'id="slip-irradiance_mw_cm2"[^>]*>“forty” is not a number', answer.text)
    comma = tomas.post(
        "/bench/fluence",
        data={
            "irradiance_mw_cm2": "80,5",
            "minutes": "25",
            "duty_percent": "100",
            "colour": "red",
            "wavelength_nm": "633",
        },
        headers=HTMX,
    )
    assert "120.8" in comma.text and re.search(r'id="slip-minutes"[^>]*>[^<]*is above 96', comma.text)
    points = tomas.post(
        "/bench/distance",
        data={"distance_cm": "12", "points": "5 96\n10", "angle_deg": "0", "radius_cm": "15"},
        headers=HTMX,
    )
    assert re.search(r'id="slip-points"[^>]*>“10” is not a pair', points.text)
    told = tomas.post("/api/bench/heat", json={"readings": [[60, 38], [30, 36]]})
    assert told.status_code == 422 and "order of time" in str(told.json()["error"])
    assert tomas.get("/bench/nothing").status_code == tomas.get("/bench/modality/nothing").status_code == 404


def test_an_uncalibrated_machine_says_so_and_keeps_to_half_its_scale(tomas: httpx.Client) -> None:
    page = tomas.get("/bench/modality/diamond").text
    assert "unknown" in page and "no calibration" in page
    form = dict(re.findall(r'name="(settings\.[a-z_]+)" value="([^"]*)"', page))
    answer = tomas.post(
        "/bench/modality/diamond",
        data={
            **form,
            "settings.at": "9",
            "settings.grit": "fine",
            "subject.phototype": "2",
            "subject.area_cm2": "300",
            "subject.verdict": "go",
        },
        headers=HTMX,
    )
    assert re.search(r'id="slip-settings-at"[^>]*>5.5 level at most where the dose is unknown', answer.text)


def test_a_result_goes_into_the_plan_that_is_open(server: Server, tomas: httpx.Client) -> None:
    visit = visit_of(tomas, "Noor Castellane")
    answers = {question.id: question.options[0].id for question in questions(False)}
    tomas.post(f"/visits/{visit}/ask", data=answers, headers=HTMX)
    tomas.post(f"/visits/{visit}/plan/clear")
    assert (
        tomas.post(
            "/bench/density/use", data={"visit": visit, "current_ua": "120", "contact_cm2": "1.3", "minutes": "10"}
        ).status_code
        == 409
    )
    for modality in ("microcurrent", "led"):
        tomas.post(f"/visits/{visit}/plan/add", data={"modality": modality})
    assert "for Noor" in tomas.get(f"/bench/density?visit={visit}").text
    sent = {"visit": visit, "current_ua": "120", "contact_cm2": "1.3", "minutes": "10"}
    assert str(tomas.post("/bench/density/use", data=sent).url).partition("?")[0].endswith("/plan")
    lift = step_ids(tomas, visit)[0]
    plan = flat(tomas.get(f"/visits/{visit}/plan?step={lift}").text)
    assert re.search(rf'name="{lift}.current" value="120"', plan)
    assert tomas.post("/bench/density/use", data={**sent, "current_ua": "1200"}).status_code == 409
    assert re.search(rf'name="{lift}.current" value="120"', flat(tomas.get(f"/visits/{visit}/plan?step={lift}").text))
    assert tomas.post("/bench/density/use", data={**sent, "visit": ""}).status_code == 404, "no plan is open"
    led = {
        "visit": visit,
        "settings.minutes": "7",
        "settings.distance_cm": "15",
        "settings.cover": "bare skin",
        "settings.colour": "blue",
        "settings.duty_percent": "100",
        "settings.then": "nothing",
        "settings.then_minutes": "10",
    }
    tomas.post("/bench/modality/led/use", data=led)
    light = step_ids(tomas, visit)[-1]
    plan = flat(tomas.get(f"/visits/{visit}/plan?step={light}").text)
    assert '<option value="blue" selected>' in plan
    assert re.search(rf'name="{light}.minutes" value="7(\.0)?"', plan) and re.search(
        rf'name="{light}.distance_cm" value="15"', plan
    )


def test_who_may_use_the_bench(server: Server) -> None:
    ctx = sign_in(server.url, "joost")
    assert ctx.get("/bench/fluence").status_code == ctx.post("/api/bench/fluence", json={}).status_code == 403
    assert ctx.get("/rules").status_code == 200, "the rule book is everybody's"
    lin = sign_in(server.url, "lin")
    assert lin.get("/bench/fluence").status_code == 200
    visit = visit_of(lin, "Noor Castellane")
    assert lin.get(f"/bench/density?visit={visit}").status_code == 403, "a plan is the therapist's to fill"


@pytest.mark.parametrize(
    ("query", "shown", "hidden"),
    [
        ("q=1000 µA", "microcurrent.ceiling.current", "led.start_minutes"),
        ("of=rf_bulk&q=tissue", "tissue.dermis", "peel"),
        ("zone=upper lid", "led.no_go.eyes", "acid.percent"),
        ("condition=phototype, tan", "pulsed_light.never", "oxygen_jet.flow"),
        ("mark=S&of=peel", "acid.ph", "acid.spot"),
    ],
)
def test_rules_are_found(tomas: httpx.Client, query: str, shown: str, hidden: str) -> None:
    page = tomas.get(f"/rules?{query}").text
    assert f'id="{shown}"' in page and f'id="{hidden}"' not in page


def test_the_book_opens_with_its_headings_and_is_read_page_by_page(tomas: httpx.Client) -> None:
    first = tomas.get("/rules")
    assert len(first.content) < 40_000 and 'id="microcurrent.ceiling.current"' not in first.text
    headings = re.findall(r'href="/rules\?(under=[^"]+)"', first.text)
    assert len(headings) > 30
    read: list[str] = []
    for query in headings:
        address = f"/rules?{query}"
        while address:
            page = tomas.get(address)
            assert len(page.content) < 100_000, address
            new = re.findall(r'<li id="([^"]+)">', flat(page.text))
            assert new, f"{address} is empty"
            read += new
            further = re.search(r'href="(/rules\?[^"]+)">Further', flat(page.text))
            address = further[1].replace("&amp;", "&") if further else ""
    assert sorted(entry.cited.id for entry in entries()) == sorted(read), "all of it can be read, nothing twice"
    assert tomas.get("/rules?after=-1").status_code == 422 and tomas.get("/rules?under=nothing").status_code == 200


def test_nothing_found_is_said(tomas: httpx.Client) -> None:
    assert "Nothing in the rule book answers" in tomas.get("/rules?q=zzz").text


def test_machines_of_every_kind_are_added_and_mended(server: Server) -> None:
    marit = sign_in(server.url, "marit")
    body = {
        "modality": "crystal",
        "name": "crystal unit",
        "least": "0",
        "most": "10",
        "step": "1",
        "points": "0 0\n10 40",
        "tips": "face; 12; 12",
    }
    wrong = marit.post("/practice/machines", data=body | {"tips": "face twelve", "most": "0"})
    assert (
        wrong.status_code == 422
        and "mm across; mm down" in wrong.text
        and "must rise" in wrong.text
        and 'value="crystal unit"' in wrong.text
    )
    page = marit.post("/practice/machines", data=body).text
    assert "crystal unit" in page and "0 → 0, 10 → 40" in page
    assert 'class="figures"' in marit.get("/bench/modality/crystal").text
    machine = re.search(r'crystal unit.*?action="/practice/machines/([0-9a-f-]+)/put-away"', page, re.S)
    assert machine
    marit.post(f"/practice/machines/{machine.group(1)}/put-away", data={})
    assert "no machine for it" in marit.get("/bench/modality/crystal").text
