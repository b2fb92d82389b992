"""A function of the notation called with each item of a list: written out one after the other where
the items are known, else a function of the residual program that calls itself."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import suppress

from embrix.brix import core as k
from embrix.machine.residual.knowledge import (
    Abstraction,
    Knowledge,
    KnownValue,
    MadeValue,
    NotResidual,
    RunValue,
    list_parts,
)
from embrix.machine.residual.known_scopes import Scopes
from embrix.machine.residual.operations import listed
from embrix.machine.residual.statements import Again, Atom, Give, ResidualTest
from embrix.machine.residual.writer import Dead, Slots
from embrix.terms.node import CONS, NIL_NODE
from embrix.terms.types import Con, listing, settle, show_type


class Loops(Scopes):
    """`fold`, `map` and `filter`."""

    def loop(self, node: k.Loop, slots: Slots, here: Knowledge | None) -> Knowledge:
        items = self.value(node.items, slots, here)
        start = self.value(node.start, slots, here) if node.start is not None else None
        function = self.value(node.function, slots, here)
        known = list_parts(items)
        if known is None or (known and node.kind == "filter"):
            return self._called_over(node, items, start, function)
        if node.kind == "fold":
            assert start is not None
            for one in known:
                start = self.result_of(function, (start, one))
            return start
        made = [self.result_of(function, (one,)) for one in known]
        self.calls += len(known)  # the list is turned round
        return listed(made)

    def _called_over(
        self, node: k.Loop, items: Knowledge, start: Knowledge | None, function: Knowledge
    ) -> Knowledge:
        """A call of a function that goes through a list that only the run knows."""
        if not isinstance(function, Abstraction):
            raise NotResidual("a function of the notation is not known where it is called")
        item = self.type_of(items)
        begun: Knowledge = start if start is not None else KnownValue(NIL_NODE)
        gives = self.type_of(begun) if node.kind == "fold" else item
        needed, here = [*function.captured], function.here
        captured = [*function.captured.values()]
        if here is not None:
            captured.append(here)
        if any(map(self.program.later.of, captured)):
            raise NotResidual("parts of an unknown value go through a list")
        split = [
            self.program.split(one, self.type_of(one), self.lower, deep=True) for one in captured
        ]
        atoms = [(self.lower(items), item, ""), (self.lower(begun), gives, "")]
        atoms += [handed for _, found, _ in split for handed in found]
        types = [show_type(kind) if kind is not None else "" for _, kind, _ in atoms]
        key: tuple[object, ...] = (
            "loop", *map(self.program.identity, (node, function.node)), *types,
            *(one for one, _, _ in split),
        )  # fmt: skip
        residual = self.program.residuals.get(key)
        if residual is None:
            params = [RunValue(f"p{number}", kind) for number, (_, kind, _) in enumerate(atoms)]
            called = [name for _, _, name in atoms]
            residual = self.program.new(key, node.kind, params, called, self.origin)
            residual.state, residual.gives = "open", gives if node.kind != "map" else None
            parts: Iterator[Knowledge] = iter(params[2:])
            made = [build(parts, ()) for _, _, build in split]
            inner = made.pop() if here is not None else None
            again = Abstraction(
                function.node, dict(zip(needed, made, strict=True)), inner, function.origin
            )
            type(self)(self.program, residual).write_loop(node.kind, params, again)
        self.flush()
        name = self.let("call", [atom for atom, _, _ in atoms], residual)[0]
        return self.unknown(name, residual.gives)

    def write_loop(self, kind: str, params: Sequence[RunValue], function: Abstraction) -> None:
        """The function: one round with the first item, or what the rounds have come to."""
        items, so_far = params[:2]
        assert isinstance(items.atom, str)
        item = settle(items.type) if items.type is not None else None
        held = item.args[0] if isinstance(item, Con) and item.args else None
        of = items.atom

        def one_round() -> None:
            first = RunValue(self.let("field", (of,), 0)[0], held)
            rest = self.let("field", (of,), 1)[0]
            after = self._round(kind, function, so_far, first)
            self.flush()
            others = [one.atom for one in params[2:]]
            self.put(Again((rest, after, *others), self.origin))

        def end() -> None:
            given: Atom = so_far.atom
            if kind != "fold":
                given = self.let("primitive", (given,), "reversed")[0]
            self.put(Give((given,), self.origin))

        with suppress(Dead):
            self.fork([ResidualTest("tag", of, CONS)], one_round, end, last=True)
        self.residual.state = "written"

    def _round(self, kind: str, function: Abstraction, so_far: RunValue, first: RunValue) -> Atom:
        if kind == "fold":
            after = self.result_of(function, (so_far, first))
            self.residual.gives = self.residual.gives or self.type_of(after)
            return self.lower(after)
        value = self.result_of(function, (first,))
        if kind == "map":
            made = self.type_of(value)
            self.residual.gives = listing(made) if made is not None else None
            return self.lower(MadeValue(CONS, (value, so_far)))
        match value:
            case KnownValue(bool() as keeps):
                return self.lower(MadeValue(CONS, (first, so_far))) if keeps else so_far.atom
            case RunValue(atom):
                kept = self.fork(
                    [ResidualTest("true", atom)],
                    lambda: MadeValue(CONS, (first, so_far)), lambda: so_far, last=False,
                )  # fmt: skip
                assert kept is not None
                return self.lower(kept)
        raise NotResidual("a test of something else than a truth value")
