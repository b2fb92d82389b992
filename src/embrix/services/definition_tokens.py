"""The tokens of a definition, for its colours."""

from __future__ import annotations

import re

from embrix.brix.lexer import chunks, lex
from embrix.brix.pattern_reader import WORDS
from embrix.messages.replies import Look, TokenSlice
from embrix.text.diagnostic import Findings
from embrix.text.source import Source


def definition_tokens(definition: str) -> Look:
    """The tokens of a definition, as those of a program are given."""
    source = Source("definition", definition)
    nothing = Findings()
    tokens: list[TokenSlice] = []
    for chunk in chunks(source, nothing):
        opening = True
        for tok in lex(source, chunk.span, nothing, patterns=chunk.word == "tokens"):
            kind = _KINDS.get(tok.kind, "sign")
            marked = _IN_GRAMMAR if chunk.word == "grammar" else _MARKED
            if kind == "name" and (opening or tok.text in WORDS or tok.text in marked):
                kind = "word"
            opening = False
            tokens.append((tok.span.start, tok.span.end, kind))
    comments = [
        (match.start(), match.end())
        for match in re.finditer(r"(?m)(?:^|(?<= ))#[^\n]*", definition)
    ]
    return Look(tokens, skipped=comments)


_KINDS = {"name": "name", "Name": "form", "number": "number", "text": "text", "pattern": "text"}
_MARKED = frozenset(
    ["as", "via", "binds", "uses", "in", "by", "final", "order", "shown", "skip", "lines"]
)
_IN_GRAMMAR = frozenset(
    ["makes", "left", "right", "prefix", "postfix", "nonassociative", "operand", "operators",
     "start"]
)  # fmt: skip
