"""Speed as ratios in one run: the plan's recompute beside a bare endpoint with one SELECT, an event beside a bare
committed INSERT, the plate beside the bare set operations that it needs, the heat solver beside SciPy's stiff
integrator.

Run by ./bench, which starts a PostgreSQL of its own. Exits with 1 when a ratio is past its limit.
"""

import json
import os
import statistics
import sys
import time
from collections.abc import Callable
from datetime import UTC, datetime
from urllib.parse import urlencode
from uuid import UUID, uuid4

import httpx
import psycopg

from benchmarks.after import client_ratio, pdf_at_the_server, sheet_ms
from benchmarks.chair import painted_ms, rebuilt_ms
from benchmarks.heat import heat_ratios
from benchmarks.laid import begin_ratio, four_plates_ms
from benchmarks.past import past_ms
from benchmarks.plans import old_beside_new, twenty, typed
from benchmarks.plate import plate_ratios
from benchmarks.rooms import rooms_at_work
from benchmarks.wire import Wire
from builders.briefs import EVERY_LICENCE, brief
from builders.database import cli, fresh_database
from builders.server import Server, sign_in
from builders.visits import ready_to_begin, tap, visit_of
from builders.work import tap_of
from merak.core.client import Findings
from merak.core.knowledge import conditions
from merak.core.plan.proposals import proposals
from merak.core.plan.screening import questions
from merak.records import people
from merak.records.db import work_session
from merak.services.context import Context
from merak.services.treatment.treating import record

ROUNDS, WARM = 300, 40


def interleaved(acts: dict[str, Callable[[int], object]]) -> dict[str, float]:
    """Medians of several acts taken in turn, so that a slow minute of the machine touches all of them."""
    times: dict[str, list[float]] = {name: [] for name in acts}
    for n in range(WARM + ROUNDS):
        for name, act in acts.items():
            begun = time.perf_counter()
            act(n)
            times[name].append(time.perf_counter() - begun)
    return {name: statistics.median(found[WARM:]) * 1000 for name, found in times.items()}


#: Fifteen steps of everything: most of them do not go together, which all has to be found and told.
STEPS = (
    "cleanse",
    "tone",
    "soften",
    "galvanic_softening",
    "wet_abrasion",
    "enzyme",
    "extract",
    "rf_bulk",
    "iontophoresis",
    "ultrasound",
    "oxygen_airbrush",
    "microcurrent",
    "cold",
    "mask",
    "led",
)


def fifteen(client: httpx.Client, visit: str) -> str:
    """A plan of fifteen steps; the id of the lift in it."""
    for modality in STEPS:
        assert (
            client.post(
                f"/visits/{visit}/plan/add", data={"modality": modality}, headers={"hx-request": "true"}
            ).status_code
            == 200
        )
    page = client.get(f"/visits/{visit}/plan").text
    assert page.count('class="step-block"') == len(STEPS)
    return page.split('title="Microcurrent lift')[0].rsplit('data-step="', 1)[1].split('"')[0]


def proposal_p95() -> float:
    """Three proposals for clients who have everything to be treated, each another grade, ms."""
    times = []
    for n in range(40):
        grades = {
            name: {"right mid cheek": 1 + (n + k) % 4, "left jawline": 1 + k % 4}
            for k, name in enumerate(conditions())
            if name != "settle"
        }
        who = brief(
            findings=Findings(phototype=1 + n % 4, grades=grades),
            returning=True,
            senior=True,
            licences=EVERY_LICENCE,
            slot=60 + n % 5 * 15,
        )
        begun = time.perf_counter()
        assert proposals(who)
        times.append(time.perf_counter() - begun)
    return p95(times[2:])


def p95(times: list[float]) -> float:
    """The 95th percentile, ms."""
    return sorted(times)[int(0.95 * len(times))] * 1000


