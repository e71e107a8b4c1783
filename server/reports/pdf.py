"""The page of an edition as PDF, set from its own HTML: tagged, with bookmarks, running title and page numbers."""

from __future__ import annotations

from typing import Any

from waiting import Turns

_setting = Turns("Another PDF is being set")


def pdf_of(html: str) -> bytes:
    """The PDF. Nothing is fetched for it: what the page needs stands in it."""
    from weasyprint import HTML  # noqa: PLC0415 - slow to load, and rarely wanted

    with _setting.turn():
        found = HTML(string=html, url_fetcher=_nothing).write_pdf(pdf_variant="pdf/ua-1")
    return bytes(found or b"")


def _nothing(url: str, *_: Any, **__: Any) -> Any:
    if url.startswith("data:"):
        from weasyprint import default_url_fetcher  # noqa: PLC0415 - as above

        return default_url_fetcher(url)
    raise ValueError(f"nothing is fetched for a PDF: {url[:80]}")
