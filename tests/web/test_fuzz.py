"""Hostile requests at every door of the real server, by a fixed seed: nothing answers 5xx, whatever stands in a field,
file or header.

`MERAK_FUZZ=30000 ./test tests/web/test_fuzz.py` sends more of them.
"""

import json
import os
import random
import re
from collections import Counter
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path
from typing import Any

import httpx
import pytest

from builders.database import demo_database
from builders.doors import SKIPPED, doors
from builders.server import Server, client_of, sign_in
from builders.visits import step_ids

MANY = int(os.environ.get("MERAK_FUZZ", "3000"))
#: What breaks programs: signs, sizes, numbers that are none, days at the ends of time, ways out.
NASTY = [
    "",
    " ",
    "\x00",
    "a\x00b",
    "²",
    "٣",
    "-1",
    "0",
    "1",
    "3",
    "4",
    "99",
    "1e309",
    "NaN",
    "Infinity",
    "-inf",
    "0x10",
    "9" * 5000,
    "1" * 400,
    "1,5",
    "1.5.5",
    "0001-01-01",
    "9999-12-31",
    "1999-01-01",
    "2026-02-30",
    "2999-01-01",
    "24:00",
    "00:00",
    "x" * 20_000,
    "𝕏🧴\u202e",
    "é" * 300,
    "'; DROP TABLE visit; --",
    "{{ 7 * 7 }}",
    "<script>",
    "//evil.example",
    "/\\evil.example",
    "https://evil.example/",
    "http://[::1",
    "on",
    "yes",
    "no",
    "none",
    "mid cheek",
    "microcurrent",
    "led",
    "right",
    "drawn",
    "paper",
    "data:image/png;base64,AAAA",
    "1,1 2,2 nan,3",
    "s1",
    "true",
    "null",
    "[]",
    "{}",
    "%00",
    "%",
    "..",
    "../../etc/passwd",
    "\r\nx: y",
    "12:30",
    "2026-12-01",
]
ODD: list[Any] = [
    None,
    True,
    -1,
    0,
    1,
    1.5,
    1e308,
    -1e308,
    10**30,
    "",
    "x" * 5000,
    "²",
    [],
    {},
    [[]],
    {"a": {}},
    "0001-01-01T00:00:00Z",
    "9999-12-31T23:59:59Z",
    "not-a-uuid",
    "\u0001",
    "face",
    "microcurrent",
    "led",
    "spot",
    "count",
    "right chin",
]


@pytest.fixture(scope="module")
def studio(run_folder: Path) -> Iterator[tuple[Server, httpx.Client, str]]:
    """A demo studio of its own, with the owner signed in; what is broken here breaks nobody else's test."""
    before = os.environ["MERAK_DATABASE_URL"]
    os.environ["MERAK_DATABASE_URL"] = demo_database("merak_fuzz", run_folder)
    running = Server()
    address = os.environ["MERAK_DATABASE_URL"]
    os.environ["MERAK_DATABASE_URL"] = before
    client = sign_in(running.url, "marit")
    client.follow_redirects = False
    yield running, client, address
    running.kill()


#: Fields as a form shows them, by name.
Filled = dict[str, str]


def forms_in(text: str) -> list[tuple[str, Filled]]:
    """(where to, fields as they are filled in) of every form on a page."""
    found = []
    for form in re.findall(r"<form\b.*?</form>", text, re.DOTALL):
        for action in set(re.findall(r'(?:form)?action="([^"]+)"', form)):
            fields = dict(re.findall(r'<input[^>]*\bname="([^"]+)"[^>]*?\bvalue="([^"]*)"', form))
            fields |= {name: "" for name in re.findall(r'name="([^"]+)"', form) if name not in fields}
            fields |= dict(re.findall(r'<select[^>]*name="([^"]+)"[^>]*>.*?<option value="([^"]+)"', form, re.DOTALL))
            found.append((action.partition("?")[0], fields))
    return found


def known_words(client: httpx.Client) -> tuple[dict[str, list[str]], list[str], dict[str, list[tuple[str, Filled]]]]:
    """Ids by kind, names of fields, and by what an address looks like the forms that go there, as the pages themselves
    show them.
    """
    ids: dict[str, list[str]] = {}
    fields = {"name", "csrf", "day", "time", "minutes"}
    day = client.get("/").text
    ids["visit_id"] = sorted(set(re.findall(r"/visits/([0-9a-f-]{36})", day)))
    ids["client_id"] = sorted(set(re.findall(r"/clients/([0-9a-f-]{36})", day)))
    pages = [day, client.get("/practice").text, client.get("/instruments").text]
    for visit in ids["visit_id"]:
        for stage in ("ask", "look", "plan", "treat", "close", "return", "plate", "scales", "photos"):
            pages.append(client.get(f"/visits/{visit}/{stage}").text)
    for text in pages:
        fields |= set(re.findall(r'name="([\w.\- ]+)"', text))
    ids["device_id"] = sorted(set(re.findall(r"/practice/machines/([0-9a-f-]{36})", pages[1])))
    ids["instrument"] = [*ids["device_id"], "thermometer", "meter"]
    ids["step"] = ["s9", *step_ids(client, ids["visit_id"][0])]
    forms: dict[str, list[tuple[str, Filled]]] = {}
    for action, filled in [one for text in pages for one in forms_in(text)]:
        forms.setdefault(re.sub(r"[0-9a-f-]{36}", "*", action), []).append((action, filled))
    return ids, sorted(fields), forms


