"""The loop behind scripts/mutate, as a plugin of pytest: tests are collected once, then each mutant is tried in turn.

A mutant of the rule book is a book with one thing changed, worked by in this process: whatever follows from a book is
remembered for each book apart. A mutant of a guard is a function whose code is swapped in a forked child.
"""

import ast
import gc
import os
import re
import signal
import sys
import time
from collections import Counter, defaultdict
from collections.abc import Callable, Iterator
from contextlib import redirect_stdout
from functools import cache
from inspect import signature
from io import StringIO
from itertools import pairwise
from pathlib import Path
from types import CodeType, FunctionType
from typing import Any, NamedTuple, get_args

import hypothesis
import pytest
from _pytest.runner import runtestprotocol

from merak.core.knowledge import Verdict

ROOT = Path(__file__).parents[1]
#: Tests of the data, the quickest first.
TABLES = (
    "test_pinned",
    "test_pinned_entries",
    "test_where_table",
    "test_screening_table",
    "test_fit_table",
    "test_aftercare_table",
    "test_skin_table",
    "test_shelf_table",
    "test_guard_table",
    "test_again_table",
    "test_closed",
)
AS_IT_STANDS = "test_the_book_as_it_stands_is_closed"
ROOMS = ("plan", "treatment", "after")
#: So long may the tests of one mutant take, as they did under watch (several times as long as without): first few, then
#: of what survives them more.
BUDGETS_S = (8, 25, 100)
#: What takes longer than this hangs, which is noticed.
HANGS_S = 180
#: The share that has to be noticed.
LEAST = 0.95
MILDER = dict(pairwise(reversed(get_args(Verdict))))


class Mutant(NamedTuple):
    """What is changed, in words, and the room that it belongs to."""

    room: str
    name: str


def pytest_configure(config: pytest.Config) -> None:
    """Properties try few examples, the same each time; the smallest that fails is not sought."""
    phases = (hypothesis.Phase.explicit, hypothesis.Phase.generate)
    hypothesis.settings.register_profile(
        "mutate",
        max_examples=25,
        derandomize=True,
        deadline=None,
        database=None,
        phases=phases,
        report_multiple_bugs=False,
    )
    hypothesis.settings.load_profile("mutate")


def pytest_runtestloop(session: pytest.Session) -> bool:
    """In place of the tests: every mutant."""
    wanted = os.environ["MERAK_MUTATE"].split()
    began, results = time.monotonic(), []
    with redirect_stdout(StringIO()):
        if "data" in wanted:
            results += list(_data(session))
        if "guards" in wanted or "again" in wanted:
            if "guards" in wanted:
                KEPT.unlink(missing_ok=True)
            results += list(_guards(session, _kept()))
    _report(results, time.monotonic() - began)
    return True


#: The guards that were noticed, a name a line, so that a trial that was broken off goes on where it was.
KEPT = ROOT / "var/mutants.kept"


def _kept() -> set[str]:
    return set(KEPT.read_text(encoding="utf-8").splitlines()) if KEPT.exists() else set()


def _report(results: list[tuple[Mutant, str]], seconds: float) -> None:
    named = (ROOT / "docs/safety.md").read_text(encoding="utf-8")
    all_, noticed = Counter(one.room for one, _ in results), Counter(one.room for one, by in results if by)
    survivors = [one for one, by in results if not by]
    lines = [f"{room}: {noticed[room]} of {many} noticed ({noticed[room] / many:.1%})" for room, many in all_.items()]
    unnamed = [one for one in survivors if one.name not in named]
    lines += [f"survived: {one.room}: {one.name}{' (not in docs/safety.md)' * (one in unnamed)}" for one in survivors]
    share = sum(noticed.values()) / max(sum(all_.values()), 1)
    lines.append(f"{sum(noticed.values())} of {sum(all_.values())} noticed ({share:.1%}) in {seconds / 60:.1f} min")
    (ROOT / "var/mutants.txt").write_text("\n".join(lines) + "\n", encoding="utf-8")
    sys.stderr.write("\n".join(lines) + "\n")
    os._exit(0 if share >= LEAST and not unnamed else 1)


# The data.


def _data(session: pytest.Session) -> Iterator[tuple[Mutant, str]]:
    from merak.core.knowledge import published
    from merak.core.knowledge.current import working_by

    tests = [
        item
        for name in TABLES
        for item in session.items
        if isinstance(item, pytest.Function)
        and item.path.stem == name
        and (name != "test_closed" or item.originalname == AS_IT_STANDS)
        and set(signature(item.obj).parameters) <= set(item.callspec.params if hasattr(item, "callspec") else ())
    ]
    assert len(tests) > 100 and not _failing(tests), "the tables hold for the book as it is"
    for n, (mutant, update) in enumerate(_spoilt(published())):
        with working_by(f"mutant {n}", published().model_copy(update=update)):
            yield mutant, _failing(tests)


