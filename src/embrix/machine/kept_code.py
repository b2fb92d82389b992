"""Compiled code that is kept on disk for the next process.

For the interpreters of one name there is a file with the code of functions, each under what that
depends on (`known_code.py`), for the Python that runs it and by the modules that made it. A process
looks into the file, and writes it, when it compiles such an interpreter for the first time: what is
typed afterwards is compiled as if there were none. The file is believed only if this program has
written it for this user (`text/sealed.py`): Python code must not come from anywhere else.

It is off unless a program asks for it (`use_cache`).
"""

from __future__ import annotations

import marshal
import sys
from collections.abc import Hashable, Mapping, Sequence
from typing import Any

from embrix.brix import core as k
from embrix.machine.linking import CompiledFunction
from embrix.machine.unit import EMPTIES, MarkedClauses, Undecided, Unit
from embrix.terms.node import ITSELF_NODE
from embrix.text.digests import digest, digest_of, makers
from embrix.text.sealed import SealedFolder
from embrix.text.user_folders import cache_in_use

MAKERS = ("brix", "machine", "terms")
"""The packages that have a say in what code is made."""
SHARED: dict[str, Any] = {**EMPTIES, "itself": ITSELF_NODE}
"""Constants that are told by what they are."""
SEVERAL = 6
"""How many times as much is kept as an interpreter needs: for what it says in other copies of a
course, and for another one of the same name."""

Row = tuple[bytes, tuple[tuple[str, Any, tuple[tuple[str, tuple[Any, ...]], ...]], ...]]
"""Under what something is kept, and of each function the name, the code and the constants."""


class KeptCode:
    """The code of an interpreter as it was kept, and what is to be kept of it."""

    def __init__(self, files: SealedFolder, name: str, errors: Mapping[str, k.ErrorType]) -> None:
        self._files = files
        self._name = name
        self._errors = errors
        content = files.read(name) or b""
        # Code for another Python is not even looked at.
        fits = content.startswith(makers(MAKERS))
        rows: Sequence[Row] = marshal.loads(content[len(makers(MAKERS)) :]) if fits else ()
        self._found = {key: (key, functions) for key, functions in rows}
        self._kept: dict[bytes, Row] = {}

    def get(self, key: Hashable) -> list[CompiledFunction] | None:
        """The code that was kept under a key, with the errors of this interpreter."""
        under = digest_of(key)
        row = self._found.get(under) if under is not None else None
        if row is None or under is None:
            return None
        try:
            functions = [
                CompiledFunction(name, code, {one: self._constant(said) for one, said in constants})
                for name, code, constants in row[1]
            ]
        except KeyError:  # an error that this interpreter does not know
            return None
        self._kept[under] = row
        return functions

    def add(self, key: Hashable, functions: Sequence[CompiledFunction]) -> None:
        """Keep some functions under a key, if all that is in them can be kept."""
        under = digest_of(key)
        if under is None or under in self._kept:
            return
        found = []
        for one in functions:
            # No two functions that are kept have a name in common for what is not the same.
            names = {name: f"k{under.hex()}_{at}" for at, name in enumerate(one.constants)}
            said = {names[name]: _said(value) for name, value in one.constants.items()}
            constants = tuple((name, value) for name, value in said.items() if value is not None)
            if len(constants) < len(said):
                return
            around = tuple(names.get(name, name) for name in one.code.co_freevars)
            found.append((one.name, one.code.replace(co_freevars=around), constants))
        self._kept[under] = under, tuple(found)

    def save(self) -> None:
        """Write what is to be kept, if it is not there: with what was there before, as far as there
        is room."""
        if not self._kept.keys() <= self._found.keys():
            rows = list({**self._kept, **self._found}.values())[: len(self._kept) * SEVERAL]
            content = marshal.dumps(tuple(rows))
            self._files.write(self._name, makers(MAKERS) + content)

    def _constant(self, said: tuple[Any, ...]) -> Any:
        match said:
            case ("marks", function, clauses):
                return MarkedClauses(function, clauses)
            case ("choice", choice):
                return Undecided(choice)
            case ("error", name):
                return self._errors[name]
            case ("shared", name):
                return SHARED[name]
            case _:
                return said[1]


def _said(value: Any) -> tuple[Any, ...] | None:
    """What a constant is kept as; None where it cannot be."""
    match value:
        case MarkedClauses(function=function, clauses=clauses):
            return "marks", function, clauses
        case Undecided(choice=choice):
            return "choice", choice
        case k.ErrorType(name=name):
            return "error", name
        case frozenset() if all(isinstance(one, int | str) for one in value):
            return "plain", value
    shared = next((name for name, one in SHARED.items() if one is value), None)
    return ("shared", shared) if shared is not None else None


_LOOKED: set[str] = set()
"""The files that this process has looked into."""


def kept_code(unit: Unit) -> KeptCode | None:
    """What is kept of an interpreter that is compiled for the first time; None where nothing is to
    be kept."""
    if not cache_in_use():
        return None
    one = unit.interpreter
    about = (one.language.name, one.name, one.version, unit.variant, sys.version)
    slot = digest(repr(about)).hex()
    errors = {error.name: error for error in one.errors}
    if slot in _LOOKED or len(errors) < len(one.errors):
        return None
    _LOOKED.add(slot)
    return KeptCode(SealedFolder.of_user("code"), slot, errors)
