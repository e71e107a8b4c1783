"""The page of an edition as PDF, set from its own HTML: tagged, with bookmarks, running title and page numbers.

And the picture of links to it, which is a page of the same kind.
"""

from __future__ import annotations

import io
import logging

from waiting import Turns

# What a reader of a PDF does not see, as a width of letters that it cannot set, is no news.
logging.getLogger("weasyprint").setLevel(logging.ERROR)
_setting = Turns("Another PDF is being set")
_painting = Turns("Another picture is being made")


def pdf_of(html: str) -> bytes:
    """The PDF. Nothing is fetched for it: what the page needs stands in it, as fonts do."""
    from weasyprint import HTML  # noqa: PLC0415 - slow to load, and rarely wanted
    from weasyprint.urls import URLFetcher  # noqa: PLC0415 - as above

    with _setting.turn():
        found = HTML(string=html, url_fetcher=URLFetcher(allowed_protocols={"data"})).write_pdf(pdf_variant="pdf/ua-1")
    return bytes(found or b"")


#: What places that show a link to a page take as its picture, px.
_PREVIEW_WIDTH = 1200


def png_of(html: str) -> bytes:
    """The first page as a picture."""
    import pypdfium2  # noqa: PLC0415 - rarely wanted

    content, out = pdf_of(html), io.BytesIO()
    # PDFium bears no two threads at once.
    with _painting.turn(), pypdfium2.PdfDocument(content) as document:
        page = document[0]
        page.render(scale=_PREVIEW_WIDTH / page.get_width()).to_pil().save(out, "PNG", optimize=True)
    return out.getvalue()
