"""Where a substitution does something, as places in the printed terms before and after it.

A term is printed a second time with marks for names: what differs tells the places, whatever the
grammar puts around them.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from typing import Literal, TypeAlias

from msgspec import Struct

from embrix.terms.node import FIELDS, Node, Value
from embrix.terms.scopes import Around, parts_of_node
from embrix.terms.signature import Signature
from embrix.terms.substitution_details import occurs
from embrix.terms.ways import Way, part_at, way_to, with_parts
from embrix.text.source import Span

MarkKind: TypeAlias = Literal["put", "stopped", "renamed", "value"]
Substitution: TypeAlias = tuple[str, Value, Value, Value]
"""The name, what is put in for it, the term, and what comes of it."""
MOST_MARKS = 40
"""Places that are marked in one term."""
MOST_NODES = 4_000
"""Nodes in which places are looked for."""
_MARK = re.compile(r"‹?zqx([a-z]+)xqz›?")


class TermMark(Struct, frozen=True):
    """A place in a printed term: a name that something is put in for, a binder of the same name
    that stops it, a binder that gets another name, or a value that has been put in."""

    kind: MarkKind
    span: Span


def marks_before(
    show: Callable[[Node], str], signature: Signature, whole: Node, text: str, name: str,
    inner: Node, result: Value,
) -> list[TermMark]:  # fmt: skip
    """The places in the text of a term of which `inner` is a part, where something is put in it for
    a name and gives `result`."""
    way = way_to(whole, inner, MOST_NODES)
    if way is None:
        return []
    kinds: list[MarkKind] = []
    names: list[str] = []
    instead: dict[Way, Value] = {}
    for path, kind, old in _leaves(signature, name, inner, result):
        instead[(*way, *path)] = _mark(len(kinds))
        kinds.append(kind)
        names.append(old)
        if len(kinds) >= MOST_MARKS:
            break
    if not kinds:
        return []
    plain, spans = "", []
    at = 0
    marked = show(with_parts(whole, instead))
    for found in _MARK.finditer(marked):
        number = _number(found[1])
        if number >= len(names):
            return []
        plain += marked[at : found.start()]
        spans.append(TermMark(kinds[number], Span(len(plain), len(plain) + len(names[number]))))
        plain += names[number]
        at = found.end()
    return spans if plain + marked[at:] == text else []


def marks_after(
    show: Callable[[Node], str], signature: Signature, whole: Node, text: str, way: Way,
    substitution: Substitution,
) -> list[TermMark]:  # fmt: skip
    """The values that have been put in, in the text of a term in which the result of a substitution
    stands at the end of a way; none where something else stands there."""
    name, value, inner, result = substitution
    there = part_at(whole, way)
    if not (isinstance(inner, tuple) and isinstance(there, tuple) and there[0] == result[0]):
        return []
    instead: dict[Way, Value] = {}
    for path, kind, _ in _leaves(signature, name, inner, result):
        if kind == "put" and len(instead) < MOST_MARKS:
            variable = part_at(inner, path[:-1])
            assert isinstance(variable, tuple)
            marked = (*variable[: FIELDS + path[-1]], _mark(0), *variable[FIELDS + path[-1] + 1 :])
            instead[(*way, *path[:-1])] = marked
    if not instead:
        return []
    between = _MARK.split(show(with_parts(whole, instead)))[::2]
    shown = show(value) if isinstance(value, tuple) else str(value)
    pattern = "(.+?)".join(map(re.escape, between))
    found = re.fullmatch(pattern, text, re.DOTALL) if len(between) == len(instead) + 1 else None
    if found is None or any(one.strip("()") != shown.strip("()") for one in found.groups()):
        return []
    return [TermMark("value", Span(*found.span(number + 1))) for number in range(len(instead))]


def _leaves(
    signature: Signature, name: str, inner: Node, result: Value
) -> Iterator[tuple[Way, MarkKind, str]]:
    """The ways to the names at which something happens, with these names."""
    pending: list[tuple[Value, Value, Way, Around | None]] = [(inner, result, (), None)]
    for _ in range(MOST_NODES):
        if not pending:
            return
        node, after, way, around = pending.pop()
        if not isinstance(node, tuple):
            continue
        form = signature.form_of(node)
        if form is not None and form.uses and node[FIELDS + form.uses[0]] == name:
            yield (*way, form.uses[0]), "put", name
            continue
        same = isinstance(after, tuple) and after[0] == node[0] and len(after) == len(node)
        found = parts_of_node(signature, node, around)
        inside: list[tuple[Value, Value, Way, Around | None]] = []
        binders: list[tuple[Way, str]] = []
        hidden = False
        for index, child in enumerate(node[FIELDS:]):
            part = found[index] if found is not None else None
            then = after[FIELDS + index] if same else None
            if part is not None and part.binder and isinstance(child, str):
                binders.append(((*way, index), child))
                if same and isinstance(then, str) and then != child:
                    yield (*way, index), "renamed", child
            if part is not None and name in part.names:
                hidden = hidden or occurs(signature, name, child)
            else:
                inside.append((child, then, (*way, index), part.around if part else None))
        for path, bound in binders:
            if hidden and bound == name:
                yield path, "stopped", bound
        pending += reversed(inside)


def _mark(number: int) -> str:
    """A name made of small letters, which most languages can write."""
    letters = ""
    while True:
        number, last = divmod(number, 26)
        letters = chr(ord("a") + last) + letters
        if not number:
            return f"zqx{letters}xqz"


def _number(letters: str) -> int:
    number = 0
    for letter in letters:
        number = number * 26 + ord(letter) - ord("a")
    return number
