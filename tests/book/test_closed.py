"""A closed rule book: whatever is misspelt, left out or spoilt in it stops the load, and says where it stands."""

import json
import math
import re
import shutil
import subprocess
import sys
import tomllib
from collections.abc import Iterable, Iterator
from functools import cache
from pathlib import Path
from typing import Any

import jsonschema_rs
import pytest
from pydantic import BaseModel, ValidationError

import merak.server  # noqa: F401  (whatever reads the rule book has to be there)
from builders.briefs import brief
from builders.database import ROOT
from merak.core import closed
from merak.core.errors import KnowledgeError
from merak.core.knowledge import Book, Rule, book, files, place_of, printed, told
from merak.core.plan import screening

#: What is said to people: any words will do.
SAID = """degrees amount often ask ends gate choice hands free_hand line beside called mixed
    puts_on comes_off
    words reason source action ask heading title letter grades refer call record leaves technique endpoint stop
    consumables ladder feel checks protect dated use tray sign
"""
WORDS = frozenset(SAID.split())
#: What an entry is called; that it is called so is another's affair.
NAMES = frozenset({"id", "name"})
#: Numbers that may lie on either side of nothing.
EITHER_WAY = {
    ("landmark", "x"),
    ("landmark", "y"),
    ("method", "rank"),
    ("trait", "rank"),
    ("condition", "set"),
    ("method", "set"),
}
Path_ = tuple[str | int, ...]


def leaves(of: Any, path: Path_ = ()) -> Iterator[tuple[Path_, Any]]:
    """Everything in an entry that is no entry itself, with the way to it; keys of a table among them."""
    if isinstance(of, dict):
        for key, value in of.items():
            yield from leaves(value, (*path, key))
    elif isinstance(of, list | tuple):
        for n, value in enumerate(of):
            yield from leaves(value, (*path, n))
    else:
        yield path, of


def changed(of: Any, path: Path_, value: Any) -> Any:
    """The same with another value at the end of a way."""
    if not path:
        return value
    key, rest = path[0], path[1:]
    if isinstance(of, dict):
        return {name: changed(one, rest, value) if name == key else one for name, one in of.items()}
    return tuple(changed(one, rest, value) if n == key else one for n, one in enumerate(of))


@cache
def entries() -> tuple[tuple[str, int, dict[str, Any]], ...]:
    """(kind, which, its fields) of everything in the book."""
    return tuple(
        (kind, n, as_written(entry.model_dump(exclude_defaults=True)))
        for kind in Book.model_fields
        for n, entry in enumerate(getattr(book(), kind))
    )


def as_written(body: dict[str, Any]) -> dict[str, Any]:
    """Without what an answer takes from the one that it is like, and a condition from the modalities that help it."""
    body = {key: value for key, value in body.items() if key != "consider"}
    if "options" not in body:
        return body
    options = tuple({key: one[key] for key in one if key != "rulings" or "like" not in one} for one in body["options"])
    return body | {"options": options}


def with_entry(kind: str, n: int, body: dict[str, Any] | None) -> Book:
    """The book with one entry changed, or left out. Raises ValidationError for what is no entry."""
    there: tuple[BaseModel, ...] = getattr(book(), kind)
    new = () if body is None else (type(there[n]).model_validate(body),)
    return book().model_copy(update={kind: (*there[:n], *new, *there[n + 1 :])})


def noticed(kind: str, n: int, body: dict[str, Any] | None) -> bool:
    try:
        return next(closed.faults(with_entry(kind, n, body)), None) is not None
    except (ValidationError, KnowledgeError):
        return True


def spelling(kind: str) -> list[tuple[int, Path_, str]]:
    return [
        (n, path, value)
        for one, n, body in entries()
        if one == kind
        for path, value in leaves(body)
        if isinstance(value, str) and value and not WORDS & set(map(str, path)) and not NAMES & set(map(str, path))
    ]


