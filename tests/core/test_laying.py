"""Grids and strokes: nothing leaves the skin, counts add up, order is walked, time and dwell follow
the hand's motion.
"""

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError
from shapely import LineString, MultiLineString, Polygon, STRtree, box, union_all

from merak.core.body.grid import Footprint, Grid, Tip, grid, long_axis
from merak.core.body.plate import plate
from merak.core.body.sections import ORDERS, sections
from merak.core.body.travel import STYLES, Motion, Style, along, cover
from merak.core.body.treatable import treatable
from merak.core.client import Measures
from merak.core.errors import BadInput
from merak.core.knowledge import about, works
from merak.core.plan.survey import Laying, survey, usual

SHAPES: tuple[Footprint, ...] = ("rectangle", "square", "circle", "hexagon")
CHEEK = treatable(Measures(), "rf_fractional", 16).of(sections(plate(Measures()), "cheeks first", "left")[0].keys)


@st.composite
def tips(draw: st.DrawFn) -> Tip:
    return Tip(
        shape=draw(st.sampled_from(SHAPES)),
        across_mm=draw(st.floats(4, 30)),
        down_mm=draw(st.floats(4, 30)),
        overlap=draw(st.sampled_from([0, 0.134, 0.33, 0.5, 0.6])),
    )


@st.composite
def areas(draw: st.DrawFn) -> Polygon:
    """Star-shaped skin, sometimes with a hole."""
    reach = draw(st.lists(st.floats(20, 70), min_size=6, max_size=12))
    turn = np.linspace(0, 2 * np.pi, len(reach), endpoint=False)
    rim = np.column_stack([np.cos(turn), np.sin(turn)]) * np.array(reach)[:, None]
    hole = [np.column_stack([np.cos(turn), np.sin(turn)])[::-1] * draw(st.floats(3, 15))] if draw(st.booleans()) else []
    return Polygon(rim, hole)


@settings(max_examples=30)
@given(areas(), tips(), st.floats(-89, 90))
def test_footprints_inside_stay_inside_and_the_sums_are_right(area: Polygon, tip: Tip, angle: float) -> None:
    laid = grid(area, tip, angle)
    assert_sums(laid, area)
    around = area.buffer(0.02)
    assert all(around.covers(cell) for cell in laid.cells())


@settings(max_examples=30)
@given(areas(), tips(), st.floats(-89, 90), st.floats(0.5, 12))
def test_what_is_looser_leaves_skin_between_any_two(area: Polygon, tip: Tip, angle: float, gap: float) -> None:
    """By Shapely's own distances, to the corners of a round tip as a polygon; rows that something closed cuts in two
    are centred each by itself, so this is asked of skin that nothing cuts.
    """
    skin = area.convex_hull
    cells = grid(skin, tip.model_copy(update={"overlap": 0, "gap_mm": gap}), angle).cells()
    pairs = STRtree(cells).query(cells, predicate="dwithin", distance=gap - 0.01 * tip.across_mm).T
    assert [(one, other) for one, other in pairs if one != other] == []
    around = skin.buffer(0.02)
    assert all(around.covers(cell) for cell in cells)


def test_a_looser_grid_is_counted_by_hand() -> None:
    """10 mm squares, 5 mm apart, on 100 mm: 7 a row (7 × 10 + 6 × 5 = 100), 7 rows; close together 100."""
    square = box(0, 0, 100, 100)
    assert grid(square, Tip(across_mm=10, gap_mm=5), 0).count == 49
    assert grid(square, Tip(across_mm=10), 0).count == 100


@settings(max_examples=40)
@given(areas(), tips(), st.floats(-89, 90))
def test_a_covering_grid_leaves_nothing_but_what_is_forbidden(area: Polygon, tip: Tip, angle: float) -> None:
    closed = tip.shape != "circle" or tip.overlap >= 0.134
    laid = grid(area, tip, angle, "cover")
    assert_sums(laid, area)
    if closed:
        assert laid.left_mm2 < 0.004 * area.area
        assert laid.ratio >= 1
    eye = box(-8, -8, 8, 8)
    around = grid(area.difference(eye), tip, angle, "cover", forbidden=eye)
    assert all(cell.intersection(eye).area < 0.01 for cell in around.cells())


def assert_sums(laid: Grid, area: Polygon) -> None:
    """Covered and doubled areas against Shapely's own union of all footprints."""
    union = union_all(laid.cells(), grid_size=1e-6)
    assert laid.left_mm2 == pytest.approx(area.difference(union).area, abs=0.003 * area.area)
    all_laid = laid.count * laid.tip.area_mm2
    assert laid.doubled_mm2 == pytest.approx(all_laid - union.area, abs=0.003 * max(all_laid, 1))
    assert len({tuple(at) for at in laid.centres.round(3).tolist()}) == laid.count


