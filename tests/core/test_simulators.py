"""Stand-ins: whatever is asked of one, it counts truly; the thermometer reads what lies below its dot; what is read
adds up.
"""

from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from builders.machines import LIFT, PANEL, machine
from builders.orders import spot_rule
from merak.core.acts import HeatRule
from merak.core.knowledge import number
from merak.core.modality.rf_bulk import Settings, surface_c
from merak.core.spots import SpotLook, answer
from merak.core.treatment.warmth import Warmth
from merak.simulators.instruments import SimulatedMeter, SimulatedThermometer
from merak.simulators.source import FAULTS, SimulatedSource, source_for

T0 = datetime(2026, 11, 25, 9, tzinfo=UTC)
ASKED = st.one_of(
    st.tuples(st.just("set"), st.floats(-5, 40)),
    st.tuples(st.just("fire"), st.integers(-3, 120).map(float)),
    st.tuples(st.sampled_from(["wipe", "plug", "unplug", "fault", "mend"]), st.just(0.0)),
)


@given(st.lists(ASKED, max_size=40), st.sampled_from([0, 7, 50]))
def test_a_source_counts_what_it_gave_and_nothing_else(asked: list[tuple[str, float]], every: int) -> None:
    source, given_, since = source_for(machine("rf_fractional"), every), 0, 0
    for what, value in asked:
        before = source
        match what:
            case "set":
                source, said = source.set_to(value)
                assert said.ok == (before.plugged and before.least <= value <= before.most)
                assert source.at == (value if said.ok else before.at), "what is refused changes nothing"
            case "fire":
                source, said = source.fire(int(value))
                can = before.plugged and not before.fault and before.at is not None and not (every and since >= every)
                assert said.ok == can and (said.ok or (not said.pulses and said.words))
                given_, since = given_ + said.pulses, since + said.pulses
            case "wipe":
                source, _ = source.wipe()
                since = 0
            case "plug" | "unplug":
                source = source.plug(what == "plug")
            case _:
                source = source.but(fault=FAULTS[0] if what == "fault" else "")
        assert (source.pulses, source.since_clean) == (given_, since)
        assert not every or source.since_clean <= every, "no further than until it wants wiping"
        assert source.at is None or source.least <= source.at <= source.most


def test_one_that_was_unplugged_has_forgotten_its_setting() -> None:
    source, _ = source_for(machine("rf_bulk")).set_to(3)
    back = source.plug(False).plug(True)
    assert back.at is None and not back.fire(1)[1].ok and source.plug(True).at == 3
    assert [(one.scale, one.least, one.most) for one in (source_for(LIFT), source_for(PANEL))] == [
        ("level", 1, 10),
        ("%", 1, 100),
    ]
    assert SimulatedSource.model_validate(source.model_dump(mode="json")) == source, "it is kept as it stands"


@given(st.floats(34, 43), st.floats(30, 34), st.floats(-30, 30), st.integers(0, 500))
def test_the_thermometer_reads_below_its_dot(place: float, around: float, off: float, reads: int) -> None:
    gun = SimulatedThermometer(reads=reads)
    aimed, said = gun.read(place, around, number("thermometer.below"))
    assert said.value is not None and abs(said.value - place) < 1.2 and not said.words, (
        "the dot held above: the place itself"
    )
    _, astray = gun.read(place, around, number("thermometer.below") + off)
    assert astray.value is not None and astray.value <= said.value + 0.1, "beside it the skin is cooler"
    assert aimed.reads == reads + 1 and aimed.peak_c == said.value and gun.read(place, around, 12.7)[1] == said, (
        "the same again"
    )


def test_on_the_place_it_says_what_is_wrong_and_unplugged_it_says_what_to_do() -> None:
    _, said = SimulatedThermometer().read(41, 33, 0)
    assert "read 13 mm below the place" in said.words and said.value is not None and said.value < 38
    _, silent = SimulatedThermometer(plugged=False).read(41, 33, 0)
    assert not silent.ok and silent.value is None and "type it" in silent.words


