"""Values as people read them.

A term is printed by its grammar, a value by the `shown` of its constructor, anything else as its
structure. What gets long or deep is cut off with a sign.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from fractions import Fraction
from typing import TypeAlias

from embrix.brix import core as k
from embrix.brix.core import Interpreter
from embrix.grammar.expanding import CLOSE, OPEN
from embrix.grammar.printed import Part, Parts
from embrix.grammar.printing import Printer
from embrix.terms.keys import entries, locations, members
from embrix.terms.made_functions import MadeFunction
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
    Node,
    Value,
    bindings,
    list_items,
)
from embrix.terms.numbers import write_number
from embrix.terms.types import TEXT, settle

MOST_CHARACTERS = 2_000
"""Characters that a displayed value may take before it is cut off."""

MOST_TERMS = 500
MOST_HELD = 5_000
MOST_WITHIN = 20
"""Texts that are kept of what environments and stores hold, and how many may be made inside each
other before what is further in is gone through with what is around it."""
DEEPEST = 400
"""Levels of a term that are printed inside other text."""

EMPTY_PARTS = 4
"""Parts that may be gone through for each character: parts without text end as well."""


Shower: TypeAlias = Callable[[int, tuple[Value, ...]], "Parts | str | Value"]
"""What the `shown` of the constructor with a tag gives: parts, a text, or a term to print."""


class Display:
    """Shows the values of one interpreter.

    Nothing here recurses: values may be any number of levels deep, and parts that are shared many
    times are only gone through as far as there is room for their text.
    """

    def __init__(
        self,
        interpreter: Interpreter,
        printer: Printer | None,
        shower: Shower,
        most: int = MOST_CHARACTERS,
    ) -> None:
        self._interpreter = interpreter
        self._forms = interpreter.language.signature.by_tag
        self._printer = printer
        self._shower = shower
        self._most = most
        self._terms: dict[int, tuple[Value, str]] = {}
        """The last terms that were printed, by identity: suspensions show the same ones often."""
        self._wholes: dict[tuple[int, int | None], tuple[Value, str]] = {}
        """The last environments and stores that were shown, by identity: neighbouring steps of a
        run have the same ones."""
        self._held: dict[int, tuple[Value, str]] = {}
        """What these hold, in the same way."""
        self._last_store: dict[int, tuple[Value, str]] = {}
        """What was shown last at each location of a store, and its text there."""
        self._within = 0
        """How many texts of what is held are being made inside each other."""
        self._plain: dict[tuple[object, ...], str] = {}
        """Values of plain parts (numbers, names) as they are shown, by their parts and the types of
        these: `True` equals 1."""

    def show(self, value: Value, most: int | None = None) -> str:
        """A value in its short form, as it appears inside other text; cut off after `most`."""
        if not isinstance(value, tuple):
            return self._collect(Part(value), most)
        if value[0] not in HOLDING:
            text = self._at_once(value)
            if text is None or len(text) > (self._most if most is None else most):
                return self._collect(Part(value), most)
            return text
        key = (id(value), most)
        known = self._wholes.get(key)
        if known is not None:
            return known[1]
        if len(self._wholes) >= MOST_TERMS:
            self._wholes.clear()
        text = self._held_at_once(value, most) or self._collect(Part(value), most)
        self._wholes[key] = (value, text)
        return text

    def outcome(self, value: Value) -> str:
        """A value standing alone: a single leaf needs no marks around it."""
        text = self.show(value)
        inner = text[len(OPEN) : -len(CLOSE)]
        if text.startswith(OPEN) and text.endswith(CLOSE) and OPEN not in inner:
            return inner
        return text

    def structure(self, value: Value) -> str:
        """A value as the notation would build it."""
        return self._collect(Part(value, built=True))

    def shown_term(self, value: Node) -> Node | None:
        """The term that a value is shown as by its definition, if it is one."""
        shown = self._interpreter.shown.get(value[0])
        if shown is None or settle(shown.result) == TEXT:
            return None
        term = self._shower(value[0], value[FIELDS:])
        return term if isinstance(term, tuple) else None

    def environment(self, value: Value) -> list[tuple[str, str]]:
        """Names and shown values, the innermost first; shadowed ones are left out."""
        return [(name, self.show(bound)) for name, bound in _visible(value)]

    def parts(self, part: Part) -> Parts:
        """What a value is shown as, one level deep."""
        value = part.value
        if part.built:
            yield from self._structure(value)
        elif not isinstance(value, tuple):
            yield from self._leaf(value, built=False)
        elif (tag := value[0]) in (FRAME, EMPTY, KNOT, ITSELF):
            yield from self._frames(value)
        elif tag in BUILT_IN:
            yield from self._built_in(value, built=False)
        elif tag in self._forms:
            yield self._term(value)
        elif tag in self._interpreter.shown:
            yield from self._shown(tag, value[FIELDS:])
        else:
            yield from self._structure(value)

    def _at_once(self, value: Node) -> str | None:
        """The text of a term, or of a value of plain parts that has been shown before; None for all
        others."""
        tag = value[0]
        if tag in self._forms:
            return self._term(value)
        fields = value[FIELDS:]
        return self._plain.get((tag, *fields, *map(type, fields))) if _has_plain(fields) else None

    def _held_at_once(self, value: Node, most: int | None) -> str | None:
        """The text of an environment or a store out of the texts of what it holds; None where that
        is made of parts inside each other, which have to be gone through in turn."""
        rows = self._locations(value) if value[0] == STORE else self._names(value)
        limit = self._most if most is None else most
        pieces: list[str] = []
        length = -2
        for piece in rows:
            if piece is None:
                return None
            pieces.append(piece)
            length += len(piece) + 2
            if length > limit:
                return f"{', '.join(pieces)[:limit]}…"
        return ", ".join(pieces) or None

    def _names(self, environment: Node) -> Iterator[str | None]:
        for name, bound in reversed([*_visible(environment)]):
            text = self._inner_text(bound)
            yield None if text is None else f"{name} = {text}"

    def _locations(self, store: Node) -> Iterator[str | None]:
        """What a store has at each location; most of it is what another one had there just now."""
        last = self._last_store
        for number, held in locations(store):
            known = last.get(number)
            if known is not None and known[0] is held:
                yield known[1]
                continue
            text = self._inner_text(held)
            if text is None:
                yield None
                return
            if len(last) >= MOST_HELD:
                last.clear()
            last[number] = held, f"@{number} ↦ {text}"
            yield last[number][1]

    def _inner_text(self, value: Value) -> str | None:
        text = self._inner(value)
        if isinstance(text, str):
            return text
        return None if isinstance(value, tuple | frozenset) else _leaf(value)

    def _collect(self, part: Part, most: int | None = None) -> str:
        """The text of a value, cut off where it gets too long."""
        limit = self._most if most is None else most
        text: list[str] = []
        length = 0
        steps = EMPTY_PARTS * limit + 1_000
        stack: list[Parts] = [iter((part,))]
        while stack:
            piece = next(stack[-1], None)
            steps -= 1
            if piece is None:
                stack.pop()
            elif isinstance(piece, Part):
                stack.append(self.parts(piece))
            else:
                text.append(piece)
                length += len(piece)
            if length > limit or steps < 0:
                return "".join(text)[:limit] + "…"
        return "".join(text)

    def _shown(self, tag: int, fields: tuple[Value, ...]) -> Parts:
        """A value as its definition shows it."""
        plain = _has_plain(fields)
        key = (tag, *fields, *map(type, fields))
        if plain and key in self._plain:
            yield self._plain[key]
            return
        shown = self._shower(tag, fields)
        if isinstance(shown, Iterator):
            yield from shown
            return
        is_text = settle(self._interpreter.shown[tag].result) == TEXT
        text = str(shown) if is_text else self._term(shown)
        if plain:
            if len(self._plain) >= MOST_TERMS:
                self._plain.clear()
            self._plain[key] = text
        yield text

    def _term(self, term: Value) -> str:
        if self._printer is None or not isinstance(term, tuple):
            return self._collect(Part(term, built=True))
        known = self._terms.get(id(term))
        if known is not None:
            return known[1]
        if len(self._terms) >= MOST_TERMS:
            self._terms.clear()
        text = self._printer.show(term, most=self._most, deep=DEEPEST).text
        self._terms[id(term)] = (term, text)
        return text

    def _structure(self, value: Value) -> Parts:
        if not isinstance(value, tuple):
            yield from self._leaf(value, built=True)
            return
        tag = value[0]
        if tag in (FRAME, EMPTY, KNOT):
            yield "{"
            pairs = reversed(list(bindings(value)))
            yield from _row(((f"{name} = ", Part(bound, built=True)) for name, bound in pairs))
            yield "}"
        elif tag == ITSELF:
            yield "↻"
        elif tag in BUILT_IN:
            yield from self._built_in(value, built=True)
        else:
            constructor = self._interpreter.constructors.get(tag)
            yield constructor.name if constructor else "?"
            if value[FIELDS:]:
                yield "("
                yield from _row((Part(one, built=True),) for one in value[FIELDS:])
                yield ")"

    def _frames(self, value: Value) -> Parts:
        pairs = list(_visible(value))
        if not pairs:
            yield "↻" if value[0] == ITSELF else "∅"
        yield from _row((f"{name} = ", self._inner(bound)) for name, bound in reversed(pairs))

    def _inner(self, value: Value) -> str | Part:
        """What an environment or a store holds: its text, which is made once."""
        if not isinstance(value, tuple) or self._within >= MOST_WITHIN:
            return Part(value)
        known = self._held.get(id(value))
        if known is not None:
            return known[1]
        self._within += 1
        try:
            text = self._collect(Part(value))
        finally:
            self._within -= 1
        if len(self._held) >= MOST_HELD:
            self._held.clear()
        self._held[id(value)] = (value, text)
        return text

    def _leaf(self, value: Value, *, built: bool) -> Parts:
        if isinstance(value, frozenset):
            yield "{"
            yield from _row((Part(one, built=built),) for one in members(value))
            yield "}"
        else:
            yield _leaf(value)

    def _built_in(self, value: Value, *, built: bool) -> Parts:
        tag = value[0]
        if tag in (STORE, MAP):
            yield from self._entries(value, built=built)
            return
        if tag == LOCATION:
            yield f"@{value[FIELDS]}"
            return
        if tag == NONE:
            yield "None"
            return
        begin, end = {TUPLE: ("(", ")"), SOME: ("Some(", ")")}.get(tag, ("[", "]"))
        items = list_items(value) if tag in (NIL, CONS) else iter(value[FIELDS:])
        yield begin
        yield from _row((Part(one, built=built),) for one in items)
        yield end

    def _entries(self, value: Value, *, built: bool) -> Parts:
        """A store or map: what is at each key, in the order of the keys."""
        if not value[FIELDS]:
            yield "∅"
        if value[0] != STORE:
            yield from _row((Part(key, built=built), " ↦ ", Part(held, built=built))
                            for key, held in entries(value))  # fmt: skip
            return
        yield from _row(
            (f"@{number} ↦ ", Part(held, built=True) if built else self._inner(held))
            for number, held in locations(value)
        )


HOLDING = (FRAME, KNOT, STORE)
BUILT_IN = (STORE, MAP, TUPLE, NIL, CONS, NONE, SOME, LOCATION)


def _has_plain(fields: tuple[Value, ...]) -> bool:
    """Whether parts are no floats, of which -0.0 equals 0.0 and is shown otherwise, and nothing
    that has parts itself."""
    return all(isinstance(part, int | str | Fraction) for part in fields)


def _visible(environment: Value) -> Iterator[tuple[str, Value]]:
    """Names and values of an environment, the innermost first; shadowed ones are left out."""
    seen: set[str] = set()
    for name, bound in bindings(environment):
        if name not in seen:
            seen.add(name)
            yield name, bound


def _row(rows: Iterable[Iterable[str | Part]]) -> Parts:
    """Rows of parts with commas between them."""
    first = True
    for row in rows:
        if not first:
            yield ", "
        first = False
        yield from row


def plainly(body: k.Core | None, known: Mapping[int, Value]) -> Parts | str | Value | None:
    """What a `shown` gives that only puts fields together, found without running anything; None
    for any other."""
    match body:
        case k.Local(slot):
            return iter((Part(known[slot]),))
        case k.Const(str() as text):
            return text
        case k.Template(parts) if all(isinstance(part, str | k.Local) for part in parts):
            return iter(
                [Part(known[part.slot]) if isinstance(part, k.Local) else str(part)
                 for part in parts]
            )  # fmt: skip
        case k.Build(made, args) if made.is_form and all(isinstance(a, k.Local) for a in args):
            return (made.tag, None, *(known[a.slot] for a in args if isinstance(a, k.Local)))
    return None


def _leaf(value: Value) -> str:
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, str):
        return value
    if isinstance(value, MadeFunction):
        return value.text(lambda inner: "…" if isinstance(inner, tuple) else _leaf(inner))
    if callable(value):
        return f"{OPEN}function{CLOSE}"
    return write_number(value)
