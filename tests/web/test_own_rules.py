"""The owner changes the rule book: over HTTP, on the real server and the real database."""

import json
import os
import re
from collections.abc import Iterator

import httpx
import psycopg
import pytest

from builders.markup import flat
from builders.server import Server, sign_in
from builders.visits import HX, agreed, hours_ago, planned, step_ids
from merak.core.knowledge import published_edition

WHY = "Our doctor asks for it, since May."


@pytest.fixture
def marit(server: Server) -> Iterator[httpx.Client]:
    owner = sign_in(server.url, "marit")
    yield owner
    owner.post("/rules/own/take-back", data={"reason": "the next test begins"})
    assert standing(owner) == {}


@pytest.fixture
def tomas(server: Server) -> httpx.Client:
    return sign_in(server.url, "tomas")


def told(client: httpx.Client) -> dict[str, object]:
    return json.loads(client.get("/rules/own/file").content)  # type: ignore[no-any-return]


def standing(client: httpx.Client) -> dict[str, float]:
    return {one["rule"]: one["value"] for one in told(client)["numbers"]}  # type: ignore[attr-defined]


def refused(answer: httpx.Response) -> str:
    assert answer.status_code == 422, answer.status_code
    return " ".join(flat(one) for one in re.findall(r'<p class="slip"[^>]*>([^<]+)', answer.text))


def number(client: httpx.Client, rule: str, value: str, reason: str = WHY) -> httpx.Response:
    return client.post(f"/rules/of/{rule}/number", data={"value": value, "reason": reason})


def verdict(client: httpx.Client, question: str, **said: str) -> httpx.Response:
    return client.post(f"/rules/of/screening.{question}/verdict", data={"reason": WHY} | said)


def test_a_number_is_kept_inside_its_bounds_with_a_reason(marit: httpx.Client) -> None:
    assert standing(marit) == {}
    assert "only lowered" in refused(number(marit, "chair.pain.lower", "5"))
    assert "A number, please" in refused(number(marit, "chair.pain.lower", "four"))
    assert "A number, please" in refused(number(marit, "chair.pain.lower", ""))
    assert "Why?" in refused(number(marit, "chair.pain.lower", "3", "so"))
    assert "not the studio’s to change" in refused(number(marit, "sun.sed", "100"))
    assert number(marit, "no.such.rule", "1").status_code == 404 and standing(marit) == {}
    assert 'value="3"' in number(marit, "chair.pain.lower", "3").text
    page = flat(marit.get("/rules/of/chair.pain.lower").text)
    assert "Pain 3: gentler." in page and "as published → 3 of 10" in page and WHY in page and "Marit Solheim" in page
    assert "published: 4 of 10 (House default)" in page
    assert standing(marit) == {"chair.pain.lower": 3}
    assert number(marit, "chair.pain.lower", "4").status_code == 200 and standing(marit) == {}, "the default is none"


def test_a_lowered_ceiling_holds_for_everybody_at_once_and_the_record_says_so(
    marit: httpx.Client, tomas: httpx.Client
) -> None:
    visit = planned(tomas, "Ruled Invented", "led", "finish")
    step = step_ids(tomas, visit)[0]
    assert number(marit, "led.first_visit", "8").status_code == 200
    assert number(marit, "led.start_minutes", "10").status_code == 200
    assert number(marit, "led.ceiling.minutes", "10").status_code == 200

    def set_to(minutes: str) -> httpx.Response:
        field = f"{step}.minutes"
        form = {"step": step, "changed": field, field: minutes}
        return tomas.post(f"/visits/{visit}/plan/set", data=form, headers=HX | {"x-changed": field})

    eased = set_to("12")
    assert "10 minutes at most." in flat(eased.text)
    assert "No more than 10 minutes" in flat(tomas.get("/rules?q=led.ceiling.minutes").text)
    agreed(tomas, visit)
    tomas.post(f"/visits/{visit}/treat/begin", data={"another_day": "yes", "cleaned": "on"})
    assert order_of(visit) == "", "nothing is begun past it"
    set_to("9")
    agreed(tomas, visit)
    assert tomas.post(f"/visits/{visit}/treat/begin", data={"another_day": "yes", "cleaned": "on"}).status_code == 200
    hours_ago(visit)
    published, _, own = order_of(visit).partition("+")
    version = told(marit)["version"]
    assert published == published_edition() and own.startswith(f"{version}.")
    marit.post("/rules/own/take-back", data={"reason": "it was tried for a month"})
    closing = flat(tomas.get(f"/visits/{visit}/close").text)
    assert (
        "Planned under" in closing
        and f"rule book {published[:8]}, the studio’s own rules in version {version}" in closing
    )


def order_of(visit: str) -> str:
    """The edition that a visit was ordered under."""
    with psycopg.connect(os.environ["MERAK_DATABASE_URL"]) as db:
        found = db.execute("SELECT body->>'edition' FROM record WHERE visit_id = %s AND phase = 'order'", [visit])
        row = found.fetchone()
    return str(row[0]) if row else ""


