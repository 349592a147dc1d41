"""At the chair: a dial goes to its ceiling and no further, and what is read or felt halts at its stop and not before.

Every figure is written here a second time; the increment is half a level, a tenth of a degree, half a word.
"""

from typing import Any

import pytest

from builders.briefs import brief, machines, planned
from builders.orders import LIFT, WARM, Given, run
from merak.core.client import Findings
from merak.core.modality.device import MicrocurrentCard
from merak.core.treatment import Order, RunState, fold, order_of

#: 50 µA a level on 2 cm²: level 8 is 400 µA, 0.2 mA/cm²; on 0.5 cm² level 5 is 250 µA and the 0.5 mA/cm² line.
EVEN = tuple((float(n), 50.0 * n) for n in (1, 10))
#: 125 µA a level: level 8 is 1000 µA, the ceiling.
STEEP = ((1.0, 125.0), (10.0, 1250.0))
CARDS = {
    "1000 µA, whatever the card could give": (STEEP, 2.0, "alternating", 8),
    "0.5 mA/cm² with direct current: below it, not at it": (EVEN, 0.5, "positive", 4.5),
    "the last level that was measured": (((1.0, 50.0), (6.0, 300.0)), 2.0, "alternating", 6),
    "half of the scale where nothing was measured": ((), 2.0, "alternating", 5),
    "the scale's own end": (EVEN, 2.0, "alternating", 10),
}


def lifted(points: Any, contact_cm2: float, polarity: str) -> Order:
    card = MicrocurrentCard(name="card", contact_cm2=contact_cm2, levels=10, calibration=points)
    who = brief(machines=machines(card), findings=Findings(phototype=2), returning=True)
    return order_of(planned(who, "microcurrent", level=3, polarity=polarity).acts)


def after(order: Order, *taps: Given) -> RunState:
    return fold(order, run(*taps))


def level_of(order: Order, state: RunState) -> float:
    n = next(n for n, act in enumerate(order.acts) if act.lines)
    return max(line.level for line in order.acts[n].lines) + state.runs[n].level_shift


@pytest.mark.parametrize("what", CARDS)
def test_a_level_goes_to_its_ceiling_and_no_half_step_further(what: str) -> None:
    points, contact, polarity, most = CARDS[what]
    order = lifted(points, contact, polarity)
    first = next(n for n, act in enumerate(order.acts) if act.lines)
    begun: list[Given] = [("start", 0), ("go", 1, float(first))]
    steps = round((most - 3) / 0.5)
    below = after(order, *begun, *[("level", 2 + n, 0.5) for n in range(steps - 1)])
    there = after(order, *begun, *[("level", 2 + n, 0.5) for n in range(steps)])
    past = after(order, *begun, *[("level", 2 + n, 0.5) for n in range(steps + 3)])
    leap = after(order, *begun, ("level", 2, 99.0))
    assert [level_of(order, state) for state in (below, there, past, leap)] == [most - 0.5, most, most, most]


@pytest.mark.parametrize(
    ("kind", "below", "stop"),
    [("pain", 6.5, 7.0), ("heat", 3.0, 3.5)],
)
def test_what_is_felt_halts_at_its_stop(kind: str, below: float, stop: float) -> None:
    begun: list[Given] = [("start", 0), ("next", 1)]
    assert after(LIFT, *begun, (kind, 5, below)).status == "running"
    assert after(LIFT, *begun, (kind, 5, stop)).status == "paused"


def test_the_last_heat_word_is_an_incident_that_is_written_first() -> None:
    begun: list[Given] = [("start", 0), ("next", 1)]
    assert after(LIFT, *begun, ("heat", 5, 3.5)).owed == "" and after(LIFT, *begun, ("heat", 5, 4.0)).owed == "burn"


def warmed(*readings: tuple[float, float]) -> RunState:
    first = next(n for n, act in enumerate(WARM.acts) if act.heat)
    zone = {"zone": "right mid cheek", "source": "hand"}
    begun: list[Given] = [("start", 0), ("go", 1, float(first))]
    return after(WARM, *begun, *[("reading", 10 + second, celsius, zone) for second, celsius in readings])


def test_at_43_degrees_it_is_over_and_not_a_tenth_before() -> None:
    assert warmed((0, 42.9)).status == "running"
    assert warmed((0, 43.0)).status == "paused"
    first = next(n for n, act in enumerate(WARM.acts) if act.heat)
    assert "43.0 °C" in warmed((0, 43.0)).runs[first].over


def test_ten_equivalent_minutes_at_43_are_over_before_the_surface_is() -> None:
    """42 °C counts a quarter: 4 minutes are 1, 40 minutes are 10; just short of it the zone goes on."""
    first = next(n for n, act in enumerate(WARM.acts) if act.heat)
    deeper = WARM.acts[first].heat
    assert deeper is not None and deeper.stop_min == 10 and deeper.stop_c == 43
    minutes = 10 / 0.25 ** (43 - (42 + deeper.deeper_c))
    short, long = (
        warmed(*[(60 * n, 42.0) for n in range(int(minutes) + more)], *last)
        for more, last in ((0, [(60 * minutes - 6, 42.0)]), (0, [(60 * minutes + 6, 42.0)]))
    )
    assert short.status == "running" and long.status == "paused"
    assert "CEM43" in long.runs[first].over
