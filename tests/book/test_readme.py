"""The README's table and CONTRIBUTING name files that are there."""

import importlib
import re

import pytest

from builders.database import ROOT

FILES = [
    path.relative_to(ROOT).as_posix()
    for folder in ("merak", "builders", "docs", "scripts", "tests")
    for path in (ROOT / folder).rglob("*")
]
FILE = re.compile(r"`([\w./-]+\.(?:py|toml|js|css|html|md|png)|[\w./-]+/)`|\]\(([\w./-]+)\)")


@pytest.mark.parametrize("page", ["README.md", "CONTRIBUTING.md"])
def test_every_file_that_is_named_is_there(page: str) -> None:
    named = {path or link for path, link in FILE.findall((ROOT / page).read_text())}
    assert len(named) > 10
    gone = [
        one
        for one in named
        if not (ROOT / one).exists() and not any(f"/{path}".endswith("/" + one.rstrip("/")) for path in FILES)
    ]
    assert gone == []


def test_the_benchmarks_import_what_there_is() -> None:
    """They are no part of ./test, and would be found broken only when somebody wants a figure."""
    for path in sorted((ROOT / "benchmarks").glob("*.py")):
        importlib.import_module(f"benchmarks.{path.stem}")
