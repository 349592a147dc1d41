"""Pages around the chair, over HTTP: who may drive an instrument, read a task, set the number; what bad input is
answered.
"""

import re
from uuid import uuid4

import httpx
import pytest

from builders.markup import flat
from builders.server import Server, client_of, sign_in
from builders.visits import begun, booked, sent


@pytest.fixture(scope="module")
def adaeze(server: Server) -> httpx.Client:
    return sign_in(server.url, "adaeze")


def test_instruments_are_driven_by_hands_and_say_what_is_wrong(server: Server, adaeze: httpx.Client) -> None:
    lamp = re.search(
        r'data-instrument="([0-9a-f-]{36})"><div><h2>Filtered flash lamp', flat(adaeze.get("/instruments").text)
    )
    assert lamp
    too_much = adaeze.post(f"/instruments/{lamp[1]}/set", data={"value": "99"})
    assert "is set from 8 to 32 J/cm²: not 99" in too_much.text
    assert "A number, please." in adaeze.post(f"/instruments/{lamp[1]}/set", data={"value": "some"}).text
    assert "Set to 12.5 J/cm²." in adaeze.post(f"/instruments/{lamp[1]}/set", data={"value": "12,5"}).text, (
        "a comma is a point"
    )
    adaeze.post(f"/instruments/{lamp[1]}/fault", data={"value": "overheated"})
    assert "reports: overheated" in adaeze.post(f"/instruments/{lamp[1]}/fire").text
    adaeze.post(f"/instruments/{lamp[1]}/mend")
    assert adaeze.post(f"/instruments/{uuid4()}/fire").status_code == 404
    assert adaeze.post("/instruments/thermometer/fire").status_code == 404
    joost = sign_in(server.url, "joost")
    assert joost.get("/instruments").status_code == joost.post(f"/instruments/{lamp[1]}/fire").status_code == 403
    assert (
        client_of(server.url, cookies=dict(adaeze.cookies)).post(f"/instruments/{lamp[1]}/fire").status_code == 403
    ), "no token, no pulse"


def test_the_emergency_cards_are_everybodys_and_the_number_the_owners(server: Server, adaeze: httpx.Client) -> None:
    joost = sign_in(server.url, "joost")
    wall = joost.get("/emergency").text
    assert all(f'aria-label="{title}"' in wall for title in ("Faint", "Burn", "Allergic shock", "Needlestick"))
    assert "Cool running water for 20 minutes" in wall and 'name="emergency"' not in wall
    assert adaeze.post("/emergency/number", data={"emergency": "000"}).status_code == 403
    marit = sign_in(server.url, "marit")
    wrong = marit.post("/emergency/number", data={"emergency": "help"})
    assert wrong.status_code == 422 and "The number that is called here" in wrong.text and 'value="help"' in wrong.text
    marit.post("/emergency/number", data={"emergency": "000"})
    assert joost.get("/emergency").text.count("000:") == 6
    marit.post("/emergency/number", data={"emergency": "112"})


def test_an_incident_becomes_a_task_of_those_who_read_notes(server: Server, adaeze: httpx.Client) -> None:
    visit = begun(adaeze, booked(adaeze, "Called Invented"), "microcurrent", "finish")
    said = {"card": "Faint", "zone": "chair", "done": "legs up", "told": "Adaeze"}
    sent(adaeze, visit, ("start", 200), ("incident", 100, 1.0, said), ("halt", 90), ("resume", 80))
    due = next(part for part in adaeze.get("/").text.split('<a href="/tasks/')[1:] if "Called Invented" in part)
    task = due.split('"')[0]
    assert "Call after: Faint" in due and "Call after" not in sign_in(server.url, "joost").get("/").text
    assert sign_in(server.url, "joost").get(f"/tasks/{task}").status_code == 403
    assert adaeze.get(f"/tasks/{uuid4()}").status_code == 404
    half = adaeze.post(f"/tasks/{task}", data={"note": "well again"})
    assert half.status_code == 422 and "Was a doctor asked" in half.text and "well again</textarea>" in half.text, (
        "nothing typed is lost"
    )
    done = adaeze.post(f"/tasks/{task}", data={"note": "well again", "doctor": "no"})
    assert done.status_code == 200 and "well again" in done.text
    assert adaeze.post(f"/tasks/{task}", data={"note": "again", "doctor": "no"}).status_code == 409
    closed = adaeze.get(f"/visits/{visit}/close").text
    assert "Faint, grade 1" in closed and "legs up" in closed and "All of it by Adaeze Okonjo." in closed


def test_the_assistant_sees_what_waits_for_whom(server: Server, adaeze: httpx.Client) -> None:
    visit = booked(adaeze, "Handed Invented")
    lin = sign_in(server.url, "lin")
    page = lin.get(f"/visits/{visit}/treat").text
    assert 'id="chair"' not in page, "not begun yet"
    begun(adaeze, visit, "numbing", "rf_fractional", "finish")
    told = lin.get(f"/visits/{visit}/treat").text
    assert '"fractional": ["Adaeze Okonjo", "Marit Solheim"]' in told and 'id="unlock"' not in told
    assert 'id="unlock"' in adaeze.get(f"/visits/{visit}/treat").text
