"""Pulsed light: filter, fluence, sub-pulses; guards by phototype; shots, joules, relative heating, the day the spot is
read.
"""

from collections.abc import Iterable
from math import ceil
from typing import Literal

from pydantic import Field

from merak.core.acts import Act
from merak.core.dose.pulses import adiabatic_rise, epidermis_mu_a, relaxation_ms, train
from merak.core.knowledge import has_rule, number
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
    %: pulsed_light.start
    1/cm: pulsed_light.blood
    J/cm²: pulsed_light.ceiling pulsed_light.ceiling.dark
    h: pulsed_light.spot pulsed_light.spot.dark
    min: pulsed_light.gel
    ms: pulsed_light.delay.dark pulsed_light.delay.darker pulsed_light.delay.least pulsed_light.epidermis_tau
    ms: pulsed_light.width.least
    nm: pulsed_light.filter.3 pulsed_light.filter.4 pulsed_light.filter.5
    passes: pulsed_light.passes
    phototype: pulsed_light.never pulsed_light.senior
    pulses: pulsed_light.vessel
    s: pulsed_light.pace
    share: pulsed_light.melanin.1 pulsed_light.melanin.2 pulsed_light.melanin.3 pulsed_light.melanin.4
    share: pulsed_light.melanin.5 pulsed_light.melanin.6
    step: pulsed_light.adjust.bone pulsed_light.adjust.dark pulsed_light.adjust.first_visit pulsed_light.adjust.missed
    step: pulsed_light.adjust.reacted pulsed_light.adjust.sensitive pulsed_light.adjust.tanned
    step: pulsed_light.adjust.thin
    words: device.tip dose.energy pulsed_light.eyes pulsed_light.relative pulsed_light.relaxation
    words: pulsed_light.unknown_type
    """,
)

NAME = "pulsed_light"
CARD = scaled(NAME, "J/cm²")
INCREMENT = Increment("at")
AMOUNT = Amount("fluence")
WAYS = Ways(
    asks=ASKED_WARM,
    spot=SpotTest("pulsed_light.spot", "pulsed_light.spot.dark"),
    tags=frozenset({"pulsed_light.vessels"}),
)
Target = Literal["brown", "red"]
NEVER, SENIOR, DARK = 6, 5, 4


class Settings(Base):
    """What is set: fluence on the card's scale, filter, sub-pulses, crystal, passes."""

    at: float = Field(ge=0, le=100, title="Set to")
    target: Target = Field("brown", title="Target")
    cutoff_nm: float = Field(560, ge=400, le=1200, title="Filter from", json_schema_extra={"unit": "nm"})
    pulses: int = Field(2, ge=1, le=6, title="Sub-pulses")
    width_ms: float = Field(4, ge=0.01, le=100, title="Width", json_schema_extra={"unit": "ms"})
    delay_ms: float = Field(25, ge=0.01, le=500, title="Delay between", json_schema_extra={"unit": "ms"})
    overlap_percent: float = Field(0, ge=0, le=60, title="Overlap", json_schema_extra={"unit": "%"})
    passes: int = Field(1, ge=1, le=5, title="Passes")
    stacked: int = Field(1, ge=1, le=6, title="Pulses on one vessel")
    vessel_um: float = Field(100, ge=10, le=1000, title="Vessel", json_schema_extra={"unit": "µm"})
    tip: str = Field("", title="Crystal")

    def prints(self, card: MachineCard) -> Prints | None:
        """Crystal beside crystal; a fluence means the same with a smaller one. A vessel bears so many pulses."""
        each = self.stacked if self.target == "red" else 0
        return prints(card, self.tip, self.overlap_percent, changes=True, each=each)

    def tags(self) -> tuple[str, ...]:
        """What red light does to vessels."""
        return ("pulsed_light.vessels",) * (self.target != "brown")


def filter_for(phototype: int | None) -> float:
    """The shortest filter (nm) for a phototype: 0 where none is asked for."""
    key = f"{NAME}.filter.{phototype}"
    return number(key) if has_rule(key) else 0.0


def delay_for(phototype: int | None) -> str:
    """The rule that gives the shortest delay for a phototype."""
    kind = phototype or 0
    return f"{NAME}.delay.darker" if kind >= SENIOR else f"{NAME}.delay.dark" if kind >= DARK else f"{NAME}.delay.least"


