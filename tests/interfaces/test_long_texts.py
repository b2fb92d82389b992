"""What the editor keeps of a long text is what the library works out each time."""

from __future__ import annotations

from hypothesis import given, settings
from hypothesis import strategies as st
from textual.app import App, ComposeResult
from textual.document._document import Document
from textual.document._wrapped_document import WrappedDocument
from textual.widgets import TextArea

from embrix.text.hidden import hide
from embrix.tui.editor import ProgramEditor
from embrix.tui.long_text import LongDocument, LongWrappedDocument

TEXTS = st.text(st.sampled_from("ab \t\n(→日​́"), max_size=30)
EDITS = st.lists(st.tuples(st.integers(0, 40), st.integers(0, 40), TEXTS), max_size=8)


def place(document: Document, offset: int) -> tuple[int, int]:
    row = offset % document.line_count
    return row, min(offset // 2, len(document.get_line(row)))


@given(TEXTS, EDITS, st.integers(1, 12))
@settings(max_examples=300, deadline=None)
def test_a_long_document_is_like_any_other(
    text: str, edits: list[tuple[int, int, str]], width: int
) -> None:
    """The same text, size and height after any edits, wrapped or not."""
    long, plain = LongDocument(text), Document(text)
    ours, theirs = LongWrappedDocument(long), WrappedDocument(plain)
    for wrapping in (0, width):
        ours.wrap(wrapping, 4)
        theirs.wrap(wrapping, 4)
        for start, end, new in edits:
            sides = sorted((place(plain, start), place(plain, end)))
            for document, wrapped in ((long, ours), (plain, theirs)):
                done = document.replace_range(sides[0], sides[1], new)
                wrapped.wrap_range(sides[0], sides[1], done.end_location)
            assert long.text == plain.text
            assert long.get_size(4) == plain.get_size(4)
            assert ours.height == theirs.height


class Editing(App[None]):
    def compose(self) -> ComposeResult:
        yield ProgramEditor("one\ntwo")

    def get_theme_variable_defaults(self) -> dict[str, str]:
        return dict.fromkeys(("lock-ground", "lock-ink", "lock-faint", "lock-brass", "lock-deep"),
                             "#808080")  # fmt: skip


async def test_the_text_follows_every_way_to_change_it() -> None:
    """Typing, undo and redo, loading and pasting what cannot be edited as it is."""
    async with Editing().run_test() as pilot:
        editor = pilot.app.query_one(ProgramEditor)
        editor.focus()
        assert editor.text == "one\ntwo"
        await pilot.press("x")
        assert editor.text == "xone\ntwo"
        editor.undo()
        assert editor.text == "one\ntwo"
        editor.redo()
        assert editor.text == "xone\ntwo"
        editor.replace("a\x00b", (0, 0), (0, 1))
        assert editor.text == "a\x00bone\ntwo"
        assert TextArea.text.fget(editor) == hide(editor.text)  # type: ignore[attr-defined]
        editor.load_text("")
        assert editor.text == ""
        await pilot.press("y", "enter", "z")
        assert editor.text == "y\nz"
