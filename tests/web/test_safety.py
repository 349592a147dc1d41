"""Who gets in, who may do what, and how bad requests are answered: over HTTP, on the real server."""

import re
from uuid import UUID

import httpx
import psycopg
import pytest

from builders.markup import flat
from builders.server import PASSWORD, Server, client_of, sign_in
from builders.visits import step_ids, visit_of
from merak.core.plan.screening import questions


def test_nobody_gets_in_without_signing_in(server: Server) -> None:
    with client_of(server.url) as client:
        assert client.get("/").headers["location"] == "/sign-in?next=/"
        assert client.get(f"/api/visits/{UUID(int=0)}/run").status_code == 401
        assert client.post("/visits", data={}).headers["location"] == "/sign-in"


def test_wrong_passwords_are_told_alike_and_slowed_down(server: Server) -> None:
    with client_of(server.url) as client:
        client.get("/sign-in")

        def attempt(login: str, password: str) -> httpx.Response:
            return client.post(
                "/sign-in", data={"csrf": client.cookies["visitor"], "login": login, "password": password}
            )

        nobody, wrong = attempt("nobody", "x"), attempt("lin", "x")
        assert nobody.status_code == wrong.status_code == 422
        assert "do not belong together" in nobody.text and "do not belong together" in wrong.text
        for _ in range(8):
            attempt("nobody", "x")
        assert "Too many tries" in attempt("nobody", "x").text
        assert attempt("lin", PASSWORD).status_code == 303, "another name is not slowed"


def test_cookies_and_headers(server: Server) -> None:
    with client_of(server.url) as client:
        page = client.get("/sign-in")
        policy = page.headers["content-security-policy"]
        assert "default-src 'none'" in policy and "unsafe" not in policy
        assert page.headers["x-content-type-options"] == "nosniff" and page.headers["cache-control"] == "no-store"
        assert "<script>" not in page.text and "style=" not in page.text
        through = client.post(
            "/sign-in",
            data={"csrf": client.cookies["visitor"], "login": "lin", "password": PASSWORD, "next": "//elsewhere"},
        )
        assert through.headers["location"] == "/", "no way out to another site"
        assert re.search(r"merak=[^;]+;.*httponly;.*samesite=lax", through.headers["set-cookie"], re.I)


def test_a_write_needs_the_token(server: Server) -> None:
    client = sign_in(server.url, "tomas")
    visit = visit_of(client, "Samir Oduya")
    del client.headers["x-csrf-token"]
    assert client.post(f"/visits/{visit}/ask", data={"heart": "yes"}).status_code == 403
    assert client.post(f"/api/visits/{visit}/run", json={"taps": []}).json()["error"]["status"] == 403


def test_the_front_desk_sees_no_clinical_notes(server: Server) -> None:
    ctx, hands = sign_in(server.url, "joost"), sign_in(server.url, "tomas")
    visit = visit_of(ctx, "Yuki Tanabe-Ross")
    day = ctx.get("/").text
    assert "Yuki Tanabe-Ross" in day and "strong reaction" not in day and "never" not in day
    assert "strong reaction" in hands.get("/").text
    for path in ("ask", "look", "plan", "treat", "close", "sheet.pdf"):
        assert ctx.get(f"/visits/{visit}/{path}").status_code == 403, path
    assert ctx.get(f"/api/visits/{visit}/run").status_code == 403
    assert ctx.get(f"/visits/{visit}/return").status_code == 200
    for path in (
        "ask",
        "look",
        "look/tap",
        "plan/take",
        "plan/add",
        "consent",
        "allow",
        "letters",
        "treat/begin",
        "close",
    ):
        assert ctx.post(f"/visits/{visit}/{path}", data={"kind": "laxity", "zone": "left chin"}).status_code == 403, (
            path
        )
    assert ctx.post("/api/plans/preview", json={"born": "1980-01-01"}).status_code == 403


def test_an_assistant_treats_but_does_not_plan(server: Server) -> None:
    assistant = sign_in(server.url, "lin")
    visit = visit_of(assistant, "Samir Oduya")
    assert "Take this one" not in assistant.get(f"/visits/{visit}/plan").text
    assert assistant.post(f"/visits/{visit}/plan/add", data={"modality": "led"}).status_code == 403
    assert assistant.get("/practice").status_code == 403


