"""Made-up machines for the tests: a tip, a scale, and what it means."""

from merak.core.modality.catalogue import MODALITIES
from merak.core.modality.device import MACHINES, CardTip, LedCard, MachineCard, MicrocurrentCard

LIFT = MicrocurrentCard(
    name="lift unit", contact_cm2=1.3, calibration=((1, 40), (2, 90), (3, 150), (5, 300), (7, 520), (10, 1150))
)
UNMEASURED = MicrocurrentCard(name="old unit", contact_cm2=1.3)
PANEL = LedCard(
    name="panel",
    points=((5, 96), (10, 62), (15, 41), (25, 20)),
    colours={"blue": ((5, 44), (10, 29), (15, 19), (25, 9))},
)

SCALES = {
    "muscle_stimulation": (0, 60, 1, "mA", ()),
    "ear_clips": (0, 600, 10, "µA", ()),
    "galvanic_softening": (0.1, 6, 0.1, "mA", ()),
    "iontophoresis": (0.1, 6, 0.1, "mA", ()),
    "ultrasound": (1, 10, 1, "level", ((1, 0.1), (10, 1.9))),
    "spatula": (1, 10, 1, "level", ()),
    "pulsed_light": (8, 40, 1, "J/cm²", ()),
    "rf_bulk": (1, 10, 1, "level", ((1, 5), (10, 50))),
    "rf_fractional": (1, 20, 1, "W", ()),
    "focused_lifting": (0.2, 1.5, 0.1, "J a line", ()),
    "cold": (-10, 10, 1, "°C", ()),
    "oxygen_jet": (0.5, 4, 0.1, "bar", ()),
    "oxygen_airbrush": (0.5, 3, 0.1, "bar", ()),
    "wet_abrasion": (0, 10, 1, "level", ((0, 0), (10, 40))),
    "crystal": (5, 60, 5, "kPa", ()),
    "diamond": (5, 60, 5, "kPa", ()),
    "nano": (1, 5, 1, "level", ((1, 80), (5, 200))),
    "micro_needling": (50, 150, 10, "Hz", ()),
}
TIP = CardTip(name="tip", across_mm=20, down_mm=20, pins=49)


def machine(modality: str, /, **other: object) -> MachineCard:
    """The modality's machine, changed as asked."""
    least, most, step, scale, points = SCALES[modality]
    body = {
        "modality": modality,
        "name": f"{modality} unit",
        "least": least,
        "most": most,
        "step": step,
        "scale": scale,
    }
    return MachineCard.model_validate(body | {"calibration": points, "tips": (TIP,)} | other)


def card_of(modality: str) -> object:
    """Any modality's card; None where it needs none."""
    if modality in MACHINES:
        return machine(modality)
    return {"microcurrent": LIFT, "led": PANEL}.get(modality) if MODALITIES[modality].CARD else None