def _failing(tests: list[pytest.Function]) -> str:
    """The first test that fails, "" where none does."""
    for item in tests:
        try:
            item.obj(**(item.callspec.params if hasattr(item, "callspec") else {}))
        except Exception:
            return item.name
    return ""


def _spoilt(book: Any) -> Iterator[tuple[Mutant, dict[str, Any]]]:
    """Every number moved by a tenth or one, every verdict one milder, every ruling, place and member left out."""
    for kind in type(book).model_fields:
        there = getattr(book, kind)
        for n, entry in enumerate(there):
            for words, new in _of_entry(kind, entry):
                name = f"{kind} {getattr(entry, 'id', n)}: {words}"
                yield Mutant("the rule book", name), {kind: (*there[:n], new, *there[n + 1 :])}


#: What is changed of each kind of entry; landmarks, strokes and tissue are geometry and physics, with checks of theirs.
NUMBERS = {
    "rule": ("value",),
    "margin": ("value",),
    "mark_kind": ("keep_mm",),
    "trait": ("load", "settle_h"),
    "agent": ("dark", "others", "after_open", "course"),
    "advice": ("from_h", "until_h"),
    "home": ("from_h", "until_h"),
    "sign": ("least",),
    "product": ("film", "life_min"),
}
LISTS = {
    "margin": ("works",),
    "no_go": ("works", "places"),
    "mark_kind": ("keeps_out",),
    "group": ("members",),
    "advice": ("tags",),
    "pairing": ("a", "b"),
    "product": ("lets", "holds"),
    "on_skin": ("coat", "guards", "clear"),
    "guard": ("hides", "also"),
}
#: What is so or not so, turned round.
FLAGS = {
    "product": ("sterile", "photosensitising", "off"),
    "skin_state": ("inside",),
    "on_skin": ("film", "lifts", "touches"),
    "guard": ("only",),
    "agent": ("opens", "shorter"),
}
#: Degrees by state: each one less, so that the least is gone.
DEGREES = {"on_skin": ("leaves", "bears", "asks", "gives", "ends", "sterile", "counts")}


def _of_entry(kind: str, entry: Any) -> Iterator[tuple[str, Any]]:
    for field in NUMBERS.get(kind, ()):
        value = getattr(entry, field)
        if value is not None and not (field != "value" and value == 0):
            moved = value + (1 if isinstance(value, int) or value == 0 else 0.1 * value)
            yield f"{field} {value:g} → {moved:g}", entry.model_copy(update={field: moved})
    for field in LISTS.get(kind, ()):
        members = getattr(entry, field)
        for member in members:
            left = tuple(one for one in members if one != member)
            yield f"{field} without {member}", entry.model_copy(update={field: left})
    for field in FLAGS.get(kind, ()):
        yield f"{field} turned", entry.model_copy(update={field: not getattr(entry, field)})
    for field in DEGREES.get(kind, ()):
        for state, degree in getattr(entry, field).items():
            left = {one: each - (one == state) for one, each in getattr(entry, field).items()}
            lower = {one: each for one, each in left.items() if each > 0 or field == "ends"}
            yield f"{field} {state} {degree} → {degree - 1}", entry.model_copy(update={field: lower})
    if kind == "skin_state":
        for n, hours in enumerate(entry.hours):
            less = tuple(h - 1 if m == n else h for m, h in enumerate(entry.hours))
            yield f"hours {hours:g} → {hours - 1:g}", entry.model_copy(update={"hours": less})
    if kind == "agent":
        for n, days in enumerate(entry.again):
            less = tuple(d - 1 if m == n else d for m, d in enumerate(entry.again))
            yield f"again {days} → {days - 1}", entry.model_copy(update={"again": less})
    if kind == "sign":
        yield from ((words, entry.model_copy(update={"rulings": new})) for words, new in _of_rulings(entry.rulings))
    if kind == "question":
        for n, option in enumerate(entry.options):
            for state in option.leaves:
                clean = option.model_copy(update={"leaves": {}})
                options = (*entry.options[:n], clean, *entry.options[n + 1 :])
                yield f"{option.id}: leaves nothing of {state}", entry.model_copy(update={"options": options})
            for words, new in _of_rulings(option.rulings):
                changed = option.model_copy(update={"rulings": new})
                options = (*entry.options[:n], changed, *entry.options[n + 1 :])
                yield f"{option.id}: {words}", entry.model_copy(update={"options": options})


