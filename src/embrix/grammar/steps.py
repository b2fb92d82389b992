"""How a text is parsed, step by step: shifts and reductions with the stack, or a descent."""

from __future__ import annotations

from dataclasses import dataclass

from embrix.grammar.model import Grammar
from embrix.grammar.sets import sets_of
from embrix.grammar.tables import START, build_tables, name_of, production_text
from embrix.grammar.tokens import Token
from embrix.text.visible import visible


@dataclass(frozen=True, slots=True)
class ParseStep:
    """One step: the stack before it, the rest of the text, and what was done."""

    stack: str
    rest: str
    action: str


MOST_STEPS = 5_000
SHOWN = 40


def shift_reduce(grammar: Grammar, text: str, rule: str | None = None) -> list[ParseStep]:
    """The steps of an LALR(1) parser; where it has a choice, reading on comes first.

    The last step says how it ended. A text with characters that begin no token has no steps.
    """
    tables = build_tables(grammar, sets_of(grammar), grammar.entry[rule or grammar.starts[0]])
    tokens = grammar.tokens.cut(text)
    if tokens.invalid:
        return []
    undecided = {(c.state, c.terminal) for c in tables.conflicts}
    states, symbols = [0], list[int]()
    stream: list[Token | None] = [*tokens.tokens, None]
    steps: list[ParseStep] = []
    at = 0
    while len(steps) < MOST_STEPS:
        token = stream[at]
        terminal = grammar.end if token is None else token.terminal
        state = states[-1]
        stack = " ".join(name_of(grammar, symbol) for symbol in symbols[-SHOWN:])
        rest = visible(text[token.start :][:SHOWN]) if token is not None else ""
        doubt = "  (one of several)" if (state, terminal) in undecided else ""
        target = tables.shift[state].get(terminal)
        number = tables.reduce[state].get(terminal)
        if target is not None and token is not None:
            piece = visible(text[token.start : token.end])
            steps.append(ParseStep(stack, rest, f"read {piece}{doubt}"))
            states.append(target)
            symbols.append(terminal)
            at += 1
        elif number == START:
            steps.append(ParseStep(stack, rest, "accepted"))
            return steps
        elif number is not None:
            production = grammar.productions[number]
            steps.append(
                ParseStep(stack, rest, f"end {production_text(grammar, production)}{doubt}")
            )
            count = len(production.right)
            if count:
                del states[-count:]
                del symbols[-count:]
            symbols.append(production.left)
            states.append(tables.goto[states[-1]][production.left])
        else:
            wanted = {*tables.shift[state], *tables.reduce[state]}
            names = ", ".join(name_of(grammar, symbol) for symbol in sorted(wanted))
            steps.append(ParseStep(stack, rest, f"refused: {names} could be read here"))
            return steps
    return steps


def descent(grammar: Grammar, text: str, rule: str | None = None) -> list[ParseStep] | None:
    """The steps of a predictive parser: which alternative each rule takes by the next token.

    None when the grammar is not LL(1) from the rule, so that one token does not decide.
    """
    start = grammar.entry[rule or grammar.starts[0]]
    sets = sets_of(grammar)
    chosen: dict[tuple[int, int], int] = {}
    for number, production in enumerate(grammar.productions):
        first, empty = sets.first_of(production.right)
        predicted = first | sets.follow[production.left] if empty else first
        for terminal in predicted:
            if production.unless is not None and sets.may_begin(production.unless, terminal):
                continue
            if chosen.setdefault((production.left, terminal), number) != number:
                return None
    tokens = grammar.tokens.cut(text)
    if tokens.invalid:
        return []
    stream: list[Token | None] = [*tokens.tokens, None]
    stack = [grammar.end, start]
    steps: list[ParseStep] = []
    at = 0
    while len(steps) < MOST_STEPS:
        token = stream[at]
        terminal = grammar.end if token is None else token.terminal
        top = stack[-1]
        shown = " ".join(name_of(grammar, symbol) for symbol in reversed(stack[-SHOWN:]))
        rest = visible(text[token.start :][:SHOWN]) if token is not None else ""
        if top == terminal:
            if token is None:
                steps.append(ParseStep(shown, rest, "accepted"))
                return steps
            steps.append(ParseStep(shown, rest, f"read {visible(text[token.start : token.end])}"))
            stack.pop()
            at += 1
        elif top < 0 and (top, terminal) in chosen:
            production = grammar.productions[chosen[top, terminal]]
            steps.append(ParseStep(shown, rest, f"take {production_text(grammar, production)}"))
            stack.pop()
            stack.extend(reversed(production.right))
        else:
            steps.append(ParseStep(shown, rest, f"refused: {name_of(grammar, top)} is wanted here"))
            return steps
    return steps
