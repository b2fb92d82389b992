"""What has been compiled before: where a definition changes in one clause, and in interpreters that
extend each other, most functions become the same code as ever.

That depends on what a function says and on what is asked of the functions that it calls, wherever
any of it stands in a text. It goes for brief code only, in which nothing is written out.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Collection, Hashable, Sequence
from fractions import Fraction
from typing import Any

from msgspec.structs import replace

from embrix.brix import core as k
from embrix.machine.kept_code import KeptCode
from embrix.machine.linking import CompiledFunction
from embrix.machine.tails import VALUES
from embrix.machine.unit import Unit, is_judgement
from embrix.terms.node import Constructor
from embrix.terms.types import Con, Fn, Hole, Tup, Unknown, settle
from embrix.text.source import Span

MOST = 3_000
"""Functions that are remembered, those used last."""

_KNOWN: OrderedDict[Hashable, Sequence[CompiledFunction]] = OrderedDict()


def known_code(
    unit: Unit,
    name: str,
    make: Callable[[str], Sequence[CompiledFunction]],
    kept: KeptCode | None,
) -> Sequence[CompiledFunction]:
    """The code of a function of a unit: what has been made before, in this process or as it was
    `kept` by another one, or what is made now."""
    errors = {error.name: error for error in unit.interpreter.errors}
    key = _key(unit, name)
    if key is None or len(errors) < len(unit.interpreter.errors):
        return make(name)
    made = _KNOWN.get(key)
    if made is not None:
        _KNOWN.move_to_end(key)
        made = [_with_errors(one, errors) for one in made]
        if kept is not None:
            kept.add(key, made)
        return made
    made = kept.get(key) if kept is not None else None
    if made is None:
        made = make(name)
        if kept is not None:
            kept.add(key, made)
    constants = [value for one in made for value in one.constants.values()]
    if all(errors.get(c.name) is c for c in constants if isinstance(c, k.ErrorType)):
        _KNOWN[key] = made
        if len(_KNOWN) > MOST:
            _KNOWN.popitem(last=False)
    return made


def _with_errors(one: CompiledFunction, errors: dict[str, k.ErrorType]) -> CompiledFunction:
    """The code with the errors of another interpreter in the place of those of the same names."""
    constants = {
        name: errors[value.name] if isinstance(value, k.ErrorType) else value
        for name, value in one.constants.items()
    }
    return replace(one, constants=constants)


def _key(unit: Unit, name: str) -> Hashable | None:
    """All that the code of a function depends on; None where that is not known."""
    said = written(unit.functions[name])
    facts = (unit.functions[name].slots, facts_of(unit, name, {name, *said.called}))
    return (settings_of(unit, name), facts, tuple(said.found)) if said.whole else None


def settings_of(unit: Unit, name: str) -> Hashable:
    """What the code of a function depends on beside what it says and calls."""
    return (
        unit.variant, tuple(unit.counters), tuple(sorted(unit.undecided)), unit.knots,
        tuple(sorted(unit.roles.items())), unit.may_bounce(VALUES), unit.bounces(VALUES, VALUES),
        unit.watched == name,
    )  # fmt: skip


def facts_of(unit: Unit, name: str, called: Collection[str]) -> Hashable:
    """What the code of a function depends on about itself and some that it calls."""
    own = unit.functions[name].name
    return (name, own, *((one, _asked(unit, name, one)) for one in sorted(called)))


def _asked(unit: Unit, caller: str, callee: str) -> Hashable:
    """What is asked of a function where another one calls it, or asks whether a term is final."""
    known = unit.asked.get((caller, callee))
    if known is None:
        known = unit.asked[caller, callee] = _what_is_asked(unit, caller, callee)
    return known


def _what_is_asked(unit: Unit, caller: str, callee: str) -> Hashable:
    target = unit.functions[callee]
    result = settle(target.result)
    return (
        unit.numbers[callee], len(target.params), target.subject, target.subjects,
        target.control, target.becomes,
        is_judgement(target), len(result.items) if isinstance(result, Tup) else 0,
        len(target.finals), callee in unit.relations, callee in unit.calls.recursive,
        unit.may_bounce(callee), unit.bounces(caller, callee), unit.bounces(VALUES, callee),
        unit.bounces(callee, callee), unit.bounces(caller, VALUES),
        unit.substituting.get(callee),
    )  # fmt: skip


class InCore:
    """What a part of the core says, one thing after the other, wherever it stands in a text."""

    def __init__(self, part: Any) -> None:
        self.found: list[Any] = []
        self.called: set[str] = set()
        self.whole = True
        """Whether everything in it is among what was found."""
        self.add(part)

    def add(self, value: Any) -> None:
        """Add a part of the core, a field of one, or a tuple of them."""
        kind = type(value)
        if kind is tuple:
            self.found.append(len(value))
            for one in value:
                self.add(one)
        elif (names := _FIELDS.get(kind)) is not None:
            self.found.append(kind)
            if kind in _CALLING:
                self.called.add(value.function)
            for name in names:
                self.add(getattr(value, name))
        elif kind in _PLAIN:
            # Python takes 1, 1.0 and True for the same, and has no order for a set.
            text = repr(value) if kind is float else value
            self.found += (kind, tuple(sorted(value)) if kind is frozenset else text)
        elif kind is Constructor:
            self.found += (value.tag, value.is_form, value.role)
        elif kind is k.ErrorType:
            self.found.append(value.name)
        elif kind in _TYPES:
            settled = settle(value)
            self.found.append(settled.name if isinstance(settled, Con) else "")
        elif kind is not Span:
            self.whole = False


@k.once_each
def written(function: k.Function) -> InCore:
    """What a function says."""
    return InCore(function.inside)


_PLAIN = {int, str, bool, float, Fraction, frozenset, type(None)}
_TYPES = {Con, Tup, Fn, Hole, Unknown}
_CALLING = {k.Call, k.Repeat, k.StepList, k.IsFinal}
_FIELDS: dict[type, tuple[str, ...]] = {kind: kind.__struct_fields__ for kind in k.PARTS}
