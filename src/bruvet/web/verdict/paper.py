"""A page as PDF, by WeasyPrint; it fetches nothing from anywhere."""

from __future__ import annotations

import logging
from pathlib import Path
from typing import Any

FONTS = Path(__file__).resolve().parents[1] / "static" / "vendor"


class NoPdf(RuntimeError):
    """This machine cannot make one; the text says what is missing."""


def as_pdf(html: str) -> bytes:
    """The page as PDF.

    Raises
    ------
    NoPdf
        Where Debian's Pango, which WeasyPrint draws text with, is not installed.
    """
    try:
        # Loaded when first asked for: it takes half a second, and needs libraries that a machine may not have.
        from weasyprint import HTML
        from weasyprint.urls import URLFetcher, URLFetcherResponse
    except OSError:
        raise NoPdf(
            "A PDF needs Debian's packages libpango-1.0-0, libpangoft2-1.0-0 and libharfbuzz-subset0, which are not on "
            "this machine. Print the page instead, or install them."
        ) from None
    logging.getLogger("weasyprint").setLevel(logging.CRITICAL)
    logging.getLogger("fontTools").setLevel(logging.WARNING)

    class OurFonts(URLFetcher):  # type: ignore[misc]
        """The house's fonts and what the page holds itself."""

        def fetch(self, url: str, headers: Any = None) -> URLFetcherResponse:
            if url.startswith("data:"):
                return super().fetch(url, headers)
            name = url.removeprefix("house:")
            if url.startswith("house:") and name.endswith(".woff2") and "/" not in name:
                return URLFetcherResponse(url, (FONTS / name).read_bytes(), {"Content-Type": "font/woff2"})
            raise ValueError("nothing is fetched")

    return bytes(HTML(string=html, url_fetcher=OurFonts(allowed_protocols=("data", "house"))).write_pdf())
