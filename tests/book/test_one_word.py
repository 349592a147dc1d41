"""One meaning a word: a class is called like no other, and what the glossary names is there under that name."""

import ast
import importlib
import re
from collections import defaultdict
from collections.abc import Iterator
from pathlib import Path

from builders.database import ROOT
from merak.core.knowledge import about
from merak.core.modality.catalogue import MODALITIES
from merak.services.studio.rule_book import SUBJECTS

#: What every modality, or every file of its kind, calls the same on purpose.
SHARED = {"Settings"}

CORE_TESTS = sorted((ROOT / "tests/core").glob("test_*.py"))


def test_a_class_is_called_like_no_other() -> None:
    found = defaultdict(list)
    for path in (ROOT / "merak").rglob("*.py"):
        for node in ast.parse(path.read_text()).body:
            if isinstance(node, ast.ClassDef):
                found[node.name].append(path.name)
    assert {name: where for name, where in found.items() if len(where) > 1 and name not in SHARED} == {}


def test_what_the_glossary_names_is_there() -> None:
    named = re.findall(r"`((?:core|services|records)\.[a-z_.]+)\.([A-Z]\w+)`", (ROOT / "docs/glossary.md").read_text())
    assert len(named) > 15
    for module, name in named:
        assert hasattr(importlib.import_module(f"merak.{module}"), name), f"{module}.{name}"


def test_words_that_were_given_up_do_not_come_back() -> None:
    gone = re.compile(
        r"\b(nought|errand|Tongue|let_go|standins?|stand-ins?)\b|merak[./](desk|door|standins)|core[./]session"
    )
    kept = {"migrations", "fixtures", "static/vendor", "test_one_word.py", "app.css"}
    for folder in ("merak", "tests", "builders", "benchmarks", "docs"):
        for path in (ROOT / folder).rglob("*"):
            if path.suffix in (".py", ".html", ".js", ".toml", ".md") and not any(one in str(path) for one in kept):
                assert not gone.search(path.read_text()), path


def test_nothing_above_a_modality_is_of_any_type() -> None:
    """Settings and cards are their modality's own, from the plan to the close."""
    files = [path for room in ("plan", "treatment", "after") for path in (ROOT / "merak/core" / room).glob("*.py")]
    assert len(files) > 20
    assert [path.name for path in files if re.search(r"\bAny\b", path.read_text(encoding="utf-8"))] == []


def quoted(path: Path) -> Iterator[str]:
    """The strings of a source that are no description."""
    tree = ast.parse(path.read_text(encoding="utf-8"))
    said = {id(node.value) for node in ast.walk(tree) if isinstance(node, ast.Expr)}
    for node in ast.walk(tree):
        if isinstance(node, ast.Constant) and isinstance(node.value, str) and id(node) not in said:
            yield node.value


def test_a_modality_is_named_in_its_own_files_alone() -> None:
    """Its id, a rule of its, what aftercare knows it by: neither in what plans, runs and closes it, nor on a page."""
    words = about().values()
    homonyms = {one.group for one in words} | {one.licence for one in words} | {"reddening", "open_skin"}
    homonyms |= {name for name, one in about().items() if one.group == "support"}  # a tone, a mask: words of all
    homonyms |= set(SUBJECTS)  # what several modalities share
    known = {*MODALITIES}.union(*(one.tags for one in words)) - homonyms
    own = re.compile(rf"({'|'.join(sorted(known))})(\.\w+)*")
    rooms = ("core/plan", "core/treatment", "core/after", "core/client", "core/knowledge", "services", "web", "api")
    files = [path for room in rooms for path in (ROOT / "merak" / room).rglob("*.py")]
    assert len(files) > 100
    named = {
        f"{path.relative_to(ROOT / 'merak')}: {text}" for path in files for text in quoted(path) if own.fullmatch(text)
    }
    assert named == set()


def test_the_tests_of_the_core_need_nothing_else() -> None:
    """No room outside the core is loaded for them, and so no database."""
    rooms = "api|auth|demo|exchange|records|server|services|web"
    asked = {path.name: re.findall(rf"merak\.(?:{rooms})\b", path.read_text()) for path in CORE_TESTS}
    assert {name: found for name, found in asked.items() if found} == {}
