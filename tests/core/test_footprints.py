"""Planned is laid is counted: the footprints of a plan are those at the chair, and no stage is left without one."""

from functools import cache

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import Polygon, affinity, union_all

from builders.chair import acts, as_step, somebody, worked
from builders.machines import machine
from merak.core.acts import Act
from merak.core.body.plate import BONY, PLATES, THIN, plate_with, zone_names
from merak.core.body.treatable import BESIDE
from merak.core.client import Findings
from merak.core.errors import Refused
from merak.core.knowledge import Manner, about
from merak.core.modality.device import CardTip
from merak.core.plan.brief import Brief
from merak.core.plan.facts import Machine
from merak.core.plan.order import own_acts
from merak.core.plan.proposals import proposals
from merak.core.plan.step import step_of
from merak.core.plan.visit_plan import Plan, in_force, visit_plan

#: Modality → the number of its dose that says how many footprints there are in all passes.
PULSED = {"pulsed_light": "shots", "rf_fractional": "spots", "focused_lifting": "lines"}
FACE = tuple(zone for zone in zone_names("face") if zone not in BESIDE)
LARGE = CardTip(name="large", across_mm=15, down_mm=35, pins=49)
SMALL = CardTip(name="small", across_mm=8, down_mm=15, pins=9)
FITTING = CardTip(name="fitting", across_mm=10, down_mm=10, pins=49)


@cache
def who(modality: str, *tips: CardTip, build: str = "women's mean") -> Brief:
    found = Findings.model_validate({"phototype": 3, "build": build})
    return somebody(machines=(Machine(id="b", card=machine(modality, tips=tips or (FITTING,))),), findings=found)


def at_the_chair(client: Brief, modality: str, zones: tuple[str, ...] = (), first: str = "right") -> tuple[Act, int]:
    """The act that is counted, and what was planned for it."""
    one = worked(modality, client, zones=zones)
    of = in_force(client, Plan())
    (pulses,) = (act for act in own_acts(client, as_step(client, one), first, of, True) if act.kind == "pulses")  # type: ignore[arg-type]
    return pulses, int(one.dose.numbers[PULSED[modality]].known)


def shapes(act: Act) -> list[Polygon]:
    return [Polygon(cell.ring) for cell in act.cells]


@pytest.mark.parametrize("modality", ["pulsed_light", "rf_fractional"])
def test_a_looser_pass_is_planned_laid_and_counted_looser(modality: str) -> None:
    """The same cheek with 5 mm left between: fewer of them, the same at the chair, none nearer to another."""
    client = who(modality)
    close = worked(modality, client, zones=("mid cheek",)).stage
    plans = [
        visit_plan(client, Plan(steps=(step_of(close.model_copy(update={"manner": how})),)), laid=True)
        for how in (None, Manner(gap_mm=5))
    ]
    dense, loose = (next(act for act in plan.acts if act.kind == "pulses") for plan in plans)
    assert len(dense.cells) > len(loose.cells) > 3
    planned = plans[1].numbers[f"{close.id}.{PULSED[modality]}"].known
    assert planned == loose.strokes and "5 mm left between" in " ".join(act.instruction for act in plans[1].acts)
    cells = shapes(loose)
    apart = [one.distance(other) for n, one in enumerate(cells) for other in cells[:n]]
    assert min(apart) > 4.7, "outlines are kept to a tenth of a millimetre"


