"""Every ceiling from both sides, through the plan: at it a step is let through, one increment past it is refused by its
rule.

The ceilings are written here by hand, after the handbook's modalities; where a ceiling is a sum or a quotient, the
setting that reaches it is worked out beside the row.
"""

from dataclasses import dataclass, field
from typing import Any

import pytest

from builders.briefs import EVERY_LICENCE, brief, machines, planned
from builders.machines import LIFT, TIP, machine
from merak.core.client import Findings
from merak.core.modality.device import LedCard, MicrocurrentCard
from merak.core.plan.brief import Brief
from merak.core.plan.facts import Machine
from merak.core.plan.visit_plan import VisitPlan, visit_plan


def who(phototype: int = 2, newcomer: bool = False, sensitive: bool = False, **of: Any) -> Brief:
    findings = Findings(phototype=phototype, sensitive=sensitive)
    known = {"findings": findings, "returning": not newcomer, "senior": True, "licences": EVERY_LICENCE, "slot": 240}
    return brief(**(known | of))


#: Straight through the origin: 100 µA a level on 4 cm², so that density is no matter below 2 mA.
EVEN = MicrocurrentCard(name="even", contact_cm2=4, calibration=((0.5, 50), (20, 2000)), levels=20)
#: A small probe: 0.5 cm².
SMALL = MicrocurrentCard(name="small", contact_cm2=0.5, calibration=((0.5, 50), (20, 2000)), levels=20)


def steady(mw_cm2: float) -> LedCard:
    """A panel that is as bright wherever it stands."""
    points = ((5.0, mw_cm2), (30.0, mw_cm2))
    return LedCard(name="panel", points=points, colours=dict.fromkeys(("blue", "near-infrared", "amber"), points))


FORTY, EIGHTY = steady(40), steady(80)


def wide(modality: str) -> Machine:
    """The modality's machine with an electrode of 50 cm²."""
    return Machine(id="m", card=machine(modality, tips=(TIP.model_copy(update={"cm2": 50}),)))


@dataclass(frozen=True)
class Edge:
    """A setting that just reaches a ceiling and one increment past it; what else is set; whose skin, where; by which
    rule.
    """

    modality: str
    setting: str
    at: float
    past: float
    rule: str
    base: dict[str, Any] = field(default_factory=dict)
    of: dict[str, Any] = field(default_factory=dict)
    zones: tuple[str, ...] = ()

    @property
    def id(self) -> str:
        return f"{self.modality} {self.setting} {self.at} {self.rule.rpartition('.')[2]}"

    def plan(self, value: float) -> VisitPlan:
        found = planned(who(**self.of), self.modality, **self.base, **{self.setting: value})
        if not self.zones:
            return found
        (stage,) = found.plan.stages
        there = found.plan.with_stage(stage.model_copy(update={"zones": self.zones}))
        return visit_plan(who(**self.of), there)


