"""The real server, back at once when it is killed: everything is loaded, and what serves is a fork of it. For tests
that kill it often.

Prints the number of each fork that serves.
"""

import os
import sys

import uvicorn

from merak.cli import serve, settle
from merak.records.db import engine
from merak.server import make_app


def main() -> None:
    app, port = make_app(), int(sys.argv[-1])
    engine()  # no connection yet: those are each fork's own
    uvicorn.Config(app).load()
    settle()
    while True:
        serving = os.fork()
        if not serving:
            serve(app, port)
            os._exit(0)
        print(serving, flush=True)
        os.waitpid(serving, 0)


if __name__ == "__main__":
    main()
