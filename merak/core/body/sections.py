"""The order in which a plate is worked: sections, cheeks first, the higher side first, zones for the small tip last."""

from math import atan2
from typing import Literal, NamedTuple, get_args

from merak.core.body.plate import Key, Plate, zone_names
from merak.core.body.treatable import BESIDE
from merak.core.knowledge.register import needs

needs(
    __name__,
    landmark=("nose tip",),
)

SectionOrder = Literal["cheeks first", "cheek, chin, forehead, other cheek", "forehead first", "anticlockwise"]
ORDERS: tuple[SectionOrder, ...] = get_args(SectionOrder)
#: The large sections of a face; a "both" section is worked across the midline.
_LARGE: dict[str, tuple[str, ...]] = {
    "cheek": (
        "jawline",
        "lower cheek",
        "mid cheek",
        "upper cheek",
        "in front of the ear",
        "crow's feet",
        "temple",
        "mouth corner and fold",
    ),
    "chin": ("chin",),
    "forehead": ("forehead", "brow", "glabella"),
}
_SMALL: dict[str, tuple[str, ...]] = {
    "upper lip": ("upper lip",),
    "lips": ("lips",),
    "nose": ("nose tip and wings", "nose bridge"),
    "around the eyes": ("under-eye", "upper lid"),
}

#: The sections of the other plates: their name, their zones, whether they run across the midline, whether they want the
#: small tip.
_FINGERS = ("thumb", "index finger", "middle finger", "ring finger", "little finger")
_ELSEWHERE: dict[str, tuple[tuple[str, tuple[str, ...], bool, bool], ...]] = {
    "neck": (
        ("neck", ("side of neck", "front of neck", "thyroid strip"), False, False),
        ("under the chin", ("under the chin",), True, False),
        ("décolleté", ("décolleté",), True, False),
    ),
    "hands": (
        ("hand", ("back of the hand", "knuckles"), False, False),
        *((name, (name,), False, True) for name in _FINGERS),
    ),
}


class Section(NamedTuple):
    """A part of a plate that is worked in one go: its name, its zones, and whether it wants the small tip."""

    name: str
    keys: tuple[Key, ...]
    small_tip: bool = False


def sections(face: Plate, order: SectionOrder, first: str) -> tuple[Section, ...]:
    """All sections of a plate in working order; `first` is the side to begin on.

    On a face by the order's name; "anticlockwise" begins with the first side's cheek and goes round as the therapist
    sees it. On other plates one side after the other, from the top down. What lies beside the skin worked on (the ear)
    is in none.
    """
    other = "left" if first == "right" else "right"

    def both(name: str, zones: tuple[str, ...], small: bool = False) -> Section:
        return Section(name, tuple((side, zone) for zone in zones for side in (first, other)), small)

    if face.name != "face":
        limb = tuple(zone for zone in zone_names(face.name) if zone not in BESIDE)
        parts = _ELSEWHERE.get(face.name, (("limb", limb, False, False),))
        apart = [
            Section(f"{side} {name}", tuple((side, zone) for zone in zones), small)
            for side in (first, other)
            for name, zones, across, small in parts
            if not across
        ]
        return (*apart, *(both(name, zones, small) for name, zones, across, small in parts if across))

    def cheek(side: str) -> Section:
        return Section(f"{side} cheek", tuple((side, zone) for zone in _LARGE["cheek"]))

    chin, forehead = both("chin", _LARGE["chin"]), both("forehead", _LARGE["forehead"])
    small = tuple(both(name, zones, small=True) for name, zones in _SMALL.items())
    large: tuple[Section, ...]
    match order:
        case "cheeks first":
            large = (cheek(first), cheek(other), chin, forehead)
        case "forehead first":
            large = (forehead, cheek(first), cheek(other), chin)
        case "anticlockwise":
            large = _round(face, (cheek(first), chin, cheek(other), forehead))
        case _:
            large = (cheek(first), chin, forehead, cheek(other))
    return (*large, *small)


def _round(face: Plate, found: tuple[Section, ...]) -> tuple[Section, ...]:
    """Sections anticlockwise about the nose's tip, from the first of them."""
    x0, y0 = face.landmarks["left", "nose tip"]

    def angle(section: Section) -> float:
        shapes = [face.zones[key] for key in section.keys]
        area = sum(shape.area for shape in shapes)
        x = sum(shape.centroid.x * shape.area for shape in shapes) / area
        y = sum(shape.centroid.y * shape.area for shape in shapes) / area
        return atan2(y0 - y, x - x0)  # y runs down on the plate: turned over, angles grow anticlockwise

    start = angle(found[0])
    return tuple(sorted(found, key=lambda section: (angle(section) - start) % 6.283185307179586))
