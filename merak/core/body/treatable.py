"""Where a modality may go: zones less its margins and its no-go areas."""

from functools import lru_cache
from typing import NamedTuple

from shapely import Polygon, union_all
from shapely.geometry.base import BaseGeometry

from merak.core.body.plate import Plate, plate, ring
from merak.core.client import Measures
from merak.core.knowledge import number

#: No-go zones and their rules, by modality. No person narrows these.
NO_GO = {
    "microcurrent": {"upper lid": "microcurrent.no_go.eyes", "under-eye": "microcurrent.no_go.eyes", "lips": "microcurrent.no_go.lips"},
    "led": {"upper lid": "led.no_go.eyes", "under-eye": "led.no_go.eyes"},
}
#: Margins to the hairline and their rules, by modality, in finger breadths of the treating hand.
HAIRLINE_MARGIN = {"microcurrent": "microcurrent.margin.hairline"}


class Treatable(NamedTuple):
    """The treatable area of a modality by side, in mm, with what was taken off and the rules that took it."""

    right: BaseGeometry
    left: BaseGeometry
    margin: BaseGeometry
    no_go: BaseGeometry
    margin_mm: float
    rules: tuple[str, ...]

    def side(self, name: str) -> BaseGeometry:
        """The area of one side."""
        return self.right if name == "right" else self.left


@lru_cache(maxsize=256)
def treatable(measures: Measures, modality: str, finger_mm: float) -> Treatable:
    """Zones − margins − no-go areas, by real buffering. `finger_mm` is this therapist's own finger breadth in mm.

    Raises BadInput for tapes that no face has.
    """
    face = plate(measures)
    no_go = union_all([shape for (_, zone), shape in face.zones.items() if zone in NO_GO[modality]])
    rules = set(NO_GO[modality].values())
    margin_mm = 0.0
    margin: BaseGeometry = Polygon()
    if modality in HAIRLINE_MARGIN:
        rules.add(HAIRLINE_MARGIN[modality])
        margin_mm = number(HAIRLINE_MARGIN[modality]) * finger_mm
        margin = _hairline(face).buffer(margin_mm).intersection(face.outline)
    out = union_all([no_go, margin])
    return Treatable(face.half("right").difference(out), face.half("left").difference(out), margin, no_go, margin_mm, tuple(sorted(rules)))


def _hairline(face: Plate) -> BaseGeometry:
    """The part of the rim that borders on hair: from sideburn over the forehead to sideburn."""
    lowest = face.point("sideburn", "left")[1]
    widest = face.point("tragus", "left")[0]
    return ring(face).intersection(Polygon([(-widest - 50, -50), (widest + 50, -50), (widest + 50, lowest), (-widest - 50, lowest)]))
