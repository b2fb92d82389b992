"""Trying the laws of an interpreter on made-up terms."""

from __future__ import annotations

import random

from msgspec import Struct
from msgspec.structs import replace

from embrix.brix.core import Law
from embrix.machine.program_words import words_of
from embrix.machine.run import Machine
from embrix.terms.generate import NAMES, Generator, NoTerm
from embrix.terms.node import Value, size
from embrix.terms.signature import Signature
from embrix.terms.types import Type

SEED = 1
TRIES = 300


class LawReport(Struct, frozen=True):
    """What came of trying a law: how often, from which seed, and the smallest counterexample;
    `untried` says why no example could be made."""

    law: Law
    tried: int
    seed: int
    counterexample: dict[str, str] | None
    untried: str = ""


def try_law(machine: Machine, law: Law, tries: int = TRIES, seed: int = SEED) -> LawReport:
    """Hold a law against generated values. It is tested, never proved."""
    chance = random.Random(seed)
    interpreter = machine.interpreter
    forms = {**interpreter.signature.by_tag, **interpreter.constructors}
    words = replace(words_of(interpreter, machine.printer), parts={})
    generator = Generator(Signature(tuple(forms.values())), chance.randrange, words)
    worst: tuple[int, dict[str, str]] | None = None
    tried = 0
    for _ in range(tries):
        try:
            values = [_made_up(generator, chance, kind) for kind in law.function.types]
        except NoTerm as none:
            return LawReport(law, 0, seed, None, f"there are no finite examples of {none}")
        holds = machine.test_law(law, values)
        if holds is None:
            continue
        tried += 1
        weight = sum(map(size, values))
        if not holds and (worst is None or weight < worst[0]):
            shown = map(machine.display.show, values)
            worst = (weight, dict(zip(law.function.params, shown, strict=True)))
    untried = "" if tried else "every example that was made ends in a failure"
    return LawReport(law, tried, seed, worst[1] if worst else None, untried)


def _made_up(generator: Generator, chance: random.Random, kind: Type) -> Value:
    """A value of a type, with names free in it more often than not. Raises `NoTerm`."""
    scope = NAMES if chance.random() < 0.6 else ()
    depth = chance.randrange(1, 5)
    try:
        return generator.value(kind, depth, scope)
    except NoTerm:
        # There are open terms, perhaps.
        return generator.value(kind, depth, NAMES)