def test_a_verdict_is_made_stricter_and_taken_back(marit: httpx.Client, tomas: httpx.Client) -> None:
    asked = {"option": "pregnant", "on": "touch", "verdict": "no"}
    assert "only made stricter" in refused(
        verdict(marit, "pregnancy", option="pregnant", on="rf_bulk", verdict="letter")
    )
    assert "Which verdict?" in refused(verdict(marit, "pregnancy", **asked | {"verdict": "go"}))
    assert "On what?" in refused(verdict(marit, "pregnancy", **asked | {"on": "cleanse"}))
    assert "no such answer" in refused(verdict(marit, "pregnancy", **asked | {"option": "no"}))
    assert verdict(marit, "unheard", **asked).status_code == 404
    body = {"born": "1990-05-01", "answers": {"pregnancy": {"option": "pregnant"}}}

    def judged() -> str:
        board = tomas.post("/api/screening/preview", json=body).json()["board"]
        return str(board["touch"]["verdict"])

    assert judged() == "go"
    assert verdict(marit, "pregnancy", **asked).status_code == 200 and judged() == "no"
    page = flat(marit.get("/rules/of/screening.pregnancy").text)
    assert "“pregnant, or may be”, Vibration and massage" in page and "as published → no" in page
    back = {"of": "pregnancy=pregnant:touch", "reason": "the doctor sees no need"}
    assert "Why?" in refused(marit.post("/rules/of/screening.pregnancy/take-back", data=back | {"reason": ""}))
    assert marit.post("/rules/of/screening.pregnancy/take-back", data=back).status_code == 200 and judged() == "go"
    assert marit.post("/rules/of/screening.pregnancy/take-back", data=back).status_code == 404


def test_out_and_in_as_a_file_whole_or_not_at_all(marit: httpx.Client) -> None:
    number(marit, "chair.pain.lower", "3")
    verdict(marit, "pregnancy", option="pregnant", on="touch", verdict="letter")
    out = marit.get("/rules/own/file")
    assert out.headers["content-type"] == "application/json" and "attachment" in out.headers["content-disposition"]
    kept = json.loads(out.content)
    assert kept["numbers"] == [{"rule": "chair.pain.lower", "value": 3, "unit": "of 10", "reason": WHY}]
    marit.post("/rules/own/take-back", data={"reason": "it is read in again"})
    assert standing(marit) == {}

    def read_in(body: object) -> httpx.Response:
        content = body if isinstance(body, bytes) else json.dumps(body).encode()
        return marit.post("/rules/own/file", files={"file": ("own.json", content)})

    one = kept["numbers"][0]
    for spoilt, words in (
        (b"", "Which file?"),
        (b"{", "no such file"),
        ({**kept, "form": 2}, "form"),
        ({**kept, "numbers": [one | {"value": 9}]}, "Between 2 and 4"),
        ({**kept, "numbers": [one | {"unit": "°F"}]}, "in of 10, not °F"),
        ({**kept, "numbers": [one | {"rule": "sun.sed"}]}, "not the studio’s"),
        ({**kept, "numbers": [one | {"value": "NaN"}]}, "no such file"),
        ({**kept, "numbers": [one | {"reason": ""}]}, "without a reason"),
        ({**kept, "numbers": [one, one]}, "twice"),
        ({**kept, "verdicts": [kept["verdicts"][0] | {"on": "finish"}]}, "on what"),
        ({**kept, "verdicts": [kept["verdicts"][0] | {"verdict": "go"}]}, "no such file"),
        ({**kept, "more": 1}, "no such file"),
    ):
        assert words in refused(read_in(spoilt)), words
    assert standing(marit) == {}, "nothing of a file that does not hold is taken"
    assert "Read in: 2 changes" in flat(read_in(kept).text)
    again = told(marit)
    assert (again["numbers"], again["verdicts"]) == (kept["numbers"], kept["verdicts"])
    assert again["version"] == kept["version"] + 2, "taken back, read in"
    assert "Read in: 0 changes" in flat(read_in(kept).text) and told(marit)["version"] == again["version"]


def test_every_change_is_a_version_and_a_line_of_the_audit(marit: httpx.Client) -> None:
    before = int(str(told(marit)["version"]))
    for value in ("6", "5"):
        number(marit, "chair.pain.stop", value)
    with psycopg.connect(os.environ["MERAK_DATABASE_URL"]) as db:
        rows = db.execute(
            "SELECT version, rules->'values', changes->0->>'was', changes->0->>'now', changes->0->>'reason', name"
            " FROM own_rules JOIN person ON person.id = own_rules.by WHERE version > %s ORDER BY version",
            [before],
        ).fetchall()
        lines = db.execute(
            "SELECT count(*) FROM audit WHERE action = 'change the rule book' AND thing = 'chair.pain.stop'"
        ).fetchone()
    assert [row[:4] for row in rows] == [
        (before + 1, {"chair.pain.stop": 6}, "", "6 of 10"),
        (before + 2, {"chair.pain.stop": 5}, "6 of 10", "5 of 10"),
    ]
    assert {row[4:] for row in rows} == {(WHY, "Marit Solheim")} and lines and lines[0] >= 2


def test_what_one_rule_lies_under_is_changed_in_its_order(marit: httpx.Client) -> None:
    number(marit, "event.better", "30")
    number(marit, "event.never", "28")
    told_so = refused(number(marit, "event.better", "25"))
    assert "may not lie below 28 days" in told_so and "Change that one first" in told_so
    back = marit.post("/rules/of/event.better/take-back", data={"reason": "as everywhere else"})
    assert "event.never" in refused(back)
    assert standing(marit) == {"event.better": 30, "event.never": 28}


def test_who_does_not_own_the_studio_reads_and_does_not_change(tomas: httpx.Client) -> None:
    page = tomas.get("/rules/of/chair.pain.lower").text
    assert "The owner changes it" in page and "Keep it so" not in page
    assert "Read in" not in tomas.get("/rules/own").text
    assert number(tomas, "chair.pain.lower", "3").status_code == 403
