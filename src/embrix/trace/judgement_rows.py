"""A judgement as a row of a list: of what is around the expression only what matters there.

Of an environment these are the names that the expression mentions, and those that are new; of a
store what has changed since the row above.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from embrix.brix.core import RESULT, Function
from embrix.machine.recorder import NOT_LEFT
from embrix.terms.binding import free_names
from embrix.terms.keys import entries
from embrix.terms.node import EMPTY, FIELDS, FRAME, KNOT, MAP, Node, Value
from embrix.terms.signature import Signature
from embrix.terms.types import Con, Tup, Type, settle
from embrix.text.fitting import Piece, joined_within
from embrix.text.visible import cut
from embrix.trace.judgements import RecordedJudgements
from embrix.trace.walk_steps import Binding

NEW = "╪"
"""Stands between a name and its value where the frame is new."""
MOST_NODES = 600
"""Nodes of an expression in which names are looked for."""
MOST_NAMES, MOST_CHANGED = 12, 6
"""Names and locations that a row has at most."""
MOST_STACK, STACK_ROOM = 12, 64
"""Judgements around the step that are shown, and the columns that each takes at most."""
LONGEST_VALUE, LONGEST_PIECE = 20, 400
"""Characters of a value in a row, and of any piece of it."""


class JudgementRows(RecordedJudgements):
    """The rows of the judgements of a run."""

    def pieces(
        self, instance: int, left: bool, known: Sequence[Binding] = (), before: Node | None = None
    ) -> tuple[Piece, ...]:
        """A judgement as its template says. `known` are the names in force, `before` is the store
        of the row above."""
        function = self._function(instance)
        if function.judgement is None:
            return (("term", cut(self.judgement(instance, left), LONGEST_PIECE)),)
        return tuple(self._pieces(function, instance, left, known, before))

    def row(self, instance: int, left: bool) -> tuple[Piece, ...]:
        """A judgement alone in a row: of its store what it has changed itself."""
        known = self._bindings(instance, left)
        return self.pieces(instance, left, known, self._store_of(instance, left=False))

    def _stack(self, instance: int) -> tuple[str, ...]:
        """The judgements around one, the innermost first."""
        if self._rows_of is not self._recorder:
            self._rows_of, self._rows = self._recorder, {}
        found: list[str] = []
        at = self._recorder.parents[instance]
        while at >= 0 and len(found) < MOST_STACK:
            if at not in self._rows:
                self._rows[at] = joined_within(self.row(at, False), STACK_ROOM)
            found.append(self._rows[at])
            at = self._recorder.parents[at]
        return tuple(found)

    def _pieces(
        self, function: Function, instance: int, left: bool, known: Sequence[Binding],
        before: Node | None,
    ) -> Iterator[Piece]:  # fmt: skip
        recorder = self._recorder
        arguments = recorder.arguments[instance]
        result: Value = recorder.results[instance] if left else NOT_LEFT
        results = settle(function.result)
        own = self._environment(instance)
        shown = ""
        for part in function.judgement or ():
            if isinstance(part, str):
                yield "sign", part
                continue
            if part < 0 and result is NOT_LEFT:
                yield "result", "…"
                continue
            kind: Type
            value: Value
            if part >= 0:
                kind, value = function.types[part], arguments[part]
            elif part == RESULT:
                kind, value = results, result
            else:
                assert isinstance(results, Tup)
                kind, value = results.items[RESULT - part - 1], result[FIELDS + RESULT - part - 1]
            settled = settle(kind)
            named = settled.name if isinstance(settled, Con) else ""
            if part >= 0 and named == "Env" and value is own and own is not None:
                shown = self._mentioned(self._subject(instance), own, known, not left)
                yield "names", shown
            elif named == "Env":
                yield "names", self._added(value, own)
            elif named in ("Store", "Map") and left and part >= 0:
                yield "store", "…"  # what it has become stands with the result
            elif named in ("Store", "Map"):
                yield "store", self._changes(value, before, "" if left else shown)
            else:
                of_term = part >= 0 and part == function.subject
                name = "term" if of_term else "result" if part < 0 else "other"
                yield name, cut(self._machine.display.show(value), LONGEST_PIECE)

    # ---------------------------------------------------------------- names

    def _mentioned(
        self, term: Node | None, environment: Node, known: Sequence[Binding], entered: bool
    ) -> str:
        """Of the names in force those that an expression mentions, then those that are new."""
        if environment[0] == EMPTY:
            return self._machine.display.show(environment)
        in_force = {one.name: one for one in known if not one.shadowed}
        names = [one for one in names_in(self._signature, term) if one in in_force]
        new = [name for name, one in in_force.items() if entered and one.origin == "fresh"]
        chosen = list(dict.fromkeys([*names, *new]))[:MOST_NAMES]
        items = [
            f"{name} {NEW if name in new else '='} {cut(in_force[name].value, LONGEST_VALUE)}"
            for name in chosen
        ]
        return ", ".join(items + ["…"] * (len(chosen) < len(in_force)))

    def _added(self, environment: Node, before: Node | None) -> str:
        """What an environment that comes out has more than the one that went in."""
        if environment[0] not in (FRAME, KNOT):
            return self._machine.display.show(environment)
        if environment is before:
            return "…"
        had = {id(frame) for frame in _frames(before)} if before is not None else set()
        items: list[str] = []
        for frame in _frames(environment):
            if id(frame) in had or len(items) >= MOST_NAMES:
                return ", ".join([*items, "…"])
            shown = self._machine.display.show(frame[FIELDS + 1])
            items.append(f"{frame[FIELDS]} {NEW} {cut(shown, LONGEST_VALUE)}")
        return ", ".join(items)

    @property
    def _signature(self) -> Signature:
        return self.lane.interpreter.signature

    # ---------------------------------------------------------------- stores

    def _changes(self, store: Node, before: Node | None, names: str) -> str:
        """What a store has that the one of the row above has not, the newest first; without what is
        shown with the names."""
        if store is before:
            return "…"
        show = self._machine.display.show
        old = dict(entries(before)) if before is not None and before[0] == store[0] else {}
        held = entries(store)
        items = []
        for key, value in reversed(held):
            # Of a run that was recorded again what is the same is another object.
            if key in old and (old[key] is value or show(old[key]) == show(value)):
                continue
            where = show(key) if store[0] == MAP else f"@{key}"
            if f" {where} ↦ " not in names:
                items.append(f"{where} ↦ {cut(show(value), LONGEST_VALUE)}")
        if not held:
            return show(store)
        shown = items[:MOST_CHANGED]
        return ", ".join(shown + ["…"] * (len(shown) < len(held)))


def names_in(signature: Signature, term: Node | None) -> list[str]:
    """The names that an expression mentions and does not bind itself, in their order; of a large
    one those of its beginning, bound or not."""
    if term is None:
        return []
    found: dict[str, None] = {}
    pending: list[Value] = [term]
    seen = 0
    while pending and seen < MOST_NODES:
        node = pending.pop()
        if not isinstance(node, tuple):
            continue
        seen += 1
        form = signature.form_of(node)
        if form is not None:
            found |= dict.fromkeys(node[FIELDS + index] for index in form.uses)
        pending += reversed(node[FIELDS:])
    if pending:
        return list(found)
    free = free_names(signature, term)
    return [name for name in found if name in free]


def _frames(environment: Node) -> Iterator[Node]:
    while environment[0] in (FRAME, KNOT):
        yield environment
        environment = environment[FIELDS + 2]
