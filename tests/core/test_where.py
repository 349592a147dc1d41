"""Where a stage goes, on any face and plate: nothing outside what may be treated, mirrored is mirrored, and a zone that
is taken away adds no work elsewhere.
"""

from itertools import pairwise
from uuid import UUID

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import LineString, Point, Polygon

from builders.briefs import TODAY
from builders.chair import acts, somebody, worked
from merak.core.acts import Act
from merak.core.body.marks import Mark
from merak.core.body.plate import plate, plate_with
from merak.core.body.strokes import EVERY_PATH, bone, lines, long_enough, pieces
from merak.core.body.treatable import treatable
from merak.core.client import Findings, Measures
from merak.core.knowledge import about
from merak.core.plan.brief import Brief, workable

#: What is laid as footprints, as lines and as sections.
LAID = ("rf_fractional", "pulsed_light", "focused_lifting", "microcurrent", "ultrasound", "wet_abrasion")
FACES = st.builds(
    Findings,
    phototype=st.just(3),
    ear_to_ear_mm=st.floats(240, 330),
    hairline_chin_mm=st.floats(165, 225),
    neck_round_mm=st.floats(270, 400),
)
#: A spot to stay out of, somewhere on the left half of the face.
SPOTS = st.tuples(st.floats(15, 100), st.floats(60, 160), st.floats(4, 25))


def marked(x: float, y: float, mm: float) -> Mark:
    return Mark(id=UUID(int=1), plate="face", kind="stay-out", shape="spot", points=((x, y),), size_mm=mm, on=TODAY)


def places(found: tuple[Act, ...]) -> list[tuple[str, Polygon | LineString]]:
    """(plate, shape) of everything that is counted."""
    cells = [(act.parts[cell.part].plate or act.plate, Polygon(cell.ring)) for act in found for cell in act.cells]
    return cells + [(act.plate, LineString(line.points)) for act in found for line in act.lines]


@pytest.mark.parametrize("modality", LAID[:4])
@settings(max_examples=8)
@given(findings=FACES, spot=SPOTS)
def test_nothing_is_laid_outside_what_may_be_treated(
    modality: str, findings: Findings, spot: tuple[float, float, float]
) -> None:
    who = somebody(findings=findings, marks=(marked(*spot),))
    found = places(acts(modality, laid=True, who=who))
    assert found
    around = {name: who.own_area(modality, name).skin.buffer(0.15) for name in {name for name, _ in found}}
    for name, shape in found:
        assert around[name].covers(shape), f"{modality} outside the {name}'s skin"


@pytest.mark.parametrize("modality", LAID)
@settings(max_examples=8)
@given(findings=FACES, spot=SPOTS)
def test_a_mirrored_client_has_a_mirrored_plan(
    modality: str, findings: Findings, spot: tuple[float, float, float]
) -> None:
    """The same mark on the other side: as much skin, as many lines, and as many footprints but for how they fall."""
    x, y, mm = spot
    one, other = (somebody(findings=findings, marks=(marked(side * x, y, mm),)) for side in (1, -1))
    assert workable(one, modality) == pytest.approx(workable(other, modality), abs=1e-6)
    here, there = places(acts(modality, laid=True, who=one)), places(acts(modality, laid=True, who=other))
    lines = [[shape.length for _, shape in found if shape.geom_type == "LineString"] for found in (here, there)]
    assert sorted(lines[0]) == pytest.approx(sorted(lines[1]), abs=0.2)
    if not lines[0]:
        assert len(here) == pytest.approx(len(there), abs=max(3, 0.08 * len(here)))


@pytest.mark.parametrize("modality", LAID)
@settings(max_examples=10)
@given(data=st.data())
def test_a_zone_that_is_taken_away_adds_no_work_elsewhere(modality: str, data: st.DataObject) -> None:
    who = somebody()
    able = sorted(workable(who, modality))
    gone = data.draw(st.sampled_from(able))
    kept = tuple(zone for zone in able if zone != gone)
    whole, less = worked(modality, who, zones=tuple(able)), worked(modality, who, zones=kept)
    assert gone not in less.areas and sum(less.areas.values()) < sum(whole.areas.values())
    assert all(less.areas[zone] == pytest.approx(whole.areas[zone], abs=0.051) for zone in kept)
    assert less.seconds <= whole.seconds + 1
    before, after = (counts(who, modality, zones) for zones in (tuple(able), kept))
    for section, many in after.items():
        assert many <= before.get(section, 0) + NEAR, f"{section}: {many} without the {gone}, {before}"


#: A grid that is laid anew on a little less skin may find room for so many more.
NEAR = 1


def counts(who: Brief, modality: str, zones: tuple[str, ...]) -> dict[str, int]:
    """What is counted by section, or by line."""
    found: dict[str, int] = {}
    for act in acts(modality, laid=True, who=who, zones=zones):
        names = [act.parts[cell.part].name for cell in act.cells] or [line.path for line in act.lines]
        for name in names or [part.name for part in act.parts]:
            found[f"{act.title} {name}"] = found.get(f"{act.title} {name}", 0) + 1
    return found


