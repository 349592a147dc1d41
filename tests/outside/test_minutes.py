"""Whole orders of work beside the times that the trade's own orders give: least and most of their rows, added up.

Source: orders of work as practitioners were timed at them, generalised ("common practice, recalled"); where a row says
"about" its time is taken as it is. A whole order lies between its least less a tenth and its most and a tenth.
"""

from typing import NamedTuple

import pytest

from builders.briefs import EVERY_LICENCE, brief, machines
from builders.machines import machine
from merak.core.client import Findings
from merak.core.modality.device import CardTip
from merak.core.plan.facts import Machine
from merak.core.plan.step import begin_step, compute_step
from merak.core.plan.visit_plan import Plan, in_force
from tests.core.test_programmes import DONE

#: Tips as they are usual in the trade, mm: minutes of footprints hang on them.
TIPS = {
    "micro_needling": [CardTip(name="12 needles", across_mm=8, down_mm=8, round=True, pins=12)],
    "nano": [CardTip(name="nano", across_mm=8, down_mm=8, round=True)],
    "rf_fractional": [CardTip(name="49 pins", across_mm=10, down_mm=10, pins=49)],
    "pulsed_light": [
        CardTip(name="large", across_mm=15, down_mm=35),
        CardTip(name="small", across_mm=8, down_mm=15),
    ],
    "focused_lifting": [CardTip(name="line", across_mm=25, down_mm=3)],
}
MACHINES = tuple(
    Machine(id=one.id, card=machine(name, tips=tuple(TIPS[name])) if name in TIPS else one.card)
    for one in machines()
    for name in [getattr(one.card, "modality", "")]
)
WHO = brief(
    returning=True,
    licences=EVERY_LICENCE,
    senior=True,
    findings=Findings(phototype=2),
    slot=480,
    history=DONE,
    machines=MACHINES,
)


class Order(NamedTuple):
    """Programmes (or modalities as they begin) of an order, the least and the most minutes of each of its rows."""

    steps: tuple[str, ...]
    rows: tuple[tuple[float, float], ...]
    of: tuple[tuple[str, str], ...] = ()


NECK = (("neck", "in"),)
ORDERS = {
    "cleanse twice, tone, massage, face and neck": Order(
        ("cleanse", "tone", "touch"), ((2, 2), (2, 2), (0.5, 0.5), (3, 5)), NECK
    ),
    "cold, light, mask, finish": Order(
        ("cold.lines", "led", "mask", "finish"), ((1, 1), (5, 5), (15, 15), (10, 15), (1, 1), (3, 3), (5, 5))
    ),
    "wet abrasion: tried, acid, points, infused": Order(
        ("wet_abrasion.bottles",), ((0.5, 0.5), (3, 5), (3, 5), (4, 7))
    ),
    "crystal: machine, dressed, to the bell, cleared": Order(
        ("crystal.to_the_bell",), ((3, 3), (3, 3), (15, 15), (3, 3))
    ),
    "diamond, enzyme under globes, massage, mask, finish": Order(
        ("dry", "diamond.one_lane", "enzyme.coat", "touch", "mask", "finish"),
        ((1, 1), (8, 8), (5, 7), (5, 5), (10, 15), (3, 3), (5, 5)),
    ),
    "focused lines at two depths: marked, gel, deep, shallow, cleared": Order(
        ("focused_lifting.two_depths",), ((3, 3), (2, 2), (20, 20), (20, 20), (2, 2))
    ),
    "bulk heat, half a face first: compared, taught, at target and to it, jaw, shown": Order(
        ("rf_bulk.to_temperature",),
        ((5, 5), (2, 2), (6, 10), (4, 4), (6, 10), (4, 4), (6, 6), (2, 2)),
    ),
    "fractional: tip, spot, dots, cheeks, tip cleaned, bone, calmed": Order(
        ("rf_fractional.grid",), ((1, 1), (5, 10), (3, 3), (15, 15), (1, 1), (5, 5), (3, 3))
    ),
    "pulsed light, a face in all": Order(("pulsed_light.two_passes",), ((30, 38.5),)),
    "current, probe and roller: serum, gel, neck to cheek, mouth and frown, forehead, closed": Order(
        ("microcurrent.serum_gel",), ((5, 5), (2, 2), (20, 20), (6, 6), (6, 6), (2, 2)), NECK
    ),
    "pads on thighs, front and back": Order(("muscle_stimulation.thighs",), ((5, 5), (30, 30), (30, 30))),
    "nano: serum, tip, forehead, rest": Order(("nano.speed_by_zone",), ((1, 1), (0.5, 0.5), (3, 3), (10, 10))),
    "needles: cartridge, stamped": Order(("micro_needling.stamps",), ((2, 2), (25, 25))),
    "numbing: on, its time, off": Order(("numbing.by_label",), ((3, 3), (30, 45), (3, 3))),
    "airbrush: gel, massage, activator, massage, off": Order(
        ("oxygen_airbrush.over_gel",), ((2, 2), (1, 2), (5, 5), (1, 2), (3, 3), (0.5, 1))
    ),
    "oxygen mask: mixed, on, foam, activator, neutralised, off, acid mist": Order(
        ("oxygen_mask.to_the_minute",), ((0.5, 0.5), (1, 1), (2, 2), (2, 5), (2, 2), (2, 2), (1, 1))
    ),
}


def minutes_of(order: Order) -> float:
    of = in_force(WHO, Plan()) | dict(order.of)
    seconds = 0
    for n, named in enumerate(order.steps):
        modality = named.partition(".")[0]
        step, _ = begin_step(WHO, modality, f"s{n}", of, programme=named if "." in named else "plain")
        seconds += compute_step(WHO, step, of=of).seconds
    return seconds / 60


@pytest.mark.outside(
    "Sixteen orders of work with the times of their rows, as practitioners work them",
    values="least and most of their rows, added up",
    tolerance="10 %",
    memory=True,
)
@pytest.mark.parametrize("name", ORDERS)
def test_an_order_takes_as_long_as_practitioners_take(name: str) -> None:
    rows = ORDERS[name].rows
    least, most = sum(row[0] for row in rows), sum(row[1] for row in rows)
    assert 0.9 * least <= minutes_of(ORDERS[name]) <= 1.1 * most


@pytest.mark.parametrize(
    ("modality", "before", "after"),
    [
        ("touch", (), ("forehead",)),
        ("cleanse", (), ("forehead",)),
        ("diamond", (), ("forehead",)),
        ("micro_needling", (), ("forehead",)),
        ("mask", (), ("forehead",)),
        ("rf_fractional", (), ("forehead",)),
    ],
)
def test_less_skin_takes_less_time(modality: str, before: tuple[str, ...], after: tuple[str, ...]) -> None:
    of = in_force(WHO, Plan())

    def seconds(zones: tuple[str, ...]) -> int:
        step, _ = begin_step(WHO, modality, "s1", of, zones=zones, programme="plain")
        return compute_step(WHO, step, of=of).seconds

    assert seconds(after) < seconds(before)
