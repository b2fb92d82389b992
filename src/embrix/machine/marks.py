"""What is kept of a whole run while only a part of it is recorded: where each step of a reduction
sequence begins, and where the value of a suspension is used again."""

from __future__ import annotations

from array import array
from collections.abc import Container

from embrix.brix.core import Function, Interpreter
from embrix.machine.configuration import state
from embrix.terms.node import FIELDS, Value
from embrix.terms.node import size as term_size
from embrix.terms.types import Con, settle

MOST_USES = 5_000_000
"""Uses of suspensions that are kept: eight bytes each."""
EVERY = 64
"""Steps between two terms whose size is kept."""
LARGEST = 10_000
"""Nodes up to which a term is measured."""


class Marks:
    """Filled while a run is carried out; numbers of events and judgements are those of the run."""

    def __init__(self, interpreter: Interpreter) -> None:
        functions = list(interpreter.functions.values())
        relation = interpreter.steps
        self._step = functions.index(relation) if relation is not None else -1
        self._relation = relation
        self._looking = places_by_number(interpreter)
        self._roles = roles_by_tag(interpreter)
        own = () if self._step < 0 else (self._step,)
        self.wanted = frozenset((*own, *self._looking))
        """The functions whose judgements are marked, by number."""
        self._kept = 0
        self.begun = array("q")
        """The event at which each step of a reduction sequence begins."""
        self.taken = array("q")
        """The judgement that takes it."""
        self.sizes: list[int] = []
        """The size of the term at every so many steps."""
        self.uses: dict[int, array[int]] = {}
        """For each location the judgements that use the value of its suspension again."""

    def entered(
        self,
        event: int,
        number: int,
        function: int,
        arguments: tuple[Value, ...],
        still_open: Container[int],
    ) -> None:
        """A judgement begins; steps inside the last step that is still open are part of it."""
        if self._relation is not None and function == self._step:
            if self.taken and self.taken[-1] in still_open:
                return
            if len(self.taken) % EVERY == 0:
                self.sizes.append(term_size(state(self._relation, arguments), LARGEST))
            self.begun.append(event)
            self.taken.append(number)
        elif function in self._looking:
            location, role = looked_at(arguments, self._looking[function], self._roles)
            if role == "settled" and self._kept < MOST_USES:
                self._kept += 1
                self.uses.setdefault(location, array("q")).append(number)


def roles_by_tag(interpreter: Interpreter) -> dict[int, str]:
    """The constructors for suspended computations and their values."""
    return {one.tag: one.role for one in interpreter.constructors.values() if one.role}


def places_by_number(interpreter: Interpreter) -> dict[int, tuple[int, int]]:
    """The functions, by number, that take a location and a store, with which arguments those are;
    none where nothing is suspended."""
    if not roles_by_tag(interpreter):
        return {}
    functions = enumerate(interpreter.functions.values())
    return {number: where for number, one in functions if (where := _places(one)) is not None}


def looked_at(
    arguments: tuple[Value, ...], where: tuple[int, int], roles: dict[int, str]
) -> tuple[int, str]:
    """The location that a judgement is given, and the role of what the store holds there."""
    location: int = arguments[where[0]][FIELDS]
    value = arguments[where[1]][FIELDS].get(location)
    return location, roles.get(value[0], "") if isinstance(value, tuple) else ""


def _places(function: Function) -> tuple[int, int] | None:
    kinds = [settle(kind) for kind in function.types]
    names = [kind.name if isinstance(kind, Con) else "" for kind in kinds]
    if "Loc" in names and "Store" in names:
        return names.index("Loc"), names.index("Store")
    return None
