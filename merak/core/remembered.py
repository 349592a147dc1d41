"""What follows from values and the rule book alone is worked out once: the standard library's cache, keyed by what the
values are, and by the book that counts.
"""

from collections.abc import Callable
from functools import lru_cache, wraps
from typing import ParamSpec, TypeVar

from merak.core.knowledge.current import edition
from merak.core.working import by_value

Given = ParamSpec("Given")
Found = TypeVar("Found")


class _Call:
    """The arguments of a call, equal to others of the same values by the same rule book."""

    __slots__ = ("by", "given", "hashed", "named")

    def __init__(self, given: tuple[object, ...], named: dict[str, object]) -> None:
        self.given, self.named, self.by = given, named, edition()
        self.hashed = hash((by_value(given), by_value(named), self.by))

    def __hash__(self) -> int:
        return self.hashed

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Call) and (self.by, self.given, self.named) == (other.by, other.given, other.named)


def remembered(most: int) -> Callable[[Callable[Given, Found]], Callable[Given, Found]]:
    """A function of frozen values whose last `most` results are kept, the longest unused going first. What is raised is
    not kept.
    """

    def of(work: Callable[Given, Found]) -> Callable[Given, Found]:
        @lru_cache(maxsize=most)
        def kept(call: _Call) -> Found:
            return work(*call.given, **call.named)  # type: ignore[arg-type]

        @wraps(work)
        def asked(*given: Given.args, **named: Given.kwargs) -> Found:
            return kept(_Call(given, named))

        asked.cache_clear = kept.cache_clear  # type: ignore[attr-defined]
        return asked

    return of
