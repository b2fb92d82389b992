"""Objects of our own classes as plain data, and back.

What is written of an object is a row: its class, and where the objects that it is made of stand
among all of them, so that one which is used twice stays one. Objects that are there already in the
process that reads (`Objects`) are named by where they stand in those. Only classes of the packages
below are ever made, by what their fields hold.

An object of another kind, or one that contains itself, cannot be written.
"""

from __future__ import annotations

import importlib
import sys
from collections.abc import Mapping, Sequence
from fractions import Fraction
from functools import lru_cache
from typing import Any

from msgspec import Struct
from msgspec.structs import astuple

PACKAGES = ("embrix.brix.", "embrix.grammar.", "embrix.suite.", "embrix.terms.", "embrix.text.")
"""The packages whose classes are written, and whose constants are known by their names."""
PLAIN = {type(None), bool, int, float, str, bytes, type(...)}
VALUE, NAMED, OF_PART, TUPLE, LIST, DICT, SET, FROZEN_SET, FRACTION = range(9)
"""What a row says: a plain object, module and name of a constant, number of a part and place in it,
or what an object of a class consists of. Higher numbers are of classes of our own."""
BUILT_IN: dict[type, int] = {tuple: TUPLE, list: LIST, dict: DICT, set: SET,
                            frozenset: FROZEN_SET, Fraction: FRACTION}  # fmt: skip
FIRST_OWN = 9

Written = tuple[tuple[tuple[str, str], ...], tuple[tuple[int, Any], ...]]
"""The classes by module and name, and a row for each object: the last one is what was written."""
LeftOut = Mapping[type, Mapping[str, Any]]
"""By class the fields that are not written, each with the plain value that stands for it."""
WORKED_OUT: Any = object()
"""Stands in `LeftOut` for fields behind the others that a class works out from them."""


class CannotWrite(Exception):
    """There is no way to write an object."""


class Objects:
    """Objects that are there already, in an order that is the same wherever they are there."""

    __slots__ = ("_places", "objects")

    def __init__(self, objects: Sequence[Any]) -> None:
        self.objects = objects
        self._places: dict[int, int] | None = None

    @property
    def places(self) -> dict[int, int]:
        """By identity, where an object stands among these."""
        if self._places is None:
            self._places = {id(other): at for at, other in enumerate(self.objects)}
        return self._places


def written(root: object, parts: Sequence[Objects], left_out: LeftOut) -> tuple[Written, Objects]:
    """What is written of an object, and all that it is made of. Raises `CannotWrite`."""
    writer = _Writer(parts, left_out)
    try:
        writer.add(root)
    except RecursionError:
        raise CannotWrite("it is nested too deeply") from None
    classes = tuple((one.__module__, one.__qualname__) for one in writer.classes)
    return (classes, tuple(writer.rows)), Objects(writer.objects)


def read(content: Written, parts: Sequence[Objects]) -> tuple[Any, Objects]:
    """The object that was written, and all that it is made of. The content must be what `written`
    gave in a process with the same modules."""
    classes, rows = content
    made: list[Any] = []
    kinds: list[Any] = [*([None] * FIRST_OWN), *map(_ours, classes)]
    for kind, number in BUILT_IN.items():
        kinds[number] = kind
    get, append = made.__getitem__, made.append
    for number, inside in rows:
        if number >= FIRST_OWN:
            append(kinds[number](*map(get, inside)))
        elif number == TUPLE:
            append(tuple(map(get, inside)))
        elif number == VALUE:
            append(inside)
        elif number == OF_PART:
            append(parts[inside[0]].objects[inside[1]])
        elif number == DICT:
            half = len(inside) // 2
            append(dict(zip(map(get, inside[:half]), map(get, inside[half:]), strict=True)))
        elif number == NAMED:
            append(_ours(inside))
        elif number == FRACTION:
            append(Fraction(*map(get, inside)))
        else:
            append(kinds[number](map(get, inside)))
    return made[-1], Objects(made)