def once(found: Iterable[tuple[int, Path_, Any]]) -> Iterator[tuple[int, Path_, Any]]:
    """Of what stands in the same field of several entries the first: they are read by the same line."""
    met: set[tuple[tuple[str, ...], Any]] = set()
    for n, path, value in found:
        field = tuple(part for part in path if isinstance(part, str)), value
        if field not in met:
            met.add(field)
            yield n, path, value


def test_the_book_as_it_stands_is_closed() -> None:
    assert list(closed.faults(book())) == []
    closed.demand_closed()


@pytest.mark.parametrize("kind", sorted(Book.model_fields))
def test_every_reference_that_is_misspelt_is_noticed(kind: str) -> None:
    bodies = {n: body for one, n, body in entries() if one == kind}
    missed = [
        (bodies[n].get("id"), path, value)
        for n, path, value in once(spelling(kind))
        if not noticed(kind, n, changed(bodies[n], path, f"{value}x"))
    ]
    assert missed == []


def test_the_reader_of_references_finds_them() -> None:
    """The test above is worth what it walks over."""
    found = {kind: len(spelling(kind)) for kind in Book.model_fields}
    assert sum(found.values()) > 1500
    assert min(found[kind] for kind in ("question", "margin", "no_go", "advice", "pairing", "group", "help")) > 15


@pytest.mark.parametrize("kind", sorted(Book.model_fields))
def test_a_number_that_cannot_be_is_noticed(kind: str) -> None:
    missed = []
    for one, n, body in entries():
        for path, value in leaves(body) if one == kind else ():
            if isinstance(value, bool) or not isinstance(value, int | float):
                continue
            either = (kind, str(path[0])) in EITHER_WAY or "set" in path or "rank" in path or body.get("signed")
            spoilt = [math.nan, math.inf, "many", *([] if either or not value else [-value])]
            missed += [(body.get("id"), path, bad) for bad in spoilt if not noticed(kind, n, changed(body, path, bad))]
    assert missed == []


@pytest.mark.parametrize("kind", sorted(Book.model_fields))
def test_an_unknown_key_is_noticed(kind: str) -> None:
    n, body = next((n, body) for one, n, body in entries() if one == kind)
    with pytest.raises(ValidationError, match="Extra inputs"):
        with_entry(kind, n, body | {"valeu": 1})


@pytest.mark.parametrize("kind", ["modality", "trait", "work"])
def test_an_entry_that_is_missing_is_noticed(kind: str) -> None:
    for one, n, body in entries():
        if one == kind:
            assert noticed(kind, n, None), body["id"]


def test_a_unit_that_nobody_reckons_in_is_noticed() -> None:
    numbers = [(n, body) for one, n, body in entries() if one == "rule" and "value" in body]
    assert [body["id"] for n, body in numbers if not noticed("rule", n, body | {"unit": f"{body['unit']}F"})] == []
    n, body = numbers[0]
    for unit in ("°F", "mmol", "", "J/cm", "MINUTES"):
        assert noticed("rule", n, body | {"unit": unit}), unit


def test_one_misspelt_place_does_not_open_the_lid() -> None:
    n, body = next(
        (n, b) for kind, n, b in entries() if kind == "no_go" and "rf_bulk" in b["works"] and "upper lid" in b["places"]
    )
    spoilt = with_entry("no_go", n, body | {"places": ("uper lid", *body["places"][1:])})
    told = [str(fault) for fault in closed.faults(spoilt)]
    assert told and "rf_bulk.toml, line" in told[0] and body["id"] in told[0] and "uper lid" in told[0]


def test_a_modality_that_nobody_judged_is_never_for_anybody(monkeypatch: pytest.MonkeyPatch) -> None:
    n, body = next((n, b) for kind, n, b in entries() if kind == "group" and b["id"] == "SCREENED")
    without = with_entry("group", n, body | {"members": tuple(one for one in body["members"] if one != "cold")})
    assert "cold" in " ".join(str(fault) for fault in closed.faults(without))
    judged = screening.all_of(("SCREENED",))
    monkeypatch.setattr(
        screening, "all_of", lambda names: judged - {"cold"} if names == ("SCREENED",) else closed_over(names)
    )
    board = brief().board
    assert board["cold"].verdict == "never" and board["touch"].verdict == "go"


