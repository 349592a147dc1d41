"""Where a modality may go: zones less its margins, its no-go areas and what is marked as out of bounds."""

from dataclasses import dataclass, field
from functools import cached_property
from math import cos, pi

import numpy as np
from shapely import Polygon, covers, difference, intersects, prepare, union_all
from shapely.geometry.base import BaseGeometry

from merak.core.body.marks import Mark, kept_out
from merak.core.body.plate import Key, Plate, plate
from merak.core.client import Measures
from merak.core.errors import BadInput, Refused
from merak.core.knowledge import Margin, NoGo, book, works
from merak.core.knowledge.current import by_book
from merak.core.working import Frozen

#: A round edge is drawn in steps, eight a quarter; this much wider, so that no step comes nearer than the margin.
ARC_STEPS = 8
ARC = cos(pi / (4 * ARC_STEPS))
#: What lies outside of a drawn part reaches so far beyond the plate, mm.
BEYOND_MM = 50
#: Zones that belong to a plate but are not part of its skin work.
BESIDE = frozenset({"ear"})


class Narrowed(Frozen):
    """A margin that a senior narrowed for one client: to `value` in the margin's own unit, and why."""

    margin: str
    value: float
    reason: str


def narrow(margin_id: str, value: float, reason: str) -> Narrowed:
    """A margin narrowed. Whether this person may is for the services to ask; what nobody may is refused here.

    Raises Refused for a no-go area, BadInput (value, reason) for a wider or negative one or a missing reason.
    """
    if any(margin_id == entry.id for entry in book().no_go):
        raise Refused("A no-go area is not narrowed, by anyone.", margin_id)
    found = next((entry for entry in book().margin if entry.id == margin_id), None)
    if found is None:
        raise BadInput({"margin": f"There is no margin “{margin_id}”."})
    wrong = {}
    if not 0 <= value < found.value:
        wrong["value"] = f"Narrower than {found.value:g} {found.unit}, and not below 0."
    if len(reason.strip()) < 5:
        wrong["reason"] = "Why is it narrowed? A few words, for the record."
    if wrong:
        raise BadInput(wrong)
    return Narrowed(margin=margin_id, value=value, reason=reason.strip())


@by_book()
def margins_of(work: str) -> tuple[Margin, ...]:
    """The margins that a modality keeps."""
    return tuple(entry for entry in book().margin if work in entry.works)


@by_book()
def no_go_of(work: str) -> tuple[NoGo, ...]:
    """Where a modality never goes."""
    return tuple(entry for entry in book().no_go if work in entry.works)


@dataclass(frozen=True, eq=False)
class Treatable:
    """What a modality may treat, in mm: each zone's part of it, and what was taken off, with the rules that took it."""

    plate: Plate
    work: str
    zones: dict[Key, BaseGeometry]
    cut: frozenset[Key]
    bands: tuple[BaseGeometry, ...]
    never: tuple[BaseGeometry, ...]
    marked: BaseGeometry
    out: BaseGeometry
    margin_mm: dict[str, float]
    rules: tuple[str, ...]
    sides: dict[str, BaseGeometry] = field(default_factory=dict)

    @cached_property
    def no_go(self) -> BaseGeometry:
        """Where nobody goes with it."""
        return union_all(self.never)

    @cached_property
    def margin(self) -> BaseGeometry:
        """The margins' own skin, without what is no-go anyway."""
        return union_all(self.bands).intersection(self.plate.outline).difference(self.no_go)

    @cached_property
    def skin(self) -> BaseGeometry:
        """All of both sides in one shape, without what lies beside the skin worked on."""
        return self.of(tuple(key for key in self.zones if key[1] not in BESIDE))

    def side(self, name: str) -> BaseGeometry:
        """All of one side in one shape; what lies beside the skin worked on (the ear) is left out."""
        if name not in self.sides:
            self.sides[name] = self.of(tuple(key for key in self.zones if key[0] == name and key[1] not in BESIDE))
        return self.sides[name]

    def each(self, many: list[tuple[Key, ...]]) -> list[BaseGeometry]:
        """Several groups of zones, each in one shape."""
        whole = self.plate.each_joined(many)
        touched = np.array([any(key in self.cut for key in keys) for keys in many], dtype=bool)
        whole[touched] = difference(whole[touched], self.out)
        return list(whole)

    def of(self, keys: tuple[Key, ...]) -> BaseGeometry:
        """Several zones in one shape."""
        whole = self.plate.joined(keys)
        return whole.difference(self.out) if any(key in self.cut for key in keys) else whole


def treatable(
    measures: Measures,
    work: str,
    finger_mm: float,
    name: str = "face",
    narrowed: tuple[Narrowed, ...] = (),
    marks: tuple[Mark, ...] = (),
    within: tuple[Mark, ...] = (),
) -> Treatable:
    """Zones − margins − no-go areas − marks that keep this work out, by real buffering; of that what lies in the parts
    drawn `within`, where there are any.

    `finger_mm` is the treating hand's own finger breadth in mm. Raises BadInput as `plate` does, and on "work" for a
    modality unknown.
    """
    return _treatable(measures, work, finger_mm, name, narrowed, marks, within)


@by_book(96)
def _treatable(
    measures: Measures,
    work: str,
    finger_mm: float,
    name: str,
    narrowed: tuple[Narrowed, ...],
    marks: tuple[Mark, ...],
    within: tuple[Mark, ...],
) -> Treatable:
    if work not in works():
        raise BadInput({"work": f"There is no modality “{work}”."})
    face = plate(measures, name)
    never = tuple(shape for entry in no_go_of(work) for place in entry.places for shape in face.place(place))
    values = {entry.margin: entry.value for entry in narrowed}
    margin_mm, bands = {}, []
    for entry in margins_of(work):
        mm = values.get(entry.id, entry.value) * (finger_mm if entry.unit == "finger" else 1)
        edge = face.place(entry.keep_from)
        if edge:
            margin_mm[entry.id] = mm
            bands += [shape.buffer(mm / ARC, quad_segs=ARC_STEPS) for shape in edge]
    marked = kept_out(marks, work, face)
    parts = union_all([one.on_skin(face) for one in within])
    outside = face.outline.buffer(BEYOND_MM).difference(parts) if within else Polygon()
    out = union_all([*never, *bands, marked, outside])
    shapes = np.array(list(face.zones.values()), dtype=object)
    prepare(out)
    touched = intersects(out, shapes)
    met = shapes[touched]
    gone = covers(out, met)
    met[gone], met[~gone] = Polygon(), difference(met[~gone], out)
    shapes[touched] = met
    rules = {entry.id for entry in no_go_of(work)} | set(margin_mm)
    zones = dict(zip(face.zones, shapes, strict=True))
    cut = frozenset(key for key, hit in zip(face.zones, touched, strict=True) if hit)
    return Treatable(face, work, zones, cut, tuple(bands), never, marked, out, margin_mm, tuple(sorted(rules)))
