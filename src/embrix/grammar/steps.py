"""How a text is parsed, step by step: shifts and reductions with the stack, or a descent."""

from __future__ import annotations

from msgspec import Struct

from embrix.grammar.earley import EarleyParser, Order
from embrix.grammar.lr_tables import START, build_tables, name_of, production_text
from embrix.grammar.model import Grammar
from embrix.grammar.predictive import Predictive
from embrix.grammar.sets import sets_of
from embrix.grammar.sketched import sketched
from embrix.grammar.tokens import Token
from embrix.text.visible import visible


class ParseStep(Struct, frozen=True):
    """One step: the stack before it, the rest of the text, and what was done."""

    stack: str
    rest: str
    action: str


MOST_STEPS = 5_000
SHOWN = 40


def shift_reduce(grammar: Grammar, text: str, rule: str | None = None) -> list[ParseStep]:
    """The steps of an LALR(1) parser; where it has a choice, reading on comes first. Where such a
    choice leads to a refusal of a text that has a tree, the steps are those that build the tree.

    The last step says how it ended. A text with characters that begin no token has no steps.
    """
    grammar = sketched(grammar)
    steps, guessed = _by_tables(grammar, text, rule)
    if guessed and steps[-1].action.startswith("refused"):
        orders = EarleyParser(grammar).derivations(text, rule)
        if orders:
            return _building(grammar, text, orders[0])
    return steps


def _building(grammar: Grammar, text: str, order: Order) -> list[ParseStep]:
    """Shifts and reductions that build a derivation, whose productions come children first."""
    steps: list[ParseStep] = []
    symbols: list[int] = []
    tokens = grammar.tokens.cut(text).tokens
    at = 0

    def step(action: str) -> None:
        stack = " ".join(name_of(grammar, symbol) for symbol in symbols[-SHOWN:])
        rest = visible(text[tokens[at].start :][:SHOWN]) if at < len(tokens) else ""
        steps.append(ParseStep(stack, rest, action))

    made = {id(item): (item, parts) for item, parts in order}
    root = order[-1][0]
    pending: list[tuple[object, bool]] = [(root, False)]
    while pending and len(steps) < MOST_STEPS:
        part, ready = pending.pop()
        if isinstance(part, Token):
            step(f"read {visible(text[part.start : part.end])}")
            symbols.append(part.terminal)
            at += 1
            continue
        item, parts = made[id(part)]
        if not ready:
            pending.append((part, True))
            pending.extend((one, False) for one in reversed(parts))
            continue
        step(f"end {production_text(grammar, item.production)}  (as the only tree wants it)")
        if parts:
            del symbols[-len(parts) :]
        symbols.append(item.production.left)
    step("accepted")
    return steps


def _by_tables(
    grammar: Grammar, text: str, rule: str | None = None
) -> tuple[list[ParseStep], bool]:
    """The steps that the tables give, and whether they had a choice anywhere."""
    tables = build_tables(grammar, sets_of(grammar), grammar.entry[rule or grammar.starts[0]])
    tokens = grammar.tokens.cut(text)
    if tokens.invalid:
        return [], False
    undecided = {(c.state, c.terminal) for c in tables.conflicts}
    states, symbols = [0], list[int]()
    stream: list[Token | None] = [*tokens.tokens, None]
    steps: list[ParseStep] = []
    at = 0
    guessed = False
    while len(steps) < MOST_STEPS:
        token = stream[at]
        terminal = grammar.end if token is None else token.terminal
        state = states[-1]
        stack = " ".join(name_of(grammar, symbol) for symbol in symbols[-SHOWN:])
        rest = visible(text[token.start :][:SHOWN]) if token is not None else ""
        guessed = guessed or (state, terminal) in undecided
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
            return steps, guessed
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
            return steps, guessed
    return steps, guessed


def descent(grammar: Grammar, text: str, rule: str | None = None) -> list[ParseStep] | None:
    """The steps of a predictive parser: which alternative each rule takes by the next token, and
    how often each repetition goes on.

    None when the grammar is not LL(1) from the rule, so that one token does not decide.
    """
    grammar = sketched(grammar)
    start = grammar.entry[rule or grammar.starts[0]]
    predictive = Predictive(grammar, start)
    chosen = predictive.table()
    if any(len(options) > 1 for options in chosen.values()):
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
        shown = " ".join(predictive.name(symbol) for symbol in reversed(stack[-SHOWN:]))
        rest = visible(text[token.start :][:SHOWN]) if token is not None else ""
        if top == terminal:
            if token is None:
                steps.append(ParseStep(shown, rest, "accepted"))
                return steps
            steps.append(ParseStep(shown, rest, f"read {visible(text[token.start : token.end])}"))
            stack.pop()
            at += 1
        elif top < 0 and (top, terminal) in chosen:
            (option,) = chosen[top, terminal]
            steps.append(ParseStep(shown, rest, f"take {option.text}"))
            stack.pop()
            stack.extend(reversed(option.right))
        else:
            steps.append(ParseStep(shown, rest, f"refused: {predictive.name(top)} is wanted here"))
            return steps
    return steps
