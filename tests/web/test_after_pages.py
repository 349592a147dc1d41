"""Pages of what comes after: who may open them, what a stranger sees, what stands beside which field; what clients
read, translated.
"""

import re
import subprocess
import sys
from pathlib import Path
from uuid import uuid4

import httpx
import psycopg
import pytest
from babel.messages.mofile import read_mo
from babel.messages.pofile import read_po

from builders.markup import flat
from builders.server import Server, client_of, sign_in
from builders.visits import HX, begun, booked, sent
from merak.exchange.language import FOLDER, LANGUAGES, said

ROOT = Path(__file__).parents[2]


@pytest.fixture(scope="module")
def adaeze(server: Server) -> httpx.Client:
    return sign_in(server.url, "adaeze")


def client_named(ctx: httpx.Client, name: str) -> str:
    return str(re.search(rf'/clients/([0-9a-f-]{{36}})" class="[^"]*">{name}', ctx.get("/").text)[1])  # type: ignore[index]


def test_the_front_desk_reaches_clients_and_reads_nothing(server: Server, adaeze: httpx.Client) -> None:
    joost, client = sign_in(server.url, "joost"), client_named(adaeze, "Yuki Tanabe-Ross")
    closed = (
        "/outbox",
        "/reactions",
        f"/reactions/{uuid4()}",
        "/outcomes",
        "/outcomes.csv",
        *(f"/clients/{client}/{of}" for of in ("progress", "progress.csv", "photos")),
    )
    for path in closed:
        assert joost.get(path).status_code == 403, path
    page = joost.get(f"/clients/{client}").text
    assert "Yuki Tanabe-Ross" in page and "+351 900 000 104" in page
    assert not re.search("redness|cool cloth|Microcurrent|Progress", page), "no more than a diary holds"
    assert "Senior:" not in joost.get("/").text and "Margit" not in joost.get("/due").text
    kept = joost.post(f"/clients/{client}", data={"phone": "+351 900 000 104", "email": "", "language": "xx"})
    assert kept.status_code == 422 and "Which language?" in kept.text
    assert (
        adaeze.get(f"/clients/{uuid4()}").status_code == 404 == adaeze.get(f"/clients/{uuid4()}/progress").status_code
    )
    table = adaeze.get(f"/clients/{client}/progress.csv")
    assert table.headers["content-type"].startswith("text/csv") and "Redness at close,3" in table.content.decode(
        "utf-8-sig"
    )


def test_a_stranger_with_a_wrong_address_sees_nothing(server: Server) -> None:
    with client_of(server.url) as stranger:
        for path in ("/answer/x", f"/answer/{uuid4().hex}", "/answer/..%2f..%2fetc"):
            gone = stranger.get(path)
            assert gone.status_code == 404, path
        page = stranger.get("/answer/nothing?lang=pt")
        assert (
            "Não há nada aqui" in page.text
            and page.headers["cache-control"] == "no-store"
            and page.headers["x-robots-tag"] == "noindex"
        )
        assert stranger.post("/answer/nothing", data={"mark": "none"}).status_code == 404
        assert stranger.get("/outbox").headers["location"].startswith("/sign-in")


