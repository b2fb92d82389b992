"""Reading a definition of a `.brix` file into its syntax tree.

Every declaration is read on its own: one that cannot be read is reported and left out, and hides
nothing in the others.
"""

from __future__ import annotations

import re
from collections.abc import Callable

from msgspec.structs import replace

from embrix.brix import slips
from embrix.brix import syntax as s
from embrix.brix.further_declarations import FurtherDeclarations
from embrix.brix.grammar_reader import read_grammar, read_tokens
from embrix.brix.lexer import Chunk, chunks, lex, unescape
from embrix.brix.parse import Cursor, Misread
from embrix.brix.parted import HEADS
from embrix.terms.numbers import KINDS
from embrix.text.diagnostic import Findings
from embrix.text.source import Source, Span
from embrix.text.suggest import did_you_mean, nearest

_IN_LANGUAGE = (
    "extension",
    "has",
    "later",
    "never",
    "numbers",
    "tokens",
    "forms",
    "grammar",
    "error",
    "define",
    "extend",
    "replace",
    "choice",
    "prelude",
    "deliberately",
)
_IN_INTERPRETER = (
    "use", "forms", "value", "data", "error", "judgement", "main", "define", "extend", "replace",
    "choice", "law", "letters", "deliberately",
)  # fmt: skip
_IN_LIBRARY = ("data", "error", "define", "deliberately")


def read_definition(source: Source, findings: Findings) -> s.DefinitionSyntax | None:
    """The syntax tree of the first definition of a file, or None when not even its header can be
    read."""
    pieces = list(chunks(source, findings))
    if not pieces:
        findings.error(
            "empty_file", "there is no definition in this file", source, Span(0, 0),
            "begin with `language NAME` or `interpreter NAME for LANGUAGE`",
        )  # fmt: skip
        return None
    head, *rest = pieces
    try:
        return _File(source, findings).read(head, rest)
    except Misread:
        return None


