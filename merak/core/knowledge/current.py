"""Which rule book counts: the one that was published, or what a studio has made of it while somebody works by that."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from functools import lru_cache, wraps
from typing import Any, NamedTuple, ParamSpec, TypeVar

Given = ParamSpec("Given")
Found = TypeVar("Found")
#: So many books are remembered at a time by whatever follows from one.
BOOKS = 4


class InForce(NamedTuple):
    """A rule book that counts in place of the published one, and the edition that it is known by."""

    edition: str
    book: Any
    #: Rule → its number, so that reading one is quick.
    numbers: dict[str, float]


_HELD: ContextVar[InForce | None] = ContextVar("rule book", default=None)


def held() -> InForce | None:
    """The book that counts here; None for the published one."""
    return _HELD.get()


def edition() -> str:
    """The edition of the book that counts here; "" for the published one."""
    found = _HELD.get()
    return found.edition if found else ""


@contextmanager
def working_by(edition: str, book: Any) -> Iterator[None]:
    """Whatever is read, reckoned and judged inside goes by this book."""
    numbers = {rule.id: rule.value for rule in book.rule if rule.value is not None}
    token = _HELD.set(InForce(edition, book, numbers))
    try:
        yield
    finally:
        _HELD.reset(token)


def by_book(most: int | None = None) -> Callable[[Callable[Given, Found]], Callable[Given, Found]]:
    """The standard library's cache, for each rule book apart: its last `most` results, all of them with None."""

    def of(work: Callable[Given, Found]) -> Callable[Given, Found]:
        published = lru_cache(maxsize=most)(work)
        others: dict[str, Any] = {}

        @wraps(work)
        def asked(*given: Given.args, **named: Given.kwargs) -> Found:
            other = _HELD.get()
            if other is None:
                return published(*given, **named)  # type: ignore[arg-type]
            cached: Any = others.get(other.edition)
            if cached is None:
                for older in tuple(others)[: max(0, len(others) - BOOKS + 1)]:
                    others.pop(older, None)
                cached = others[other.edition] = lru_cache(maxsize=most)(work)
            result: Found = cached(*given, **named)
            return result

        def forget() -> None:
            published.cache_clear()
            others.clear()

        asked.cache_clear = forget  # type: ignore[attr-defined]
        return asked

    return of