@pytest.mark.parametrize("modality", PULSED)
@pytest.mark.parametrize("tips", [(FITTING,), (LARGE, SMALL), (SMALL,)], ids=["fitting", "two", "small"])
@given(data=st.data())
@settings(max_examples=12)
def test_the_plan_counts_what_the_chair_counts(modality: str, tips: tuple[CardTip, ...], data: st.DataObject) -> None:
    """On any zones, from either side, of any build: as many in all passes as there are cells to light; whole, inside
    what may be treated, none on another of the same section.
    """
    client = who(modality, *tips, build=data.draw(st.sampled_from(["women's mean", "men's mean"])))
    zones = tuple(data.draw(st.sets(st.sampled_from(FACE), min_size=1, max_size=6)))
    try:
        act, planned = at_the_chair(client, modality, zones, data.draw(st.sampled_from(["right", "left"])))
    except Refused as stop:
        assert stop.rule in ("plan.closed_zones", "focused_lifting.clear")
        return
    assert planned == len(act.cells) * act.passes > 0
    area = client.area(about()[modality].work)
    able = union_all([shape for (_, zone), shape in area.zones.items() if zone in zones]).buffer(0.2)
    for part in range(len(act.parts)):
        mine = [Polygon(cell.ring) for cell in act.cells if cell.part == part]
        assert all(able.covers(one) for one in mine)
        # Corners stand on tenths of a millimetre: so much may edges seem to overlap.
        assert sum(one.area for one in mine) - union_all(mine).area <= 0.1 * sum(one.length for one in mine)
        assert sum(one.area for one in mine) <= able.area * 1.02, "no packing holds more than the skin there is"


@pytest.mark.parametrize("modality", PULSED)
def test_both_sides_are_laid_alike_and_a_zone_less_adds_nothing_elsewhere(modality: str) -> None:
    client = who(modality)
    act, _ = at_the_chair(client, modality)
    by_part = [sum(cell.part == n for cell in act.cells) for n in range(len(act.parts))]
    counts = dict(zip((part.name for part in act.parts), by_part, strict=True))
    assert counts["right cheek"] == counts["left cheek"] > 10
    fewer, _ = at_the_chair(client, modality, tuple(zone for zone in FACE if zone not in ("chin", "mid cheek")))
    left = {part.name: sum(cell.part == n for cell in fewer.cells) for n, part in enumerate(fewer.parts)}
    assert "chin" not in left
    assert all(left[name] <= counts[name] for name in left) and left["right cheek"] < counts["right cheek"]
    mirrored, _ = at_the_chair(client, modality, first="left")
    assert len(mirrored.cells) == len(act.cells)
    right, turned = (union_all([one for one in shapes(of) if one.centroid.x < 0]) for of in (act, mirrored))
    left_side = union_all([one for one in shapes(mirrored) if one.centroid.x > 0])
    assert right.symmetric_difference(turned).area < 1, "whichever side is first, they lie where they lie"
    over = affinity.scale(left_side, -1, 1, origin=(0, 0))
    assert over.symmetric_difference(right).area < 0.25 * right.area, "mirrored, as far as rows across the midline are"


def test_where_the_large_crystal_has_no_room_the_small_one_is_counted() -> None:
    """A fluence is the same with either; the chair says with which."""
    both, alone = who("pulsed_light", LARGE, SMALL), who("pulsed_light", LARGE)
    act, shots = at_the_chair(both, "pulsed_light", ("upper lip", "lower cheek", "jawline"))
    assert shots == len(act.cells) > 0
    minds = {part.name: part.mind for part in act.parts}
    assert "with the small" in minds["upper lip"]
    with pytest.raises(Refused, match="No room for the large on upper lip alone") as stop:
        worked("pulsed_light", alone, zones=("upper lip",))
    assert stop.value.rule == "plan.closed_zones"
    wide = worked("pulsed_light", alone)
    bare = [one for one in wide.cautions if one.rule == "grid.small_tip"]
    assert bare and "upper lip" in bare[0].words, "told where it finds no room, though it does elsewhere"


@pytest.mark.parametrize("modality", ["rf_fractional", "focused_lifting"])
def test_no_tip_is_changed_for_one_that_gives_more(modality: str) -> None:
    """The same watts through nine pins in place of 49, the same joules on a shorter line: never by itself."""
    client = who(modality, LARGE, SMALL)
    act, _ = at_the_chair(client, modality)
    lengths = {round(Polygon(cell.ring).length) for cell in act.cells}
    assert len(lengths) == 1, "one tip, one footprint"
    assert all("with the" not in part.mind for part in act.parts)


def test_joules_are_those_of_the_crystals_that_are_set_down() -> None:
    """Fluence × area of each: by hand for two crystals."""
    one = worked("pulsed_light", who("pulsed_light", LARGE, SMALL))
    act = next(act for act in acts("pulsed_light", True, who("pulsed_light", LARGE, SMALL)) if act.kind == "pulses")
    cm2 = sum(Polygon(cell.ring).area for cell in act.cells) / 100
    fluence = one.dose.numbers["fluence"].known
    assert one.dose.numbers["joules"].known == pytest.approx(fluence * cm2 * act.passes, rel=0.01)


