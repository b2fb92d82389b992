"""What came of trying laws, kept on disk for the next process: where definitions say the same, the
same examples come to the same."""

from __future__ import annotations

from msgspec import Struct

from embrix.brix.core import Law
from embrix.checking.laws import SEED, TRIES, LawReport, try_law
from embrix.machine.run import Machine
from embrix.text.digests import makers
from embrix.text.found_again import found_again

MAKERS = ("brix", "checking", "grammar", "machine", "terms", "text")
"""The packages that have a say in what comes of a law."""


class KeptReport(Struct, frozen=True):
    """A report on a law as it stands in a file."""

    tried: int
    seed: int
    made: int
    failed: bool
    untried: str
    counterexample: dict[str, str] | None


def report_on_law(machine: Machine, law: Law) -> LawReport:
    """What came of a law, in this process or in another one."""
    interpreter = machine.interpreter
    number = interpreter.laws.index(law)
    grammar = interpreter.language.chosen or ""  # by which a counterexample is written
    rests_on = (interpreter.meaning.digest(), interpreter.lane, grammar, number, SEED, TRIES,
                makers(MAKERS))  # fmt: skip

    def tried() -> KeptReport:
        found = try_law(machine, law)
        return KeptReport(found.tried, found.seed, found.made, found.failed, found.untried,
                          found.counterexample)  # fmt: skip

    kept = found_again("laws", rests_on, KeptReport, tried)
    return LawReport(law, kept.tried, kept.seed, kept.counterexample, kept.untried, kept.made,
                     kept.failed)  # fmt: skip
