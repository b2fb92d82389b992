"""Two grammars held against each other on all sentences up to a length.

Terminals are matched by what they look like: a literal by its text, a named token by its name. A
sentence is made by one grammar and read by the other, so both directions are tried.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Literal, TypeAlias

from msgspec import Struct

from embrix.grammar.model import Grammar
from embrix.grammar.parser import Ambiguous, GaveUp, Parsed, Parser
from embrix.grammar.sentences import (
    Sentence,
    Sentences,
    alike_terminals,
    sentence_text,
    spelled,
)
from embrix.terms.node import FIELDS, Value

Kind: TypeAlias = Literal["only the first", "only the second", "another tree"]


class Difference(Struct, frozen=True):
    """A sentence on which two grammars differ; the trees are empty where it is refused."""

    kind: Kind
    sentence: str
    first: str
    second: str


class Comparison(Struct, frozen=True):
    """What came of comparing: the shortest differences of each kind, how far and how much was
    tried."""

    differences: tuple[Difference, ...]
    length: int
    tried: int
    further: int = 0
    """How far it went with terminals that are used alike not told apart; 0 where not at all."""


Side: TypeAlias = tuple[Grammar, Parser, str]
"""A grammar, its parser, and the rule to begin with."""


def compare_grammars(
    first: Side, second: Side, length: int = 7, most: int = 20_000, shown: int = 5
) -> Comparison:
    """Look for sentences that one grammar accepts and the other does not, or reads otherwise.

    Of those that differ only in their numbers and names one is shown. When there are too many
    sentences of the length that is asked for, the longer ones are tried with terminals that both
    grammars use in the same places not told apart.
    """
    work = _Comparing(first, second, shown)
    reached = work.look(
        [Sentences(side[0], most, apart=True) for side in (first, second)], range(length + 1)
    )
    further = 0
    if reached < length:
        alike = _alike_in_both(first[0], second[0])
        makers = [
            Sentences(side[0], most, alike=same)
            for side, same in zip((first, second), alike, strict=True)
        ]
        further = work.look(makers, range(reached + 1, length + 1))
    differences = tuple(one for kind in work.found.values() for one in kind)
    return Comparison(differences, reached, len(work.seen), further if further > reached else 0)


def _alike_in_both(first: Grammar, second: Grammar) -> list[dict[int, int]]:
    """For each grammar one terminal for all that both use in the same places."""
    sides = (first, second)
    leaders = [
        {
            grammar.tokens.describe(terminal): grammar.tokens.describe(leader)
            for terminal, leader in alike_terminals(grammar).items()
        }
        for grammar in sides
    ]
    found: list[dict[int, int]] = []
    for grammar in sides:
        chosen: dict[tuple[str, ...], int] = {}
        same: dict[int, int] = {}
        for terminal in alike_terminals(grammar):
            name = grammar.tokens.describe(terminal)
            places = tuple(own.get(name, f"only {name}") for own in leaders)
            same[terminal] = chosen.setdefault(places, terminal)
        found.append(same)
    return found


class _Comparing:
    """What has been found of two grammars so far."""

    def __init__(self, first: Side, second: Side, shown: int) -> None:
        self.sides = (first, second)
        self.shown = shown
        self.found: dict[Kind, list[Difference]] = {
            "only the first": [], "only the second": [], "another tree": [],
        }  # fmt: skip
        self.seen: set[str] = set()
        self._shown_shapes: set[tuple[Kind, Sentence]] = set()

    def look(self, makers: Sequence[Sentences], sizes: range) -> int:
        """Try all sentences that the makers give; the length up to which that was possible."""
        for size in sizes:
            for side, maker in zip(self.sides, makers, strict=True):
                grammar, _, rule = side
                sentences = maker.of(grammar.entry[rule], size)
                if sentences is None:
                    return size - 1
                for sentence in sorted(sentences):
                    self._try(grammar, sentence)
        return sizes.stop - 1

    def _try(self, grammar: Grammar, sentence: Sentence) -> None:
        text = spelled(grammar, sentence)
        if text in self.seen:
            return
        self.seen.add(text)
        one, other = (_read(side, text) for side in self.sides)
        if one == other:
            return
        kind: Kind = "another tree"
        if not one:
            kind = "only the second"
        elif not other:
            kind = "only the first"
        names = len(grammar.tokens.literals)
        shape = tuple(min(terminal, names) for terminal in sentence)
        if len(self.found[kind]) < self.shown and (kind, shape) not in self._shown_shapes:
            self._shown_shapes.add((kind, shape))
            written = sentence_text(grammar, sentence)
            self.found[kind].append(Difference(kind, written, one, other))


def _read(side: Side, text: str) -> str:
    """The tree of a text as a line, or nothing when it is refused."""
    grammar, parser, rule = side
    parsed = parser.parse(text, rule)
    if isinstance(parsed, Ambiguous):
        return "ambiguous"
    if isinstance(parsed, GaveUp):
        return "not decided"
    return structure(grammar, parsed.term) if isinstance(parsed, Parsed) else ""


def structure(grammar: Grammar, term: Value) -> str:
    """A short term as the notation would build it."""
    if not isinstance(term, tuple):
        return str(term)
    form = grammar.signature.by_tag.get(term[0])
    inside = ", ".join(structure(grammar, part) for part in term[FIELDS:])
    name = form.name if form is not None else ""
    return f"{name}({inside})" if inside or form is None else name


def comparison_text(comparison: Comparison, names: Mapping[str, str] | None = None) -> list[str]:
    """A comparison as lines of text; `names` says what the kinds of differences are called."""
    called = names or {}
    text = f"{comparison.tried:,} sentences up to length {comparison.length}"
    if comparison.further:
        text += f", and up to {comparison.further} with tokens that are used alike not told apart"
    if not comparison.differences:
        return [f"no difference on {text}"]
    lines = [f"differences on {text}, the shortest of each kind:"]
    for difference in comparison.differences:
        kind = called.get(difference.kind, difference.kind)
        lines.append(f"  {kind}: {difference.sentence}")
        lines += [f"      {tree}" for tree in (difference.first, difference.second) if tree]
    return lines