def test_the_close_page_tells_what_is_missing_beside_its_field_and_keeps_what_was_typed(
    server: Server, adaeze: httpx.Client, demo: str
) -> None:
    visit = begun(adaeze, booked(adaeze, "Closing Invented"), "led", "finish")
    sent(adaeze, visit, ("start", 900), ("next", 800), ("next", 100), ("finish", 50))
    form = {
        "pain": "0",
        "comfort": "9",
        "endpoint.led": "seen",
        "note": "typed already",
        "product.0": "serum",
        "left.0": "on",
    }
    wrong = adaeze.post(f"/visits/{visit}/close", data=form)
    assert wrong.status_code == 422 and "typed already</textarea>" in wrong.text and "Its lot, or “none”." in wrong.text
    assert "Look once more after the treatment" in wrong.text and "Initialled here" in wrong.text
    assert (
        adaeze.post(
            f"/visits/{visit}/close/tap?look=3", data={"kind": "redness", "zone": "left chin"}, headers=HX
        ).status_code
        == 422
    )
    assert (
        adaeze.post(
            f"/visits/{visit}/close/tap?look=1", data={"kind": "mood", "zone": "left chin"}, headers=HX
        ).status_code
        == 422
    )
    tapped = adaeze.post(f"/visits/{visit}/close/tap?look=1", data={"kind": "marks", "zone": "left chin"}, headers=HX)
    assert (
        tapped.headers["hx-trigger"] == "answered"
        and "left chin 1" in flat(tapped.text)
        and 'hx-swap-oob="true"' in tapped.text
    )
    adaeze.post(f"/visits/{visit}/close/nothing?look=2", headers=HX)
    form |= {"explained": "initials", "initials": "CI", "lot.0": "none"}
    for number in re.findall(r'name="why\.(\d+)"', wrong.text):
        form[f"why.{number}"] = "client"
    assert "What kind of mark?" in adaeze.post(f"/visits/{visit}/close", data=form).text
    closed = adaeze.post(f"/visits/{visit}/close", data=form | {"marked": "blister"})
    assert closed.status_code == 200 and "/return" in str(closed.url)
    assert adaeze.post(f"/visits/{visit}/close", data=form).status_code == 409, "sealed"
    unsent = adaeze.post(f"/visits/{visit}/sheet/send")
    assert unsent.status_code == 422 and "neither a mail address nor a telephone number" in unsent.text
    assert "a blister or burn" in adaeze.get("/reactions").text
    line = re.search(r"/reactions/([0-9a-f-]{36})", adaeze.get("/reactions").text)
    assert line
    bad = adaeze.post(f"/reactions/{line[1]}", data={"grade": "9", "done": "cold cloth"})
    assert bad.status_code == 422 and "Grade: 0 to 4." in bad.text and "cold cloth" in bad.text
    with psycopg.connect(demo) as db:
        tasks = db.execute("SELECT kind, count(*) FROM task WHERE visit_id = %s GROUP BY kind", [visit]).fetchall()
    assert dict(tasks) == {"ask": 2}


def test_what_clients_read_is_taken_out_translated_and_compiled(tmp_path: Path) -> None:
    script = (ROOT / "scripts/words").read_text()
    words = (
        next(line for line in script.splitlines() if "extract" in line)
        .replace("$LOCALE", "merak/exchange/locale")
        .split()
    )
    start = words.index("-q")
    command = [sys.executable, "-m", "babel.messages.frontend", *(word.strip('"') for word in words[start:])]
    command[command.index("-o") + 1] = str(tmp_path / "now.pot")
    subprocess.run(command, cwd=ROOT, check=True, env={"PYTHONPATH": str(ROOT)})
    with (tmp_path / "now.pot").open("rb") as made:
        asked = {message.id for message in read_po(made) if message.id}
    for language in LANGUAGES.keys() - {"en"}:
        folder = FOLDER / language / "LC_MESSAGES"
        with (folder / "merak.po").open("rb") as po, (folder / "merak.mo").open("rb") as mo:
            kept, compiled = read_po(po), read_mo(mo)
        told = {message.id: message.string for message in kept if message.id}
        assert told.keys() == asked, "run scripts/words"
        assert all(told.values()) and not any(message.fuzzy for message in kept if message.id), "translate what is new"
        assert told == {message.id: message.string for message in compiled if message.id}, "run scripts/words"
        holes = re.compile(r"\{\w+\}")
        assert all(sorted(holes.findall(one)) == sorted(holes.findall(other)) for one, other in told.items())
    assert said("pt", "until {when}", when="x") == "até x" and said("xx", "Do") == "Do"
