"""Conversions of tokens: the author's functions that read a token's text and write it again."""

from __future__ import annotations

from typing import Any

from msgspec.structs import force_setattr, replace

from embrix.brix.core import Interpreter, Language
from embrix.grammar.model import Conversion
from embrix.machine.faults import Ended
from embrix.machine.run import Machine
from embrix.terms.node import FIELDS, NONE, Value


class _ByFunctions:
    """A conversion by a pair of functions of a language. What they end with other than a value
    counts as no value."""

    def __init__(self, machine: Machine, reads: str, writes: str) -> None:
        self._machine = machine
        self._reads = reads
        self._writes = writes

    def read(self, text: str) -> Value | None:
        try:
            found: Any = self._machine.apply(self._reads, (text,))
        except Ended:
            return None
        return None if found[0] == NONE else found[FIELDS]

    def write(self, value: Value) -> str | None:
        try:
            text: Any = self._machine.apply(self._writes, (value,))
        except Ended:
            return None
        return str(text)


def convert_tokens(language: Language) -> None:
    """Have the grammars of a language read and write the tokens that have functions for it."""
    pairs = {
        decl.name: (decl.via[0][0], decl.via[1][0])
        for decl in language.syntax.tokens.written
        if len(decl.via) == 2
    }
    found: dict[str, Conversion] = {}
    if pairs and language.grammars:
        bare = replace(language, grammars={})
        unit = Interpreter(
            "conversions", language.source, "", bare, dict(language.signature.by_tag),
            language.errors, language.functions, {}, next(iter(language.functions)),
            language.signature, (), language.choices,
        )  # fmt: skip
        machine = Machine(unit)
        found = {name: _ByFunctions(machine, *functions) for name, functions in pairs.items()}
    for grammar in language.grammars.values():
        force_setattr(grammar, "conversions", found)
