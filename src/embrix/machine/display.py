"""Values as people read them.

A term is printed by its grammar, a value by the `shown` of its constructor, anything else as its
structure. What gets long or deep is cut off with a sign.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from fractions import Fraction
from typing import Any, TypeAlias

from embrix.brix import core as k
from embrix.brix.core import Interpreter
from embrix.grammar.printing import CLOSE, OPEN, Printer
from embrix.terms.node import (
    CONS,
    EMPTY,
    FIELDS,
    FRAME,
    ITSELF,
    KNOT,
    LOCATION,
    MAP,
    NIL,
    NONE,
    SOME,
    STORE,
    TUPLE,
    Value,
    bindings,
    entries,
    key_order,
    list_items,
)
from embrix.terms.numbers import write_number
from embrix.terms.types import TEXT, settle

DEEPEST = 40
MOST = 2_000
"""Characters that a displayed value may take before it is cut off."""

MOST_TERMS = 500

Shower: TypeAlias = Callable[[int, tuple[Value, ...]], Any]
"""Runs the `shown` of the constructor with a tag: a text, or a term to print."""


class Display:
    """Shows the values of one interpreter."""

    def __init__(
        self, interpreter: Interpreter, printer: Printer | None, shower: Shower, most: int = MOST
    ) -> None:
        self._interpreter = interpreter
        self._printer = printer
        self._shower = shower
        self._most = most
        self._terms: dict[int, tuple[Value, str]] = {}
        """The last terms that were printed, by identity: suspensions show the same ones often."""
        self._plain: dict[tuple[Value, ...], str] = {}
        """Values of plain parts (numbers, names) as they are shown."""

    def show(self, value: Value, most: int | None = None) -> str:
        """A value in its short form, as it appears inside other text; cut off after `most`."""
        return self._collect(self._pieces(value, 0), most)

    def outcome(self, value: Value) -> str:
        """A value standing alone: a single leaf needs no marks around it."""
        text = self.show(value)
        inner = text[len(OPEN) : -len(CLOSE)]
        if text.startswith(OPEN) and text.endswith(CLOSE) and OPEN not in inner:
            return inner
        return text

    def structure(self, value: Value) -> str:
        """A value as the notation would build it."""
        return self._collect(self._structure(value, 0))

    def environment(self, value: Value) -> list[tuple[str, str]]:
        """Names and shown values, the innermost first; shadowed ones are left out."""
        seen: dict[str, str] = {}
        for name, bound in bindings(value):
            if name not in seen:
                seen[name] = self.show(bound)
        return list(seen.items())

    def _collect(self, pieces: Iterator[str], most: int | None = None) -> str:
        limit = self._most if most is None else most
        text: list[str] = []
        length = 0
        for piece in pieces:
            text.append(piece)
            length += len(piece)
            if length > limit:
                return "".join(text)[:limit] + "…"
        return "".join(text)

    def _pieces(self, value: Value, depth: int) -> Iterator[str]:
        if not isinstance(value, tuple):
            yield _leaf(value)
            return
        if depth > DEEPEST:
            yield "…"
            return
        tag = value[0]
        if tag in (FRAME, EMPTY, KNOT, ITSELF):
            pairs = list(reversed(self.environment(value)))
            around = "↻" if tag == ITSELF else "∅"
            yield ", ".join(f"{name} = {shown}" for name, shown in pairs) or around
        elif tag in (STORE, MAP):
            yield from self._entries(value, depth, self._pieces)
        elif tag in (TUPLE, NIL, CONS, NONE, SOME, LOCATION):
            yield from self._built_in(value, depth, self._pieces)
        elif tag in self._interpreter.language.signature.by_tag:
            yield self._term(value)
        elif tag in self._interpreter.shown:
            yield self._shown(tag, value[FIELDS:])
        else:
            yield from self._structure(value, depth)

    def _shown(self, tag: int, parts: tuple[Value, ...]) -> str:
        """A value as its definition shows it."""
        key = (tag, *parts)
        # Not of floats: -0.0 equals 0.0 and is shown otherwise.
        plain = all(isinstance(part, int | str | Fraction) for part in parts)
        if plain and key in self._plain:
            return self._plain[key]
        shown = self._shower(tag, parts)
        is_text = settle(self._interpreter.shown[tag].result) == TEXT
        text = shown if is_text else self._term(shown)
        if plain:
            if len(self._plain) >= MOST_TERMS:
                self._plain.clear()
            self._plain[key] = text
        return str(text)

    def _term(self, term: Value) -> str:
        if self._printer is None or not isinstance(term, tuple):
            return self._collect(self._structure(term, 0))
        known = self._terms.get(id(term))
        if known is not None:
            return known[1]
        if len(self._terms) >= MOST_TERMS:
            self._terms.clear()
        text = self._printer.show(term, most=self._most).text
        self._terms[id(term)] = (term, text)
        return text

    def _structure(self, value: Value, depth: int) -> Iterator[str]:
        if not isinstance(value, tuple):
            yield _leaf(value)
            return
        if depth > DEEPEST:
            yield "…"
            return
        tag = value[0]
        if tag in (FRAME, EMPTY, KNOT):
            pairs = [f"{name} = {self.structure(bound)}" for name, bound in bindings(value)]
            yield "{" + ", ".join(reversed(pairs)) + "}"
        elif tag == ITSELF:
            yield "↻"
        elif tag in (STORE, MAP):
            yield from self._entries(value, depth, self._structure)
        elif tag in (TUPLE, NIL, CONS, NONE, SOME, LOCATION):
            yield from self._built_in(value, depth, self._structure)
        else:
            constructor = self._interpreter.constructors.get(tag)
            yield constructor.name if constructor else "?"
            yield from self._listed("(", value[FIELDS:], ")", depth, self._structure)

    def _built_in(
        self, value: Value, depth: int, inner: Callable[[Value, int], Iterator[str]]
    ) -> Iterator[str]:
        tag = value[0]
        if tag == TUPLE:
            yield from (
                self._listed("(", value[FIELDS:], ")", depth, inner)
                if value[FIELDS:]
                else iter(("()",))
            )
        elif tag in (NIL, CONS):
            if tag == NIL:
                yield "[]"
            else:
                yield from self._listed("[", list_items(value), "]", depth, inner)
        elif tag == LOCATION:
            yield f"@{value[FIELDS]}"
        elif tag == NONE:
            yield "None"
        else:
            yield from self._listed("Some(", value[FIELDS:], ")", depth, inner)

    def _entries(
        self, value: Value, depth: int, inner: Callable[[Value, int], Iterator[str]]
    ) -> Iterator[str]:
        """A store or map: what is at each key, in the order of the keys."""
        at = "@" if value[0] == STORE else ""
        first = True
        for key, held in entries(value):
            yield f"{'' if first else ', '}{at}"
            yield from inner(key, depth + 1)
            yield " ↦ "
            yield from inner(held, depth + 1)
            first = False
        if first:
            yield "∅"

    def _listed(
        self,
        begin: str,
        items: Any,
        end: str,
        depth: int,
        inner: Callable[[Value, int], Iterator[str]],
    ) -> Iterator[str]:
        first = True
        for one in items:
            yield begin if first else ", "
            yield from inner(one, depth + 1)
            first = False
        if not first:
            yield end


def plainly(body: k.Core | None, known: Mapping[int, Value], show: Callable[[Value], str]) -> Any:
    """What a `shown` gives that only puts fields together, found without running anything; None
    for any other."""
    match body:
        case k.Local(slot):
            return known[slot]
        case k.Const(str() as text):
            return text
        case k.Template(parts) if all(isinstance(part, str | k.Local) for part in parts):
            pieces = [known[part.slot] if isinstance(part, k.Local) else part for part in parts]
            return "".join(one if isinstance(one, str) else show(one) for one in pieces)
        case k.Build(made, args) if made.is_form and all(isinstance(a, k.Local) for a in args):
            return (made.tag, None, *(known[a.slot] for a in args if isinstance(a, k.Local)))
    return None


def _leaf(value: Value) -> str:
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, str):
        return value
    if isinstance(value, frozenset):
        return "{" + ", ".join(_leaf(one) for one in sorted(value, key=key_order)) + "}"
    if callable(value):
        return f"{OPEN}function{CLOSE}"
    return write_number(value)
