"""What can be written at a place of a definition or a suite: names with their declarations."""

from __future__ import annotations

import re
from collections.abc import Iterator

from embrix.brix import syntax as s
from embrix.brix.builtin_help import FUNCTIONS
from embrix.brix.builtins import BUILT_INS
from embrix.brix.declared import Declarations, Declared, Meaning
from embrix.brix.lexer import chunks, lex
from embrix.lanes.session import Session
from embrix.messages.replies import Proposal
from embrix.services.renaming import Names
from embrix.suite.mentions import language_of
from embrix.suite.read import CASE_KEYS
from embrix.text.diagnostic import Findings
from embrix.text.source import Source

SHOWN = ("form", "function", "error", "type", "token", "rule", "choice")
DECLARING = ("define", "value", "data", "judgement", "main", "error", "choice", "law", "extend",
             "replace", "use", "tokens", "forms", "grammar", "numbers", "extension")  # fmt: skip


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
    course = Declarations(names.files)
    own = course.files.get(file)
    line = text[text.rfind("\n", 0, offset) + 1 : offset]
    if line == begun:
        yield from (Proposal("word", word, word) for word in DECLARING)
    if own is None:
        return
    yield from _local(text, offset, own, course)
    for one in course.seen_from(own):
        for (kind, name), meaning in one.top.items():
            if kind in SHOWN:
                yield Proposal(kind, name, _written(course, meaning), meaning.about.split("\n")[0])
    for name, told in FUNCTIONS.items():
        params = re.findall(r"(\w+)(?=:|,|\))", told.call.partition(" -> ")[0].partition("(")[2])
        insert = f"{name}({', '.join(BUILT_INS[name].params if name in BUILT_INS else params)})"
        yield Proposal("built-in", name, insert, f"{told.call}  {told.meaning}")


def _written(course: Declarations, meaning: Meaning) -> str:
    """A name as it is used: with its fields or parameters."""
    names = course.names(meaning)
    if meaning.kind in ("form", "error", "function") and (names or meaning.kind == "function"):
        return f"{meaning.name}({', '.join(names)})"
    return meaning.name


def _local(text: str, offset: int, own: Declared, course: Declarations) -> Iterator[Proposal]:
    """Names in lower case that stand in the same declaration and are declared nowhere else."""
    source = Source("", text)
    known = {name for one in course.seen_from(own) for _, name in one.top} | set(BUILT_INS)
    for chunk in chunks(source, Findings()):
        if chunk.span.start <= offset <= chunk.span.end and chunk.word in (
            "define", "extend", "replace", "judgement", "law"
        ):  # fmt: skip
            for tok in lex(source, chunk.span, Findings()):
                here = tok.kind == "name" and tok.span.end < offset
                if here and tok.text not in known and len(tok.text) > 1:
                    yield Proposal("name", tok.text, tok.text)


def _in_suite(session: Session, text: str) -> Iterator[Proposal]:
    """The entries of a case, the lanes and the errors of the language."""
    for key in CASE_KEYS:
        yield Proposal("entry", key, f"{key} = ")
    language = language_of(text)
    for name in session.course.interpreters.get(language, {}):
        yield Proposal("lane", name, name)
    names = Names(session, {})
    for one in Declarations(names.files).files.values():
        syntax = one.syntax
        owner = syntax.language if isinstance(syntax, s.InterpreterSyntax) else syntax.name
        for (kind, name), meaning in one.top.items():
            if kind == "error" and owner == language:
                yield Proposal("error", name, name, meaning.about)
