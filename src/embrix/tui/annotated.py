"""A text with what there is to say about each line at the end of the line."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence

from msgspec import Struct
from rich.text import Text
from textual.geometry import Size

from embrix.messages.replies import Note
from embrix.messages.replies_on_suites import SuiteReport
from embrix.text.visible import visible
from embrix.tui.editor import ProgramEditor
from embrix.tui.theme import ink

SIGNS: dict[str, tuple[str, str]] = {
    "error": ("✗", "brick"), "warning": ("!", "brass"), "good": ("◆", "moss"),
}  # fmt: skip


OPENING = re.compile(
    r"(=>|\bthen|\belse|::=)\s*$|\bmatch\b[^=]*$"
    r"|^(language|interpreter|library|tokens|forms|grammar|value|data|define|prelude|choice)\b"
)
"""A line of a definition under which more is indented."""


class Remark(Struct, frozen=True):
    """Something to say about a line, which is counted from zero; `weight` is `error`, `warning` or
    `good`, a `hint` says what to do."""

    line: int
    weight: str
    text: str
    hint: str = ""

    @staticmethod
    def of(note: Note) -> Remark:
        return Remark(note.line - 1, note.severity, note.message, note.hint)


class AnnotatedEditor(ProgramEditor):
    """A definition or a suite; an error hides what else there is to say about a line."""

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__(id=id)
        self.remarks: dict[int, Remark] = {}
        """What stands at the end of each line: the first error, or what comes first."""
        self._rows_shown = 0
        self._given: list[Remark] = []
        self._said: dict[int, list[Remark]] = {}

    def opens_block(self, line: str) -> bool:
        """As the notation has it: after `=>`, `then`, `else`, `::=`, and a line at the margin that
        has more below it."""
        return OPENING.search(line) is not None

    def annotate(self, remarks: Iterable[Remark]) -> None:
        """Put remarks beside the lines they belong to."""
        remarks = list(remarks)
        if remarks == self._given:
            return
        self._given = remarks
        said: dict[int, list[Remark]] = {}
        for remark in remarks:
            said.setdefault(remark.line, []).append(remark)
        for found in said.values():
            found.sort(key=lambda remark: remark.weight != "error")
        with self._changing():
            self._said = said
            self.remarks = {line: found[0] for line, found in said.items()}

    def decorations(self, row: int) -> tuple[object, ...]:
        return (*super().decorations(row), self.remarks.get(row))

    def on_resize(self) -> None:
        """The line of the cursor stays in sight when there is less room for lines, and is seen from
        its first column where that is possible: it may have been gone to before there was room."""
        before, self._rows_shown = self._rows_shown, self.scrollable_content_region.height
        if self.cursor_location[1] < self.scrollable_content_region.width - self.gutter_width:
            self.scroll_to(x=0, animate=False)
        if 0 <= self.cursor_location[0] - self.scroll_offset.y < before:
            self.scroll_cursor_visible()

    def _refresh_size(self) -> None:
        """A remark is shown as far as there is room, also beside the longest line."""
        super()._refresh_size()
        room = self.scrollable_content_region.width
        if self.virtual_size.width < room:
            self.virtual_size = Size(room, self.virtual_size.height)

    def reveal_line(self, number: int, column: int = 0) -> None:
        """Put the cursor on a line, counted from zero, and show what stands around it."""
        self.move_cursor((number, column))
        self.scroll_to(y=max(0, number - 2), animate=False)

    @property
    def remarks_here(self) -> list[Remark]:
        """All there is to say about the line of the cursor."""
        return self._said.get(self.cursor_location[0], [])

    def get_line(self, line_index: int) -> Text:
        line = super().get_line(line_index)
        remark = self.remarks.get(line_index)
        if remark is not None:
            sign, colour = SIGNS[remark.weight]
            style = ink(self.app, colour, italic=True)
            line.append(f"   ◂{sign} {visible(remark.text)}", style)
        return line


def in_full(remarks: Sequence[Remark]) -> str:
    """Remarks as they stand under the text they are about."""
    lines: list[str] = []
    for remark in remarks:
        lines.append(visible(remark.text))
        if remark.hint:
            lines.append(f"→ {visible(remark.hint)}")
    return "\n".join(lines)


def verdicts(report: SuiteReport) -> list[Remark]:
    """One remark for each case: what its lanes give, or which of them fail."""
    remarks = []
    for case in report.cases:
        failed = [one for one in case.verdicts if one.state == "failed"]
        passed = [one for one in case.verdicts if one.state == "passed"]
        if failed:
            first = failed[0]
            text = f"{first.lane}: expected {first.expected}, but got {first.actual}"
            more = ", ".join(one.lane for one in failed[1:])
            hint = f"fails on {more} as well" if more else ""
            remarks.append(Remark(case.line - 1, "error", text, hint))
        elif passed:
            lanes = len({one.lane for one in passed})
            text = "as expected" if lanes == 1 else f"as expected on {lanes} lanes"
            remarks.append(Remark(case.line - 1, "good", text))
        else:
            remarks.append(Remark(case.line - 1, "warning", "waits for an interpreter"))
    return remarks
