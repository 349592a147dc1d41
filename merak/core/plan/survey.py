"""A plate surveyed for one modality: areas, margins, the grid or the strokes section by section, minutes, dwell,
product amounts.
"""

from dataclasses import dataclass
from typing import Literal

import numpy as np
from pydantic import Field
from shapely import LineString, Polygon, difference, union_all
from shapely.geometry.base import BaseGeometry

from merak.core.body.grid import SNAP, Edge, Footprint, Grid, Tip, grid
from merak.core.body.marks import Mark
from merak.core.body.plate import BONY, GROUPS, THIN, Key, Plate, area_cm2, is_speck, zone_names
from merak.core.body.sections import Section, SectionOrder, sections
from merak.core.body.strokes import ON_PLATE, Line, pieces
from merak.core.body.travel import Motion, Style, Travel, along, cover, room
from merak.core.body.treatable import BESIDE, Narrowed, Treatable, margins_of, treatable
from merak.core.client import Measures, Side
from merak.core.dose.product import film_ml, fingertip_units, layer_g
from merak.core.errors import BadInput
from merak.core.knowledge import caution, number, quantity, works
from merak.core.knowledge.register import needs
from merak.core.working import Caution, Frozen, Quantity

needs(
    __name__,
    """
    cm²: product.fingertip.area product.fingertip.area.men
    footprints: grid.most
    g: product.fingertip.grams product.fingertip.grams.men
    mg/cm²: product.sun_protection
    mm/s²: travel.acceleration
    of tip: grid.closing_overlap
    s: grid.step_s travel.set_down
    times: grid.round_bound
    tip: grid.small_tip
    words: body.area product.film
    """,
)

Manner = Literal["strokes", "grid", "area"]
LINES = "between landmarks"


class Laying(Frozen):
    """How a modality is laid on the skin: in rows of strokes, as a grid of footprints, or over the area at once.

    `overlap` is in per cent of the tip; `style` is a way of stroking, or "between landmarks" where the plate has such
    lines; `where` a named group or a zone, on both sides.
    """

    manner: Manner = "strokes"
    shape: Footprint = "circle"
    across_mm: float = Field(10, gt=0, le=200)
    down_mm: float = Field(10, gt=0, le=200)
    overlap: float = Field(0, ge=0, le=60)
    edge: Edge = "inside"
    style: Style | Literal["between landmarks"] = "lines"
    speed_mm_s: float = Field(20, ge=1, le=300)
    hold_s: float = Field(0, ge=0, le=30)
    repeats: int = Field(1, ge=1, le=20)
    order: SectionOrder = "cheeks first"
    where: str = "everywhere"

    def tip(self, small: bool) -> Tip:
        """The footprint, or the small one."""
        share = number("grid.small_tip") if small else 1.0
        return Tip(
            shape=self.shape, across_mm=self.across_mm * share, down_mm=self.down_mm * share, overlap=self.overlap / 100
        )

    def motion(self, small: bool) -> Motion:
        """The hand's movement with the tip, or with the small one."""
        return Motion(
            tip_mm=self.across_mm * (number("grid.small_tip") if small else 1.0),
            overlap=self.overlap / 100,
            speed_mm_s=self.speed_mm_s,
            hold_s=self.hold_s,
            repeats=self.repeats,
        )


def places(plate_name: str) -> tuple[str, ...]:
    """Where work may be laid on a plate: everywhere, a named group that is a part of it, or one zone."""
    zones = zone_names(plate_name)
    groups = (name for name, group in GROUPS.items() if set(group) < set(zones) - BESIDE)
    return ("everywhere", *groups, *(zone for zone in zones if zone not in BESIDE))


def _chosen(plate_name: str, where: str) -> frozenset[str]:
    """The zones that `where` means. Raises BadInput when it is not on this plate."""
    if where not in places(plate_name):
        raise BadInput({"where": f"There is no “{where}” on this plate."})
    return (
        frozenset(zone_names(plate_name)) - BESIDE if where == "everywhere" else frozenset(GROUPS.get(where, (where,)))
    )


def usual(work: str, plate_name: str = "face") -> Laying:
    """How a modality is usually laid (the rule book's own entry); between landmarks only where the plate has such
    lines.
    """
    entry = works()[work]
    style = entry.style if entry.style != LINES or plate_name in ON_PLATE else "lines"
    return Laying(
        manner=entry.manner,
        shape=entry.shape,
        across_mm=entry.tip_mm[0],
        down_mm=entry.tip_mm[1],
        overlap=entry.overlap * 100,
        style=style,
        speed_mm_s=entry.speed_mm_s,
        hold_s=3 if style in (LINES, "stroke and hold") and entry.dwell_s is None else 0,
        repeats=3 if style == LINES else 1,
    )


