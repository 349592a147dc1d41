"""Bulk radiofrequency in a plan: one response of the skin for every power, a start that reaches its target in time, a
zone no larger than what is treated.
"""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from builders.briefs import brief, planned
from builders.machines import machine
from merak.core.dose.bioheat import Body, Surface
from merak.core.knowledge import number
from merak.core.modality import rf_bulk
from merak.core.modality.before import Before
from merak.core.modality.shared import Dose, Subject
from merak.core.plan.facts import Machine

#: A machine told in watts, from one to sixty.
WATTS = machine("rf_bulk", scale="W", least=1, most=60, step=1, calibration=())


@settings(max_examples=12)  # ten minutes of heat each
@given(st.floats(2, 90), st.floats(8, 200), st.sampled_from((1.0, 5.0)))
def test_one_response_tells_every_power(watts: float, zone_cm2: float, flow: float) -> None:
    """Pennes' equation is linear: the scaled run is the run that would have been made."""
    chosen = rf_bulk.Settings(at=1, zone_cm2=zone_cm2)
    fast = rf_bulk.warmed(watts, chosen, flow)
    body = Body(rf_bulk.layers(flow), Surface(number("heat.room"), number("heat.air")))
    steady = chosen.absorbed * watts / (zone_cm2 * 1e-4)
    slow = body.run(np.full(600, steady), rf_bulk.SAMPLE_S, chosen.depth_mm / 1000)
    assert fast.surface_c[:601] == pytest.approx(slow.surface_c, abs=1e-6)
    assert fast.inside_c[:, :601] == pytest.approx(slow.inside_c, abs=1e-6)
    assert fast.peak_mm[600] == slow.peak_mm[600]


def test_the_power_for_a_time_reaches_the_target_then() -> None:
    skin = rf_bulk.response(1.0, 0.0, 4.0)
    for minutes in (1, 2, 5):
        run = skin.under(skin.power_for(41, minutes * 60))
        assert run.reaches(41) == pytest.approx(minutes * 60, abs=0.2)


def started(area_cm2: float, **more: object) -> tuple[rf_bulk.Settings, Dose]:
    subject = Subject.model_validate({"area_cm2": area_cm2, "phototype": 2} | more)
    settings = rf_bulk.start(WATTS, subject).settings
    return settings, rf_bulk.dose(settings, WATTS, subject)


@given(st.floats(60, 400), st.booleans(), st.booleans())
def test_a_start_reaches_its_target_in_about_the_usual_time_within_every_ceiling(
    area_cm2: float, first: bool, sensitive: bool
) -> None:
    settings, found = started(area_cm2, first_visit=first, sensitive=sensitive)
    assert not found.refused
    assert 60 <= found.numbers["to_target"].known <= 2 * 120 + 1, "two minutes, and not more than twice as long"
    assert settings.zone_cm2 <= max(4, area_cm2 / 2)
    assert found.numbers["minutes"].known <= max(1, area_cm2 / settings.zone_cm2) * (4 + 4) + 0.1


def test_a_new_client_starts_lower_and_last_time_counts_more_than_any_target() -> None:
    known, new = started(330, first_visit=False)[0], started(330, first_visit=True)[0]
    assert (known.at, new.at) == (20, 19)
    again, _ = started(330, first_visit=False, last=Before(at=12))
    assert again.at == 12 and again.zone_cm2 < 100, "less of it at once, not more power"


@given(st.floats(4, 300), st.floats(4, 600))
def test_no_more_is_worked_at_once_than_one_side_of_what_is_treated(area_cm2: float, zone_cm2: float) -> None:
    """The same power on less skin warms it further: what is typed never makes the zone larger than the skin."""
    subject = Subject(area_cm2=area_cm2)
    worked = rf_bulk.at_once_cm2(rf_bulk.Settings(at=1, zone_cm2=zone_cm2), subject)
    assert worked <= max(area_cm2 / 2, 3.15)
    assert worked <= max(zone_cm2, 3.15)
    assert worked >= 3.14, "nor less than the tip covers"


def test_a_whole_face_of_bulk_heat_fits_into_a_slot() -> None:
    who = brief(machines=(Machine(id="b", card=WATTS),), slot=60)
    plan = planned(who, "cleanse", "rf_bulk", "finish")
    assert plan.startable and plan.numbers["visit.minutes"].known < 45
