"""Treatments that have begun, through the front door: booked, asked, looked at, planned, agreed to; and taps from
another device.
"""

import os
import re
from datetime import UTC, date, datetime, timedelta
from itertools import count
from typing import Any
from uuid import uuid4

import httpx
import psycopg

from merak.core.plan.screening import questions

Tap = tuple[str, float] | tuple[str, float, float | None] | tuple[str, float, float | None, dict[str, Any]]
HX = {"hx-request": "true"}
#: A day of its own for each booking, far from the demo's.
DAYS = count(40)

#: Dried, numbed for half an hour, disinfected: the pins are next.
NUMBED = (("start", 3000), ("next", 2950), ("next", 2900), ("next", 900), ("next", 800), ("next", 600))


def booked(client: httpx.Client, name: str, therapist: str = "Adaeze", born: str = "1984-05-06") -> str:
    """A new client's visit; its id."""
    options = client.get("/").text.split('<option value="')[1:]
    whose = next(one.split('"')[0] for one in options if therapist in one.split("</option>")[0])
    day = date.today() + timedelta(days=next(DAYS))
    form = {
        "name": name,
        "born": born,
        "day": f"{day}",
        "time": "13:00",
        "minutes": "120",
        "therapist": whose,
        "whose": "new",
    }
    client.post("/visits", data=form)
    sheet = client.get(f"/?on={day}").text
    visit = str(re.findall(r"/visits/([0-9a-f-]{36})", sheet[sheet.index(name) :])[0])
    client.post(f"/visits/{visit}/look", data={"phototype": "3", "arrived": "washed"}, headers=HX)
    return visit


def planned(client: httpx.Client, name: str, *modalities: str) -> str:
    """A new client's visit, asked and with a plan of these, agreed to by nobody yet."""
    visit = booked(client, name)
    client.post(f"/visits/{visit}/ask/confirm")
    client.post(f"/visits/{visit}/ask", data={q.id: q.options[0].id for q in questions(True)}, headers=HX)
    for modality in modalities:
        client.post(f"/visits/{visit}/plan/add", data={"modality": modality}, headers=HX)
    put_right(client, visit)
    return visit


def put_right(client: httpx.Client, visit: str) -> None:
    """Taps each key of the plan that puts right what a stage asks of the skin."""
    mends = re.compile(r'data-op="mend">.*?name="stage" value="([^"]+)"', re.S)
    while found := mends.search(client.get(f"/visits/{visit}/plan").text):
        client.post(f"/visits/{visit}/plan/mend", data={"stage": found[1]}, headers=HX)


def begun(client: httpx.Client, visit: str, *modalities: str, **zones: tuple[str, ...]) -> str:
    """The visit with a plan of these, agreed to and begun; `zones` are those of a step, by how its title begins."""
    client.post(f"/visits/{visit}/ask/confirm")
    client.post(f"/visits/{visit}/ask", data={q.id: q.options[0].id for q in questions(True)}, headers=HX)
    for modality in modalities:
        client.post(f"/visits/{visit}/plan/add", data={"modality": modality}, headers=HX)
    plan = client.get(f"/visits/{visit}/plan").text
    for title, where in zones.items():
        step = re.search(rf'data-step="([0-9a-z-]+)"[^>]*title="{title}', plan)
        assert step, title
        client.post(
            f"/visits/{visit}/plan/zones", data={"step": step[1]} | {f"zone.{zone}": "on" for zone in where}, headers=HX
        )
    put_right(client, visit)
    agreed(client, visit)
    assert client.post(f"/visits/{visit}/treat/begin", data={"another_day": "yes", "cleaned": "on"}).status_code == 200
    hours_ago(visit)
    return visit


def agreed(client: httpx.Client, visit: str) -> httpx.Response:
    """The client agrees to what is on the screen."""
    shown = re.search(r'name="shown"[^>]*value="(\w+)"', client.get(f"/visits/{visit}/plan").text)
    return client.post(
        f"/visits/{visit}/consent", data={"agreed": "yes", "signed": "paper", "shown": shown[1] if shown else ""}
    )


def hours_ago(visit: str, hours: int = 2) -> None:
    """The treatment was begun so many hours ago: what was tapped since then may be told."""
    with psycopg.connect(os.environ["MERAK_DATABASE_URL"]) as db:
        moved = "UPDATE record SET at = at - make_interval(hours => %s) WHERE visit_id = %s AND phase = 'order'"
        assert db.execute(moved, [hours, visit]).rowcount == 1


def tap(
    kind: str, ago: float = 0, value: float | None = None, data: dict[str, Any] | None = None, words: str = ""
) -> dict[str, Any]:
    """One tap as a browser makes it, so many seconds ago."""
    moment = datetime.now(UTC) - timedelta(seconds=ago)
    return {"id": str(uuid4()), "kind": kind, "at": moment.isoformat(), "value": value, "data": data, "words": words}


def sent(client: httpx.Client, visit: str, *taps: Tap) -> dict[str, Any]:
    """Taps as another device would send them: (kind, seconds ago, value, data)."""
    answer = client.post(f"/api/visits/{visit}/run", json={"taps": [tap(*one) for one in taps]})
    assert answer.status_code == 200, answer.text
    return answer.json()  # type: ignore[no-any-return]


def visit_of(client: httpx.Client, name: str) -> str:
    found = re.search(rf'data-visit="([0-9a-f-]+)">(?:(?!</tr>).)*{name}', client.get("/").text, re.S)
    assert found, name
    return found.group(1)


def ready_to_begin(client: httpx.Client, name: str) -> str:
    visit = visit_of(client, name)
    client.post(f"/visits/{visit}/look", data={"arrived": "washed"}, headers=HX)
    return begun(client, visit, "microcurrent", "led", "finish")


def step_ids(client: httpx.Client, visit: str) -> list[str]:
    """The ids of the plan's steps, in their order."""
    return list(dict.fromkeys(re.findall(r'data-step="([0-9a-z-]+)"', client.get(f"/visits/{visit}/plan").text)))
