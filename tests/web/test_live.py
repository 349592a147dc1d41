"""The live line: the state at once and after every tap from whichever device; what the API says is
what its model says.
"""

import json
from collections.abc import Iterator
from typing import Any

import httpx
import pytest
from pydantic import ValidationError
from uuid_utils.compat import uuid7

from builders.server import Server, client_of, sign_in
from builders.visits import begun, booked, sent, tap
from merak.api.treat import SentTap, StateOut


def told(answer: httpx.Response) -> Iterator[dict[str, Any]]:
    for line in answer.iter_lines():
        if line.startswith("data: "):
            yield json.loads(line.removeprefix("data: "))


@pytest.fixture(scope="module")
def adaeze(server: Server) -> httpx.Client:
    return sign_in(server.url, "adaeze")


def test_a_follower_hears_of_every_tap(server: Server, adaeze: httpx.Client) -> None:
    visit = begun(adaeze, booked(adaeze, "Live Invented"), "rf_bulk", "finish", Bulk=("mid cheek",))
    with sign_in(server.url, "lin").stream("GET", f"/api/visits/{visit}/run/live", timeout=20) as line:
        assert line.headers["content-type"].startswith("text/event-stream")
        states = told(line)
        assert next(states)["status"] == "ready"
        sent(adaeze, visit, ("start", 60), ("next", 50))
        assert (state := next(states))["act"] == 1 and state["holder"] == "Adaeze Okonjo"
        sent(adaeze, visit, ("count", 3), ("reading", 1, 40.5, {"zone": "right mid cheek"}))
        state = next(states)
        assert state["acts"][1]["strokes"] == 1 and state["acts"][1]["warmth"]["right mid cheek"]["last"] == 40.5
    said = adaeze.get(f"/api/visits/{visit}/run").json()
    assert json.loads(StateOut.model_validate(said).model_dump_json()).keys() == said.keys()
    read = adaeze.post(f"/api/visits/{visit}/run/temperature", json={"zone": "right mid cheek", "aim_mm": 12.7}).json()
    assert read["answer"]["ok"] and read["state"]["acts"][1]["warmth"]["right mid cheek"]["at"]


def test_only_who_may_and_only_what_is_there(server: Server, adaeze: httpx.Client) -> None:
    visit = booked(adaeze, "Unbegun Invented")
    assert adaeze.get(f"/api/visits/{visit}/run/live").status_code == 409, "before it began"
    begun(adaeze, visit, "microcurrent", "finish")
    joost = sign_in(server.url, "joost")
    for path in ("run", "run/live"):
        assert joost.get(f"/api/visits/{visit}/{path}").status_code == 403
    assert client_of(server.url).get(f"/api/visits/{visit}/run/live").status_code == 401
    lin = sign_in(server.url, "lin")
    assert (
        lin.post(f"/api/visits/{visit}/run", json={"taps": [tap("unlock", words="it will be fine")]}).status_code == 403
    )
    for wrong in (
        tap("photo"),
        tap("dance"),
        tap("start", data={"licences": "all"}),
        {**tap("count"), "value": "much"},
    ):
        assert lin.post(f"/api/visits/{visit}/run", json={"taps": [wrong]}).status_code == 422
    assert lin.post(f"/api/visits/{visit}/run/machine").status_code == 409, "this step has no machine"
    assert adaeze.post(f"/api/visits/{visit}/run/photo", files={"file": ("p.jpg", b"no picture")}).status_code == 422


@pytest.mark.parametrize("bad", [{"act": -1}, {"act": 501}, {"value": 10_001}, {"words": "x" * 301}])
def test_the_wire_refuses_what_no_chair_sends(bad: dict[str, Any]) -> None:
    sound = {"id": str(uuid7()), "kind": "count", "at": "2026-11-28T10:00:00Z", "act": 0, "value": 1}
    assert SentTap.model_validate(sound).act == 0
    with pytest.raises(ValidationError) as refused:
        SentTap.model_validate(sound | bad)
    assert [error["loc"] for error in refused.value.errors()] == [tuple(bad)]