def ceiling_for(card: MachineCard, phototype: int | None) -> tuple[str, float]:
    """The highest fluence (J/cm²) for a phototype: the card's, but never above the house's; and the rule."""
    rule_id = f"{NAME}.ceiling.dark" if phototype is None or phototype >= DARK else f"{NAME}.ceiling"
    maker = card.most_for(phototype)
    return rule_id, number(rule_id) if maker is None else min(number(rule_id), maker)


def start(card: MachineCard, subject: Subject) -> Start:
    """The low third of the card's range; filter and delay by phototype."""
    found = on_card(NAME, card, subject)
    cutoff = max(560.0, filter_for(subject.phototype))
    delay = max(25.0, number(delay_for(subject.phototype)))
    return Start(Settings(at=found.value or card.least, cutoff_nm=cutoff, delay_ms=delay), found)


def dose(settings: Settings, card: MachineCard, subject: Subject) -> Dose:
    """Shots, joules, minutes, relative heating; refuses what a guard forbids for this phototype."""
    judge = Judge()
    fluence = physical(judge, "fluence", card, settings.at)
    _guards(judge, settings, card, subject, fluence)
    tip = card.tip(settings.tip)
    if tip is None:
        judge.refuse("device.tip", f"The {card.name}'s card has no crystal.", "tip", "Add it to the card.")
    else:
        areas = {one.name: one.area_cm2 for one in card.tips}
        crystal = as_set("crystal", tip.area_cm2, "cm²", 2, "device.tip")
        if subject.laid is None:
            _by_area(judge, settings, subject, fluence, crystal)
        else:
            flashed = sum(many * areas.get(name, tip.area_cm2) for name, many in subject.laid)
            how, counts = "footprints on the plate × passes", subject.print_counts
            _shots(judge, settings, subject, fluence, subject.prints_a_pass, flashed, how, counts)
    _heating(judge, settings, subject, fluence)
    dark = (subject.phototype or 0) >= DARK
    spot = f"{NAME}.spot.dark" if dark else f"{NAME}.spot"
    judge.tell("spot", worked("test spot is read after", number(spot), "h", "by phototype", (), spot, digits=0))
    judge.know(f"{NAME}.eyes", f"{NAME}.relative", spot)
    return judge.dose()


def _guards(judge: Judge, settings: Settings, card: MachineCard, subject: Subject, fluence: Quantity) -> None:
    kind = subject.phototype
    if kind is None:
        judge.refuse(f"{NAME}.unknown_type", "The phototype is not known yet.", "at", "Look first.")
    elif kind >= NEVER:
        judge.refuse(f"{NAME}.never", "Never on phototype VI.", "at")
    elif kind >= SENIOR:
        judge.change(f"{NAME}.senior")
    rule_id, most = ceiling_for(card, kind)
    judge.most(rule_id, fluence, "at", limit=most)
    if settings.cutoff_nm < filter_for(kind):
        judge.refuse(f"{NAME}.filter.{kind}", f"Phototype {kind}: filter from {filter_for(kind):g} nm.", "cutoff_nm")
    judge.least(f"{NAME}.width.least", as_set("width", settings.width_ms, "ms", 1), "width_ms")
    if settings.pulses > 1:
        judge.least(delay_for(kind), as_set("delay", settings.delay_ms, "ms", 0), "delay_ms")
    judge.gives("lamp passes", as_set("passes", settings.passes, "", 0), f"{NAME}.passes", "passes")
    judge.most(f"{NAME}.vessel", as_set("pulses on one vessel", settings.stacked, "", 0), "stacked")
    if settings.stacked > 1 and settings.target != "red":
        judge.refuse(f"{NAME}.vessel", "Only a vessel is pulsed more than once.", "stacked")


def _by_area(judge: Judge, settings: Settings, subject: Subject, fluence: Quantity, crystal: Quantity) -> None:
    """Shots where no plate says how many have room."""
    step = (crystal.value or 1) * (1 - settings.overlap_percent / 100)
    overlap = as_set("overlap", settings.overlap_percent, "%", 0)
    a_pass = ceil(subject.area_cm2 / step - 1e-9)
    how = "area ÷ (crystal × (1 − overlap)), rounded up, × passes"
    _shots(judge, settings, subject, fluence, a_pass, a_pass * crystal.known, how, (subject.area, crystal, overlap))


