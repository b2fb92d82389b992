"""Trying the laws of an interpreter on made-up terms."""

from __future__ import annotations

import random
from dataclasses import dataclass

from embrix.brix.core import Law
from embrix.machine.run import Machine
from embrix.terms.generate import NAMES, NUMBERS, Generator
from embrix.terms.node import Value, size
from embrix.terms.types import NAME, NUMBER, Con, settle

SEED = 1
TRIES = 300


@dataclass(frozen=True, slots=True)
class LawReport:
    """What came of trying a law: how often, from which seed, and the smallest counterexample."""

    law: Law
    tried: int
    seed: int
    counterexample: dict[str, str] | None


def try_law(machine: Machine, law: Law, tries: int = TRIES, seed: int = SEED) -> LawReport:
    """Hold a law against generated terms. It is tested, never proved."""
    chance = random.Random(seed)
    generator = Generator(machine.interpreter.language.signature, chance.randrange)
    worst: tuple[int, dict[str, str]] | None = None
    tried = 0
    for _ in range(tries):
        values = [_made_up(generator, chance, kind) for kind in law.function.types]
        if any(value is None for value in values):
            continue
        holds = machine.test_law(law, values)
        if holds is None:
            continue
        tried += 1
        weight = sum(map(size, values))
        if not holds and (worst is None or weight < worst[0]):
            shown = map(machine.display.show, values)
            worst = (weight, dict(zip(law.function.params, shown, strict=True)))
    return LawReport(law, tried, seed, worst[1] if worst else None)


def _made_up(generator: Generator, chance: random.Random, kind: object) -> Value:
    settled = settle(kind)  # type: ignore[arg-type]
    if settled == NAME:
        return chance.choice(NAMES)
    if settled == NUMBER:
        return chance.choice(NUMBERS)
    if isinstance(settled, Con):
        scope = NAMES if chance.random() < 0.6 else ()
        return generator.term(settled.name, chance.randrange(1, 5), scope)
    return None
