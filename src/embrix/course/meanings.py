"""What definitions say: read once, and one meaning for all that say the same."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from functools import partial

from embrix.brix import syntax as s
from embrix.brix.core import Meaning
from embrix.brix.parted import definitions_of
from embrix.brix.reader import read_definition
from embrix.brix.said import said
from embrix.course.checked import MEMORY
from embrix.text.diagnostic import Diagnostic
from embrix.text.source import Source


def remembered_definitions(source: Source) -> Iterator[Source]:
    """The definitions of a file, each the same object as long as nothing in it changes."""
    return definitions_of(source, lambda text: MEMORY.source(source.name, text, source.path))


def syntax_of(source: Source) -> tuple[s.DefinitionSyntax | None, tuple[Diagnostic, ...]]:
    """The syntax of a definition, and what is wrong with how it is written."""
    return MEMORY.recall("syntax", (source,), partial(read_definition, source))


def meaning_of(
    sources: Iterable[Source], before: tuple[Meaning, ...], *, has_errors: bool
) -> Meaning:
    """The meaning of a definition that some texts make up, on top of others. What has an error, in
    its reading or (as is told here) in its checking, tells of its place: it shares none."""
    texts: list[str] = []
    for source in sources:
        if has_errors or any(one.severity == "error" for one in syntax_of(source)[1]):
            return Meaning()
        texts.append(said(source.text))
    return MEMORY.recall(("meaning", tuple(texts)), before, lambda _: Meaning())[0]
