"""An edition as OpenDocument text: its headings, prose, claims, captions and tables, to be worked with elsewhere.

It is read off the page as it was drawn, so that it says what the page says; pictures stay with the page and the PDF,
and the table behind each of them stands here.
"""

from __future__ import annotations

import io
from collections.abc import Callable
from html.parser import HTMLParser

from odfdo import Cell, Document, Element, Header, Link, List, ListItem, Paragraph, Row, Span, Style, Table

_HEADINGS = {"h1": 1, "h2": 2, "h3": 3}
_PARAGRAPHS = {"p", "figcaption", "dt", "dd", "summary", "caption"}
_STRONG = {"strong", "b", "mark", "dt"}
#: What is not read: pictures, and what stands for no reader.
_PASSED = {"svg", "style", "script", "head"}
#: Tags that have no end.
_VOID = {"br", "img", "meta", "link", "hr", "input", "source", "col"}


def odt_of(page: str, title: str) -> bytes:
    """The document of a page that :func:`rendering.render` drew."""
    document = Document("text")
    document.body.clear()
    document.meta.title = title
    document.insert_style(Style("text", name="strong", bold=True), automatic=True)
    reader = _Reader(document.body.append)
    reader.feed(page)
    reader.close()
    out = io.BytesIO()
    document.save(out)
    return out.getvalue()


class _Reader(HTMLParser):
    """Reads a page of ours, element by element."""

    def __init__(self, put: Callable[[Element], object]) -> None:
        super().__init__(convert_charrefs=True)
        self.put = put
        self.tables = self.passed = 0
        self.strong = 0
        self.href = ""
        #: The paragraph or heading that is being read.
        self.open: Element | None = None
        self.lists: list[tuple[str, int]] = []
        self.items: List | None = None
        self.table: Table | None = None
        self.row: Row | None = None
        self.cell: list[str] | None = None

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        """Begin what an element is here."""
        if tag in _PASSED or self.passed:
            self.passed += tag not in _VOID
            return
        if tag == "table":
            self.tables += 1
            self.table = Table(f"Table {self.tables}")
        elif tag == "tr":
            self.row = Row()
        elif tag in ("th", "td"):
            self.cell = []
        elif tag in ("ul", "ol"):
            self.lists.append((tag, 0))
        elif tag in _HEADINGS and self.table is None:
            self.open = Header(_HEADINGS[tag])
        elif (tag in _PARAGRAPHS or tag == "li") and self.table is None:
            # A paragraph within an item of a list is that item.
            if self.open is None or tag != "p":
                self._close()
                self.open = Paragraph()
            if tag == "li" and self.lists:
                kind, count = self.lists[-1]
                self.lists[-1] = kind, count + 1
                if kind == "ol":
                    self.open.append(f"{count + 1}. ")
        elif tag == "br" and self.open is not None:
            self.open.append(" ")
        elif tag == "a":
            self.href = dict(attrs).get("href") or ""
        self.strong += tag in _STRONG

    def handle_endtag(self, tag: str) -> None:
        """End it."""
        if self.passed:
            self.passed -= 1
            return
        self.strong -= tag in _STRONG
        if tag == "a":
            self.href = ""
        elif tag in ("th", "td") and self.row is not None and self.cell is not None:
            self.row.append_cell(Cell(" ".join("".join(self.cell).split())))
            self.cell = None
        elif tag == "tr" and self.table is not None and self.row is not None:
            self.table.append_row(self.row)
            self.row = None
        elif tag == "table" and self.table is not None:
            self.put(self.table)
            self.table = None
        elif tag in ("ul", "ol") and self.lists:
            self.lists.pop()
        elif (tag in _HEADINGS or tag in _PARAGRAPHS or tag == "li") and (tag != "p" or not self.lists):
            self._close()

    def handle_data(self, data: str) -> None:
        """Text, where it stands."""
        if self.passed:
            return
        if self.cell is not None:
            self.cell.append(data)
        elif self.open is not None:
            if self.href.startswith(("http://", "https://")):
                self.open.append(Link(self.href, text=data))
            elif self.strong:
                self.open.append(Span(data, style="strong"))
            else:
                self.open.append(data)

    def _close(self) -> None:
        if self.open is None:
            return
        done, self.open = self.open, None
        if not done.text_recursive.strip():
            return
        if self.lists and self.lists[-1][0] == "ul":
            item = ListItem()
            item.append(done)
            whole = List()
            whole.append(item)
            done = whole
        self.put(done)
