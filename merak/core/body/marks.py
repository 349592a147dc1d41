"""Findings marked on the plate: a spot, a line or an area, of a kind, graded or measured, dated, with a note.

Points are kept in millimetres of the default build, so that a mark stays where it is on the skin when a tape is
measured anew.
"""

from datetime import date
from typing import Literal
from uuid import UUID

import numpy as np
from pydantic import Field
from shapely import LineString, Point, Polygon, get_coordinates, is_valid_reason, union_all
from shapely.geometry.base import BaseGeometry

from merak.core.body.sketch import Plate
from merak.core.errors import BadInput
from merak.core.knowledge import mark_kinds
from merak.core.working import Frozen

Shape = Literal["spot", "line", "area"]
LEAST_POINTS = {"spot": 1, "line": 2, "area": 3}
#: A point may lie this far outside the rim, mm: a finger on a screen is not finer.
SLACK_MM = 1.0
MOST_POINTS = 400
LEAST_AREA_MM2 = 1.0


class Mark(Frozen):
    """One finding. `size_mm` is a spot's diameter or a line's width; `value` is what a measured kind reads, in the
    kind's unit.
    """

    id: UUID
    plate: str
    kind: str
    shape: Shape
    points: tuple[tuple[float, float], ...]
    size_mm: float = 4
    grade: int | None = None
    value: float | None = None
    on: date
    note: str = Field("", max_length=500)

    @property
    def layer(self) -> str:
        """The layer it is drawn on."""
        return mark_kinds()[self.kind].layer

    @property
    def words(self) -> str:
        """Kind and grade or reading, as a list tells it."""
        kind = mark_kinds()[self.kind]
        graded = f", grade {self.grade}" if self.grade is not None else ""
        read = f" {self.value:g} {kind.measured}" if self.value is not None else ""
        return f"{kind.words}{read}{graded}"

    def there(self, face: Plate) -> list[tuple[float, float]]:
        """Its points on this plate, mm."""
        return [(float(x), float(y)) for x, y in face.carry(np.asarray(self.points, dtype=float))]

    def line(self, face: Plate) -> BaseGeometry:
        """Its bare point, line or polygon on this plate, mm."""
        at = self.there(face)
        return Point(at[0]) if self.shape == "spot" else LineString(at) if self.shape == "line" else Polygon(at)

    def on_skin(self, face: Plate) -> BaseGeometry:
        """The skin it takes on this plate, mm."""
        return self.line(face) if self.shape == "area" else self.line(face).buffer(self.size_mm / 2)


def checked(mark: Mark, face: Plate) -> Mark:
    """The mark, when it can be one. Raises BadInput, by field, for what it cannot be."""
    wrong: dict[str, str] = {}
    kind = mark_kinds().get(mark.kind)
    if kind is None:
        raise BadInput({"kind": f"There is no kind of mark “{mark.kind}”."})
    if mark.shape not in kind.shapes:
        wrong["shape"] = f"A {kind.words} is drawn as {' or '.join(kind.shapes)}."
    if mark.grade is not None and not (kind.graded and 0 <= mark.grade <= 4):
        wrong["grade"] = f"A {kind.words} is graded 0 to 4." if kind.graded else f"A {kind.words} has no grade."
    if kind.measured and mark.value is None:
        wrong["value"] = f"What did it read, in {kind.measured}?"
    elif mark.value is not None and not (kind.measured and 15 <= mark.value <= 60):
        wrong["value"] = "Skin reads between 15 and 60 °C." if kind.measured else f"A {kind.words} carries no reading."
    if not 0.5 <= mark.size_mm <= 60:
        wrong["size_mm"] = "A spot or a line is 0.5 to 60 mm wide."
    slip = _drawn_wrong(mark, face)
    if slip:
        wrong["points"] = slip
    if wrong:
        raise BadInput(wrong)
    return mark


def _drawn_wrong(mark: Mark, face: Plate) -> str:
    """What is wrong with the drawing itself; "" when nothing is."""
    least = LEAST_POINTS[mark.shape]
    if len(mark.points) < least or len(set(mark.points)) < least:
        needed = {"spot": "A spot needs a point", "line": "A line needs 2 points", "area": "An area needs 3 points"}[
            mark.shape
        ]
        return f"{needed}; {len(mark.points)} so far."
    if len(mark.points) > MOST_POINTS:
        return f"{len(mark.points)} points are too many; {MOST_POINTS} will do."
    if not np.isfinite(np.asarray(mark.points)).all() or np.abs(np.asarray(mark.points)).max() > 2000:
        return "That is no place on a plate."
    drawn = mark.line(face)
    far = max(face.outline.distance(Point(at)) for at in get_coordinates(drawn))
    if far > SLACK_MM:
        return f"It leaves the plate by {far:.0f} mm. Draw it on the skin."
    if mark.shape == "area" and not drawn.is_valid:
        at = is_valid_reason(drawn).partition("[")[2].rstrip("]").split()
        where = f" at {float(at[0]):.0f}, {float(at[1]):.0f} mm" if len(at) == 2 else ""
        return f"The outline crosses itself{where}. Move a point, or draw it again."
    if mark.shape == "area" and drawn.area < LEAST_AREA_MM2:
        return "That is smaller than 1 mm²: mark it as a spot."
    return ""


def kept_out(marks: tuple[Mark, ...], work: str, face: Plate) -> BaseGeometry:
    """The skin that marks keep this work off, on this plate, mm."""
    shapes = []
    for mark in marks:
        mm = mark_kinds()[mark.kind].keeps(work)
        if mark.plate == face.name and mm is not None:
            shapes.append(mark.on_skin(face).buffer(mm) if mm else mark.on_skin(face))
    return union_all(shapes)
