"""Pages to PDF, by WeasyPrint in a process of its own: setting a sheet holds up no page, and its memory is not the
server's.

The process is asked over its standard input and answers over its standard output; it ends when the server does, or when
it was idle long.
"""

import select
import struct
import subprocess
import sys
from functools import cache
from io import BytesIO
from pathlib import Path
from threading import Lock
from typing import IO, Any
from urllib.parse import unquote, urlsplit

from merak.core.errors import MerakError

#: Seconds after which an idle process ends.
IDLE_S = 900
_LENGTH = struct.Struct(">I")
_lock = Lock()
_setter: subprocess.Popen[bytes] | None = None


class NotSet(MerakError):
    """A sheet could not be made into a PDF."""


def warm(base: Path) -> None:
    """Starts the process, so that it is ready, with the fonts below `base`, when the first sheet is asked for."""
    if _lock.acquire(blocking=False):
        try:
            _running(base)
        finally:
            _lock.release()


def pdf(html: str, base: Path) -> bytes:
    """An HTML page as PDF. Only files below `base` are read: nothing is fetched. Raises NotSet."""
    asked = (str(base.resolve()) + "\n" + html).encode()
    with _lock:
        for _ in range(2):  # it may have ended idle just now
            child = _running(base)
            try:
                return _asked(child, asked)
            except (OSError, EOFError):
                child.kill()
        raise NotSet("The PDF could not be made. Print the page instead.")


def _running(base: Path) -> subprocess.Popen[bytes]:
    global _setter
    if _setter is None or _setter.poll() is not None:
        command = [sys.executable, "-m", "merak.exchange.pdf", str(base)]
        _setter = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL)
    return _setter


def _asked(child: subprocess.Popen[bytes], asked: bytes) -> bytes:
    if child.stdin is None or child.stdout is None:
        raise EOFError
    _write(child.stdin, asked)
    answer = _read(child.stdout)
    if not answer.startswith(b"%PDF"):
        raise NotSet(f"The PDF could not be made: {answer.decode(errors='replace')[:200]}")
    return answer


def _write(to: IO[bytes], content: bytes) -> None:
    to.write(_LENGTH.pack(len(content)) + content)
    to.flush()


def _read(source: IO[bytes]) -> bytes:
    head = source.read(_LENGTH.size)
    if len(head) < _LENGTH.size:
        raise EOFError
    return source.read(_LENGTH.unpack(head)[0])


def serve(base: Path) -> None:
    """Sets one page after the other until nobody asks any more; fonts below `base` are unpacked before the first."""
    import weasyprint  # noqa: F401 (heavy: loaded before the first page is asked for)

    for font in base.rglob("*.woff2"):
        _unpacked(str(font))

    while select.select([sys.stdin.buffer], [], [], IDLE_S)[0]:
        try:
            where, _, html = _read(sys.stdin.buffer).decode().partition("\n")
        except EOFError:
            return
        try:
            made = _made(html, Path(where))
        except Exception as broken:  # told to whoever asked
            made = f"{type(broken).__name__}: {broken}".encode()
        _write(sys.stdout.buffer, made)


@cache
def _unpacked(path: str) -> bytes:
    """A web font as it was before it was packed: unpacking takes longer than setting a line, and is done once."""
    from fontTools.ttLib import TTFont

    font, out = TTFont(path), BytesIO()
    font.flavor = None
    font.save(out)
    return out.getvalue()


def _made(html: str, base: Path) -> bytes:
    from weasyprint import HTML
    from weasyprint.urls import URLFetcher, URLFetcherResponse

    root = base.as_uri() + "/"

    class BelowBase(URLFetcher):  # type: ignore[misc]
        """Refuses every address that is not below `base` or in the page itself."""

        def fetch(self, url: str, headers: Any = None) -> Any:
            """The file. Raises ValueError for anything else."""
            drawn = url.startswith("data:image/png;base64,")  # a signature, given with the page
            if not drawn and (not url.startswith(root) or ".." in url):
                raise ValueError(f"not fetched: {url}")
            if url.endswith(".woff2"):
                return URLFetcherResponse(url, _unpacked(unquote(urlsplit(url).path)), {"Content-Type": "font/ttf"})
            return super().fetch(url, headers)

    return bytes(HTML(string=html, base_url=root, url_fetcher=BelowBase()).write_pdf())


if __name__ == "__main__":
    serve(Path(sys.argv[1]).resolve())