def test_the_walk_goes_back_and_forth_from_the_lowest_row() -> None:
    laid = grid(CHEEK, Tip(shape="square", across_mm=6))
    steps = np.hypot(*np.diff(laid.centres, axis=0).T)
    assert np.median(steps) == pytest.approx(6, abs=1e-6)
    assert (steps > 18).sum() <= 0.05 * laid.count, "the hand seldom crosses the cheek to go on"
    assert laid.row[0] == 0 and laid.centres[0][1] > laid.centres[-1][1] + 50, "from the jaw up"


def test_rows_follow_the_zone() -> None:
    assert long_axis(box(0, 0, 10, 80)) == pytest.approx(90)
    assert grid(CHEEK, Tip(across_mm=8)).angle_deg == pytest.approx(long_axis(CHEEK))
    oblong = Tip(shape="rectangle", across_mm=12, down_mm=30)
    assert grid(CHEEK, oblong).count >= max(
        grid(CHEEK, oblong, angle).count for angle in (long_axis(CHEEK), long_axis(CHEEK) - 90)
    )


@pytest.mark.parametrize(
    "wrong", [{"across_mm": 0}, {"across_mm": -3}, {"across_mm": float("nan")}, {"overlap": 1.0}, {"overlap": -0.1}]
)
def test_a_tip_that_cannot_be(wrong: dict[str, float]) -> None:
    with pytest.raises(ValidationError):
        Tip(**wrong)
    with pytest.raises(ValidationError):
        Motion(**{{"across_mm": "tip_mm"}.get(key, key): value for key, value in wrong.items()})


def test_a_tip_like_a_hair_is_refused_and_not_worked_on_for_ever() -> None:
    for act in (
        lambda: grid(CHEEK, Tip(across_mm=0.01)),
        lambda: cover(CHEEK, "lines", Motion(tip_mm=0.001, overlap=0.6)),
    ):
        with pytest.raises(BadInput, match="too small"):
            act()


@settings(max_examples=40)
@given(areas(), st.sampled_from(STYLES), st.floats(4, 20), st.floats(0, 0.5), st.floats(-89, 90))
def test_rows_keep_the_tip_on_the_skin_and_cover_it(
    area: Polygon, style: Style, tip: float, overlap: float, angle: float
) -> None:
    laid = cover(area, style, Motion(tip_mm=tip, overlap=overlap), angle)
    if not laid.pieces:
        return
    swept = MultiLineString(laid.pieces).buffer(tip / 2)
    assert swept.difference(area.buffer(0.3)).area < 1e-3 * swept.area
    assert laid.length_mm == pytest.approx(sum(LineString(piece).length for piece in laid.pieces), rel=1e-6)
    round_ends = 0.02 * 3.15 * (tip / 2) ** 2  # arcs are drawn in steps, here in others than there
    assert laid.left.area == pytest.approx(area.difference(swept).area, abs=0.01 * area.area + round_ends)


LINE = np.array([[0.0, 0.0], [100.0, 0.0]])


def test_time_and_dwell_of_a_straight_stroke() -> None:
    """From rest to rest: way ÷ speed + speed ÷ acceleration; the point half a tip from the start waits until the tip
    has passed.
    """
    hand = Motion(tip_mm=10, speed_mm_s=30)
    laid = along(LINE, "lines", hand)
    assert laid.seconds == pytest.approx(100 / 30 + 30 / 300 + 2)
    assert laid.dwell_s == pytest.approx(10 / 30 + 30 / (2 * 300))
    held = along(LINE, "stroke and hold", hand.model_copy(update={"hold_s": 3.0, "repeats": 3}))
    assert held.dwell_s == pytest.approx(laid.dwell_s + 3)
    assert held.seconds == pytest.approx(3 * (laid.seconds + 3))


@settings(max_examples=30)
@given(st.floats(4, 20), st.floats(5, 60))
def test_a_turn_on_the_spot_doubles_the_stay(tip: float, speed: float) -> None:
    """There and back: the point half a tip before the turn is under the tip for its last and its first width again, the
    rest included.
    """
    laid = along(LINE, "back and forth", Motion(tip_mm=tip, speed_mm_s=speed))
    once = along(LINE, "lines", Motion(tip_mm=tip, speed_mm_s=speed)).dwell_s
    assert laid.dwell_s == pytest.approx(2 * once, rel=0.04)


