"""Databases on the real PostgreSQL: an empty one, and the demo studio copied from a template that is made once for all
tests.
"""

import fcntl
import gzip
import os
import re
import subprocess
import sys
from pathlib import Path

import psycopg

ROOT = Path(__file__).parent.parent


def server_address() -> str:
    """The PostgreSQL server of ./test. Raises RuntimeError where there is none."""
    address = os.environ.get("MERAK_TEST_SERVER") or os.environ.get("MERAK_DATABASE_URL", "")
    if not address:
        raise RuntimeError("MERAK_DATABASE_URL is not set: run ./test, which starts a PostgreSQL of its own")
    os.environ["MERAK_TEST_SERVER"] = address
    return address


def cli(*words: str) -> None:
    """A command of the application, on the database that MERAK_DATABASE_URL names."""
    subprocess.run([sys.executable, "-m", "merak.cli", *words], cwd=ROOT, check=True, stdout=subprocess.DEVNULL)


def python(words: str, *more: str) -> None:
    """Some Python in a process of its own, on the same database."""
    subprocess.run([sys.executable, "-c", words, *more], cwd=ROOT, check=True, stdout=subprocess.DEVNULL)


def fresh_database(name: str, template: str = "template1") -> str:
    """A new database, thrown away first where it stands; its address."""
    with psycopg.connect(server_address(), autocommit=True) as db:
        db.execute(f"DROP DATABASE IF EXISTS {name} WITH (FORCE)")
        db.execute(f"CREATE DATABASE {name} TEMPLATE {template}")
    return server_address().rsplit("/", 1)[0] + f"/{name}"


TEMPLATE = "merak_template"


def demo_template(run: Path) -> None:
    """The demo studio, made once in a test run, whose folder `run` is; who comes meanwhile waits for it."""
    with (run / "template.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        made = run / "template.made"
        if made.exists():
            return
        address = fresh_database(TEMPLATE)
        before = os.environ.get("MERAK_DATABASE_URL", "")
        os.environ["MERAK_DATABASE_URL"] = address
        python("from merak.demo.studio import load; from merak.records.db import migrate; migrate(); load(fresh=False)")
        os.environ["MERAK_DATABASE_URL"] = before
        made.touch()


def demo_template_ahead(run: Path) -> None:
    """Begins it beside the tests that need no database."""
    subprocess.Popen([sys.executable, "-m", "builders.database", str(run)], cwd=ROOT)


def demo_database(name: str, run: Path) -> str:
    """A new database with the demo studio in it; its address. `run` is the folder of this test run."""
    demo_template(run)
    with (run / "template.lock").open("w") as lock:  # a template is copied by one at a time
        fcntl.flock(lock, fcntl.LOCK_EX)
        return fresh_database(name, TEMPLATE)


def demo_copied(address: str, run: Path) -> None:
    """The demo studio in a database of another cluster, which stands empty at `address`."""
    demo_template(run)
    source = server_address().rsplit("/", 1)[0] + f"/{TEMPLATE}"
    dump = subprocess.run(["pg_dump", "--no-owner", source], check=True, capture_output=True).stdout
    words = ["psql", "--quiet", "--set", "ON_ERROR_STOP=1", address]
    subprocess.run(words, input=dump, check=True, stdout=subprocess.DEVNULL)


def of_before(name: str, revision: str, data: Path) -> str:
    """A database as an earlier version left it, brought up to today's tables: its tables at `revision`, its rows from a
    gzipped dump of COPY blocks; its address.
    """
    address = fresh_database(name)
    words = (
        "import sys; from alembic.config import Config; from alembic import command; from merak.records.db import"
        " MIGRATIONS;"
    )
    words += "c = Config(); c.set_main_option('script_location', str(MIGRATIONS)); command.upgrade(c, sys.argv[1])"
    env = os.environ | {"MERAK_DATABASE_URL": address}
    subprocess.run([sys.executable, "-c", words, revision], cwd=ROOT, env=env, check=True)
    dump = gzip.decompress(data.read_bytes()).decode()
    with psycopg.connect(address) as db:
        db.execute("SET session_replication_role = replica")  # rows stand in the order of tables, not of references
        for head, rows in re.findall(r"^(COPY .*? FROM stdin);\n(.*?)\\\.$", dump, flags=re.S | re.M):
            with db.cursor().copy(head) as copy:
                copy.write(rows)
        for then in re.findall(r"^SELECT pg_catalog\.setval.*?;$", dump, flags=re.M):
            db.execute(then)
    subprocess.run([sys.executable, "-m", "merak.cli", "migrate"], cwd=ROOT, env=env, check=True)
    return address


if __name__ == "__main__":
    demo_template(Path(sys.argv[1]))
