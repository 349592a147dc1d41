"""Templates print: one element a line, in components that fit a screen, with nothing decided in them."""

import re
from pathlib import Path

import pytest
from jinja2 import meta

from builders.database import ROOT
from merak.web.pages import ENV

TEMPLATES = ROOT / "merak/web/templates"
EVERY = sorted(TEMPLATES.rglob("*.html"))
#: Collections of macros; each macro is held to the length of a component.
MACROS = {"macros.html", "drawn.html", "plan/pieces.html", "signs.html"}
LONGEST, COMPONENT, FRAME = 120, 80, 140


def name(path: Path) -> str:
    return path.relative_to(TEMPLATES).as_posix()


@pytest.mark.parametrize("path", EVERY, ids=name)
def test_a_template_is_short_and_narrow(path: Path) -> None:
    text = path.read_text()
    lines = text.splitlines()
    assert [n for n, line in enumerate(lines, 1) if len(line) > LONGEST] == []
    if name(path) in MACROS:
        for macro in re.findall(r"\{% macro .*?\{% endmacro %\}", text, re.S):
            assert len(macro.splitlines()) <= COMPONENT, macro.splitlines()[0]
    else:
        frame = "{% extends" in text or "<!doctype" in text.lower()
        assert len(lines) <= (FRAME if frame else COMPONENT)


@pytest.mark.parametrize("path", EVERY, ids=name)
def test_a_template_decides_nothing(path: Path) -> None:
    code = re.findall(r"\{[{%].*?[%}]\}", path.read_text(), re.S)
    for one in code:
        assert "role in" not in one and "role ==" not in one and "may(" not in one, f"whose right it is: {one}"
        assert not re.search(r"[<>]=? ?\d*\.\d|>= ?\d", one), f"a threshold: {one}"
        texts = re.findall(r"\"(?:[^\"\\]|\\.)*\"|'(?:[^'\\]|\\.)*'", one)
        bare = re.sub(r"\"(?:[^\"\\]|\\.)*\"|'(?:[^'\\]|\\.)*'", "", one)
        assert not re.search(r"[\w\])] *[*/] *[\w(]|[\w\])] +[-+] +\d", bare), f"arithmetic: {one}"
        assert not any("\n" in text for text in texts), f"a text over two lines: {one}"


@pytest.mark.parametrize("path", EVERY, ids=name)
def test_words_that_are_read_out_stand_on_one_line(path: Path) -> None:
    """A line broken inside an attribute is asked, spoken and shown with its break."""
    spoken = r'(?:data-sure|data-words|aria-label|title|placeholder)="((?:\{\{.*?\}\}|\{%.*?%\}|[^"])*)"'
    for words in re.findall(spoken, path.read_text(), re.S):
        assert "\n" not in re.sub(r"\{\{.*?\}\}|\{%.*?%\}", "", words, flags=re.S), words


@pytest.mark.parametrize("path", EVERY, ids=name)
def test_a_sentence_does_not_run_into_the_next(path: Path) -> None:
    """The space between two sentences is not eaten by the tags between them."""
    last, between = "", ""
    for _, kind, text in ENV.lex(path.read_text()):
        if kind == "data" and text:
            runs_on = last.endswith((".", "!", "?")) and text[0].isalpha()
            assert not runs_on or {"else", "elif"} & set(between.split()), f"{last[-40:]}|{text[:40]}"
            last, between = text, ""
        elif kind == "variable_begin":
            last = ""
        elif kind == "name":
            between += f" {text}"


@pytest.mark.parametrize("path", EVERY, ids=name)
def test_a_component_knows_no_loop_but_its_own(path: Path) -> None:
    """The turn of a loop does not reach what is included in it."""
    assert "loop" not in meta.find_undeclared_variables(ENV.parse(path.read_text()))


def test_every_component_is_used() -> None:
    used = {
        one
        for path in TEMPLATES.rglob("*.*")
        for one in re.findall(r'(?:include|import|extends) "([^"]+)"', path.read_text())
    }
    pages = {
        one
        for path in (ROOT / "merak").rglob("*.py")
        for one in re.findall(r'"([\w/]+\.(?:html|svg))"', path.read_text())
    }
    assert {name(path) for path in EVERY} - used - pages == set()
