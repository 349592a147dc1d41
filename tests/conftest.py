"""A fresh database on the real PostgreSQL, the demo in it, the real server in front of it, the real Chromium."""

import os
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import httpx
import psycopg
import pytest
from playwright.sync_api import Browser, BrowserContext, Page, sync_playwright

ROOT = Path(__file__).parent.parent
SERVER_URL = os.environ.get("MERAK_DATABASE_URL", "")
PASSWORD = "vesper-quay"


def pytest_configure(config: pytest.Config) -> None:
    if not SERVER_URL:
        pytest.exit("MERAK_DATABASE_URL is not set: run ./test, which starts a PostgreSQL of its own", 2)


def cli(*words: str) -> None:
    subprocess.run([sys.executable, "-m", "merak.cli", *words], cwd=ROOT, check=True, stdout=subprocess.DEVNULL)


def fresh_database(name: str) -> str:
    with psycopg.connect(SERVER_URL, autocommit=True) as db:
        db.execute(f"DROP DATABASE IF EXISTS {name} WITH (FORCE)")
        db.execute(f"CREATE DATABASE {name}")
    return SERVER_URL.rsplit("/", 1)[0] + f"/{name}"


@pytest.fixture(scope="session")
def demo() -> str:
    """The address of a database with the demo in it; the process's own engine is pointed at it."""
    os.environ["MERAK_DATABASE_URL"] = fresh_database("merak_test")
    cli("migrate")
    cli("demo")
    return os.environ["MERAK_DATABASE_URL"]


def ready(url: str) -> None:
    """Returns once the server answers."""
    deadline = time.monotonic() + 30
    while time.monotonic() < deadline:
        try:
            if httpx.get(f"{url}/health").status_code == 200:
                return
        except httpx.TransportError:
            time.sleep(0.01)  # a poll for readiness, not a wait for an outcome
    raise RuntimeError("the server did not start")


class Server:
    """The real application as its own process."""

    def __init__(self, words: tuple[str, ...] = ("merak.cli", "serve")) -> None:
        self.words = words
        with socket.socket() as s:
            s.bind(("127.0.0.1", 0))
            self.port = s.getsockname()[1]
        self.url = f"http://127.0.0.1:{self.port}"
        self.start()

    def start(self) -> None:
        words = [sys.executable, "-m", *self.words, "--port", str(self.port)]
        self.process = subprocess.Popen(words, cwd=ROOT, stderr=subprocess.PIPE)
        ready(self.url)

    def kill(self) -> None:
        self.process.send_signal(signal.SIGKILL)
        self.process.wait()


@pytest.fixture(scope="session")
def server(demo: str) -> Iterator[Server]:
    running = Server()
    yield running
    running.kill()


def sign_in(url: str, login: str) -> httpx.Client:
    """An HTTP client that is signed in; its CSRF token rides along."""
    client = httpx.Client(base_url=url, follow_redirects=True)
    client.get("/sign-in")
    answer = client.post("/sign-in", data={"csrf": client.cookies["visitor"], "login": login, "password": PASSWORD})
    client.headers["x-csrf-token"] = answer.text.split('X-CSRF-Token": "')[1].split('"')[0]
    return client


@contextmanager
def signed_in_page(browser: Browser, server: Server, login: str, **options: object) -> Iterator[Page]:
    context: BrowserContext = browser.new_context(**{"viewport": {"width": 1280, "height": 800}, **options})  # type: ignore[arg-type]
    page = context.new_page()
    page.set_default_timeout(8000)
    page.goto(f"{server.url}/sign-in")
    page.get_by_label("Sign-in name").fill(login)
    page.get_by_label("Password").fill(PASSWORD)
    page.get_by_role("button", name="Sign in").click()
    page.wait_for_url(f"{server.url}/")
    yield page
    context.close()


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
        chromium = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=quiet)
        yield chromium
        chromium.close()
