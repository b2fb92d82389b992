"""What a text is cut into and how it is read."""

from __future__ import annotations

import itertools
from collections.abc import Mapping
from typing import Any

from embrix.grammar.actions import Unfit, read_token
from embrix.grammar.derivation import Derived, derivations, rows_of
from embrix.grammar.model import Grammar
from embrix.grammar.parser import Ambiguous, Parsed, Refused
from embrix.grammar.recovery import mishaps
from embrix.grammar.sketched import sketched
from embrix.grammar.tokens import Tokens
from embrix.grammar.without_forms import forms_wanted, read_without_forms
from embrix.lanes.session import Session
from embrix.machine.lane import rejection
from embrix.messages.replies import Look, MistakeAt, Refusal, TreeRow
from embrix.terms.binding import free_names
from embrix.terms.node import CONS, FIELDS, NIL, NONE, SOME, Node, Value, list_items
from embrix.terms.numbers import write_number
from embrix.terms.types import BOOL, INT, NAME, NUMBER, TEXT, Con, Type, settle
from embrix.text.plural import counted
from embrix.text.source import Source
from embrix.text.visible import cut

MOST_LEAVES = 20
"""Leaves of a list that are shown in a tree."""
MOST_VALUES = 300
"""Tokens whose values are looked at."""
MOST_ROWS = 2_000
"""Tree nodes that are sent for one program."""


def look(session: Session, language: str, text: str, rule: str | None = None) -> Look:
    """The tokens and the tree of a text read at a rule, or where and why it is refused."""
    grammar = session.course.languages[language].grammar
    parser = session.parser(language)
    if parser is None:
        return _tokens_alone(session, language, text)
    rules = grammar.entry if grammar is not None else {}
    if rule is not None and rule not in rules:
        rule = None
    parsed, derived = read_without_forms(grammar, parser, text, rule)
    tokens = parsed.tokens
    rows: list[TreeRow] = []
    more = 0
    refused: Refusal | None = None
    if isinstance(parsed, Parsed):
        rows, more = tree(session, language, parsed.term)
    elif derived and grammar is not None:
        drawn = [_rows(one, text) for one in derived]
        rows, more = drawn[0][:MOST_ROWS], max(0, len(drawn[0]) - MOST_ROWS)
        refused = _without_forms(grammar, drawn)
    else:
        outcome = rejection(parsed)
        refused = Refusal(outcome.kind, outcome.text, outcome.name, outcome.place)
        if isinstance(parsed, Refused):
            source = Source("", text)
            refused.mistakes = [
                MistakeAt(one.message, one.span.start, one.span.end)
                for one in (mishaps(sketched(grammar), text, parsed, rule) if grammar else ())
            ]
            refused.reading = [
                (row, "{}:{}".format(*source.position(begun)), why)
                for row, begun, why in parsed.reading
            ]
        if isinstance(parsed, Ambiguous):
            refused.trees = [with_rest(*tree(session, language, one)) for one in parsed.trees]
    return Look(
        tokens=[
            (token.start, token.end, _kind(session, language, token.terminal))
            for token in tokens.tokens
        ],
        values=_values(grammar, tokens, text) if grammar is not None else {},
        skipped=[(token.start, token.end) for token in tokens.skipped],
        invalid=[(bad.span.start, bad.span.end) for bad in tokens.invalid],
        tree=rows,
        cut=more,
        refused=refused,
        derived=bool(derived),
    )


def _without_forms(grammar: Grammar, drawn: list[list[TreeRow]]) -> Refusal:
    """What is said of a text that can be derived, where forms are missing."""
    if len(drawn) > 1:
        return Refusal("ambiguous", "the grammar derives this text in more than one way",
                       trees=drawn[:2])  # fmt: skip
    return Refusal("unfinished", f"the grammar derives this text; {forms_wanted(grammar)}")


def unused_names(session: Session, language: str, text: str, given: Mapping[str, str]) -> list[str]:
    """The names supplied by hand that neither a program nor what is used of them mentions."""
    parser = session.parser(language)
    parsed = parser.parse(text) if parser is not None else None
    if parser is None or not isinstance(parsed, Parsed):
        return []
    signature = session.course.languages[language].signature
    pending = list(free_names(signature, parsed.term))
    used: set[str] = set()
    while pending:
        name = pending.pop()
        if name in given and name not in used:
            used.add(name)
            bound = parser.parse(given[name])
            if isinstance(bound, Parsed):
                pending += free_names(signature, bound.term)
    return [name for name in given if name not in used]


def derivation(
    session: Session, language: str, text: str, rule: str | None = None
) -> list[list[TreeRow]]:
    """The derivation trees of a text as rows: one, two when it has several, or none."""
    grammar = session.course.languages[language].grammar
    if grammar is None:
        return []
    rule = rule if rule in grammar.entry else None
    found = derivations(grammar, text, rule)
    return [_rows(one, text) for one in found]


def _rows(derived: Derived, text: str) -> list[TreeRow]:
    return [TreeRow(*row) for row in rows_of(derived, text)]


def _tokens_alone(session: Session, language: str, text: str) -> Look:
    """The tokens of a text in a language whose grammar cannot be used (yet)."""
    table = session.course.languages[language].tokens
    found = table.cut(text) if table is not None else Tokens((), (), ())
    return Look(
        tokens=[(t.start, t.end, _kind(session, language, t.terminal)) for t in found.tokens],
        skipped=[(token.start, token.end) for token in found.skipped],
        invalid=[(bad.span.start, bad.span.end) for bad in found.invalid],
        unusable=True,
    )