def test_no_proposal_holds_a_stage_without_a_footprint() -> None:
    """A crystal that fits nowhere is left out, and it is said why."""
    giant = CardTip(name="giant", across_mm=120, down_mm=120)
    grades = {"pigment": {f"{side} upper cheek": 3 for side in ("right", "left")}}
    spots = Findings.model_validate({"phototype": 2, "grades": grades})
    client = somebody(machines=(Machine(id="b", card=machine("pulsed_light", tips=(giant,))),), findings=spots)
    for proposal in proposals(client):
        assert all(step.modality != "pulsed_light" for step in proposal.plan.steps)
    told = [one.why for proposal in proposals(client) for one in proposal.left_out]
    assert any("No room for the giant" in why for why in told), told


# Over several plates.


def test_a_stage_may_lie_on_several_plates_and_each_part_says_on_which() -> None:
    """One clock, counted plate by plate; what is open of each adds up."""
    zones = ("mid cheek", "lower cheek", "front of neck", "side of neck")
    client = somebody()
    one = worked("wet_abrasion", client, zones=zones)
    face, neck = (worked("wet_abrasion", client, zones=part) for part in (zones[:2], zones[2:]))
    assert one.areas == face.areas | neck.areas and set(one.areas) == set(zones)
    (act,) = (act for act in acts("wet_abrasion", True, client, zones=zones) if act.kind == "sections")
    assert [(part.plate, part.name) for part in act.parts] == [
        ("face", "right cheek"),
        ("face", "left cheek"),
        ("neck", "right neck"),
        ("neck", "left neck"),
    ]
    assert act.plate == "face" and act.plates == ("face", "neck")
    # Sections are rounded to a tenth of a square centimetre.
    assert sum(part.cm2 for part in act.parts) == pytest.approx(sum(one.areas.values()), abs=0.3)


def test_footprints_of_two_plates_are_planned_and_counted_together() -> None:
    client = who("rf_fractional")
    cheek, hand = ("mid cheek", "lower cheek"), ("back of the hand",)
    act, planned = at_the_chair(client, "rf_fractional", (*cheek, *hand))
    assert planned == len(act.cells) * act.passes
    on = [act.parts[cell.part].plate for cell in act.cells]
    alone = [
        at_the_chair(client, "rf_fractional", zones)[1]
        for zones in (("mid cheek", "lower cheek"), ("back of the hand",))
    ]
    assert [on.count("face") * act.passes, on.count("hands") * act.passes] == alone


def test_a_lift_goes_on_over_the_neck_side_by_side() -> None:
    """Right face, right neck, the mirror, left face, left neck; together as long as was planned."""
    zones = (
        "jawline",
        "lower cheek",
        "mid cheek",
        "upper cheek",
        "in front of the ear",
        "front of neck",
        "side of neck",
    )
    client = somebody()
    one = worked("microcurrent", client, zones=zones)
    told = acts("microcurrent", True, client, zones=zones)
    assert [(act.title, act.plate) for act in told[1:]] == [
        ("Lift, right", "face"),
        ("Lift, right neck", "neck"),
        ("Mirror", "face"),
        ("Lift, left", "face"),
        ("Lift, left neck", "neck"),
    ]
    strokes = [act for act in told if act.kind == "strokes"]
    assert all(act.lines for act in strokes) and {line.path for line in strokes[1].lines} == {"neck"}
    assert sum(act.seconds for act in strokes) == pytest.approx(60 * one.dose.numbers["minutes"].known, abs=4)
    assert one.dose.numbers["strokes"].known == sum(act.strokes for act in strokes)
    # Gel only where the lines go: the zones that are worked, not the whole face.
    film_ml = sum(one.areas.values()) * one.settings.film_mm / 10  # type: ignore[attr-defined]
    assert one.dose.numbers["gel"].known == pytest.approx(film_ml, rel=0.02)


