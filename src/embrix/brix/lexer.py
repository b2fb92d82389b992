"""Brix text cut into tokens. Indentation is kept as the column of each token, not as tokens."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Literal, TypeAlias

from msgspec import Struct

from embrix.brix import foreign_signs
from embrix.text.diagnostic import Findings
from embrix.text.source import Source, Span

TokKind: TypeAlias = Literal["name", "Name", "number", "text", "pattern", "symbol", "end"]


class Tok(Struct, frozen=True):
    """A token; `first` says that it begins its line, `column` counts from 0.

    The text of a `text` token is what stands between its quotes, escapes not yet read; that of a
    `pattern` what stands between its slashes.
    """

    kind: TokKind
    text: str
    span: Span
    column: int
    first: bool


class Chunk(Struct, frozen=True):
    """A declaration: a line that begins at the margin, and the indented lines that follow it."""

    span: Span
    word: str


_NESTED = r'"(?:[^"\\\n]|\\[^\n])*"'
INSIDE_BRACES = re.compile(rf'\{{(?!["}}])(?:[^"{{}}\\\n]|{_NESTED})*\}}')
"""A part of a text in braces; texts in it have none of their own that hold texts. Braces that begin
with a quote are no such part: `"{" body "}"` is written in grammars."""
TEXT = rf'"(?:[^"\\\n{{]|\\[^\n]|(?>{INSIDE_BRACES.pattern}|\{{))*"'
"""A text, with texts inside its braces."""
_TOKEN = re.compile(
    r"(?P<blank>[ \r]+)|(?P<line>\n)|(?P<comment>\#[^\n]*)"
    r"|(?P<number>\d+(?:\.\d+)?)"
    r"|(?P<name>[a-z_][A-Za-z0-9_]*)|(?P<Name>[A-Z][A-Za-z0-9_]*)"
    rf"|(?P<text>{TEXT})"
    r"|(?P<symbol>::=|=>|->|==|!=|<=|>=|\.\.\.|\.\.|[()\[\]{},:|+\-*/<>=.?])",
    re.ASCII,
)
_PATTERN = re.compile(r"/((?:[^/\\\n]|\\[^\n])+)/")
_ESCAPES = {"n": "\n", "t": "\t", "r": "\r", '"': '"', "\\": "\\", "{": "{", "}": "}", "0": "\0"}


def chunks(source: Source, findings: Findings) -> Iterator[Chunk]:
    """The declarations of a file. Tabs in the indentation are reported here."""
    starts: list[int] = []
    offset = 0
    for line in source.text.split("\n"):
        stripped = line.lstrip(" ")
        if stripped.startswith("\t"):
            tab = offset + len(line) - len(stripped)
            findings.error(
                "tab_indent", "a tab stands in the indentation", source, Span(tab, tab + 1, source),
                "indent with spaces",
            )  # fmt: skip
        if stripped.strip() and not stripped.startswith("#") and stripped == line:
            starts.append(offset)
        offset += len(line) + 1
    ends = [*starts[1:], len(source.text)] if starts else []
    for start, end in zip(starts, ends, strict=True):
        word = re.match(r"\w*", source.text[start:end])
        yield Chunk(Span(start, end, source), word.group() if word else "")


def lex(source: Source, span: Span, findings: Findings, *, patterns: bool = False) -> list[Tok]:
    """The tokens of a part of a source; `patterns` reads `/…/` as a token pattern."""
    text = source.text
    result: list[Tok] = []
    at = span.start
    margin = text.rfind("\n", 0, at) + 1
    first = not text[margin:at].strip()
    depth = 0  # of the brackets that are open on this line
    while at < span.end:
        if patterns and text[at] == "/":
            found = _PATTERN.match(text, at, span.end)
            if found:
                place = Span(at, found.end(), source)
                result.append(Tok("pattern", found.group(1), place, at - margin, first))
                at, first = found.end(), False
                continue
        foreign = not patterns and text[at] in foreign_signs.FIRST
        habit = foreign_signs.SIGNS.match(text, at, span.end) if foreign else None
        if habit is not None and not (habit[0] == "--" and not text[at - 1 : at].isspace()):
            place = Span(at, habit.end(), source)
            message, hint, word = foreign_signs.sign(habit[0], inside=depth > 0)
            findings.error("other_habit", message, source, place, hint)
            quoted = habit[0][0] == "'"
            if word or quoted:
                column, piece = at - margin, word or habit[0][1:-1]
                sort: TokKind = "text" if quoted else "symbol" if word == "," else "name"
                result.append(Tok(sort, piece, place, column, first))
                first = False
            at = habit.end()
            continue
        match = _TOKEN.match(text, at, span.end)
        if match is None:
            message, hint = _strange(text[at])
            findings.error("unknown_character", message, source, Span(at, at + 1, source), hint)
            at = _line_end(text, at) if text[at] == '"' else at + 1
            continue
        kind = match.lastgroup
        at = match.end()
        if kind == "line":
            margin, first, depth = at, True, 0
        elif kind not in ("blank", "comment"):
            piece = match.group()
            depth += (piece in ("(", "[")) - (piece in (")", "]"))
            if kind == "text":
                piece = piece[1:-1]
            place = Span(match.start(), at, source)
            column = match.start() - margin
            result.append(Tok(kind, piece, place, column, first))  # type: ignore[arg-type]
            first = False
    return result


def _line_end(text: str, at: int) -> int:
    end = text.find("\n", at)
    return len(text) if end < 0 else end


def _strange(character: str) -> tuple[str, str]:
    if character == '"':
        return "this text is not closed before the end of its line", 'end it with "'
    if character == "\t":
        return "a tab stands between the words", "use spaces"
    return f"{character!r} means nothing in Brix outside texts", "remove it, or quote it"


def unescape(tok: Tok, source: Source, findings: Findings) -> str:
    """The text a token stands for, its escapes read; nothing is interpolated."""
    pieces: list[str] = []
    raw = tok.text
    at = 0
    while at < len(raw):
        if raw[at] == "\\":
            piece = _ESCAPES.get(raw[at + 1])
            if piece is None:
                place = tok.span.start + 1 + at
                findings.error(
                    "unknown_escape", f"\\{raw[at + 1]} is no escape", source,
                    Span(place, place + 2), 'known are \\n \\t \\r \\" \\\\ \\{ \\}',
                )  # fmt: skip
                piece = raw[at + 1]
            pieces.append(piece)
            at += 2
        else:
            pieces.append(raw[at])
            at += 1
    return "".join(pieces)
