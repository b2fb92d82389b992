"""What programs made up on a lane have taught, kept in this process and on disk: where definitions
say the same, the same programs teach the same."""

from __future__ import annotations

from collections.abc import Callable
from weakref import WeakKeyDictionary

from embrix.brix.core import Interpreter
from embrix.compare import weights
from embrix.compare.weights import Taught, Weights, learned, untaught
from embrix.machine.lane import Lane
from embrix.text.digests import makers
from embrix.text.found_again import found_again

MAKERS = ("brix", "compare", "grammar", "machine", "terms", "text")
"""The packages that have a say in what programs teach."""
_KNOWN: WeakKeyDictionary[Interpreter, dict[tuple[str, int, int], Weights]] = WeakKeyDictionary()


def weights_of(
    lane: Lane, sort: str, seed: int, underway: Callable[[], None], most: int | None = None
) -> Weights:
    """What is learned on a lane, of so many programs at `most`, once for each interpreter and seed:
    the same always comes of it. `underway` is called now and then."""
    most = weights.LEARNING if most is None else most
    known = _KNOWN.setdefault(lane.interpreter, {})
    key = (sort, seed, most)
    if key not in known:
        known[key] = _kept(lane, sort, seed, underway, most)
    return known[key]


def _kept(lane: Lane, sort: str, seed: int, underway: Callable[[], None], most: int) -> Weights:
    interpreter = lane.interpreter
    grammar = interpreter.language.chosen or ""  # by which programs are written and read
    rests_on = (interpreter.meaning.digest(), interpreter.lane, grammar, sort, seed,
                most, makers(MAKERS))  # fmt: skip
    made = untaught(lane)
    made.take(found_again(
        "weights", rests_on, Taught, lambda: learned(lane, sort, seed, underway, most).taught()
    ))  # fmt: skip
    return made