closed_over = screening.all_of


def test_every_entry_says_where_it_stands() -> None:
    for kind, _, body in entries():
        if kind != "landmark":
            file, _, line = place_of(kind, body["id"]).partition(", line ")
            assert file.endswith(".toml") and int(line) > 0, body["id"]


@pytest.mark.parametrize(
    ("file", "was", "spoilt", "told"),
    [
        ("modality/rf_bulk.toml", "value = 43\n", "value = nan\n", "finite number"),
        ("where.toml", 'places = ["upper lid"', 'places = ["uper lid"', "uper lid"),
    ],
)
def test_a_broken_book_is_not_served(tmp_path: Path, file: str, was: str, spoilt: str, told: str) -> None:
    shutil.copytree(ROOT / "merak", tmp_path / "merak", ignore=shutil.ignore_patterns("__pycache__", "screenshots"))
    path = tmp_path / "merak/core/knowledge" / file
    text = path.read_text()
    assert was in text
    path.write_text(text.replace(was, spoilt, 1))
    words = "from merak.server import make_app; make_app()"
    ran = subprocess.run([sys.executable, "-c", words], cwd=tmp_path, capture_output=True, text=True, check=False)
    assert ran.returncode == 1 and "KnowledgeError" in ran.stderr
    said = ran.stderr.strip().splitlines()[-1]
    assert told in said and path.name in said and "line" in said, said


def test_no_rule_says_its_number_a_second_time() -> None:
    """Changed in one place, it is changed in the words."""
    for path in files():
        for rule in tomllib.loads(path.read_text()).get("rule", ()):
            if "value" in rule:
                own = re.escape(printed(rule["value"]))
                again = re.findall(rf"(?<![\d.,−]){own}(?!\d|[.,]\d|\s\d{{3}})", rule["words"])
                assert again == [], f"{rule['id']}: {rule['words']}"


def test_a_changed_number_is_changed_in_the_words() -> None:
    body = {"words": "No colder than {value} °C, {y.most} s.", "reason": "r", "source": "s", "mark": "H"}
    cold = Rule.model_validate(body | {"id": "x", "value": -7.5, "unit": "°C", "signed": True})
    most = Rule.model_validate(body | {"id": "y.most", "words": "{number}", "value": 3, "unit": "s"})
    whole = told(Book(rule=(cold, most)))
    assert [rule.words for rule in whole.rule] == ["No colder than −7.5 °C, 3 s.", "{number}"]
    assert [printed(value) for value in (20_000, 1000, 0.05, -3)] == ["20 000", "1000", "0.05", "−3"]
    with pytest.raises(KnowledgeError, match=r"“x” prints a number that is not there: \{y\.most\}"):
        told(Book(rule=(cold,)))


def test_the_schema_for_editors_is_current_and_holds_every_file() -> None:
    """Made anew by scripts/schema; checked by a validator that had no part in the book's own reading."""
    published = json.loads((ROOT / "docs/rule-book.schema.json").read_text())
    assert published == Book.model_json_schema(), "run scripts/schema, and commit what it writes"
    check = jsonschema_rs.validator_for(published)
    for path in files():
        text = path.read_text()
        named = text.splitlines()[0].removeprefix("#:schema ")
        assert (path.parent / named).resolve() == (ROOT / "docs/rule-book.schema.json").resolve(), path.name
        assert [error.message for error in check.iter_errors(tomllib.loads(text))] == [], path.name
    wrong = {"rule": [{"id": "x", "words": "w", "reason": "r", "source": "s", "mark": "Q", "valeu": 1}]}
    told = " ".join(error.message for error in check.iter_errors(wrong))
    assert "valeu" in told and '"Q"' in told
