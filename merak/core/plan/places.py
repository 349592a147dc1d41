"""What is counted where: sections, zones and footprints of a stage, on this client's own plate."""

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely import get_parts, union_all
from shapely.geometry.base import BaseGeometry

from merak.core.acts import Cell, Part, Ring
from merak.core.body.guides import GUIDED, guides
from merak.core.body.plate import Key, area_cm2, is_speck, keys_on
from merak.core.body.sections import Section, SectionOrder, sections
from merak.core.body.treatable import Treatable
from merak.core.client import Side
from merak.core.errors import MerakError
from merak.core.knowledge import number
from merak.core.knowledge.register import needs
from merak.core.modality.catalogue import MODALITIES
from merak.core.modality.device import MachineCard
from merak.core.modality.prints import Prints
from merak.core.modality.shared import stronger
from merak.core.plan.brief import FEW, Brief
from merak.core.plan.by_class import CLASSES, SkinClass, There
from merak.core.plan.footprints import Trail
from merak.core.plan.stage import Stage, Worked, at_most, compute, grounds, laid_beds
from merak.core.remembered import remembered

needs(
    __name__,
    """
    of a footprint: grid.class_share
    mm: work.hand
    """,
)

#: Outlines are kept to a tenth of a millimetre: finer than any hand.
DIGITS = 1


def section_parts(brief: Brief, one: Worked, first: Side, order: SectionOrder = "cheeks first") -> tuple[Part, ...]:
    """The sections of a stage in working order, plate by plate, each as far as it may be worked."""
    return tuple(
        _part(one, area, section.name, section.keys, shape).model_copy(update={"guides": _guides(one, area, shape)})
        for area, section, shape in _sections(brief, one, first, order)
    )


@remembered(FEW)
def strokes_over(brief: Brief, stage: Stage) -> tuple[tuple[str, tuple[Ring, ...]], ...]:
    """How a stage is gone over as it is laid: (plate, strokes), before it is begun; none where it cannot be."""
    if stage.how.laying not in GUIDED:
        return ()
    try:
        one = compute(brief, stage)
    except MerakError:
        return ()
    if one.settings.prints(one.card) is not None:  # that is laid print by print
        return ()
    found: dict[str, list[Ring]] = {}
    for part in section_parts(brief, one, "right"):
        found.setdefault(part.plate, []).extend(part.guides)
    return tuple((plate, tuple(strokes)) for plate, strokes in found.items())


def _guides(one: Worked, area: Treatable, shape: BaseGeometry) -> tuple[Ring, ...]:
    """The strokes over a part, as the stage is laid."""
    tip = one.card.tip("") if isinstance(one.card, MachineCard) else None
    set_mm = getattr(one.settings, "tip_mm", None)
    return guides(area, shape, one.stage.how.laying, set_mm or (tip.across_mm if tip else number("work.hand")))


def zone_parts(brief: Brief, one: Worked, first: Side) -> tuple[Part, ...]:
    """The zones of a stage in working order, each side by itself: for what is read and warmed zone by zone."""
    return tuple(
        _part(one, area, " ".join(key), (key,), area.zones[key]).model_copy(
            update={"guides": _guides(one, area, area.zones[key])}
        )
        for area, section, _ in _sections(brief, one, first, "cheeks first")
        for key in section.keys
        if not is_speck(area.zones[key])
    )


def grid_cells(
    brief: Brief, one: Worked, first: Side, of: Prints, order: SectionOrder
) -> tuple[tuple[Part, ...], tuple[Cell, ...]]:
    """The sections of a stage and the footprints in them, as the plan counted them, walked section by section."""
    parts: list[Part] = []
    cells: list[Cell] = []
    worked = keys_on(frozenset(one.areas))
    every = [(area, there) for area, there in laid_beds(brief, one.stage, one.areas, of)]
    for area, there in every:
        laid = {frozenset(bed.keys): bed for bed in there if not isinstance(bed.grid, Trail)}
        ordered = (
            laid.get(frozenset(key for key in section.keys if key in worked))
            for section in sections(area.plate, order, first)
        )
        for bed in (*(bed for bed in ordered if bed), *(bed for bed in there if isinstance(bed.grid, Trail))):
            if bed.grid.count:
                prints = bed.grid.cells()
                cells += [
                    Cell(part=len(parts), ring=_ring(cell), set_to=said)
                    for cell, said in zip(prints, _set_to(one, area, prints), strict=True)
                ]
                tip = "" if bed.tip == of.tip else f"with the {bed.tip.name}"
                parts.append(_part(one, area, bed.name, bed.keys, bed.shape, tip, by_cell=True))
    how = one.stage.how
    if how.where == "chair" and how.most_cm2:  # it has no place yet, and is set as the strictest class asks
        all_beds = tuple(bed for _, there in every for bed in there)
        strictest = next((words for words, _ in reversed(_careful(one))), "")
        cells = [Cell(part=0, ring=(), set_to=strictest)] * sum(at_most(how, all_beds).values())
    return tuple(parts), tuple(cells)