def _values(grammar: Grammar, tokens: Tokens, text: str) -> dict[str, str]:
    """What the first tokens are read as, by where they begin, where that is not their text."""
    found: dict[str, str] = {}
    for token in tokens.tokens[:MOST_VALUES]:
        kind = grammar.tokens.kind_of(token.terminal)
        if kind is None or not (kind.via or kind.conversion == "Number"):
            continue
        try:
            value = read_token(grammar, token, text)
        except Unfit:
            found[str(token.start)] = "cannot be read"
            continue
        shown = f'"{value}"' if isinstance(value, str) else _leaf(value)
        if shown != text[token.start : token.end]:
            found[str(token.start)] = cut(shown, 60)
    return found


def _kind(session: Session, language: str, terminal: int) -> str:
    table = session.course.languages[language].tokens
    assert table is not None
    kind = table.kind_of(terminal)
    if kind is not None:
        return kind.name
    text = table.literals[terminal]
    return "word" if text[:1].isalpha() else "sign"


def tree(session: Session, language: str, term: Node) -> tuple[list[TreeRow], int]:
    """The first nodes of a term as rows from the top, and how many more there are."""
    signature = session.course.languages[language].signature
    rows, stack = _roots(term)
    more = 0
    while stack:
        depth, field, node = stack.pop()
        form = signature.form_of(node)
        if form is None:
            continue
        if len(rows) < MOST_ROWS:
            leaves = [
                f"{name} {shown}"
                for name, child, kind in zip(form.fields, node[FIELDS:], form.types, strict=True)
                if (shown := _leaves(child, kind)) is not None
            ]
            start, end = node[1] or (-1, -1)
            rows.append(TreeRow(depth, field, form.name, ", ".join(leaves), start, end))
        else:
            more += 1
        children = [
            (depth + 1, label, part)
            for name, child in zip(form.fields, node[FIELDS:], strict=True)
            if isinstance(child, tuple)
            for label, part in _parts(name, child)
        ]
        stack.extend(reversed(children))
    return rows, more


def _roots(term: Value) -> tuple[list[TreeRow], list[tuple[int, str, Any]]]:
    """The row of what a rule gives, where that is no form, and the forms that stand below it."""
    if not isinstance(term, tuple):
        return [TreeRow(0, "", "", _leaf(term))], []
    if term[0] == SOME:
        return _roots(term[FIELDS])
    if term[0] == NONE:
        return [TreeRow(0, "", "nothing", "")], []
    if term[0] not in (NIL, CONS):
        return [], [(0, "", term)]
    items = [*list_items(term)]
    leaves = [_leaf(item) for item in items if not isinstance(item, tuple)]
    named = f"a list of {len(items):,}" if items else "an empty list"
    row = TreeRow(
        0, "", named, ", ".join([*leaves[:MOST_LEAVES], *["…"][len(leaves) <= MOST_LEAVES :]])
    )
    parts = [(1, label.strip(), part) for label, part in _parts("", term)]
    return [row], parts[::-1]


def with_rest(rows: list[TreeRow], more: int) -> list[TreeRow]:
    """Rows with one that tells how many nodes are left out, if any is."""
    if not more:
        return rows
    return [*rows, TreeRow(rows[-1].depth + 1, "", f"… and {counted(more, 'more node')}", "")]


def _leaves(child: Value, kind: Type) -> str | None:
    """A field that holds no parts of a term, but a leaf, a list of leaves or perhaps one; None
    for any other."""
    if not isinstance(child, tuple):
        return _leaf(child)
    kind = settle(kind)
    inner = settle(kind.args[0]) if isinstance(kind, Con) and kind.args else None
    if inner not in (NUMBER, INT, NAME, TEXT, BOOL):
        return None
    if child[0] in (NONE, SOME):
        return _leaf(child[FIELDS]) if child[0] == SOME else "none"
    items = list(itertools.islice(list_items(child), MOST_LEAVES + 1))
    more = ["…"] if len(items) > MOST_LEAVES else []
    return f"[{', '.join([*map(_leaf, items[:MOST_LEAVES]), *more])}]"


def _leaf(value: Any) -> str:
    if isinstance(value, bool):
        return "true" if value else "false"
    return cut(value if isinstance(value, str) else write_number(value), 60)


def _parts(name: str, child: Node) -> list[tuple[str, Node]]:
    """What a field holds as rows of a tree: the items of a list one by one, names and numbers
    among them left out."""
    if child[0] == NONE:
        return []
    if child[0] == SOME:
        inner = child[FIELDS]
        return _parts(name, inner) if isinstance(inner, tuple) else []
    if child[0] not in (NIL, CONS):
        return [(name, child)]
    found = []
    for number, item in enumerate(list_items(child)):
        if isinstance(item, tuple):
            found += _parts(f"{name} {number + 1}", item)
    return found


def branch_of(row: TreeRow) -> dict[str, Any]:
    """A row of a tree as data for JSON."""
    place = {"place": [row.start, row.end]} if row.start >= 0 else {}
    return {"depth": row.depth, "field": row.field, "form": row.form, "leaves": row.leaves, **place}
