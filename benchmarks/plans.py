"""A plan of eight steps and twenty stages, five of them bulk radiofrequency: a field as it is typed. A plan of before,
opened for the first time, beside one of today.
"""

import json
import os
import statistics
import time
from typing import Any
from urllib.parse import urlencode
from uuid import uuid4

import httpx
import psycopg

from benchmarks.wire import Wire
from builders.visits import planned

#: Step → how many stages it gets.
STAGES = {"cleanse": 1, "rf_bulk": 5, "ultrasound": 2, "microcurrent": 2, "cold": 3, "mask": 2, "led": 4, "finish": 1}
HX = {"hx-request": "true"}
ROUNDS = 24
OF_STAGE = ("settings", "zones", "machine")


def twenty(client: httpx.Client) -> tuple[str, str]:
    """A visit with such a plan, and the id of its first stage of bulk heat."""
    visit = planned(client, "Twenty Stages", *STAGES)
    page = client.get(f"/visits/{visit}/plan").text
    ids = [one.split('"')[0] for one in page.split('data-step="')[1:]]
    titles = [one.split('"')[0] for one in page.split('title="')[1:]]
    assert len(ids) == len(STAGES) == sum(one.startswith(tuple("CBUMLF")) for one in titles), (ids, titles)
    for step, many in zip(ids, _in_order(page), strict=True):
        for _ in range(many - 1):
            assert client.post(f"/visits/{visit}/plan/again", data={"stage": step}, headers=HX).status_code == 200
    heat = next(step for step, many in zip(ids, _in_order(page), strict=True) if many == STAGES["rf_bulk"])
    opened = client.get(f"/visits/{visit}/plan?step={heat}").text
    assert opened.count('id="s-') == STAGES["rf_bulk"]
    return visit, heat


def _in_order(page: str) -> list[int]:
    """How many stages each step of the strip gets, in its order."""
    by_title = {"Bulk": "rf_bulk", "Ultrasound": "ultrasound", "Microcurrent": "microcurrent", "Cold": "cold"}
    by_title |= {"Cleanse": "cleanse", "Mask": "mask", "Light": "led", "Finish": "finish"}
    titles = [one.split("</b>")[0] for one in page.split("<em>")[1:] if "</b>" in one]
    named = [next((name for words, name in by_title.items() if f"<b>{words}" in one), "") for one in titles]
    return [STAGES[name] for name in named if name]


def typed(wire: Wire, visit: str, stage: str, n: int) -> None:
    """Minutes at target, never the same twice: nothing of it is remembered."""
    field = f"{stage}.hold_min"
    form = {"content_type": "application/x-www-form-urlencoded", "hx_request": "true", "x_changed": field}
    body = urlencode({"stage": stage, field: f"{1 + n / 1000:.3f}"})
    assert b"heating rate" in wire.ask("POST", f"/visits/{visit}/plan/set", body, **form)


def old_beside_new(client: httpx.Client, wire: Wire) -> float:
    """How many times as long a plan takes to open that was kept before steps had stages, each opened once."""
    visits = [planned(client, f"Of {name}", "cleanse", "microcurrent", "led", "finish") for name in ("then", "today")]
    times: dict[str, list[float]] = {"then": [], "today": []}
    with psycopg.connect(os.environ["MERAK_DATABASE_URL"], autocommit=True) as db:
        for n in range(ROUNDS):
            for visit, name in zip(visits, times, strict=True):
                _kept_anew(db, visit, n, of_before=name == "then")
                begun = time.perf_counter()
                assert b"step-block" in wire.ask("GET", f"/visits/{visit}/plan")
                times[name].append(time.perf_counter() - begun)
    return statistics.median(times["then"]) / statistics.median(times["today"])


def _kept_anew(db: psycopg.Connection[Any], visit: str, n: int, of_before: bool) -> None:
    """One more version of a plan that nobody has opened: with other settings, in the shape of before or of today."""
    row = db.execute(
        "SELECT body, version, by FROM record WHERE visit_id = %s AND phase = 'plan' ORDER BY version DESC LIMIT 1",
        (visit,),
    ).fetchone()
    assert row
    body, version, by = row
    for step in body["plan"]["steps"]:
        (stage,) = step.pop("stages", ({key: step[key] for key in OF_STAGE if key in step},))
        if "minutes" in stage["settings"]:
            stage["settings"]["minutes"] = 5 + n / 100
        if of_before:
            step |= {key: stage[key] for key in OF_STAGE}
            step.pop("programme", None)
        else:
            step["stages"] = [stage]
    body["v"] = 1 if of_before else body["v"]
    db.execute(
        "INSERT INTO record (id, visit_id, phase, version, body, by) VALUES (%s, %s, 'plan', %s, %s, %s)",
        (uuid4(), visit, version + 1, json.dumps(body), by),
    )
