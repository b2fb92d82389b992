"""Laying out a `.brix` file anew: spaces, columns, indentation and blank lines; nothing else.

Comments and line breaks stay where they are. What would read differently afterwards is left as it
was written.
"""

from __future__ import annotations

from msgspec import Struct
from msgspec.structs import replace

from embrix.brix.lexer import Tok, lex
from embrix.brix.parted import definitions_of
from embrix.brix.reader import read_definition
from embrix.text.diagnostic import Findings
from embrix.text.source import Source, Span

STEP = 2
"""Columns of one level of indentation."""
GAP = 2
"""Spaces between columns; where somebody has put so many, a column begins. Arrows of clauses stand
behind one."""
WIDEST, WIDER = 40, 64
"""What stands before the arrow of a clause, or before any other column, may be so wide and be lined
up with its neighbours."""

_SPACED = ("=>", "->", "::=", "=", "==", "!=", "<=", ">=")
_LEVELS = ("left", "right", "nonassociative", "prefix", "postfix", "operand")


class _Line(Struct, frozen=True):
    """A line: where it began, its words as they will be written, and its comment."""

    indent: int
    words: tuple[Tok, ...]
    comment: str
    comment_column: int
    inside: bool
    """Whether a bracket is open where the line begins."""


def formatted(source: Source) -> str | None:
    """The text laid out anew; None when it cannot be read, or would be read differently."""
    findings = Findings()
    before = [read_definition(one, findings) for one in definitions_of(source)]
    if findings.has_errors:
        return None
    lines = _lines(source)
    text = "\n".join(_written(_indented(lines), source)).strip("\n") + "\n"
    if "\r\n" in source.text:
        text = text.replace("\n", "\r\n")
    parts = definitions_of(Source(source.name, text))
    after = [read_definition(one, findings) for one in parts]
    if findings.has_errors or not _alike(before, after):
        return None
    return text


def _lines(source: Source) -> list[_Line]:
    found: list[_Line] = []
    offset = depth = 0
    block = ""
    for raw in source.text.split("\n"):
        if raw[:1].strip() and not raw.startswith("#"):
            block = raw.split()[0]
        span = Span(offset, offset + len(raw), source)
        offset += len(raw) + 1
        words = lex(source, span, Findings(), patterns=block == "tokens")
        end = words[-1].span.end - span.start if words else 0
        rest = raw[end:]
        at = rest.find("#")
        comment = rest[at:].rstrip() if at >= 0 else ""
        indent = words[0].column if words else len(raw) - len(raw.lstrip())
        found.append(_Line(indent, tuple(words), comment, end + at, depth > 0))
        depth += sum((w.kind == "symbol") * ((w.text in "([{") - (w.text in ")]}")) for w in words)
    return found


def _indented(lines: list[_Line]) -> list[_Line]:
    """Lines with their new indentation: blocks are moved as wholes, a level at a time."""
    result = list(lines)
    open_blocks: list[tuple[int, int]] = [(0, 0)]
    for number, line in enumerate(lines):
        if not line.words:
            continue
        if line.inside:
            old, new = open_blocks[-1]
            result[number] = replace(line, indent=max(0, line.indent + new - old))
            continue
        while len(open_blocks) > 1 and line.indent < open_blocks[-1][0]:
            open_blocks.pop()
        old, new = open_blocks[-1]
        if line.indent > old:
            above = _word_above(lines, number)
            # The rows of an operator table and alternatives go on below their first sign.
            kept = above.words[0].text in (*_LEVELS, "|") or line.words[0].text in ("|", "else")
            kept = kept or _steps_back(lines[number:], old, line.indent)
            now = new + (line.indent - old if kept else STEP)
            open_blocks.append((line.indent, now))
            new = now
        result[number] = replace(line, indent=new)
    for number, line in enumerate(result):
        if not line.words and line.comment:
            below = next((one for one in result[number + 1 :] if one.words), None)
            deeper = below is not None and line.indent > 0
            result[number] = replace(line, indent=below.indent if deeper and below else 0)
    return result


def _steps_back(lines: list[_Line], old: int, indent: int) -> bool:
    """Whether a block is followed by a line less deep than it, but deeper than what is around: an
    `else`, say. Then the columns stay as they are to each other."""
    for line in lines:
        if line.words and not line.inside and line.indent < indent:
            return line.indent > old
    return False


def _word_above(lines: list[_Line], number: int) -> _Line:
    return next(one for one in reversed(lines[:number]) if one.words and not one.inside)