def value(dice: random.Random, ids: dict[str, list[str]]) -> str:
    return dice.choice(NASTY) if dice.random() < 0.8 else dice.choice([one for many in ids.values() for one in many])


def odd(dice: random.Random, depth: int = 0) -> Any:
    if depth < 3 and dice.random() < 0.3:
        keys = (
            "taps",
            "id",
            "kind",
            "at",
            "value",
            "words",
            "data",
            "zone",
            "settings",
            "steps",
            "answers",
            "modality",
            "points",
            "born",
        )
        return {dice.choice(keys): odd(dice, depth + 1) for _ in range(dice.randint(0, 5))}
    if depth < 3 and dice.random() < 0.2:
        return [odd(dice, depth + 1) for _ in range(dice.randint(0, 4))]
    return dice.choice(ODD)


def from_schema(dice: random.Random, schema: dict[str, Any], defs: dict[str, Any], depth: int = 0) -> Any:
    """Something of a schema's shape, now and then with something else in it: deep enough to be let through the first
    gate.
    """
    if dice.random() < 0.12 or depth > 6:
        return odd(dice)
    if "$ref" in schema:
        return from_schema(dice, defs[schema["$ref"].rpartition("/")[2]], defs, depth + 1)
    for several in ("anyOf", "oneOf", "allOf"):
        if several in schema:
            return from_schema(dice, dice.choice(schema[several]), defs, depth + 1)
    if "enum" in schema or "const" in schema:
        return dice.choice(schema.get("enum") or [schema["const"]])
    match schema.get("type"):
        case "object":
            wanted = schema.get("required", ())
            return {
                key: from_schema(dice, part, defs, depth + 1)
                for key, part in schema.get("properties", {}).items()
                if key in wanted or dice.random() < 0.6
            }
        case "array":
            return [
                from_schema(dice, schema.get("steps", schema.get("prefixItems", [{}])[0]), defs, depth + 1)
                for _ in range(dice.randint(0, 3))
            ]
        case "number" | "integer":
            low, high = schema.get("minimum", -5), schema.get("maximum", 400)
            return dice.choice([low, high, 0, 1, 2.5, (low + high) / 2, 10**25])
        case "boolean":
            return dice.random() < 0.5
        case "string":
            of = {
                "uuid": "01a221f2-5441-7203-8325-525bf54179bb",
                "date": "2026-11-28",
                "date-time": "2026-11-28T10:00:00Z",
            }
            return of.get(schema.get("format", ""), dice.choice(["", "face", "mid cheek", "x" * 400, "²", "a"]))
    return odd(dice)


def test_limits_hold_before_anything_is_read(studio: tuple[Server, httpx.Client, str]) -> None:
    running, client, _ = studio
    nobody = client_of(running.url)

    def chunks() -> Iterator[bytes]:
        yield b'{"items": [' + b"1," * 400_000
        yield from (b"1," * 400_000 for _ in range(20))

    for address in ("/api/plans/preview", "/api/screening/preview"):
        large = nobody.post(address, content=b'{"a":' + b"[" * 200_000, headers={"content-type": "application/json"})
        assert large.status_code == 401, "who asks comes before what is asked"
    assert (
        client.post(
            "/api/plans/preview", content=b"[" * 2_000_000, headers={"content-type": "application/json"}
        ).status_code
        == 413
    )
    assert (
        client.post(
            "/api/plans/preview", content=b"[" * 900_000, headers={"content-type": "application/json"}
        ).status_code
        == 422
    )
    with suppress(httpx.WriteError):  # the line was closed while it was still being sent
        assert (
            client.post(
                "/api/plans/preview", content=chunks(), headers={"content-type": "application/json"}
            ).status_code
            == 413
        )
    assert (
        nobody.post(
            "/sign-in", content=b"a=1&" * 1_250_000, headers={"content-type": "application/x-www-form-urlencoded"}
        ).status_code
        == 413
    )
    assert (
        client.post(
            "/visits", content=b"a=1&" * 3_000, headers={"content-type": "application/x-www-form-urlencoded"}
        ).status_code
        == 422
    )
    joost = sign_in(running.url, "joost")
    refused = joost.post("/visits/x/photos", files={"file": ("f.jpg", b"\xff" * 5_000_000)})
    assert refused.status_code == 403, "who keeps no files sends none"