def _of_rulings(rulings: tuple[Any, ...]) -> Iterator[tuple[str, tuple[Any, ...]]]:
    for n, ruling in enumerate(rulings):
        on = " ".join(ruling.on)
        yield f"{on}: {ruling.verdict} left out", (*rulings[:n], *rulings[n + 1 :])
        changes: list[tuple[str, dict[str, Any]]] = []
        if ruling.verdict in MILDER:
            milder = MILDER[ruling.verdict]
            changes.append((f"{ruling.verdict} → {milder}", {"verdict": milder}))
        changes += [
            (f"{field} {value} → {value - 1}", {field: value - 1})
            for field in ("days", "months")
            if (value := getattr(ruling, field))
        ]
        for words, update in changes:
            yield f"{on}: {words}", (*rulings[:n], ruling.model_copy(update=update), *rulings[n + 1 :])


# The guards.


class Guard(NamedTuple):
    """A function with one guard changed."""

    mutant: Mutant
    path: Path
    function: str
    line: int
    code: CodeType

    @property
    def module(self) -> str:
        """The module that it stands in."""
        return f"merak.core.{self.mutant.room}.{self.path.stem}"


#: (file, function) → (seconds, test) of those that call it.
Calls = dict[tuple[str, str], list[tuple[float, int]]]

SWAPS: dict[type[ast.cmpop], type[ast.cmpop]] = {
    ast.Lt: ast.LtE,
    ast.LtE: ast.Lt,
    ast.Gt: ast.GtE,
    ast.GtE: ast.Gt,
    ast.Eq: ast.NotEq,
    ast.NotEq: ast.Eq,
    ast.In: ast.NotIn,
    ast.NotIn: ast.In,
    ast.Is: ast.IsNot,
    ast.IsNot: ast.Is,
}


class _Changes(ast.NodeTransformer):
    """Changes the `which`-th guard that it meets, and says how."""

    def __init__(self, which: int) -> None:
        self.which, self.met, self.words = which, -1, ""

    def _turn(self) -> bool:
        self.met += 1
        return self.met == self.which

    def _said(self, old: ast.AST, new: ast.AST) -> Any:
        self.words = f"`{ast.unparse(old)}` → `{ast.unparse(new)}`"
        return ast.copy_location(new, old)

    def visit_Compare(self, node: ast.Compare) -> Any:
        """Another comparison."""
        self.generic_visit(node)
        for n, op in enumerate(node.ops):
            if type(op) in SWAPS and self._turn():
                ops = [*node.ops[:n], SWAPS[type(op)](), *node.ops[n + 1 :]]
                return self._said(node, ast.Compare(node.left, ops, node.comparators))
        return node

    def visit_BoolOp(self, node: ast.BoolOp) -> Any:
        """Or for and."""
        self.generic_visit(node)
        if self._turn():
            return self._said(node, ast.BoolOp(ast.Or() if isinstance(node.op, ast.And) else ast.And(), node.values))
        return node

    def visit_UnaryOp(self, node: ast.UnaryOp) -> Any:
        """Without its not."""
        self.generic_visit(node)
        if isinstance(node.op, ast.Not) and self._turn():
            return self._said(node, node.operand)
        return node

    def _plain_test(self, node: Any) -> Any:
        self.generic_visit(node)
        if isinstance(node.test, ast.Name | ast.Call | ast.Attribute) and self._turn():
            node.test = self._said(node.test, ast.UnaryOp(ast.Not(), node.test))
        return node

    visit_If = visit_IfExp = visit_While = _plain_test

    def visit_comprehension(self, node: ast.comprehension) -> Any:
        """Of a comprehension whatever it leaves out."""
        self.generic_visit(node)
        for n, test in enumerate(node.ifs):
            if isinstance(test, ast.Name | ast.Call | ast.Attribute) and self._turn():
                node.ifs[n] = self._said(test, ast.UnaryOp(ast.Not(), test))
        return node


