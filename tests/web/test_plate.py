"""The plate over HTTP: who may, what is answered, and the files that leave the page."""

from io import BytesIO
from uuid import uuid4
from xml.etree import ElementTree

import pytest
from pypdf import PdfReader

from builders.server import Server, sign_in
from builders.visits import visit_of
from merak.core.body.plate import PLATES, zone_names

SQUARE = [[60, 100], [80, 100], [80, 120], [60, 120]]


def test_who_may_look_mark_and_narrow(server: Server) -> None:
    senior, ctx, assistant, therapist = (sign_in(server.url, login) for login in ("adaeze", "joost", "lin", "tomas"))
    visit = visit_of(senior, "Kofi Mensah-Lund")
    mark = {"plate": "face", "kind": "scar", "shape": "area", "points": "60,100 80,100 80,120"}
    for address in ("plate", "plate.svg", "plate.pdf", "plate/working/area.whole"):
        assert ctx.get(f"/visits/{visit}/{address}").status_code == 403
        assert assistant.get(f"/visits/{visit}/{address}").status_code == 200
    assert ctx.get(f"/api/visits/{visit}/plate").status_code == 403
    assert ctx.post(f"/visits/{visit}/plate/marks", data=mark).status_code == 403
    assert assistant.post(f"/visits/{visit}/plate/marks", data=mark).status_code == 200
    assert assistant.post(f"/visits/{visit}/plate/undo", data={}).status_code == 200
    narrowed = {"margin": "microcurrent.margin.hairline", "value": "0.2", "reason": "receded hairline"}
    for client in (ctx, assistant, therapist):
        assert client.post(f"/visits/{visit}/plate/margins", data=narrowed).status_code == 403
    never = senior.post(f"/visits/{visit}/plate/margins", data=narrowed | {"margin": "lips.no_go"})
    assert never.status_code == 409 and "not narrowed, by anyone" in never.text
    without_token = {"x-csrf-token": "nothing"}
    assert senior.post(f"/visits/{visit}/plate/marks", data=mark, headers=without_token).status_code == 403


def test_the_plate_as_json(server: Server) -> None:
    client = sign_in(server.url, "tomas")
    visit = visit_of(client, "Noor Castellane")
    told = client.get(
        f"/api/visits/{visit}/plate", params={"work": "rf_fractional", "across_mm": "12", "overlap": "99"}
    ).json()
    assert told["slips"] == {"overlap": "60 % at most: beyond that the tip hardly moves on."}
    footprints = [at for section in told["sections"] for at in section["footprints"]]
    assert len(footprints) == told["numbers"]["grid.count"]["value"]
    skin = sum(zone["treatable_cm2"] for zone in told["zones"] if zone["zone"] != "ear")
    assert skin == pytest.approx(told["numbers"]["area.treatable"]["value"])
    assert told["numbers"]["area.treatable"]["rules"] == ["body.area"]

    mark = {"plate": "face", "kind": "stay-out", "shape": "area", "points": SQUARE, "note": "burnt"}
    kept = client.post(f"/api/visits/{visit}/marks", json=mark)
    assert kept.status_code == 201
    (stands,) = client.get(f"/api/visits/{visit}/plate").json()["marks"]
    assert stands["id"] == kept.json()["mark"] and stands["points"] == [pytest.approx(at, abs=0.02) for at in SQUARE]
    crossed = client.post(
        f"/api/visits/{visit}/marks", json=mark | {"points": [SQUARE[0], SQUARE[2], SQUARE[1], SQUARE[3]]}
    )
    assert crossed.status_code == 422 and "crosses itself" in crossed.json()["error"]["fields"]["points"]
    assert client.post(f"/api/visits/{visit}/marks", json=mark | {"points": "here"}).json()["error"]["status"] == 422
    assert client.delete(f"/api/visits/{visit}/marks/{uuid4()}").json()["error"]["status"] == 404
    assert client.delete(f"/api/visits/{visit}/marks/{stands['id']}").status_code == 204
    assert client.get(f"/api/visits/{visit}/plate").json()["marks"] == []


def test_the_plate_on_paper(server: Server) -> None:
    client = sign_in(server.url, "tomas")
    visit = visit_of(client, "Ines Duarte")
    query = {"plate": "face", "of": "pulsed_light", "work": "pulsed_light", "manner": "grid"}
    svg = client.get(f"/visits/{visit}/plate.svg", params=query)
    root = ElementTree.fromstring(svg.text)
    _, _, width, height = (float(n) for n in root.attrib["viewBox"].split())
    assert root.attrib["width"] == f"{width:.0f}mm" and height > 150, "drawn in millimetres"
    drawn = {group.attrib["data-layer"] for group in root.iter() if "data-layer" in group.attrib}
    assert drawn == {"zones", "margins", "findings", "grid", "strokes", "progress", "reactions", "temperature"}
    assert "var(" not in svg.text and "<script" not in svg.text, "it stands alone"
    sheet = PdfReader(BytesIO(client.get(f"/visits/{visit}/plate.pdf", params=query).content))
    words = " ".join(page.extract_text() for page in sheet.pages)
    assert (
        "pulsed light" in words
        and "left uncovered" in words
        and "right cheek" in words
        and "Nothing here is a diagnosis" in words
    )


@pytest.mark.parametrize("name", list(PLATES))
def test_every_plate_has_its_sheet(server: Server, name: str) -> None:
    """Its zones and their areas, as SVG and as PDF, in a file that is named for it."""
    client = sign_in(server.url, "tomas")
    visit = visit_of(client, "Ines Duarte")
    query = {"plate": name, "work": "led" if name == "face" else "touch"}
    svg, paper = (client.get(f"/visits/{visit}/plate.{kind}", params=query) for kind in ("svg", "pdf"))
    root = ElementTree.fromstring(svg.text)
    zones = [path for path in root.iter() if path.attrib.get("class") == "zone"]
    assert len(zones) == 2 * len(zone_names(name)) and f"plate-{name}-" in svg.headers["content-disposition"]
    words = " ".join(page.extract_text() for page in PdfReader(BytesIO(paper.content)).pages)
    assert PLATES[name].title in words and all(zone in words for zone in zone_names(name)), name
