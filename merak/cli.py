"""Merak from the command line: python -m merak.cli serve | migrate | demo."""

import argparse
import ctypes
import gc
import logging
import sys
from contextlib import suppress
from typing import TYPE_CHECKING

from merak.core.errors import MerakError

if TYPE_CHECKING:
    from fastapi import FastAPI

#: glibc's name for how many heaps there may be.
M_ARENA_MAX = -8
#: Its names for the size from which a block is given back at once, and for how much may lie free at a heap's end.
M_MMAP_THRESHOLD = -3
M_TRIM_THRESHOLD = -1
#: A field of heat or a plate's grid is larger than this, a page smaller.
LARGE_BYTES = 128 * 1024


def main() -> int:
    """Runs one command; errors are one line."""
    parser = argparse.ArgumentParser(prog="merak", description=__doc__)
    commands = parser.add_subparsers(dest="command", required=True)
    serve = commands.add_parser("serve", help="serve the application")
    serve.add_argument("--port", type=int, default=8600)
    serve.add_argument(
        "--first", choices=("demo", "fresh-demo", "studio"), help="bring the tables up to date and load this first"
    )
    commands.add_parser("migrate", help="bring the tables up to date")
    demo = commands.add_parser("demo", help="load the invented studio, once")
    demo.add_argument("--fresh", action="store_true", help="throw everything away first, and load it relative to today")
    given = parser.parse_args()
    try:
        return {"serve": _serve, "migrate": _migrate, "demo": _demo}[given.command](given)
    except MerakError as error:
        print(f"merak: {error}", file=sys.stderr)
        return 1


def _serve(given: argparse.Namespace) -> int:
    from merak.server import make_app

    if given.first:
        _migrate(given)
        for line in _opening(given.first, given.port):
            print(line, flush=True)
    serve(make_app(), given.port)
    return 0


def _opening(first: str, port: int) -> list[str]:
    """What somebody who has just started Merak needs to know."""
    told = ["", f"  http://127.0.0.1:{port}", ""]
    if first == "studio":
        from merak.services.studio.practice import is_set_up, new_code

        if not is_set_up():
            told += [
                "  A new studio: open the address and set it up with this one-time code:",
                "",
                f"    {new_code()}",
                "",
            ]
    else:
        from merak.demo.studio import SIGN_INS, load

        load(fresh=first == "fresh-demo")
        told += ["  Demo sign-ins (name, role, password):", *(f"    {line}" for line in SIGN_INS), ""]
    return [*told, "  Ctrl-C stops everything."]


def settle() -> None:
    """What was loaded stays: the collector need not walk it again and again under somebody's hands."""
    gc.collect()
    gc.freeze()
    gc.set_threshold(20_000, 20, 50)


def serve(app: "FastAPI", port: int) -> None:
    """Serves an application on loopback until it is told to stop. Logs hold no personal data: one line an error, no
    access log.
    """
    import uvicorn

    logging.basicConfig(level=logging.WARNING, format="%(levelname)s %(name)s %(message)s")
    logging.getLogger("weasyprint").setLevel(logging.ERROR)  # it warns of styles, which are ours
    # Each thread would keep a heap of its own half empty; two for all of them keep the process small.
    with suppress(OSError, AttributeError):
        libc = ctypes.CDLL(None)
        libc.mallopt(M_ARENA_MAX, 2)
        libc.mallopt(M_MMAP_THRESHOLD, LARGE_BYTES)
        libc.mallopt(M_TRIM_THRESHOLD, LARGE_BYTES)
    settle()
    uvicorn.run(app, host="127.0.0.1", port=port, log_level="critical", access_log=False, timeout_graceful_shutdown=3)


def _migrate(given: argparse.Namespace) -> int:
    from merak.records.db import migrate
    from merak.services.clients.exposures import recount_once

    migrate()
    recount_once()
    return 0


def _demo(given: argparse.Namespace) -> int:
    from merak.demo.studio import SIGN_INS, load

    load(fresh=given.fresh)
    for line in SIGN_INS:
        print(line)
    return 0


if __name__ == "__main__":
    sys.exit(main())
