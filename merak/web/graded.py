"""A plate whose zones are graded by a tap: what each shows, and what a tap on it sends."""

from collections.abc import Collection, Mapping
from dataclasses import dataclass

from merak.web.drawing import Drawing


@dataclass(frozen=True)
class GradedZone:
    """A zone with its grade, where the grade stands, and the attributes of its outline; a tap is taken where there is
    an address among them.
    """

    key: str
    grade: int
    d: str
    x: float
    y: float
    outline: dict[str, str]


def graded(
    drawing: Drawing, grades: Mapping[str, int], words: str, kind: str, tapped: Collection[str], address: str
) -> tuple[GradedZone, ...]:
    """The zones of a plate as they are graded for a finding that is called so; `tapped` are the names of those that
    take a tap, which is sent to `address`.
    """
    found = []
    for zone in drawing.zones:
        grade, outline = grades.get(zone.key, 0), {"class": "zone", "d": zone.d}
        if zone.name in tapped:
            outline |= {
                "class": "zone tap",
                "id": "z-" + zone.key.replace(" ", "-").replace("'", ""),
                "role": "button",
                "tabindex": "0",
                "aria-label": f"{zone.key}: {words.lower()} {grade} of 4",
                "data-address": address,
                "data-kind": kind,
                "data-zone": zone.key,
            }
        found.append(GradedZone(zone.key, grade, zone.d, zone.x, zone.y + 2, outline))
    return tuple(found)
