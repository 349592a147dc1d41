"""Margins, places that stay closed, and what a mark keeps out, written a second time.

Common practice and house defaults as gathered in the handbook (face and body): they belong to a modality and a place,
never to the face as a whole. A margin that is narrowed, or a place that is opened, fails by name.
"""

from math import pi
from uuid import UUID

import pytest
from shapely import Point

from builders.briefs import TODAY
from merak.core.body.marks import Mark
from merak.core.body.plate import zone_names
from merak.core.body.treatable import treatable
from merak.core.client import Measures
from merak.core.knowledge import about, book

#: Ways of working → place → how far: "f" finger breadths of the treating hand, "mm" millimetres.
MARGINS = {
    ("microcurrent",): {"hairline": "0.5 f"},
    ("focused_lifting",): {"hairline": "1 f", "ear canal and rim": "2 f", "mouth corner": "1 f"},
    ("rf_bulk",): {"hairline": "0.5 f", "orbit": "0.25 f"},
    ("rf_fractional",): {"orbit": "0.25 f"},
    ("pulsed_light",): {"brow hair": "5 mm"},
}
LIDS = {"upper lid", "under-eye"}
#: Way of working → where it never goes.
NEVER = {
    "microcurrent": LIDS | {"lips", "thyroid strip", "carotid area", "décolleté"},
    "galvanic": LIDS | {"lips", "front of neck", "thyroid strip"},
    "ultrasound": LIDS | {"lips", "thyroid strip", "carotid area"},
    "ear_clips": {*zone_names("face")} - {"ear", "in front of the ear"},
    "led": LIDS,
    "mask": {"eye"},
    "pulsed_light": LIDS | {"lips", "orbit"},
    "rf_bulk": LIDS | {"lips", "thyroid strip"},
    "rf_fractional": LIDS | {"lips", "thyroid strip"},
    "focused_lifting": LIDS
    | {"eye", "lips", "temple", "glabella", "nose ridge", "chin point"}
    | {"under the chin", "front of neck", "side of neck", "thyroid strip"},
    "wet_abrasion": {"upper lid"},
    "dry_abrasion": LIDS | {"lips", "orbit"},
    "nano": {"upper lid", "eye"},
    "micro_needling": {"upper lid", "eye"},
    "oxygen_jet": {"eye", "upper lid", "nostril", "ear"},
    "oxygen_airbrush": {"eye", "upper lid", "under-eye", "nostril", "ear"},
    "cold": {"eye"},
}
CURRENT_AND_HEAT = {"microcurrent", "galvanic", "ultrasound", "rf_bulk", "rf_fractional", "focused_lifting"}
#: What opens, thins or burns skin, and what only leaves ink out.
OPENING = {"pulsed_light", "rf_fractional", "micro_needling", "nano", "wet_abrasion", "dry_abrasion"}
FROM_INK = {"pulsed_light": 10, "microcurrent": 0, "galvanic": 0, "ultrasound": 0, "led": 0}
#: Mark → what it keeps out, and how many millimetres around it.
MARKS: dict[str, tuple[set[str], float]] = {
    "hair": ({"pulsed_light"}, 5),
    "mole": (OPENING | {"rf_bulk", "focused_lifting"}, 5),
    "tattoo": (OPENING | CURRENT_AND_HEAT | {"led"}, 5),
    "implant": ({"focused_lifting", "rf_bulk", "rf_fractional"}, 0),
    "injection": (CURRENT_AND_HEAT, 0),
    "broken": (
        {"microcurrent", "galvanic", "wet_abrasion", "dry_abrasion", "nano", "micro_needling", "rf_fractional"},
        0,
    ),
    "stay-out": ({"all"}, 0),
}


def test_margins_are_what_is_written_here() -> None:
    found = {
        (work, margin.keep_from): f"{margin.value:g} {margin.unit[0] if margin.unit == 'finger' else margin.unit}"
        for margin in book().margin
        for work in margin.works
    }
    assert found == {
        (work, place): how for works, kept in MARGINS.items() for work in works for place, how in kept.items()
    }


@pytest.mark.parametrize("work", sorted({one.work for one in about().values()} - {""}))
def test_where_it_never_goes(work: str) -> None:
    places = {place for never in book().no_go if work in never.works for place in never.places}
    assert places == NEVER.get(work, set())


def test_what_a_mark_keeps_out() -> None:
    found = {kind.id: (set(kind.keeps_out), kind.keep_mm) for kind in book().mark_kind if kind.keeps_out}
    assert found == MARKS
    assert {kind.id: kind.keep_mm_of for kind in book().mark_kind if kind.keep_mm_of} == {"tattoo": FROM_INK}


@pytest.mark.parametrize("kind", ["mole", "tattoo"])
def test_work_stops_short_of_moles_and_ink(kind: str) -> None:
    """Needles, pins, lamp, abrasion and acid stop 5 mm short, the lamp 10 mm short of ink; the area is what is left."""
    mark = Mark(id=UUID(int=1), plate="face", kind=kind, shape="spot", points=((70.0, 120.0),), size_mm=4, on=TODAY)
    for work in sorted(book().mark_kind and {one.work for one in about().values()} - {""}):
        bare, marked = (treatable(Measures(), work, 16, "face", (), marks) for marks in ((), (mark,)))
        lost = bare.skin.difference(marked.skin)
        far = FROM_INK.get(work, 5) if kind == "tattoo" else 5
        if work in MARKS[kind][0]:
            assert lost.area == pytest.approx(pi * (2 + far) ** 2, rel=0.04), work
            assert marked.skin.distance(Point(70, 120)) == pytest.approx(2 + far, abs=0.15)
        else:
            assert lost.is_empty, f"{work} may pass over a {kind}"
