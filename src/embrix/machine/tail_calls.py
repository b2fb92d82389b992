"""The pass that says how each call in tail position is carried out, and which calls may enter a
part of the program again and again."""

from __future__ import annotations

from collections.abc import Set
from typing import Any

from msgspec import Struct
from msgspec.structs import replace

from embrix.brix import core as k
from embrix.machine.planned import (
    Entering,
    Inlined,
    InPlace,
    Known,
    TailCall,
    changed_clause,
    with_parts,
)
from embrix.machine.tails import VALUES
from embrix.machine.unit import Unit
from embrix.terms.node import TUPLE


class TailCalls(Struct, frozen=True):
    """The pass over one function, and where in it the pass is."""

    unit: Unit
    key: str
    """The function as the unit calls it."""
    frame: str
    """Whose calls in tail position are met: those of the function, of one that is written out with
    its term known, or of a function value."""
    part: bool = False
    """Whether the function is one whose term is known."""
    opened: Set[int] = frozenset()
    """The variables that hold a field of something that was taken apart, the parts of the own
    subject excepted: a term among them is entered from outside."""

    def clause(self, clause: k.CoreClause) -> k.CoreClause:
        """One of the function's own clauses."""
        within = self if self.key in self.unit.staged else self._with(clause.patterns)
        return changed_clause(clause, within.change, True)

    def change(self, node: Any, last: bool) -> Any:
        """What takes the place of an expression."""
        match node:
            case k.Call(name, args):
                enters = self._enters(name, args)
                made = with_parts(node, self.change, False)
                if last and not self.unit.tells_of(name, self.key):
                    return TailCall(made, self._how(name), enters)
                return Entering(made) if enters else made
            case k.CallValue():
                made = with_parts(node, self.change, False)
                if not last:
                    return made
                return TailCall(made, "bounce" if self._bounces(VALUES) else "call")
            case InPlace(call):
                enters = isinstance(call, k.Call) and self._enters(call.function, call.args)
                return InPlace(with_parts(call, self.change, False), enters)
            case Inlined():
                # Where depth is counted, one call less is open once its result is there.
                within = last and (node.instead or not self.unit.counts)
                inner = replace(self, frame=node.function) if node.framed else self
                args = tuple(self.change(arg, False) for arg in node.args)
                return replace(node, args=args, body=inner.change(node.body, within))
            case k.Lambda():
                return with_parts(node, replace(self, frame=VALUES).change, last)
            case k.Match():
                subjects = tuple(self.change(one, False) for one in node.subjects)
                clauses = tuple(
                    changed_clause(one, self._with(one.patterns).change, last)
                    for one in node.clauses
                )
                return k.Match(subjects, node.slots, clauses, node.span)
            case _:
                return with_parts(node, self.change, last)

    def _with(self, patterns: tuple[k.CorePattern, ...]) -> TailCalls:
        """Inside a clause with these patterns."""
        if not self.unit.staged:
            return self
        found = {
            field.slot
            for part in k.parts_of(patterns) if isinstance(part, k.Shape) and part.tag != TUPLE
            for field in part.fields if isinstance(field, k.Bind) and field.slot is not None
        }  # fmt: skip
        return replace(self, opened=self.opened | found) if found else self

    def _how(self, name: str) -> Any:
        own = name == self.key and self.frame == self.key and not self.part
        if own and not self.unit.traces(self.unit.functions[name]):
            return "jump"
        return "bounce" if self._bounces(name) else "call"

    def _bounces(self, name: str) -> bool:
        itself = self.part and name == self.frame and name != VALUES
        return itself or self.unit.bounces(self.frame, name)

    def _enters(self, name: str, args: tuple[Any, ...]) -> bool:
        """Whether a call may enter a part of the program again and again: the body of a closure,
        the own subject once more, or what was too much to be written out."""
        if name not in self.unit.staged:
            return False
        target = self.unit.functions[name]
        subject = target.subject
        if subject is None or subject != target.subjects[0]:
            return False
        term = args[subject]
        if isinstance(term, Known):
            return isinstance(term.value, tuple)
        if not isinstance(term, k.Local):
            return False
        own = name == self.key and not self.part and term.slot == target.slots[subject]
        return own or term.slot in self.opened
