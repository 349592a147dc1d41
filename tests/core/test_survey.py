"""A plate surveyed for one modality: what is laid where, in which numbers, and what is said of it."""

from functools import cache
from typing import Any

import pytest
from shapely import Point, union_all

from merak.core.body.treatable import Narrowed
from merak.core.client import Measures, Side
from merak.core.errors import BadInput
from merak.core.plan.survey import Laying, Survey, places, survey, uncovered, usual


@cache
def face(work: str, first: Side = "right", **changes: Any) -> Survey:
    return survey(Measures(), work, usual(work).model_copy(update=changes), 16, first)


def value(found: Survey, name: str) -> float:
    number = found.numbers[name].value
    assert number is not None
    return number


def test_products_by_hand() -> None:
    """1 mm on a tenth of the cm² is the mL; 257 cm² and 0.43 g a fingertip unit; 2 mg/cm² of sun protection."""
    found = face("ultrasound")
    able, whole = value(found, "area.treatable"), value(found, "area.whole")
    assert value(found, "product.gel") == pytest.approx(able * 1.0 / 10) and able < whole
    assert value(found, "product.cream") == pytest.approx(whole / 257)
    assert found.numbers["product.cream"].name == f"cream, {whole / 257 * 0.43:.1f} g"
    assert value(found, "product.sun") == pytest.approx(whole * 2 / 1000)
    assert "product.gel" not in face("led").numbers, "nobody lays gel under a panel"


def test_a_mans_fingertip_does_more_and_weighs_more() -> None:
    """312 cm² and 0.49 g."""
    man = survey(Measures(build="men's mean"), "led", usual("led"), 16, "right")
    whole = value(man, "area.whole")
    assert value(man, "product.cream") == pytest.approx(whole / 312)
    assert man.numbers["product.cream"].name == f"cream, {whole / 312 * 0.49:.1f} g"


def test_gel_is_told_to_a_tenth_below_ten_millilitres() -> None:
    assert face("ultrasound").numbers["product.gel"].digits == 0
    assert face("oxygen_airbrush").numbers["product.gel"].digits == 1


def test_a_grid_in_numbers() -> None:
    """Footprints × 1.5 s; beside area ÷ footprint; what is left and what is doubled add up to the area."""
    found = face("rf_fractional")
    count = value(found, "grid.count")
    assert count == sum(part.grid.count for part in found.laid if part.grid) > 100
    assert [part.first for part in found.laid][:2] == [1, 1 + found.laid[0].grid.count]  # type: ignore[union-attr]
    assert value(found, "grid.minutes") == pytest.approx(count * 1.5 / 60)
    # Square tips of 1 cm², and half as long in narrow sections: a quarter.
    small = sum(part.skin.area / 100 for part in found.laid if part.section.small_tip)
    large = sum(part.skin.area / 100 for part in found.laid if not part.section.small_tip)
    assert small > 0 and value(found, "grid.ratio") == pytest.approx(count / (large + 4 * small), rel=0.02)
    covered = sum(part.grid.covered.area / 100 for part in found.laid if part.grid)
    assert value(found, "grid.left") == pytest.approx(large + small - covered, rel=0.02)
    assert value(found, "grid.doubled") == pytest.approx(0, abs=0.05)
    assert value(face("rf_fractional", overlap=30), "grid.doubled") > 20
    assert "strokes.rows" not in found.numbers


def test_nothing_laid_is_beside_nothing() -> None:
    """A lid where no pulsed light goes: no footprint, and no division by it."""
    lid = face("pulsed_light", where="upper lid")
    assert value(lid, "grid.count") == 0 == value(lid, "grid.ratio") == value(lid, "area.treatable")


