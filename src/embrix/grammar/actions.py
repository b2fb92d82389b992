"""From a derivation to a term: what each production builds."""

from __future__ import annotations

import sys
from collections.abc import Sequence
from typing import Any, Protocol

from embrix.grammar.model import (
    Collect,
    Compose,
    Fixed,
    Fold,
    Grammar,
    OrElse,
    Pass,
    Production,
    Several,
    Slot,
    Template,
)
from embrix.grammar.tokens import Token
from embrix.terms.node import (
    CONS,
    FIELDS,
    NIL,
    NIL_NODE,
    NONE,
    NONE_NODE,
    SOME,
    Place,
    Value,
    list_items,
    make_list,
    same,
)
from embrix.terms.numbers import read_number
from embrix.text.source import Span
from embrix.text.visible import visible


class Unfit(Exception):
    """A token whose text cannot be read as the type it is declared to have."""

    def __init__(self, message: str, span: Span) -> None:
        super().__init__(message)
        self.message = message
        self.span = span


class Recognised(Protocol):
    """A production recognised over a stretch of tokens."""

    production: Production


def read_token(grammar: Grammar, token: Token, text: str) -> Value:
    """The value of a token: a number, a name, or its text. Raises `Unfit`."""
    kind = grammar.tokens.kind_of(token.terminal)
    piece = text[token.start : token.end]
    if kind is not None and kind.via:
        value = grammar.conversions[kind.name].read(piece)
        if value is None:
            raise Unfit(
                f"`{visible(piece[:40])}` is no {kind.name}: the function that reads it gives None",
                Span(token.start, token.end),
            )
        return value
    if kind is not None and kind.conversion == "Number":
        number = read_number(piece, grammar.numbers)
        if number is None:
            raise Unfit(
                f"`{piece[:40]}` cannot be read as a number of this language "
                f"(its numbers are {grammar.numbers})",
                Span(token.start, token.end),
            )
        return number
    return sys.intern(grammar.tokens.literals[token.terminal] if kind is None else piece)


def finish(
    grammar: Grammar,
    text: str,
    derivation: Sequence[tuple[Recognised, Sequence[Any]]],
    known: dict[int, Value],
) -> dict[int, Value]:
    """The values of recognised productions by their identity.

    `derivation` lists them with their parts, children first. A production takes the place of
    everything it covers. `known` answers for parts that are not in the list.
    """
    values: dict[int, Value] = {}
    places: dict[int, Place] = {}

    def value_of(part: Any) -> Value:
        if isinstance(part, Token):
            return read_token(grammar, part, text)
        return values[id(part)] if id(part) in values else known[id(part)]

    for item, parts in derivation:
        production = item.production
        covered = [
            (part.start, part.end) if isinstance(part, Token) else places[id(part)]
            for part in parts
            if isinstance(part, Token) or id(part) in places
        ]
        if covered:
            places[id(item)] = (covered[0][0], covered[-1][1])
        found = [value_of(part) for part in parts]
        values[id(item)] = finish_one(production, found, places.get(id(item)))
    return values


def finish_one(production: Production, parts: Sequence[Value], place: Place | None) -> Value:
    """What a production builds of the values of its symbols."""
    build = production.build
    if isinstance(build, Pass):
        return parts[build.position]
    slots = {slot: part for part, slot in zip(parts, production.captures, strict=True) if slot >= 0}
    if isinstance(build, Collect):
        return _collect(build.step, slots)
    return compose(build, slots, place or (0, 0))


def _collect(step: str, slots: dict[int, Value]) -> Value:
    match step:
        case "none":
            return NONE_NODE
        case "some":
            return (SOME, None, slots[0])
        case "one":
            return (CONS, None, slots[0], NIL_NODE)
        case "add":
            return (CONS, None, slots[1], slots[0])
        case "done":
            return make_list(list(list_items(slots[0]))[::-1])
    return NIL_NODE


def compose(template: Template, slots: dict[int, Value], place: Place) -> Value:
    """What a template builds of captured values; new nodes get the place."""
    match template:
        case Slot(number):
            return slots[number]
        case Fixed(value):
            return value
        case OrElse(number, instead):
            captured = slots[number]
            return compose(instead, slots, place) if captured[0] == NONE else captured[FIELDS]
        case Several(parts):
            return make_list([compose(part, slots, place) for part in parts])
        case Compose(form, parts):
            return (form.tag, place, *(compose(part, slots, place) for part in parts))
        case Fold():
            return _folded(template, slots, place)


def _folded(fold: Fold, slots: dict[int, Value], place: Place) -> Value:
    """A form around a form for each item. The outermost covers the whole place, each other one the
    items that are in it."""
    items = list(list_items(slots[fold.slot]))
    made = compose(fold.make.parts[fold.seed], slots, place)
    for number, item in enumerate(items if fold.leftwards else reversed(items), 1):
        start, end = place
        covered = item[1] if isinstance(item, tuple) else None
        if covered is not None and number < len(items):
            start, end = (start, covered[1]) if fold.leftwards else (covered[0], end)
        parts = list(fold.make.parts)
        fields = [
            made if at == fold.seed else item if at == fold.each else compose(part, slots, place)
            for at, part in enumerate(parts)
        ]
        made = (fold.make.form.tag, (start, end), *fields)
    return made


def _unfolded(fold: Fold, value: Value, slots: dict[int, Value]) -> bool:
    """Whether a fold can have built a value: of as many items as there can be."""
    items: list[Value] = []
    tag, parts = fold.make.form.tag, fold.make.parts
    others = [at for at in range(len(parts)) if at not in (fold.each, fold.seed)]
    while isinstance(value, tuple) and value[0] == tag:
        found = dict(slots)
        if not all(take_apart(parts[at], value[FIELDS + at], found) for at in others):
            break
        slots.update(found)
        items.append(value[FIELDS + fold.each])
        value = value[FIELDS + fold.seed]
    slots[fold.slot] = make_list(items[::-1] if fold.leftwards else items)
    return take_apart(parts[fold.seed], value, slots)


def take_apart(template: Template, value: Value, slots: dict[int, Value]) -> bool:
    """Whether a template can have built a value; what must then have been captured goes to
    `slots`."""
    match template:
        case Slot(number):
            if number in slots:
                return same(slots[number], value)
            slots[number] = value
            return True
        case Fixed(constant):
            return type(value) is type(constant) and bool(value == constant)
        case OrElse(number, instead):
            default = take_apart(instead, value, {})
            slots[number] = NONE_NODE if default else (SOME, None, value)
            return True
        case Several(parts):
            if not isinstance(value, tuple) or value[0] not in (NIL, CONS):
                return False
            items = list(list_items(value))
            return len(items) == len(parts) and all(
                take_apart(part, item, slots) for part, item in zip(parts, items, strict=True)
            )
        case Fold():
            return _unfolded(template, value, slots)
        case Compose(form, parts):
            return (
                isinstance(value, tuple)
                and value[0] == form.tag
                and all(
                    take_apart(part, item, slots)
                    for part, item in zip(parts, value[FIELDS:], strict=True)
                )
            )