def guards() -> Iterator[Guard]:
    """Every guard of the rooms, changed one at a time; of several that read alike the second is called so."""
    met: Counter[str] = Counter()
    for room in ROOMS:
        for path in sorted((ROOT / "merak/core" / room).glob("*.py")):
            text = path.read_text(encoding="utf-8")
            for name, line in _functions(ast.parse(text)):
                which = 0
                while True:
                    tree = ast.parse(text)
                    found = next(node for got, node in _nodes(tree) if (got, node.lineno) == (name, line))
                    changes = _Changes(which)
                    changes.visit(found)
                    if not changes.words:
                        break
                    code = _code(compile(ast.fix_missing_locations(tree), str(path), "exec"), name, line)
                    if code:
                        at = f"{room}/{path.name}: {name}: {changes.words}"
                        met[at] += 1
                        again = f" ({met[at]})" * (met[at] > 1)
                        yield Guard(Mutant(room, at + again), path, name, line, code)
                    which += 1


def _nodes(tree: ast.Module) -> Iterator[tuple[str, Any]]:
    """The functions and methods of a module, by their qualified names; what is inside them belongs to them."""
    for node in tree.body:
        if isinstance(node, ast.FunctionDef):
            yield node.name, node
        elif isinstance(node, ast.ClassDef):
            yield from ((f"{node.name}.{one.name}", one) for one in node.body if isinstance(one, ast.FunctionDef))


def _functions(tree: ast.Module) -> list[tuple[str, int]]:
    return [(name, node.lineno) for name, node in _nodes(tree)]


def _code(module: CodeType, name: str, line: int) -> CodeType | None:
    """The code of a function, by its qualified name."""
    left = [module]
    while left:
        for one in left.pop().co_consts:
            if isinstance(one, CodeType):
                if one.co_qualname == name and one.co_firstlineno <= line <= max(n or 0 for *_, n in one.co_lines()):
                    return one
                left.append(one)
    return None


def _guards(session: pytest.Session, noticed: set[str]) -> Iterator[tuple[Mutant, str]]:
    """Every guard with a few tests each; what survives them with more. What is `noticed` already is not tried again."""
    items = [item for item in session.items if isinstance(item, pytest.Function)]
    calls = _trusted(_who_calls(items), items)
    left = []
    for guard in guards():
        if guard.mutant.name in noticed:
            yield guard.mutant, "noticed"
        else:
            left.append(guard)
    for least_s, most_s in pairwise((0, *BUDGETS_S)):
        survived = []
        for guard, by in _tried(left, items, calls, (least_s, most_s)):
            if by:
                yield guard.mutant, by
            else:
                survived.append(guard)
        left = survived
    yield from ((guard.mutant, "") for guard in left)


def _tried(
    wanted: list[Guard], items: list[pytest.Function], calls: Calls, budget_s: tuple[int, int]
) -> Iterator[tuple[Guard, str]]:
    left, done = list(wanted), 0
    alive: dict[int, tuple[Guard, float]] = {}
    _progress(f"{len(left)} guards, with tests of {budget_s[0]} to {budget_s[1]} s each")
    while left or alive:
        while left and len(alive) < (os.cpu_count() or 1):
            guard = left.pop(0)
            tests = [
                items[n] for n in _within(guard, calls.get((guard.path.name, guard.function), []), items, budget_s)
            ]
            alive[_child(lambda: _noticed(guard, tests))] = (guard, time.monotonic())  # noqa: B023  (forked at once)
        pid, status = os.wait()
        if pid in alive:
            guard, began = alive.pop(pid)
            done += 1
            _progress(f"{done} {guard.mutant.name}: {status} in {time.monotonic() - began:.1f} s")
            if status:
                with KEPT.open("a", encoding="utf-8") as kept:
                    kept.write(f"{guard.mutant.name}\n")
            yield guard, "noticed" if status else ""


def _progress(line: str) -> None:
    with (ROOT / "var/mutants.log").open("a", encoding="utf-8") as told:
        told.write(f"{line}\n")


def _child(does: Callable[[], int]) -> int:
    """A child that does this and ends with what comes of it; one that hangs is ended."""
    pid = os.fork()
    if pid:
        return pid
    signal.alarm(HANGS_S)
    try:
        os._exit(does())
    except BaseException:
        os._exit(1)
    return 0


#: (file, name, first line) → the functions of that code, wherever they are held.
_FUNCTIONS: dict[tuple[str, str, int], list[FunctionType]] = defaultdict(list)


def _noticed(guard: Guard, tests: list[pytest.Function]) -> int:
    """1 where a test fails with the changed guard, 0 where none does or none runs it."""
    swapped = _FUNCTIONS[str(guard.path), guard.function, guard.code.co_firstlineno]
    for function in swapped:
        function.__code__ = guard.code
    return int(bool(swapped) and any(_fails(item) for item in tests))


def _fails(item: pytest.Function) -> bool:
    return any(report.failed for report in runtestprotocol(item, log=False, nextitem=None))