@lru_cache(1_000)
def _ours(name: tuple[str, str]) -> Any:
    """What a module of our packages calls by a name. Raises ValueError for another module."""
    if not name[0].startswith(PACKAGES):
        raise ValueError(f"{name[0]} has nothing that may be made here")
    return getattr(importlib.import_module(name[0]), name[1])


@lru_cache(maxsize=1)
def _constants(_: int) -> dict[int, tuple[str, str]]:
    """The constants of as many modules as are loaded: by identity their module and name."""
    found: dict[int, tuple[str, str]] = {}
    for module, content in sorted(sys.modules.items()):
        if module.startswith(PACKAGES):
            for name, value in vars(content).items():
                if isinstance(value, Struct):
                    found.setdefault(id(value), (module, name))
    return found


class _Writer:
    def __init__(self, parts: Sequence[Objects], left_out: LeftOut) -> None:
        self._parts = [part.places for part in parts]
        self._left_out = left_out
        self._constants = _constants(len(sys.modules))
        self._plain: dict[tuple[type, Any], int] = {}
        self._places: dict[int, int] = {}
        """By identity, where an object stands; `_OPEN` while it is taken apart."""
        self.classes: dict[type, int] = {}
        self.rows: list[tuple[int, Any]] = []
        self.objects: list[Any] = []

    def add(self, one: Any) -> int:
        """Where an object stands; it is written if it was not before."""
        kind = type(one)
        if kind in PLAIN:
            key = kind, repr(one) if kind is float else one
            place = self._plain.get(key)
            if place is None:
                place = self._plain[key] = self._row(one, VALUE, one)
            return place
        place = self._places.get(id(one))
        if place is None:
            place = self._elsewhere(one)
            if place is None:
                place = self._new(one, kind)
            self._places[id(one)] = place
        if place == _OPEN:
            raise CannotWrite(f"a {kind.__name__} contains itself")
        return place

    def _row(self, one: object, number: int, inside: object) -> int:
        self.rows.append((number, inside))
        self.objects.append(one)
        return len(self.rows) - 1

    def _elsewhere(self, one: object) -> int | None:
        """Where an object stands that need not be made."""
        for number, places in enumerate(self._parts):
            if (at := places.get(id(one))) is not None:
                return self._row(one, OF_PART, (number, at))
        name = self._constants.get(id(one))
        return None if name is None else self._row(one, NAMED, name)

    def _new(self, one: Any, kind: type) -> int:
        self._places[id(one)] = _OPEN
        number = BUILT_IN.get(kind)
        inside: Sequence[Any]
        if number is None:
            number, inside = self._taken_apart(one, kind)
        elif number == DICT:
            inside = [*one.keys(), *one.values()]
        elif number == FRACTION:
            inside = one.as_integer_ratio()
        else:
            inside = one
        add = self.add
        return self._row(one, number, tuple([add(part) for part in inside]))

    def _taken_apart(self, one: Any, kind: type) -> tuple[int, Sequence[Any]]:
        """The number of a class of our own, and what an object of it is made of. Raises
        `CannotWrite` for another class."""
        number = self.classes.get(kind)
        without = self._left_out.get(kind)
        if number is None:
            ours = kind.__module__.startswith(PACKAGES) and "." not in kind.__qualname__
            if not ours or not issubclass(kind, Struct | tuple):
                raise CannotWrite(f"there is no way to write a {kind.__name__}")
            number = self.classes[kind] = FIRST_OWN + len(self.classes)
        if isinstance(one, tuple):
            return number, one
        if without is None:
            return number, astuple(one)
        found = zip(kind.__struct_fields__, astuple(one), strict=True)  # type: ignore[attr-defined]
        return number, [
            without.get(name, value) for name, value in found
            if without.get(name) is not WORKED_OUT
        ]  # fmt: skip


_OPEN = -1
