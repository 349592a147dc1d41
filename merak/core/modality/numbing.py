"""Numbing: milligrams, share of each limit, earliest start; all caines together, by school."""

from collections.abc import Iterable
from typing import Any, ClassVar, Literal

from pydantic import Field

from merak.core.acts import Act
from merak.core.dose.numbing import injection_share, label_share, milligrams
from merak.core.knowledge import number
from merak.core.knowledge.register import needs
from merak.core.modality.making import Making, left_to_work
from merak.core.modality.shared import Circumstances, Dose, Increment, Judge, Start, Subject, as_set, worked
from merak.core.modality.shared import Settings as Base
from merak.core.modality.ways import Ways

needs(
    __name__,
    """
    cm²: numbing.label.cm2
    g: numbing.label.g
    h: numbing.label.h
    mg: numbing.mg
    mg/kg: numbing.mg_kg
    min: numbing.minutes
    share: numbing.label numbing.light.share numbing.warn
    words: numbing.light numbing.lips numbing.none numbing.not_before numbing.sum
    """,
    aspect=("prilocaine",),
)

NAME = "numbing"
CARD = None
INCREMENT = Increment("minutes", 5)
AMOUNT = None
WAYS = Ways(amounts={"grams": "numbing cream"})


class Settings(Base):
    """What is set: the cream, how much where and how long, whether skin is open, the label's limits, what else was used
    today.
    """

    BY_AREA: ClassVar[frozenset[str]] = frozenset({"grams", "area_cm2"})
    lidocaine_percent: float = Field(4, ge=0, le=10, title="Lidocaine", json_schema_extra={"unit": "%"})
    prilocaine_percent: float = Field(0, ge=0, le=10, title="Prilocaine", json_schema_extra={"unit": "%"})
    grams: float = Field(5, ge=0.01, le=200, title="Cream", json_schema_extra={"unit": "g"})
    minutes: float = Field(30, ge=1, le=480, title="On the skin", json_schema_extra={"unit": "min"})
    skin: Literal["intact", "open"] = Field("intact", title="Skin")
    school: Literal["label", "light-assisted", "none"] = Field("label", title="Method")
    clinic_allows_light: bool = Field(False, title="Clinic has turned it on")
    label_g: float = Field(20, ge=0.01, le=200, title="Label, cream at most", json_schema_extra={"unit": "g"})
    label_cm2: float = Field(200, ge=0.01, le=2000, title="Label, area at most", json_schema_extra={"unit": "cm²"})
    label_h: float = Field(4, ge=0.01, le=12, title="Label, time at most", json_schema_extra={"unit": "h"})
    area_cm2: float = Field(100, ge=0.01, le=2000, title="Under the cream", json_schema_extra={"unit": "cm²"})
    earlier_mg: float = Field(0, ge=0, le=2000, title="Used before today", json_schema_extra={"unit": "mg"})

    def aspects(self, scale: tuple[float, float]) -> tuple[str, ...]:
        """Prilocaine, where it is in the cream."""
        return ("prilocaine",) * (self.prilocaine_percent > 0)

    @property
    def ready_min(self) -> float | None:
        """The cream's time."""
        return None if self.school == "none" else self.minutes

    @classmethod
    def follows(cls, around: Circumstances) -> dict[str, Any]:
        """Whether light over the cream is the house's way, and a senior is there."""
        return {"clinic_allows_light": around.school("numbing") == "light" and around.senior}


def start(card: None, subject: Subject) -> Start:
    """A gram for ten cm², over no more than the part of the label's area that needs no second thought; half an hour."""
    area = min(subject.area_cm2, number(f"{NAME}.label.cm2") * number(f"{NAME}.warn"))
    grams = min(area / 10, number(f"{NAME}.label.g"))
    found = worked(
        "cream", grams, "g", "1 g for 10 cm², within the label", (subject.area,), f"{NAME}.label.g", f"{NAME}.label.cm2"
    )
    return Start(
        Settings(
            grams=max(0.1, grams), area_cm2=area, minutes=number(f"{NAME}.minutes"), label_h=number(f"{NAME}.label.h")
        ),
        found,
    )


