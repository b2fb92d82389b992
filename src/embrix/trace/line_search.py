"""Whether the lines of judgements contain a text, without making each line as a whole."""

from __future__ import annotations

from collections.abc import Callable

from embrix.brix.core import RESULT, Function, TemplateParts
from embrix.machine.recorder import NOT_LEFT, Recorder
from embrix.terms.node import FIELDS, Value
from embrix.trace.walk import Walk

MOST_KNOWN = 2_000
"""Values whose texts are kept."""
ROOM = 10_000_000
"""Characters of lines that are kept until their judgements are seen once more."""


class LineSearch:
    """A judgement is written twice, when it is entered and when it is left, up to its result in the
    same way: what stands before that is made once. Capitals make no difference.
    """

    def __init__(self, walk: Walk, wanted: str) -> None:
        self._wanted = wanted.casefold()
        self._show: Callable[[Value], str] = walk.lane.machine.display.show
        functions = walk.lane.interpreter.functions.values()
        self._templates = [_split(_template(function)) for function in functions]
        self._known: dict[int, tuple[Value, str]] = {}
        self._begun: dict[int, str] = {}
        """By number the line up to the result of judgements that have been seen once."""
        self._room = ROOM

    def __call__(self, recorder: Recorder, instance: int, left: bool) -> bool:
        before, after, unknown = self._templates[recorder.functions[instance]]
        line = self._begun.pop(instance, None)
        arguments: tuple[Value, ...] = ()
        if line is None:
            arguments = recorder.arguments[instance]
            line = self._filled(before, arguments, NOT_LEFT)
            self._room -= len(line)
            if self._room < 0:
                self._begun.clear()
                self._room = ROOM - len(line)
            self._begun[instance] = line
        else:
            self._room += len(line)
        results = recorder.results[instance] if left else NOT_LEFT
        if results is NOT_LEFT and unknown is not None:
            return self._wanted in line + unknown
        arguments = arguments or recorder.arguments[instance]
        return self._wanted in line + self._filled(after, arguments, results)

    def _filled(self, parts: TemplateParts, values: tuple[Value, ...], results: Value) -> str:
        text = ""
        for part in parts:
            if isinstance(part, str):
                text += part
                continue
            if part >= 0:
                value = values[part]
            elif results is NOT_LEFT:
                text += "…"
                continue
            else:
                value = results if part == RESULT else results[FIELDS + RESULT - part - 1]
            known = self._known.get(id(value))
            text += known[1] if known is not None else self._shown(value)
        return text

    def _shown(self, value: Value) -> str:
        text = self._show(value).casefold()
        if isinstance(value, tuple):
            if len(self._known) >= MOST_KNOWN:
                self._known.clear()
            self._known[id(value)] = value, text
        return text


def _template(function: Function) -> TemplateParts:
    if function.judgement is not None:
        return function.judgement
    parts: list[str | int] = [f"{function.name}("]
    for number in range(len(function.types)):
        parts += [", ", number] if number else [number]
    return (*parts, ") → ", RESULT)


def _split(template: TemplateParts) -> tuple[TemplateParts, TemplateParts, str | None]:
    """What stands before the result, and the rest, in small letters; the rest as it is while no
    result is known, where that is the same for all."""
    parts = tuple(part.casefold() if isinstance(part, str) else part for part in template)
    at = next((at for at, part in enumerate(parts) if isinstance(part, int) and part < 0), None)
    before, after = (parts, ()) if at is None else (parts[:at], parts[at:])
    if any(isinstance(part, int) and part >= 0 for part in after):
        return before, after, None
    return before, after, "".join(part if isinstance(part, str) else "…" for part in after)
