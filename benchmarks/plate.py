"""The plate's speed: a whole face for one modality beside the bare set operations that it needs, and how a grid grows
with its cells.
"""

import statistics
import time
from itertools import count

import numpy as np
from shapely import area, difference, intersection, linestrings, union_all
from shapely.geometry.base import BaseGeometry

from merak.cli import settle
from merak.core.body.grid import Grid, Tip, grid
from merak.core.body.sections import sections
from merak.core.body.strokes import PATHS, Line, lines
from merak.core.body.travel import Motion, Travel, cover, room
from merak.core.body.treatable import Treatable, margins_of, no_go_of, treatable
from merak.core.client import Measures

ROUNDS, WARM = 120, 15
WORK, FINGER, TIP, HAND = (
    "rf_fractional",
    16.0,
    Tip(shape="square", across_mm=10),
    Motion(tip_mm=10, overlap=0.2, speed_mm_s=40),
)
Laid = tuple[Treatable, list[BaseGeometry], list[Grid], list[Travel], list[Line]]
NEW = count()


def whole_face() -> Laid:
    """A client never seen before: plate, areas, margins, grids of 10 mm cells, rows and strokes, section by section."""
    measures = Measures(ear_to_ear_mm=260 + next(NEW) * 0.01, hairline_chin_mm=188, ear_chin_ear_mm=302)
    able = treatable(measures, WORK, FINGER)
    parts = [section.keys for section in sections(able.plate, "cheeks first", "left")]
    skins = [skin for skin in able.each(parts) if not skin.is_empty]
    grids = [grid(skin, TIP) for skin in skins]
    inner = room(able.skin, "lines", HAND)
    rows = [cover(skin, "lines", HAND, within=inner) for skin in skins]
    return able, skins, grids, rows, [line for side in ("right", "left") for line in lines(able, side, PATHS)]


class Bare:
    """The same face by nothing but Shapely's set operations, on shapes that lie ready: plate, cells, rows and strokes
    are already drawn.
    """

    def __init__(self, laid: Laid) -> None:
        able, self.skins, grids, rows, strokes = laid
        plate = able.plate
        self.no_go = [shape for entry in no_go_of(WORK) for place in entry.places for shape in plate.place(place)]
        self.edges = [
            (shape, able.margin_mm[entry.id]) for entry in margins_of(WORK) for shape in plate.place(entry.keep_from)
        ]
        self.zones = np.array(list(plate.zones.values()), dtype=object)
        self.wholes = np.array(
            [plate.joined(section.keys) for section in sections(plate, "cheeks first", "left")], dtype=object
        )
        self.skin = plate.joined(tuple(key for key in plate.zones if key[1] != "ear"))
        self.cells = [one.cells() for one in grids]
        self.rows = [linestrings(one.pieces) for one in rows if one.pieces]
        self.strokes = linestrings([line.points for line in strokes if len(line.points) == 2])

    def __call__(self) -> float:
        """Margins buffered, zones and sections cut, cells and rows and strokes clipped, what is left, its area."""
        out = union_all([*self.no_go, *(shape.buffer(mm) for shape, mm in self.edges)])
        parts, skins = difference(self.zones, out), difference(self.wholes, out)
        left = 0.0
        for skin, cells in zip(self.skins, self.cells, strict=True):
            if len(cells):
                intersection(cells, skin)
                left += difference(skin, union_all(cells)).area
        skin = difference(self.skin, out)
        inner = skin.buffer(-HAND.tip_mm / 2)
        for rows in self.rows:
            intersection(rows, inner)
        intersection(self.strokes, skin)
        return left + float(area(parts).sum() + area(skins).sum())


def plate_ratios() -> tuple[dict[str, float], dict[str, tuple[float, float]]]:
    """Medians in ms by name, and ratios (or ms) with their limits."""
    settle()  # as the application does before it serves
    bare = Bare(whole_face())
    times: dict[str, list[float]] = {"whole face": [], "bare set operations": []}
    for _ in range(WARM + ROUNDS):
        for name, act in (("whole face", whole_face), ("bare set operations", bare)):
            begun = time.perf_counter()
            act()
            times[name].append(time.perf_counter() - begun)
    found = {name: statistics.median(all_[WARM:]) * 1000 for name, all_ in times.items()}
    able = treatable(Measures(), WORK, FINGER)
    many: dict[int, list[float]] = {1_000: [], 10_000: [], 100_000: []}
    counts: dict[int, int] = {}
    for _ in range(9):
        for cells, spent in many.items():  # in turn, so that a slow minute of the machine touches all of them
            begun = time.perf_counter()
            laid = grid(able.skin, Tip(shape="square", across_mm=(able.skin.area / cells) ** 0.5), 0)
            spent.append(time.perf_counter() - begun)
            counts[cells] = laid.count
    found |= {f"grid of {counts[cells]} cells": statistics.median(spent) * 1000 for cells, spent in many.items()}
    each = {cells: statistics.median(spent) / counts[cells] for cells, spent in many.items()}
    return found, {
        "whole face, one modality, ms": (found["whole face"], 25.0),
        "whole face ÷ bare set operations": (found["whole face"] / found["bare set operations"], 2.0),
        "time a cell, 10 000 ÷ 1 000 cells": (each[10_000] / each[1_000], 1.0),
        "time a cell, 100 000 ÷ 1 000 cells": (each[100_000] / each[1_000], 1.0),
    }