class _File(FurtherDeclarations):
    """Reads a whole definition: its header, and what may stand under it."""

    def read(self, head: Chunk, rest: list[Chunk]) -> s.DefinitionSyntax:
        c = self.cursor(head)
        word = c.raw()
        meant = nearest(word.text, HEADS)
        if meant is None:
            c.fail("a file begins with `language`, `interpreter` or `library`")
        if meant != word.text:
            # Read as what is meant: the rest of the file is not lost for a letter.
            self.findings.error(
                "unreadable", f"a file begins with `{meant}`, not `{word.text}`", self.source,
                word.span, f"write {meant}",
            )  # fmt: skip
        read: dict[str, Callable[[Cursor, list[Chunk]], s.DefinitionSyntax]] = {
            "language": self.language, "interpreter": self.interpreter, "library": self.library,
        }  # fmt: skip
        return read[meant](c, rest)

    # ---------------------------------------------------------------- files

    def language(self, c: Cursor, rest: list[Chunk]) -> s.LanguageSyntax:
        start = c.take()
        name = self.own_name(c, "the language", capital=True)
        base: tuple[str, Span] | None = None
        if c.accept("extends"):
            other = c.expect_kind("Name", "the name of the language that is extended")
            base = (other.text, other.span)
        span = c.since(start.span)
        self.heading(c)
        self.declarations(rest, _IN_LANGUAGE, self.language_part)
        p = self.parts
        return s.LanguageSyntax(
            self.source, name, p.doc, p.extension, tuple(p.notes), tuple(p.numbers),
            self.joined_tokens(), tuple(p.types), self.joined_grammars(), tuple(p.errors),
            tuple(p.functions), tuple(p.choices), tuple(p.prelude), tuple(p.answers), base, span,
            tuple(p.lost), tuple(p.widenings),
        )  # fmt: skip

    def library(self, c: Cursor, rest: list[Chunk]) -> s.LibrarySyntax:
        start = c.take()
        name = self.own_name(c, "the library", capital=False)
        span = c.since(start.span)
        self.heading(c)
        self.declarations(rest, _IN_LIBRARY, self.interpreter_part)
        p = self.parts
        return s.LibrarySyntax(
            self.source, name, p.doc, tuple(p.types), tuple(p.errors), tuple(p.functions),
            tuple(p.answers), span, tuple(p.lost),
        )  # fmt: skip

    def interpreter(self, c: Cursor, rest: list[Chunk]) -> s.InterpreterSyntax:
        start = c.take()
        name = self.own_name(c, "the interpreter", capital=False)
        found = c.peek()
        if found.kind == "Name":
            self.findings.error("unreadable", "`for` stands before the name of the language",
                                self.source, found.span, f"write for {found.text}")  # fmt: skip
        else:
            c.expect("for")
        language = self.cased(c, "the language", capital=True)
        base: tuple[str, str, Span] | None = None
        if c.accept("extends"):
            begin, owner = c.peek().span, language.text
            if c.peek().kind != "name":
                owner = c.expect_kind("Name", "the interpreter that is extended").text
                c.expect(".", " between the language and the name of its interpreter")
            other = c.expect_kind("name", "the name of the interpreter that is extended")
            base = (owner, other.text, c.since(begin))
        span = c.since(start.span)
        self.heading(c)
        self.declarations(rest, _IN_INTERPRETER, self.interpreter_part)
        p = self.parts
        for extra in p.mains[1:]:
            self.findings.error(
                "declared_twice", "there is a `main` already", self.source, extra.span,
                "keep one of them",
            )  # fmt: skip
        return s.InterpreterSyntax(
            self.source, name, language.text, language.span, p.doc, tuple(p.types),
            tuple(p.errors), tuple(p.judgements), p.mains[0] if p.mains else None,
            tuple(p.functions), tuple(p.laws), tuple(p.widenings), tuple(p.choices),
            tuple(p.answers), tuple(p.uses), base, span, tuple(p.lost), p.only_extended,
            tuple(p.letters),
        )  # fmt: skip

    def heading(self, c: Cursor) -> None:
        """The indented lines under the header: what the file is about, and notes."""
        if c.raw().kind != "end" and not c.raw().first:
            c.fail("the header should end here")
        c.rows(0, lambda: self.heading_row(c))

    def heading_row(self, c: Cursor) -> None:
        tok = c.peek()
        if tok.kind == "text":
            c.take()
            self.parts.doc = unescape(tok, self.source, self.findings)
        elif tok.text == "only" and c.ahead(1).text == "extended":
            c.take()
            c.take()
            self.parts.only_extended = True
        else:
            self.note(c)

    def note(self, c: Cursor) -> None:
        """`extension "drip"`, `has "…"`, `later "…"`, `never "…"`, `numbers rational`."""
        word = c.expect_kind("name", "`extension`, `has`, `later`, `never` or `numbers`")
        if word.text == "numbers":
            self.numbers(c)
            return
        value = c.expect_kind("text", "a text in quotes")
        text = unescape(value, self.source, self.findings)
        if word.text == "extension":
            self.parts.extension = text
        elif word.text in ("has", "later", "never"):
            self.parts.notes.append((word.text, text))
        else:
            self.unknown_word(word.text, word.span, ("extension", "has", "later", "never"))

    def numbers(self, c: Cursor) -> None:
        """`rational`, or `float when CHOICE is ALTERNATIVE`."""
        kind = c.expect_kind("name", "`integer`, `rational` or `float`")
        if kind.text not in KINDS:
            self.findings.error(
                "unknown_word", f"there is no kind of numbers called {kind.text}",
                self.source, kind.span, "write integer, rational or float",
            )  # fmt: skip
            return
        choice = alternative = ""
        if c.accept("when"):
            choice = c.expect_kind("name", "the name of a choice").text
            c.expect("is")
            alternative = c.expect_kind("name", "an alternative of the choice").text
        made = s.NumbersSyntax(kind.text, choice, alternative, c.since(kind.span))
        self.parts.numbers.append(made)

    def unknown_word(self, word: str, span: Span, known: tuple[str, ...]) -> None:
        meant = slips.DECLARATIONS.get(word, "")
        if meant in known:
            self.findings.error(
                "other_habit", f"`{word}` declares nothing here: it is `{meant}` that does",
                self.source, span, f"write {meant}",
            )  # fmt: skip
            return
        hint = did_you_mean(word, (*known, *HEADS), "known are " + ", ".join(known))
        if word in {*_IN_LANGUAGE, *_IN_INTERPRETER}:
            where = "a language" if word in _IN_LANGUAGE else "an interpreter"
            hint = f"`{word}` is for {where}"
        self.findings.error(
            "unknown_word", f"no declaration begins with `{word}` here", self.source, span, hint
        )

    def declarations(
        self, rest: list[Chunk], known: tuple[str, ...], read: Callable[[str, Chunk], None]
    ) -> None:
        for number, chunk in enumerate(rest):
            try:
                if chunk.word == "deliberately" and chunk.word in known:
                    covers = rest[number + 1].span if number + 1 < len(rest) else None
                    answer = self.answer(self.cursor(chunk))
                    self.parts.answers.append(replace(answer, covers=covers))
                    continue

                if chunk.word == "type" and "data" in known and self.abbreviates(chunk):
                    self.parts.types.append(self.abbreviation(self.cursor(chunk)))
                    continue
                if chunk.word not in known:
                    end = chunk.span.start + max(1, len(chunk.word))
                    self.unknown_word(chunk.word, Span(chunk.span.start, end), known)
                    self.lose(self.named(chunk))
                    if slips.DECLARATIONS.get(chunk.word) == "main":
                        self.lose("main")
                    self.lose_lines(chunk)
                    continue
                read(chunk.word, chunk)
            except Misread:
                self.lose("main" if chunk.word == "main" else self.named(chunk))
                if chunk.word in ("value", "data", "forms"):
                    self.lose_lines(chunk)

    def abbreviates(self, chunk: Chunk) -> bool:
        """Whether a block says what a type stands for, and not which values it has."""
        line = self.source.text[chunk.span.start : chunk.span.end].partition("\n")[0]
        return re.match(r"type +\w+(\[[\w, ]*\])? *= *[\w(]", line) is not None and "|" not in line

    def named(self, chunk: Chunk) -> str:
        """The name that a declaration declares, if it can be seen."""
        tokens = lex(self.source, chunk.span, Findings(), patterns=chunk.word == "tokens")
        second = tokens[1] if len(tokens) > 1 else None
        return second.text if second is not None and second.kind in ("name", "Name") else ""

    def lose_lines(self, chunk: Chunk) -> None:
        """What stands at the beginning of the lines of a block is not known either: constructors,
        say."""
        for tok in lex(self.source, chunk.span, Findings()):
            if tok.kind in ("Name", "name") and tok.first:
                self.lose(tok.text)

    # ---------------------------------------------------------------- parts

    def language_part(self, word: str, chunk: Chunk) -> None:
        if word == "tokens":
            c = self.cursor(chunk, patterns=True)
            c.take()
            self.parts.tokens.append(read_tokens(c))
            return
        c = self.cursor(chunk)
        if word == "grammar":
            c.take()
            self.parts.grammars.append(read_grammar(c))
        elif word == "forms":
            self.parts.types.append(self.type_declaration(c))
        elif word == "error":
            self.parts.errors.append(self.error(c))
        elif word == "define":
            self.parts.functions.append(self.define(c))
        elif word in ("extend", "replace") and c.ahead(1).text in ("value", "data"):
            self.unknown_word(c.ahead(1).text, c.ahead(1).span, _IN_LANGUAGE)
            raise Misread
        elif word in ("extend", "replace"):
            self.widening(c)
        elif word == "choice":
            self.parts.choices.append(self.choice(c))
        elif word == "prelude":
            self.parts.prelude += self.prelude(c)
        else:
            self.note(c)
            self.whole(c)

    def interpreter_part(self, word: str, chunk: Chunk) -> None:
        c = self.cursor(chunk)
        if word in ("value", "data", "forms"):
            self.parts.types.append(self.type_declaration(c))
        elif word in ("extend", "replace"):
            self.widening(c)
        elif word == "choice":
            self.parts.choices.append(self.choice(c))
        elif word == "use":
            self.parts.uses.append(self.use(c))
        elif word == "error":
            self.parts.errors.append(self.error(c))
        elif word == "judgement":
            self.parts.judgements.append(self.judgement(c))
        elif word == "main":
            c.take()
            name = c.expect_kind("name", "the function that runs a program")
            self.parts.mains.append(s.MainDecl(name.text, name.span))
            self.whole(c)
        elif word == "define":
            self.parts.functions.append(self.define(c))
        elif word == "law":
            self.parts.laws.append(self.law(c))
        elif word == "letters":
            self.parts.letters += self.letters(c)

    def joined_tokens(self) -> s.TokensSyntax:
        """All blocks of tokens as one."""
        blocks = self.parts.tokens
        rows = tuple(row for block in blocks for row in block.rows)
        lines = next((block.lines for block in blocks if block.lines is not None), None)
        invalid = next((block.invalid for block in blocks if block.invalid), "")
        return s.TokensSyntax(rows, lines, invalid, any(block.any_case for block in blocks))

    def joined_grammars(self) -> tuple[s.GrammarSyntax, ...]:
        """Blocks of the same grammar as one, in the order of their first blocks."""
        joined: dict[str, s.GrammarSyntax] = {}
        for block in self.parts.grammars:
            known = joined.get(block.name)
            if known is None:
                joined[block.name] = block
            else:
                joined[block.name] = s.GrammarSyntax(
                    block.name,
                    known.starts + block.starts,
                    known.rules + block.rules,
                    known.span,
                    known.damaged or block.damaged,
                )
        return tuple(joined.values())