@given(st.floats(0, 120), st.integers(0, 400))
def test_the_meter_stays_on_its_scale(moisture: float, reads: int) -> None:
    _, said, tone = SimulatedMeter(reads=reads).read(moisture, (61.0, 11.0, 18.0))
    assert said.value is not None and 0 <= said.value <= 120 and abs(said.value - moisture) < 6
    assert abs(tone[0] - 61) < 3 and len(tone) == 3


def test_a_practised_hand_holds_the_target_and_a_runaway_does_not() -> None:
    settings = Settings(at=5, zone_cm2=60, target_c=41)
    held, untouched = surface_c(20, settings, 400)
    running, _ = surface_c(20, settings, 400, held_back=False)
    assert untouched < 35 < held <= 41.5 < running


HEAT = HeatRule(low_c=40, high_c=42, stop_c=43, rate_c_s=3.2, dwell_s=3, deeper_c=0.8, warn_min=2, stop_min=10)
READINGS = st.lists(st.tuples(st.floats(-20, 120), st.floats(20, 50)), min_size=1, max_size=30)


@given(READINGS)
def test_warmth_only_ever_adds_up(readings: list[tuple[float, float]]) -> None:
    second = 0.0
    zone = Warmth(readings[0][1], T0, readings[0][1])
    for step, celsius in readings[1:]:
        before, second = (zone.peak_c, zone.band_s, zone.cem43_min, zone.deep43_min), max(0.0, second + step)
        zone.read(celsius, T0 + timedelta(seconds=second), HEAT)
        assert (
            zone.peak_c >= before[0]
            and zone.band_s >= before[1]
            and zone.cem43_min >= before[2]
            and zone.deep43_min >= before[3]
        )
    assert zone.deep43_min >= zone.cem43_min and 0 <= zone.dwell_s(HEAT) <= 3
    assert zone.band_s <= sum(max(0.0, step) for step, _ in readings[1:]) + 1e-6
    assert zone.over(HEAT) == (zone.peak_c >= 43 or zone.deep43_min >= 10)


@given(
    st.floats(1, 20),
    st.floats(0.1, 3),
    st.booleans(),
    st.booleans(),
    st.booleans(),
    st.builds(
        SpotLook, redness=st.integers(0, 4), swelling=st.integers(0, 4), pain=st.integers(0, 10), mark=st.booleans()
    ),
)
def test_a_spot_answers_with_one_step_at_most(
    at: float, step: float, may_up: bool, may_down: bool, numbed: bool, look: SpotLook
) -> None:
    rule = spot_rule(at=at, up=at + step if may_up else None, down=at - step if may_down else None, numbed=numbed)
    said = answer(rule, at, look, stepped_up=False)
    assert said.words and said.set_to in {at, rule.up, rule.down}
    if look.mark:
        assert said.verdict == "stop"
    elif look.severe(rule):
        assert said.verdict == ("down" if may_down else "stop") and said.set_to <= at
    elif look.redness or look.swelling:
        assert (said.verdict, said.set_to) == ("keep", at)
    elif not look.pain or numbed:
        assert said.verdict == ("up" if may_up else "keep")
        assert answer(rule, said.set_to, look, stepped_up=said.verdict == "up").verdict == "keep", (
            "never up twice in a visit"
        )
    if said.verdict == "up":
        again = answer(rule, said.set_to, SpotLook(redness=4), stepped_up=True)
        assert (again.verdict, again.set_to) == ("down", at), "severe a step up: back to where it was"


@pytest.mark.parametrize("pain", [0, 3])
def test_pain_alone_speaks_only_where_it_can_be_felt(pain: int) -> None:
    rule = spot_rule(same_visit=False)
    assert answer(rule, 5, SpotLook(pain=pain), False).verdict == ("keep" if pain else "up")
    assert answer(rule.model_copy(update={"numbed": True}), 5, SpotLook(pain=pain), False).verdict == "up"
