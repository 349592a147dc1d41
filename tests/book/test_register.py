"""What code reads of the rule book it says, with the unit that it reckons in; what nobody reads is dead."""

import ast
import re
from collections.abc import Iterator
from functools import cache
from importlib import import_module
from pathlib import Path
from pkgutil import walk_packages

import pytest

import merak.server
from builders.database import ROOT
from merak.core import closed
from merak.core.errors import KnowledgeError
from merak.core.knowledge import Book, Rule, book, number, register
from merak.core.knowledge.register import WORDS, Need, registered
from merak.services.studio.rule_book import entries

RULES = {rule.id: rule for rule in book().rule}
#: Modules that quote every entry by its kind, and what stood in records of before, whatever the book says today.
READERS = frozenset(
    {"merak.core.knowledge", "merak.core.closed", "merak.services.studio.rule_book", "merak.records.bodies.upgrades"}
)
#: What stands for a part of an id that is filled in.
ANYTHING = "[a-z0-9_.]+"


def without(need: Need) -> Book:
    """The book with that entry called something else."""
    if need.kind in ("option", "school"):
        kind, inner = ("question", "options") if need.kind == "option" else ("method", "schools")
        outer, _, name = need.entry.partition("=")
        renamed = tuple(
            one.model_copy(
                update={
                    inner: tuple(
                        part.model_copy(update={"id": f"{part.id}x"}) if (one.id, part.id) == (outer, name) else part
                        for part in getattr(one, inner)
                    )
                }
            )
            for one in getattr(book(), kind)
        )
        return book().model_copy(update={kind: renamed})
    there = getattr(book(), need.kind)
    renamed = tuple(one.model_copy(update={"id": f"{one.id}x"}) if one.id == need.entry else one for one in there)
    return book().model_copy(update={need.kind: renamed})


def with_rule(rule_id: str, **changed: object) -> Book:
    rules = tuple(rule.model_copy(update=changed) if rule.id == rule_id else rule for rule in book().rule)
    return book().model_copy(update={"rule": rules})


def told(of: Book) -> list[str]:
    return [str(fault) for fault in closed._read(of, closed.Names(of))]


def test_whatever_code_names_is_missed_when_it_is_called_something_else() -> None:
    named = {(need.kind, need.entry): need for need in registered()}
    assert len(named) > 600 and {kind for kind, _ in named} >= {"rule", "group", "option", "landmark", "tissue"}
    for need in named.values():
        said = told(without(need))
        assert any(f"“{need.entry}”: it is not there, and merak." in words for words in said), need


def test_a_number_in_another_unit_of_the_book_is_noticed() -> None:
    """°F for °C is no unit at all; minutes for seconds is one, and the code reckons in the other."""
    units = sorted(closed.UNITS)
    for rule in RULES.values():
        if rule.value is not None:
            other = units[(units.index(rule.unit) + 1) % len(units)]
            said = told(with_rule(rule.id, unit=other))
            assert any(rule.id in words and f"reckons with {rule.unit}, and it says {other}" in words for words in said)


def test_a_number_that_lost_its_value_is_noticed() -> None:
    for rule in RULES.values():
        if rule.value is not None:
            assert any(
                rule.id in words and f"it says {WORDS}" in words for words in told(with_rule(rule.id, value=None))
            )


def test_a_rule_that_nobody_reads_is_dead(monkeypatch: pytest.MonkeyPatch) -> None:
    idle = Rule(id="idle.rule", words="Idle.", value=1, unit="s", reason="r", source="House default", mark="H")
    with_idle = book().model_copy(update={"rule": (*book().rule, idle)})
    assert [words for words in told(with_idle) if "idle.rule" in words and "nothing reads it" in words]
    monkeypatch.setattr(register, "_RULES", set(register._RULES) - {"rf_bulk.stop"})
    with pytest.raises(KnowledgeError, match=r"“rf_bulk\.stop” is read by a module that does not say so"):
        number("rf_bulk.stop")


def modules() -> Iterator[tuple[str, ast.Module]]:
    for path in sorted((ROOT / "merak").rglob("*.py")):
        name = ".".join(path.relative_to(ROOT).with_suffix("").parts).removesuffix(".__init__")
        if name not in READERS and "demo" not in name:
            yield name, ast.parse(Path(path).read_text(encoding="utf-8"))


@cache
def reads() -> dict[str, frozenset[str]]:
    found: dict[str, frozenset[str]] = {}
    for need in registered():
        if need.kind == "rule":
            found[need.module] = found.get(need.module, frozenset()) | {need.entry}
    return found


def texts(tree: ast.Module) -> tuple[set[str], set[str]]:
    """The rules that a file names whole, and patterns of those that it puts together."""
    own = {
        target.id: node.value.value
        for node in tree.body
        if isinstance(node, ast.Assign) and isinstance(node.value, ast.Constant) and isinstance(node.value.value, str)
        for target in node.targets
        if isinstance(target, ast.Name)
    }
    whole = {
        node.value
        for node in ast.walk(tree)
        if isinstance(node, ast.Constant) and isinstance(node.value, str) and node.value in RULES
    }
    patterns = {
        "".join(_part(part, own) for part in node.values) for node in ast.walk(tree) if isinstance(node, ast.JoinedStr)
    }
    return whole, patterns


def _part(part: ast.expr, own: dict[str, str]) -> str:
    if isinstance(part, ast.Constant):
        return re.escape(str(part.value))
    value = part.value if isinstance(part, ast.FormattedValue) else None
    return re.escape(own[value.id]) if isinstance(value, ast.Name) and value.id in own else ANYTHING


def test_every_module_registers_what_it_names() -> None:
    """Read off the source a second time: whole ids, and those whose modality's name is filled in."""
    for module, tree in modules():
        whole, patterns = texts(tree)
        filled = {rule for one in patterns if ANYTHING not in one for rule in RULES if re.fullmatch(one, rule)}
        assert whole | filled <= reads().get(module, frozenset()), module


def test_no_module_registers_what_it_does_not_read() -> None:
    """A rule is named whole, or put together here or in what all modalities share."""
    shared = {"merak.core.modality.shared", "merak.core.plan.order", "merak.core.modality.galvanic"}
    trees = dict(modules())
    everywhere = set().union(*(texts(trees[name])[1] for name in shared))
    for module, ids in reads().items():
        whole, patterns = texts(trees[module])
        idle = {
            rule
            for rule in ids - whole
            if not any(re.fullmatch(one, rule) for one in patterns | everywhere) and not rule.endswith(".men")
        }
        assert not idle, (module, idle)


def test_no_rule_lies_idle() -> None:
    for module in walk_packages(merak.__path__, "merak."):  # who reads a rule says so where it is imported
        if ".migrations" not in module.name:
            import_module(module.name)
    assert [entry.cited.id for entry in entries() if not entry.used] == []
