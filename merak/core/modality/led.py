"""LED light of one colour: settings, start values, ceilings, fluence. A second colour is another stage."""

from collections.abc import Iterable, Mapping, Sequence
from typing import Any, ClassVar, Literal, Self

from pydantic import Field

from merak.core.acts import Act
from merak.core.dose.light import fluence_j_cm2, irradiance_at, minutes_for
from merak.core.errors import BadInput, Refused
from merak.core.knowledge import caution, number
from merak.core.knowledge.register import needs
from merak.core.modality.device import Colour, LedCard
from merak.core.modality.making import Making
from merak.core.modality.shared import Amount, Circumstances, Dose, Increment, Judge, Start, Subject, slack
from merak.core.modality.shared import Settings as Base
from merak.core.modality.titration import titrate
from merak.core.modality.ways import ASKED_STILL, Twin, Ways
from merak.core.working import Quantity

needs(
    __name__,
    """
    J/cm²: led.ceiling.amber_fluence led.ceiling.blue_fluence led.ceiling.near_infrared_fluence
    J/cm²: led.ceiling.red_fluence led.low_fluence
    min: led.ceiling.minutes led.first_visit led.missed led.reacted led.start_minutes
    phototype: led.blue_dark
    °C: led.surface
    words: plan.machine led.amber_weak led.distance led.duty led.eyes led.fluence led.mask_unknown led.product
    """,
    aspect=("led_blue", "led_near_infrared", "led_pulsed"),
)

NAME = "led"
CARD = LedCard
INCREMENT = Increment("minutes", 2)
AMOUNT = Amount("fluence", adds_up=True)
WAYS = Ways(
    asks=ASKED_STILL,
    tags=frozenset({"led.blue"}),
    ended="done",
    twin=Twin("minutes", "fluence", "Fluence", "J/cm²", 1),
)


class Settings(Base):
    """What is set: minutes of a colour at a distance, bare or through a mask, steady or pulsed."""

    minutes: float = Field(ge=0.5, le=120, title="Minutes", json_schema_extra={"unit": "min"})
    distance_cm: float = Field(10, ge=1, le=100, title="Distance", json_schema_extra={"unit": "cm"})
    cover: Literal["bare skin", "sheet mask"] = Field("bare skin", title="Over")
    colour: Colour = Field("red", title="Colour")
    duty_percent: float = Field(100, ge=0.01, le=100, title="Duty", json_schema_extra={"unit": "%"})

    GONE: ClassVar[frozenset[str]] = frozenset({"then", "then_minutes"})

    @classmethod
    def upgraded(cls, before: Mapping[str, Any]) -> list[dict[str, Any]]:
        """A second colour stood in the settings of the first."""
        rest = {key: value for key, value in before.items() if key not in cls.GONE}
        if before.get("then", "nothing") == "nothing":
            return [rest]
        return [rest, {**rest, "colour": before["then"], "minutes": before.get("then_minutes", 10)}]

    @classmethod
    def stage_of(cls, title: str, nth: int, stages: Sequence[Mapping[str, Any]]) -> int:
        """Its clocks are its colours, in their order."""
        return nth

    @classmethod
    def number_of(cls, name: str) -> tuple[int, str]:
        """Those of the second colour said so."""
        return (1, name.removeprefix("then_")) if name.startswith("then_") else (0, name)

    @classmethod
    def follows(cls, around: Circumstances) -> dict[str, Any]:
        """Over what it falls, where something lies there."""
        return {"cover": "sheet mask"} if around.covered else {}

    def tags(self) -> tuple[str, ...]:
        """Blue light's."""
        return ("led.blue",) * (self.colour == "blue")

    def twin_for(self, value: float, card: LedCard) -> Self:
        """The minutes that give a fluence (J/cm²). Raises BadInput on "fluence"."""
        bright = irradiance(self, card).value
        if not bright:
            raise BadInput({"fluence": "The irradiance is not known here, so neither is the fluence."})
        return self.model_copy(update={"minutes": round(minutes_for(value, bright, self.duty_percent / 100), 1)})

    def fitted(self, card: LedCard) -> Self:
        """Only a colour that the panel was measured for. Raises Refused for another."""
        measured = bool(card.points) or any(card.colours.values())
        if measured and not card.points_of(self.colour):
            raise Refused(f"The {card.name} was not measured in {self.colour}.", "plan.machine")
        return self

    def aspects(self, scale: tuple[float, float]) -> tuple[str, ...]:
        """Its colour, and pulsed light."""
        found = [f"led_{name.replace('-', '_')}" for name in ("blue", "near-infrared") if name == self.colour]
        return (*found, *["led_pulsed"] * (self.duty_percent < 100))


