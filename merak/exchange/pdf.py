"""Pages to PDF, by WeasyPrint."""

import gc
from pathlib import Path
from typing import Any


def pdf(html: str, base: Path) -> bytes:
    """An HTML page as PDF. Only files below `base` are read: nothing is fetched."""
    from weasyprint import HTML  # heavy: only when a sheet is made
    from weasyprint.urls import URLFetcher

    root = base.resolve().as_uri() + "/"

    class BelowBase(URLFetcher):  # type: ignore[misc]
        """Refuses every address that is not below `base` or in the page itself."""

        def fetch(self, url: str, headers: Any = None) -> Any:
            """The file. Raises ValueError for anything else."""
            drawn = url.startswith("data:image/png;base64,")  # a signature, given with the page
            if not drawn and (not url.startswith(root) or ".." in url):
                raise ValueError(f"not fetched: {url}")
            return super().fetch(url, headers)

    made = bytes(HTML(string=html, base_url=root, url_fetcher=BelowBase()).write_pdf())
    gc.collect()  # a sheet leaves a tree of boxes behind that only the collector finds
    return made