def test_errors_have_pages(server: Server) -> None:
    client = sign_in(server.url, "tomas")
    visit = visit_of(client, "Samir Oduya")
    for path, status in (
        ("/nowhere", 404),
        (f"/visits/{UUID(int=7)}/ask", 404),
        ("/visits/not-an-id/ask", 404),
        (f"/visits/{visit}/plan/working/nothing", 404),
    ):
        answer = client.get(path)
        assert answer.status_code == status, path
        assert "To the day sheet" in answer.text or "hx" in path
    bad = client.post("/visits", data={"name": "New Person", "day": "2026-13-45", "minutes": "x", "therapist": "?"})
    assert (
        bad.status_code == 422
        and "A date, please." in bad.text
        and "Who treats?" in bad.text
        and 'value="New Person"' in bad.text
    )
    taps = client.post(f"/api/visits/{visit}/run", json={"taps": [{"id": "x", "kind": "dance", "at": "now"}]})
    assert taps.status_code == 422 and set(taps.json()["error"]["fields"]) == {"id", "kind", "at"}
    kofi = visit_of(client, "Kofi Mensah-Lund")
    not_begun = client.post(f"/api/visits/{kofi}/run", json={"taps": []})
    assert not_begun.status_code == 409 and "not begun" in not_begun.json()["error"]["words"]


def test_an_unforeseen_error_is_a_page_and_its_words_stay_out_of_the_log(server: Server, demo: str) -> None:
    """A record that no version of the product wrote: the page says so, the log names the place and not the person."""
    client = sign_in(server.url, "tomas")
    visit = visit_of(client, "Noor Castellane")
    with psycopg.connect(demo, autocommit=True) as db:
        by = db.execute("SELECT id FROM person LIMIT 1").fetchone()
        columns = "(id, visit_id, phase, version, body, by)"
        body = '{"skin_type": "Noor secret"}'
        db.execute(
            f"INSERT INTO record {columns} VALUES (%s, %s, 'look', 99, %s, %s)",
            (UUID(int=99), visit, body, by[0] if by else None),
        )
        answer = client.get(f"/visits/{visit}/look")
        db.execute("DELETE FROM record WHERE id = %s", (UUID(int=99),))
    assert answer.status_code == 500 and "Something went wrong on our side" in answer.text
    assert server.process.stderr
    line = server.process.stderr.readline().decode()
    assert "ValidationError at" in line and "secret" not in line and "Noor" not in line


@pytest.mark.parametrize("zone", ["left elbow", "up chin", ""])
def test_a_tap_off_the_plate_is_refused(server: Server, zone: str) -> None:
    client = sign_in(server.url, "tomas")
    visit = visit_of(client, "Samir Oduya")
    assert client.post(f"/visits/{visit}/look/tap", data={"kind": "laxity", "zone": zone}).status_code == 422


def test_fragments_bring_what_changed_and_where_it_goes(server: Server) -> None:
    """What htmx gets: the board or the numbers, and out-of-band the slips and the twin of the field that was typed."""
    client = sign_in(server.url, "tomas")
    client.headers["hx-request"] = "true"
    visit = visit_of(client, "Noor Castellane")
    nothing = {question.id: question.options[0].id for question in questions(False)}
    board = client.post(
        f"/visits/{visit}/ask", data=nothing | {"injections": "relaxant"}, headers={"x-changed": "injections"}
    ).text
    assert "<html" not in board and 'id="board"' in board and 'id="extra-injections" hx-swap-oob="true"' in board
    assert "Without a date the wait has no end" in board and 'name="injections.on"' in board
    future = client.post(f"/visits/{visit}/ask", data={"injections": "relaxant", "injections.on": "2999-01-01"}).text
    assert "lies in the future" in future
    client.post(f"/visits/{visit}/ask", data={"injections": "none"})
    client.post(f"/visits/{visit}/plan/clear")
    client.post(f"/visits/{visit}/plan/add", data={"modality": "microcurrent"})
    lift = step_ids(client, visit)[0]
    form = {"step": lift, f"{lift}.level": "99"}
    refused = client.post(f"/visits/{visit}/plan/set", data=form, headers={"x-changed": f"{lift}.level"}).text
    assert re.search(rf'id="slip-{lift}-level" role="alert" hx-swap-oob="true">[^<]*goes to level 10', flat(refused))
    assert f'id="f-{lift}-current"' in refused and f'id="f-{lift}-level"' not in refused, (
        "the field under the finger is left alone"
    )
    working = client.get(f"/visits/{visit}/plan/working/{lift}.gel").text
    for words in (
        "area × film ÷ 10",
        "zones − margins − no-go areas",
        "half a millimetre",
        "House default [H]",
        "microcurrent.gel_film",
    ):
        assert words in working, words
    shown = re.search(r'name="shown"[^>]*value="(\w+)"', client.get(f"/visits/{visit}/plan").text)
    assert shown
    trouble = client.post(f"/visits/{visit}/consent", data={"agreed": "yes", "shown": shown[1]})
    assert trouble.status_code == 409 and "<html" not in trouble.text and "refused or missing" in trouble.text
