"""The page of an edition as PDF, set from its own HTML: tagged, with bookmarks, running title and page numbers."""

from __future__ import annotations

import logging

from waiting import Turns

# What a reader of a PDF does not see, as a width of letters that it cannot set, is no news.
logging.getLogger("weasyprint").setLevel(logging.ERROR)
_setting = Turns("Another PDF is being set")


def pdf_of(html: str) -> bytes:
    """The PDF. Nothing is fetched for it: what the page needs stands in it, as fonts do."""
    from weasyprint import HTML  # noqa: PLC0415 - slow to load, and rarely wanted
    from weasyprint.urls import URLFetcher  # noqa: PLC0415 - as above

    with _setting.turn():
        found = HTML(string=html, url_fetcher=URLFetcher(allowed_protocols={"data"})).write_pdf(pdf_variant="pdf/ua-1")
    return bytes(found or b"")