@dataclass(frozen=True)
class Laid:
    """One section as it is laid: its treatable skin, and its grid or its rows. `first` numbers its first footprint."""

    section: Section
    skin: BaseGeometry
    grid: Grid | None = None
    travel: Travel | None = None
    first: int = 1


@dataclass(frozen=True)
class ZoneArea:
    """One zone: all of it and its treatable part, cm²."""

    key: Key
    whole_cm2: float
    treatable_cm2: float
    bony: bool
    thin: bool


@dataclass(frozen=True)
class Survey:
    """Everything measured about a plate for one modality; `skin` is what of it is to be worked."""

    area: Treatable
    laying: Laying
    skin: BaseGeometry
    zones: tuple[ZoneArea, ...]
    laid: tuple[Laid, ...]
    lines: tuple[Line, ...]
    numbers: dict[str, Quantity]
    cautions: tuple[Caution, ...]

    @property
    def plate(self) -> Plate:
        """The plate itself."""
        return self.area.plate


def survey(
    measures: Measures,
    work: str,
    laying: Laying,
    finger_mm: float,
    first: Side,
    name: str = "face",
    narrowed: tuple[Narrowed, ...] = (),
    marks: tuple[Mark, ...] = (),
) -> Survey:
    """A client's plate surveyed. `finger_mm` is the treating hand's finger breadth, `first` the side to begin on.

    Raises BadInput, by field, for tapes that no body has and for tips that make no end of cells or rows.
    """
    chosen = _chosen(name, laying.where)
    area = treatable(measures, work, finger_mm, name, narrowed, marks)
    skin = area.skin if laying.where == "everywhere" else area.of(tuple(key for key in area.zones if key[1] in chosen))
    zones = tuple(
        ZoneArea(key, area_cm2(area.plate.zones[key]), area_cm2(part), key[1] in BONY, key[1] in THIN)
        for key, part in area.zones.items()
    )
    strokes = _lines(area, laying, first, skin)
    laid = _laid(area, laying, first, chosen, rows=not strokes)
    worked = tuple(zone for zone in zones if zone.key[1] in chosen)
    numbers = _areas(worked) | _products(worked, measures, work)
    if laying.manner == "grid":
        numbers |= _of_grid(laid)
    elif laying.manner == "strokes":
        numbers |= _of_strokes(skin, laid, strokes, laying)
    return Survey(
        area, laying, skin, zones, laid, strokes, numbers, _cautions(area, laying, laid, numbers, finger_mm, narrowed)
    )


def _lines(area: Treatable, laying: Laying, first: Side, skin: BaseGeometry) -> tuple[Line, ...]:
    """The strokes between landmarks whose middle lies in the skin to be worked, the first side's first; none for
    another style.
    """
    if laying.manner != "strokes" or laying.style != LINES:
        return ()
    paths = works()[area.work].paths
    other = "left" if first == "right" else "right"
    found = (line for side in (first, other) for line in pieces(area, side, paths))
    return tuple(line for line in found if skin.intersects(LineString(line.points).interpolate(0.5, normalized=True)))


def _laid(area: Treatable, laying: Laying, first: Side, chosen: frozenset[str], rows: bool) -> tuple[Laid, ...]:
    _settable(area, laying)
    found: list[Laid] = []
    rooms: dict[bool, BaseGeometry] = {}
    count = 1
    style: Style = "lines" if laying.style == "between landmarks" else laying.style
    every = (
        part._replace(keys=tuple(key for key in part.keys if key[1] in chosen))
        for part in sections(area.plate, laying.order, first)
    )
    parts = [part for part in every if part.keys]
    for section, skin in zip(parts, area.each([section.keys for section in parts]), strict=True):
        if is_speck(skin):
            continue
        if laying.manner == "grid":
            cells = grid(skin, laying.tip(section.small_tip), None, laying.edge, forbidden=area.out)
            found.append(Laid(section, skin, grid=cells, first=count))
            count += cells.count
        elif laying.manner == "strokes" and rows:
            small, motion = section.small_tip, laying.motion(section.small_tip)
            if small not in rooms:
                rooms[small] = room(area.skin, style, motion)
            found.append(Laid(section, skin, travel=cover(skin, style, motion, within=rooms[small])))
        else:
            found.append(Laid(section, skin))
    return tuple(found)


def _settable(area: Treatable, laying: Laying) -> None:
    """Raises BadInput when a grid would take more footprints than a hand sets (rule grid.most)."""
    along_mm, across_mm = laying.tip(small=False).steps
    count, most = area.skin.area / (along_mm * across_mm), number("grid.most")
    if laying.manner == "grid" and count > most:
        words = f"About {count:.0f} footprints; a hand sets {most:.0f} at most. Too small a tip, or too much overlap."
        raise BadInput({"across_mm": words})