def start(card: LedCard, subject: Subject) -> Start:
    """Start-up settings, and the working of the minutes. The distance is the second nearest measured, or 10 cm."""
    last = subject.last
    careful = last is None or subject.sensitive or subject.verdict == "change"
    turn = titrate(last).turn if last else "same"
    rule_id = "led.first_visit" if careful else "led.start_minutes"
    minutes = last.at if last and last.at and not careful else number(rule_id)
    words = "first visit, sensitive, or something to mind" if careful else "as is usual, or as last time"
    if turn in ("down", "stop"):
        minutes, rule_id = max(1.0, minutes + number("led.reacted")), "led.reacted"
        words = "shorter after last time's reaction"
    elif turn == "up" and last and last.at and not careful:
        minutes, rule_id, words = minutes + number("led.missed"), "led.missed", "longer, since last time fell short"
    distances = sorted(distance for distance, _ in card.points) or [10.0]
    distance = distances[min(1, len(distances) - 1)]
    bright = irradiance_at(distance, card.points)
    if bright:  # a strong panel reaches the ceiling sooner than the usual minutes
        longest = minutes_for(number("led.ceiling.red_fluence"), bright)
        minutes = min(minutes, round(longest - 0.05, 1))
    found = Quantity(name="start minutes", value=minutes, unit="min", digits=1, formula=words, rules=(rule_id,))
    return Start(Settings(minutes=minutes, distance_cm=distance), found)


def irradiance(settings: Settings, card: LedCard) -> Quantity:
    """Irradiance at the skin in mW/cm², with its working; unknown outside the measured points or through a mask."""
    distance = Quantity(name="distance", value=settings.distance_cm, unit="cm", digits=1)
    if settings.cover == "sheet mask":
        formula, rule_id, value = "the mask's transmission is not known", "led.mask_unknown", None
    else:
        points, rule_id = card.points_of(settings.colour), "led.distance"
        value = irradiance_at(settings.distance_cm, points)
        span = f"{min(points)[0]:g} to {max(points)[0]:g} cm" if points else "nowhere"
        formula = (
            "log–log between the card's measured points"
            if value is not None
            else f"the {card.name} was measured {span}"
        )
    return Quantity(
        name="irradiance", value=value, unit="mW/cm²", digits=1, formula=formula, inputs=(distance,), rules=(rule_id,)
    )


