"""Forty rooms at work at once, each with its own page that follows live: what an acknowledged tap costs beside a bare
committed INSERT.
"""

import http.client
import json
import os
import statistics
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from random import Random
from threading import Thread
from uuid import uuid4

import httpx
import psycopg

from benchmarks.wire import Wire
from builders.server import Server
from builders.visits import begun, booked, tap

ROOMS, TAPS, EVERY_S = 40, 12, 1.0


def open_rooms(client: httpx.Client) -> list[str]:
    """Forty treatments that have begun, of forty new clients."""
    found = []
    for n in range(ROOMS):
        visit = begun(client, booked(client, f"Room {n + 1:02d} Invented", "Tomas"), "microcurrent", "led", "finish")
        assert client.post(f"/api/visits/{visit}/run", json={"taps": [tap("start"), tap("next")]}).status_code == 200
        found.append(visit)
    return found


@contextmanager
def followed(server: Server, client: httpx.Client, visits: list[str]) -> Iterator[None]:
    """A live line for each room, read as a browser would."""
    cookies = "; ".join(f"{name}={value}" for name, value in client.cookies.items())
    lines = []
    for visit in visits:
        line = http.client.HTTPConnection("127.0.0.1", server.port)
        line.request("GET", f"/api/visits/{visit}/run/live", headers={"cookie": cookies})
        lines.append(line)

    def read(line: http.client.HTTPConnection) -> None:
        answer = line.getresponse()
        try:
            while answer.read1(65536):
                pass
        except (OSError, ValueError, AttributeError, http.client.HTTPException):
            return

    readers = [Thread(target=read, args=(line,), daemon=True) for line in lines]
    for reader in readers:
        reader.start()
    yield
    for line in lines:
        if line.sock:
            line.sock.close()


def rooms_at_work(server: Server, client: httpx.Client) -> dict[str, float]:
    """Medians, ms: a tap acknowledged and a bare committed INSERT over HTTP, from all rooms, each a tap a second; and
    in the driver.
    """
    visits = open_rooms(client)
    begin = time.perf_counter() + 1.5

    def at_work(n: int) -> tuple[list[float], list[float]]:
        wire, chance = Wire(server, client), Random(n)
        taps, bare = [], []
        for k in range(TAPS):
            due = begin + k * EVERY_S + chance.random() * EVERY_S
            time.sleep(max(0.0, due - time.perf_counter()))
            body = json.dumps({"taps": [tap("count" if k % 2 else "uncount")]})
            begun = time.perf_counter()
            wire.ask("POST", f"/api/visits/{visits[n]}/run", body, content_type="application/json")
            taps.append(time.perf_counter() - begun)
            begun = time.perf_counter()
            wire.ask("POST", "/bare")
            bare.append(time.perf_counter() - begun)
        return taps, bare

    def in_the_driver() -> list[float]:
        times = []
        with psycopg.connect(os.environ["MERAK_DATABASE_URL"], autocommit=True) as db:
            for k in range(100):
                time.sleep(max(0.0, begin + (k + 0.5) * TAPS * EVERY_S / 100 - time.perf_counter()))
                begun = time.perf_counter()
                db.execute("INSERT INTO bare VALUES (%s, now(), 'stroke')", (uuid4(),))
                times.append(time.perf_counter() - begun)
        return times

    with followed(server, client, visits), ThreadPoolExecutor(ROOMS + 1) as pool:
        driver = pool.submit(in_the_driver)
        found = list(pool.map(at_work, range(ROOMS)))
        plain = driver.result()
    taps, bare = [t for one, _ in found for t in one[2:]], [t for _, one in found for t in one[2:]]
    return {
        "40 rooms: tap acknowledged": statistics.median(taps) * 1000,
        "40 rooms: bare endpoint, one INSERT": statistics.median(bare) * 1000,
        "40 rooms: bare INSERT in the driver": statistics.median(plain) * 1000,
    }