def _areas(zones: tuple[ZoneArea, ...]) -> dict[str, Quantity]:
    whole = Quantity(
        name="area", value=sum(z.whole_cm2 for z in zones), unit="cm²", formula="sum of the zones", rules=("body.area",)
    )
    off = sum(z.whole_cm2 - z.treatable_cm2 for z in zones)
    taken = Quantity(name="margins, no-go and marked", value=off, unit="cm²", formula="what their shapes cut off")
    left = Quantity(
        name="treatable area",
        value=whole.known - off,
        unit="cm²",
        formula="area − margins − no-go − marked",
        inputs=(whole, taken),
        rules=("body.area",),
    )
    return {"area.whole": whole, "area.treatable": left}


def _products(zones: tuple[ZoneArea, ...], measures: Measures, work: str) -> dict[str, Quantity]:
    whole = Quantity(
        name="area", value=sum(z.whole_cm2 for z in zones), unit="cm²", formula="sum of the zones", rules=("body.area",)
    )
    able = Quantity(name="treatable area", value=sum(z.treatable_cm2 for z in zones), unit="cm²", rules=("body.area",))
    build = ".men" if measures.build == "men's mean" else ""
    unit = quantity(f"product.fingertip.area{build}", "one fingertip unit does")
    weight = quantity(f"product.fingertip.grams{build}", "it weighs", 2)
    density = quantity("product.sun_protection", "laid on at")
    found: dict[str, Quantity] = {}
    film = works()[work].film_mm
    if film is not None:
        laid = Quantity(name="film", value=film, unit="mm", digits=2, rules=(work,))
        value = film_ml(able.known, film)
        found["product.gel"] = Quantity(
            name="gel",
            value=value,
            unit="mL",
            digits=0 if value >= 10 else 1,
            formula="treatable area × film ÷ 10",
            inputs=(able, laid),
            rules=("product.film",),
        )
    count = fingertip_units(whole.known, unit.known)
    units = Quantity(
        name=f"cream, {count * weight.known:.1f} g",
        value=count,
        unit="fingertip units",
        digits=1,
        formula="area ÷ area of a unit; grams: units × weight of one",
        inputs=(whole, unit, weight),
        rules=(*unit.rules, *weight.rules),
    )
    found["product.cream"] = units
    found["product.sun"] = Quantity(
        name="sun protection",
        value=layer_g(whole.known, density.known),
        unit="g",
        digits=1,
        formula="area × density ÷ 1000",
        inputs=(whole, density),
        rules=("product.sun_protection",),
    )
    return found


def _of_grid(laid: tuple[Laid, ...]) -> dict[str, Quantity]:
    """Count, least possible, ratio, left over, laid twice, minutes: all sections."""
    grids = [(part.section.name, part.grid) for part in laid if part.grid is not None]
    counts = tuple(Quantity(name=name, value=cells.count) for name, cells in grids)
    count = Quantity(
        name="footprints a pass",
        value=sum(cells.count for _, cells in grids),
        formula="sum of the sections",
        inputs=counts,
    )
    least = Quantity(
        name="least possible",
        value=sum(cells.tip.least(cells.area.area) for _, cells in grids),
        formula="treatable area ÷ footprint (round tips × 1.2092)",
        rules=("grid.round_bound", "grid.small_tip"),
    )
    left = sum(cells.left_mm2 for _, cells in grids) / 100
    step = quantity("grid.step_s", "a footprint", 1)
    return {
        "grid.count": count,
        "grid.ratio": Quantity(
            name="beside the least possible",
            value=count.known / (least.known or 1),
            unit="×",
            digits=2,
            formula="footprints ÷ least possible",
            inputs=(count, least),
        ),
        "grid.left": Quantity(
            name="left uncovered",
            value=left,
            unit="cm²",
            digits=1,
            formula="treatable area − footprints",
            rules=("body.area",),
        ),
        "grid.doubled": Quantity(
            name="laid on twice",
            value=sum(cells.doubled_mm2 for _, cells in grids) / 100,
            unit="cm²",
            digits=1,
            formula="footprints − their union",
        ),
        "grid.minutes": Quantity(
            name="minutes a pass",
            value=count.known * step.known / 60,
            unit="min",
            digits=1,
            formula="footprints × seconds ÷ 60",
            inputs=(count, step),
            rules=("grid.step_s",),
        ),
    }


