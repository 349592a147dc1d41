"""Wet abrasion as a staged programme: each stage on or off, with suction and minutes; liquid; acids; the share for
infusion.
"""

from collections.abc import Iterable
from typing import Any, Self

from pydantic import Field

from merak.core.acts import Act
from merak.core.dose.abrasion import liquid_ml
from merak.core.knowledge import number
from merak.core.knowledge.register import needs
from merak.core.modality.acid_limits import contact_most, free
from merak.core.modality.device import MachineCard, scaled
from merak.core.modality.making import Making
from merak.core.modality.shared import (
    Amount,
    Circumstances,
    Dose,
    Increment,
    Judge,
    Start,
    Subject,
    as_set,
    carried,
    on_scale,
    physical,
    worked,
)
from merak.core.modality.shared import Settings as Base
from merak.core.modality.ways import ASKED_ACID, Ways

needs(
    __name__,
    """
    %: acid.mild wet_abrasion.share
    mL/min: wet_abrasion.flow
    min: wet_abrasion.longest wet_abrasion.minutes
    of 10: suction.brisk suction.strong
    of 10: wet_abrasion.acid.most wet_abrasion.acid.suction wet_abrasion.infuse.most wet_abrasion.infuse.suction
    of 10: wet_abrasion.peel.most
    of 4: wet_abrasion.pustules
    """,
    aspect=("wet_salicylic", "strong_acid", "brisk_suction", "strong_suction"),
    condition=("acne",),
)

NAME = "wet_abrasion"
CARD = scaled(NAME, "kPa")
INCREMENT = Increment("at")
AMOUNT = Amount("suction")
WAYS = Ways(tags=frozenset({"peel"}), ready_once=True)
#: Stage → rule of the highest suction, tenths of the scale.
STAGES = {"acid": "acid.most", "peel": "peel.most", "salicylic": "peel.most", "infuse": "infuse.most"}

#: Aspect → the most suction that is left where screening stops it.
SUCTION = {"brisk_suction": "suction.brisk", "strong_suction": "suction.strong"}


