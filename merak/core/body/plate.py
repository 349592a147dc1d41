"""The plates: each client's skin unrolled flat, in millimetres along the skin.

The client's right side has negative x, as when one looks at the client. Distances were taken along the skin, which
keeps areas nearly true; docs/plate.md says where they are not, and by how much.
"""

from collections import Counter
from collections.abc import Callable, Collection, Iterable
from functools import cache
from itertools import chain
from typing import NamedTuple

import numpy as np

from merak.core.body import elsewhere, face, tapes
from merak.core.body.sketch import SIDES, Key, Plate, Sketch, build
from merak.core.client import Measures
from merak.core.errors import BadInput
from merak.core.knowledge import landmarks
from merak.core.knowledge.current import by_book

__all__ = [
    "BONY",
    "GRADED",
    "GROUPS",
    "PLATES",
    "SIDES",
    "THIN",
    "Key",
    "Plate",
    "all_zones",
    "area_cm2",
    "bare",
    "keys_of",
    "keys_on",
    "named",
    "plate",
    "plate_with",
    "sided",
    "where_words",
    "zone_names",
]


class ZoneKind(NamedTuple):
    """A plate of the set: its title, in short, the tapes that scale it, the sketch it is drawn from."""

    title: str
    short: str
    tapes: tuple[tapes.Tape, ...]
    sketch: Callable[[], Sketch]


PLATES = {
    "face": ZoneKind("Face", "Face", tapes.FACE, face.sketch),
    "neck": ZoneKind("Neck and décolleté", "Neck", tapes.NECK, elsewhere.neck),
    "hands": ZoneKind("Backs of the hands", "Hands", tapes.HANDS, elsewhere.hands),
    "arm-front": ZoneKind("Upper arms, front", "Arms front", tapes.ARM, elsewhere.arm_front),
    "arm-back": ZoneKind("Upper arms, back", "Arms back", tapes.ARM, elsewhere.arm_back),
    "thigh-front": ZoneKind("Thighs, front", "Thighs front", tapes.THIGH, elsewhere.thigh_front),
    "thigh-back": ZoneKind("Thighs, back", "Thighs back", tapes.THIGH, elsewhere.thigh_back),
}
#: Where bone lies close under the skin; "cheekbone" is a spot, the rest are zones. The brow is a house default.
BONY = frozenset(
    {"forehead", "temple", "brow", "jawline", "nose bridge", "cheekbone", "knuckles", "elbow", "above the knee"}
)
#: Where the skin is thin; beyond lids, under-eye and neck, house defaults.
THIN = frozenset(
    {
        "upper lid",
        "under-eye",
        "under the chin",
        "front of neck",
        "side of neck",
        "thyroid strip",
        "elbow crease",
        "hollow of the knee",
    }
)
_CHEEK = ("upper cheek", "mid cheek", "lower cheek")
_FULL_FACE = (
    "forehead",
    "glabella",
    "temple",
    "brow",
    "upper lid",
    "under-eye",
    "crow's feet",
    "nose bridge",
    "nose tip and wings",
    *_CHEEK,
    "in front of the ear",
    "upper lip",
    "lips",
    "mouth corner and fold",
    "chin",
    "jawline",
)
_NECK = ("under the chin", "front of neck", "side of neck", "thyroid strip")
GROUPS: dict[str, tuple[str, ...]] = {
    "T-zone": ("forehead", "glabella", "nose bridge", "nose tip and wings", "chin"),
    "U-zone": (*_CHEEK, "in front of the ear", "jawline"),
    "full face": _FULL_FACE,
    "face and neck": (*_FULL_FACE, *_NECK),
    "neck and décolleté": (*_NECK, "décolleté"),
}
#: Where laxity and fine lines are graded.
GRADED = (
    "forehead",
    "glabella",
    "crow's feet",
    "under-eye",
    *_CHEEK,
    "mouth corner and fold",
    "upper lip",
    "chin",
    "jawline",
)


def zone_names(name: str) -> tuple[str, ...]:
    """The zones of a plate, in reading order from the top down. Raises BadInput for a plate that is none."""
    zones = _kind(name).sketch().zones
    return tuple(sorted(zones, key=lambda zone: zones[zone].centroid.y))


