"""Every door of the application and who may go through it: written by hand, held against the running server.

A door that is not in the table fails: whoever adds one says here who may open it.
"""

import re
from collections.abc import Iterator
from uuid import uuid4

import httpx
import pytest

from builders.doors import doors
from builders.server import Server, client_of, sign_in

#: Sign-in name → role, from the least rights to the most.
ROLES = {"joost": "front desk", "lin": "assistant", "tomas": "therapist", "adaeze": "senior", "marit": "owner"}
ALL = frozenset(ROLES)
HANDS = ALL - {"joost"}
PLANNERS = HANDS - {"lin"}
SENIORS = PLANNERS - {"tomas"}
OWNER = frozenset({"marit"})

#: Who may, by door. What reads a client's file needs hands; what plans a licence to plan; the house is the owner's.
TABLE = {
    ALL: """
        GET /
        GET /clients/{client_id}
        GET /due
        GET /emergency
        GET /rules
        GET /rules/of/{entry_id}
        GET /rules/own
        GET /visits/{visit_id}/return
        GET /visits/{visit_id}/return.ics
        POST /clients/{client_id}
        POST /visits
        POST /visits/{visit_id}/cancel
        POST /visits/{visit_id}/return
        POST /visits/{visit_id}/take-back
    """,
    HANDS: """
        GET /bench/{name}
        GET /bench/modality/{name}
        GET /clients/{client_id}/photos
        GET /clients/{client_id}/given
        GET /clients/{client_id}/progress
        GET /clients/{client_id}/progress.csv
        GET /instruments
        GET /outbox
        GET /outcomes
        GET /outcomes.csv
        GET /reactions
        GET /reactions/{reaction_id}
        GET /tasks/{task_id}
        GET /visits/{visit_id}/ask
        GET /visits/{visit_id}/close
        GET /visits/{visit_id}/close/answer
        GET /visits/{visit_id}/consent.pdf
        GET /visits/{visit_id}/files/{file_id}
        GET /visits/{visit_id}/look
        GET /visits/{visit_id}/photos
        GET /visits/{visit_id}/plan
        GET /visits/{visit_id}/plan/working/{key}
        GET /visits/{visit_id}/plate
        GET /visits/{visit_id}/plate.pdf
        GET /visits/{visit_id}/plate.svg
        GET /visits/{visit_id}/plate/marks/{mark_id}
        GET /visits/{visit_id}/plate/working/{key}
        GET /visits/{visit_id}/scales
        GET /visits/{visit_id}/sheet.pdf
        GET /visits/{visit_id}/tray
        GET /visits/{visit_id}/treat
        POST /bench/{name}
        POST /bench/modality/{name}
        POST /clients/{client_id}/elsewhere
        POST /clients/{client_id}/elsewhere/back
        POST /instruments/{instrument}/{command}
        POST /reactions/{reaction_id}
        POST /tasks/{task_id}
        POST /visits/{visit_id}/ask
        POST /visits/{visit_id}/ask/confirm
        POST /visits/{visit_id}/ask/rest
        POST /visits/{visit_id}/close
        POST /visits/{visit_id}/close/add
        POST /visits/{visit_id}/close/nothing
        POST /visits/{visit_id}/close/sheet
        POST /visits/{visit_id}/close/soothe
        POST /visits/{visit_id}/close/tap
        POST /visits/{visit_id}/consent
        POST /visits/{visit_id}/letters
        POST /visits/{visit_id}/letters/{letter_id}
        POST /visits/{visit_id}/look
        POST /visits/{visit_id}/look/meter
        POST /visits/{visit_id}/look/tap
        POST /visits/{visit_id}/photos/{view}
        POST /visits/{visit_id}/photos/{view}/landmarks
        POST /visits/{visit_id}/plate/marks
        POST /visits/{visit_id}/plate/marks/{mark_id}/move
        POST /visits/{visit_id}/plate/marks/{mark_id}/remove
        POST /visits/{visit_id}/plate/tapes
        POST /visits/{visit_id}/plate/undo
        POST /visits/{visit_id}/scales/{name}
        POST /visits/{visit_id}/scales/phototype
        POST /visits/{visit_id}/sheet/send
        POST /visits/{visit_id}/treat/begin
        GET /api/bench
        GET /api/visits/{visit_id}/plate
        GET /api/visits/{visit_id}/run
        POST /api/plans/preview
        POST /api/screening/preview
        POST /api/visits/{visit_id}/marks
        POST /api/visits/{visit_id}/run
        POST /api/visits/{visit_id}/run/machine
        POST /api/visits/{visit_id}/run/photo
        POST /api/visits/{visit_id}/run/temperature
        DELETE /api/visits/{visit_id}/marks/{mark_id}
    """,
    PLANNERS: """
        POST /bench/{name}/use
        POST /bench/modality/{name}/use
        POST /practice/routines/{routine_id}/drop
        POST /visits/{visit_id}/plan/{op}
        POST /visits/{visit_id}/plan/keep-routine
        POST /visits/{visit_id}/plan/routine
    """,
    SENIORS: """
        POST /clients/{client_id}/merge
        POST /reactions/{reaction_id}/close
        POST /visits/{visit_id}/allow
        POST /visits/{visit_id}/allow/{number}/withdraw
        POST /visits/{visit_id}/plate/margins
    """,
    OWNER: """
        GET /practice
        POST /emergency/number
        POST /practice/machines
        POST /practice/machines/{device_id}/put-away
        POST /practice/machines/{device_id}/take-out
        POST /practice/methods
        POST /practice/people
        POST /practice/people/{person_id}/end-access
        POST /practice/people/{person_id}/give-back
        POST /practice/people/{person_id}/licences
        POST /practice/prices
        GET /rules/own/file
        POST /rules/of/{entry_id}/number
        POST /rules/of/{entry_id}/take-back
        POST /rules/of/{entry_id}/verdict
        POST /rules/own/file
        POST /rules/own/take-back
    """,
}
#: Open to whoever stands outside: a client’s own link, the first set-up, light or dim, the way to the bench.
OPEN = {"GET /answer/{token}", "POST /answer/{token}", "GET /set-up", "POST /set-up", "POST /theme", "GET /bench"}
#: What the API asks for before it asks who is there; a tap list where nothing is named.
BODIES: dict[str, dict[str, object]] = {
    "plans/preview": {"born": "1980-05-01"},
    "screening/preview": {"born": "1980-05-01"},
    "marks": {"plate": "face", "kind": "mole", "shape": "point", "points": [[30, 10]]},
    "run/temperature": {"zone": "right mid cheek"},
}
BENCH = re.compile(r"POST /api/bench/")
WHO = {door.strip(): who for who, listed in TABLE.items() for door in listed.split("\n") if door.strip()}
#: What a path of the door is filled with; all else is an id that nobody has.
WORDS = {"view": "front", "name": "fluence", "op": "add", "key": "visit.seconds", "command": "wipe", "number": "0"}


