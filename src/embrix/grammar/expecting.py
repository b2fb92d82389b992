"""Where reading stopped, in words: what stands there, and what could stand there instead."""

from __future__ import annotations

from collections.abc import Collection

from embrix.grammar.model import Grammar
from embrix.grammar.parser import end_span, list_expected
from embrix.grammar.tokens import Token, Tokens
from embrix.text.source import Span
from embrix.text.visible import cut, visible


def in_order(grammar: Grammar, wanted: Collection[int], closing: Collection[int]) -> list[int]:
    """Terminals in the order in which they help: what closes something that has been opened, then
    signs, words, names and numbers, the end of the program."""
    literals = grammar.tokens.literals

    def rank(terminal: int) -> int:
        if terminal == grammar.end:
            return 4
        if terminal >= len(literals):
            return 3
        if terminal in closing:
            return 0
        return 2 if literals[terminal][:1].isalpha() else 1

    return sorted(wanted, key=lambda terminal: (rank(terminal), terminal))


def span_at(tokens: tuple[Token, ...], index: int, text: str) -> Span:
    """The place of a token, or of the end of the program behind the last one."""
    if index < len(tokens):
        return Span(tokens[index].start, tokens[index].end)
    return end_span(text, tokens)


def explained(
    grammar: Grammar, tokens: Tokens, index: int, text: str, expected: tuple[str, ...]
) -> str:
    """What stands at a token where reading stopped, and what is expected there."""
    span = span_at(tokens.tokens, index, text)
    if index < len(tokens.tokens):
        found = f"`{visible(cut(text[span.start : span.end], 30))}`"
        terminal = tokens.tokens[index].terminal
        kind = grammar.tokens.kind_of(terminal)
        if kind is not None and kind.made:
            found = f"here is {grammar.describe(terminal)}"
    elif tokens.tokens:
        found = "the program ends here"
    elif tokens.skipped:
        found = "everything in the program is skipped, so there is nothing to read"
    else:
        found = "the program is empty"
    return f"{found}, but {list_expected(expected)} could stand here"
