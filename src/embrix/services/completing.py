"""What can be written at a place of a definition or a suite: names with their declarations."""

from __future__ import annotations

import re
from collections.abc import Iterator

from embrix.brix import syntax as s
from embrix.brix.builtin_help import FUNCTIONS
from embrix.brix.builtins import BUILT_INS
from embrix.brix.declared import Declarations, Meaning
from embrix.brix.lexer import chunks, lex
from embrix.brix.pattern_reader import WORDS
from embrix.lanes.session import Session
from embrix.messages.replies_on_writing import Proposal
from embrix.services.renaming import Names
from embrix.suite.mentions import language_of
from embrix.suite.read import CASE_KEYS
from embrix.text.diagnostic import Findings
from embrix.text.source import Source, Span

SHOWN = ("form", "function", "error", "type", "token", "rule", "choice")
DECLARING = ("define", "value", "data", "judgement", "main", "error", "choice", "law", "letters",
             "extend", "replace", "use", "tokens", "forms", "grammar", "numbers",
             "extension")  # fmt: skip
WITH_NAMES = ("define", "extend", "replace", "judgement", "law")


def proposals(session: Session, file: str, text: str, offset: int) -> list[Proposal]:
    """The names that begin with the letters before a place, nearest first; none where no letter
    stands there that any name begins with."""
    before = re.search(r"\w*\Z", text[:offset])
    begun = before[0] if before is not None else ""
    found: dict[str, Proposal] = {}
    for one in _all(session, file, text, offset, begun):
        if one.name.lower().startswith(begun.lower()) and one.name != begun:
            found.setdefault(one.insert, one)
    return list(found.values())


def _all(session: Session, file: str, text: str, offset: int, begun: str) -> Iterator[Proposal]:
    if file.endswith(".suite.toml"):
        yield from _in_suite(session, text)
        return
    if not file.endswith(".brix"):
        return
    names = Names(session, {file: text})
    course = Declarations(names.definitions)
    own = course.at(file, offset)
    line = text[text.rfind("\n", 0, offset) + 1 : offset]
    if line == begun:
        yield from (Proposal("word", word, word) for word in DECLARING)
    if own is None:
        return
    declared = [
        Proposal(kind, name, _written(course, meaning), meaning.about.split("\n")[0])
        for one in course.seen_from(own)
        for (kind, name), meaning in one.top.items()
        if kind in SHOWN
    ]
    block, clause = _around(text, offset)
    if not line.removesuffix(begun).strip():
        written = set(re.findall(r"^ +(\w+)", block, re.MULTILINE))  # the line itself is not whole
        forms = [one for one in declared if one.kind == "form"]
        yield from (one for one in forms if clause is None and one.name not in written)
        yield from (one for one in forms if clause is None)
    yield from _local(clause or "", block, declared)
    yield from declared
    for name, known in FUNCTIONS.items():
        params = re.findall(r"(\w+)(?=:|,|\))", known.call.partition(" -> ")[0].partition("(")[2])
        insert = f"{name}({', '.join(BUILT_INS[name].params if name in BUILT_INS else params)})"
        yield Proposal("built-in", name, insert, f"{known.call}  {known.meaning}")


def _written(course: Declarations, meaning: Meaning) -> str:
    """A name as it is used: with its fields or parameters."""
    names = course.names(meaning)
    if meaning.kind in ("form", "error", "function") and (names or meaning.kind == "function"):
        return f"{meaning.name}({', '.join(names)})"
    return meaning.name


def _around(text: str, offset: int) -> tuple[str, str | None]:
    """The declaration around a place, and of it what stands before the place: all of it, or where
    it has clauses its first line and the clause; None where a clause begins at the place."""
    for chunk in chunks(Source("", text), Findings()):
        if chunk.span.start <= offset <= chunk.span.end and chunk.word in WITH_NAMES:
            block = text[chunk.span.start : chunk.span.end]
            first, *lines = text[chunk.span.start : offset].split("\n")
            by_clauses = chunk.word in ("extend", "replace") or re.search(r"\bby\b", first)
            if not lines or not by_clauses:
                return block, text[chunk.span.start : offset]
            depth = min(_depth(line) for line in block.split("\n")[1:] if line.strip())
            begin = max((at for at, line in enumerate(lines) if _depth(line) <= depth), default=0)
            if begin == len(lines) - 1 and re.fullmatch(r" *\w*", lines[-1]):
                return block, None
            return block, "\n".join([first, *lines[begin:]])
    return "", ""


def _depth(line: str) -> int:
    return len(line) - len(line.lstrip(" "))


def _local(before: str, block: str, declared: list[Proposal]) -> Iterator[Proposal]:
    """The names that a clause has by now, and the words of the notation."""
    known = {one.name for one in declared} | {*BUILT_INS, *WORDS, *DECLARING, "by"}
    source = Source("", before)
    for tok in lex(source, Span(0, len(before)), Findings()):
        here = tok.kind == "name" and tok.span.end < len(before)
        if here and tok.text not in known and len(tok.text) > 1:
            yield Proposal("name", tok.text, tok.text)
    if block:
        yield from (Proposal("word", word, word) for word in sorted(WORDS))


def _in_suite(session: Session, text: str) -> Iterator[Proposal]:
    """The entries of a case, the lanes and the errors of the language."""
    for key in CASE_KEYS:
        yield Proposal("entry", key, f"{key} = ")
    language = language_of(text)
    for name in session.course.interpreters.get(language, {}):
        yield Proposal("lane", name, name)
    names = Names(session, {})
    for one in Declarations(names.definitions).all:
        syntax = one.syntax
        owner = syntax.language if isinstance(syntax, s.InterpreterSyntax) else syntax.name
        for (kind, name), meaning in one.top.items():
            if kind == "error" and owner == language:
                yield Proposal("error", name, name, meaning.about)
