"""A short text for each form: the least that makes it, in the least that can stand around it."""

from __future__ import annotations

import re
from itertools import count

from embrix.grammar.corner_cases import surroundings
from embrix.grammar.lr import parser_of
from embrix.grammar.model import Compose, Fold, Grammar, OrElse, Several, Template
from embrix.grammar.parser import Parsed
from embrix.grammar.sentences import Sentence, shortest, spelled


def form_examples(grammar: Grammar, rule: str | None = None) -> dict[str, str]:
    """By the name of each form that a rule comes to (default: the first start rule) a text, in the
    order of the signature."""
    start = grammar.entry[rule or grammar.starts[0]]
    best = shortest(grammar)
    around = surroundings(grammar, start, best)
    found: dict[str, Sentence] = {}
    for production in grammar.productions:
        if production.left not in around or not isinstance(production.build, Compose | Fold):
            continue
        if any(part < 0 and part not in best for part in production.right):
            continue
        before, behind = around[production.left]
        folded = _folded(production.build)
        parts = zip(production.right, production.captures, strict=True)
        # What is folded has an item, or else nothing would be made of it.
        symbols = [
            grammar.repeats[part].inner if slot in folded and part in grammar.repeats else part
            for part, slot in parts
        ]
        inside = [best[part] if part < 0 else (part,) for part in symbols]
        sentence = (*before, *(one for part in inside for one in part), *behind)
        for name in _forms(production.build):
            if name not in found or len(sentence) < len(found[name]):
                found[name] = sentence
    order = [form.name for form in grammar.signature.forms if form.name in found]
    return {name: _varied(grammar, spelled(grammar, found[name]), rule) for name in order}


def _varied(grammar: Grammar, text: str, rule: str | None) -> str:
    """The text with other numbers and names in each place, if it is a program then."""
    numbers, names = count(1), iter("abcdefgh")
    other = re.sub(r"\b1\b", lambda _: str(next(numbers)), text)
    other = re.sub(r"\ba\b", lambda _: next(names, "a"), other)
    return other if isinstance(parser_of(grammar).parse(other, rule), Parsed) else text


def _folded(template: Template) -> set[int]:
    """The slots of the lists that an alternative folds."""
    match template:
        case Fold(make):
            return {template.slot, *_folded(make)}
        case Compose(_, parts) | Several(parts):
            return {slot for part in parts for slot in _folded(part)}
    return set()


def _forms(template: Template) -> list[str]:
    """The forms that an alternative makes; what only stands in for something left out is not
    counted."""
    match template:
        case Compose(form, parts):
            return [form.name, *(name for part in parts for name in _forms(part))]
        case Fold(make):
            return _forms(make)
        case Several(parts):
            return [name for part in parts for name in _forms(part)]
        case OrElse():
            return []
    return []
