"""Scales, colour and counts against published tables and libraries that had no part in it; the sheet read back by
another hand.
"""

import re
from datetime import datetime
from io import BytesIO
from zoneinfo import ZoneInfo

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pypdf import PdfReader
from scipy import stats

from builders.done import tags_when
from merak.core.after.aftercare import Moments, Personal, sheet
from merak.core.after.colour import Patch, change, delta_00, delta_ab, lab, patch
from merak.core.after.outcomes import T_95, Z_95, interval, wilson
from merak.core.client.scales import SCALES
from merak.exchange.language import said
from merak.exchange.letters import HEADINGS, sheet_words
from merak.exchange.table import csv_of

#: The supplementary test data of Sharma, Wu & Dalal: (L*, a*, b*) twice, ΔE00.
SHARMA = """
50 2.6772 -79.7751 50 0 -82.7485 2.0425
50 3.1571 -77.2803 50 0 -82.7485 2.8615
50 2.8361 -74.0200 50 0 -82.7485 3.4412
50 -1.3802 -84.2814 50 0 -82.7485 1.0000
50 -1.1848 -84.8006 50 0 -82.7485 1.0000
50 -0.9009 -85.5211 50 0 -82.7485 1.0000
50 0 0 50 -1 2 2.3669
50 -1 2 50 0 0 2.3669
50 2.49 -0.001 50 -2.49 0.0009 7.1792
50 2.49 -0.001 50 -2.49 0.0010 7.1792
50 2.49 -0.001 50 -2.49 0.0011 7.2195
50 2.49 -0.001 50 -2.49 0.0012 7.2195
50 -0.001 2.49 50 0.0009 -2.49 4.8045
50 -0.001 2.49 50 0.0010 -2.49 4.8045
50 -0.001 2.49 50 0.0011 -2.49 4.7461
50 2.5 0 50 0 -2.5 4.3065
50 2.5 0 73 25 -18 27.1492
50 2.5 0 61 -5 29 22.8977
50 2.5 0 56 -27 -3 31.9030
50 2.5 0 58 24 15 19.4535
50 2.5 0 50 3.1736 0.5854 1.0000
50 2.5 0 50 3.2972 0 1.0000
50 2.5 0 50 1.8634 0.5757 1.0000
50 2.5 0 50 3.2592 0.3350 1.0000
60.2574 -34.0099 36.2677 60.4626 -34.1751 39.4387 1.2644
63.0109 -31.0961 -5.8663 62.8187 -29.7946 -4.0864 1.2630
61.2901 3.7196 -5.3901 61.4292 2.2480 -4.9620 1.8731
35.0831 -44.1164 3.7933 35.0232 -40.0716 1.5901 1.8645
22.7233 20.0904 -46.6940 23.0331 14.9730 -42.5619 2.0373
36.4612 47.8580 18.3852 36.2715 50.5065 21.2231 1.4146
90.8027 -2.0831 1.4410 91.1528 -1.6435 0.0447 1.4441
90.9257 -0.5406 -0.9208 88.6381 -0.8985 -0.7239 1.5381
6.7747 -0.2908 -2.4247 5.8714 -0.0985 -2.2286 0.6377
2.0776 0.0795 -1.1350 0.9033 -0.0636 -0.5514 0.9082
"""
PAIRS = [tuple(float(part) for part in line.split()) for line in SHARMA.strip().splitlines()]
BYTE = st.integers(0, 255)
COLOUR = st.tuples(BYTE, BYTE, BYTE)


@pytest.mark.outside("Sharma, Wu & Dalal 2005, 34 test pairs; from memory", values="ΔE00", tolerance="0.0001")
@pytest.mark.parametrize("pair", PAIRS)
def test_colour_difference_of_the_published_pairs(pair: tuple[float, ...]) -> None:
    one, other, expected = pair[:3], pair[3:6], pair[6]
    assert delta_00(one, other) == pytest.approx(expected, abs=5e-5)  # type: ignore[arg-type]
    assert delta_00(other, one) == pytest.approx(expected, abs=5e-5)  # type: ignore[arg-type]