def _who_calls(items: list[pytest.Function]) -> Calls:
    """(file, function) → the tests that call it, each with its seconds under watch.

    What follows from other rooms stays remembered, so that children are quick; what follows from these is forgotten.
    """
    found: Calls = defaultdict(list)
    calls: dict[tuple[Path, str], set[tuple[str, str]]] = defaultdict(set)
    took: list[tuple[float, tuple[Path, str]]] = []
    _progress(f"{len(items)} tests, to learn which calls what")
    for item in items:
        test = (item.path, item.originalname)
        if test not in calls:
            _forget()  # who finds something remembered calls nothing: cases of one test stand for each other
        began = time.monotonic()
        sys.setprofile(lambda frame, event, _, called=calls[test]: _note(frame, event, called))  # type: ignore[misc]
        failed = _fails(item)
        sys.setprofile(None)
        took.append((float("nan") if failed else time.monotonic() - began, test))
    for n, (seconds, test) in enumerate(took):
        for function in calls[test] if seconds == seconds else ():
            found[function].append((seconds, n))
    _forget()
    gc.collect()
    for one in gc.get_objects():
        if isinstance(one, FunctionType):
            _FUNCTIONS[one.__code__.co_filename, one.__code__.co_qualname, one.__code__.co_firstlineno].append(one)
    gc.freeze()  # children share these pages
    return found


def _trusted(calls: Calls, items: list[pytest.Function]) -> Calls:
    """The calls without the tests that fail in a child where nothing is changed: they would notice whatever is."""
    fail = ROOT / "var/mutants.fail"
    fail.write_text("", encoding="utf-8")
    files: dict[Path, list[int]] = defaultdict(list)
    for n, item in enumerate(items):
        files[item.path].append(n)
    left, alive = list(files.values()), 0
    while left or alive:
        while left and alive < (os.cpu_count() or 1):
            numbers = left.pop()
            _child(lambda: _write_failing(fail, numbers, items))  # noqa: B023  (forked at once)
            alive += 1
        os.wait()
        alive -= 1
    failing = {int(line) for line in fail.read_text(encoding="utf-8").split()}
    for n in sorted(failing):
        _progress(f"fails whatever is changed: {items[n].nodeid}")
    return {function: [(took, n) for took, n in by if n not in failing] for function, by in calls.items()}


def _write_failing(fail: Path, numbers: list[int], items: list[pytest.Function]) -> int:
    with fail.open("a", encoding="utf-8") as told:
        for n in numbers:
            if _fails(items[n]):
                told.write(f"{n}\n")
    return 0


def _forget() -> None:
    """Nothing that follows from the rooms is remembered any more."""
    for name, module in list(sys.modules.items()):
        if name.startswith((*(f"merak.core.{room}" for room in ROOMS), "tests.", "builders.")):
            for one in vars(module).values():
                getattr(one, "cache_clear", lambda: None)()


def _within(
    guard: Guard, tests: list[tuple[float, int]], items: list[pytest.Function], budget_s: tuple[int, int]
) -> Iterator[int]:
    """The tests of this part of the time: those of files that name the guard's own first, and the quickest; each case
    more of one test counts as so much longer.
    """
    met: Counter[str] = Counter()
    turns = []
    for took, n in sorted(tests):
        name = f"{items[n].path}::{items[n].originalname}"
        turns.append((not guard.module.startswith(_named(items[n].path)), took * (1 + met[name]), took, n))
        met[name] += 1
    least_s, most_s = budget_s
    spent = 0.0
    for place, (*_, took, n) in enumerate(sorted(turns)):
        spent += took
        if spent > most_s and place >= 3:
            return
        if not (spent <= least_s or (least_s and place < 3)):
            yield n


@cache
def _named(test: Path) -> tuple[str, ...]:
    """The modules of the rooms that a file of tests imports from, and the packages."""
    tree = ast.parse(test.read_text(encoding="utf-8"))
    named = {one.module or "" for one in ast.walk(tree) if isinstance(one, ast.ImportFrom)}
    return tuple(sorted(one for one in named if one.startswith(tuple(f"merak.core.{room}" for room in ROOMS))))


ROOM_PATH = re.compile(r"merak/core/(?:" + "|".join(ROOMS) + r")/")


def _note(frame: Any, event: str, called: set[tuple[str, str]]) -> None:
    code = frame.f_code
    if event == "call" and ROOM_PATH.search(code.co_filename):
        # What is inside a function belongs to it.
        called.add((Path(code.co_filename).name, code.co_qualname.partition(".<locals>")[0]))
