"""The footprints of a stage as they lie on a client's own plate: what is planned is what is counted at the chair."""

from collections import Counter
from dataclasses import dataclass
from math import atan2, ceil, degrees
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from shapely import union_all
from shapely.geometry.base import BaseGeometry

from merak.core.body.grid import Grid, Tip, footprints, grid
from merak.core.body.marks import Mark
from merak.core.body.plate import Key, is_speck, keys_on
from merak.core.body.sections import sections
from merak.core.body.treatable import Treatable
from merak.core.modality.device import CardTip
from merak.core.modality.prints import Prints
from merak.core.plan.brief import FEW
from merak.core.remembered import remembered


@dataclass(frozen=True, eq=False)
class Trail:
    """Footprints one after the other along a mark, as polygons."""

    prints: NDArray[np.object_]

    @property
    def count(self) -> int:
        """How many there are."""
        return len(self.prints)

    def cells(self) -> NDArray[np.object_]:
        """The footprints, in walking order."""
        return self.prints


class Bed(NamedTuple):
    """A section of the plate, or a mark on it, with the footprints that find room there, and the tip that sets them."""

    name: str
    keys: tuple[Key, ...]
    shape: BaseGeometry
    tip: CardTip
    grid: Grid | Trail


@remembered(FEW)
def beds(area: Treatable, worked: frozenset[str], of: Prints) -> tuple[Bed, ...]:
    """The footprints on some zones of a plate, section by section: whole ones, inside what may be treated. Lips, nose
    and around the eyes want the small tip, and so does what leaves the large one no room.
    """
    found: list[Bed] = []
    open_ = keys_on(worked)
    for section in sections(area.plate, "cheeks first", "right"):
        keys = tuple(key for key in section.keys if key in open_)
        shape = union_all([area.zones[key] for key in keys])
        if is_speck(shape):
            continue
        tip = of.small if section.small_tip else of.tip
        laid = grid(shape, of.covers(tip))
        if not laid.count and tip != of.small:
            tip, laid = of.small, grid(shape, of.covers(of.small))
        found.append(Bed(section.name, keys, shape, tip, laid))
    return tuple(found)


def is_narrow(mark: Mark) -> bool:
    """Whether a mark is worked along it, and not all over: a vessel, the line of a scar, a spot."""
    return mark.shape != "area"


@remembered(FEW)
def along(area: Treatable, marks: tuple[Mark, ...], of: Prints, zones: frozenset[str]) -> tuple[Bed, ...]:
    """The footprints along marked lines and on marked spots of a plate, each by itself: as many as the cap for each,
    spread evenly, else end to end; whole ones inside what may be treated of these zones.
    """
    found: list[Bed] = []
    face, tip = area.plate, of.small
    skin = area.of(tuple(keys_on(zones)))
    for mark in marks:
        line, covers = mark.line(face), of.covers(tip)
        many = of.each or max(1, ceil(line.length / (tip.down_mm + of.gap_mm) - 1e-9))
        prints = [_at(line, (n + 0.5) / many, covers) for n in range(many)]
        inside = np.array([one for one in prints if skin.covers(one)], dtype=object)
        shape = mark.on_skin(face)
        keys = tuple(key for key in keys_on(zones) if area.zones[key].intersects(shape))
        if keys:
            most = max(keys, key=lambda key: area.zones[key].intersection(shape).area)
            found.append(Bed(f"{mark.words}, {' '.join(most)}", keys, shape, tip, Trail(inside)))
    return tuple(found)


def _at(line: BaseGeometry, share: float, tip: Tip) -> BaseGeometry:
    """A footprint with its middle on a line, lying along it."""
    at = line.interpolate(share, normalized=True) if line.length else line
    before, after = (
        (line.interpolate(max(0, share + by), normalized=True) if line.length else line) for by in (-0.05, 0.05)
    )
    angle = degrees(atan2(after.y - before.y, after.x - before.x)) - 90 if line.length else 0.0
    (found,) = footprints(tip, np.array([[at.x, at.y]]), angle)
    return found


def counted(found: tuple[Bed, ...]) -> dict[str, int]:
    """How many footprints a pass takes, by the name of the tip that sets them."""
    count: Counter[str] = Counter()
    for bed in found:
        count[bed.tip.name] += bed.grid.count
    return {name: many for name, many in count.items() if many}