def _set_to(one: Worked, area: Treatable, cells: NDArray[np.object_]) -> list[str]:
    """What the machine is set to for each footprint, "" for the stage's own: a footprint is of the most careful class
    that so much of it touches (rule grid.class_share).
    """
    said = [""] * len(cells)
    for words, there in _careful(one):
        shape = union_all([part for key, part in area.plate.zones.items() if key in keys_on(frozenset(there.zones))])
        shares = shapely.area(shapely.intersection(cells, shape)) / shapely.area(cells)
        for n in np.flatnonzero(shares >= number("grid.class_share")):
            said[n] = words
    return said


def _careful(one: Worked) -> list[tuple[str, There]]:
    """The classes where a stage is set lower, and to what, the most careful last."""
    lower = [(found, there) for there in one.classes if (found := one.dose.numbers.get(f"at_{there.skin}"))]
    module = MODALITIES[one.modality]
    field = module.INCREMENT.field

    def gentleness(there: There) -> float:
        value = float(getattr(there.settings, field))
        return value if stronger(module, 0, 1, one.card) else -value

    ordered = sorted(lower, key=lambda pair: gentleness(pair[1]))
    return [(f"{found.text} {there.words}", there) for found, there in ordered]


def areas_of(brief: Brief, one: Worked) -> tuple[Treatable, ...]:
    """The plates of a stage with the modality's margins."""
    return tuple(ground.area for ground in grounds(brief, one.stage, one.areas))


def _sections(
    brief: Brief, one: Worked, first: Side, order: SectionOrder
) -> list[tuple[Treatable, Section, BaseGeometry]]:
    found = []
    worked = keys_on(frozenset(one.areas))
    for area in areas_of(brief, one):
        for section in sections(area.plate, order, first):
            keys = tuple(key for key in section.keys if key in worked)
            shape = union_all([area.zones[key] for key in keys])
            if not is_speck(shape):
                found.append((area, section._replace(keys=keys), shape))
    return found


def _part(
    one: Worked,
    area: Treatable,
    name: str,
    keys: tuple[Key, ...],
    shape: BaseGeometry,
    tip: str = "",
    by_cell: bool = False,
) -> Part:
    """A part, and what to mind there; with `by_cell` each footprint says itself what it is set to."""
    names = {zone for _, zone in keys}
    mind = [tip] * bool(tip) + [
        f"{skin}: {', '.join(there)}, {_set_there(one, skin)}"
        for skin, (zones, _) in CLASSES.items()
        if (there := sorted(names & zones)) and not (by_cell and f"at_{skin}" in one.dose.numbers)
    ]
    cm2 = round(area_cm2(shape), 1)
    return Part(name=name, plate=area.plate.name, outlines=outlines(shape), cm2=cm2, mind="; ".join(mind))


def _set_there(one: Worked, skin: SkinClass) -> str:
    """What a stage is set to on a class of skin; "gentler" where it is the hand that is."""
    found = one.dose.numbers.get(f"at_{skin}")
    return "gentler" if found is None else f"set to {found.text}"


def outlines(shape: BaseGeometry) -> tuple[Ring, ...]:
    """A shape as it is kept: closed rings, those inside others being holes."""
    pieces = [piece for piece in get_parts(shape.simplify(0.3)) if not is_speck(piece)]  # a line has no area
    return tuple(_ring(ring) for piece in pieces for ring in (piece.exterior, *piece.interiors))


def _ring(shape: BaseGeometry) -> Ring:
    line = shape.exterior if shape.geom_type == "Polygon" else shape
    return tuple((round(x, DIGITS), round(y, DIGITS)) for x, y in line.coords[:-1])