def dose(settings: Settings, card: LedCard, subject: Subject | None = None) -> Dose:
    """Fluence for these settings, with cautions and refusals."""
    judge = Judge()
    longest, colour = number("led.ceiling.minutes"), settings.colour
    nearest = min((distance for distance, _ in card.points_of(colour)), default=0.0)
    if settings.distance_cm < nearest - slack(nearest) and settings.cover == "bare skin":
        words = f"The {card.name} was measured from {nearest:g} cm: nearer, all that is known is that it is brighter."
        judge.refuse("led.distance", words, "distance_cm", "Farther away.")
    duty = Quantity(name="duty", value=settings.duty_percent, unit="%", rules=("led.duty",))
    bright = irradiance(settings, card)
    judge.tell("irradiance", bright)
    steady = settings.duty_percent == 100
    time = Quantity(name="minutes", value=settings.minutes, unit="min", digits=1)
    value = None if bright.value is None else fluence_j_cm2(bright.value, settings.minutes, settings.duty_percent / 100)
    fluence = Quantity(
        name="fluence",
        value=value,
        unit="J/cm²",
        digits=1,
        formula="irradiance × minutes × 60 ÷ 1000" if steady else "irradiance × minutes × 60 ÷ 1000 × duty",
        inputs=(bright, time) if steady else (bright, time, duty),
        rules=("led.fluence",),
    )
    judge.tell("fluence", fluence)
    judge.tell("minutes", time)
    judge.exposes("light", time, "led.ceiling.minutes")
    judge.exposes(f"{colour} light", fluence, f"led.ceiling.{colour.replace('-', '_')}_fluence")
    if settings.minutes > longest:
        words = f"{longest:g} minutes at most."
        judge.refused["minutes"] = caution("led.ceiling.minutes", "stop", words, field="minutes")
    else:
        _kept(judge, settings, card, bright, fluence)
    if colour == "blue" and subject and (subject.phototype or 0) >= number("led.blue_dark"):
        judge.change(
            "led.blue_dark", action="Shorter, and watch the pigment; red instead where in doubt.", field="colour"
        )
    if colour == "amber":
        judge.know("led.amber_weak")
    if colour == "near-infrared":
        judge.know("led.surface")
    judge.know("led.eyes", "led.product")
    return judge.dose()


def _kept(judge: Judge, settings: Settings, card: LedCard, bright: Quantity, fluence: Quantity) -> None:
    """A colour's fluence between too little and its ceiling."""
    colour, field = settings.colour, "minutes"
    rule_id = f"led.ceiling.{colour.replace('-', '_')}_fluence"
    ceiling, low, longest = number(rule_id), number("led.low_fluence"), number("led.ceiling.minutes")
    farthest = max(card.points_of(colour), default=None)
    if fluence.value is None and farthest and settings.cover == "bare skin" and settings.distance_cm > farthest[0]:
        most = fluence_j_cm2(farthest[1], fluence.inputs[1].value or 0, settings.duty_percent / 100)
        if most > ceiling + 0.005:  # judged by its neighbour: farther away it is no more than there
            words = (
                f"At {farthest[0]:g} cm it would be {most:.1f} J/cm², above {ceiling:g}: farther away it is not known."
            )
            judge.refused[field] = caution(rule_id, "stop", words, field=field)
    if fluence.value is None:
        action = (
            f"Keep to the clock, {longest:g} minutes at most, or have the panel measured and add the points under"
            " Practice."
        )
        judge.mind.append(caution(bright.rules[0], "change", f"Dose unknown: {bright.formula}.", action, "distance_cm"))
    elif fluence.value > ceiling + 0.005:
        allowed = minutes_for(ceiling, bright.value or 1, settings.duty_percent / 100)
        words = (
            f"{fluence.value:.1f} J/cm² is above {ceiling:g} J/cm²: at {bright.text}, {allowed:.1f} minutes at most."
        )
        judge.refused[field] = caution(rule_id, "stop", words, field=field)
    elif fluence.value < low:
        action = "Lengthen, or bring the panel nearer."
        judge.mind.append(caution("led.low_fluence", "change", f"{fluence.value:.1f} J/cm² is little.", action, field))


def acts(make: Making) -> Iterable[Act]:
    """The panel, then its clock; between two colours it is changed over."""
    settings = make.settings
    pulsed = "" if settings.duty_percent == 100 else f" Pulsed, on {settings.duty_percent:g} % of the time."
    yield make.ready("Panel", "Gel off." if settings.cover == "bare skin" else "The sheet lies flat.")
    change = "" if make.hands_s else "Change the panel over. "
    instruction = f"{change}{make.where}Panel at {settings.distance_cm:g} cm, {settings.cover}.{pulsed}"
    yield make.act("timed", f"{settings.colour.capitalize()} light", make.own_s, instruction, over="Light off.")
