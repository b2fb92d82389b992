"""Lists, maps and sets in residual programs: carried out at once as far as their items are known,
else kept as in any run."""

from __future__ import annotations

from collections.abc import Sequence

from embrix.brix import core as k
from embrix.machine.residual.forks import Branches
from embrix.machine.residual.knowledge import (
    Knowledge,
    KnownNames,
    KnownValue,
    MadeValue,
    NotResidual,
    RunValue,
    list_parts,
)
from embrix.machine.residual.operations import listed
from embrix.machine.residual.statements import Constant, ResidualTest
from embrix.machine.residual.writer import Slots
from embrix.terms.node import EMPTY_MAP, SOME, TUPLE
from embrix.terms.types import BOOL, INT, TEXT, Con, Tup, Type, listing, settle

KEYED = ("map_with", "removed", "has", "added")
"""Operations whose second argument is a key of a map, or a member of a set."""


class Containers(Branches):
    """What holds other values, wherever that is not decided by names."""

    def empty(self, kind: Type) -> Knowledge:
        settled = settle(kind)
        name = settled.name if isinstance(settled, Con) else ""
        match name:
            case "Env":
                return KnownNames()
            case "Store":
                return self.unknown(self.let("store", ())[0], settled)
            case "Map":
                return RunValue(Constant(EMPTY_MAP), settled)
            case "Set":
                return RunValue(Constant(frozenset()), settled)
        raise NotResidual(f"an empty {name.lower() or 'collection'} is not specialised")

    def on_containers(self, operation: str, args: Sequence[Knowledge]) -> Knowledge:
        """A built-in operation on lists, maps and sets."""
        lists = [list_parts(one) for one in args]
        if operation in ("size", "zip", "reversed", "appended") and None not in lists:
            return self._known_lists(operation, [one for one in lists if one is not None])
        kinds = [self.type_of(one) for one in args]
        gives = self._gives(operation, kinds)
        if operation in KEYED:
            self._key(kinds[1] or _part(kinds[0], 0))
        return RunValue(self.let("primitive", [*map(self.lower, args)], operation)[0], gives)

    def _known_lists(self, operation: str, lists: list[list[Knowledge]]) -> Knowledge:
        """An operation on lists of known lengths, and what it takes."""
        first, rest = lists[0], lists[1:]
        if operation == "zip":
            first = [MadeValue(TUPLE, pair) for pair in zip(first, rest[0], strict=False)]
        self.calls += len(first)
        match operation:
            case "size":
                return KnownValue(len(first))
            case "reversed":
                return listed([*reversed(first)])
            case "appended":
                return listed([*first, *rest[0]])
        return listed(first)

    def _gives(self, operation: str, kinds: Sequence[Type | None]) -> Type | None:
        """The type of what an operation gives, as far as it is known."""
        match operation:
            case "size":
                return INT
            case "has":
                return BOOL
            case "joined" | "text_of":
                return TEXT
            case "characters":
                return listing(TEXT)
            case "codes":
                return listing(INT)
            case "reversed" | "removed" | "added" | "map_with":
                return kinds[0]
            case "appended" | "union":
                return kinds[0] or kinds[1]
            case "keys" | "items":
                held = _part(kinds[0], 0)
                return listing(held) if held is not None else None
            case "zip":
                one, other = (_part(kind, 0) for kind in kinds)
                return listing(Tup((one, other))) if one and other else None
        raise NotResidual(f"“{operation}” is not specialised")

    def _key(self, kind: Type | None) -> None:
        """Keys are compared by what they are made of: that has to be as in any run."""
        if kind is None or not self.program.layout.is_plain(kind):
            raise NotResidual("keys of any kind are compared")

    def fetch(self, node: k.Fetch, slots: Slots, here: Knowledge | None) -> Knowledge:
        container = self.value(node.container, slots, here)
        key = self.value(node.key, slots, here)
        if node.kind == "store":
            return self._read(node, container, key)
        items = list_parts(container)
        if node.kind == "list" and items is not None and isinstance(key, KnownValue):
            at = key.value
            self.calls += at if 0 <= at < len(items) else max(0, len(items) - 1)
            if 0 <= at < len(items):
                return MadeValue(SOME, (items[at],)) if node.wraps else items[at]
            return self._absent(node, slots, here)
        kind = self.type_of(container)
        if node.kind == "map":
            self._key(self.type_of(key) or _part(kind, 0))
        atoms = [self.lower(container), self.lower(key)]
        name = self.let("primitive", atoms, f"{node.kind}_find")[0]
        there = RunValue(name, _part(kind, 1 if node.kind == "map" else 0))
        found = self.fork(
            [ResidualTest("there", name)],
            lambda: MadeValue(SOME, (there,)) if node.wraps else there,
            lambda: self._absent(node, slots, here), last=False,
        )  # fmt: skip
        assert found is not None
        return found

    def _absent(self, node: k.Fetch, slots: Slots, here: Knowledge | None) -> Knowledge:
        if node.instead is None:
            raise self.give_up(f"nothing is there in a {node.kind}")
        return self.value(node.instead, slots, here)

    def _read(self, node: k.Fetch, store: Knowledge, location: Knowledge) -> Knowledge:
        if not isinstance(store, RunValue):
            raise NotResidual("a store is not known")
        if node.instead is not None and not isinstance(node.instead, k.Fail | k.Todo):
            raise NotResidual("a location that may be absent is read")
        name = self.let("fetch", (store.atom, self.lower(location)))[0]
        found = RunValue(name, _part(store.type, 0))
        return MadeValue(SOME, (found,)) if node.wraps else found


def _part(kind: Type | None, number: int) -> Type | None:
    """What a container of a type holds: its key (0) or what is under it (1), its item (0)."""
    kind = settle(kind) if kind is not None else None
    known = isinstance(kind, Con) and len(kind.args) > number
    return kind.args[number] if known and isinstance(kind, Con) else None
