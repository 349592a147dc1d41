"""LED red light: settings, start values, ceilings, fluence."""

from datetime import date
from typing import Literal

from pydantic import Field

from merak.core.client import Findings, LastTime
from merak.core.dose.light import fluence_j_cm2, irradiance_at, minutes_for
from merak.core.knowledge import Verdict, caution, number
from merak.core.modality.device import LedCard
from merak.core.modality.shared import Dose, Start, Subject
from merak.core.working import Caution, Frozen, Quantity

NAME = "led"
CARD = True
TAGS = ("led",)


class Settings(Frozen):
    """What is set for red light: minutes at a distance, bare or through a mask."""

    minutes: float = Field(ge=0.5, le=120)
    distance_cm: float = Field(10, ge=1, le=100)
    cover: Literal["bare skin", "sheet mask"] = "bare skin"


def start_for(card: LedCard, findings: Findings, last: LastTime | None, verdict: Verdict) -> tuple[Settings, Quantity]:
    """Start-up settings, and the minutes' working. The distance is the card's second nearest measured point, or 10 cm."""
    careful = last is None or bool(findings.sensitive) or verdict == "change"
    rule_id = "led.first_visit" if careful else "led.start_minutes"
    minutes = last.led_minutes if last and last.led_minutes and not careful else number(rule_id)
    distances = sorted(distance for distance, _ in card.points) or [10.0]
    distance = distances[min(1, len(distances) - 1)]
    bright = irradiance_at(distance, card.points)
    if bright:  # a strong panel reaches the ceiling sooner than the usual minutes
        longest = minutes_for(number("led.ceiling.red_fluence"), bright)
        minutes = min(minutes, round(longest - 0.05, 1))
    words = "first visit, sensitive, or something to mind" if careful else "as is usual, or as last time"
    worked = Quantity(name="start minutes", value=minutes, unit="min", digits=1, formula=words, rules=(rule_id,))
    return Settings(minutes=minutes, distance_cm=distance), worked


def start(card: LedCard, subject: Subject) -> Start:
    """The same for a skin that is described and not looked at."""
    last = LastTime(on=subject.last.on or date.min, led_minutes=subject.last.at) if subject.last else None
    return Start(*start_for(card, Findings(sensitive=subject.sensitive), last, subject.verdict))


def irradiance(settings: Settings, card: LedCard) -> Quantity:
    """Irradiance at the skin in mW/cm², with its working; unknown outside the measured points or through a mask."""
    distance = Quantity(name="distance", value=settings.distance_cm, unit="cm", digits=1)
    if settings.cover == "sheet mask":
        return Quantity(
            name="irradiance",
            value=None,
            unit="mW/cm²",
            formula="the mask's transmission is not known",
            inputs=(distance,),
            rules=("led.mask_unknown",),
        )
    value = irradiance_at(settings.distance_cm, card.points)
    span = f"{min(card.points)[0]:g} to {max(card.points)[0]:g} cm" if card.points else "nowhere"
    formula = "log–log between the card's measured points" if value is not None else f"the {card.name} was measured {span}"
    return Quantity(name="irradiance", value=value, unit="mW/cm²", digits=1, formula=formula, inputs=(distance,), rules=("led.distance",))


def dose(settings: Settings, card: LedCard, subject: Subject | None = None) -> Dose:
    """Fluence for these settings, with cautions and refusals."""
    minutes = Quantity(name="minutes", value=settings.minutes, unit="min", digits=1)
    bright = irradiance(settings, card)
    value = None if bright.value is None else fluence_j_cm2(bright.value, settings.minutes)
    fluence = Quantity(
        name="fluence",
        value=value,
        unit="J/cm²",
        digits=1,
        formula="irradiance × minutes × 60 ÷ 1000",
        inputs=(bright, minutes),
        rules=("led.fluence",),
    )
    return Dose({"irradiance": bright, "fluence": fluence, "minutes": minutes}, *_checked(settings, card, bright, value))


def _checked(settings: Settings, card: LedCard, bright: Quantity, fluence: float | None) -> tuple[tuple[Caution, ...], dict[str, Caution]]:
    mind: list[Caution] = []
    refused: dict[str, Caution] = {}
    ceiling, low, longest = number("led.ceiling.red_fluence"), number("led.low_fluence"), number("led.ceiling.minutes")
    if settings.minutes > longest:
        refused["minutes"] = caution("led.ceiling.minutes", "stop", f"{longest:g} minutes at most.", field="minutes")
    elif fluence is None:
        act = f"Keep to the clock, {longest:g} minutes at most."
        mind.append(caution(bright.rules[0], "change", f"Dose unknown: {bright.formula}.", act, "distance_cm"))
    elif fluence > ceiling + 0.005:
        allowed = minutes_for(ceiling, bright.value or 1)
        words = f"{fluence:.1f} J/cm² is above {ceiling:g} J/cm²: at {bright.text}, {allowed:.1f} minutes at most."
        refused["minutes"] = caution("led.ceiling.red_fluence", "stop", words, field="minutes")
    elif fluence < low:
        act = "Lengthen, or bring the panel nearer."
        mind.append(caution("led.low_fluence", "change", f"{fluence:.1f} J/cm² is little.", act, "minutes"))
    return (*mind, caution("led.eyes"), caution("led.product")), refused
