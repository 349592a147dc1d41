"""Beyond what was measured nothing is lighter: it is refused, or judged by the worse of its neighbours."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from builders.briefs import brief, machines, plan_of, planned
from builders.machines import LIFT, PANEL, machine
from merak.core.client import Findings
from merak.core.errors import Refused
from merak.core.modality.catalogue import MODALITIES
from merak.core.modality.device import LedCard, MachineCard, MicrocurrentCard
from merak.core.modality.pulsed_light import ceiling_for
from merak.core.modality.shared import Judge, Subject, physical
from merak.core.plan.brief import Brief

#: Measured from level 1 to level 2.5 of ten, and no further.
SHORT = MicrocurrentCard(name="short", contact_cm2=1.3, calibration=((1, 300), (2.5, 600)))


def with_lift(card: MicrocurrentCard) -> Brief:
    return brief(machines=machines(card), findings=Findings(phototype=2), returning=True)


@pytest.mark.parametrize(("level", "rule"), [(2.5, ""), (2.6, "device.calibration"), (3, "device.calibration")])
def test_a_level_above_the_measured_ones_is_refused(level: float, rule: str) -> None:
    plan = planned(with_lift(SHORT), "microcurrent", level=level)
    assert [stop.rule for stop in plan.refused.values()] == ([rule] if rule else [])


def test_what_is_proposed_lies_within_what_was_measured() -> None:
    (step,) = plan_of(with_lift(SHORT), "microcurrent").stages
    assert step.settings.level == 2.5, "the start is level 3, taken down by half levels until it is known"


def test_below_the_measured_levels_it_counts_as_the_lowest() -> None:
    strong = SHORT.model_copy(update={"calibration": ((2, 1100), (3, 1500))})
    with pytest.raises(Refused, match="1100 µA"):
        planned(with_lift(strong), "microcurrent", level=1)
    weak = planned(with_lift(SHORT), "microcurrent", level=0.5)
    assert weak.startable and weak.numbers["s1.current"].value is None
    assert "no more than the 300 µA" in next(
        one.action for one in weak.cautions["s1"] if one.rule == "device.calibration"
    )


@pytest.mark.parametrize(("cm", "refused"), [(4.9, True), (5, False), (25, False), (30, False)])
def test_nearer_than_the_nearest_point_of_a_panel_is_refused(cm: float, refused: bool) -> None:
    plan = planned(brief(machines=machines(LIFT, PANEL)), "led", distance_cm=cm, minutes=5)
    assert ("s1.distance_cm" in plan.refused) == refused
    if refused:
        assert plan.refused["s1.distance_cm"].rule == "led.distance"


def test_farther_than_the_farthest_point_counts_as_there() -> None:
    """60 mW/cm² at 25 cm: 96 J/cm² after 26.7 minutes, and nobody knows how much less at 60 cm."""
    bright = LedCard(name="bright", points=((5, 200), (25, 60)))
    who = brief(machines=machines(LIFT, bright))
    assert planned(who, "led", distance_cm=60, minutes=26.6).startable
    over = planned(who, "led", distance_cm=60, minutes=26.8)
    assert over.refused["s1.minutes"].rule == "led.ceiling.red_fluence"
    assert over.numbers["s1.fluence"].value is None, "it is not known, and not said"


def test_a_machine_above_its_points_is_refused_and_below_them_counts_as_the_lowest() -> None:
    card = machine("rf_bulk", calibration=((3, 20), (7, 35)))
    for at, value, rule in ((2, 20, ""), (3, 20, ""), (5, 27.5, ""), (7, 35, ""), (8, None, "device.calibration")):
        judge = Judge()
        found = physical(judge, "power", card, at)
        assert found.value == value, at
        assert [stop.rule for stop in judge.stops] == ([rule] if rule else []), at


@pytest.mark.parametrize(
    ("modality", "points", "milder", "refused"),
    [
        ("rf_bulk", ((3, 20), (7, 35)), 2, 8),
        ("rf_bulk", ((3, 35), (7, 20)), 8, 2),  # a scale on which more is less
        ("cold", ((3, 0), (7, -4)), 2, 8),  # colder is stronger
        ("cold", ((3, -4), (7, 0)), 8, 2),
    ],
)
def test_the_side_on_which_it_could_be_stronger_is_the_one_that_is_refused(
    modality: str, points: tuple[tuple[float, float], ...], milder: float, refused: float
) -> None:
    card = machine(modality, calibration=points, scale="level", least=1, most=10, step=1)
    for at, stops in ((milder, []), (refused, ["device.calibration"])):
        judge = Judge()
        physical(judge, "set", card, at)
        assert [stop.rule for stop in judge.stops] == stops, at


POINTS = st.lists(st.tuples(st.integers(1, 9), st.floats(1, 60)), min_size=2, max_size=5).map(
    lambda found: tuple(sorted((float(x), y) for x, y in dict(found).items()))
)


@given(POINTS, st.floats(1, 10))
def test_no_setting_is_lighter_than_its_measured_neighbour(points: tuple[tuple[float, float], ...], at: float) -> None:
    rising = tuple((x, 5 + 4 * n + y / 100) for n, (x, y) in enumerate(points))
    if len(rising) < 2:
        return
    card = machine("rf_bulk", calibration=rising)
    judge = Judge()
    found = physical(judge, "power", card, at)
    if at > rising[-1][0]:
        assert judge.refused["at"].rule == "device.calibration"
    elif at < rising[0][0]:
        assert found.value == rising[0][1]
    else:
        assert not judge.refused and found.value is not None


@pytest.mark.parametrize(
    ("entries", "phototype", "most"),
    [
        ({}, 3, None),
        ({1: 30, 4: 15}, 1, 30),
        ({1: 30, 4: 15}, 2, 15),
        ({1: 30, 4: 15}, 4, 15),
        ({1: 30, 4: 15}, 5, 15),
        ({2: 20}, 1, 20),
        ({3: 12, 5: 18}, 4, 12),
        ({1: 30, 4: 15}, None, 15),
    ],
)
def test_a_phototype_without_an_entry_takes_the_stricter_neighbours(
    entries: dict[int, float], phototype: int | None, most: float | None
) -> None:
    card = machine("pulsed_light", by_phototype=entries)
    assert isinstance(card, MachineCard) and card.most_for(phototype) == most


def test_a_makers_ceiling_only_lowers_the_houses() -> None:
    card = machine("pulsed_light", by_phototype={1: 80, 4: 12})
    assert ceiling_for(card, 1) == ("pulsed_light.ceiling", 35)
    assert ceiling_for(card, 2) == ("pulsed_light.ceiling", 12)
    assert ceiling_for(card, 4) == ("pulsed_light.ceiling.dark", 12)
    assert ceiling_for(machine("pulsed_light"), None) == ("pulsed_light.ceiling.dark", 20)


@pytest.mark.parametrize("at", [-5.0, -5])
def test_minus_five_is_not_below_minus_five(at: float) -> None:
    card = machine("cold")
    dose = MODALITIES["cold"].dose(MODALITIES["cold"].Settings(at=at), card, Subject(phototype=2))
    assert "at" not in dose.refused
