"""Fractional radiofrequency: energy a pin and a cm², spots, wipes, minutes; no step above a fifth more."""

from collections.abc import Iterable
from math import ceil

from pydantic import Field

from merak.core.acts import Act
from merak.core.dose.radio import Per, fluence_j_cm2, pin_energy_mj, pulse_energy_j, step_ratio
from merak.core.knowledge import number
from merak.core.knowledge.register import needs
from merak.core.modality.device import MachineCard, scaled
from merak.core.modality.making import Making, gridded
from merak.core.modality.prints import Prints, prints
from merak.core.modality.shared import Amount, Dose, Increment, Judge, Start, Subject, as_set, on_card, physical, worked
from merak.core.modality.shared import Settings as Base
from merak.core.modality.ways import ASKED_WARM, SpotTest, Ways
from merak.core.working import Quantity

needs(
    __name__,
    """
    %: rf_fractional.start
    mJ: rf_fractional.pin.most
    min: rf_fractional.spot
    ms: rf_fractional.pulse rf_fractional.pulse.most
    passes: rf_fractional.passes
    s: rf_fractional.clean_s rf_fractional.pace
    spots: rf_fractional.clean
    step: rf_fractional.adjust.bone rf_fractional.adjust.dark rf_fractional.adjust.first_visit
    step: rf_fractional.adjust.missed rf_fractional.adjust.reacted rf_fractional.adjust.sensitive
    step: rf_fractional.adjust.thin
    ×: rf_fractional.step.most
    words: device.tip dose.energy rf_fractional.fire rf_fractional.per rf_fractional.step
    """,
)

NAME = "rf_fractional"
CARD = scaled(NAME, "W")
INCREMENT = Increment("at")
AMOUNT = Amount("energy")
WAYS = Ways(asks=ASKED_WARM, spot=SpotTest("rf_fractional.spot", same_visit=True), wipe="rf_fractional.clean")


class Settings(Base):
    """What is set: power on the card's scale, pulse, tip, passes; and, where a step is made, what it came from."""

    at: float = Field(ge=0, le=200, title="Set to")
    pulse_ms: float = Field(20, ge=0.01, le=1000, title="Pulse", json_schema_extra={"unit": "ms"})
    per: Per = Field("tip", title="Watts of a")
    passes: int = Field(1, ge=1, le=10, title="Passes")
    tip: str = Field("", title="Tip")
    from_w: float | None = Field(None, ge=0.01, le=500, title="Stepping from", json_schema_extra={"unit": "W"})
    from_ms: float | None = Field(None, ge=0.01, le=1000, title="and", json_schema_extra={"unit": "ms"})

    def prints(self, card: MachineCard) -> Prints | None:
        """Tip beside tip. The same power through the fewer pins of a smaller one would be more for each."""
        return prints(card, self.tip)


def start(card: MachineCard, subject: Subject) -> Start:
    """A fifth of the scale, less what this skin asks for; a short pulse."""
    found = on_card(NAME, card, subject)
    return Start(Settings(at=found.value or card.least, pulse_ms=number(f"{NAME}.pulse")), found)


def dose(settings: Settings, card: MachineCard, subject: Subject) -> Dose:
    """Energy of a pulse, a pin and a cm², spots, wipes, minutes."""
    judge = Judge()
    power = physical(judge, "power", card, settings.at)
    pulse = as_set("pulse", settings.pulse_ms, "ms", 0)
    judge.most(f"{NAME}.pulse.most", pulse, "pulse_ms")
    judge.gives("pins", as_set("passes", settings.passes, "", 0), f"{NAME}.passes", "passes")
    watts = power.value or 0
    judge.tell(
        "energy",
        worked(
            "energy of a pulse",
            pulse_energy_j(watts, settings.pulse_ms),
            "J",
            "power × pulse",
            (power, pulse),
            "dose.energy",
            digits=3,
        ),
    )
    tip = card.tip(settings.tip)
    if tip is None or not tip.pins:
        judge.refuse("device.tip", f"The {card.name}'s card has no tip with pins.", "tip", "Add it to the card.")
    else:
        pins, face = as_set("pins", tip.pins, "", 0, "device.tip"), as_set("tip", tip.area_cm2, "cm²", 2, "device.tip")
        pin = worked(
            "energy of a pin",
            pin_energy_mj(watts, settings.pulse_ms, tip.pins, settings.per),
            "mJ",
            "power × pulse ÷ pins" if settings.per == "tip" else "power × pulse",
            (power, pulse, pins),
            f"{NAME}.per",
        )
        judge.tell("pin", pin)
        judge.most(f"{NAME}.pin.most", pin, "pulse_ms")
        passes = as_set("passes", settings.passes, "", 0)
        total = fluence_j_cm2(watts, settings.pulse_ms, tip.pins, settings.per, tip.area_cm2, settings.passes)
        judge.tell(
            "fluence",
            worked(
                "energy over the tip, all passes",
                total,
                "J/cm²",
                "energy of all pins ÷ tip × passes",
                (pin, pins, face, passes),
                f"{NAME}.per",
                digits=2,
            ),
        )
        if subject.laid is None:
            count = ceil(subject.area_cm2 / tip.area_cm2 - 1e-9) * settings.passes
            inputs: tuple[Quantity, ...] = (subject.area, face)
            how = "area ÷ tip, rounded up, × passes"
        else:
            count = subject.prints_a_pass * settings.passes
            how, inputs = "footprints on the plate × passes", subject.print_counts
        spots = worked("spots", count, "", how, (*inputs, passes), digits=0)
        judge.tell("spots", spots)
        each, wipe, pace = (
            as_set(words, number(f"{NAME}.{key}"), unit, 0, f"{NAME}.{key}")
            for words, key, unit in (
                ("a wipe every", "clean", "spots"),
                ("a wipe", "clean_s", "s"),
                ("a spot", "pace", "s"),
            )
        )
        stops = worked(
            "stops to wipe the tip",
            (count - 1) // int(each.value or 1),
            "",
            "spots ÷ spots between wipes",
            (spots, each),
            digits=0,
        )
        judge.tell("wipes", stops)
        minutes = (count * (pace.value or 0) + (stops.value or 0) * (wipe.value or 0)) / 60
        judge.tell(
            "minutes",
            worked(
                "minutes", minutes, "min", "spots × seconds + wipes × seconds", (spots, pace, stops, wipe), digits=0
            ),
        )
    if settings.from_w and settings.from_ms:
        was = as_set("stepping from", settings.from_w * settings.from_ms / 1000, "J", 3)
        ratio = worked(
            "energy beside the step before",
            step_ratio(settings.from_w, settings.from_ms, watts, settings.pulse_ms),
            "×",
            "power × pulse ÷ the same before",
            (power, pulse, was),
            f"{NAME}.step.most",
            digits=2,
        )
        judge.tell("step", ratio)
        judge.most(f"{NAME}.step.most", ratio, "pulse_ms", "10 ms or 1 W, whichever is the smaller share.")
    judge.know(f"{NAME}.fire", f"{NAME}.spot")
    return judge.dose()


def acts(make: Making) -> Iterable[Act]:
    """Footprint by footprint over the grid, after its test spot; the tip wiped when it is due."""
    return gridded(make)
