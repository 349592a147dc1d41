"""Warmth at the chair, and the step at a spot, against published values; all from memory."""

from datetime import UTC, datetime, timedelta

import pytest

from builders.briefs import EVERY_LICENCE, brief, plan_of
from merak.core.acts import HeatRule
from merak.core.client import Findings
from merak.core.plan.visit_plan import visit_plan
from merak.core.treatment.warmth import Warmth

T0 = datetime(2026, 11, 25, 9, tzinfo=UTC)
HEAT = HeatRule(low_c=40, high_c=42, stop_c=43, rate_c_s=3.2, dwell_s=3, deeper_c=0, warn_min=2, stop_min=10)


@pytest.mark.outside("Sapareto & Dewey 1984: 45 °C for 10 min is 40 CEM43 min, 41 °C for 60 min is 3.75; from memory")
@pytest.mark.parametrize(("celsius", "minutes", "dose"), [(45.0, 10, 40.0), (41.0, 60, 3.75)])
def test_readings_in_a_row_add_up_to_the_published_dose(celsius: float, minutes: int, dose: float) -> None:
    zone = Warmth(celsius, T0, celsius)
    for n in range(1, minutes + 1):
        zone.read(celsius, T0 + timedelta(minutes=n), HEAT)
    assert zone.cem43_min == pytest.approx(dose, rel=1e-6)
    assert zone.over(HEAT) == (dose > 10) and zone.band_s == (60 * minutes if 40 <= celsius <= 42 else 0)


@pytest.mark.outside("Usual dwell: the smaller of 3 s and (43 °C − T) ÷ rate; common practice")
def test_the_dwell_shrinks_as_the_skin_nears_its_limit() -> None:
    zone = Warmth(34, T0, 34)
    assert zone.dwell_s(HEAT) == pytest.approx(9 / 3.2)
    for celsius, left in ((41.0, 0.625), (42.5, 0.15625), (43.5, 0.0)):
        zone.read(celsius, T0 + timedelta(seconds=celsius), HEAT)
        assert zone.dwell_s(HEAT) == pytest.approx(left)


@pytest.mark.outside(
    "A step is one W or one level, and + 20 % energy at most: 5 W → 6 W may be, 3 W → 4 W is a third; common practice"
)
def test_a_step_up_at_a_spot_is_never_more_than_a_fifth() -> None:
    who = brief(licences=EVERY_LICENCE, senior=True, findings=Findings(phototype=2))
    for watts, up in ((3, None), (5, 6.0), (8, 9.0)):
        acts = visit_plan(who, plan_of(who, "rf_fractional", at=watts), laid=True).acts
        rule = next(act.spot for act in acts if act.spot)
        assert (rule.at, rule.up) == (watts, up) and (up or "a fifth is the most" in rule.why_not)