class Settings(Base):
    """What is set: minutes of each stage (0 leaves it out), the suction of cleaning and of infusing, the acid, the
    flow.
    """

    at: float = Field(4, ge=0, le=100, title="Suction, cleaning")
    infuse_at: float = Field(7, ge=0, le=100, title="Suction, infusing")
    acid_min: float = Field(2, ge=0, le=20, title="Acid cleanse", json_schema_extra={"unit": "min"})
    peel_min: float = Field(0, ge=0, le=20, title="Peel", json_schema_extra={"unit": "min"})
    salicylic_min: float = Field(2, ge=0, le=20, title="Salicylic extraction", json_schema_extra={"unit": "min"})
    booster_min: float = Field(0, ge=0, le=20, title="Booster", json_schema_extra={"unit": "min"})
    infuse_min: float = Field(4, ge=0, le=20, title="Infusion", json_schema_extra={"unit": "min"})
    percent: float = Field(7.5, ge=0, le=100, title="Glycolic in the peel", json_schema_extra={"unit": "%"})
    ph: float = Field(3.5, ge=0, le=14, title="Its pH")
    flow_ml_min: float = Field(12, ge=0.01, le=100, title="Flow", json_schema_extra={"unit": "mL/min"})
    bottle_ml: float = Field(120, ge=0.01, le=2000, title="In the bottle", json_schema_extra={"unit": "mL"})
    pustules: bool = Field(False, title="Pustules in the area")

    def tags(self) -> tuple[str, ...]:
        """The peel's, where there is one."""
        return ("peel",) * (self.peel_min > 0)

    def sparing(self, stopped: frozenset[str], card: MachineCard) -> Self:
        """The suction taken down where an answer keeps it low: the step is done all the same."""
        limits = [number(rule_id) for aspect, rule_id in SUCTION.items() if aspect in stopped]
        if not limits:
            return self
        most = card.least + min(limits) * (card.most - card.least) / 10
        low = on_scale(card.least + card.step * ((most - card.least) // card.step))
        return self.model_copy(update={"at": min(self.at, low), "infuse_at": min(self.infuse_at, low)})

    def aspects(self, scale: tuple[float, float]) -> tuple[str, ...]:
        """Salicylic acid, how strong the suction is on the machine's own scale, and a strong acid."""
        strongest = max(self.at, self.infuse_at if self.infuse_min else 0)
        share = 10 * (strongest - scale[0]) / (scale[1] - scale[0])
        return (
            *["wet_salicylic"] * (self.salicylic_min > 0 or self.peel_min > 0),
            *["strong_suction"] * (share > number("suction.strong")),
            *["brisk_suction"] * (share > number("suction.brisk")),
            *["strong_acid"] * (self.peel_min > 0 and self.percent > number("acid.mild")),
        )

    @classmethod
    def follows(cls, around: Circumstances) -> dict[str, Any]:
        """Whether there are pustules."""
        return {"pustules": around.worst("acne") >= number("wet_abrasion.pustules")}


def start(card: MachineCard, subject: Subject) -> Start:
    """The first-timer's suction in tenths of the scale; no peel stage on a first visit."""
    tenth = (card.most - card.least) / 10
    rule_id = f"{NAME}.acid.suction"
    found = worked(
        "suction, cleaning",
        card.least + number(rule_id) * tenth,
        card.scale,
        "tenths of the scale",
        (as_set("suction", number(rule_id), "of 10", 0, rule_id),),
        rule_id,
    )
    infuse = card.least + number(f"{NAME}.infuse.suction") * tenth
    usual = Settings(at=found.value or card.least, infuse_at=infuse, flow_ml_min=number(f"{NAME}.flow"))
    return Start(carried(INCREMENT, usual, card, subject), found)


def dose(settings: Settings, card: MachineCard, subject: Subject) -> Dose:
    """Suction, split of the time, liquid against the bottle, free acid and its clock."""
    judge = Judge()
    physical(judge, "suction", card, settings.at)
    tenth = (card.most - card.least) / 10
    for field, at, stages in (
        ("at", settings.at, ("acid", "peel", "salicylic")),
        ("infuse_at", settings.infuse_at, ("infuse",)),
    ):
        level = as_set("suction", (at - card.least) / tenth, "of 10", 1)
        for stage in stages:
            if getattr(settings, f"{stage}_min") > 0:
                judge.most(f"{NAME}.{STAGES[stage]}", level, field)
    parts = tuple(
        as_set(words, getattr(settings, f"{key}_min"), "min", 1)
        for key, words in (
            ("acid", "acid cleanse"),
            ("peel", "peel"),
            ("salicylic", "salicylic"),
            ("booster", "booster"),
            ("infuse", "infusion"),
        )
    )
    wet = worked("minutes", sum(part.value or 0 for part in parts), "min", "all stages", parts, f"{NAME}.minutes")
    judge.tell("minutes", wet)
    judge.gives("wet work", wet, f"{NAME}.longest", "acid_min")
    share = worked(
        "share for infusion",
        100 * settings.infuse_min / (wet.value or 1) if wet.value else 0.0,
        "%",
        "infusion ÷ all",
        (parts[-1], wet),
        f"{NAME}.share",
        digits=0,
    )
    judge.tell("share", share)
    judge.least(f"{NAME}.share", share, "infuse_min", "Shorten the cleaning, or lengthen the infusion.")
    flow = as_set("flow", settings.flow_ml_min, "mL/min", 1, f"{NAME}.flow")
    used = worked(
        "liquid", liquid_ml(settings.flow_ml_min, wet.value or 0), "mL", "flow × minutes", (flow, wet), digits=0
    )
    judge.tell("liquid", used)
    if (used.value or 0) > settings.bottle_ml:
        judge.change(
            f"{NAME}.flow",
            f"{used.text} is more than the {settings.bottle_ml:g} mL in the bottle.",
            "Fill it first.",
            "bottle_ml",
        )
    if settings.peel_min > 0:
        free(judge, "glycolic", settings.percent, settings.ph)
        rule_id, most = contact_most(settings.percent, subject, subject.first_visit)
        judge.gives("acid", as_set("peel", settings.peel_min, "min", 1), rule_id, "peel_min", limit=most)
    if settings.pustules:
        judge.change(f"{NAME}.pustules", action="Leave them out.", field="pustules")
    return judge.dose()


#: Stage → its words, what to do when its clock is over.
WET = {
    "acid": ("Acid cleanse", "Off with the acid: on to the next bottle."),
    "peel": ("Peel", "Rinse now."),
    "salicylic": ("Salicylic extraction", "On to the next bottle."),
    "booster": ("Booster", "On to the next bottle."),
    "infuse": ("Infusion", "Press, massage the rest in."),
}


def acts(make: Making) -> Iterable[Act]:
    """Bottle after bottle over the sections, each with its clock."""
    first = "First press suction only, second adds liquid; bubbles prove flow. Try it on your hand."
    yield make.ready("Wet tip: make ready", first)
    for stage, (title, over) in WET.items():
        minutes = getattr(make.settings, f"{stage}_min")
        if not minutes:
            continue
        infusing, sour = stage == "infuse", stage in ("acid", "peel")
        instruction = "Tip flat along the lines, press; more liquid." if infusing else make.instruction
        if stage == "salicylic":
            instruction = f"Congested and porous places, not pustules. {make.instruction}"
        yield make.act(
            "sections",
            title,
            minutes * 60,
            instruction,
            asks=ASKED_ACID if sour else None,
            parts=make.laid.sections("cheeks first"),
            strict=True,
            over=over,
            portion="wet.infuse" if infusing else "wet.acid" if sour else "wet.clean",
            **make.set_to("suction", make.settings.infuse_at if infusing else make.settings.at),
        )
