"""The supporting steps, cleanse, tone, soften, dry, extract, mask, finish, and what stands between two stages: washing
off, disinfecting, a look, a try. They differ in minutes and amounts only.
"""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import ClassVar, Literal

from pydantic import Field

from merak.core.acts import Act
from merak.core.knowledge import has_rule, number
from merak.core.knowledge.register import needs
from merak.core.modality.making import Making, left_to_work, plain
from merak.core.modality.shared import Dose, Increment, Judge, Start, Subject, as_set, worked
from merak.core.modality.shared import Settings as Base
from merak.core.modality.ways import ASKED, ASKED_STILL, NEVER_ASKED, Ways

needs(
    __name__,
    """
    cm²: support.area
    mL: support.cleanse.ml support.mask.ml support.soften.ml support.tone.ml
    min: support.cleanse support.cleanse.most support.dry support.dry.most support.extract support.extract.most
    min: support.finish support.finish.most support.mask support.mask.most support.soften support.soften.most
    min: support.tone support.tone.most
    min: support.alcohol support.alcohol.most support.antisepsis support.antisepsis.most support.call_senior
    min: support.call_senior.most support.clean_tool support.clean_tool.most support.gloves support.gloves.most
    min: support.mirror support.mirror.most support.mist support.mist.most support.photograph
    min: support.photograph.most support.saline support.saline.most support.towel support.towel.most
    min: support.try_out support.try_out.most support.wash support.wash.most support.wipe support.wipe.most
    """,
)

#: What hands go over: it takes as long as the area is large.
BY_HAND = frozenset(("cleanse", "tone", "dry", "finish", "wash", "wipe", "towel", "alcohol", "saline", "mist"))
KINDS = ("cleanse", "tone", "soften", "dry", "extract", "mask", "finish")
#: What stands between two stages, and weighs nothing.
BETWEEN = (
    *("wash", "wipe", "towel", "alcohol", "antisepsis", "saline", "mist"),
    *("gloves", "mirror", "photograph", "try_out", "call_senior", "clean_tool"),
)


class Minutes(Base):
    """What is set: minutes."""

    minutes: float = Field(ge=0.5, le=60, title="Minutes", json_schema_extra={"unit": "min"})


class HandsOver(Minutes):
    """What is set: minutes that hands take over the area."""

    BY_AREA: ClassVar[frozenset[str]] = frozenset({"minutes"})


class Extraction(Minutes):
    """What is set: minutes of extraction, and whether it takes more than what comes without softening."""

    what: Literal["softened plugs", "what comes easily"] = Field("softened plugs", title="What")


class Towel(HandsOver):
    """What is set: minutes of a towel, and how warm it is."""

    warmth: Literal["lukewarm", "warm", "cool"] = Field("lukewarm", title="Towel")


@dataclass(frozen=True)
class Supporting:
    """One supporting step, with the face of a modality."""

    NAME: str
    CARD: None = None
    INCREMENT: Increment = Increment("minutes", 1)  # noqa: RUF009 (a tuple)
    AMOUNT: None = None
    WAYS: Ways = Ways(amounts={"product": ""})  # noqa: RUF009 (frozen)
    Settings: type[Minutes] = Minutes

    def start(self, card: None, subject: Subject) -> Start:
        """The usual minutes; of what hands go over, those of a face and neck by the area."""
        rule_id = f"support.{self.NAME}"
        usual = as_set("on a face and neck", number(rule_id), "min", 1, rule_id)
        if "minutes" not in self.Settings.BY_AREA:
            return Start(self.Settings(minutes=usual.known), usual.model_copy(update={"name": "minutes"}))
        full = as_set("face and neck", number("support.area"), "cm²", 0, "support.area")
        halves = round(2 * usual.known * subject.area_cm2 / full.known)
        minutes = min(max(halves / 2, 0.5), number(f"{rule_id}.most"))
        how = "usual minutes × area ÷ face and neck, to half a minute"
        found = worked("minutes", minutes, "min", how, (usual, subject.area, full), rule_id)
        return Start(self.Settings(minutes=minutes), found)

    def dose(self, settings: Minutes, card: None, subject: Subject) -> Dose:
        """Minutes, and the product for the area."""
        judge = Judge()
        time = as_set("minutes", settings.minutes, "min", 1, f"support.{self.NAME}")
        judge.tell("minutes", time)
        judge.most(f"support.{self.NAME}.most", time, "minutes")
        rule_id = f"support.{self.NAME}.ml"
        if has_rule(rule_id):
            usual = as_set("on a face and neck", number(rule_id), "mL", 0, rule_id)
            full = as_set("face and neck", number("support.area"), "cm²", 0, "support.area")
            amount = number(rule_id) * subject.area_cm2 / (full.value or 1)
            judge.tell(
                "product",
                worked(
                    "product", amount, "mL", "usual amount × area ÷ face and neck", (usual, subject.area, full), rule_id
                ),
            )
        return judge.dose()

    def acts(self, make: Making) -> Iterable[Act]:
        """By hand; a mask is put on and left to work."""
        return left_to_work(make, "Mask", "Mask off.") if self.NAME == "mask" else plain(make)


#: What the client is asked where it is not as usual: nothing where nothing works on the skin.
ASKS = {**dict.fromkeys(("cleanse", "tone", "dry", "finish", *BETWEEN), NEVER_ASKED), "mask": ASKED_STILL}
SET: dict[str, type[Minutes]] = {**dict.fromkeys(BY_HAND, HandsOver), "towel": Towel, "extract": Extraction}
STEPS = {
    kind: Supporting(kind, WAYS=Ways(asks=ASKS.get(kind, ASKED), free=True), Settings=SET.get(kind, Minutes))
    for kind in (*KINDS, *BETWEEN)
}
