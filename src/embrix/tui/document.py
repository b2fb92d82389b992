"""The program that is open: its file, what was saved, what was not. Knows no widget."""

from __future__ import annotations

from pathlib import Path

from msgspec import Struct

from embrix.course.drafts import Draft, drop_draft, find_draft, is_unnamed, keep_draft, unnamed
from embrix.text.saving import save_text
from embrix.text.source import BYTE_ORDER_MARK, Unreadable, read_bytes


class ChangedElsewhere(Exception):
    """The file on disk is not the one that was read or saved last; `disk` is its text."""

    def __init__(self, disk: str) -> None:
        super().__init__("the file was changed elsewhere")
        self.disk = disk


class Document(Struct):
    """A program file, its path without links; `saved` is its text on disk as last read or written
    here (None: no file)."""

    path: Path
    saved: str | None = None
    mark: bool = False
    draft: Draft | None = None
    """The draft that it was opened with."""

    def __post_init__(self) -> None:
        if self.named:
            self.path = self.path.resolve()

    @staticmethod
    def open(path: Path) -> tuple[Document, str, bool]:
        """A document, its text, and whether that text is an unsaved draft. Raises `Unreadable`."""
        document = Document(path)
        path = document.path
        disk = document.disk()
        document.saved = disk
        draft = find_draft(path)
        if draft is not None and draft.text != disk:
            document.draft = draft
            return document, draft.text, True
        return document, disk or "", False

    @staticmethod
    def holding(path: Path, text: str) -> Document:
        """A document for a text that comes from elsewhere: at its path if nothing else is there,
        saved or not, and otherwise at one with a number."""
        at, number = path, 1
        while True:
            try:
                document, found, _ = Document.open(at)
                if found == text or (document.saved is None and document.draft is None):
                    return document
            except Unreadable:
                pass
            number += 1
            at = path.with_name(f"{path.stem}_{number}{path.suffix}")

    @staticmethod
    def without_name(folder: Path) -> tuple[Document, str, bool]:
        """A document of a course that has no name yet, with what was typed there last."""
        return Document.open(unnamed(folder))

    @property
    def named(self) -> bool:
        return not is_unnamed(self.path)

    def disk(self) -> str | None:
        """The text of the file as it is now; None where there is none. Raises `Unreadable`."""
        if not self.named or not self.path.exists():
            return None
        raw = read_bytes(self.path, self.path.name)
        try:
            text = raw.decode("utf-8")
        except UnicodeDecodeError as fault:
            raise Unreadable(f"{self.path.name} is not UTF-8 text") from fault
        self.mark = text.startswith(BYTE_ORDER_MARK)
        return text.removeprefix(BYTE_ORDER_MARK)

    def is_saved(self, text: str) -> bool:
        return text == (self.saved or "") if self.saved is not None else not text

    def disk_changed(self) -> str | None:
        """The text on disk if it is not what was last read or written here. Raises `Unreadable`."""
        disk = self.disk()
        return disk if disk is not None and disk != self.saved else None

    def vanished(self) -> bool:
        """Whether the file is gone that was read or written here; from then on its text counts as
        not saved."""
        gone = self.named and self.saved is not None and not self.path.exists()
        if gone:
            self.saved = None
        return gone

    def save(self, text: str) -> None:
        """Write the text. Raises OSError, `Unreadable`, and `ChangedElsewhere`."""
        disk = self.disk_changed()
        if disk is not None:
            raise ChangedElsewhere(disk)
        save_text(self.path, (BYTE_ORDER_MARK if self.mark else "") + text)
        self.saved = text
        self._drop()

    def keep(self, text: str) -> None:
        """Keep unsaved text outside the course; forget it when there is none. Raises OSError."""
        if self.is_saved(text):
            self._drop()
            return
        keep_draft(self.path, text)
        if self.draft is not None and self.draft.orphaned:
            self.draft.file.unlink(missing_ok=True)
            self.draft = None

    def _drop(self) -> None:
        drop_draft(self.path, self.draft)
        self.draft = None