def test_rows_and_lines_in_numbers() -> None:
    """Length over speed is less than the minutes: every row is set down (2 s), every stretch speeds up."""
    rows = face("ultrasound")
    assert {"strokes.rows", "strokes.left"} <= set(rows.numbers) and "strokes.lines" not in rows.numbers
    assert value(rows, "strokes.rows") == sum(part.travel.rows for part in rows.laid if part.travel)
    moving = value(rows, "strokes.length") * 1000 / 30
    assert 60 * value(rows, "strokes.minutes") > moving
    bare = rows.skin.difference(union_all([part.travel.swept for part in rows.laid if part.travel]))
    assert value(rows, "strokes.left") == pytest.approx(bare.area / 100, abs=0.1)
    lines = face("microcurrent")
    assert value(lines, "strokes.lines") == len(lines.lines) and "strokes.left" not in lines.numbers
    # Three repeats of 24 lines, each held for 3 s and set down for 2 s: at least so long.
    held = face("cold", hold_s=3.0, repeats=3), face("cold", hold_s=0.0, repeats=3)
    longer = value(held[0], "strokes.minutes") - value(held[1], "strokes.minutes")
    assert 60 * longer >= 0.9 * 3 * 3 * len(held[0].lines)
    assert value(held[0], "strokes.dwell") >= value(held[1], "strokes.dwell") + 2.9


@pytest.mark.parametrize(
    ("work", "plate", "style", "hold", "repeats"),
    [
        ("microcurrent", "face", "between landmarks", 3, 3),
        ("microcurrent", "hands", "lines", 0, 1),
        ("cold", "thigh-front", "lines", 0, 1),
        ("focused_lifting", "face", "between landmarks", 0, 3),
        ("ultrasound", "face", "circles", 0, 1),
        ("ultrasound", "hands", "circles", 0, 1),
        ("pulsed_light", "face", "lines", 0, 1),
    ],
)
def test_how_it_is_usually_laid(work: str, plate: str, style: str, hold: float, repeats: int) -> None:
    """Between landmarks where a plate has such lines, three times, held at the end; what may not stay, is not held."""
    laying = usual(work, plate)
    assert (laying.style, laying.hold_s, laying.repeats) == (style, hold, repeats)


@pytest.mark.parametrize("first", ["right", "left"])
def test_lines_begin_on_the_side_that_is_first(first: Side) -> None:
    found = face("microcurrent", first)
    middles = [sum(x for x, _ in line.points) / len(line.points) for line in found.lines]
    sign = {"right": -1, "left": 1}[first]
    half = len(middles) // 2
    assert all(sign * x > 0 for x in middles[:half]) and all(sign * x < 0 for x in middles[half:])
    assert found.laid[0].section.name.startswith(first)


