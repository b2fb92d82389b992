"""Texts of thousands of lines in the library's text area: what it works out anew from all lines at
each key, or for each line that is drawn, is kept until the text changes."""

from __future__ import annotations

from rich.cells import cell_len
from textual.document._document import Document, EditResult, Location
from textual.document._document_navigator import DocumentNavigator
from textual.document._wrapped_document import WrappedDocument
from textual.geometry import Size
from textual.widgets import TextArea

WIDENING = 20
"""Columns by which the text gets wider at once: each time the whole screen is laid out anew."""


class LongDocument(Document):
    """A document that knows its text while nothing in it changes."""

    _known: str | None = None

    @property
    def text(self) -> str:
        if self._known is None:
            self._known = super().text
        return self._known

    def replace_range(self, start: Location, end: Location, text: str) -> EditResult:
        self._known = None
        return super().replace_range(start, end, text)

    def get_size(self, tab_width: int) -> Size:
        width = max(
            len(line) if line.isascii() and "\t" not in line
            else cell_len(line.expandtabs(tab_width))
            for line in self._lines
        )  # fmt: skip
        return Size(width, len(self._lines))


class LongWrappedDocument(WrappedDocument):
    """The lines as they are drawn, which need not be counted anew for each of them."""

    @property
    def height(self) -> int:
        return len(self._offset_to_line_info)


class LongTextArea(TextArea):
    """A text area on such documents."""

    def _set_document(self, text: str, language: str | None) -> None:
        super()._set_document(text, language)
        self.document = LongDocument(text)
        self.wrapped_document = LongWrappedDocument(self.document, tab_width=self.indent_width)
        self.navigator = DocumentNavigator(self.wrapped_document)
        self._rewrap_and_refresh_virtual_size()

    def _refresh_size(self) -> None:
        """Where the longest line is typed in, the text gets wider in steps; one that fits stays
        one that fits."""
        if self.soft_wrap:
            super()._refresh_size()
            return
        width, height = self.document.get_size(self.indent_width)
        width += self.gutter_width + 1
        room = self.scrollable_content_region.width
        wider = -(-width // WIDENING) * WIDENING
        self.virtual_size = Size(min(wider, room) if width <= room else wider, height)
        self._refresh_scrollbars()