def test_every_zone_lies_on_a_plate_of_its_modality() -> None:
    for modality in LAID:
        on = {plate_with(zone) for zone in workable(somebody(), modality)}
        assert on <= set(about()[modality].plates)


def test_lines_along_the_mouth_and_the_frown_are_asked_for() -> None:
    """Up beside the corner of the mouth, along the fold to the wing of the nose, up between the brows: by hand beside
    the landmarks. A lift does not begin with them; who asks for them has three lines more a side, and longer.
    """
    face, area = plate(Measures()), somebody().own_area("microcurrent")
    (below, fold), (frown,) = (lines(area, "left", (path,)) for path in ("mouth lines", "frown lines"))
    corner, wing, brow = (face.landmarks["left", at] for at in ("mouth corner", "nose wing", "brow head"))
    for line in (below, fold, frown):
        assert line.points[0][1] > line.points[-1][1] and all(x > 0 for x, _ in line.points), "upward, on its side"
    assert Point(below.points[-1]).distance(Point(corner)) < 8 and below.length_mm > 25
    assert Point(fold.points[-1]).distance(Point(wing)) < 8 and fold.points[0][0] > corner[0] - 2
    assert all(0 < x < brow[0] for x, _ in frown.points) and frown.points[0][1] > brow[1] > frown.points[-1][1]
    usual, more = worked("microcurrent", somebody()), worked("microcurrent", somebody(), paths=EVERY_PATH)
    assert not {"mouth lines", "frown lines"} & set(usual.settings.paths)  # type: ignore[attr-defined]
    counted = [one.dose.numbers["strokes_left"].known for one in (usual, more)]
    assert counted[1] == counted[0] + 3 * 3 and more.seconds > usual.seconds


@settings(max_examples=25)
@given(
    tapes=st.builds(Measures, ear_to_ear_mm=st.floats(240, 330), hairline_chin_mm=st.floats(165, 225)),
    side=st.sampled_from(("right", "left")),
)
def test_a_line_is_cut_where_bone_begins_and_each_piece_is_long_enough(tapes: Measures, side: str) -> None:
    """Pieces in order make up their stroke; what crosses bone is set as over bone; none is under a centimetre but a
    stroke that is shorter itself.
    """
    area = treatable(tapes, "microcurrent", 16)
    whole = {line.stroke: line for line in lines(area, side, EVERY_PATH)}
    cut = pieces(area, side, EVERY_PATH)
    assert {line.stroke for line in cut} == set(whole)
    for nth, stroke in whole.items():
        mine = [line for line in cut if line.stroke == nth]
        assert sum(line.length_mm for line in mine) == pytest.approx(stroke.length_mm)
        assert mine[0].points[0] == stroke.points[0] and mine[-1].points[-1] == stroke.points[-1]
        assert all(a.points[-1] == pytest.approx(b.points[0]) and a.bony != b.bony for a, b in pairwise(mine))
        assert len(mine) == 1 or min(line.length_mm for line in mine) >= 10 - 1e-6
        for line in mine:
            over = LineString(line.points).intersection(bone(area.plate)).length
            assert line.bony or over < 1e-3, f"{line.path} runs over bone at full level"


def test_the_level_over_bone_is_that_of_the_pieces_over_it() -> None:
    """The low line leaves the cheek for the jaw: one level lower from there, and each piece counted by itself."""
    lift = acts("microcurrent", laid=True, paths=["low"], level=4.0)[1]
    assert [(line.path, line.level, line.bony) for line in lift.lines] == [("low", 4, False), ("low", 3, True)]
    assert lift.wanted == (3, 3)


@pytest.mark.parametrize(
    ("found", "kept"),
    [
        ([(0, 30, False), (30, 36, True), (36, 50, False)], [(0, 30, False), (30, 50, True)]),
        ([(0, 30, True), (30, 36, False), (36, 50, True)], [(0, 50, True)]),
        ([(0, 4, False), (4, 40, True)], [(0, 40, True)]),
        ([(0, 12, False), (12, 40, True)], [(0, 12, False), (12, 40, True)]),
        ([(0, 7, False)], [(0, 7, False)]),
    ],
)
def test_what_is_too_short_joins_the_shorter_beside_it_at_the_lower_setting(
    found: list[tuple[float, float, bool]], kept: list[tuple[float, float, bool]]
) -> None:
    assert long_enough(found, 10) == kept


def test_the_tendon_is_stroked_upward_behind_the_pulse_where_it_is_asked_for() -> None:
    """From above the collar bone to below the ear, on the side of the neck; nothing of it over the carotid."""
    area = treatable(Measures(), "microcurrent", 16, "neck")
    (stroke,) = lines(area, "left", ("neck tendon",))
    start, end = stroke.points[0], stroke.points[-1]
    assert start[1] - end[1] > 100 and end[0] > start[0] > 40, "up and out"
    carotid = plate(Measures(), "neck").place("carotid area")
    assert all(LineString(stroke.points).distance(shape) > 3 for shape in carotid)
    assert not lines(treatable(Measures(), "microcurrent", 16), "left", ("neck tendon",)), "not on the face"
    assert "neck tendon" not in worked("microcurrent", somebody()).settings.paths  # type: ignore[attr-defined]
