"""Decisions of a grammar that are easily made without noticing, each as a text that it accepts or
refuses: empty programs, lists of none and of one, separators at the ends, optional parts, nesting.
"""

from __future__ import annotations

import heapq

from msgspec import Struct

from embrix.grammar.model import Grammar
from embrix.grammar.parser import Ambiguous, GaveUp, Parsed, Parser
from embrix.grammar.sentences import Sentence, sentence_text, shortest, spelled, written

Around = tuple[Sentence, Sentence]
"""What stands before and behind a nonterminal in a sentence."""


class CornerCase(Struct, frozen=True):
    """A question with the text that asks it, and the answer that the grammar gives."""

    question: str
    text: str
    shown: str
    answer: str


def decisions(grammar: Grammar, parser: Parser, rule: str | None = None) -> list[CornerCase]:
    """All of them, from a rule (default: the first start rule), in the order of the grammar."""
    name = rule or grammar.starts[0]
    start = grammar.entry[name]
    best = shortest(grammar)
    around = surroundings(grammar, start, best)
    asked: dict[str, tuple[str, Sentence]] = {}

    def ask(question: str, at: int, middle: Sentence) -> None:
        if at in around:
            before, behind = around[at]
            sentence = (*before, *middle, *behind)
            asked.setdefault(spelled(grammar, sentence), (question, sentence))

    ask("an empty program", start, ())
    for symbol, (repeated, inner, separator) in grammar.repeats.items():
        item = best.get(inner, ()) if inner < 0 else (inner,)
        what = grammar.names[inner] if inner < 0 else grammar.describe(inner)
        if not item:
            continue
        if repeated.sign == "?":
            ask(f"{what} left out", symbol, ())
            ask(f"{what} given", symbol, item)
            continue
        between: Sentence = ()
        if separator is not None:
            between = best.get(separator, ()) if separator < 0 else (separator,)
        ask(f"no {what} at all", symbol, ())
        ask(f"a single {what}", symbol, item)
        ask(f"two of {what}", symbol, (*item, *between, *item))
        if between:
            sign = "the separator"
            if separator is not None and separator >= 0:
                sign = grammar.describe(separator)
            ask(f"{sign} after the last {what}", symbol, (*item, *between))
            ask(f"{sign} before the first {what}", symbol, (*between, *item))
            ask(f"{sign} twice between two of {what}", symbol, (*item, *between, *between, *item))
            ask(f"{sign} left out between two of {what}", symbol, (*item, *item))
        elif len(item) > 1 and item[-1] < len(grammar.tokens.literals):
            sign = grammar.describe(item[-1])
            ask(f"{sign} left out after the last {what}", symbol, (*item, *item[:-1]))
    for rule_name, left in grammar.entry.items():
        inside = surroundings(grammar, left, best, nested=True).get(left)
        if inside is not None and left in best:
            before, behind = inside
            twice = (*before, *before, *best[left], *behind, *behind)
            ask(f"{rule_name} in itself, and that in itself again", left, twice)
    return [
        CornerCase(question, text, sentence_text(grammar, sentence), _answer(parser, text, name))
        for text, (question, sentence) in asked.items()
    ]


def _answer(parser: Parser, text: str, rule: str) -> str:
    parsed = parser.parse(text, rule)
    if isinstance(parsed, Parsed):
        return "accepted"
    if isinstance(parsed, Ambiguous):
        return "ambiguous"
    return "not decided" if isinstance(parsed, GaveUp) else "refused"


def surroundings(
    grammar: Grammar, start: int, best: dict[int, Sentence], *, nested: bool = False
) -> dict[int, Around]:
    """For each nonterminal the shortest that can stand around it in a sentence of another one.

    With `nested` the start itself is looked for inside itself, with something around it.
    """
    productions = written(grammar)
    by_left: dict[int, list[tuple[int, ...]]] = {}
    for production in productions:
        by_left.setdefault(production.left, []).append(production.right)
    found: dict[int, Around] = {}
    heap: list[tuple[int, int, int, Around]] = [(0, 0, start, ((), ()))]
    count = 0
    while heap:
        _, _, symbol, (before, behind) = heapq.heappop(heap)
        outermost = nested and count == 0
        if symbol in found:
            continue
        if not outermost:
            found[symbol] = (before, behind)
        for right in by_left.get(symbol, ()):
            if any(part < 0 and part not in best for part in right):
                continue
            texts = [best[part] if part < 0 else (part,) for part in right]
            for at, part in enumerate(right):
                if part >= 0:
                    continue
                head = (*before, *(t for text in texts[:at] for t in text))
                tail = (*(t for text in texts[at + 1 :] for t in text), *behind)
                if nested and part == start and not (head or tail):
                    continue
                count += 1
                heapq.heappush(heap, (len(head) + len(tail), count, part, (head, tail)))
        count += 1
    return found


def as_cases(language: str, found: list[CornerCase]) -> list[str]:
    """Decisions as cases of a suite: what is refused today must stay refused."""
    lines = [f'language = "{language}"', 'about = "decisions of the grammar"', ""]
    for decision in found:
        if decision.answer not in ("accepted", "refused"):
            continue
        lines += [
            "[[case]]",
            f"name = {_toml(decision.question)}",
            f"program = {_toml(decision.text)}",
            "accepted = true" if decision.answer == "accepted" else 'rejected = "grammar"',
            "",
        ]
    return lines


def _toml(text: str) -> str:
    escaped = text.replace("\\", "\\\\").replace('"', '\\"').replace("\n", "\\n")
    return '"' + escaped.replace("\t", "\\t") + '"'
