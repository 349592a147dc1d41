"""Who follows a treatment live: whoever asked to be told is told when something was kept."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from uuid import UUID

_told: dict[UUID, set[Callable[[], None]]] = {}


@contextmanager
def following(visit_id: UUID, tell: Callable[[], None]) -> Iterator[None]:
    """While this lasts, `tell` is called after every change of the visit's treatment, from any thread: it must only
    wake somebody.
    """
    mine = _told.setdefault(visit_id, set())
    mine.add(tell)
    try:
        yield
    finally:
        mine.discard(tell)
        if not mine:
            _told.pop(visit_id, None)


def changed(visit_id: UUID) -> None:
    """Tells everybody who follows."""
    for tell in tuple(_told.get(visit_id, ())):
        tell()
