"""After the treatment: the joined sheet, its PDF at the server while other pages are asked for, a client with two
hundred visits.
"""

import os
import statistics
import threading
import time
from collections.abc import Callable
from datetime import datetime
from zoneinfo import ZoneInfo

import httpx
import psycopg

from builders.server import Server, sign_in
from builders.work import GRADED
from merak.core.after.aftercare import Moments, Personal, sheet
from merak.core.after.home import kit
from merak.core.knowledge import about

VISITS = 200
ROUNDS = 200
#: A past visit of the demo's, given to one client two hundred times.
_MANY = """
    WITH that AS (
        SELECT visit.* FROM visit JOIN client ON client.id = client_id
        WHERE name = 'Ines Duarte' AND status = 'closed' ORDER BY starts_at LIMIT 1
    ), made AS (
        INSERT INTO visit (id, client_id, course_id, session_no, therapist_id, starts_at, minutes, status)
        SELECT gen_random_uuid(), client_id, course_id, n, therapist_id, starts_at - n * interval '4 days', 60, 'closed'
        FROM that, generate_series(1, %(n)s) AS n RETURNING id
    )
    INSERT INTO record (id, visit_id, phase, version, body, by, at)
    SELECT gen_random_uuid(), made.id, r.phase, 1, r.body, r.by, r.at
    FROM made, record AS r JOIN that ON that.id = r.visit_id
        WHERE r.phase IN ('close', 'look', 'scales') AND r.version = (
        SELECT max(version) FROM record WHERE visit_id = r.visit_id AND phase = r.phase)
    RETURNING (SELECT client_id FROM that)
"""


def sheet_ms() -> float:
    """Everything that there is, done at once: the sheet joined and what is taken home, ms."""
    tags = {tag for one in about().values() for tag in one.tags} | {"reacted", "strong"}
    at, of = Moments(datetime(2026, 11, 25, 18, tzinfo=ZoneInfo("Europe/Lisbon"))), Personal(dark=True, family="ageing")
    times = []
    for _ in range(ROUNDS):
        begun = time.perf_counter()
        kit(tags, of, at, sheet(tags, of, at))
        times.append(time.perf_counter() - begun)
    return statistics.median(times) * 1000


def client_ratio(ask: Callable[[str], object]) -> tuple[float, float]:
    """A client with two hundred visits, (ms, times the bare endpoint with one SELECT)."""
    with psycopg.connect(os.environ["MERAK_DATABASE_URL"], autocommit=True) as db:
        row = db.execute(_MANY, {"n": VISITS}).fetchone()
        db.execute("ANALYZE")
    assert row
    times: dict[str, list[float]] = {"page": [], "bare": []}
    for n in range(ROUNDS + 40):
        for name, address in (("bare", "/health"), ("page", f"/clients/{row[0]}")):
            begun = time.perf_counter()
            ask(address)
            if n >= 40:
                times[name].append(time.perf_counter() - begun)
    page, bare = (statistics.median(times[name]) for name in ("page", "bare"))
    return page * 1000, page / bare


def pdf_at_the_server(server: Server, visit: str) -> tuple[float, float, float]:
    """(median, slowest) seconds of eleven for a sheet's PDF as a browser waits for it, the first among them; how many
    times longer another page takes while sheets are being set.
    """
    client, other = sign_in(server.url, "tomas"), sign_in(server.url, "marit")
    client.post(f"/visits/{visit}/close", data=GRADED)
    client.get(f"/visits/{visit}/close")
    time.sleep(2)  # somebody reads the page before they ask for the sheet
    taken = [_asked(client, f"/visits/{visit}/sheet.pdf") for _ in range(11)]
    alone = statistics.median(_asked(other, "/emergency") for _ in range(60))
    over = threading.Event()

    def sheets() -> None:
        while not over.is_set():
            _asked(client, f"/visits/{visit}/sheet.pdf")

    thread = threading.Thread(target=sheets)
    thread.start()
    beside = statistics.median(_asked(other, "/emergency") for _ in range(60))
    over.set()
    thread.join()
    return statistics.median(taken), max(taken), beside / alone


def _asked(client: httpx.Client, address: str) -> float:
    begun = time.perf_counter()
    answer = client.get(address, timeout=30)
    assert answer.status_code == 200
    return time.perf_counter() - begun
