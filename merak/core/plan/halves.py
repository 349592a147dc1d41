"""Half the face first: neighbouring stages that are marked so are worked wholly on one side, shown against the other,
then on that with the same counts.
"""

from collections.abc import Iterable, Iterator, Sequence
from functools import reduce
from itertools import groupby

import numpy as np
from shapely import Polygon, box, symmetric_difference
from shapely.geometry.base import BaseGeometry

from merak.core.acts import Act, Cell, Part, StrokeLine
from merak.core.body.plate import area_cm2, is_speck
from merak.core.client import Side
from merak.core.modality.catalogue import MODALITIES
from merak.core.modality.making import against_the_other
from merak.core.plan.places import outlines
from merak.core.plan.stage import Worked

#: Farther out than any plate, mm.
FAR = 2000.0


def blocks(stages: Sequence[Worked]) -> Iterator[tuple[bool, list[Worked]]]:
    """Neighbouring stages together: whether they are worked half by half, and which they are."""
    for halved, mine in groupby(stages, _is_halved):
        yield halved, list(mine)


def _is_halved(one: Worked) -> bool:
    """Whether it is marked so, and can be: what is left to work is worked everywhere at once."""
    return one.stage.how.half and one.seconds > 0 and not one.spot_only and not one.waits


def turns(stages: Sequence[Worked]) -> tuple[bool, ...]:
    """After the first side of which stages the other is shown for comparison: the last of a block, and those whose
    modality shows it by itself where they stand in none.
    """
    found: list[bool] = []
    for halved, mine in blocks(stages):
        own = [
            not halved and MODALITIES[one.modality].WAYS.halves and not one.spot_only and len(one.sides) > 1
            for one in mine
        ]
        both = halved and len({side for one in mine for side in one.sides}) > 1
        found += [*own[:-1], both or own[-1]]
    return tuple(found)


def half_by_half(acts: Iterable[Act], first: Side) -> tuple[Act, ...]:
    """The acts of a block of stages: all of the first side, everything off and shown, all of the other."""
    mine = [act for act in acts if not act.mirror]
    second: Side = "left" if first == "right" else "right"
    one = [found for act in mine if (found := on_side(act, first, first))]
    other = [found for act in mine if (found := on_side(act, second, first))]
    if not one or not other:
        return (*one, *other)
    last = mine[-1]
    return (*one, against_the_other(last.step, last.stage, last.plate), *other)


def on_side(act: Act, side: Side, first: Side) -> Act | None:
    """What of an act is done on one side; None where nothing is. What is not counted anywhere takes half its time on
    each; a spot is placed once, and what is waited for is waited for once.
    """
    if act.side:
        return act if act.side == side else None
    if act.only_spot or (act.kind == "timed" and not act.modality):
        return act if side == first else None
    lines = tuple(line for line in act.lines if _is_on(line, side, first))
    parts = {n: cut for n, part in enumerate(act.parts) if (cut := _cut(part, side))}
    at = {n: k for k, n in enumerate(parts)}
    cells = tuple(
        cell.model_copy(update={"part": at[cell.part]})
        for cell in act.cells
        if cell.part in parts and _is_on(cell, side, first)
    )
    if (act.lines and not lines) or (act.parts and not parts) or (act.cells and not cells):
        return None
    share = _share(act, lines, tuple(parts.values()), cells)
    return act.model_copy(
        update={
            "title": f"{act.title}, {side}",
            "side": side,
            "seconds": max(1, round(act.seconds * share)),
            "lines": lines,
            "parts": tuple(parts.values()),
            "cells": cells,
            "spot": act.spot if side == first else None,
        }
    )


def _share(act: Act, lines: tuple[StrokeLine, ...], parts: tuple[Part, ...], cells: tuple[Cell, ...]) -> float:
    """How much of an act's time one side takes: by footprints, by lines, by area, else half."""
    if any(cell.ring for cell in act.cells):
        return len(cells) / len(act.cells)
    if act.lines:
        return len(lines) / len(act.lines)
    whole = sum(part.cm2 for part in act.parts)
    return sum(part.cm2 for part in parts) / whole if whole else 0.5


def _is_on(one: StrokeLine | Cell, side: Side, first: Side) -> bool:
    """Whether a line or a footprint is of a side: by its middle; on the midline it is done with the first. What is not
    laid yet is of both.
    """
    points = one.points if isinstance(one, StrokeLine) else one.ring
    if not points:
        return True
    x = float(np.mean([x for x, _ in points]))
    return side == first if abs(x) < 1e-6 else (x < 0) == (side == "right")


def _cut(part: Part, side: Side) -> Part | None:
    """A section or a zone on one side alone; None where nothing of it is. What is not laid yet is on both."""
    if not part.outlines:
        return part
    whole = shape_of(part)
    mine = whole.intersection(box(-FAR, -FAR, 0, FAR) if side == "right" else box(0, -FAR, FAR, FAR))
    if is_speck(mine):
        return None
    words = part.name if part.name.startswith(("right ", "left ")) else f"{side} {part.name}"
    strokes = tuple(one for one in part.guides if (float(np.mean([x for x, _ in one])) < 0) == (side == "right"))
    return part.model_copy(
        update={"name": words, "outlines": outlines(mine), "cm2": round(area_cm2(mine), 1), "guides": strokes}
    )


def shape_of(part: Part) -> BaseGeometry:
    """A part's outlines as one shape: those inside others are holes."""
    return reduce(symmetric_difference, (Polygon(ring) for ring in part.outlines), Polygon())
