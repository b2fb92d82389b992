"""Data types of an interpreter whose values are known where they are made, as the methods of an
object with their code are: pieces of the program that stand in other values."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Protocol

from embrix.brix.core import Interpreter
from embrix.terms.types import Con, Fn, Tup, Type, settle

_HOLDING = ("Env", "Store", "Map", "Set")


class Pieces(Protocol):
    def is_piece(self, kind: Type) -> bool: ...


def always_known(interpreter: Interpreter, pieces: Pieces) -> frozenset[str]:
    """Data types of which each value holds pieces of the program, and none another of its type; no
    name, location or result of a program stands for one."""
    own = [one for one in interpreter.constructors.values() if not one.is_form]
    functions = interpreter.functions.values()
    kinds = [kind for one in functions for kind in (*one.types, one.result)]
    kinds += [kind for one in own for kind in one.types]
    main = interpreter.functions.get(interpreter.main)
    stood_for = {*_named(main.result)} if main is not None else set()
    for kind in kinds:
        stood_for.update(_stood_for(kind))
    holds: dict[str, set[str]] = {one.owner: set() for one in own}
    without: set[str] = set()
    for one in own:
        holds[one.owner].update(name for kind in one.types for name in _named(kind))
        if not any(map(pieces.is_piece, one.types)):
            without.add(one.owner)
    return frozenset(
        name for name in holds
        if name not in without and name not in stood_for and not _reaches(name, holds)
    )  # fmt: skip


def _named(kind: Type) -> Iterator[str]:
    """The names in a type, without those that environments and stores hold."""
    kind = settle(kind)
    if isinstance(kind, Tup):
        for one in kind.items:
            yield from _named(one)
    elif isinstance(kind, Con) and kind.name not in _HOLDING:
        yield kind.name
        for one in kind.args:
            yield from _named(one)


def _stood_for(kind: Type) -> Iterator[str]:
    """The names of what environments and stores in a type hold, and functions take and give."""
    kind = settle(kind)
    match kind:
        case Tup(items):
            inside = items
        case Con(name, args) if name in _HOLDING:
            inside = args
            for one in args:
                yield from _named(one)
        case Con(_, args):
            inside = args
        case Fn(params, result):
            inside = (*params, result)
            for one in inside:
                yield from _named(one)
        case _:
            return
    for one in inside:
        yield from _stood_for(one)


def _reaches(name: str, holds: Mapping[str, set[str]]) -> bool:
    """Whether a value of a type may hold others of it."""
    found: set[str] = set()
    open_ = [*holds[name]]
    while open_:
        one = open_.pop()
        if one == name:
            return True
        if one not in found:
            found.add(one)
            open_ += holds.get(one, ())
    return False
