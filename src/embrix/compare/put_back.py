"""Values of a run put back into the program: the term that stands for a value, and an expression
with the environment put in for its free names."""

from __future__ import annotations

from embrix.grammar.parser import Parsed
from embrix.machine.lane import Lane
from embrix.terms.binding import free_names, substitute
from embrix.terms.node import (
    EMPTY,
    FIELDS,
    FRAME,
    KNOT,
    Constructor,
    Node,
    Value,
    size,
    without_places,
)
from embrix.terms.types import Con, Type, settle

LARGEST = 5_000
"""Nodes of a term that is put together."""
DEEPEST = 60
"""Values inside values that are put back."""


class NotSayable(Exception):
    """No term stands for a value; the message says why."""


class PutBack:
    """The terms of the values of one lane."""

    def __init__(self, lane: Lane) -> None:
        self._lane = lane
        self._signature = lane.interpreter.language.signature
        self._texts: dict[str, Node | None] = {}
        self.guessed = False
        """Whether a form was taken to mean what its fields and its binding look like."""

    def closed(self, term: Node, environment: Node) -> Node:
        """A term with what an environment holds in place of its free names. Raises `NotSayable`."""
        self.guessed = False
        return self._closed(term, environment, 0)

    def _closed(self, term: Node, environment: Node, depth: int) -> Node:
        while environment[0] in (FRAME, KNOT):
            _, _, name, value, outer = environment[: FIELDS + 3]
            if name in free_names(self._signature, term):
                if environment[0] == KNOT:
                    term = self._around(name, value, term)
                else:
                    put = self._term(value, depth + 1)
                    made = substitute(self._signature, put, name, term)
                    assert isinstance(made, tuple)
                    term = made
                if size(term) > LARGEST:
                    raise NotSayable("the expression gets too large")
            environment = outer
        if environment[0] != EMPTY:
            raise NotSayable("an environment holds itself")
        return term

    def _around(self, name: str, value: Value, term: Node) -> Node:
        """A term in the form that binds a name to a function which may call itself: the name in the
        function and behind it, the parameter in the function. Raises `NotSayable`."""
        own = (
            self._lane.interpreter.constructors.get(value[0]) if isinstance(value, tuple) else None
        )
        parts = [part for kind, part in zip(own.types, value[FIELDS:], strict=True)
                 if not _is_environment(kind)] if own is not None else []  # fmt: skip
        for form in self._signature.forms:
            spots = [([s.field for s in bind.names], sorted(s.field for s in bind.scopes))
                     for bind in form.binds]  # fmt: skip
            if len(parts) != 2 or len(form.fields) != 4 or len(spots) != 2:
                continue
            for (names, both), (params, inner) in (spots, spots[::-1]):
                fits = len(names) == len(params) == len(inner) == 1 and len(both) == 2
                if fits and inner[0] in both:
                    behind = next(at for at in both if at != inner[0])
                    fields = {names[0]: name, params[0]: parts[0], inner[0]: parts[1], behind: term}
                    self.guessed = True
                    return (form.tag, None, *(fields[at] for at in range(4)))
        raise NotSayable("a function refers to itself")

    def _term(self, value: Value, depth: int) -> Node:
        """The closed term that stands for a value. Raises `NotSayable`."""
        if depth > DEEPEST:
            raise NotSayable("values lie too deep inside each other")
        interpreter = self._lane.interpreter
        if isinstance(value, tuple) and value[0] in self._signature.by_tag:
            return value
        own = interpreter.constructors.get(value[0]) if isinstance(value, tuple) else None
        if own is None or not isinstance(value, tuple):
            raise NotSayable("a name stands for something that is no value of its own")
        term = self._shown(value) or self._built(own, value)
        for kind, part in zip(own.types, value[FIELDS:], strict=True):
            if _is_environment(kind) and free_names(self._signature, term):
                term = self._closed(term, part, depth)
        if free_names(self._signature, term):
            raise NotSayable("a value has names that nothing binds")
        return term

    def value(self, value: Value) -> Node | None:
        """The closed term that stands for a value, if there is one."""
        try:
            return self._term(value, 0)
        except NotSayable:
            return None

    def _shown(self, value: Node) -> Node | None:
        """What a value is shown as, if that is a term, or a text that is read as a program which
        gives this value."""
        term = self._lane.machine.display.shown_term(value)
        if term is not None:
            return term
        text = self._lane.machine.display.outcome(value)
        if text not in self._texts:
            self._texts[text] = self._read(text, value)
        return self._texts[text]

    def _read(self, text: str, value: Node) -> Node | None:
        parsed = self._lane.parser.parse(text)
        if not isinstance(parsed, Parsed):
            return None
        machine = self._lane.machine
        outcome = machine.run(parsed.term).outcome
        same = outcome.kind == "value" and outcome.structure == machine.display.structure(value)
        term = without_places(parsed.term)
        return term if same and isinstance(term, tuple) else None

    def _built(self, own: Constructor, value: Node) -> Node:
        """The form that has the fields of a value, its environment aside; of what is suspended the
        expression. Raises `NotSayable`."""
        parts = {
            name: (settle(kind), part)
            for name, kind, part in zip(own.fields, own.types, value[FIELDS:], strict=True)
            if not _is_environment(kind)
        }
        kinds = {name: kind for name, (kind, _) in parts.items()}
        for form in self._signature.forms:
            if parts and dict(zip(form.fields, map(settle, form.types), strict=True)) == kinds:
                self.guessed = True
                return (form.tag, None, *(parts[name][1] for name in form.fields))
        if len(parts) == 1 < len(own.fields):
            (kind, part) = next(iter(parts.values()))
            if isinstance(kind, Con) and kind.name in self._signature.sorts:
                found: Node = part
                return found
        raise NotSayable("no expression of the language stands for a value")


def _is_environment(kind: Type) -> bool:
    settled = settle(kind)
    return isinstance(settled, Con) and settled.name == "Env"
