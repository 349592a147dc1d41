"""The real application as a process of its own, and people signed in to it."""

import signal
import socket
import ssl
import subprocess
import sys
import time
from typing import Any

import httpx

from builders.database import ROOT

PASSWORD = "vesper-quay"
#: How long an answer is waited for: a busy machine is no fault, and how quick it is says the benchmark.
PATIENCE_S = 90
#: Everything is on loopback and in clear; loading whom to trust takes a client a tenth of a second.
IN_CLEAR = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)


def client_of(url: str, **options: Any) -> httpx.Client:
    """Somebody who has not signed in yet."""
    return httpx.Client(base_url=url, timeout=PATIENCE_S, verify=IN_CLEAR, **options)


def ready(url: str) -> None:
    """Returns once the server answers."""
    deadline = time.monotonic() + PATIENCE_S
    with client_of(url) as client:
        while time.monotonic() < deadline:
            try:
                if client.get("/health").status_code == 200:
                    return
            except httpx.TransportError:
                time.sleep(0.02)  # a poll for readiness, not a wait for an outcome
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


def sign_in(url: str, login: str) -> httpx.Client:
    """An HTTP client that is signed in; its CSRF token rides along."""
    client = client_of(url, follow_redirects=True)
    client.get("/sign-in")
    answer = client.post("/sign-in", data={"csrf": client.cookies["visitor"], "login": login, "password": PASSWORD})
    client.headers["x-csrf-token"] = answer.text.split('X-CSRF-Token": "')[1].split('"')[0]
    return client
