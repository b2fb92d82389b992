"""A residual program on its way: its functions, the shapes of its values, what is dispatched."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from typing import Any

from embrix.brix import core as k
from embrix.machine.decided import only_decided
from embrix.machine.residual.dispatching import Dispatching
from embrix.machine.residual.knowledge import (
    Knowledge,
    KnownValue,
    NotResidual,
    RunValue,
)
from embrix.machine.residual.splitting import Lower, Parts
from embrix.machine.residual.statements import Atom, Origin, Residual
from embrix.machine.residual.value_layout import ValueLayout, layouts, of_name
from embrix.machine.unit import Unit
from embrix.terms.node import CONS, Node, Value

MOST_FUNCTIONS = 500
"""Functions of a residual program."""


class _Interpreted:
    """What rests on the interpreter alone."""

    def __init__(self, interpreter: k.Interpreter) -> None:
        unit = Unit(interpreter, "plain")
        self.layouts = layouts(interpreter)
        self.recursive = unit.calls.recursive
        self.functions = {
            name: only_decided(one, unit.decided) for name, one in interpreter.functions.items()
        }
        # No way back to the interpreter, which would then never be forgotten.
        self.decided = {name: unit.decided(name) for name in interpreter.choices}

    @staticmethod
    def of(interpreter: k.Interpreter) -> _Interpreted:
        return _interpreted(interpreter)


@k.once_each
def _interpreted(interpreter: k.Interpreter) -> _Interpreted:
    return _Interpreted(interpreter)


class Program(Dispatching):
    """What is found while an interpreter is specialised to a program."""

    def __init__(
        self,
        interpreter: k.Interpreter,
        term: Node,
        write: Callable[[Program, Residual, Sequence[Knowledge]], None],
        most: int,
        layout: ValueLayout,
    ) -> None:
        """`most`: the most statements that it may have; `layout`: one of those that there are."""
        super().__init__()
        self._write = write
        self.most = most
        self.interpreter = interpreter
        self.term = term
        known = _Interpreted.of(interpreter)
        self.layout = layout
        self.longest = _longest_list(term) if self.layout.known_data else 0
        self.recursive = known.recursive
        """The functions whose calls count."""
        self.functions = known.functions
        self.decided = known.decided
        self.residuals: dict[Any, Residual] = {}
        self.statements = 0
        self.called: dict[int, str] = {}
        """By the identity of a term the name of the function whose body it is."""
        self._terms: dict[Any, KnownValue] = {}

    @staticmethod
    def layouts(interpreter: k.Interpreter) -> list[ValueLayout]:
        """The ways to lay out the values of an interpreter, the most promising first."""
        return _Interpreted.of(interpreter).layouts

    def term_of(self, tag: int, here: Knowledge | None, fields: Sequence[Knowledge]) -> KnownValue:
        """A term that is made of known pieces: the same one for the same pieces."""
        parts = [*([here] if here is not None else []), *fields]
        if not all(isinstance(one, KnownValue) for one in parts):
            raise NotResidual("terms are made while the program runs")
        known = [one.value for one in fields if isinstance(one, KnownValue)]
        place = here.value[1] if isinstance(here, KnownValue) else None
        key = (tag, place, *(self.identity(one) if isinstance(one, tuple) else (type(one), one)
                             for one in known))  # fmt: skip
        if key not in self._terms:
            self._terms[key] = KnownValue((tag, place, *known), True)
        return self._terms[key]

    def residual(
        self, name: str, args: Sequence[Knowledge], lower: Lower, origin: Origin
    ) -> tuple[Residual, list[Atom]]:
        """The residual function for a function of the interpreter and what is known of its
        arguments; what it is called with."""
        function = self.functions[name]
        split = [self.split(a, t, lower) for a, t in zip(args, function.types, strict=True)]
        key = (name, *(key for key, _, _ in split))
        atoms = [atom for _, found, _ in split for atom in found]
        known = self.residuals.get(key)
        if known is None:
            params = [RunValue(f"p{number}", kind) for number, (_, kind, _) in enumerate(atoms)]
            parts: Parts = iter(params)
            made = tuple(build(parts, ()) for _, _, build in split)
            known = self.new(key, name, params, [called for _, _, called in atoms], origin)
            self.pending.append(partial(self.written, known, made))
            known.about = made
        return known, [atom for atom, _, _ in atoms]

    def new(
        self,
        key: Any,
        name: str,
        params: Sequence[RunValue],
        called: Sequence[str],
        origin: Origin,
    ) -> Residual:
        """A function that has still to be written. Raises `NotResidual` if there are too many."""
        if len(self.residuals) >= MOST_FUNCTIONS:
            raise NotResidual(f"more than {MOST_FUNCTIONS:,} functions")
        names = tuple(str(one.atom) for one in params)
        made = Residual(len(self.residuals), name, names, origin=origin)
        made.names |= {param: one for param, one in zip(names, called, strict=True) if one}
        made.stores |= {str(one.atom) for one in params if of_name(one.type, "Store")}
        self.residuals[key] = made
        return made

    def written(self, one: Residual, args: Sequence[Knowledge]) -> None:
        """Write the body of a function, if nobody has."""
        if one.state == "new":
            one.state = "open"
            self._write(self, one, args)
            one.state = "written"


def _longest_list(term: Node) -> int:
    """The length of the longest list in a program."""
    longest = 0
    open_: list[Value] = [term]
    while open_:
        node = open_.pop()
        length = 0
        while node[0] == CONS:
            open_ += [one for one in node[2:3] if isinstance(one, tuple)]
            node, length = node[3], length + 1
        longest = max(longest, length)
        open_ += [one for one in node[2:] if isinstance(one, tuple)]
    return longest
