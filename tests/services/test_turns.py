"""Two at once, a restarted server, a real studio: nothing is lost and nothing is overwritten. On
the real PostgreSQL.
"""

import importlib
import json
import os
import subprocess
import sys
from concurrent.futures import ThreadPoolExecutor

import httpx
import psycopg
import pytest
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from alembic.operations import Operations
from sqlalchemy import create_engine, text

from builders.database import ROOT, cli, fresh_database
from builders.server import Server, client_of, sign_in
from builders.visits import step_ids, visit_of
from merak.core.plan.screening import questions
from merak.records.tables import Base


def test_migrations_make_the_tables(demo: str) -> None:
    with create_engine(demo.replace("postgresql://", "postgresql+psycopg://")).connect() as connection:
        assert compare_metadata(MigrationContext.configure(connection), Base.metadata) == []


def test_the_studios_own_versions_follow_the_new_names_of_a_courses_rules(demo: str) -> None:
    """Migration 0011, forth and back; other rules and other words stay."""
    step = importlib.import_module("merak.records.migrations.versions.0011_course")
    was = {"values": {"course.microcurrent.gap_least": 4, "course.incident": 9}, "note": "microcurrent.x"}
    engine = create_engine(demo.replace("postgresql://", "postgresql+psycopg://"))
    with engine.connect() as db, Operations.context(MigrationContext.configure(db)):
        row = text("INSERT INTO own_rules (version, rules, changes, by) SELECT 9, :rules, '[]', id FROM person LIMIT 1")
        db.execute(row, {"rules": json.dumps(was)})
        kept = text("SELECT rules FROM own_rules WHERE version = 9")
        step.upgrade()
        assert db.execute(kept).scalar_one()["values"] == {"course.gap_least": 4, "course.incident": 9}
        step.downgrade()
        assert db.execute(kept).scalar_one() == was
        db.rollback()


def test_two_at_once_take_turns(server: Server, demo: str) -> None:
    one, two = sign_in(server.url, "tomas"), sign_in(server.url, "lin")
    visit = visit_of(one, "Yuki Tanabe-Ross")

    def work(client: httpx.Client, zone: str) -> list[int]:
        answers = []
        for n in range(12):
            answers.append(
                client.post(f"/visits/{visit}/look/tap", data={"kind": "fine_lines", "zone": zone}).status_code
            )
            answers.append(client.post(f"/visits/{visit}/ask", data={"heart": "no" if n % 2 else "yes"}).status_code)
        return answers

    def looked() -> tuple[int, int]:
        with psycopg.connect(demo) as db:
            found = "SELECT count(*), coalesce(max(version), 0) FROM record WHERE visit_id = %s AND phase = 'look'"
            row = db.execute(found, (visit,)).fetchone()
            assert row
            return row[0], row[1]

    before = looked()
    with ThreadPoolExecutor(2) as pool:
        done = list(pool.map(work, (one, two), ("left chin", "right chin")))
    assert {status for answers in done for status in answers} <= {200}
    with psycopg.connect(demo) as db:
        last = db.execute(
            "SELECT body FROM record WHERE visit_id = %s AND phase = 'look' ORDER BY version DESC LIMIT 1", (visit,)
        ).fetchone()
    assert looked() == (before[0] + 24, before[1] + 24), "every tap is a version of its own"
    assert last and last[0]["grades"]["fine_lines"] == {
        "left chin": 2,
        "right chin": 2,
    }, "twelve taps: twice around, and two"


def test_changes_of_a_plan_at_once_are_all_kept(server: Server, demo: str) -> None:
    clients = [sign_in(server.url, login) for login in ("tomas", "adaeze", "marit")]
    visit = visit_of(clients[0], "Petra Halloran")

    answers = {question.id: question.options[0].id for question in questions(False)}
    clients[0].post(f"/visits/{visit}/ask", data=answers, headers={"hx-request": "true"})
    for modality in ("microcurrent", "mask", "led"):
        clients[0].post(f"/visits/{visit}/plan/add", data={"modality": modality})

    ids = step_ids(clients[0], visit)

    def lengthen(pair: tuple[httpx.Client, str]) -> set[int]:
        client, step = pair
        sent = {"step": step, "by": "1"}
        return {
            client.post(f"/visits/{visit}/plan/lengthen", data=sent, headers={"hx-request": "true"}).status_code
            for _ in range(5)
        }

    with ThreadPoolExecutor(3) as pool:
        assert set.union(*pool.map(lengthen, zip(clients, ids, strict=True))) == {200}
    with psycopg.connect(demo) as db:
        found = db.execute(
            "SELECT body FROM record WHERE visit_id = %s AND phase = 'plan' ORDER BY version DESC LIMIT 1", (visit,)
        ).fetchone()
    assert found
    lengths = {
        stage["modality"]: stage["settings"].get("repeats") or stage["settings"]["minutes"]
        for step in found[0]["plan"]["steps"]
        for stage in step["stages"]
    }
    assert lengths == {"microcurrent": 8, "mask": 20, "led": 15}, "nobody wrote over anybody"
    stale = {"step": ids[0], "by": "1", "version": "3"}
    told = clients[1].post(f"/visits/{visit}/plan/lengthen", data=stale, headers={"hx-request": "true"})
    assert "Tomas Reyle changed this step meanwhile" in told.text, (
        "who looked at an older plan is told, and writes over nothing"
    )


