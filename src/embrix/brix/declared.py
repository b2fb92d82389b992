"""What the files of a course declare, and which of it can be seen from each file.

A name means what is declared nearest: in the file itself, in what it extends, in the libraries that
it uses, in its language and what that extends.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator

from msgspec import Struct, field

from embrix.brix import syntax as s
from embrix.text.source import Source, Span


class Meaning(Struct, frozen=True):
    """What a name stands for: something of a kind that is declared at a place of a file. `about` is
    the declaration as it is written."""

    kind: str
    name: str
    file: str
    start: int
    about: str = ""


TOP = ("type", "form", "error", "function", "token", "rule", "choice")
"""The kinds of what is declared at the margin of a file or in its blocks."""


class Declared(Struct):
    """What one definition declares. Fields stand under their constructor or error, parameters under
    their function, alternatives under their choice."""

    syntax: s.DefinitionSyntax
    top: dict[tuple[str, str], Meaning] = field(default_factory=dict)
    inner: dict[tuple[Meaning, str], Meaning] = field(default_factory=dict)
    types_of: dict[Meaning, s.TypeSyntax] = field(default_factory=dict)
    """The types of fields and parameters, and of what functions give."""
    forms_of: dict[str, list[Meaning]] = field(default_factory=dict)
    """The constructors of each type."""
    names_of: dict[Meaning, list[str]] = field(default_factory=dict)
    """The names of fields and parameters in their order."""

    @property
    def meanings(self) -> list[Meaning]:
        """Everything that it declares."""
        return [*self.top.values(), *self.inner.values()]


def name_at(source: Source, name: str, start: int, end: int) -> Span:
    """Where a name stands in a slice of a text: its first whole word; the beginning of the slice
    where it does not stand there."""
    found = re.compile(rf"\b{re.escape(name)}\b").search(source.text, start, end)
    at = found.start() if found is not None else start
    return Span(at, at + len(name), source)


class Declarations:
    """The definitions of a course with what each declares and sees."""

    def __init__(self, definitions: Iterable[s.DefinitionSyntax]) -> None:
        self.all = [_Declaring(syntax).made for syntax in definitions]
        self._languages = {
            one.syntax.name: one for one in self.all if isinstance(one.syntax, s.LanguageSyntax)
        }
        self._interpreters = {
            (one.syntax.language, one.syntax.name): one
            for one in self.all
            if isinstance(one.syntax, s.InterpreterSyntax)
        }
        self._libraries = {
            one.syntax.name: one for one in self.all if isinstance(one.syntax, s.LibrarySyntax)
        }
        self._owners = {meaning: one for one in self.all for meaning in one.meanings}
        for one in self.all:
            self._take_over(one)

    def _take_over(self, definition: Declared) -> None:
        """`forms Expr` in what extends a language adds to the sort that is there already."""
        for kind in definition.syntax.types:
            others = self.seen_from(definition)[1:]
            if kind.word == "forms" and any(("type", kind.name) in one.top for one in others):
                definition.top.pop(("type", kind.name), None)

    def seen_from(self, definition: Declared) -> list[Declared]:
        """The definitions whose declarations can be used in a definition, nearest first."""
        found: dict[int, Declared] = {}
        for one in self._chain(definition):
            found.setdefault(id(one), one)
        return list(found.values())

    def _chain(self, definition: Declared) -> Iterator[Declared]:
        bases: list[Declared] = []
        at: Declared | None = definition
        while at is not None and at not in bases:
            bases.append(at)
            at = self._base(at)
        yield from bases
        language = ""
        for one in bases:
            if isinstance(one.syntax, s.InterpreterSyntax):
                language = language or one.syntax.language
                for use in one.syntax.uses:
                    if use.library in self._libraries:
                        yield self._libraries[use.library]
        while language in self._languages:
            one = self._languages[language]
            yield one
            assert isinstance(one.syntax, s.LanguageSyntax)
            base = one.syntax.base[0] if one.syntax.base else ""
            language = "" if base == language else base

    def _base(self, definition: Declared) -> Declared | None:
        syntax = definition.syntax
        if isinstance(syntax, s.InterpreterSyntax) and syntax.base:
            return self._interpreters.get(syntax.base[:2])
        if isinstance(syntax, s.LanguageSyntax) and syntax.base:
            return self._languages.get(syntax.base[0])
        return None

    def find(self, definition: Declared, kind: str, name: str) -> Meaning | None:
        """What a name of a kind means in a definition."""
        for one in self.seen_from(definition):
            found = one.top.get((kind, name))
            if found is not None:
                return found
        return None

    def at(self, file: str, place: int) -> Declared | None:
        """The definition of a file in which a place lies."""
        here = [one for one in self.all if one.syntax.source.name == file]
        before = [one for one in here if one.syntax.span.start <= place]
        return before[-1] if before else next(iter(here), None)

    def own(self, meaning: Meaning) -> Declared:
        """The definition that declares something."""
        return self._owners[meaning]

    def inside(self, meaning: Meaning, name: str) -> Meaning | None:
        """A field, parameter or alternative of what a name means."""
        return self.own(meaning).inner.get((meaning, name))

    def names(self, meaning: Meaning) -> list[str]:
        """The fields or parameters of something, in their order."""
        return self.own(meaning).names_of.get(meaning, [])

    def type_of(self, meaning: Meaning) -> s.TypeSyntax | None:
        """The type of a field or parameter, or of what a function gives."""
        return self.own(meaning).types_of.get(meaning)


class _Declaring:
    """Collects what a definition declares. What it only widens or replaces is declared
    elsewhere."""

    def __init__(self, syntax: s.DefinitionSyntax) -> None:
        self.file = syntax.source.name
        self.source = syntax.source
        self.made = Declared(syntax)
        for kind in syntax.types:
            self.type(kind)
        for error in syntax.errors:
            start = error.span.start
            meaning = self.top("error", error.name, start, self.line(start))
            self.fields(meaning, error.fields)
        for function in syntax.functions:
            self.function(function)
        if isinstance(syntax, s.LanguageSyntax | s.InterpreterSyntax):
            for choice in syntax.choices:
                meaning = self.top("choice", choice.name, choice.span.start, choice.question)
                for one in choice.alternatives:
                    self.inner(meaning, "alternative", one.name, one.span.start, one.rationale)
        if isinstance(syntax, s.LanguageSyntax):
            self.language(syntax)

    def line(self, start: int, end: int | None = None) -> str:
        """The line of a place, or what stands up to an end, without what surrounds it."""
        text = self.source.text
        if end is None:
            end = text.find("\n", start)
            end = len(text) if end < 0 else end
        return " ".join(text[start:end].split())

    def top(self, kind: str, name: str, start: int, about: str) -> Meaning:
        meaning = Meaning(kind, name, self.file, start, about)
        return self.made.top.setdefault((kind, name), meaning)

    def inner(self, owner: Meaning, kind: str, name: str, start: int, about: str) -> Meaning:
        meaning = Meaning(kind, name, self.file, start, about)
        return self.made.inner.setdefault((owner, name), meaning)

    def fields(self, owner: Meaning, fields: tuple[s.FieldDecl | s.Param, ...]) -> None:
        kind = "parameter" if owner.kind == "function" else "field"
        for one in fields:
            about = f"{one.name}: {self.line(one.type.span.start, one.type.span.end)}"
            made = self.inner(owner, kind, one.name, one.span.start, about)
            self.made.types_of[made] = one.type
        self.made.names_of[owner] = [one.name for one in fields]

    def type(self, kind: s.TypeDecl) -> None:
        if not kind.extends:
            self.top("type", kind.name, kind.span.start, f"{kind.word} {kind.name}")
        for one in kind.constructors:
            if not one.replaces:
                start = one.span.start
                meaning = self.top("form", one.name, start, self.line(start, one.span.end))
                self.fields(meaning, one.fields)
                self.made.forms_of.setdefault(kind.name, []).append(meaning)

    def function(self, define: s.Define) -> None:
        start = define.span.start
        about = self.line(start, define.result.span.end)
        if define.doc:
            about += f"\n{define.doc}"
        meaning = self.top("function", define.name, start, about)
        self.fields(meaning, define.params)
        self.made.types_of[meaning] = define.result

    def language(self, syntax: s.LanguageSyntax) -> None:
        for token in syntax.tokens.written:
            if not token.replaces and token.name != "skip":
                self.top("token", token.name, token.span.start, self.line(token.span.start))
        if syntax.tokens.lines is not None:
            for name, span in syntax.tokens.lines.names:
                self.top("token", name, span.start, self.line(span.start))
        for grammar in syntax.grammars:
            for rule in grammar.rules:
                about = f"rule {rule.name}, which makes "
                about += self.line(rule.sort.span.start, rule.sort.span.end)
                if rule.sort.span.start != rule.span.start:
                    self.top("rule", rule.name, rule.span.start, about)
