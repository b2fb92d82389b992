"""Environments and functions of the notation while an interpreter is specialised."""

from __future__ import annotations

from collections.abc import Sequence

from embrix.brix import core as k
from embrix.machine.residual.containers import Containers
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
)
from embrix.machine.residual.writer import Slots
from embrix.terms.node import SOME


class Scopes(Containers):
    """What names stand for."""

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


def _only_made(node: k.Core) -> bool:
    """Whether an expression only puts together what is there."""
    allowed = (k.Build, k.BuildTuple, k.Local, k.Const, k.Extend, k.BuildList)
    return all(isinstance(part, allowed) for part in k.parts_of(node))
