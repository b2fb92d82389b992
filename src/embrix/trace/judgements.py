"""What is known of each judgement of a recorded run: its text, its clause, names, the store."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from embrix.brix.core import CorePattern, Function, Named, Shape
from embrix.machine.lane import Lane, Traced
from embrix.machine.recorder import NOT_LEFT, Recorder
from embrix.machine.sweep import Sweep
from embrix.machine.window import Window
from embrix.terms.keys import entries
from embrix.terms.node import FIELDS, MAP, Node, Value, bindings
from embrix.terms.types import Con, Tup, Type, settle
from embrix.text.source import Span
from embrix.trace.frames import origins
from embrix.trace.waiting import Waiting
from embrix.trace.walk_steps import Binding, Held, RecordView

MOST_BINDINGS = 60

AGAIN, BEFORE = 200_000, 50_000
"""Events that are recorded when a part of a run is carried out again, and how many of them lie
before the one that is looked for."""

KEPT_AGAIN = 2
"""Such parts that are kept."""


class RecordedJudgements:
    """The judgements of a traced run, as one record or the other has them."""

    def __init__(self, lane: Lane, traced: Traced) -> None:
        self.lane = lane
        self.traced = traced
        self._whole = RecordView(traced.recorder, 0)
        self._views = [self._whole]
        if traced.last is not None:
            self._views.append(RecordView(traced.last, traced.last.begin))
        self._recorder: Recorder = traced.recorder
        self._suspensions: dict[int, Waiting] = {}
        self._rows: dict[int, str] = {}
        """Judgements of the record looked at that are around others, as they are shown there."""
        self._rows_of = self._recorder
        self._machine = lane.machine
        self.relation = lane.interpreter.steps
        self._functions = list(lane.interpreter.functions.values())

    def _turn_to(self, number: int, last: int = 0) -> RecordView:
        """Look at the record that has an event, and those up to `last` as far as one record may
        have them; what is not recorded is run again."""
        last = max(number, min(last, number + AGAIN - BEFORE - 1))
        for view in self._views:
            if view.first <= number and last < view.first + len(view.recorder.events):
                self._recorder = view.recorder
                return view
        assert self.traced.again is not None
        window = Window(max(0, number - BEFORE), AGAIN)
        self.traced.again(window)
        view = RecordView(window, window.begin)
        kept = 2 if self.traced.last is not None else 1
        self._views = [*self._views[:kept], *self._views[kept:][-KEPT_AGAIN + 1 :], view]
        self._recorder = window
        return view

    def view_of(self, number: int) -> RecordView:
        """A record that has an event."""
        return self._turn_to(number)

    def sweep(self, first: int, ends: Callable[[int], int], seen: Callable[[range], bool]) -> None:
        """Carry the run out once more and look at all events from one on, part by part (`ends` says
        where the part that begins at an event ends): `seen` is told the numbers of those that are
        in the record then, and says whether that is enough."""
        assert self.traced.again is not None

        def part(record: Sweep) -> bool:
            view = RecordView(record, record.begin)
            self._views.append(view)
            try:
                return seen(range(record.begin, record.begin + len(record.events)))
            finally:
                self._views.remove(view)
                self._recorder = self.traced.recorder

        record = Sweep(first, ends, part)
        self.traced.again(record)
        record.end()

    def raw(self, number: int) -> tuple[Recorder, int, bool]:
        """The record that has an event, the judgement, and whether it is left. Not for terms."""
        view = self._turn_to(number)
        event = view.recorder.events[number - view.first]
        return view.recorder, (~event if event < 0 else event), event < 0

    # ---------------------------------------------------------------- one judgement

    def function_of(self, instance: int) -> Function:
        """The function of a judgement of the record that was looked at last."""
        return self._function(instance)

    def result_of(self, instance: int) -> str:
        """What a judgement came to, without the store or other things that it hands on; nothing
        for one that came to nothing."""
        result = self._recorder.results[instance]
        if result is NOT_LEFT:
            return ""
        tupled = isinstance(settle(self._function(instance).result), Tup)
        value = result[FIELDS] if tupled and len(result) > FIELDS else result
        return self._machine.display.show(value)

    def subject(self, instance: int) -> Node | None:
        """The term that a judgement is about."""
        return self._subject(instance)

    def environment_of(self, instance: int) -> Node | None:
        """The environment in which a judgement evaluates, if it is given one."""
        return self._environment(instance)

    def clause_name(self, instance: int) -> str:
        """The form that the clause of a judgement is for; the function where it is for any."""
        subject = self._subject(instance)
        signature = self.lane.interpreter.signature
        form = signature.form_of(subject) if isinstance(subject, tuple) else None
        return form.name if form is not None else self._function(instance).name

    def judgement(
        self, instance: int, left: bool, room: int | None = None, most: int | None = None
    ) -> str:
        """A judgement as its template says; the result of one still open is a sign. `room` keeps
        environments and stores short, `most` every value."""
        recorder = self._recorder
        function = self._functions[recorder.functions[instance]]
        results = recorder.results[instance] if left else NOT_LEFT
        arguments = recorder.arguments[instance]
        template = function.judgement
        if template is None:
            shown = ", ".join(map(self._machine.display.show, arguments))
            result = self._machine.display.show(results) if results is not NOT_LEFT else "…"
            return f"{function.name}({shown}) → {result}"
        return self._machine.fill(template, arguments, results, room, most)

    def takes_over(self, instance: int) -> bool:
        """Whether a judgement was called in tail position: its result is that of its caller."""
        parent = self._recorder.parents[instance]
        if parent not in self._recorder.tails:
            return False
        view = next(one for one in self._views if one.recorder is self._recorder)
        return view.last_called.get(parent) == instance

    def _function(self, instance: int) -> Function:
        return self._functions[self._recorder.functions[instance]]

    def _subject(self, instance: int) -> Node | None:
        function = self._function(instance)
        if function.subject is None:
            return None
        node: Node = self._recorder.arguments[instance][function.subject]
        return node

    def _clause(self, instance: int) -> Span | None:
        number = self._recorder.clauses[instance]
        clauses = self._function(instance).clauses
        return clauses[number].span if 0 <= number < len(clauses) else None

    def _refused(self, instance: int) -> tuple[Span, ...]:
        """The clauses for the same form that come before the one that applies."""
        chosen = self._recorder.clauses[instance]
        function = self._function(instance)
        subject = self._subject(instance)
        if chosen < 1 or subject is None or len(function.subjects) != 1:
            return ()
        taken = function.clauses[chosen].span
        return tuple(dict.fromkeys(
            clause.span for clause in function.clauses[:chosen]
            if _shape(clause.patterns[0]) in (None, subject[0]) and clause.span is not taken
        ))  # fmt: skip

    # ---------------------------------------------------------------- environments

    def _environment(self, instance: int) -> Node | None:
        """The first environment among the arguments of a judgement."""
        arguments = self._recorder.arguments[instance]
        for kind, value in zip(self._function(instance).types, arguments, strict=True):
            settled = settle(kind)
            if isinstance(settled, Con) and settled.name == "Env":
                environment: Node = value
                return environment
        return None

    def _has_environment(self, instance: int) -> bool:
        return self._environment(instance) is not None

    def _bindings(self, instance: int, left: bool = False) -> tuple[Binding, ...]:
        """The environment among the arguments of a judgement (or of the nearest one around it that
        has any), the innermost binding first; a location with what it holds."""
        parents = self._recorder.parents
        while not self._has_environment(instance) and parents[instance] >= 0:
            instance = parents[instance]
        outer = parents[instance]
        while outer >= 0 and not self._has_environment(outer):
            outer = parents[outer]
        around = self._environment(outer) if outer >= 0 else None
        function = self._function(instance)
        held = {one.location: one.value for one in self._store(instance, left=left)}
        found: list[Binding] = []
        seen: set[str] = set()
        for kind, value in zip(function.types, self._recorder.arguments[instance], strict=True):
            settled = settle(kind)
            if not (isinstance(settled, Con) and settled.name == "Env"):
                continue
            kinds = origins(self._recorder, instance, value, around)
            for (name, bound), origin in zip(bindings(value), kinds, strict=False):
                if len(found) >= MOST_BINDINGS:
                    break
                shown = self._machine.display.show(bound)
                if shown in held:
                    shown = f"{shown} ↦ {held[shown]}"
                found.append(Binding(name, shown, name in seen, origin))
                seen.add(name)
        return tuple(found)

    # ---------------------------------------------------------------- stores

    def _store(self, instance: int, *, left: bool, until: int | None = None) -> tuple[Held, ...]:
        """What is at each location; uses are counted that begin before judgement `until`."""
        store = self._store_of(instance, left=left)
        if store is None:
            return ()
        if store[0] == MAP:
            return tuple(Held(name, self._machine.display.show(value), "")
                         for name, value in self._named(store))  # fmt: skip
        waiting = self._waiting()
        forcing = waiting.being_forced(instance)
        before = instance if until is None else until
        return tuple(
            self._held(number, held, number in forcing, waiting.reused(number, before))
            for number, held in entries(store)
        )

    def _waiting(self) -> Waiting:
        """What happens to suspensions in the record that is looked at."""
        key = id(self._recorder)
        if key not in self._suspensions:
            kept = {id(view.recorder) for view in self._views}
            self._suspensions = {k: v for k, v in self._suspensions.items() if k in kept}
            # Of what came before a part of a run only the marks of the whole one tell.
            part = isinstance(self._recorder, Window) and self.traced.last is not None
            marks = self.traced.last.marks if part and self.traced.last is not None else None
            self._suspensions[key] = Waiting(self._recorder, self.lane.interpreter, marks)
        return self._suspensions[key]

    def _store_of(self, instance: int, *, left: bool) -> Node | None:
        """The store that a judgement was given, or when it has been left the one that it gave
        back. Where there is none, a map is what is kept."""
        function = self._function(instance)
        recorder = self._recorder
        kinds: Sequence[Type] = function.types
        values: Sequence[Value] = recorder.arguments[instance]
        result = settle(function.result)
        if left and isinstance(result, Tup) and recorder.results[instance] is not NOT_LEFT:
            kinds = (*result.items, *kinds)
            values = (*recorder.results[instance][FIELDS:], *values)
        for wanted in ("Store", "Map"):
            for kind, value in zip(kinds, values, strict=True):
                settled = settle(kind)
                if isinstance(settled, Con) and settled.name == wanted:
                    store: Node = value
                    return store
        return None

    def _named(self, kept: Node) -> list[tuple[str, Value]]:
        """What a map has, by its keys as they are shown."""
        show = self._machine.display.show
        return [(show(key), value) for key, value in entries(kept)]

    def _held(self, number: int, value: Value, forcing: bool, reused: int) -> Held:
        constructor = None
        if isinstance(value, tuple):
            constructor = self.lane.interpreter.constructors.get(value[0])
        role = constructor.role if constructor is not None else ""
        if forcing and role != "settled":
            role = "forcing"
        return Held(f"@{number}", self._machine.display.show(value), role, reused)

    def _changed(self, instance: int, left: bool) -> tuple[str, ...]:
        """The locations that a judgement has changed or made, by the time it is left."""
        if not left:
            return ()
        before = self._store_of(instance, left=False)
        after = self._store_of(instance, left=True)
        if before is None or after is None or before is after:
            return ()
        if before[0] == MAP or after[0] == MAP:
            had = dict(self._named(before)) if before[0] == MAP else {}
            return tuple(name for name, value in self._named(after) if had.get(name) is not value)
        old, new = before[FIELDS], after[FIELDS]
        return tuple(
            f"@{number}" for number, value in entries(after) if old.get(number) is not new[number]
        )


def _shape(pattern: CorePattern) -> int | None:
    """The tag that a pattern demands, if it demands one."""
    while isinstance(pattern, Named):
        pattern = pattern.inner
    return pattern.tag if isinstance(pattern, Shape) else None
