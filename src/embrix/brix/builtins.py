"""The functions that the notation gives: names of their parameters, types, and what carries them
out. A function that the author defines under such a name comes first."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeAlias

from msgspec import Struct

from embrix.terms.types import (
    BOOL,
    INT,
    LOC,
    NAME,
    NUMBER,
    TEXT,
    Con,
    Hole,
    Tup,
    Type,
    env,
    listing,
    map_of,
    maybe,
    store_of,
)

Shape: TypeAlias = tuple[tuple[Type, ...], Type]


class BuiltIn(Struct, frozen=True):
    """`shape` gives the types of the parameters and of the result, with holes of their own."""

    name: str
    params: tuple[str, ...]
    shape: Callable[[], Shape]
    meaning: str
    others: tuple[Callable[[], Shape], ...] = ()
    """Shapes for other types of the first parameter."""


def _plain(*types: Type) -> Callable[[], Shape]:
    return lambda: (types[:-1], types[-1])


def _lists(of: Callable[[Type], Shape]) -> Callable[[], Shape]:
    return lambda: of(listing(Hole()))


def _made(of: Callable[[Type, Type], Shape]) -> Callable[[], Shape]:
    return lambda: of(Hole(), Hole())


def set_of(item: Type) -> Con:
    return Con("Set", (item,))


BUILT_INS: dict[str, BuiltIn] = {
    each.name: each
    for each in (
        BuiltIn("length", ("t",), _plain(TEXT, INT), "characters of a text"),
        BuiltIn("characters", ("t",), _plain(TEXT, listing(TEXT)), "a text as a list of texts"),
        BuiltIn(
            "joined", ("ts", "between"), _plain(listing(TEXT), TEXT, TEXT),
            "texts one after another, with a text between them",
        ),
        BuiltIn(
            "part", ("t", "first", "count"), _plain(TEXT, INT, INT, TEXT),
            "characters of a text, counted from 0; what lies outside is left out",
        ),
        BuiltIn(
            "replaced", ("t", "old", "new"), _plain(TEXT, TEXT, TEXT, TEXT),
            "a text with every `old` in it replaced, from the left",
        ),
        BuiltIn(
            "begins", ("t", "with_text"), _plain(TEXT, TEXT, BOOL),
            "whether a text begins with another",
        ),
        BuiltIn(
            "parse_number", ("t",), _plain(TEXT, maybe(NUMBER)),
            "the number that a text writes, in the numbers of the language",
        ),
        BuiltIn("whole", ("n",), _plain(NUMBER, maybe(INT)), "a whole number as an Int"),
        BuiltIn(
            "size", ("items",), _lists(lambda t: ((t,), INT)),
            "how many items a list, a map or a set has, or characters a text",
            (_made(lambda a, b: ((map_of(a, b),), INT)), _made(lambda a, _: ((set_of(a),), INT)),
             _plain(TEXT, INT)),
        ),
        BuiltIn("name_of", ("t",), _plain(TEXT, NAME), "a text as a name"),
        BuiltIn("codes", ("t",), _plain(TEXT, listing(INT)), "the code of each character"),
        BuiltIn(
            "text_of", ("codes",), _plain(listing(INT), TEXT),
            "the characters with some codes as a text; � for a code that no character has",
        ),
        BuiltIn("reversed", ("items",), _lists(lambda t: ((t,), t)), "a list from its end"),
        BuiltIn("number", ("n",), _plain(INT, NUMBER), "an Int as a number of the language"),
        BuiltIn(
            "alloc", ("store", "v"),
            _made(lambda a, _: ((store_of(a), a), Tup((LOC, store_of(a))))),
            "a new location that holds a value, and the store with it",
        ),
        BuiltIn(
            "reserve", ("store",), _made(lambda a, _: ((store_of(a),), Tup((LOC, store_of(a))))),
            "a new location that holds nothing yet, and the store in which it is taken",
        ),
        BuiltIn("keys", ("m",), _made(lambda a, b: ((map_of(a, b),), listing(a))),
                "the keys of a map in their order; the names of an environment, the innermost "
                "first, each once",
                (_made(lambda a, _: ((env(a),), listing(NAME))),)),
        BuiltIn(
            "removed", ("m", "key"), _made(lambda a, b: ((map_of(a, b), a), map_of(a, b))),
            "a map without a key, or a set without a member",
            (_made(lambda a, _: ((set_of(a), a), set_of(a))),),
        ),
        BuiltIn("has", ("s", "x"), _made(lambda a, _: ((set_of(a), a), BOOL)),
                "whether something is in a set"),
        BuiltIn("added", ("s", "x"), _made(lambda a, _: ((set_of(a), a), set_of(a))),
                "a set with one thing more"),
        BuiltIn("union", ("s", "t"), _made(lambda a, _: ((set_of(a), set_of(a)), set_of(a))),
                "everything that is in one of two sets"),
        BuiltIn("items", ("s",), _made(lambda a, _: ((set_of(a),), listing(a))),
                "what is in a set, in order"),
        BuiltIn(
            "zip", ("first", "second"),
            _made(lambda a, b: ((listing(a), listing(b)), listing(Tup((a, b))))),
            "pairs of items, as many as the shorter list has",
        ),
        BuiltIn(
            "appended", ("first", "second"), _lists(lambda t: ((t, t), t)),
            "the items of one list, then those of another",
        ),
    )
}  # fmt: skip
