"""The demo is alive, everything is stamped, permissions are one table, and the order keeps its workings."""

from collections.abc import Iterator
from datetime import datetime, timedelta

import psycopg
import pytest

from builders.work import as_
from merak.core.treatment.order import Ordered
from merak.demo.studio import CLIENTS
from merak.records.bodies import upgraded
from merak.records.people import Worker
from merak.services.context import Context
from merak.services.permission import ROLES, Denied, Sealed, demand, may
from merak.services.visit import day


@pytest.fixture
def record(demo: str) -> Iterator[psycopg.Connection[tuple[object, ...]]]:
    with psycopg.connect(demo) as db:
        yield db


def test_the_demo_is_alive_today_and_on_the_days_ahead(
    ctx: Context, record: psycopg.Connection[tuple[object, ...]]
) -> None:
    ines = (
        "SELECT starts_at FROM visit JOIN client ON client.id = client_id WHERE name = 'Ines Duarte' AND session_no = 3"
    )
    row = record.execute(ines).fetchone()
    assert row and isinstance(row[0], datetime)
    there = Context(ctx.db, ctx.me, row[0])  # the day on which this demo was loaded
    today = there.today
    rows = day.day_sheet(as_(there, "tomas"), today)
    flags = {row.visit.client.name: {words for _, words in row.flags} for row in rows}
    assert len(CLIENTS) == 12 and len(rows) >= 8
    assert any(flag.startswith("never: ") for flag in flags["Rosalind Achterberg"]), "one is stopped by a rule"
    assert any("wait until" in words for words in flags["Kofi Mensah-Lund"]), "one must wait until a date"
    assert any("strong reaction" in words for words in flags["Yuki Tanabe-Ross"]), "one reacted last time"
    ahead = [row for n in range(1, 6) for row in day.day_sheet(as_(there, "tomas"), today + timedelta(days=n))]
    margit = next(row for row in ahead if row.visit.client.name == "Margit Ferro")
    assert ("stop", "left a brown, white or grey mark last time: a doctor's word first") in margit.flags, (
        "one told of a mark afterwards"
    )
    for ahead in range(1, 15):
        assert day.day_sheet(there, today + timedelta(days=ahead)), f"nobody {ahead} days ahead"


def test_who_and_when_stand_on_everything(record: psycopg.Connection[tuple[object, ...]]) -> None:
    for table in ("record", "treat_event"):
        empty = record.execute(f"SELECT count(*) FROM {table} WHERE by IS NULL OR at IS NULL").fetchone()
        assert empty == (0,), table
    done = {action for (action,) in record.execute("SELECT DISTINCT action FROM audit")}
    assert {"add a visit", "ask", "look", "plan", "treat", "close"} <= done
    words = record.execute("SELECT string_agg(action || ' ' || thing, ' ') FROM audit").fetchone()
    assert words and not any(client.name.split()[0] in str(words[0]) for client in CLIENTS), "ids only, no names"
    assert record.execute("SELECT count(*) FROM person WHERE password_hash NOT LIKE '$argon2id$%'").fetchone() == (0,)


def test_the_order_keeps_its_workings(record: psycopg.Connection[tuple[object, ...]]) -> None:
    rows = record.execute("SELECT body FROM record WHERE phase = 'order' ORDER BY id LIMIT 40")
    orders = [Ordered.model_validate(upgraded("order", body)) for (body,) in rows]
    lifts = 0
    for order in orders:
        assert order.startable
        for number in order.numbers.values():
            assert number.name and (number.formula or number.rules or number.value is not None)
        for act in order.acts:
            if act.lines:
                current, lifts = order.numbers[f"{act.stage}.current"], lifts + 1
                assert current.inputs[0].value == max(line.level for line in act.lines), "next year's reader sees why"
    assert lifts, "some of them are strokes with a current"


@pytest.mark.parametrize(
    ("action", "roles"),
    [
        ("see the day", set(ROLES)),
        ("book", set(ROLES)),
        ("read notes", set(ROLES) - {"front desk"}),
        ("ask", set(ROLES) - {"front desk"}),
        ("treat", set(ROLES) - {"front desk"}),
        ("close", set(ROLES) - {"front desk"}),
        ("plan", {"owner", "senior", "therapist"}),
        ("run the practice", {"owner"}),
    ],
)
def test_who_may_do_what(action: str, roles: set[str]) -> None:
    class Closed:
        status = "closed"

    for role in (*ROLES, "stranger"):
        who = Worker(id=None, name="x", role=role)  # type: ignore[arg-type]
        assert may(who, action) == (role in roles), role  # type: ignore[arg-type]
        if role not in roles:
            with pytest.raises(Denied, match=role):
                demand(who, action)  # type: ignore[arg-type]
        elif action in ("ask", "plan", "treat", "close"):
            with pytest.raises(Sealed):
                demand(who, action, Closed())  # type: ignore[arg-type]
