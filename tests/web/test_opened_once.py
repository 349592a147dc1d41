"""A visit is opened once a request, whatever the request does with it."""

import re
from collections.abc import Iterator
from datetime import date, timedelta
from itertools import count
from typing import Any

import httpx
import pytest
from fastapi.testclient import TestClient

from builders.server import PASSWORD
from builders.visits import HX, agreed, tap
from merak.core.plan.screening import questions
from merak.records import visits
from merak.server import make_app

DAYS = count(300)


@pytest.fixture
def opened(demo: str, monkeypatch: pytest.MonkeyPatch) -> Iterator[list[Any]]:
    """The visits that were opened since this was last emptied."""
    found: list[Any] = []
    whole = visits.around

    def around(db: Any, visit_id: Any) -> Any:
        found.append(visit_id)
        return whole(db, visit_id)

    monkeypatch.setattr(visits, "around", around)
    yield found


@pytest.fixture
def client(opened: list[Any]) -> Iterator[TestClient]:
    """Adaeze, signed in to the application in this process; every answer is held to one opening."""
    with TestClient(make_app(), follow_redirects=False) as found:
        found.get("/sign-in")
        found.post("/sign-in", data={"csrf": found.cookies["visitor"], "login": "adaeze", "password": PASSWORD})
        found.headers["x-csrf-token"] = found.get("/").text.split('X-CSRF-Token": "')[1].split('"')[0]

        def once(answer: httpx.Response) -> None:
            seen, opened[:] = len(opened), []
            answer.read()
            assert answer.status_code < 400, (answer.request.url.path, re.findall(r">([^<>]{12,})<", answer.text)[:12])
            assert seen <= 1, f"{answer.request.method} {answer.request.url.path} opened the visit {seen} times"

        found.event_hooks = {"response": [once]}
        yield found


def test_every_request_of_a_visit_opens_it_once(client: TestClient) -> None:
    day = date.today() + timedelta(days=next(DAYS))
    whose = next(
        one.split('"')[0] for one in client.get("/").text.split('<option value="')[1:] if "Adaeze" in one.split("<")[0]
    )
    form = {
        "name": "Once Opened",
        "born": "1984-05-06",
        "day": f"{day}",
        "time": "13:00",
        "minutes": "120",
        "therapist": whose,
    }
    client.post("/visits", data=form | {"whose": "new"})
    sheet = client.get(f"/?on={day}").text
    at = f"/visits/{re.findall(r'/visits/([0-9a-f-]{36})', sheet[sheet.index('Once Opened') :])[0]}"

    def post(path: str, hx: bool = True, **data: str) -> str:
        return client.post(f"{at}/{path}", data=data, headers=HX if hx else {}).text

    for path in ("ask", "look", "plan", "treat", "close", "plate", "photos", "scales"):
        if client.get(f"{at}/{path}").status_code == 303:
            assert path in ("treat", "close")
    post("ask", **{question.id: question.options[0].id for question in questions(True)})
    post("ask/rest", hx=False, heading=questions(True)[0].heading)
    post("look", phototype="3", skin_type="dry", brow_right_mm="14", brow_left_mm="12")
    post("look/tap", kind="laxity", zone="right jawline")
    post("plate/marks", plate="face", kind="mole", shape="spot", size_mm="4", points="0,0", hx=True)
    post("plate/undo")
    post("plate/tapes", chin_notch_mm="120")
    post("scales/phototype", by="tone", **{"tone.l": "60", "tone.a": "8", "tone.b": "15"})
    client.get(f"{at}/plate", headers=HX)
    for modality in ("cleanse", "microcurrent", "led", "finish"):
        plan = post("plan/add", modality=modality)
    step = re.findall(r'data-step="([0-9a-z-]+)"', client.get(f"{at}/plan").text)[1]
    post("plan/set", step=step, changed=f"{step}.level", **{f"{step}.level": "3"})
    post("plan/undo")
    post("plan/redo")
    assert plan
    agreed(client, at.removeprefix("/visits/"))
    post("treat/begin", hx=False, another_day="yes", cleaned="on")
    client.get(f"{at}/treat")
    for kind in ("start", "next", "count", "stop"):
        client.post(f"/api{at}/run", json={"taps": [tap(kind)]})
    client.get(f"{at}/close")
    for look in ("1", "2"):
        post(f"close/nothing?look={look}")
    answer = {"pain": "0", "comfort": "9", "explained": "initials", "initials": "OO", "why.all": "client"}
    post("close/sheet", habits="asked", shaves="on")
    post("close", hx=False, **answer, **{f"endpoint.{name}": "seen" for name in ("microcurrent", "led")})
    for path in ("close", "return", "plan", "look", "ask", "tray"):
        client.get(f"{at}/{path}")
    post("close/add", hx=False, what="One thing more.", because="forgotten")
    post("return", hx=False, day=f"{day + timedelta(days=14)}", time="13:00")
