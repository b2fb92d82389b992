"""What a recorded run shows of functions: which forms apply one, and whether an argument is used.

Seen from outside, to apply a function is to evaluate a part in which names are bound when it is not
the turn of the form that binds them, and not because a name was looked up.
"""

from __future__ import annotations

from embrix.brix.core import Interpreter
from embrix.machine.recorder import Recorder
from embrix.terms.node import FIELDS, Constructor, Node, Value, nodes_of
from embrix.terms.scopes import names_at


class EvaluatedRun:
    """The parts of the program that the judgements of a record are about."""

    def __init__(self, recorder: Recorder, interpreter: Interpreter) -> None:
        self._recorder = recorder
        self._signature = interpreter.language.signature
        subjects = [function.subject for function in interpreter.functions.values()]
        self.nodes: list[Value] = []
        """For each judgement its part of the program; None where it is about something else."""
        for number, which in enumerate(recorder.functions):
            subject = subjects[which]
            node = recorder.arguments[number][subject] if subject is not None else None
            self.nodes.append(node if self.form(node) is not None else None)

    def form(self, node: Value) -> Constructor | None:
        return self._signature.form_of(node) if isinstance(node, tuple) else None

    def nearest(self, judgement: int) -> int:
        """The judgement itself or the nearest one around it that is about a part of the program;
        -1 where there is none."""
        while judgement >= 0 and self.nodes[judgement] is None:
            judgement = self._recorder.parents[judgement]
        return judgement

    def applications(self) -> list[tuple[Constructor, int, set[str]]]:
        """The judgements that are about the body of a function, with the forms that apply it and
        the names that are bound in the body."""
        bodies = self._bodies()
        found: list[tuple[Constructor, int, set[str]]] = []
        for number, node in enumerate(self.nodes):
            if id(node) not in bodies:
                continue
            binder, names = bodies[id(node)]
            outer = self.nearest(self._recorder.parents[number])
            form = self.form(self.nodes[outer]) if outer >= 0 else None
            if form is not None and not form.uses and self.nodes[outer] is not binder:
                found.append((form, number, names))
        return found

    @property
    def uses_an_argument(self) -> bool:
        """Whether some function is applied whose body uses a name that it binds while it is
        evaluated; uses in functions that it gives are not counted."""
        bodies = {number: names for _, number, names in self.applications()}
        for number, node in enumerate(self.nodes if bodies else ()):
            form = self.form(node)
            names = {node[FIELDS + index] for index in form.uses} if form is not None else set()
            at = number
            while names and at >= 0:
                if names & bodies.get(at, set()):
                    return True
                at = self._recorder.parents[at]
        return False

    def _bodies(self) -> dict[int, tuple[Node, set[str]]]:
        """The parts in which names are bound, by what binds them, with the names."""
        found: dict[int, tuple[Node, set[str]]] = {}
        for node in nodes_of(next((one for one in self.nodes if one is not None), None)):
            form = self.form(node)
            for bind in form.binds if form is not None else ():
                for spot in bind.scopes:
                    body = node[FIELDS + spot.field]
                    if isinstance(body, tuple) and not spot.inner:
                        names = found.setdefault(id(body), (node, set()))[1]
                        for place in bind.names:
                            names.update(names_at(self._signature, node, place))
        return found
