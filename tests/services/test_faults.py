"""The server is killed a hundred times and the database restarted while four rooms treat: no acknowledged tap is lost,
none kept twice.
"""

import os
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from threading import Condition, Event, Thread

import httpx
import psycopg

from builders.database import ROOT, demo_copied
from builders.server import ready, sign_in
from builders.visits import ready_to_begin, tap

KILLS, ROOMS, BETWEEN = 100, 4, 6
RESTARTS = (30, 70)
CLUSTER = 'source scripts/lib.sh; mkdir -p "$VAR"; postgres_bin; postgres_up "$VAR/postgres-fault" 5490; {then}'


def shell(then: str) -> str:
    """The scripts' own PostgreSQL, in a cluster of its own that may be restarted under everybody's feet."""
    environment = {key: value for key, value in os.environ.items() if key != "MERAK_DATABASE_URL"}
    words = ["bash", "-euc", CLUSTER.format(then=then)]
    done = subprocess.run(
        words, cwd=ROOT, env=environment, stdin=subprocess.DEVNULL, capture_output=True, text=True, check=True
    )
    return done.stdout.strip().splitlines()[-1]


@contextmanager
def own_database(run: Path) -> Iterator[str]:
    before = os.environ["MERAK_DATABASE_URL"]
    server = shell('echo "$MERAK_DATABASE_URL"')
    try:
        with psycopg.connect(server, autocommit=True) as db:
            db.execute("DROP DATABASE IF EXISTS merak_faults WITH (FORCE)")
            db.execute("CREATE DATABASE merak_faults")
        address = server.rsplit("/", 1)[0] + "/merak_faults"
        demo_copied(address, run)
        os.environ["MERAK_DATABASE_URL"] = address
        yield os.environ["MERAK_DATABASE_URL"]
    finally:
        os.environ["MERAK_DATABASE_URL"] = before
        shell('as_pg "$PG_BIN/pg_ctl" -D "$PG_DIR/data" -m immediate -s stop; echo down')


@contextmanager
def forking() -> Iterator[tuple[str, "subprocess.Popen[str]"]]:
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        port = s.getsockname()[1]
    words = [sys.executable, "-m", "builders.forking", str(port)]
    parent = subprocess.Popen(
        words, cwd=ROOT, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True, start_new_session=True
    )
    url = f"http://127.0.0.1:{port}"
    try:
        ready(url)
        yield url, parent
    finally:
        os.killpg(parent.pid, signal.SIGKILL)
        parent.wait()


class Room:
    """Somebody who taps without end: each tap is sent until it is acknowledged, with the same id."""

    def __init__(self, client: httpx.Client, name: str) -> None:
        self.client = client
        visit = ready_to_begin(client, name)
        self.run = f"/api/visits/{visit}/run"
        self.acknowledged = 0
        self.errors: set[int] = set()
        self.send("start")
        self.send("next")

    def send(self, kind: str, value: float | None = None, stop: Event | None = None) -> bool:
        sending = {"taps": [tap(kind, 0, value)]}
        while stop is None or not stop.is_set():
            try:
                answer = self.client.post(self.run, json=sending, timeout=10)
                if answer.status_code == 200:
                    return True
                self.errors.add(answer.status_code)
            except httpx.TransportError:
                time.sleep(0.005)  # the server is not there: as a browser would, ask again
        return False

    def tap_on(self, told: Condition, stop: Event) -> None:
        while not stop.is_set():
            if self.send("count", 0.0, stop):
                with told:
                    self.acknowledged += 1
                    told.notify_all()


def test_a_hundred_kills_and_two_restarts_of_the_database_lose_nothing(run_folder: Path) -> None:
    with own_database(run_folder) as database, forking() as (url, parent):
        assert parent.stdout
        serving = int(parent.stdout.readline())
        names = ("Ines Duarte", "Yuki Tanabe-Ross", "Samir Oduya", "Greta Lindqvist")
        rooms = [Room(sign_in(url, "tomas"), name) for name in names[:ROOMS]]
        told, stop = Condition(), Event()
        threads = [Thread(target=room.tap_on, args=(told, stop)) for room in rooms]
        for thread in threads:
            thread.start()
        try:
            for kill in range(KILLS):
                with told:
                    enough = sum(room.acknowledged for room in rooms) + BETWEEN
                    gone_on = told.wait_for(lambda: sum(room.acknowledged for room in rooms) >= enough, 60)  # noqa: B023
                    assert gone_on, f"stuck at kill {kill}"
                os.kill(serving, signal.SIGKILL)
                serving = int(parent.stdout.readline())
                if kill in RESTARTS:
                    shell(
                        'as_pg "$PG_BIN/pg_ctl" -D "$PG_DIR/data" -m immediate -w -s restart >/dev/null 2>&1; echo up'
                    )
        finally:
            stop.set()
            for thread in threads:
                thread.join()
        ready(url)
        with psycopg.connect(database) as db:
            for room in rooms:
                state = room.client.get(room.run).json()
                counted = state["acts"][1]["tally"][0]
                visit = room.run.split("/")[3]
                (kept,) = db.execute(
                    "SELECT count(*) FROM treat_event WHERE visit_id = %s AND kind = 'count'", (visit,)
                ).fetchone() or (0,)
                assert room.acknowledged <= kept == counted <= room.acknowledged + 1, (
                    "all that was acknowledged; at most the last besides"
                )
                assert room.errors <= {503}, "while the database is away it says so"
        assert sum(room.acknowledged for room in rooms) >= KILLS * BETWEEN
