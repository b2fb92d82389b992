"""What Embrix has to say about a text: a code that stays, a sentence, a place, a repair.

A diagnostic is data. Its printed form, with the source line and the marker under it, is drawn on
demand by `render`.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Literal

from msgspec import Struct

from embrix.text.codes import CODES
from embrix.text.source import Source, Span
from embrix.text.visible import for_screen, visible

Severity = Literal["error", "warning"]


class Diagnostic(Struct, frozen=True):
    """One finding. `hint` names the repair, or is empty."""

    code: str
    message: str
    source: Source
    span: Span
    hint: str = ""
    severity: Severity = "error"

    def __post_init__(self) -> None:
        assert self.code in CODES, f"diagnostic code {self.code} has no entry"

    @property
    def place(self) -> str:
        line, column = self.source.position(self.span.start)
        return f"{self.source.name}:{line}:{column}"

    def follows(self, other: Diagnostic) -> bool:
        """Whether this may follow from another finding: one part of a text that does not fit is
        told once, and not of what stands around it."""
        same = self.code == other.code and self.source is other.source
        return same and self.span.start < other.span.end and other.span.start < self.span.end

    @property
    def note(self) -> str:
        """On one line: the sentence, and where."""
        return f"{self.message} ({self.place})"

    def as_data(self) -> dict[str, object]:
        """The diagnostic as plain data, for JSON."""
        line, column = self.source.position(self.span.start)
        end_line, end_column = self.source.position(self.span.end)
        return {
            "code": self.code,
            "severity": self.severity,
            "message": self.message,
            "file": self.source.name,
            "line": line,
            "column": column,
            "end_line": end_line,
            "end_column": end_column,
            "hint": self.hint,
        }


class Findings:
    """Diagnostics on their way to being shown: collected, never raised.

    A place that knows its source is reported there, whatever source is given beside it.
    """

    def __init__(self) -> None:
        self._list: list[Diagnostic] = []

    def error(self, code: str, message: str, source: Source, span: Span, hint: str = "") -> None:
        self._list.append(Diagnostic(code, message, span.source or source, span, hint))

    def warning(self, code: str, message: str, source: Source, span: Span, hint: str = "") -> None:
        place = span.source or source
        self._list.append(Diagnostic(code, message, place, span, hint, "warning"))

    @property
    def count(self) -> int:
        return len(self._list)

    def forget(self, count: int) -> None:
        """Keep only so many, those found first."""
        del self._list[count:]

    def extend(self, more: Iterable[Diagnostic]) -> None:
        self._list.extend(more)

    @property
    def has_errors(self) -> bool:
        return any(finding.severity == "error" for finding in self._list)

    @property
    def last(self) -> Diagnostic:
        """What was found last. Raises IndexError when there is nothing."""
        return self._list[-1]

    def sorted(self) -> tuple[Diagnostic, ...]:
        """In the order of the text, without doubles."""
        unique = dict.fromkeys(self._list)
        return tuple(sorted(unique, key=lambda d: (d.source.name, d.span.start, d.code)))


def render(diagnostic: Diagnostic) -> str:
    """Several lines of plain text: place, code, sentence, source line with a marker, hint."""
    source, span = diagnostic.source, diagnostic.span
    lines = [f"{diagnostic.place}: {diagnostic.severity} {diagnostic.code}"]
    lines.append(f"  {visible(diagnostic.message)}")
    lines.extend("  " + row for row in excerpt(source, span))
    if diagnostic.hint:
        lines.append(f"  → {visible(diagnostic.hint)}")
    return "\n".join(lines)


WINDOW = 100
"""Cells of a source line that are shown around a marker."""


def excerpt(source: Source, span: Span) -> list[str]:
    """The line in which `span` begins, with a marker under the part that belongs to it."""
    number, column = source.position(span.start)
    line = source.line(number)
    begin = min(column - 1, len(line))
    end = min(max(begin + 1, begin + span.end - span.start), len(line) + 1)
    lead = max(0, begin - WINDOW // 2)
    part = line[lead : lead + WINDOW]
    shown, cells = for_screen(part)
    left = cells[min(begin - lead, len(part))]
    right = cells[min(end - lead, len(part))]
    before, after = ("…" if lead else ""), ("…" if lead + WINDOW < len(line) else "")
    gutter = f"{number:>4} │ "
    marker = " " * (left + len(before)) + "▔" * max(1, right - left)
    return [f"{gutter}{before}{shown}{after}", " " * (len(gutter) - 2) + "│ " + marker]
