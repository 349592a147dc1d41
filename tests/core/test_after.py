"""The return proposed from gap, hours and diary; a broken rule book is told with its line."""

from datetime import UTC, datetime, time, timedelta
from pathlib import Path
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from merak.core.after.course import free, propose
from merak.core.errors import KnowledgeError
from merak.core.knowledge import all_ids, book, cited, read_file

LISBON = ZoneInfo("Europe/Lisbon")
WEEK = {day: (time(9), time(18)) for day in range(5)}


@given(
    st.datetimes(datetime(2026, 1, 1), datetime(2027, 12, 31)),
    st.integers(1, 12),
    st.sets(st.integers(0, 200), max_size=60),
)
def test_a_proposal_is_open_free_and_not_before_the_gap(last: datetime, session: int, taken: set[int]) -> None:
    last = last.replace(tzinfo=UTC)
    busy = [(last + timedelta(hours=n), last + timedelta(hours=n + 1)) for n in taken]
    found = propose(last, session, 10, 60, WEEK, busy, "Europe/Lisbon")
    assert found is not None
    assert free(found.at, 60, WEEK, busy) == ""
    least = 28 if session >= 10 else 3
    assert (found.at.date() - last.astimezone(LISBON).date()).days >= least


def test_a_full_diary_is_said_and_what_stands_against_a_time() -> None:
    monday = datetime(2026, 11, 23, 10, tzinfo=LISBON)
    always = [(monday, monday + timedelta(days=90))]
    assert propose(monday, 1, 10, 60, WEEK, always, "Europe/Lisbon") is None
    assert "closed on Saturday" in free(datetime(2026, 11, 28, 10, tzinfo=LISBON), 60, WEEK, [])
    assert "open from 09:00 to 18:00" in free(monday.replace(hour=17, minute=30), 60, WEEK, [])
    assert "Another visit" in free(monday, 60, WEEK, [(monday + timedelta(minutes=59), monday + timedelta(hours=2))])


def test_every_line_of_the_rule_book_has_reason_source_and_mark() -> None:
    for rule_id in all_ids():
        found = cited(rule_id)
        assert found and all(found), rule_id
    for rule in book().rule:
        assert rule.mark != "S" or "from memory" in rule.source, f"{rule.id}: say that it is from memory"
        assert (rule.value is None) == (rule.unit == ""), rule.id


BROKEN_RULE = (
    '[[rule]]\nid = "a"\nwords = "w"\nreason = "r"\nsource = "s"\nmark = "S"\n\n[[rule]]\nid = "b"\nwords = 3\n'
)
BROKEN_MARK = '# note\n[[question]]\nid = "q"\nask = "?"\nsource = "s"\nmark = "X"\noptions = []\n'


@pytest.mark.parametrize(("text", "line"), [(BROKEN_RULE, "line 8"), ("[[rule]\n", "line 1"), (BROKEN_MARK, "line 2")])
def test_a_broken_file_is_told_with_file_and_line(tmp_path: Path, text: str, line: str) -> None:
    (tmp_path / "broken.toml").write_text(text)
    with pytest.raises(KnowledgeError, match=rf"broken\.toml.*{line}"):
        read_file(tmp_path / "broken.toml")
