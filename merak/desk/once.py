"""Forms are taken once: a press too many, a reload, a send over a slow line do nothing more."""

from collections.abc import Sequence
from hashlib import sha256

from merak.desk.desk import Desk
from merak.records import once


def key_of(desk: Desk, path: str, said: Sequence[tuple[str, str]], length: str) -> str:
    """What tells this form from every other: who sends it, where to, what it says, how long it is with its files."""
    return sha256(repr((str(desk.me.id), path, said, length)).encode(errors="replace")).hexdigest()


def claim(desk: Desk, key: str) -> bool:
    """Whether it is new."""
    return once.claim(desk.db, key, desk.now)


def through(desk: Desk, key: str) -> None:
    """It is done: whoever sent it meanwhile is told so."""
    once.through(desk.db, key)


def give_back(desk: Desk, key: str) -> None:
    """It did nothing after all."""
    once.give_back(desk.db, key)
