"""How a run ends other than with a value. These are raised by compiled definitions and caught at
the edge of the machine; they never leave it."""

from __future__ import annotations

from typing import NoReturn

from embrix.brix.core import ErrorType
from embrix.terms.node import Node, Value


class Ended(Exception):
    """The base of all of them. `node` is the current term, for its place."""

    node: Node | None = None


class Failed(Ended):
    """A declared error."""

    def __init__(self, error: ErrorType, payload: tuple[Value, ...], node: Node | None) -> None:
        self.error = error
        self.payload = payload
        self.node = node


class Stuck(Ended):
    """No clause takes what a function was given, or an operation has no result."""

    def __init__(self, reason: str, subjects: tuple[Value, ...], node: Node | None) -> None:
        self.reason = reason
        self.subjects = subjects
        self.node = node


class Unfinished(Ended):
    """A `todo` was reached, or what has an error; `code` is that of its diagnostic."""

    def __init__(self, note: str, node: Node | None, code: str = "") -> None:
        self.note = note
        self.node = node
        self.code = code


class OutOfFuel(Ended):
    """A limit was reached; `limit` names it."""

    def __init__(self, limit: str) -> None:
        self.limit = limit


def fail(error: ErrorType, payload: tuple[Value, ...], node: Node | None) -> NoReturn:
    raise Failed(error, payload, node)


def stuck(nothing: str, subjects: tuple[Value, ...], node: Node | None) -> NoReturn:
    raise Stuck(f"{nothing} takes this", subjects, node)


def absent(key: str, node: Node | None) -> NoReturn:
    raise Stuck(f"the environment has no {key}", (), node)


def absent_key(container: str, key: str, node: Node | None) -> NoReturn:
    raise Stuck(f"the {container} has nothing at {key}", (), node)


def unfinished(note: str, node: Node | None, code: str = "") -> NoReturn:
    raise Unfinished(note, node, code)


def exhausted() -> NoReturn:
    raise OutOfFuel("calls")
