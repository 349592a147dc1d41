"""Forms are taken once: a press too many, a reload, a send over a slow line do nothing more."""

from collections.abc import Sequence
from hashlib import sha256

from merak.records import once
from merak.services.context import Context


def key_of(ctx: Context, path: str, said: Sequence[tuple[str, str]], length: str) -> str:
    """What tells this form from every other: who sends it, where to, what it says, how long it is with its files."""
    return sha256(repr((str(ctx.me.id), path, said, length)).encode(errors="replace")).hexdigest()


def claim(ctx: Context, key: str) -> bool:
    """Whether it is new."""
    return once.claim(ctx.db, key, ctx.now)


def through(ctx: Context, key: str) -> None:
    """It is done: whoever sent it meanwhile is told so."""
    once.through(ctx.db, key)


def give_back(ctx: Context, key: str) -> None:
    """It did nothing after all."""
    once.give_back(ctx.db, key)