@pytest.mark.filterwarnings("ignore")
@pytest.mark.outside(
    "colour-science: sRGB to L*a*b* under D65, ΔE*ab and ΔE00",
    values="random colours; its matrix is rounded to four places",
    tolerance="0.05",
)
def test_colours_agree_with_a_colour_library() -> None:
    import colour

    random = np.random.default_rng(7)
    for one, other in random.integers(0, 256, (60, 2, 3)):
        theirs = [colour.XYZ_to_Lab(colour.sRGB_to_XYZ(rgb / 255)) for rgb in (one, other)]
        mine = [lab(tuple(map(float, rgb))) for rgb in (one, other)]
        assert np.allclose(mine, theirs, atol=0.05)
        assert delta_ab(*mine) == pytest.approx(float(colour.delta_E(*theirs, method="CIE 1976")), abs=0.05)
        assert delta_00(*mine) == pytest.approx(float(colour.delta_E(*theirs, method="CIE 2000")), abs=0.05)


@given(st.floats(0.55, 0.95), st.tuples(*(st.floats(0.97, 1.03),) * 3))
def test_a_neutral_reference_takes_the_light_out_and_the_skin_stays(
    dimmer: float, cast: tuple[float, float, float]
) -> None:
    def under(rgb: tuple[float, float, float], by: float, tint: tuple[float, float, float]) -> Patch:
        linear = ((np.array(rgb) / 255 + 0.055) / 1.055) ** 2.4 * by * np.array(tint)
        return Patch(rgb=tuple(float(x) for x in (1.055 * linear ** (1 / 2.4) - 0.055) * 255), spread=1)  # type: ignore[arg-type]

    card, pale, red = (150.0, 150.0, 150.0), (200.0, 160.0, 140.0), (205.0, 140.0, 125.0)
    by = max(dimmer, 0.8)
    same = change(under(pale, 1, (1, 1, 1)), under(pale, by, cast), under(card, 1, (1, 1, 1)), under(card, by, cast))
    assert same.sayable and "No change" in same.words and abs(same.numbers[1].value or 0) < 0.01, (
        "another lamp is no change of skin"
    )
    redder = change(under(pale, 1, (1, 1, 1)), under(red, by, cast), under(card, 1, (1, 1, 1)), under(card, by, cast))
    assert redder.sayable and "redder" in redder.words.lower()
    assert redder.numbers[1].value == pytest.approx(lab(red)[1] - lab(pale)[1], abs=0.05)


@pytest.mark.parametrize(
    ("neutral", "spread", "why"),
    [
        (None, 0, "has to lie in both"),
        ((20, 20, 20), 0, "too dark"),
        ((250, 250, 250), 0, "overexposed"),
        ((150, 150, 150), 9, "uneven"),
        ((90, 90, 90), 0, "times as bright"),
        ((158, 150, 142), 0, "another colour"),
    ],
)
def test_where_light_differs_it_says_that_it_cannot_say(
    neutral: tuple[float, float, float] | None, spread: float, why: str
) -> None:
    skin, card = Patch(rgb=(200, 160, 140), spread=2), Patch(rgb=(150, 150, 150), spread=1)
    found = change(skin, skin, card, Patch(rgb=neutral, spread=spread) if neutral else None)
    assert not found.sayable and found.words.startswith("Cannot say.") and why in found.words and not found.numbers


@given(st.lists(COLOUR, min_size=4, max_size=30))
def test_a_patch_is_the_mean_of_light(pixels: list[tuple[int, int, int]]) -> None:
    found = patch(np.array(pixels, dtype=float))
    low, high = np.min(pixels, axis=0) - 1e-6, np.max(pixels, axis=0) + 1e-6
    assert all(a <= x <= b for a, x, b in zip(low, found.rgb, high, strict=True))


def scored(scale: str, **entry: float) -> tuple[float | None, str]:
    found = SCALES[scale].score(SCALES[scale].entry(**entry))
    return found.score.value, found.band