def _shots(
    judge: Judge,
    settings: Settings,
    subject: Subject,
    fluence: Quantity,
    a_pass: int,
    flashed_cm2: float,
    how: str,
    inputs: tuple[Quantity, ...],
) -> None:
    """Shots, flashes, joules and minutes of so many shots a pass, on so many cm² of crystal."""
    passes = as_set("passes", settings.passes, "", 0)
    shots = worked("shots", a_pass * settings.passes, "", how, (*inputs, passes), digits=0)
    judge.tell("shots", shots)
    judge.tell(
        "flashes",
        worked(
            "flashes on the lamp",
            a_pass * settings.passes * settings.pulses,
            "",
            "shots × sub-pulses",
            (shots, as_set("sub-pulses", settings.pulses, "", 0)),
            digits=0,
        ),
    )
    covered = worked("crystal on the skin, a pass", flashed_cm2, "cm²", "footprints × crystal", inputs, digits=0)
    joules = fluence.known * covered.known * settings.passes if fluence.value is not None else 0
    judge.tell(
        "joules",
        worked(
            "energy in all",
            joules,
            "J",
            "fluence × crystal on the skin × passes",
            (fluence, covered, passes),
            "dose.energy",
            digits=0,
        ),
    )
    pace, gel = (
        as_set("a shot", number(f"{NAME}.pace"), "s", 0, f"{NAME}.pace"),
        as_set("gel, for 100 cm²", number(f"{NAME}.gel"), "min", 0, f"{NAME}.gel"),
    )
    minutes = shots.known * pace.known / 60 + gel.known * subject.area_cm2 / 100 * settings.passes
    judge.tell(
        "minutes",
        worked(
            "minutes",
            minutes,
            "min",
            "shots × seconds ÷ 60 + gel × area ÷ 100 × passes",
            (shots, pace, gel, subject.area, passes),
            digits=0,
        ),
    )


def _heating(judge: Judge, settings: Settings, subject: Subject, fluence: Quantity) -> None:
    """Relative heating of epidermis and target by the same pulse train."""
    period = settings.width_ms + settings.delay_ms
    each = (fluence.value or 0) / settings.pulses
    tau = worked(
        "vessel’s relaxation time",
        relaxation_ms(settings.vessel_um),
        "ms",
        "d² ÷ 16κ",
        (as_set("vessel", settings.vessel_um, "µm", 0),),
        f"{NAME}.relaxation",
        digits=1,
    )
    judge.tell("relaxation", tau)
    kind = subject.phototype or NEVER
    melanin = number(f"{NAME}.melanin.{kind}")
    epidermis_tau = number(f"{NAME}.epidermis_tau")
    skin_mu = epidermis_mu_a(settings.cutoff_nm, melanin)
    train_of = as_set("pulse train", settings.pulses, f"× {settings.width_ms:g} ms, {settings.delay_ms:g} ms apart", 0)
    share = as_set("melanin share", melanin, "", 2, f"{NAME}.melanin.{kind}")
    epidermis = max(train(adiabatic_rise(skin_mu, each), settings.width_ms, period, settings.pulses, epidermis_tau))
    judge.tell(
        "epidermis",
        worked(
            "epidermis, relative heating",
            epidermis,
            "relative",
            "µa·F·β/ρc, through the train",
            (fluence, share, train_of),
            f"{NAME}.relative",
            f"{NAME}.epidermis_tau",
        ),
    )
    if settings.target == "red":
        rise = max(
            train(
                adiabatic_rise(number(f"{NAME}.blood"), each),
                settings.width_ms,
                period,
                settings.pulses,
                tau.value or 1,
            )
        )
        judge.tell(
            "target",
            worked(
                "vessel, relative heating",
                rise,
                "relative",
                "the same for the vessel",
                (fluence, tau, train_of),
                f"{NAME}.relative",
                f"{NAME}.blood",
            ),
        )


def acts(make: Making) -> Iterable[Act]:
    """Footprint by footprint, edge to edge, round the face."""
    return gridded(make, order="cheek, chin, forehead, other cheek")