@cache
def all_zones() -> frozenset[str]:
    """Every zone of every plate."""
    return frozenset(zone for kind in PLATES.values() for zone in kind.sketch().zones)


@cache
def plate_with(zone: str) -> str:
    """The plate that a zone lies on; each has a name of its own. Raises BadInput for a zone of none."""
    for name in PLATES:
        if zone in PLATES[name].sketch().zones:
            return name
    raise BadInput({"zone": f"There is no zone “{zone}”."})


@cache
def bare(name: str) -> str:
    """The zone that a name is of, without its side: "right mid cheek" is of the mid cheek. What is no zone stays as it
    is.
    """
    side, _, zone = name.partition(" ")
    return zone if side in SIDES and zone in all_zones() else name


@cache
def keys_of(name: str) -> tuple[Key, ...]:
    """What a name means on the plates: a zone on both sides, or on the one that it names; nothing where it is no
    zone.
    """
    zone = bare(name)
    if zone not in all_zones():
        return ()
    return tuple((side, zone) for side in SIDES) if zone == name else ((name.partition(" ")[0], zone),)


@cache
def keys_on(names: frozenset[str]) -> frozenset[Key]:
    """What several names mean together."""
    return frozenset(key for name in names for key in keys_of(name))


@cache
def _by_side(name: str) -> tuple[str, ...]:
    """A name on each of its sides by itself; what is no zone as it is."""
    return tuple(map(" ".join, keys_of(name))) or (name,)


def sided(names: Iterable[str]) -> frozenset[str]:
    """The names with each zone on each side by itself, so that what shares skin shares a name."""
    return frozenset(chain.from_iterable(map(_by_side, names)))


def named(keys: Collection[Key]) -> tuple[str, ...]:
    """What these keys are called: a zone of both sides once, plate by plate and down each."""
    found = []
    for plate_name in PLATES:
        for zone in zone_names(plate_name):
            there = [side for side in SIDES if (side, zone) in keys]
            found += [zone] if len(there) == len(SIDES) else [f"{side} {zone}" for side in there]
    return tuple(found)


#: So many zones are named one by one.
FEW_ZONES = 6


def where_words(zones: tuple[str, ...]) -> str:
    """Zones in a few words: everywhere, a group of them by its name, a few by theirs, else how many on which plates."""
    if not zones:
        return "everywhere"
    one_side = {name.partition(" ")[0] for name in zones}
    if len(zones) > 1 and len(one_side) == 1 and one_side <= {*SIDES}:
        return f"{where_words(tuple(map(bare, zones)))}, {one_side.pop()} side"
    group = next((name for name, members in GROUPS.items() if set(members) == set(zones)), "")
    if group or len(zones) <= FEW_ZONES:
        return group or ", ".join(zones)
    known = (zone for zone in map(bare, zones) if zone in all_zones())
    counts = Counter(PLATES[plate_with(zone)].short.lower() for zone in known)
    return ", ".join(f"{many} zones of the {name}" if many > 1 else f"1 of the {name}" for name, many in counts.items())


def _kind(name: str) -> ZoneKind:
    if name not in PLATES:
        raise BadInput({"plate": f"There is no plate “{name}”."})
    return PLATES[name]


@by_book(48)
def plate(measures: Measures, name: str = "face") -> Plate:
    """The plate of a client with these tapes, in mm. Raises BadInput, by field, for tapes that no body has or no one
    face.
    """
    kind = _kind(name)
    across, down, *third = tapes.ratios(kind.tapes, measures)
    if name == "face":
        moved, _ = face.move(across, down, third[0] if measures.ear_chin_ear_mm is not None else None)
    else:
        scale = np.array([across, down])
        moved = lambda points: points * scale  # noqa: E731
    return build(name, kind.sketch(), landmarks(name), moved, across, down)


#: An area below this, in cm², is told by nothing that a hand could do there.
SPECK_CM2 = 0.05


def area_cm2(shape: object) -> float:
    """Area in cm² of a shape in mm."""
    return float(shape.area) / 100  # type: ignore[attr-defined]


def is_speck(shape: object) -> bool:
    """Whether a shape, in mm, is too small for anything to be done there; a line or a point always."""
    return area_cm2(shape) <= SPECK_CM2
