"""What softening and driving in share: density, dose, hydroxide, and the ceilings of direct current."""

from collections.abc import Callable
from typing import Literal

from merak.core.dose.current import density_ma_cm2, dose_ma_min, hydroxide_umol
from merak.core.knowledge import number, quantity
from merak.core.knowledge.register import needs
from merak.core.modality.device import MachineCard
from merak.core.modality.shared import Judge, Settings, Start, Subject, as_set, physical, started, worked
from merak.core.working import Quantity

needs(
    __name__,
    """
    %: device.unknown_share
    mA: galvanic.ceiling.current
    mA/cm²: galvanic.ceiling.density galvanic.start galvanic.usual
    mA·min: galvanic.ceiling.dose
    mA·min/cm²: galvanic.ceiling.dose_density
    step: galvanic.adjust.first_visit galvanic.adjust.reacted galvanic.adjust.sensitive galvanic.adjust.thin
    words: current.density current.faraday galvanic.circuit galvanic.dose galvanic.skin
    """,
)

ElectrodeSign = Literal["positive", "negative"]
#: An electrode where the card tells none, cm².
USUAL_CM2 = 5.0
Skin = Literal["whole", "numbed", "broken or abraded"]


def begin(name: str, card: MachineCard, subject: Subject, model: Callable[..., Settings]) -> Start:
    """Half of the usual density through the card's electrode, for the usual minutes."""
    tip = card.tip("")
    electrode = tip.area_cm2 if tip else USUAL_CM2
    found = start_at(card, subject, electrode)
    return Start(model(at=found.value or card.least, minutes=number(f"{name}.minutes"), electrode_cm2=electrode), found)


def start_at(card: MachineCard, subject: Subject, electrode_cm2: float) -> Quantity:
    """The start value on the card's scale: density × electrode, less what this client asks for."""
    density = quantity("galvanic.start", "start density", 2)
    electrode = as_set("electrode", electrode_cm2, "cm²", 1)
    current = worked(
        "start current",
        (density.value or 0) * electrode_cm2,
        "mA",
        "density × electrode",
        (density, electrode),
        *density.rules,
        digits=2,
    )
    at = card.at(current.value or 0)
    base = worked(
        "on the scale", at, card.scale, f"the {card.name}'s setting for it", (current,), "galvanic.start", digits=2
    )
    if at is None:
        base = as_set("lowest of the scale", card.least, card.scale, 2, "device.unknown_share")
    return started("galvanic", card.step, card.least, card.most, subject, card.scale, 2, base)


def flow(judge: Judge, card: MachineCard, at: float, electrode_cm2: float, minutes: float) -> None:
    """Current, density, dose and hydroxide, with the ceilings of direct current."""
    current = physical(judge, "current", card, at)
    electrode = as_set("electrode", electrode_cm2, "cm²", 1)
    time = as_set("minutes", minutes, "min", 1)
    known = current.value or 0
    density = worked(
        "current density",
        density_ma_cm2(known * 1000, electrode_cm2),
        "mA/cm²",
        "current ÷ electrode",
        (current, electrode),
        "current.density",
        digits=3,
    )
    total = worked(
        "dose", dose_ma_min(known, minutes), "mA·min", "current × minutes", (current, time), "galvanic.dose", digits=2
    )
    each = worked(
        "dose under the electrode",
        (total.value or 0) / electrode_cm2,
        "mA·min/cm²",
        "dose ÷ electrode",
        (total, electrode),
        "galvanic.dose",
        digits=3,
    )
    for key, found in (("density", density), ("dose", total), ("dose_density", each)):
        judge.tell(key, found)
    judge.most("galvanic.ceiling.density", density, "at")
    judge.most("galvanic.ceiling.current", current, "at")
    judge.gives("direct current", total, "galvanic.ceiling.dose", "minutes", by="body")
    judge.gives("direct current on a place", each, "galvanic.ceiling.dose_density", "minutes")
    if density.value is not None and density.value > number("galvanic.usual") + 1e-9:
        judge.warn("galvanic.usual", density, "at", "Lower, or a larger electrode.")
    ions = hydroxide_umol(known, minutes)
    judge.tell(
        "alkali",
        worked(
            "hydroxide at the − pole, at most",
            ions,
            "µmol",
            "dose ÷ Faraday constant",
            (total,),
            "current.faraday",
            digits=2,
        ),
    )
    judge.tell("minutes", time)
    judge.know("galvanic.circuit")


def on_skin(judge: Judge, skin: Skin) -> None:
    """Refuses numbed and broken skin."""
    if skin != "whole":
        judge.refuse("galvanic.skin", f"Not over {skin} skin.", "skin")