def main() -> int:
    """Measures and tells."""
    os.environ["MERAK_DATABASE_URL"] = fresh_database("merak_bench")
    cli("migrate")
    cli("demo")
    server = Server(("benchmarks.app",))
    try:
        client = sign_in(server.url, "tomas")
        planning, treating = visit_of(client, "Noor Castellane"), ready_to_begin(client, "Samir Oduya")
        answers = {question.id: question.options[0].id for question in questions(False)}
        client.post(f"/visits/{planning}/ask", data=answers, headers={"hx-request": "true"})
        own = UUID(ready_to_begin(client, "Ines Duarte"))
        client.post(f"/api/visits/{own}/run", json={"taps": [tap("start"), tap("next")]})
        client.post(f"/api/visits/{treating}/run", json={"taps": [tap("start"), tap("next")]})
        wire = Wire(server, client)
        lift = fifteen(client, planning)
        speed = f"{lift}.speed_mm_s"
        staged, heat = twenty(client)
        form = {
            "content_type": "application/x-www-form-urlencoded",
            "hx_request": "true",
            "x_changed": speed,
        }
        taken: list[float] = []

        def recompute(n: int) -> None:
            begun = time.perf_counter()
            body = urlencode(
                {"step": lift, speed: f"{10 + n / 1000:.3f}"}
            )  # never the same twice: nothing of it is remembered
            assert b"current density" in wire.ask("POST", f"/visits/{planning}/plan/set", body, **form)
            taken.append(time.perf_counter() - begun)

        def event(n: int) -> None:
            sent = {"taps": [tap("stroke" if n % 2 else "unstroke")]}
            wire.ask("POST", f"/api/visits/{treating}/run", json.dumps(sent), content_type="application/json")

        with psycopg.connect(os.environ["MERAK_DATABASE_URL"], autocommit=True) as db, work_session() as session:
            person = people.by_login(session, "tomas")
            assert person
            worker = people.Worker(person.id, person.name, person.role)

            def at_work(n: int) -> None:
                ctx = Context(session, worker, datetime.now(UTC))
                record(ctx, own, [tap_of("stroke" if n % 2 else "unstroke", ctx.now)])

            db.execute("CREATE TABLE bare (id uuid PRIMARY KEY, at timestamptz, words text)")
            found = interleaved(
                {
                    "bare endpoint, one SELECT": lambda n: wire.ask("GET", "/health"),
                    "plan recompute": recompute,
                    "20 stages recomputed": lambda n: typed(wire, staged, heat, n),
                    "bare endpoint, one INSERT": lambda n: wire.ask("POST", "/bare"),
                    "bare INSERT in the driver": lambda n: db.execute(
                        "INSERT INTO bare VALUES (%s, now(), 'stroke')", (uuid4(),)
                    ),
                    "event acknowledged": event,
                    "event in the services, no HTTP": at_work,
                }
            )
        found |= rooms_at_work(server, client)
        fresh = Wire(server, client)  # the other was idle too long
        many_ms, many = client_ratio(lambda address: fresh.ask("GET", address))
        old = old_beside_new(client, Wire(server, client))
        tapped = four_plates_ms(client, Wire(server, client))
        pdf, slowest, beside = pdf_at_the_server(server, treating)
        painted, painted_p95 = painted_ms(server, sign_in(server.url, "adaeze"))
    finally:
        server.kill()
    for name, ms in found.items():
        print(f"  {name:<28}{ms:8.2f} ms median of {ROUNDS}")
    drawn, plate = plate_ratios()
    warmed, heat = heat_ratios()
    for name, ms in (drawn | warmed).items():
        print(f"  {name:<28}{ms:8.2f} ms median")
    ratios = {
        "plan of 15 steps ÷ bare endpoint, one SELECT": (
            found["plan recompute"] / found["bare endpoint, one SELECT"],
            4.0,
        ),
        "8 steps, 20 stages ÷ bare endpoint, one SELECT": (
            found["20 stages recomputed"] / found["bare endpoint, one SELECT"],
            4.0,
        ),
        "plan of before ÷ plan of today, first opened": (old, 2.0),
        "plan of 15 steps, p95 ÷ 60 ms": (p95(taken[WARM:]) / 60, 1.0),
        "proposals, p95 ÷ 400 ms": (proposal_p95() / 400, 1.0),
        "event acknowledged ÷ bare endpoint, one INSERT": (
            found["event acknowledged"] / found["bare endpoint, one INSERT"],
            3.0,
        ),
        "event in the services ÷ bare INSERT in the driver": (
            found["event in the services, no HTTP"] / found["bare INSERT in the driver"],
            3.0,
        ),
    }
    laid, by_shapely, begun, footprints, lines = begin_ratio()
    print(f"  {footprints} footprints and {lines} lines laid {laid:.1f} ms, bare set operations {by_shapely:.1f}")
    print(f"  four plates of twenty stages, drawn anew at a tap {tapped:.1f} ms")
    ratios |= {
        f"{footprints} footprints, {lines} lines ÷ bare set operations": (begun, 3.0),
        "four plates of twenty stages, drawn ÷ 100 ms": (tapped / 100, 1.0),
    }
    rebuilt, acknowledged = rebuilt_ms(), found["40 rooms: tap acknowledged"]
    print(
        f"  state rebuilt from 5 000 taps {rebuilt:6.1f} ms, tap to paint {painted:.1f} ms median,"
        f" {painted_p95:.1f} p95"
    )
    ratios |= {
        "40 rooms: tap ÷ bare endpoint, one INSERT": (
            found["40 rooms: tap acknowledged"] / found["40 rooms: bare endpoint, one INSERT"],
            3.0,
        ),
        "state from 5 000 taps ÷ 50 ms": (rebuilt / 50, 1.0),
        "tap to paint, p95 ÷ 50 ms": (painted_p95 / 50, 1.0),
    }
    lines, bare_plan, added = past_ms()
    print(f"  plan {bare_plan:.1f} ms, with {lines} lines of what skin was given before {added:.2f} more")
    ratios |= {"history of 200 visits in a plan ÷ 1 ms": (max(added, 0.0), 1.0)}
    joined = sheet_ms()
    print(
        f"  sheet joined {joined:.1f} ms; PDF {pdf:.2f} s, the slowest {slowest:.2f}; another page meanwhile"
        f" {beside:.2f} times as long"
    )
    print(f"  client with 200 visits {many_ms:.1f} ms")
    ratios |= {
        "joined sheet ÷ 20 ms": (joined / 20, 1.0),
        "sheet as PDF ÷ 1.5 s": (pdf / 1.5, 1.0),
        "client with 200 visits ÷ bare endpoint, one SELECT": (many, 4.0),
    }
    told = acknowledged / found["40 rooms: bare INSERT in the driver"]
    print(f"  40 rooms: tap over HTTP ÷ bare INSERT in the driver {told:.2f}, told only")
    ratios |= plate | heat
    for name, (ratio, limit) in ratios.items():
        print(f"  {name:<48}{ratio:5.2f}   limit {limit:g}   {'holds' if ratio <= limit else 'PAST IT'}")
    return int(any(ratio > limit for ratio, limit in ratios.values()))


if __name__ == "__main__":
    sys.exit(main())
