"""Derivation trees: which rule covers which slice of a text.

What a grammar needs only inside (levels of operator tables, the collecting of lists) is left out:
every node is a rule or table of the author, every leaf a token.
"""

from __future__ import annotations

from msgspec import Struct, field

from embrix.grammar.earley import EarleyParser
from embrix.grammar.model import Collect, Grammar, Pass
from embrix.grammar.sketched import sketched
from embrix.grammar.tokens import Token


class Derived(Struct, eq=False):
    """A rule over a slice of the text, or a token (then it has no parts)."""

    name: str
    start: int
    end: int
    parts: list[Derived] = field(default_factory=list)
    is_token: bool = False


MOST_TOKENS = 3_000


def derivations(grammar: Grammar, text: str, rule: str | None = None) -> list[Derived]:
    """The derivation tree of a text; two when it has several, none when it is refused or long.
    Alternatives need not make a form yet."""
    grammar = sketched(grammar)
    if len(grammar.tokens.cut(text).tokens) > MOST_TOKENS:
        return []
    found = EarleyParser(grammar).derivations(text, rule)
    rules = set(grammar.entry.values())
    trees: list[Derived] = []
    for order in found:
        made: dict[int, list[Derived]] = {}
        for item, parts in order:
            inside: list[Derived] = []
            for part in parts:
                if isinstance(part, Token):
                    kind = grammar.tokens.kind_of(part.terminal)
                    name = kind.name if kind is not None else ""
                    inside.append(Derived(name, part.start, part.end, is_token=True))
                else:
                    inside += made[id(part)]
            production = item.production
            hidden = isinstance(production.build, Collect) or (
                isinstance(production.build, Pass)
                and len(production.right) == 1
                and (production.left not in rules or production.right[0] not in rules)
                and production.right[0] < 0
            )
            if hidden:
                made[id(item)] = inside
                continue
            name = grammar.names[production.left]
            own = [part for part in inside if part.end > part.start] or inside
            start, end = (own[0].start, own[-1].end) if own else (0, 0)
            made[id(item)] = [Derived(name, start, end, inside)]
        trees += made[id(order[-1][0])][:1]
    return trees


def rows_of(tree: Derived, text: str) -> list[tuple[int, str, str, str, int, int]]:
    """A tree as rows from the top: depth, "", name, text of a token, start, end."""
    rows: list[tuple[int, str, str, str, int, int]] = []
    stack = [(0, tree)]
    while stack:
        depth, node = stack.pop()
        piece = text[node.start : node.end] if node.is_token else ""
        rows.append((depth, "", node.name, piece, node.start, node.end))
        stack.extend((depth + 1, part) for part in reversed(node.parts))
    return rows
