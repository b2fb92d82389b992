"""What definitions say: read once, and one meaning for all that say the same."""

from __future__ import annotations

from collections.abc import Hashable, Iterable, Sequence
from functools import partial

from msgspec import Struct

from embrix.brix import syntax as s
from embrix.brix.core import DeclaredAlike, Meaning
from embrix.brix.parted import definitions_of
from embrix.brix.reader import read_definition
from embrix.brix.said import said
from embrix.course.checked import MEMORY
from embrix.course.kept_definitions import AS_IT_IS
from embrix.text.diagnostic import Diagnostic
from embrix.text.source import Source, Span


def remembered_definitions(source: Source) -> tuple[Source, ...]:
    """The definitions of a file, each the same object as long as nothing in it changes."""

    def make(text: str) -> Source:
        return MEMORY.source(source.name, text, source.path)

    return MEMORY.recall("definitions", (source,), lambda _: tuple(definitions_of(source, make)))[0]


def syntax_of(source: Source) -> tuple[s.DefinitionSyntax | None, tuple[Diagnostic, ...]]:
    """The syntax of a definition, and what is wrong with how it is written."""
    return MEMORY.recall("syntax", (source,), partial(read_definition, source), AS_IT_IS)


def meaning_of(
    sources: Iterable[Source], before: tuple[Meaning, ...], *, has_errors: bool,
    declared: DeclaredAlike | None = None,
) -> Meaning:  # fmt: skip
    """The meaning of a definition that some texts make up, on top of others. What has an error, in
    its reading or (as is told here) in its checking, tells of its place: it shares none."""
    texts: list[str] = []
    for source in sources:
        if has_errors or any(one.severity == "error" for one in syntax_of(source)[1]):
            return Meaning(declared)
        texts.append(said(source.text))
    saying = tuple(texts), before
    return MEMORY.recall(("meaning", saying[0]), before, lambda _: Meaning(declared, saying))[0]


def declared_by(
    definitions: Sequence[s.InterpreterSyntax | s.LibrarySyntax], before: tuple[Meaning, ...]
) -> DeclaredAlike:
    """What definitions declare beside what their functions say, on top of others."""
    said = tuple([
        _outside(getattr(one, name))
        for one in definitions for name in one.__struct_fields__ if name not in _INSIDE
    ])  # fmt: skip
    under = tuple([one.declared or one for one in before])
    return MEMORY.recall(("declared", said), under, lambda _: DeclaredAlike())[0]


_INSIDE = {"source", "doc", "functions", "widenings", "answers"}
"""Of a definition: its text, its functions, and what is only said of them."""


def _outside(part: object) -> Hashable:
    """A part of the syntax wherever it stands."""
    if isinstance(part, Span | Source):
        return None
    if isinstance(part, tuple):
        return tuple([_outside(one) for one in part])
    if isinstance(part, Struct):
        fields = tuple([_outside(getattr(part, name)) for name in part.__struct_fields__])
        return (type(part), fields)
    return (type(part), part)
