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
    token = _HELD.set(InForce(edition, book))
    try:
        yield
    finally:
        _HELD.reset(token)


def by_book(most: int | None = None) -> Callable[[Callable[Given, Found]], Callable[Given, Found]]:
    """The standard library's cache, for each rule book apart: its last `most` results, all of them with None."""

    def of(work: Callable[Given, Found]) -> Callable[Given, Found]:
        kept: dict[str, Any] = {}

        @wraps(work)
        def asked(*given: Given.args, **named: Given.kwargs) -> Found:
            found = _HELD.get()
            by = found.edition if found else ""
            cached: Any = kept.get(by)
            if cached is None:
                for older in [one for one in tuple(kept) if one][: max(0, len(kept) - BOOKS + 1)]:
                    kept.pop(older, None)
                cached = kept[by] = lru_cache(maxsize=most)(work)
            result: Found = cached(*given, **named)
            return result

        asked.cache_clear = kept.clear  # type: ignore[attr-defined]
        return asked

    return of