DARK = {"phototype": 4}
EDGES = (
    # Microcurrent: 1000 µA whatever the machine; direct current stops at 0.5 mA/cm²: 250 µA on half a cm².
    Edge("microcurrent", "level", 10, 10.5, "microcurrent.ceiling.current", of={"machines": machines(EVEN)}),
    Edge(
        "microcurrent",
        "level",
        2.4,
        2.5,
        "microcurrent.density.warn",
        {"polarity": "positive"},
        {"machines": machines(SMALL)},
    ),
    # Galvanic: 0.5 mA/cm² on the tip's 4 cm² is 2 mA; 4 mA at most on any; minutes by what is done.
    Edge("galvanic_softening", "at", 2, 2.1, "galvanic.ceiling.density", {"minutes": 3}),
    Edge(
        "galvanic_softening",
        "at",
        4,
        4.1,
        "galvanic.ceiling.current",
        {"minutes": 3},
        {"machines": (wide("galvanic_softening"),)},
    ),
    Edge("galvanic_softening", "minutes", 5, 5.5, "galvanic_softening.longest", {"at": 0.5}),
    Edge("iontophoresis", "at", 2, 2.1, "galvanic.ceiling.density", {"minutes": 3}),
    Edge("iontophoresis", "minutes", 10, 10.5, "iontophoresis.longest", {"at": 0.5}),
    # Body stimulation: an arm 25 mA, a thigh 40 mA.
    Edge("ear_clips", "at", 500, 510, "ear_clips.most", {"minutes": 20}),
    Edge("ear_clips", "minutes", 40, 41, "ear_clips.longest"),
    Edge("muscle_stimulation", "at", 25, 26, "muscle_stimulation.most.arm", zones=("outer arm, front",)),
    Edge("muscle_stimulation", "at", 40, 41, "muscle_stimulation.most.thigh"),
    # Ultrasound: 1 W/cm² in the mean, a quarter of an hour on a face.
    Edge("ultrasound", "minutes", 15, 15.5, "ultrasound.longest"),
    Edge("spatula", "minutes", 10, 10.5, "spatula.longest"),
    # Light: 48 J/cm² of blue are 20 minutes at 40 mW/cm², 96 J/cm² of the others 20 at 80; the clock ends at 40.
    Edge(
        "led", "minutes", 20, 20.5, "led.ceiling.blue_fluence", {"colour": "blue"}, {"machines": machines(LIFT, FORTY)}
    ),
    Edge(
        "led", "minutes", 20, 20.5, "led.ceiling.red_fluence", {"colour": "red"}, {"machines": machines(LIFT, EIGHTY)}
    ),
    Edge(
        "led",
        "minutes",
        20,
        20.5,
        "led.ceiling.near_infrared_fluence",
        {"colour": "near-infrared"},
        {"machines": machines(LIFT, EIGHTY)},
    ),
    Edge(
        "led",
        "minutes",
        20,
        20.5,
        "led.ceiling.amber_fluence",
        {"colour": "amber"},
        {"machines": machines(LIFT, EIGHTY)},
    ),
    Edge("led", "minutes", 40, 40.5, "led.ceiling.minutes", {"distance_cm": 60}),
    # The lamp: 35 J/cm² on light skin, 20 from IV; filters from 560, 590, 640 nm; pulses no shorter than 3 ms.
    Edge("pulsed_light", "at", 35, 36, "pulsed_light.ceiling"),
    Edge("pulsed_light", "at", 20, 21, "pulsed_light.ceiling.dark", {"cutoff_nm": 590, "delay_ms": 40}, DARK),
    Edge("pulsed_light", "cutoff_nm", 560, 559, "pulsed_light.filter.3", {"at": 10}, {"phototype": 3}),
    Edge("pulsed_light", "cutoff_nm", 590, 589, "pulsed_light.filter.4", {"at": 10, "delay_ms": 40}, DARK),
    Edge("pulsed_light", "cutoff_nm", 640, 639, "pulsed_light.filter.5", {"at": 10, "delay_ms": 40}, {"phototype": 5}),
    Edge("pulsed_light", "width_ms", 3, 2.9, "pulsed_light.width.least", {"at": 10}),
    Edge("pulsed_light", "delay_ms", 10, 9, "pulsed_light.delay.least", {"at": 10}),
    Edge("pulsed_light", "delay_ms", 20, 19, "pulsed_light.delay.dark", {"at": 10, "cutoff_nm": 640}, DARK),
    Edge(
        "pulsed_light", "delay_ms", 40, 39, "pulsed_light.delay.darker", {"at": 10, "cutoff_nm": 640}, {"phototype": 5}
    ),
    Edge("pulsed_light", "stacked", 3, 4, "pulsed_light.vessel", {"at": 10, "target": "red"}),
    Edge("pulsed_light", "stacked", 1, 2, "pulsed_light.vessel", {"at": 10, "target": "brown"}),
    Edge("pulsed_light", "passes", 2, 3, "pulsed_light.passes", {"at": 10}),
    # Bulk radiofrequency: 42 °C is the most to aim for, five minutes at it.
    Edge("rf_bulk", "target_c", 42, 42.1, "rf_bulk.target.most", {"hold_min": 3}),
    Edge("rf_bulk", "hold_min", 5, 5.5, "rf_bulk.hold.most", {"target_c": 40}),
    # Pins: 120 mJ a pin (4 W × 30 ms), 100 ms at the longest, a fifth more energy a step (100 → 120 mJ).
    Edge("rf_fractional", "pulse_ms", 30, 31, "rf_fractional.pin.most", {"at": 4, "per": "pin"}),
    Edge("rf_fractional", "pulse_ms", 100, 101, "rf_fractional.pulse.most", {"at": 1}),
    Edge("rf_fractional", "pulse_ms", 24, 25, "rf_fractional.step.most", {"at": 5, "from_w": 5, "from_ms": 20}),
    Edge("rf_fractional", "passes", 3, 4, "rf_fractional.passes", {"at": 2}),
    # Lines: 1.2 J; the cheek is 7 mm deep and keeps 1.5 mm from bone, the forehead 5.5.
    Edge("focused_lifting", "at", 1.2, 1.3, "focused_lifting.line.most"),
    Edge("focused_lifting", "depth_mm", 5.5, 5.6, "focused_lifting.clear", {"at": 0.5}, zones=("mid cheek",)),
    Edge("focused_lifting", "depth_mm", 4, 4.1, "focused_lifting.clear", {"at": 0.5}, zones=("forehead",)),
    Edge("focused_lifting", "depth_mm", 9.5, 9.6, "focused_lifting.clear", {"at": 0.5}, zones=("chin",)),
    Edge("focused_lifting", "passes", 5, 6, "focused_lifting.passes", {"at": 0.5}),
    # Cold: five below, ten minutes.
    Edge("cold", "at", -5, -6, "cold.coldest"),
    Edge("cold", "minutes", 10, 10.5, "cold.longest", {"at": 0}),
    # Oxygen: the activator five minutes at most, two for a newcomer; at least 7 mL of gel, four rounds.
    Edge("oxygen_jet", "minutes", 15, 15.5, "oxygen.longest"),
    Edge("oxygen_mask", "activator_min", 5, 5.5, "oxygen_mask.longest"),
    Edge("oxygen_mask", "activator_min", 2, 2.5, "oxygen_mask.newcomer", of={"newcomer": True}),
    Edge("oxygen_mask", "neutralised", 2, 1, "oxygen_mask.neutralise"),
    Edge("oxygen_airbrush", "gel_ml", 7, 6.5, "oxygen_airbrush.gel"),
    Edge("oxygen_airbrush", "passes", 4, 5, "oxygen_airbrush.passes"),
    # Wet abrasion: acid under suction 5 at most, infusion 8, which is two fifths of the wet time; acids 30 % at pH 3.
    Edge("wet_abrasion", "at", 5, 6, "wet_abrasion.acid.most"),
    Edge("wet_abrasion", "at", 8, 9, "wet_abrasion.infuse.most", {"kind": "infuse"}),
    Edge("wet_abrasion", "percent", 30, 30.5, "acid.percent", {"kind": "peel", "minutes": 1}),
    Edge("wet_abrasion", "ph", 3, 2.9, "acid.ph", {"kind": "peel", "minutes": 1}),
    # Before two minutes of extraction and four of infusing.
    Edge("wet_abrasion", "minutes", 4, 4.5, "wet_abrasion.share"),
    # Dry: a quarter of an hour, three passes; darker skin two.
    Edge("crystal", "timer_min", 15, 15.5, "crystal.timer"),
    Edge("crystal", "passes", 3, 4, "crystal.passes"),
    Edge("diamond", "at", 30, 35, "diamond.suction"),
    Edge("diamond", "passes", 3, 4, "diamond.passes"),
    Edge("diamond", "passes", 2, 3, "diamond.gentle", of=DARK),
    # Acids: 30 % at pH 3, brief: one minute at first when strong, five when mild; salicylic 2 %.
    Edge("peel", "percent", 30, 30.5, "acid.percent", {"minutes": 1}),
    Edge("peel", "ph", 3, 2.9, "acid.ph", {"minutes": 1, "percent": 20}),
    Edge("peel", "minutes", 1, 1.1, "acid.first", {"percent": 30}),
    Edge("peel", "minutes", 5, 5.1, "acid.longest", {"percent": 10, "first_strong": False}),
    Edge("peel", "percent", 2, 2.1, "acid.salicylic", {"acid": "salicylic", "minutes": 1}),
    Edge("enzyme", "minutes", 7, 7.5, "enzyme.longest"),
    Edge("enzyme", "minutes", 5, 5.5, "enzyme.granular", {"kind": "granular"}, {"sensitive": True}),
    # Needles: nano a quarter of a millimetre; micro as licensed, 1.5 mm, half a millimetre on thin skin.
    Edge("nano", "depth_mm", 0.25, 0.3, "nano.depth"),
    Edge("micro_needling", "depth_mm", 1.5, 1.75, "micro_needling.most", {"licensed": True}),
    Edge("micro_needling", "depth_mm", 0.25, 0.5, "micro_needling.unlicensed", of={"licences": frozenset()}),
    # Rests: what may be too long is too long.
    Edge("cleanse", "minutes", 10, 10.5, "support.cleanse.most"),
    Edge("wash", "minutes", 5, 5.5, "support.wash.most"),
    Edge("wipe", "minutes", 3, 3.5, "support.wipe.most"),
    Edge("towel", "minutes", 5, 5.5, "support.towel.most"),
    Edge("alcohol", "minutes", 3, 3.5, "support.alcohol.most"),
    Edge("antisepsis", "minutes", 5, 5.5, "support.antisepsis.most"),
    Edge("saline", "minutes", 5, 5.5, "support.saline.most"),
    Edge("mist", "minutes", 3, 3.5, "support.mist.most"),
    Edge("gloves", "minutes", 2, 2.5, "support.gloves.most"),
    Edge("mirror", "minutes", 5, 5.5, "support.mirror.most"),
    Edge("photograph", "minutes", 5, 5.5, "support.photograph.most"),
    Edge("try_out", "minutes", 3, 3.5, "support.try_out.most"),
    Edge("call_senior", "minutes", 10, 10.5, "support.call_senior.most"),
    Edge("clean_tool", "minutes", 10, 10.5, "support.clean_tool.most"),
    Edge("tone", "minutes", 5, 5.5, "support.tone.most"),
    Edge("soften", "minutes", 10, 10.5, "support.soften.most"),
    Edge("dry", "minutes", 5, 5.5, "support.dry.most"),
    Edge("extract", "minutes", 15, 15.5, "support.extract.most"),
    Edge("mask", "minutes", 30, 30.5, "support.mask.most"),
    Edge("finish", "minutes", 10, 10.5, "support.finish.most"),
)
EACH = pytest.mark.parametrize("edge", EDGES, ids=[edge.id for edge in EDGES])


def rules_against(plan: VisitPlan) -> set[str]:
    """The rules that refuse anything in a plan of one step."""
    return {stop.rule for stop in (*plan.refused.values(), *plan.stopped.values())}


@pytest.mark.outside("the handbook’s ceilings", values="at each, and one increment past it", tolerance="1e-9 of it")
@EACH
def test_at_the_ceiling_it_may_be_and_one_increment_past_it_may_not(edge: Edge) -> None:
    assert edge.rule not in rules_against(edge.plan(edge.at)), "at the ceiling"
    past = edge.plan(edge.past)
    assert edge.rule in rules_against(past), f"past it: {rules_against(past)}"
    assert not past.startable


@EACH
def test_what_is_refused_is_refused_beside_its_field_with_words(edge: Edge) -> None:
    stops = {key: stop for key, stop in edge.plan(edge.past).refused.items() if stop.rule == edge.rule}
    assert stops and all(key.startswith(("s1.", "s1-")) for key in stops), "of this stage, or one of its step"
    assert all(stop.words and stop.action for stop in stops.values())
