"""Days, whole numbers and names as people type them."""

from datetime import date, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from merak.core.client.names import plain
from merak.core.whole import whole
from merak.core.windows import read_day, window, wrong_day

TODAY = date(2026, 11, 25)


@pytest.mark.parametrize(
    ("kind", "first", "last"),
    [
        ("booking", date(2026, 10, 25), date(2028, 11, 25)),  # a month back, two years on
        ("birth", date(1906, 11, 25), TODAY),  # 120 years
        ("event", TODAY, date(2029, 11, 25)),  # three years on
        ("past", date(1906, 11, 25), TODAY),
        ("letter", TODAY, date(2036, 11, 25)),  # ten years
        ("sheet", date(1976, 11, 25), date(2076, 11, 25)),  # fifty either way
    ],
)
def test_every_date_has_a_window_and_says_so(kind: str, first: date, last: date) -> None:
    assert window(kind, TODAY) == (first, last)  # type: ignore[arg-type]
    for day in (first, last):
        assert read_day(f"{day}", kind, TODAY) == (day, "")  # type: ignore[arg-type]
    for day in (first - timedelta(days=1), last + timedelta(days=1), date(1, 1, 1), date(9999, 12, 31)):
        found, words = read_day(f"{day}", kind, TODAY)  # type: ignore[arg-type]
        assert found is None and str(first.year) in words and str(last.year) in words


def test_what_is_past_is_not_before_the_birth() -> None:
    assert wrong_day("past", date(1999, 12, 31), TODAY, date(2000, 1, 1)) and not wrong_day(
        "past", date(2000, 1, 1), TODAY, date(2000, 1, 1)
    )
    assert read_day("30.2.2026", "past", TODAY) == (None, "A date, please. “30.2.2026” is none.") and read_day(
        " ", "past", TODAY
    ) == (
        None,
        "",
    )


@given(st.dates(date(1980, 1, 1), date(2100, 1, 1)))
def test_a_leap_day_has_a_window_too(today: date) -> None:
    for kind in ("booking", "birth", "event", "past", "letter", "sheet"):
        first, last = window(kind, today)  # type: ignore[arg-type]
        assert first <= today <= last


@pytest.mark.parametrize("text", ["²", "٣", "", " 3", "3 ", "-1", "1.0", "9" * 5000, "5", None, "1e0", "½"])
def test_what_is_no_whole_number_is_none(text: str | None) -> None:
    assert whole(text, 4) is None


def test_whole_numbers() -> None:
    assert [whole(text, 10, 2) for text in ("2", "10", "007", "1", "11")] == [2, 10, 7, None, None]


@pytest.mark.parametrize("other", ["josé núñez", "JOSE NUNEZ", " José  Núñez ", "Jose\u0301 Nu\u0301n\u0303ez"])
def test_a_name_is_one_name_however_it_is_written(other: str) -> None:
    assert plain("José Núñez") == plain(other) != plain("José Nuñes")