def test_nobody_is_led_to_another_place(studio: tuple[Server, httpx.Client, str]) -> None:
    running, client, _ = studio
    for foreign in (
        "//evil.example",
        "https://evil.example/",
        "/\\evil.example",
        "\\\\evil.example",
        "http:evil.example",
        "javascript:alert(1)",
    ):
        away = client.post("/theme", data={"theme": "dim", "back": foreign}).headers["location"]
        assert (
            away.startswith("/")
            and not away.startswith(("//", "/\\"))
            and "evil" not in away.partition("?")[0].strip("/").partition("/")[0]
        )
        fresh = client_of(running.url)
        fresh.get("/sign-in")
        into = {"csrf": fresh.cookies["visitor"], "login": "marit", "password": "vesper-quay", "next": foreign}
        assert fresh.post("/sign-in", data=into).headers["location"] == "/"


def test_no_request_answers_5xx(studio: tuple[Server, httpx.Client, str], record_property: Any) -> None:
    running, client, _ = studio
    dice = random.Random(20261128)
    ids, fields, forms = known_words(client)
    client.headers["referer"] = f"{running.url}/"
    api = client.get("/api/openapi.json").json()
    defs = api["components"]["schemas"]
    found: Counter[int] = Counter()
    bad: list[Any] = []
    every = doors()
    quick = [door for door in every if not door[1].endswith(".pdf")]  # paper is drawn slowly: it is asked for twice
    for n in range(MANY):
        method, template = every[n % len(every)] if n < 2 * len(every) else dice.choice(quick)
        path = re.sub(
            r"\{(\w+)(?::\w+)?\}",
            lambda at: (
                dice.choice(ids.get(at[1], []) or ["x"])
                if dice.random() < 0.85
                else httpx.URL("/" + dice.choice(["%00", "²", "x", "0"])).raw_path.decode()[1:]
            ),
            template,
        )
        more: dict[str, Any] = {}
        if method == "GET":
            more["params"] = {
                dice.choice(
                    [
                        *fields[:40],
                        "on",
                        "skip",
                        "kind",
                        "step",
                        "q",
                        "view",
                        "one",
                        "other",
                        "plate",
                        "propose",
                        "look",
                    ]
                ): value(dice, ids)
                for _ in range(dice.randint(0, 3))
            }
        elif template.startswith("/api/"):
            asked = api["paths"].get(template, {}).get(method.lower(), {}).get("requestBody", {}).get("content", {})
            schema = asked.get("application/json", {}).get("schema", {})
            body = from_schema(dice, schema, defs) if schema and dice.random() < 0.8 else odd(dice)
            text = json.dumps(body).replace(
                '"x"', dice.choice(['"x"', "NaN", '"\\u0000"', '"\\ud800"', "1e400", "1" * 5000, "[" * 90])
            )
            more = {"content": text.encode(), "headers": {"content-type": "application/json"}}
        else:
            own = [one for one in fields if dice.random() < 0.08] + [dice.choice(fields) for _ in range(4)]
            more["data"] = {key: value(dice, ids) for key in own if key != "csrf"}
            if (
                dice.random() < 0.7 and template != "/theme"
            ):  # a form as it stands on its page, with one or two fields spoilt
                path, filled = dice.choice(forms[dice.choice(sorted(set(forms) - SKIPPED))])
                spoilt = dice.sample(sorted(filled), min(len(filled), dice.randint(1, 2)))
                more["data"] = {key: said for key, said in filled.items() if key != "csrf"} | {
                    key: value(dice, ids) for key in spoilt
                }
            if dice.random() < 0.1:
                content = dice.choice([b"", b"\xff\xd8\xff", b"%PDF-1.4", b"GIF89a", dice.randbytes(40)])
                more["files"] = {"file": (dice.choice(NASTY)[:200] or "f", content)}
            if dice.random() < 0.5:
                more["headers"] = {
                    "hx-request": "true",
                    "x-changed": dice.choice(["s1.level", "²", "x" * 900, "wish.event"]).encode(),
                }
        if dice.random() < 0.05:
            odd_headers = {
                "referer": "http://[::1",
                "x-csrf-token": "é",
                "cookie": "merak=%00; theme=²; said=%00%FF",
                "x-once": "\x7f" * 9,
                "accept": "²",
            }
            name = dice.choice(sorted(odd_headers))
            more.setdefault("headers", {})[name] = odd_headers[name].encode("utf-8")
        answer = client.request(method, path, **more)
        found[answer.status_code] += 1
        if answer.status_code >= 500:
            bad.append((method, path, answer.status_code, {key: str(said)[:600] for key, said in more.items()}))
    record_property("answers", dict(found))
    assert bad == [], bad[:5]
    assert found[200] > MANY / 20 and found[303] > MANY / 100, f"much of it was heard, not only turned away: {found}"
