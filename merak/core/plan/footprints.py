"""The footprints of a stage as they lie on a client's own plate: what is planned is what is counted at the chair."""

from collections import Counter
from typing import NamedTuple

from shapely import union_all
from shapely.geometry.base import BaseGeometry

from merak.core.body.grid import Grid, grid
from merak.core.body.plate import Key, is_speck, keys_on
from merak.core.body.sections import sections
from merak.core.body.treatable import Treatable
from merak.core.modality.device import CardTip
from merak.core.modality.prints import Prints
from merak.core.plan.brief import FEW
from merak.core.remembered import remembered


class Bed(NamedTuple):
    """A section of the plate with the footprints that find room in it, and the tip that sets them."""

    name: str
    keys: tuple[Key, ...]
    shape: BaseGeometry
    tip: CardTip
    grid: Grid


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


def counted(found: tuple[Bed, ...]) -> dict[str, int]:
    """How many footprints a pass takes, by the name of the tip that sets them."""
    count: Counter[str] = Counter()
    for bed in found:
        count[bed.tip.name] += bed.grid.count
    return {name: many for name, many in count.items() if many}
