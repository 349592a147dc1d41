"""Wet abrasion, a bottle a stage: its suction and minutes, liquid, acid; together the share for infusion."""

from collections.abc import Iterable, Mapping, Sequence
from typing import Any, ClassVar, Literal, Self

from pydantic import Field

from merak.core.acts import Act, Share
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
    Whole,
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
WAYS = Ways(tags=frozenset({"peel", "reddening"}), amounts={"liquid": "solution, all stages"})
Bottle = Literal["acid", "peel", "salicylic", "booster", "infuse"]
#: Bottle → rule of the highest suction, tenths of the scale.
MOST = {"acid": "acid.most", "peel": "peel.most", "salicylic": "peel.most", "infuse": "infuse.most"}

#: Aspect → the most suction that is left where screening stops it.
SUCTION = {"brisk_suction": "suction.brisk", "strong_suction": "suction.strong"}


#: The bottles of one step before each was a stage: its minutes where none were said, and the act that it was.
BEFORE = {
    "acid": (2.0, "Acid cleanse"),
    "peel": (0.0, "Peel"),
    "salicylic": (2.0, "Salicylic extraction"),
    "booster": (0.0, "Booster"),
    "infuse": (4.0, "Infusion"),
}


class Settings(Base):
    """What is set: which bottle, its suction, minutes and flow; of a peel its strength."""

    kind: Bottle = Field("acid", title="Bottle")
    at: float = Field(4, ge=0, le=100, title="Suction")
    minutes: float = Field(2, ge=0.5, le=20, title="Minutes", json_schema_extra={"unit": "min"})
    percent: float = Field(7.5, ge=0, le=100, title="Glycolic in the peel", json_schema_extra={"unit": "%"})
    ph: float = Field(3.5, ge=0, le=14, title="Its pH")
    flow_ml_min: float = Field(12, ge=0.01, le=100, title="Flow", json_schema_extra={"unit": "mL/min"})
    bottle_ml: float = Field(120, ge=0.01, le=2000, title="In the bottle", json_schema_extra={"unit": "mL"})
    pustules: bool = Field(False, title="Pustules in the area")

    GONE: ClassVar[frozenset[str]] = frozenset({"infuse_at", *(f"{bottle}_min" for bottle in BEFORE)})

    @classmethod
    def upgraded(cls, before: Mapping[str, Any]) -> list[dict[str, Any]]:
        """All bottles stood in one step's settings, each with its minutes."""
        if "kind" in before:
            return [dict(before)]
        rest = {key: value for key, value in before.items() if key not in cls.GONE}
        minutes = {bottle: before.get(f"{bottle}_min", usual) for bottle, (usual, _) in BEFORE.items()}
        drawn = {"infuse": before.get("infuse_at", 7.0)}
        stages = [
            {**rest, "kind": bottle, "at": drawn.get(bottle, rest.get("at", 4.0)), "minutes": max(0.5, took)}
            for bottle, took in minutes.items()
            if took
        ]
        return stages or [{**rest, "kind": "acid", "minutes": 0.5}]

    @classmethod
    def stage_of(cls, title: str, nth: int, stages: Sequence[Mapping[str, Any]]) -> int:
        """The one of the bottle that the act is called by."""
        kinds = [one.get("kind") for one in stages]
        return next((kinds.index(bottle) for bottle, (_, act) in BEFORE.items() if act == title and bottle in kinds), 0)

    def tags(self) -> tuple[str, ...]:
        """The peel's, where it is one."""
        return ("peel", "reddening") if self.kind == "peel" else ()

    @property
    def comparable(self) -> bool:
        """Infusing draws harder than cleaning, of which last time tells."""
        return self.kind != "infuse"

    def chosen(self, said: Mapping[str, Any], card: MachineCard) -> Self:
        """The start with what is chosen; infusing begins at its own suction, as much lower as cleaning begins today."""
        found = super().chosen(said, card)
        if found.kind != "infuse" or "at" in said:
            return found
        tenth = (card.most - card.least) / 10
        clean, infuse = (card.least + number(f"{NAME}.{one}.suction") * tenth for one in ("acid", "infuse"))
        at = on_scale(max(card.least, infuse + min(0.0, self.at - clean)))
        return found.model_copy(update={"at": at})

    def sparing(self, stopped: frozenset[str], card: MachineCard) -> Self:
        """The suction taken down where an answer keeps it low: the step is done all the same."""
        limits = [number(rule_id) for aspect, rule_id in SUCTION.items() if aspect in stopped]
        if not limits:
            return self
        most = card.least + min(limits) * (card.most - card.least) / 10
        low = on_scale(card.least + card.step * ((most - card.least) // card.step))
        return self.model_copy(update={"at": min(self.at, low)})

    def aspects(self, scale: tuple[float, float]) -> tuple[str, ...]:
        """Salicylic acid, how strong the suction is on the machine's own scale, and a strong acid."""
        share = 10 * (self.at - scale[0]) / (scale[1] - scale[0])
        return (
            *["wet_salicylic"] * (self.kind in ("salicylic", "peel")),
            *["strong_suction"] * (share > number("suction.strong")),
            *["brisk_suction"] * (share > number("suction.brisk")),
            *["strong_acid"] * (self.kind == "peel" and self.percent > number("acid.mild")),
        )

    @classmethod
    def follows(cls, around: Circumstances) -> dict[str, Any]:
        """Whether there are pustules."""
        return {"pustules": around.worst("acne") >= number("wet_abrasion.pustules")}

    @classmethod
    def together(cls, stages: Sequence[Self]) -> Whole:
        """The share for infusion: enough of the wet time is left to what stays."""
        parts = tuple(as_set(CALLED[one.kind][0].lower(), one.minutes, "min", 1) for one in stages)
        wet = worked("wet time", sum(part.known for part in parts), "min", "all bottles", parts, f"{NAME}.minutes")
        infusing = [n for n, one in enumerate(stages) if one.kind == "infuse"]
        share = worked(
            "share for infusion",
            100 * sum(stages[n].minutes for n in infusing) / wet.known,
            "%",
            "infusion ÷ all",
            (*(parts[n] for n in infusing), wet),
            f"{NAME}.share",
            digits=0,
        )
        judge = Judge()
        judge.least(f"{NAME}.share", share, "minutes", "Shorten the cleaning, or lengthen the infusion.")
        at = infusing[-1] if infusing else len(stages) - 1
        return Whole({"share": share}, tuple((at, stop) for stop in judge.stops))


def start(card: MachineCard, subject: Subject) -> Start:
    """The first-timer's suction for cleaning, in tenths of the scale."""
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
    usual = Settings(at=found.value or card.least, flow_ml_min=number(f"{NAME}.flow"))
    return Start(carried(INCREMENT, usual, card, subject), found)


def dose(settings: Settings, card: MachineCard, subject: Subject) -> Dose:
    """Suction, liquid against the bottle, minutes; of a peel the free acid and its clock."""
    judge = Judge()
    physical(judge, "suction", card, settings.at)
    level = as_set("suction", (settings.at - card.least) / ((card.most - card.least) / 10), "of 10", 1)
    if settings.kind in MOST:
        judge.most(f"{NAME}.{MOST[settings.kind]}", level, "at")
    wet = as_set("minutes", settings.minutes, "min", 1, f"{NAME}.minutes")
    judge.tell("minutes", wet)
    judge.gives("wet work", wet, f"{NAME}.longest", "minutes")
    flow = as_set("flow", settings.flow_ml_min, "mL/min", 1, f"{NAME}.flow")
    used = worked("liquid", liquid_ml(settings.flow_ml_min, wet.known), "mL", "flow × minutes", (flow, wet), digits=0)
    judge.tell("liquid", used)
    if used.known > settings.bottle_ml:
        judge.change(
            f"{NAME}.flow",
            f"{used.text} is more than the {settings.bottle_ml:g} mL in the bottle.",
            "Fill it first.",
            "bottle_ml",
        )
    if settings.kind == "peel":
        free(judge, "glycolic", settings.percent, settings.ph)
        rule_id, most = contact_most(settings.percent, subject, subject.first_visit)
        judge.gives("acid", as_set("peel", settings.minutes, "min", 1), rule_id, "minutes", limit=most)
    if settings.pustules:
        judge.change(f"{NAME}.pustules", action="Leave them out.", field="pustules")
    return judge.dose()


#: Bottle → its words, what to do when its clock is over.
CALLED = {
    "acid": ("Acid cleanse", "Off with the acid: on to the next bottle."),
    "peel": ("Peel", "Rinse now."),
    "salicylic": ("Salicylic extraction", "On to the next bottle."),
    "booster": ("Booster", "On to the next bottle."),
    "infuse": ("Infusion", "Press, massage the rest in."),
}


def _share() -> Share:
    """Infusing is not starved by the cleaning before it."""
    return Share(least=number(f"{NAME}.share"), name="infusing", of="wet", beside="Cleaning", make_up="Infuse")


def acts(make: Making) -> Iterable[Act]:
    """The tip made ready, then the bottle over the sections, by its clock."""
    first = "First press suction only, second adds liquid; bubbles prove flow. Try it on your hand."
    yield make.ready("Wet tip: make ready", first)
    kind = make.settings.kind
    (title, over), sour = CALLED[kind], kind in ("acid", "peel")
    instruction = "Tip flat along the lines, press; more liquid." if kind == "infuse" else make.instruction
    if kind == "salicylic":
        instruction = f"Congested and porous places, not pustules. {instruction}"
    yield make.act(
        "sections",
        title,
        make.own_s,
        instruction,
        asks=ASKED_ACID if sour else None,
        parts=make.laid.sections("cheeks first"),
        strict=True,
        over=over,
        portion="wet.infuse" if kind == "infuse" else "wet.acid" if sour else "wet.clean",
        share=_share() if kind == "infuse" else None,
        **make.set_to("suction", make.settings.at),
    )
