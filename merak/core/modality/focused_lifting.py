"""Focused line lifting: lines, energy, minutes; depths that come too near to bone are refused, zone by zone."""

from collections.abc import Iterable
from typing import Any, Literal

from pydantic import Field

from merak.core.acts import Act
from merak.core.dose.focused import line_count, too_deep
from merak.core.knowledge import number
from merak.core.knowledge.register import needs
from merak.core.modality.device import MachineCard, scaled
from merak.core.modality.making import Making, gridded
from merak.core.modality.prints import Prints, prints
from merak.core.modality.shared import (
    Amount,
    Circumstances,
    Dose,
    Increment,
    Judge,
    Start,
    Subject,
    as_set,
    on_card,
    physical,
    worked,
)
from merak.core.modality.shared import Settings as Base
from merak.core.modality.ways import ASKED_WARM, Ways
from merak.core.working import Quantity

needs(
    __name__,
    """
    %: focused_lifting.start
    J a line: focused_lifting.line.most
    mm: focused_lifting.clear focused_lifting.tissue.cheek focused_lifting.tissue.cheekbone
    mm: focused_lifting.tissue.chin focused_lifting.tissue.forehead focused_lifting.tissue.glabella
    mm: focused_lifting.tissue.unknown
    passes: focused_lifting.passes
    s: focused_lifting.dwell focused_lifting.pace
    step: focused_lifting.adjust.bone focused_lifting.adjust.first_visit focused_lifting.adjust.reacted
    step: focused_lifting.adjust.sensitive focused_lifting.adjust.thin
    words: dose.energy focused_lifting.filler
    """,
)

NAME = "focused_lifting"
CARD = scaled(NAME, "J a line")
INCREMENT = Increment("at")
AMOUNT = Amount("energy")
WAYS = Ways(asks=ASKED_WARM)
Place = Literal["forehead", "glabella", "cheek", "cheekbone", "chin", "jawline", "neck"]
#: Places for which a depth of soft tissue is published.
KNOWN = frozenset({"forehead", "glabella", "cheek", "cheekbone", "chin"})

#: Zone of the plate → the place whose soft tissue counts there; for any other what is known of none.
PLACES: dict[str, Place] = {
    "forehead": "forehead",
    "glabella": "glabella",
    "upper cheek": "cheek",
    "mid cheek": "cheek",
    "lower cheek": "cheek",
    "mouth corner and fold": "cheek",
    "chin": "chin",
    "jawline": "jawline",
}


#: How wide the lines lie beside each other where no plate says it.
WIDTH_MM = 60.0


class Settings(Base):
    """What is set: energy a line on the card's scale, the focus's depth, the place, how lines lie."""

    at: float = Field(ge=0, le=100, title="Set to")
    depth_mm: float = Field(3, ge=0.5, le=15, title="Depth", json_schema_extra={"unit": "mm"})
    place: Place = Field("cheek", title="Place")
    width_mm: float = Field(WIDTH_MM, ge=1, le=400, title="Width across the lines", json_schema_extra={"unit": "mm"})
    spacing_mm: float = Field(3, ge=0.5, le=20, title="Between lines", json_schema_extra={"unit": "mm"})
    passes: int = Field(3, ge=1, le=10, title="Passes")

    @classmethod
    def follows(cls, around: Circumstances) -> dict[str, Any]:
        """The place among its zones where bone lies nearest; how wide they are, says the plate."""
        places = {PLACES.get(zone, "jawline") for zone in around.zones} or {"jawline"}
        place = min(places, key=lambda one: (number(tissue_rule(one)), one))
        return {"place": place, "width_mm": WIDTH_MM}

    def prints(self, card: MachineCard) -> Prints | None:
        """Line beside line, as far apart as is set. The same energy in a shorter line would be more for each mm."""
        return prints(card, apart_mm=self.spacing_mm)


def tissue_rule(place: str) -> str:
    """The rule that says how deep bone lies under a place."""
    return f"{NAME}.tissue.{place if place in KNOWN else 'unknown'}"


def start(card: MachineCard, subject: Subject) -> Start:
    """A quarter of the scale, less what this skin asks for; the shallow depth."""
    found = on_card(NAME, card, subject)
    return Start(Settings(at=found.value or card.least), found)


def dose(settings: Settings, card: MachineCard, subject: Subject) -> Dose:
    """Lines, joules, minutes; refuses a focus too near to bone."""
    judge = Judge()
    line = physical(judge, "line", card, settings.at)
    judge.most(f"{NAME}.line.most", line, "at")
    passes = as_set("passes", settings.passes, "", 0)
    judge.gives(f"lines at {settings.depth_mm:g} mm", passes, f"{NAME}.passes", "passes")
    rule_id = tissue_rule(settings.place)
    tissue, clear, depth = (
        as_set(f"soft tissue, {settings.place}", number(rule_id), "mm", 1, rule_id),
        as_set("short of bone by", number(f"{NAME}.clear"), "mm", 1, f"{NAME}.clear"),
        as_set("depth", settings.depth_mm, "mm", 1),
    )
    deepest = worked(
        "deepest focus here",
        (tissue.value or 0) - (clear.value or 0),
        "mm",
        "soft tissue − clearance",
        (tissue, clear),
        rule_id,
        f"{NAME}.clear",
    )
    judge.tell("deepest", deepest)
    if too_deep(settings.depth_mm, tissue.value or 0, clear.value or 0):
        judge.refuse(
            f"{NAME}.clear",
            f"{depth.text} on the {settings.place}: {deepest.text} at most.",
            "depth_mm",
            "A shallower cartridge here.",
        )
    width, spacing, passes = (
        as_set("width", settings.width_mm, "mm", 0),
        as_set("spacing", settings.spacing_mm, "mm", 1),
        as_set("passes", settings.passes, "", 0),
    )
    if subject.laid is None:
        count = line_count(settings.width_mm, settings.spacing_mm) * settings.passes
        inputs: tuple[Quantity, ...] = (width, spacing)
        how = "(width ÷ spacing, rounded down, + 1) × passes"
    else:
        count = subject.prints_a_pass * settings.passes
        how, inputs = "lines on the plate × passes", subject.print_counts
    lines = worked("lines", count, "", how, (*inputs, passes), digits=0)
    judge.tell("lines", lines)
    judge.tell(
        "joules",
        worked("energy in all", count * (line.value or 0), "J", "lines × energy a line", (lines, line), "dose.energy"),
    )
    pace = as_set("a line", number(f"{NAME}.pace"), "s", 0, f"{NAME}.pace")
    judge.tell("minutes", worked("minutes", count * pace.known / 60, "min", "lines × seconds ÷ 60", (lines, pace)))
    judge.know(f"{NAME}.filler", f"{NAME}.dwell")
    return judge.dose()


def acts(make: Making) -> Iterable[Act]:
    """Line by line, as far from each other as is set."""
    return gridded(make)