def test_only_the_lines_whose_middle_is_worked() -> None:
    everywhere, brow = face("microcurrent"), face("microcurrent", where="U-zone")
    assert 0 < len(brow.lines) < len(everywhere.lines)
    for line in brow.lines:
        middle = Point(line.points[len(line.points) // 2])
        assert brow.skin.distance(middle) < 20
    assert brow.skin.area < everywhere.skin.area and value(brow, "area.whole") < value(everywhere, "area.whole")


def test_where_there_are_lines_no_rows_are_drawn_and_over_an_area_neither() -> None:
    lines, rows, area = face("microcurrent"), face("ultrasound"), face("led")
    assert all(part.travel is None and part.grid is None for part in (*lines.laid, *area.laid)) and not area.lines
    assert all(part.travel is not None for part in rows.laid) and not rows.lines
    assert not face("ultrasound", manner="area", style="between landmarks").lines, "an area has no lines"
    assert uncovered(area.skin, area.laid).is_empty, "nothing is laid, so nothing is left over"
    assert 0 < uncovered(rows.skin, rows.laid).area < rows.skin.area
    assert 0 < uncovered(face("rf_fractional").skin, face("rf_fractional").laid).area < face("rf_fractional").skin.area


def test_places_are_everywhere_the_groups_of_a_plate_and_each_zone_of_its_skin() -> None:
    assert places("face")[:3] == ("everywhere", "T-zone", "U-zone")
    assert "eye" not in places("face") and {"forehead", "chin", "lips"} <= set(places("face"))
    assert places("neck") == (
        "everywhere",
        "under the chin",
        "front of neck",
        "side of neck",
        "thyroid strip",
        "décolleté",
    )
    with pytest.raises(BadInput, match="no “T-zone” on this plate"):
        survey(Measures(), "led", Laying(manner="area", where="T-zone"), 16, "right", name="neck")


def test_bone_and_thin_skin_are_told_zone_by_zone() -> None:
    told = {zone.key[1]: (zone.bony, zone.thin) for zone in face("led").zones}
    assert told["forehead"][0] and not told["mid cheek"][0]
    assert told["upper lid"][1] and not told["mid cheek"][1]


def said(found: Survey) -> dict[str, str]:
    return {one.rule: one.weight for one in found.cautions}


def test_a_tip_that_stays_too_long_stops() -> None:
    """Bulk radiofrequency: 3 s at a point and no longer."""
    assert "rf_bulk" not in said(face("rf_bulk"))
    slow = face("rf_bulk", speed_mm_s=2.0)
    assert value(slow, "strokes.dwell") > 3 and said(slow)["rf_bulk"] == "stop"
    assert "ultrasound" not in said(face("ultrasound", speed_mm_s=2.0)), "no limit is set for it"


def test_round_tips_that_do_not_overlap_leave_gaps() -> None:
    assert said(face("micro_needling", overlap=13.3))["grid.closing_overlap"] == "change"
    assert "grid.closing_overlap" not in said(face("micro_needling", overlap=13.4))
    assert "grid.closing_overlap" not in said(face("micro_needling", overlap=0.0, shape="square"))
    assert "grid.closing_overlap" not in said(face("ultrasound", overlap=0.0)), "rows close their own gaps"


def test_the_small_tip_is_half_of_it() -> None:
    laying = usual("ultrasound")
    assert (laying.tip(False).across_mm, laying.tip(True).across_mm) == (20, 10)
    assert (laying.motion(False).tip_mm, laying.motion(True).tip_mm) == (20, 10)


def test_circles_take_longer_than_lines() -> None:
    circles, straight = face("ultrasound"), face("ultrasound", style="lines")
    assert value(circles, "strokes.length") > 1.2 * value(straight, "strokes.length")


def test_a_tip_that_has_no_room_is_told() -> None:
    wide = face("rf_fractional", across_mm=80.0, down_mm=80.0)
    bare = next(one for one in wide.cautions if one.rule == "grid.small_tip")
    assert bare.weight == "change" and bare.words.startswith("No room for this tip: ")
    assert "grid.small_tip" not in said(face("rf_fractional"))
    assert said(face("ultrasound", across_mm=120.0))["grid.small_tip"] == "change"


def test_more_footprints_than_a_hand_sets_are_refused() -> None:
    """20 000 a pass. The same tip in strokes is no grid."""
    with pytest.raises(BadInput, match="a hand sets 20000 at most"):
        face("rf_fractional", across_mm=1.0, down_mm=1.0)
    assert face("rf_fractional", across_mm=1.0, down_mm=1.0, manner="area").laid


def test_a_margin_is_told_and_a_narrowed_one_with_its_reason() -> None:
    usual_one = face("pulsed_light")
    assert said(usual_one)["pulsed_light.margin.brow"] == "know"
    margin = next(one for one in usual_one.cautions if one.rule == "pulsed_light.margin.brow")
    assert margin.words == f"{usual_one.area.margin_mm['pulsed_light.margin.brow']:g} mm from the brow hair."
    narrowed = (Narrowed(margin="pulsed_light.margin.brow", value=3, reason="Brow drawn on, no hair."),)
    closer = survey(Measures(), "pulsed_light", usual("pulsed_light"), 16, "right", narrowed=narrowed)
    told = next(one for one in closer.cautions if one.rule == "pulsed_light.margin.brow")
    assert told.weight == "change" and told.words == "Narrowed: 3 mm from the brow hair. Brow drawn on, no hair."
    assert value(closer, "area.treatable") > value(usual_one, "area.treatable")


def test_a_margin_in_fingers_says_whose_finger() -> None:
    found = face("rf_bulk")
    assert any("× your finger of 16 mm)." in one.words for one in found.cautions if one.rule in found.area.margin_mm)
