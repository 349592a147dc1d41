"""What is marked when it is seen: how often in which part, and where it lay."""

from shapely import Point, Polygon

from merak.core.acts import Act
from merak.core.treatment.state import ActRun, Sighting
from merak.core.working import Frozen


class SightingAt(Frozen):
    """One thing that was counted where it was seen: its plate, where on it (mm), the part that it lies in, "" beside
    all of them.
    """

    plate: str
    x: float
    y: float
    part: str


def seen_at(act: Act, run: ActRun) -> tuple[SightingAt, ...]:
    """Everything that was marked in an act, in the order in which it was seen."""
    return tuple(SightingAt(plate=one.plate, x=one.x, y=one.y, part=_part(act, one)) for one in run.seen)


def seen_by_part(act: Act, run: ActRun) -> tuple[tuple[str, int], ...]:
    """How often something was counted in each part of an act, in its working order; what was counted without a place
    under "".
    """
    if not act.at_most:
        return ()
    if act.kind == "sections":
        found = [act.parts[place].name for walk in (*run.passes, run.walk) for place in walk]
    else:
        marked = [one.part for one in seen_at(act, run)]
        found = marked + [""] * (run.strokes - len(marked))
    names = dict.fromkeys((*(part.name for part in act.parts), ""))
    return tuple((name, found.count(name)) for name in names if name in found)


def may_lie_on(act: Act, plate: str) -> bool:
    """Whether something of an act may be seen on a plate."""
    return any((part.plate or act.plate) == plate for part in act.parts)


def _part(act: Act, one: Sighting) -> str:
    here = Point(one.x, one.y)
    for part in act.parts:
        # Rings inside others are holes: a place is in a part where an odd number of them goes around it.
        if (part.plate or act.plate) == one.plate and sum(Polygon(ring).covers(here) for ring in part.outlines) % 2:
            return part.name
    return ""
