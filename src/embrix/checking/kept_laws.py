"""What came of trying laws, kept on disk for the next process: where definitions say the same, the
same examples come to the same."""

from __future__ import annotations

from contextlib import suppress

import msgspec
from msgspec import Struct

from embrix.brix.core import Law
from embrix.checking.laws import SEED, TRIES, LawReport, try_law
from embrix.machine.run import Machine
from embrix.text.digests import digest_of, makers
from embrix.text.sealed import SealedFolder
from embrix.text.user_folders import cache_in_use

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
    name = _name(machine, law) if cache_in_use() else None
    if name is None:
        return try_law(machine, law)
    files = SealedFolder.of_user("laws")
    content = files.read(name)
    if content is not None:
        with suppress(msgspec.DecodeError):
            kept = msgspec.json.decode(content, type=KeptReport)
            return LawReport(law, kept.tried, kept.seed, kept.counterexample, kept.untried,
                             kept.made, kept.failed)  # fmt: skip
    found = try_law(machine, law)
    kept = KeptReport(found.tried, found.seed, found.made, found.failed, found.untried,
                      found.counterexample)  # fmt: skip
    files.write(name, msgspec.json.encode(kept))
    return found


def _name(machine: Machine, law: Law) -> str | None:
    """The file for a law; None where what the definition says is not all that matters."""
    interpreter = machine.interpreter
    said = interpreter.meaning.digest()
    if said is None:
        return None
    number = interpreter.laws.index(law)
    written = interpreter.language.chosen  # the grammar by which a counterexample is written
    name = digest_of((said, interpreter.lane, written, number, SEED, TRIES, makers(MAKERS)))
    return name.hex() if name is not None else None