def _written(lines: list[_Line], source: Source) -> list[str]:
    columns = _columns(lines)
    result: list[str] = []
    for number, line in enumerate(lines):
        if not line.words:
            text = " " * line.indent + line.comment
            if not text.strip() and (not result or not result[-1]):
                continue  # one blank line is enough
            result.append(text.rstrip())
            continue
        text = " " * line.indent
        for at, word in enumerate(line.words):
            column = columns.get((number, at))
            if column is not None:
                text = text.ljust(column)
            elif at and _space(line.words[at - 1], word):
                text += " "
            text += source.text[word.span.start : word.span.end]
        if line.comment:
            text = text.ljust(max(len(text) + 2, line.comment_column)) + line.comment
        result.append(text)
    return result


def _space(before: Tok, word: Tok) -> bool:
    symbols = before.kind == "symbol", word.kind == "symbol"
    if symbols[1] and word.text in (",", ")", "]"):
        return False
    if symbols[0] and before.text in ("(", "["):
        return False
    if symbols[0] and before.text == ",":
        return True
    if (symbols[0] and before.text in _SPACED) or (symbols[1] and word.text in _SPACED):
        return True
    return word.span.start > before.span.end


def _columns(lines: list[_Line]) -> dict[tuple[int, int], int]:
    """Where the cells of neighbouring lines begin: by line and word, the column."""
    groups: dict[tuple[int, int, bool], list[int]] = {}
    part = 0
    word = ""
    for number, line in enumerate(lines):
        if not line.words:
            part += 1  # a blank or comment line begins a new group, and so does another declaration
        elif line.indent == 0 and line.words[0].text != word:
            part += 1
            word = line.words[0].text
        if line.words and not line.inside:
            # The rows of an operator table have columns of their own.
            table = line.words[0].text in _LEVELS
            groups.setdefault((part, line.indent, table), []).append(number)
    found: dict[tuple[int, int], int] = {}
    for numbers in groups.values():
        _line_up({number: lines[number] for number in numbers}, found)
    return found


def _line_up(group: dict[int, _Line], found: dict[tuple[int, int], int]) -> None:
    """One cell after the other, each as far to the left as the widest one before it allows."""
    cells = {number: _cells(line, len(group) > 1) for number, line in group.items()}
    ends = {
        number: line.indent + _width(line, 0, (*cells[number], len(line.words))[0])
        for number, line in group.items()
    }
    for place in range(max(map(len, cells.values()), default=0)):
        there = [number for number in group if place < len(cells[number])]
        arrow = {n: group[n].words[cells[n][place]].text == "=>" for n in there}
        narrow = [ends[n] for n in there if ends[n] <= (WIDEST if arrow[n] else WIDER)]
        gap = 1 if all(arrow.values()) else GAP
        column = max(narrow, default=0) + gap
        for number in there:
            at = cells[number][place]
            further = (*cells[number], len(group[number].words))[place + 1]
            wide = ends[number] + (1 if arrow[number] else GAP)
            start = column if ends[number] + gap <= column else wide
            found[number, at] = start
            ends[number] = start + _width(group[number], at, further)


def _width(line: _Line, first: int, end: int) -> int:
    return sum(
        word.span.end - word.span.start + (at > first and _space(line.words[at - 1], word))
        for at, word in enumerate(line.words[first:end], first)
    )  # fmt: skip


def _cells(line: _Line, several: bool) -> list[int]:
    """The words at which cells begin: after two spaces or more, and the arrow of a clause."""
    depth = 0
    found: list[int] = []
    opens = line.words[0].text in ("let", "require", "emit", "if")
    for at, word in enumerate(line.words):
        gap = at > 0 and word.span.start - line.words[at - 1].span.end >= GAP
        arrow = several and not opens and depth == 0 and word.text == "=>"
        if (gap and depth == 0 and not opens) or (arrow and "=>" not in _texts(line, found)):
            found.append(at)
        if word.kind == "symbol":
            depth += (word.text in "([{") - (word.text in ")]}")
    return found


def _texts(line: _Line, cells: list[int]) -> list[str]:
    return [line.words[at].text for at in cells]


def _alike(one: object, other: object) -> bool:
    """Whether two pieces of syntax say the same, wherever they stand."""
    pending = [(one, other)]
    while pending:
        a, b = pending.pop()
        if isinstance(a, Span | Source) and isinstance(b, Span | Source):
            continue
        if type(a) is not type(b):
            return False
        if isinstance(a, tuple | list) and isinstance(b, tuple | list):
            if len(a) != len(b):
                return False
            pending += zip(a, b, strict=True)
        elif isinstance(a, Struct):
            pending += [(getattr(a, f), getattr(b, f)) for f in a.__struct_fields__]
        elif a != b:
            return False
    return True
