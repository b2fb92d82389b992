"""Two grammars held against each other on all sentences up to a length.

Terminals are matched by what they look like: a literal by its text, a named token by its name. A
sentence is made by one grammar and read by the other, so both directions are tried.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal, TypeAlias

from embrix.grammar.model import Grammar
from embrix.grammar.parser import Ambiguous, GaveUp, Parsed, Parser
from embrix.grammar.sentences import Sentence, Sentences, sentence_text, spelled
from embrix.terms.node import FIELDS, Value

Kind: TypeAlias = Literal["only the first", "only the second", "another tree"]


@dataclass(frozen=True, slots=True)
class Difference:
    """A sentence on which two grammars differ; the trees are empty where it is refused."""

    kind: Kind
    sentence: str
    first: str
    second: str


@dataclass(frozen=True, slots=True)
class Comparison:
    """What came of comparing: the shortest differences of each kind, how far and how much was
    tried."""

    differences: tuple[Difference, ...]
    length: int
    tried: int


Side: TypeAlias = tuple[Grammar, Parser, str]
"""A grammar, its parser, and the rule to begin with."""


def compare_grammars(
    first: Side, second: Side, length: int = 7, most: int = 20_000, shown: int = 5
) -> Comparison:
    """Look for sentences that one grammar accepts and the other does not, or reads otherwise.

    Of those that differ only in their numbers and names one is shown.
    """
    found: dict[Kind, list[Difference]] = {
        "only the first": [], "only the second": [], "another tree": [],
    }  # fmt: skip
    makers = [Sentences(side[0], most, apart=True) for side in (first, second)]
    seen: set[str] = set()
    told: set[tuple[Kind, Sentence]] = set()
    for size in range(length + 1):
        for side, maker in zip((first, second), makers, strict=True):
            grammar, _, rule = side
            sentences = maker.of(grammar.entry[rule], size)
            if sentences is None:
                return Comparison(_flat(found), size - 1, len(seen))
            for sentence in sorted(sentences):
                text = spelled(grammar, sentence)
                if text in seen:
                    continue
                seen.add(text)
                one, other = _read(first, text), _read(second, text)
                if one == other:
                    continue
                kind: Kind = "another tree"
                if not one:
                    kind = "only the second"
                elif not other:
                    kind = "only the first"
                names = len(grammar.tokens.literals)
                shape = tuple(min(terminal, names) for terminal in sentence)
                if len(found[kind]) < shown and (kind, shape) not in told:
                    told.add((kind, shape))
                    written = sentence_text(grammar, sentence)
                    found[kind].append(Difference(kind, written, one, other))
    return Comparison(_flat(found), length, len(seen))


def _flat(found: dict[Kind, list[Difference]]) -> tuple[Difference, ...]:
    return tuple(difference for kind in found for difference in found[kind])


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
    told = f"{comparison.tried:,} sentences up to length {comparison.length}"
    if not comparison.differences:
        return [f"no difference on {told}"]
    lines = [f"differences on {told}, the shortest of each kind:"]
    for difference in comparison.differences:
        kind = called.get(difference.kind, difference.kind)
        lines.append(f"  {kind}: {difference.sentence}")
        lines += [f"      {tree}" for tree in (difference.first, difference.second) if tree]
    return lines
