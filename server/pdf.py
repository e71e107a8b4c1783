"""HTML of ours as PDF: tagged, with bookmarks, running title and page numbers; or as a picture of its first page."""

from __future__ import annotations

import io
import logging

from PIL.Image import Image
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
    """The first page as the picture of a link."""
    out = io.BytesIO()
    picture_of(html, _PREVIEW_WIDTH).save(out, "PNG", optimize=True)
    return out.getvalue()


def picture_of(html: str, width: int, *, clear: bool = False) -> Image:
    """The first page, so many px wide; `clear` where nothing is drawn, instead of white."""
    import pypdfium2  # noqa: PLC0415 - rarely wanted

    content = pdf_of(html)
    # PDFium bears no two threads at once.
    with _painting.turn(), pypdfium2.PdfDocument(content) as document:
        page = document[0]
        ground = (255, 255, 255, 0 if clear else 255)
        drawn = page.render(scale=width / page.get_width(), fill_color=ground, maybe_alpha=clear)
        found: Image = drawn.to_pil().copy()
    return found
