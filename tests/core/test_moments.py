"""When a tap was made: what it tells of itself against the order, its device and the server, through offline spells and
jumping clocks.
"""

from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from merak.core.treatment import EarlierTap, ToldMoment, moment

BEGUN = datetime(2026, 11, 25, 9, tzinfo=UTC)
#: Rule chair.clock.tolerance, written a second time (s).
GIVE = 2


def at(second: float) -> datetime:
    return BEGUN + timedelta(seconds=second)


@pytest.mark.parametrize(
    ("told", "last", "counts", "marked"),
    [
        (ToldMoment(at(100)), None, 100, ""),  # told, and it can be
        (ToldMoment(at(600 + GIVE)), None, 600, ""),  # a clock a little ahead is never later than its arrival
        (ToldMoment(at(-GIVE)), None, -GIVE, ""),
        (ToldMoment(at(-GIVE - 1)), None, 600, "before the treatment began"),
        (ToldMoment(datetime(1, 1, 1, tzinfo=UTC)), None, 600, "before the treatment began"),
        (ToldMoment(datetime(9999, 12, 31, tzinfo=UTC)), None, 600, "after it arrived"),
        (ToldMoment(at(601 + GIVE)), None, 600, "after it arrived"),
        (ToldMoment(at(50)), EarlierTap(at(100)), 600, "before this device's last tap"),
        (
            ToldMoment(at(-9000), mono_s=5, age_s=40),
            None,
            560,
            "",
        ),  # the first of a load is as old as it says, whatever its clock
        (ToldMoment(at(0), mono_s=5, age_s=9000), None, 600, "before the treatment began"),
        (
            ToldMoment(at(-9000), mono_s=75, age_s=0),
            EarlierTap(at(100), 15, 60),
            160,
            "",
        ),  # between taps of one load its steady clock counts
        (
            ToldMoment(at(0), mono_s=9015, age_s=0),
            EarlierTap(at(100), 15, 60),
            600,
            "after it arrived",
        ),  # it ran no faster than the server's
        (ToldMoment(at(0), mono_s=1e300, age_s=0), EarlierTap(at(100), 15, 60), 600, "after it arrived"),
        (ToldMoment(at(0), mono_s=10, age_s=0), EarlierTap(at(100), 15, 60), 600, "before this device's last tap"),
        (ToldMoment(at(0), mono_s=75, age_s=0), EarlierTap(at(100), 15), 160, ""),  # the server was started since
        (ToldMoment(at(0), mono_s=900, age_s=0), EarlierTap(at(100), 15), 600, "after it arrived"),
    ],
)
def test_a_tap_counts_when_it_can_have_been(
    told: ToldMoment, last: EarlierTap | None, counts: float, marked: str
) -> None:
    found = moment(told, BEGUN, at(600), last)
    assert (found.at, found.marked) == (at(counts), marked)


def test_a_jump_of_the_servers_clock_moves_nothing_between_taps_of_one_load() -> None:
    for jumped in (-3600, 3600):
        found = moment(ToldMoment(at(0), mono_s=75, age_s=0), BEGUN, at(160 + jumped), EarlierTap(at(100), 15, 60))
        assert found.at == at(160), jumped


def test_a_spot_of_48_hours_is_not_read_in_seconds() -> None:
    """However a tap is told, what was placed now is not two days old."""
    for told in (ToldMoment(at(600) - timedelta(hours=49)), ToldMoment(at(600), mono_s=0, age_s=49 * 3600)):
        assert moment(told, BEGUN, at(600)).at > at(600) - timedelta(minutes=15)


@given(
    told=st.datetimes(timezones=st.just(UTC)),
    mono=st.none() | st.floats(0, 1e8),
    age=st.none() | st.floats(0, 1e8),
    arrived=st.floats(0, 1e6),
    last=st.none() | st.tuples(st.floats(0, 1e6), st.none() | st.floats(0, 1e8), st.none() | st.floats(0, 1e6)),
)
def test_no_telling_moves_a_tap_out_of_its_treatment(
    told: datetime,
    mono: float | None,
    age: float | None,
    arrived: float,
    last: tuple[float, float | None, float | None] | None,
) -> None:
    before = EarlierTap(at(min(last[0], arrived)), last[1], last[2]) if last else None
    found = moment(ToldMoment(told, mono, age), BEGUN, at(arrived), before)
    ran = (before.ago_s or 0) + GIVE if before and before.ago_s is not None else 0
    latest = max(at(arrived + GIVE), before.at + timedelta(seconds=ran) if before else at(0))
    assert at(-GIVE) <= found.at <= latest
    if before and not found.marked:
        assert found.at >= before.at - timedelta(seconds=GIVE)
    if found.marked:
        assert found.at == at(arrived), "what cannot be counts as made when it came"
