"""How tokens write numbers, names and other values that stand alone."""

from __future__ import annotations

from embrix.grammar.actions import Unfit, read_token
from embrix.grammar.model import Grammar
from embrix.grammar.tokens import Token
from embrix.terms.node import Value
from embrix.terms.numbers import spellings, write_number

MOST_SPELLINGS = 4_096


class Spelling:
    """The tokens of one grammar as writers of values."""

    def __init__(self, grammar: Grammar) -> None:
        self._grammar = grammar
        self._spellings: dict[tuple[int, type, Value], str | None] = {}

    def literal(self, value: Value) -> str | None:
        """How a token writes a number or name, or None when none can."""
        wanted = "Name" if isinstance(value, str) else "Number"
        for index, kind in enumerate(self._grammar.tokens.kinds):
            if not kind.skip and kind.conversion == wanted:
                terminal = len(self._grammar.tokens.literals) + index
                text = self._spelling(terminal, value)
                if text is not None:
                    return text
        return None

    def writes(self, terminal: int, value: Value) -> bool:
        """Whether a token can write a value."""
        return not isinstance(value, tuple) and self._spelling(terminal, value) is not None

    def _spelling(self, terminal: int, value: Value) -> str | None:
        """How a token of this kind writes a value; None when it cannot."""
        kind = self._grammar.tokens.kind_of(terminal)
        if kind is not None and kind.via:
            text = self._grammar.conversions[kind.name].write(value)
            return text if text is not None and self._writes(terminal, text, value) else None
        # As text: minus zero equals zero, and what is no number does not even equal itself.
        key = (terminal, type(value), repr(value) if isinstance(value, float) else value)
        if key not in self._spellings:
            if len(self._spellings) >= MOST_SPELLINGS:
                self._spellings.clear()
            texts = [value] if isinstance(value, str) else spellings(value)
            found = (text for text in texts if self._writes(terminal, text, value))
            self._spellings[key] = next(found, None)
        return self._spellings[key]

    def _writes(self, terminal: int, text: str, value: Value) -> bool:
        """Whether a token of this kind can have this text and is read back as this value."""
        tokens = self._grammar.tokens
        if not tokens.exactly(text, terminal):
            return False
        try:
            back = read_token(self._grammar, Token(terminal, 0, len(text)), text)
        except Unfit:
            return False
        if isinstance(value, float):
            return repr(back) == repr(value)
        return bool(back == value) and type(back) is type(value)


def atom(value: Value) -> str:
    if isinstance(value, bool):
        return "true" if value else "false"
    return write_number(value)
