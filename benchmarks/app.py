"""Merak with one bare endpoint more: a committed INSERT and nothing else, in the same app and the same run."""

import argparse
from uuid import uuid4

from fastapi.responses import PlainTextResponse
from sqlalchemy import text

from merak.cli import serve
from merak.records.db import session
from merak.server import make_app

app = make_app()


@app.post("/bare")
def bare() -> PlainTextResponse:
    """One INSERT, committed before the answer."""
    with session() as db:
        db.execute(text("INSERT INTO bare VALUES (:id, now(), 'stroke')"), {"id": uuid4()})
        db.commit()
    return PlainTextResponse("well")


if __name__ == "__main__":
    parser = argparse.ArgumentParser()
    parser.add_argument("--port", type=int)
    serve(app, parser.parse_args().port)