def uncovered(skin: BaseGeometry, laid: tuple[Laid, ...]) -> BaseGeometry:
    """The part of the treatable skin that no footprint and no row covers; nothing where neither is laid."""
    covers = [part.grid.covered for part in laid if part.grid] + [part.travel.swept for part in laid if part.travel]
    return difference(skin, union_all(covers, grid_size=SNAP), grid_size=SNAP) if covers else Polygon()


def _of_strokes(
    skin: BaseGeometry, laid: tuple[Laid, ...], strokes: tuple[Line, ...], laying: Laying
) -> dict[str, Quantity]:
    """Rows or lines, length, minutes, longest dwell, left over."""
    if strokes:
        style: Style = "stroke and hold" if laying.hold_s else "lines"
        travels = [along(np.asarray(line.points), style, laying.motion(False)) for line in strokes]
        what = "lines"
    else:
        travels = [part.travel for part in laid if part.travel is not None]
        what = "rows"
    rows = Quantity(name=what, value=sum(one.rows for one in travels), formula="inside the treatable area")
    length = Quantity(
        name="length of all strokes",
        value=sum(one.length_mm for one in travels) / 1000,
        unit="m",
        digits=2,
        formula="all repeats",
    )
    speed = Quantity(name="speed", value=laying.speed_mm_s, unit="mm/s")
    ramp = quantity("travel.acceleration", "speeding up and slowing down")
    down = quantity("travel.set_down", "lifting and setting down")
    found = {
        f"strokes.{what}": rows,
        "strokes.length": length,
        "strokes.minutes": Quantity(
            name="minutes",
            value=sum(one.seconds for one in travels) / 60,
            unit="min",
            digits=1,
            formula="each stretch from rest to rest at this speed, with holds and setting down",
            inputs=(length, speed, ramp, down),
            rules=("travel.acceleration", "travel.set_down"),
        ),
        "strokes.dwell": Quantity(
            name="longest stay under the tip",
            value=max((one.dwell_s for one in travels), default=0.0),
            unit="s",
            digits=2,
            formula="read off the hand's motion, turns and holds included",
            inputs=(Quantity(name="tip", value=laying.across_mm, unit="mm"), speed, ramp),
            rules=("travel.acceleration",),
        ),
    }
    if what == "rows":
        left, by = area_cm2(uncovered(skin, laid)), "treatable area − what the rows sweep"
        found["strokes.left"] = Quantity(
            name="left uncovered", value=left, unit="cm²", digits=1, formula=by, rules=("body.area",)
        )
    return found


def _cautions(
    area: Treatable,
    laying: Laying,
    laid: tuple[Laid, ...],
    numbers: dict[str, Quantity],
    finger_mm: float,
    narrowed: tuple[Narrowed, ...],
) -> tuple[Caution, ...]:
    found: list[Caution] = []
    limit = works()[area.work].dwell_s
    dwell = numbers["strokes.dwell"].value if "strokes.dwell" in numbers else None
    if limit is not None and dwell is not None and dwell > limit:
        words = f"A point stays {dwell:.1f} s under the tip; {limit:g} s is the limit."
        action = "Move faster, lift at the turns, or take a smaller tip."
        found.append(Caution(weight="stop", words=words, action=action, rule=area.work))
    if laying.manner == "grid" and laying.shape == "circle" and laying.overlap / 100 < number("grid.closing_overlap"):
        found.append(
            caution(
                "grid.closing_overlap", "change", action="Gaps stay between the tips, on every pass at the same place."
            )
        )
    bare = [
        part.section.name
        for part in laid
        if (part.grid and not part.grid.count) or (part.travel and not part.travel.rows)
    ]
    if bare:
        found.append(
            caution(
                "grid.small_tip",
                "change",
                f"No room for this tip: {', '.join(bare)}.",
                "Take a smaller one there, or leave it out.",
            )
        )
    why = {entry.margin: entry for entry in narrowed}
    for entry in margins_of(area.work):
        if entry.id in area.margin_mm:
            mm = area.margin_mm[entry.id]
            if entry.id in why:
                words = f"Narrowed: {mm:.3g} mm from the {entry.keep_from}. {why[entry.id].reason}"
                found.append(
                    Caution(
                        weight="change",
                        words=words,
                        action=f"The usual is {entry.value:g} {entry.unit}.",
                        rule=entry.id,
                    )
                )
            else:
                fingers = f" ({entry.value:g} × your finger of {finger_mm:g} mm)" if entry.unit == "finger" else ""
                found.append(
                    Caution(
                        weight="know",
                        words=f"{mm:g} mm from the {entry.keep_from}{fingers}.",
                        action=entry.reason,
                        rule=entry.id,
                    )
                )
    return tuple(found)