@pytest.mark.parametrize(
    ("modality", "zones", "words"),
    [
        ("focused_lifting", ("side of neck",), "Focused line lifting is worked on face alone."),
        ("crystal", ("back of the hand",), "Crystal abrasion is worked on face alone."),
        ("microcurrent", ("décolleté",), "margins, answers or marks close all of it"),
        ("rf_bulk", ("thyroid strip",), "margins, answers or marks close all of it"),
        ("muscle_stimulation", ("mid cheek",), "is worked on thighs, front and thighs, back and upper arms"),
    ],
)
def test_what_is_not_listed_is_forbidden(modality: str, zones: tuple[str, ...], words: str) -> None:
    with pytest.raises(Refused, match=words) as stop:
        worked(modality, somebody(), zones=zones)
    assert stop.value.rule == "plan.closed_zones"


def test_a_zone_that_is_closed_on_one_plate_is_left_out_and_the_other_stays() -> None:
    one = worked("rf_bulk", somebody(), zones=("mid cheek", "thyroid strip", "side of neck"))
    assert set(one.areas) == {"mid cheek", "side of neck"}
    led = worked("focused_lifting", somebody(), zones=("mid cheek", "side of neck"), depth_mm=1.5)
    assert set(led.areas) == {"mid cheek"}, "no line on the neck, whatever is named"


def test_every_zone_has_a_name_of_its_own() -> None:
    every = [zone for plate in PLATES for zone in zone_names(plate)]
    assert len(every) == len(set(every)) and all(plate_with(zone) in PLATES for zone in every)


def test_the_neck_is_taken_along_by_the_school_that_says_so() -> None:
    """Upward; its strip over the gland stays out, and so does what does not go to the neck at all."""
    client, school = somebody(), {"neck": "in"}
    for modality in ("led", "microcurrent", "cleanse", "wet_abrasion"):
        without, within = (set(worked(modality, client, of=of).areas) for of in ({}, school))
        assert within - without == {"under the chin", "front of neck", "side of neck"}, modality
        assert without <= within
    assert set(worked("pulsed_light", client, of=school).areas) == set(worked("pulsed_light", client).areas)
    assert set(worked("led", client, zones=("chin",), of=school).areas) == {"chin"}, "what is named stays what it is"


def test_a_lift_is_proposed_where_it_is_needed() -> None:
    """A jaw that hangs is lifted along the lines that leave it; the forehead has no part in it."""

    def lifted(*zones: str) -> set[str]:
        grades = {"laxity": {f"{side} {zone}": 2 for side in ("right", "left") for zone in zones}}
        found = Findings.model_validate({"phototype": 3, "grades": grades})
        steps = [step for one in proposals(somebody(findings=found)) for step in one.plan.steps]
        return {zone for step in steps if step.modality == "microcurrent" for zone in step.zones}

    jaw = lifted("jawline")
    assert {"jawline", "lower cheek"} <= jaw and not jaw & {"forehead", "brow", "glabella"}
    brow = lifted("forehead")
    assert "forehead" in brow and not brow & {"jawline", "chin"}


def test_a_footprint_is_set_as_the_most_careful_skin_that_a_tenth_of_it_touches() -> None:
    """By hand, with another tool's areas: over bone lower, elsewhere as the stage is set."""
    client = who("rf_fractional")
    one = worked("rf_fractional", client, at=10)
    lower = one.dose.numbers["at_bone"]
    assert lower.known == 9, "one increment over bone"
    (act,) = (act for act in acts("rf_fractional", True, client, at=10) if act.kind == "pulses")
    zones = client.area(about()["rf_fractional"].work).plate.zones
    bony = union_all([shape for (_, zone), shape in zones.items() if zone in BONY])
    thin = union_all([shape for (_, zone), shape in zones.items() if zone in THIN | {"lips"}])
    met = {True: 0, False: 0}
    for cell in act.cells:
        ring = Polygon(cell.ring)
        share = bony.intersection(ring).area / ring.area
        if abs(share - 0.1) < 0.02 or thin.intersects(ring):
            continue  # on the edge, or of a class of its own
        met[share > 0.1] += 1
        assert cell.set_to == (f"{lower.text} over bone" if share > 0.1 else ""), share
    assert min(met.values()) > 20
    assert all("set to" not in part.mind for part in act.parts), "said footprint by footprint"
