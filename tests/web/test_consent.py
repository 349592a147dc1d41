"""The consent on paper: who signs it."""

from io import BytesIO

import pytest
from pypdf import PdfReader

from builders.server import Server, sign_in
from builders.visits import HX, booked
from merak.core.plan.screening import questions


@pytest.mark.parametrize(("born", "guardian"), [("1984-05-06", False), ("2012-05-06", True)])
def test_a_guardian_signs_for_a_minor_and_for_nobody_else(server: Server, born: str, guardian: bool) -> None:
    adaeze = sign_in(server.url, "adaeze")
    visit = booked(adaeze, f"Born {born} Invented", born=born)
    adaeze.post(f"/visits/{visit}/ask", data={q.id: q.options[0].id for q in questions(False)}, headers=HX)
    adaeze.post(f"/visits/{visit}/plan/add", data={"modality": "mask"}, headers=HX)
    sheet = adaeze.get(f"/visits/{visit}/consent.pdf")
    words = " ".join(page.extract_text() for page in PdfReader(BytesIO(sheet.content)).pages)
    assert "signature" in words and ("guardian" in words) == guardian
