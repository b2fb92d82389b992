"""The types of fields and values, as the notation writes them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TypeAlias

from msgspec import Struct


class Con(Struct, frozen=True):
    """A named type, perhaps with arguments: `Number`, `List[Expr]`, a sort, a value type."""

    name: str
    args: tuple[Type, ...] = ()


class Tup(Struct, frozen=True):
    """A tuple type; without items it is the unit type."""

    items: tuple[Type, ...] = ()


class Fn(Struct, frozen=True):
    """A function type."""

    params: tuple[Type, ...]
    result: Type


class Hole(Struct, eq=False):
    """A type not known yet, filled in by unification."""

    found: Type | None = None


class Unknown(Struct, frozen=True, eq=False):
    """The type of something already reported as wrong; it agrees with every type. `cause` is what
    was reported, where that is known."""

    cause: object = None


Type: TypeAlias = Con | Tup | Fn | Hole | Unknown

NUMBER, INT, TEXT, BOOL = Con("Number"), Con("Int"), Con("Text"), Con("Bool")
NAME = Con("Name")
UNKNOWN = Unknown()

ARITY = {
    "Number": 0, "Int": 0, "Text": 0, "Bool": 0, "Name": 0, "Loc": 0,
    "List": 1, "Maybe": 1, "Set": 1, "Map": 2, "Env": 1, "Store": 1,
}  # fmt: skip
"""The built-in type names and how many arguments each takes."""


def listing(item: Type) -> Con:
    return Con("List", (item,))


def maybe(item: Type) -> Con:
    return Con("Maybe", (item,))


def env(item: Type) -> Con:
    return Con("Env", (item,))


LOC = Con("Loc")


def store_of(item: Type) -> Con:
    return Con("Store", (item,))


def map_of(key: Type, item: Type) -> Con:
    return Con("Map", (key, item))


def replaced_names(kind: Type, known: Mapping[str, Type]) -> Type:
    """A type with other types for the names of type variables."""
    kind = settle(kind)
    match kind:
        case Con(name, ()) if name in known:
            return known[name]
        case Con(name, args):
            return Con(name, tuple(replaced_names(arg, known) for arg in args))
        case Tup(items):
            return Tup(tuple(replaced_names(item, known) for item in items))
        case Fn(params, result):
            parts = tuple(replaced_names(param, known) for param in params)
            return Fn(parts, replaced_names(result, known))
    return kind


def settle(kind: Type) -> Type:
    """The type that filled a hole, or the type itself (only the outermost layer)."""
    while isinstance(kind, Hole) and kind.found is not None:
        kind = kind.found
    return kind


def unknown_in(kind: Type) -> Unknown | None:
    """What is unknown in a type, if anything is."""
    kind = settle(kind)
    match kind:
        case Unknown():
            return kind
        case Con(_, parts) | Tup(parts):
            return next(filter(None, map(unknown_in, parts)), None)
        case Fn(params, result):
            return next(filter(None, map(unknown_in, (*params, result))), None)
    return None


def has_functions(kind: Type) -> bool:
    """Whether a type is made of functions, as far as it is known and written out."""
    kind = settle(kind)
    match kind:
        case Fn():
            return True
        case Con(_, parts) | Tup(parts):
            return any(map(has_functions, parts))
        case _:
            return False


def show_type(kind: Type) -> str:
    """A type as the notation writes it; what is not known is `_`."""
    kind = settle(kind)
    match kind:
        case Con(name, ()):
            return name
        case Con(name, args):
            return f"{name}[{', '.join(map(show_type, args))}]"
        case Tup(items):
            return f"({', '.join(map(show_type, items))})"
        case Fn(params, result):
            return f"({', '.join(map(show_type, params))}) -> {show_type(result)}"
        case _:
            return "_"