@pytest.fixture(scope="module")
def people(server: Server) -> dict[str, httpx.Client]:
    found = {}
    for login in ROLES:
        found[login] = sign_in(server.url, login)
        found[login].follow_redirects = False
    return found


@pytest.fixture(scope="module")
def stranger(server: Server) -> Iterator[httpx.Client]:
    with client_of(server.url) as nobody:
        yield nobody


@pytest.fixture(scope="module")
def ids(people: dict[str, httpx.Client]) -> dict[str, str]:
    """A visit and a client that are there."""
    text = people["marit"].get("/").text
    visit = re.search(r'data-visit="([0-9a-f-]+)"', text)
    client = re.search(r"/clients/([0-9a-f-]{36})", text)
    assert visit and client
    return {"visit_id": visit[1], "client_id": client[1]}


def address(door: str, ids: dict[str, str]) -> str:
    return re.sub(
        r"\{(\w+)(?::\w+)?\}", lambda at: ids.get(at[1]) or WORDS.get(at[1]) or str(uuid4()), door.partition(" ")[2]
    )


def answer(client: httpx.Client, door: str, ids: dict[str, str]) -> httpx.Response:
    method, path = door.partition(" ")[0], address(door, ids)
    if path.startswith("/api/") and method == "POST":
        body = next((body for end, body in BODIES.items() if path.endswith(end)), {"taps": []})
        return client.post(path, json=body)
    return client.request(method, path)


def test_every_door_is_in_the_table_and_none_besides() -> None:
    there = {f"{method} {path}" for method, path in doors()}
    written = WHO.keys() | OPEN
    assert there - written == {door for door in there if BENCH.match(door)}, "the bench is one door"
    assert written <= there, "a door that is gone"


@pytest.mark.parametrize("door", sorted(WHO))
def test_who_may_not_is_turned_away_before_anything_is_read(
    door: str, people: dict[str, httpx.Client], ids: dict[str, str]
) -> None:
    for login in ALL - WHO[door]:
        said = answer(people[login], door, ids)
        assert said.status_code == 403, f"{ROLES[login]}: {said.status_code}"
        if door.partition(" ")[2].startswith("/api/"):
            assert said.json()["error"]["status"] == 403 and said.json()["error"]["words"]
        else:
            assert "traceback" not in said.text.lower()


@pytest.mark.parametrize("door", sorted(door for door in WHO if door.startswith("GET")))
def test_who_may_is_let_in(door: str, people: dict[str, httpx.Client], ids: dict[str, str]) -> None:
    allowed = [login for login in ROLES if login in WHO[door]]
    for login in {allowed[0], allowed[-1]}:  # the least of those who may, and the owner
        said = answer(people[login], door, ids)
        assert said.status_code in (200, 303, 404, 409), f"{ROLES[login]}: {said.status_code}"


@pytest.mark.parametrize("door", sorted(WHO))
def test_nobody_goes_through_without_signing_in(door: str, stranger: httpx.Client, ids: dict[str, str]) -> None:
    said = answer(stranger, door, ids)
    if door.partition(" ")[2].startswith("/api/"):
        assert said.status_code == 401 and said.json()["error"]["words"]
    else:
        assert said.status_code in (303, 401) and "sign-in" in said.headers.get("location", said.text)


@pytest.mark.parametrize("door", sorted(door for door in WHO if not door.startswith("GET")))
def test_no_write_is_taken_without_the_token_of_this_sign_in(
    door: str, people: dict[str, httpx.Client], ids: dict[str, str]
) -> None:
    owner, other = people["marit"], people["adaeze"]
    for token in ("", "x", other.headers["x-csrf-token"]):
        mine = owner.headers["x-csrf-token"]
        owner.headers["x-csrf-token"] = token
        try:
            assert answer(owner, door, ids).status_code == 403
        finally:
            owner.headers["x-csrf-token"] = mine
