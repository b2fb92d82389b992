"""Environments, stores and functions of the notation while an interpreter is specialised."""

from __future__ import annotations

from collections.abc import Sequence

from embrix.brix import core as k
from embrix.machine.residual.forks import Branches
from embrix.machine.residual.knowledge import (
    Abstraction,
    Frame,
    KnotFrame,
    Knowledge,
    KnownNames,
    KnownValue,
    Later,
    MadeValue,
    NotResidual,
    RunValue,
    is_term,
    list_parts,
)
from embrix.machine.residual.writer import Slots
from embrix.terms.node import CONS, NIL_NODE, SOME
from embrix.terms.types import Con, Type, settle


class Scopes(Branches):
    """What names and locations stand for."""

    def empty(self, kind: Type) -> Knowledge:
        settled = settle(kind)
        name = settled.name if isinstance(settled, Con) else ""
        if name == "Env":
            return KnownNames()
        if name == "Store":
            return self.unknown(self.let("store", ())[0], settled)
        raise NotResidual(f"an empty {name.lower() or 'collection'} is not specialised")

    def extended(self, base: Knowledge, name: Knowledge, value: Knowledge) -> KnownNames:
        below = KnownNames((), base) if isinstance(base, Later) else base
        if not isinstance(below, KnownNames):
            raise NotResidual("an environment is not known")
        match name:
            case KnownValue(str() as known):
                self._call_it(known, value)
                return KnownNames((Frame(known, value), *below.frames), below.base)
            case Later():
                return KnownNames((Frame(name, value), *below.frames), below.base)
        raise NotResidual("a name in scope is not known")

    def _call_it(self, name: str, value: Knowledge) -> None:
        """A value has a name in the program."""
        match value:
            case RunValue(str() as variable):
                self.residual.names.setdefault(variable, name)
            case MadeValue(_, fields):
                for one in fields:
                    if isinstance(one, KnownValue) and is_term(one):
                        self.program.called.setdefault(self.program.identity(one.value), name)

    def applied(
        self, function: Knowledge, args: Sequence[Knowledge], here: Knowledge | None
    ) -> Knowledge:
        if not isinstance(function, Abstraction):
            raise NotResidual("a function of the notation is not known where it is called")
        self.calls += 1
        slots = {**function.slots, **dict(zip(function.node.slots, args, strict=True))}
        return self.value(function.node.body, slots, here)

    def loop(self, node: k.Loop, slots: Slots, here: Knowledge | None) -> Knowledge:
        items = list_parts(self.value(node.items, slots, here))
        start = self.value(node.start, slots, here) if node.start is not None else None
        function = self.value(node.function, slots, here)
        if items is None or node.kind == "filter":
            raise NotResidual("a list is gone through whose length is not known")
        if node.kind == "fold":
            assert start is not None
            for one in items:
                start = self.applied(function, (start, one), here)
            return start
        made = [self.applied(function, (one,), here) for one in items]
        self.calls += len(items)  # the list is turned round
        tail: Knowledge = KnownValue(NIL_NODE)
        for one in reversed(made):
            tail = MadeValue(CONS, (one, tail))
        return tail

    def knot(self, node: k.Knot, slots: Slots, here: Knowledge | None) -> None:
        base = self.value(node.base, slots, here)
        if not isinstance(base, KnownNames):
            raise NotResidual("an environment is not known")
        inner = {**slots, node.slot: base}
        frames: tuple[Frame | KnotFrame, ...] = ()
        for number, (key, value) in enumerate(node.pairs):
            name = self.value(key, inner, here)
            if not isinstance(name, KnownValue) or not _only_made(value):
                raise NotResidual("a knot is tied with what is not known")
            needed = {part.slot for part in k.parts_of(value) if isinstance(part, k.Local)}
            captured = tuple((slot, slots[slot]) for slot in sorted(needed - {node.slot}))
            above = len(node.pairs) - 1 - number
            frames = (KnotFrame(str(name.value), node, number, captured, above), *frames)
        slots[node.slot] = KnownNames((*frames, *base.frames), base.base)

    def lookup(self, node: k.Lookup, slots: Slots, here: Knowledge | None) -> Knowledge:
        environment = self.value(node.environment, slots, here)
        key = self.value(node.key, slots, here)
        if not isinstance(environment, KnownNames) or not isinstance(key, KnownValue):
            raise NotResidual("a name or an environment is not known where it is looked up")
        for at, frame in enumerate(environment.frames):
            if isinstance(frame.name, Later):
                raise NotResidual("a name in scope is not known")
            if frame.name != key.value:
                continue
            if isinstance(frame, Frame):
                found = frame.value
            else:
                whole = KnownNames(environment.frames[at - frame.above :], environment.base)
                inner = {**dict(frame.captured), frame.knot.slot: whole}
                found = self.value(frame.knot.pairs[frame.number][1], inner, here)
                self._call_it(frame.name, found)
            return MadeValue(SOME, (found,)) if node.wraps else found
        if environment.base is not None:
            raise NotResidual("an environment is not known where a name is looked up")
        if node.instead is None:
            raise self.give_up("a name is not there")
        return self.value(node.instead, slots, here)

    def fetch(self, node: k.Fetch, slots: Slots, here: Knowledge | None) -> Knowledge:
        container = self.value(node.container, slots, here)
        key = self.value(node.key, slots, here)
        if node.kind != "store" or not isinstance(container, RunValue):
            raise NotResidual(f"a {node.kind} is not specialised")
        if node.instead is not None and not isinstance(node.instead, k.Fail | k.Todo):
            raise NotResidual("a location that may be absent is read")
        held = settle(container.type) if container.type is not None else None
        item = held.args[0] if isinstance(held, Con) and held.args else None
        name = self.let("fetch", (container.atom, self.lower(key)))[0]
        found = RunValue(name, item)
        return MadeValue(SOME, (found,)) if node.wraps else found


def _only_made(node: k.Core) -> bool:
    """Whether an expression only puts together what is there."""
    allowed = (k.Build, k.BuildTuple, k.Local, k.Const, k.Extend, k.BuildList)
    return all(isinstance(part, allowed) for part in k.parts_of(node))
