"""Pages to PDF, by WeasyPrint."""

from pathlib import Path
from typing import Any


def pdf(html: str, base: Path) -> bytes:
    """An HTML page as PDF. Only files below `base` are read: nothing is fetched."""
    from weasyprint import HTML, default_url_fetcher  # heavy: only when a sheet is made

    def local_only(url: str, *args: Any, **kwargs: Any) -> Any:
        if not url.startswith(base.resolve().as_uri()):
            raise ValueError(f"not fetched: {url}")
        return default_url_fetcher(url, *args, **kwargs)

    return bytes(HTML(string=html, base_url=base.resolve().as_uri() + "/", url_fetcher=local_only).write_pdf())
