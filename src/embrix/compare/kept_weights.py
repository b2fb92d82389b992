"""What programs made up on a lane have taught, kept in this process and on disk: where definitions
say the same, the same programs teach the same."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from weakref import WeakKeyDictionary

import msgspec

from embrix.brix.core import Interpreter
from embrix.compare.weights import LEARNING, Taught, Weights, learned, untaught
from embrix.machine.lane import Lane
from embrix.text.digests import digest_of, makers
from embrix.text.sealed import SealedFolder
from embrix.text.user_folders import cache_in_use

MAKERS = ("brix", "compare", "grammar", "machine", "terms", "text")
"""The packages that have a say in what programs teach."""
_KNOWN: WeakKeyDictionary[Interpreter, dict[tuple[str, int], Weights]] = WeakKeyDictionary()


def weights_of(lane: Lane, sort: str, seed: int, underway: Callable[[], None]) -> Weights:
    """What is learned on a lane, once for each interpreter and seed: the same always comes of it.
    `underway` is called now and then."""
    known = _KNOWN.setdefault(lane.interpreter, {})
    if (sort, seed) not in known:
        known[sort, seed] = _kept(lane, sort, seed, underway)
    return known[sort, seed]


def _kept(lane: Lane, sort: str, seed: int, underway: Callable[[], None]) -> Weights:
    name = _name(lane.interpreter, sort, seed) if cache_in_use() else None
    if name is None:
        return learned(lane, sort, seed, underway)
    files = SealedFolder.of_user("weights")
    content = files.read(name)
    if content is not None:
        with suppress(msgspec.DecodeError):
            weights = untaught(lane)
            weights.take(msgspec.json.decode(content, type=Taught))
            return weights
    weights = learned(lane, sort, seed, underway)
    files.write(name, msgspec.json.encode(weights.taught()))
    return weights


def _name(interpreter: Interpreter, sort: str, seed: int) -> str | None:
    """The file for what is learned; None where what the definition says is not all that matters."""
    said = interpreter.meaning.digest()
    if said is None:
        return None
    grammar = interpreter.language.chosen  # by which programs are written and read
    of = (said, interpreter.lane, grammar, sort, seed, LEARNING, makers(MAKERS))
    name = digest_of(of)
    return name.hex() if name is not None else None
