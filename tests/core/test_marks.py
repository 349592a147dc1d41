"""Marks on the plate: what can be one, what it keeps out, and that it stays on its skin."""

from datetime import date
from math import pi
from typing import Any
from uuid import UUID

import pytest
from shapely import Point

from merak.core.body.marks import Mark, checked, kept_out
from merak.core.body.plate import plate
from merak.core.body.treatable import treatable
from merak.core.client import Measures
from merak.core.errors import BadInput

FACE = plate(Measures())
SQUARE = ((60.0, 100.0), (80.0, 100.0), (80.0, 120.0), (60.0, 120.0))


def mark(**changes: Any) -> Mark:
    body: dict[str, Any] = {"id": UUID(int=1), "plate": "face", "kind": "stay-out", "shape": "area", "points": SQUARE}
    body["on"] = date(2026, 11, 20)
    return Mark(**(body | changes))


def test_what_is_marked_stay_out_is_cut_from_every_modality() -> None:
    for work in ("microcurrent", "pulsed_light", "led", "mask"):
        usual, less = (treatable(Measures(), work, 16, marks=marks) for marks in ((), (mark(),)))
        assert usual.side("left").area - less.side("left").area == pytest.approx(400, abs=1)
        assert less.side("right").area == pytest.approx(usual.side("right").area)
    elsewhere = treatable(Measures(), "led", 16, "neck", marks=(mark(),))
    assert elsewhere.marked.is_empty


def test_a_mole_keeps_out_what_burns_and_current_may_pass() -> None:
    """Three millimetres of mole and five around it."""
    mole = mark(kind="mole", shape="spot", points=((70.0, 110.0),), size_mm=6)
    assert kept_out((mole,), "pulsed_light", FACE).area == pytest.approx(pi * 8**2, rel=0.02)
    assert kept_out((mole,), "microcurrent", FACE).is_empty
    beard = mark(kind="hair", shape="line", points=((40.0, 170.0), (90.0, 150.0)), size_mm=2)
    near = kept_out((beard,), "pulsed_light", FACE)
    assert near.covers(Point(65, 160).buffer(5.5)) and not near.covers(Point(65, 160).buffer(7))


def test_a_mark_stays_on_its_skin_when_a_tape_is_measured_anew() -> None:
    wider = plate(Measures(ear_to_ear_mm=300, hairline_chin_mm=200, ear_chin_ear_mm=330))
    for face in (FACE, wider):
        assert face.zones["left", "upper cheek"].intersects(mark().on_skin(face))
    assert mark().on_skin(wider).centroid.x > mark().on_skin(FACE).centroid.x + 4


@pytest.mark.parametrize(
    ("changes", "field", "words"),
    [
        ({"points": (SQUARE[0], SQUARE[2], SQUARE[1], SQUARE[3])}, "points", "crosses itself at 70, 110"),
        ({"points": (*SQUARE[:3], (60.0, 260.0))}, "points", "leaves the plate by"),
        ({"points": SQUARE[:2]}, "points", "needs 3 points; 2 so far"),
        ({"points": (SQUARE[0],) * 5}, "points", "needs 3 points"),
        ({"points": ((60.0, 100.0), (60.2, 100.0), (60.0, 100.2))}, "points", "smaller than 1 mm²"),
        ({"points": ((float("nan"), 1.0), (2.0, 3.0), (4.0, 3.0))}, "points", "no place"),
        ({"points": ((9e9, 1.0), (2.0, 3.0), (4.0, 3.0))}, "points", "no place"),
        ({"points": tuple((60 + n / 100, 100.0 + n % 2) for n in range(500))}, "points", "too many"),
        ({"kind": "mole", "shape": "line"}, "shape", "spot or area"),
        ({"kind": "wart"}, "kind", "no kind of mark"),
        ({"grade": 3}, "grade", "has no grade"),
        ({"kind": "scar", "grade": 5}, "grade", "0 to 4"),
        ({"kind": "reading", "shape": "spot", "points": SQUARE[:1]}, "value", "What did it read"),
        ({"kind": "reading", "shape": "spot", "points": SQUARE[:1], "value": 412.0}, "value", "between 15 and 60"),
        ({"kind": "mole", "shape": "spot", "points": SQUARE[:1], "size_mm": 0.0}, "size_mm", "0.5 to 60"),
    ],
)
def test_what_cannot_be_a_mark_is_told_by_field(changes: dict[str, Any], field: str, words: str) -> None:
    with pytest.raises(BadInput) as wrong:
        checked(mark(**changes), FACE)
    assert words in wrong.value.fields[field]
