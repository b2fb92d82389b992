"""Environments and functions of the notation while an interpreter is specialised."""

from __future__ import annotations

from collections.abc import Sequence

from embrix.brix import core as k
from embrix.machine.constructs import free_slots
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
from embrix.terms.types import UNKNOWN, Fn, settle

LITTLE = 6
"""Parts of a function that is written out wherever it is called."""


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
        self, function: Knowledge, args: Sequence[Knowledge], last: bool
    ) -> Knowledge | None:
        """A function of the notation called: written out where it is known."""
        if isinstance(function, Abstraction):
            if not (last and self._applied_before(function)):
                self.calls += 1
                slots = {**function.slots, **dict(zip(function.node.slots, args, strict=True))}
                before, self.open = self.open, [*function.around]
                origin, self.origin = self.origin, function.origin
                try:
                    return self.value_or_last(function.node.body, slots, function.here, last)
                finally:
                    self.open, self.origin = before, origin
            kinds = tuple(self.type_of(one) or UNKNOWN for one in args)
            function = RunValue(self.lower(function), Fn(kinds, self._result))
        kind = settle(function.type) if isinstance(function, RunValue) and function.type else None
        if not isinstance(kind, Fn):
            raise NotResidual("a function of the notation is not known where it is called")
        assert isinstance(function, RunValue)
        dispatch, atoms = self.program.applying(kind, args, self.lower)
        called = (function.atom, *atoms)
        return self._last(self._called("dispatch", called, dispatch, kind.result, None), last)

    def _applied_before(self, function: Abstraction) -> bool:
        """Whether a function has been written out here before: what is done with a result on two
        ways is written once."""
        before = id(function) in self.applied_here
        self.applied_here[id(function)] = function
        return before and len([*k.parts_of(function.node.body)]) > LITTLE

    def result_of(self, function: Knowledge, args: Sequence[Knowledge]) -> Knowledge:
        """What a function of the notation gives."""
        found = self.applied(function, args, last=False)
        assert found is not None
        return found

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
            captured = tuple((slot, slots[slot]) for slot in free_slots(value)
                             if slot in slots and slot != node.slot)  # fmt: skip
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


_OUTSIDE = {**k.INSIDE, k.Lambda: ()}
"""What is looked through where functions are only put together, not called."""


def _only_made(node: k.Core) -> bool:
    """Whether an expression only puts together what is there."""
    allowed = (k.Build, k.BuildTuple, k.Local, k.Const, k.Extend, k.BuildList, k.Lambda)
    parts = k.parts_of(node, _OUTSIDE)
    made = [one for part in parts if isinstance(part, k.Lambda) for one in k.parts_of(part)]
    # A form made in a function would get the place of where the name is looked up.
    return all(isinstance(part, allowed) for part in parts) and not any(
        isinstance(one, k.Build) and one.constructor.is_form for one in made
    )
