"""A database of the demo for each worker, the real server in front of it, the real Chromium; made only for tests that
ask for them.
"""

import os
from collections.abc import Iterator
from datetime import UTC
from pathlib import Path
from typing import TYPE_CHECKING

import hypothesis
import pytest
from playwright.sync_api import Browser, sync_playwright

from builders.database import demo_database, demo_template_ahead
from builders.server import Server
from merak.cli import settle

if TYPE_CHECKING:
    from uuid import UUID

    from merak.services.context import Context


# How quick something is says the benchmark; a property that a busy machine is slow at still holds. Each time it meets
# forty other examples.
hypothesis.settings.register_profile("merak", deadline=None, max_examples=40)
hypothesis.settings.load_profile("merak")

#: The slow rooms first, so that no worker is left alone with one at the end.
ROOMS = ("browser", "services", "web", "outside", "book", "core")
#: Before them some that need no database: meanwhile the demo's template is made.
MEANWHILE = ("test_closed.py", "test_bulk_heat.py", "test_laying.py", "test_modalities.py")


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    items.sort(key=lambda item: (item.path.name not in MEANWHILE, ROOMS.index(item.path.parent.name)))


def pytest_collection_finish() -> None:
    """What was collected stays: the collector need not walk it again and again."""
    settle()


@pytest.fixture(scope="session")
def run_folder(tmp_path_factory: pytest.TempPathFactory, worker_id: str) -> Path:
    """One folder for all workers."""
    mine = tmp_path_factory.getbasetemp()
    return mine if worker_id == "master" else mine.parent


@pytest.fixture(scope="session", autouse=True)
def template_ahead(request: pytest.FixtureRequest) -> None:
    """One of several workers begins the demo's template while they are at what needs none."""
    rooms = {item.path.parent.name for item in request.session.items}
    if os.environ.get("PYTEST_XDIST_WORKER") == "gw0" and rooms & {"browser", "services", "web"}:
        demo_template_ahead(request.getfixturevalue("run_folder"))


@pytest.fixture(scope="session")
def demo(run_folder: Path, worker_id: str) -> str:
    """The address of a database with the demo in it; the process's own engine is pointed at it."""
    os.environ["MERAK_DATABASE_URL"] = demo_database(f"merak_{worker_id}", run_folder)
    return os.environ["MERAK_DATABASE_URL"]


@pytest.fixture(scope="session")
def server(demo: str) -> Iterator[Server]:
    running = Server()
    yield running
    running.kill()


@pytest.fixture
def ctx(demo: str, monkeypatch: pytest.MonkeyPatch) -> Iterator["Context"]:
    """Adaeze at work, on a Monday far from the demo's own days. Whatever is written is what would be read: a visit is
    opened next with the very body that was written.
    """
    from builders.work import MONDAY
    from merak.records import db, people, visits
    from merak.records.bodies import read
    from merak.services.context import Context

    keep = visits._seen

    def kept(visit_id: "UUID", key: "UUID", record: visits.VisitRecord) -> visits.VisitRecord:
        assert record.said is not None and read(type(record.said), record.text) == record.said
        return keep(visit_id, key, record)

    monkeypatch.setattr(visits, "_seen", kept)

    with db.work_session() as session:
        found = people.by_login(session, "adaeze")
        assert found
        yield Context(session, people.Worker(found.id, found.name, found.role), MONDAY.astimezone(UTC))


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    """Debian's Chromium; nothing of it looks for the network."""
    quiet = [
        "--no-sandbox",
        "--disable-gpu",
        "--disable-quic",
        "--disable-background-networking",
        "--disable-component-update",
        "--disable-sync",
    ]
    with sync_playwright() as playwright:
        chromium = playwright.chromium.launch(executable_path="/usr/bin/chromium-headless-shell", args=quiet)
        yield chromium
        chromium.close()