@pytest.mark.outside(
    "Fitzpatrick 1996; Glogau 1996; Goodman & Baron 2006; customary bands of water loss: from memory",
    values="bands",
    tolerance="exact",
)
def test_published_bands_of_the_scales() -> None:
    assert [scored("wrinkles", score=n)[1][:9].strip() for n in (1, 3, 4, 6, 7, 9)] == ["class I,"] * 2 + [
        "class II,"
    ] * 2 + ["class III"] * 2
    assert [scored("ageing", type=n)[1].split(":")[0] for n in (1, 2, 3, 4)] == [
        "mild",
        "moderate",
        "advanced",
        "severe",
    ]
    assert "doctor" in SCALES["scars"].score(SCALES["scars"].entry(grade=4)).note and scored("scars", grade=3)[
        1
    ].startswith("moderate")
    losses = [scored("readings", water_loss=x)[1] for x in (8, 12, 20, 28, 40)]
    assert losses == [f"barrier {word}" for word in ("very good", "good", "normal", "strained", "critical")]
    assert scored("readings") == (None, "water loss was not measured")


@pytest.mark.outside(
    "SciPy: Student's t and Wilson's interval", values="quantiles, intervals", tolerance="0.0006; 1e-6"
)
def test_intervals_agree_with_scipy() -> None:
    assert [round(float(stats.t.ppf(0.975, n)), 3) for n in range(1, 31)] == [pytest.approx(t, abs=6e-4) for t in T_95]
    assert pytest.approx(float(stats.norm.ppf(0.975)), abs=1e-6) == Z_95
    random = np.random.default_rng(3)
    for size in (5, 12, 31, 60):
        values = random.normal(-0.4, 0.6, size)
        middle, low, high = interval(list(values))
        theirs = stats.t.interval(0.95, size - 1, loc=values.mean(), scale=stats.sem(values))
        assert middle == pytest.approx(values.mean()) and (low, high) == pytest.approx(theirs, abs=0.01)
    for events, of in ((0, 7), (3, 12), (5, 5), (17, 240)):
        theirs = stats.binomtest(events, of).proportion_ci(0.95, "wilson")
        assert wilson(events, of) == pytest.approx((theirs.low, theirs.high), abs=1e-6)


def test_a_table_opens_in_a_spreadsheet_without_calculating() -> None:
    body = csv_of(["a", "b"], [["=1+1", None], ["ok, then", -0.5]])
    assert body.startswith("\ufeff".encode()) and body.decode("utf-8-sig").splitlines() == [
        "a,b",
        "'=1+1,",
        '"ok, then",-0.5',
    ]


@pytest.mark.outside(
    "pypdf reads the aftercare sheet back", values="every line, both languages, A4, page count", tolerance="exact"
)
@pytest.mark.parametrize(("language", "size"), [("en", False), ("pt", False), ("pt", True)])
def test_the_sheet_as_pdf_says_what_the_sheet_says(language: str, size: bool) -> None:
    from merak.exchange.pdf import pdf
    from merak.web.pages import ENV, STATIC, Translation

    zone = ZoneInfo("Europe/Lisbon")
    ended = datetime(2026, 11, 25, 18, tzinfo=zone)
    lines = sheet((*tags_when("micro_needling", {}), *tags_when("numbing", {})), Personal(), Moments(ended))

    class Thing(dict):  # type: ignore[type-arg]
        __getattr__ = dict.__getitem__

    shown = Thing(words="Own words.", incidents=(), lines=lines, kit=(), number="112", sealed=True)
    closed = Thing(sheet=shown, ended=ended, next_at=None, form={})
    html = ENV.get_template("close/sheet_pdf.html").render(
        closed=closed,
        visit=Thing(client=Thing(name="Ines Duarte")),
        studio=Thing(name="Quay"),
        language=language,
        t=Translation(language),
        weights=list(HEADINGS),
        headings=HEADINGS,
        printed=ended,
        large=size,
    )
    read = PdfReader(BytesIO(pdf(html, STATIC)))
    text = re.sub(r"\s+", " ", " ".join(page.extract_text() for page in read.pages))
    for line in lines:
        assert re.sub(r"\s+", " ", said(language, line.words).replace("{number}", "112"))[:60] in text, line.topic
    assert "Own words." in text and "{" not in text
    assert len(read.pages) == (2 if not size else len(read.pages)) and round(float(read.pages[0].mediabox.width)) == 595
    mail = sheet_words(lines, language, "112", "Own words.")
    assert mail.count("\n- ") == len(lines) and "{" not in mail