def test_cut_connections_cost_nobody_a_request(server: Server, demo: str) -> None:
    client = sign_in(server.url, "tomas")
    client.get("/")
    with psycopg.connect(demo, autocommit=True) as db:
        db.execute("SELECT pg_sleep(0.6)")  # longer than a connection counts as busy
        db.execute(
            "SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = current_database() AND pid <>"
            " pg_backend_pid()"
        )
    assert client.get("/").status_code == 200


def test_a_real_studio_begins_with_a_code_and_is_never_overwritten() -> None:
    import os

    before = os.environ["MERAK_DATABASE_URL"]
    os.environ["MERAK_DATABASE_URL"] = fresh_database("merak_empty")
    try:
        server = Server(("merak.cli", "serve", "--first", "studio"))
        with psycopg.connect(os.environ["MERAK_DATABASE_URL"], autocommit=True) as db:
            db.execute("UPDATE set_up_code SET code_hash = encode(sha256('AAAA-BBBB-CCCC'), 'hex')")
        with client_of(server.url) as client:
            assert client.get("/sign-in").headers["location"] == "/set-up"
            client.get("/set-up")
            form = {
                "csrf": client.cookies["visitor"],
                "code": "nope",
                "studio": "Own Studio",
                "time_zone": "Europe/Atlantis",
                "name": "Own Er",
                "login": "own",
                "password": "short",
            }
            wrong = client.post("/set-up", data=form)
            assert (
                wrong.status_code == 422
                and "No such time zone" in wrong.text
                and "At least 10" in wrong.text
                and 'value="Own Studio"' in wrong.text
            )
            form |= {"time_zone": "Europe/Lisbon", "password": "long enough"}
            assert "not the code" in client.post("/set-up", data=form).text
            assert client.post("/set-up", data=form | {"code": "aaaa-bbbb-cccc"}).status_code == 303
            assert client.get("/set-up").headers["location"] == "/sign-in"
        server.kill()
        fresh = subprocess.run(
            [sys.executable, "-m", "merak.cli", "demo", "--fresh"],
            cwd=ROOT,
            capture_output=True,
            text=True,
            check=False,
        )
        assert fresh.returncode == 1 and "not thrown away" in fresh.stderr
        cli("demo")  # without --fresh it leaves a studio alone
        with psycopg.connect(os.environ["MERAK_DATABASE_URL"]) as db:
            assert db.execute("SELECT name FROM studio").fetchall() == [("Own Studio",)]
    finally:
        os.environ["MERAK_DATABASE_URL"] = before


BEFORE = """
    INSERT INTO person (id, name, login, password_hash, role, active) VALUES
        ('00000000-0000-7000-8000-000000000001', 'Ada Merrow', 'ada', '', 'owner', true),
        ('00000000-0000-7000-8000-000000000002', 'ADA MERROW', 'Ada', '', 'assistant', true);
    INSERT INTO client (id, name, born, phone) VALUES ('00000000-0000-7000-8000-000000000003', 'Old Invented',
        '1980-01-01', '');
    INSERT INTO course (id, client_id, name, sessions)
        VALUES ('00000000-0000-7000-8000-000000000004', '00000000-0000-7000-8000-000000000003', 'Lift', 10);
    INSERT INTO visit (id, client_id, course_id, session_no, therapist_id, starts_at, minutes, status)
        SELECT gen_random_uuid(), '00000000-0000-7000-8000-000000000003', '00000000-0000-7000-8000-000000000004', n,
            '00000000-0000-7000-8000-000000000001',
                '2026-11-25 10:00+00'::timestamptz + make_interval(mins => 20 * n), 60, 'booked'
        FROM generate_series(1, 2) AS n;
"""
ONE_MORE = """
    INSERT INTO visit (id, client_id, course_id, session_no, therapist_id, starts_at, minutes, status)
    SELECT gen_random_uuid(), client_id, course_id, 3, therapist_id, '2026-11-26 10:00+00', 60, 'booked'
        FROM visit LIMIT 1
"""


def test_what_was_kept_before_there_were_constraints_stays() -> None:
    """Bookings that overlap, people who differ by case only: the tables of before are brought up, and from then on
    neither is made.
    """
    address = fresh_database("merak_before")
    words = "from alembic.config import Config; from alembic import command; from merak.records.db import MIGRATIONS;"
    words += "c = Config(); c.set_main_option('script_location', str(MIGRATIONS)); command.upgrade(c, '0005')"
    env = os.environ | {"MERAK_DATABASE_URL": address}
    subprocess.run([sys.executable, "-c", words], cwd=ROOT, env=env, check=True)
    with psycopg.connect(address) as db:
        db.execute(BEFORE)  # type: ignore[arg-type]
    subprocess.run([sys.executable, "-m", "merak.cli", "migrate"], cwd=ROOT, env=env, check=True)
    with psycopg.connect(address, autocommit=True) as db:
        assert db.execute("SELECT name, login FROM person ORDER BY id").fetchall() == [
            ("Ada Merrow", "ada"),
            ("ADA MERROW 2", "Ada-2"),
        ]
        assert db.execute("SELECT count(*), bool_and(may_overlap) FROM visit").fetchone() == (2, True)
        db.execute(ONE_MORE)
        with pytest.raises(psycopg.errors.ExclusionViolation):
            db.execute(ONE_MORE)