def test_dwell_of_a_bent_path_against_brute_force() -> None:
    """Every millisecond of a serpentine, every point of a fine raster: the longest unbroken stay that is found by
    counting.
    """
    hand = Motion(tip_mm=8, overlap=0.25, speed_mm_s=25)
    laid = cover(box(0, 0, 40, 18), "back and forth", hand, 0)
    path = laid.pieces[0]
    lengths = np.hypot(*np.diff(path, axis=0).T)
    where, step, accel = [path[0]], 0.002, 300.0
    for (begin, end), length in zip(pairwise(path), lengths, strict=True):
        ramp = min(25**2 / (2 * accel), length / 2)
        top = np.sqrt(2 * accel * ramp)
        whole = 2 * top / accel + (length - 2 * ramp) / top
        t = np.arange(step, whole, step)
        gone = np.select(
            [t < top / accel, t > whole - top / accel],
            [accel * t**2 / 2, length - accel * (whole - t) ** 2 / 2],
            ramp + (t - top / accel) * top,
        )
        where.extend(begin + np.outer(gone / length, end - begin))
    at = np.array(where)
    longest = 0
    for x in np.arange(0, 40.5, 0.5):
        for y in np.arange(0, 18.5, 0.5):
            under = np.hypot(*(at - [x, y]).T) <= 4
            edges = np.flatnonzero(np.diff(np.concatenate([[0], under.astype(int), [0]])))
            longest = max(longest, int((edges[1::2] - edges[::2]).max(initial=0)))
    assert laid.dwell_s == pytest.approx(longest * step, rel=0.05)


def test_orders() -> None:
    face = plate(Measures())
    names = {order: [section.name for section in sections(face, order, "left")] for order in ORDERS}
    assert names["cheeks first"][:4] == ["left cheek", "right cheek", "chin", "forehead"]
    assert names["cheek, chin, forehead, other cheek"][:4] == ["left cheek", "chin", "forehead", "right cheek"]
    # As the therapist sees it the client's left is on the right hand: over the forehead to the other cheek is
    # anticlockwise.
    assert names["anticlockwise"][:4] == ["left cheek", "forehead", "right cheek", "chin"]
    assert [s.name for s in sections(face, "anticlockwise", "right")][:4] == [
        "right cheek",
        "chin",
        "left cheek",
        "forehead",
    ]
    for order in ORDERS:
        found = sections(face, order, "right")
        assert [section.small_tip for section in found] == sorted(section.small_tip for section in found), (
            "the small tip comes last"
        )
        zones = [key for section in found for key in section.keys]
        assert len(zones) == len(set(zones)) == 36


@pytest.mark.parametrize(
    ("work", "name"),
    sorted({(one.work, name) for one in about().values() for name in one.plates if one.work in works()}),
)
def test_every_modality_on_every_plate_that_it_goes_to(work: str, name: str) -> None:
    found = survey(Measures(build="men's mean"), work, usual(work, name), 17, "right", name)
    assert 0 <= (found.numbers["area.treatable"].value or 0) <= (found.numbers["area.whole"].value or 0)
    for quantity in found.numbers.values():
        assert quantity.value is not None and quantity.value >= 0, quantity
    for line in found.lines:
        assert found.area.out.intersection(LineString(line.points)).length < 0.01


def test_work_on_a_part_of_the_face_counts_that_part() -> None:
    whole, t_zone, chin = (
        survey(Measures(), "rf_fractional", usual("rf_fractional").model_copy(update={"where": where}), 16, "left")
        for where in ("everywhere", "T-zone", "chin")
    )
    assert {section.section.name for section in t_zone.laid} == {"chin", "forehead", "nose"}
    areas = [found.numbers["area.treatable"].value or 0 for found in (whole, t_zone, chin)]
    assert areas[2] < 25 < areas[1] < 110 < areas[0]
    assert chin.skin.area / 100 == pytest.approx(areas[2], abs=0.01)
    assert (
        (chin.numbers["grid.count"].value or 0)
        < (t_zone.numbers["grid.count"].value or 0)
        < (whole.numbers["grid.count"].value or 0)
    )
    with pytest.raises(BadInput):
        survey(Measures(), "led", Laying(where="décolleté"), 16, "left")


def test_a_survey_tells_its_sums_and_refuses_to_be_silent_about_a_long_stay() -> None:
    found = survey(Measures(), "pulsed_light", usual("pulsed_light"), 16, "left")
    assert found.laid[0].section.name == "left cheek" and found.laid[0].first == 1
    assert found.numbers["grid.count"].value == sum(laid.grid.count for laid in found.laid if laid.grid)
    assert found.laid[1].first == found.laid[0].grid.count + 1  # type: ignore[union-attr]
    slow = Laying(manner="strokes", across_mm=20, speed_mm_s=4, style="back and forth")
    stayed = survey(Measures(), "rf_bulk", slow, 16, "left")
    assert any(caution.weight == "stop" and "3 s is the limit" in caution.words for caution in stayed.cautions)
    assert all(
        caution.weight != "stop" for caution in survey(Measures(), "rf_bulk", usual("rf_bulk"), 16, "left").cautions
    )
    gaps = survey(Measures(), "rf_fractional", Laying(manner="grid", shape="circle", across_mm=8), 16, "left")
    assert any("13.4" in caution.words for caution in gaps.cautions)
