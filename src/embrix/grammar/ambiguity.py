"""Looking for a shortest sentence with two derivations."""

from __future__ import annotations

from msgspec import Struct

from embrix.grammar.forest import Forest
from embrix.grammar.model import Grammar
from embrix.grammar.sentences import DerivationTree, Sentence, Sentences
from embrix.grammar.sets import Sets


class Ambiguity(Struct, frozen=True):
    """A sentence with two trees; a shortest one, up to exchanging terminals used alike."""

    sentence: Sentence
    first: DerivationTree
    second: DerivationTree


class Search(Struct, frozen=True):
    """What a search for ambiguity came to: `length` is the greatest length that was searched
    through, `tried` the number of sentences."""

    found: Ambiguity | None
    length: int
    tried: int


def search_ambiguity(
    grammar: Grammar,
    sets: Sets,
    start: int,
    length: int = 9,
    most: int = 30_000,
    settled: dict[int, Sentence] | None = None,
) -> Search:
    """Look for a shortest ambiguous sentence among those of bounded length and number.

    For the nonterminals in `settled` only the one sentence given is tried.
    """
    sentences = Sentences(grammar, most, settled)
    tried = 0
    for size in range(length + 1):
        found = sentences.of(start, size)
        if found is None:
            return Search(None, size - 1, tried)
        doubtful = sentences.doubtful(start, size)
        for number, sentence in enumerate(sorted(found) if doubtful else (), tried + 1):
            both = Forest(grammar, sets, start, sentence).two() if sentence in doubtful else None
            if both is not None:
                return Search(Ambiguity(sentence, *both), size, number)
        tried += len(found)
    return Search(None, length, tried)