def dose(settings: Settings, card: None, subject: Subject) -> Dose:
    """Milligrams, shares, earliest start; no share passes one."""
    judge = Judge()
    if settings.school == "none":
        judge.tell("minutes", as_set("earliest start after", 0, "min", 0, f"{NAME}.none"))
        judge.know(f"{NAME}.none")
        return judge.dose()
    cream, strength = (
        as_set("cream", settings.grams, "g", 1),
        as_set("caines", settings.lidocaine_percent + settings.prilocaine_percent, "%", 1),
    )
    earlier = as_set("used before today", settings.earlier_mg, "mg", 0)
    value = milligrams(settings.grams, strength.value or 0) + settings.earlier_mg
    total = worked(
        "all caines",
        value,
        "mg",
        "grams × 10 × per cent + what was used before",
        (cream, strength, earlier),
        f"{NAME}.sum",
        digits=0,
    )
    judge.tell("mg", total)
    limit = number(f"{NAME}.light.share") if settings.school == "light-assisted" else number(f"{NAME}.label")
    if settings.school == "light-assisted" and not settings.clinic_allows_light:
        judge.refuse(f"{NAME}.light", "The clinic has not turned the light-assisted way on.", "school", "By the label.")
    if settings.skin == "open":
        _open(judge, subject, total.value or 0, limit)
    else:
        hours = as_set("on the skin", settings.minutes / 60, "h", 2)
        area, label = as_set("under the cream", settings.area_cm2, "cm²", 0), as_set("label", settings.label_g, "g", 0)
        # What was used before counts as cream of the same strength, or of one per cent where this one is weaker.
        grams = settings.grams + settings.earlier_mg / (10 * max(strength.value or 0, 1))
        share = label_share(
            grams, settings.area_cm2, settings.minutes / 60, settings.label_g, settings.label_cm2, settings.label_h
        )
        told = worked(
            "share of the label",
            share,
            "",
            "largest of grams, area, hours beside the label's",
            (cream, area, hours, label, earlier),
            f"{NAME}.label",
            f"{NAME}.sum",
            digits=2,
        )
        judge.tell("share", told)
        less = "Less cream, a smaller area, or in parts on other days."
        judge.gives("numbing", told, f"{NAME}.label", "grams", less, limit, "body")
        judge.warn(f"{NAME}.warn", told, "grams", "Ask for home use and repeats.")
    judge.tell("minutes", as_set("earliest start after", settings.minutes, "min", 0, f"{NAME}.minutes"))
    if settings.minutes < number(f"{NAME}.minutes") and settings.school == "label":
        judge.change(f"{NAME}.minutes", f"{settings.minutes:g} minutes are short.", "30 to 45 minutes.", "minutes")
    judge.know(f"{NAME}.lips", f"{NAME}.not_before")
    return judge.dose()


def _open(judge: Judge, subject: Subject, mg: float, limit: float) -> None:
    """Open skin: all applied milligrams against the injection limit, which needs a weight."""
    if subject.weight_kg is None:
        judge.refuse(
            f"{NAME}.mg_kg",
            "Open skin counts by body weight, which is not known.",
            "skin",
            "Weigh, or leave it off open skin.",
        )
        return
    weight = as_set("body weight", subject.weight_kg, "kg", 0)
    share = injection_share(mg, subject.weight_kg, number(f"{NAME}.mg_kg"), number(f"{NAME}.mg"))
    told = worked(
        "share of the injection limit",
        share,
        "",
        "all caines ÷ smaller of 4.5 mg/kg and 300 mg",
        (judge.numbers["mg"], weight),
        f"{NAME}.mg_kg",
        f"{NAME}.mg",
        digits=2,
    )
    judge.tell("share", told)
    judge.gives("numbing", told, f"{NAME}.label", "grams", "Less, or none on open skin.", limit, "body")
    judge.warn(f"{NAME}.warn", told, "grams", "Ask for home use and repeats.")


def acts(make: Making) -> Iterable[Act]:
    """On, and left to work; then off."""
    return left_to_work(make, "Numbing cream works", "Cream off now: wipe, then clean.", not_before=True)
