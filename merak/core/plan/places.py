"""What is counted where: sections, zones and footprints of a stage, on this client's own plate."""

from shapely import get_parts, union_all
from shapely.geometry.base import BaseGeometry

from merak.core.acts import Cell, Part, Ring
from merak.core.body.grid import Tip, grid
from merak.core.body.plate import Key, area_cm2, is_speck
from merak.core.body.sections import Section, SectionOrder, sections
from merak.core.body.treatable import Treatable
from merak.core.client import Side
from merak.core.knowledge import about, free_work
from merak.core.plan.brief import Brief, plate_of
from merak.core.plan.by_class import CLASSES, SkinClass
from merak.core.plan.stage import Worked

#: Outlines are kept to a tenth of a millimetre: finer than any hand.
DIGITS = 1


def area_of(brief: Brief, one: Worked) -> Treatable:
    """The plate of a stage with the modality's margins; the mask's where it keeps none."""
    return brief.area(about()[one.modality].work or free_work(), plate_of(one.stage.zones, one.modality))


def section_parts(brief: Brief, one: Worked, first: Side, order: SectionOrder = "cheeks first") -> tuple[Part, ...]:
    """The sections of a stage in working order, each as far as it may be worked."""
    return tuple(
        _part(one, section.name, section.keys, shape) for section, shape in _sections(brief, one, first, order)
    )


def zone_parts(brief: Brief, one: Worked, first: Side) -> tuple[Part, ...]:
    """The zones of a stage in working order, each side by itself: for what is read and warmed zone by zone."""
    area = area_of(brief, one)
    keys = [
        key
        for section, _ in _sections(brief, one, first, "cheeks first")
        for key in section.keys
        if not is_speck(area.zones[key])
    ]
    return tuple(_part(one, " ".join(key), (key,), area.zones[key]) for key in keys)


def grid_cells(
    brief: Brief, one: Worked, first: Side, tip: Tip, small: Tip, order: SectionOrder
) -> tuple[tuple[Part, ...], tuple[Cell, ...]]:
    """The sections of a stage and the footprints in them, walked section by section; `small` is for lips, nose and
    around the eyes.
    """
    parts: list[Part] = []
    cells: list[Cell] = []
    for section, shape in _sections(brief, one, first, order):
        found = grid(shape, small if section.small_tip else tip)
        if found.count:
            cells += [Cell(part=len(parts), ring=_ring(cell)) for cell in found.cells()]
            parts.append(_part(one, section.name, section.keys, shape))
    return tuple(parts), tuple(cells)


def _sections(brief: Brief, one: Worked, first: Side, order: SectionOrder) -> list[tuple[Section, BaseGeometry]]:
    area = area_of(brief, one)
    found = []
    for section in sections(area.plate, order, first):
        keys = tuple(key for key in section.keys if key[1] in one.areas)
        shape = union_all([area.zones[key] for key in keys])
        if not is_speck(shape):
            found.append((section._replace(keys=keys), shape))
    return found


def _part(one: Worked, name: str, keys: tuple[Key, ...], shape: BaseGeometry) -> Part:
    names = {zone for _, zone in keys}
    mind = [
        f"{skin}: {', '.join(there)}, {_set_there(one, skin)}"
        for skin, (zones, _) in CLASSES.items()
        if (there := sorted(names & zones))
    ]
    return Part(name=name, outlines=_outlines(shape), cm2=round(area_cm2(shape), 1), mind="; ".join(mind))


def _set_there(one: Worked, skin: SkinClass) -> str:
    """What a stage is set to on a class of skin; "gentler" where it is the hand that is."""
    found = one.dose.numbers.get(f"at_{skin}")
    return "gentler" if found is None else f"set to {found.text}"


def _outlines(shape: BaseGeometry) -> tuple[Ring, ...]:
    pieces = [piece for piece in get_parts(shape.simplify(0.3)) if not is_speck(piece)]  # a line has no area
    return tuple(_ring(ring) for piece in pieces for ring in (piece.exterior, *piece.interiors))


def _ring(shape: BaseGeometry) -> Ring:
    line = shape.exterior if shape.geom_type == "Polygon" else shape
    return tuple((round(x, DIGITS), round(y, DIGITS)) for x, y in line.coords[:-1])
