"""What programs that are made up may hold: the forms and leaves that a grammar can write in each
field or, in a language without a grammar, those that an interpreter speaks of."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Sequence

from embrix.brix import core as k
from embrix.brix.core import Interpreter, Language
from embrix.grammar.actions import Unfit, read_token
from embrix.grammar.model import (
    Compose,
    Fixed,
    Grammar,
    OrElse,
    Pass,
    Production,
    Several,
    Slot,
    Template,
)
from embrix.grammar.printing import Printer
from embrix.grammar.sentences import sample
from embrix.grammar.tokens import Token
from embrix.terms.generate import NAMES, TEXTS, TOP, Spot, Words, numbers_for
from embrix.terms.node import Value
from embrix.terms.types import INT, NUMBER, TEXT, Con, Type, settle


def words_of(interpreter: Interpreter, printer: Printer | None) -> Words:
    """What programs for an interpreter are made of; `printer` is that of its grammar."""
    language = interpreter.language
    if language.grammar is None or printer is None:
        return _spoken_of(interpreter)
    return _written(language, language.grammar, printer)


def _spoken_of(interpreter: Interpreter) -> Words:
    """Where nothing says what texts a field may hold, those that clauses look for there."""
    constructors = interpreter.constructors
    found: dict[Spot, dict[str, None]] = defaultdict(dict)
    for function in interpreter.functions.values():
        for part in k.parts_of((function.clauses, function.body)):
            if not isinstance(part, k.Shape) or part.tag not in constructors:
                continue
            form = constructors[part.tag]
            for index, inner in enumerate(part.fields):
                if isinstance(inner, k.Equals) and isinstance(inner.value, str):
                    found[form.name, index][inner.value] = None
    leaves = {
        (form.name, index): tuple(found[form.name, index])
        for form in interpreter.language.signature.forms
        for index, kind in enumerate(form.types)
        if settle(kind) == TEXT and found[form.name, index]
    }
    return Words(numbers=numbers_for(interpreter.language.numbers), leaves=leaves)


def _written(language: Language, grammar: Grammar, printer: Printer) -> Words:
    every = numbers_for(language.numbers)
    numbers = [one for one in every if printer.literal(one) is not None]
    names = [one for one in NAMES if printer.literal(one) is not None]
    spots = _Spots(grammar, printer, every)
    return Words(names or NAMES, numbers or every, spots.leaves(), spots.parts(language))


class _Spots:
    """What the productions of a grammar put into each field."""

    def __init__(self, grammar: Grammar, printer: Printer, samples: Sequence[Value]) -> None:
        self._grammar = grammar
        self._printer = printer
        self._samples = samples
        self._forms: dict[Spot, set[str]] = defaultdict(set)
        self._leaves: dict[Spot, dict[Value, None]] = defaultdict(dict)
        for production in grammar.productions:
            if isinstance(production.build, Compose):
                self._fields(production, production.build)

    def leaves(self) -> dict[Spot, tuple[Value, ...]]:
        return {spot: tuple(found) for spot, found in self._leaves.items() if found}

    def parts(self, language: Language) -> dict[Spot, frozenset[str]]:
        """The forms in each field, and those of whole programs."""
        found = {spot: frozenset(forms) for spot, forms in self._forms.items() if forms}
        tops: set[str] = set()
        for start in self._grammar.starts:
            tops |= {made.form.name for made in self._built(self._grammar.entry[start])}
        return {**found, TOP: frozenset(tops)} if tops else found

    def _fields(self, production: Production, made: Compose) -> None:
        for index, template in enumerate(made.parts):
            self._template(production, (made.form.name, index), template)

    def _template(self, production: Production, spot: Spot, template: Template) -> None:
        match template:
            case Fixed(value):
                self._leaves[spot][value] = None
            case Several(parts):
                for part in parts:
                    self._template(production, spot, part)
            case Compose() as inner:
                self._forms[spot].add(inner.form.name)
                self._fields(production, inner)
            case OrElse(number, instead):
                self._template(production, spot, Slot(number))
                self._template(production, spot, instead)
            case Slot(number):
                for symbol, slot in zip(production.right, production.captures, strict=True):
                    if slot == number:
                        self._symbol(spot, symbol)

    def _symbol(self, spot: Spot, symbol: int) -> None:
        self._forms[spot] |= {made.form.name for made in self._built(symbol)}
        for terminal in self._terminals(symbol):
            literals = self._grammar.tokens.literals
            texts = [literals[terminal]] if terminal < len(literals) else self._kept(spot, terminal)
            self._leaves[spot].update(dict.fromkeys(texts))

    def _kept(self, spot: Spot, terminal: int) -> list[Value]:
        """Values that a token can write in a field: some of the usual ones, else what a short text
        means."""
        usual = self._samples if self._kind(spot) in (NUMBER, INT) else (*NAMES, *TEXTS)
        found = [one for one in usual if self._printer.writes(terminal, one)]
        kind = self._grammar.tokens.kind_of(terminal)
        if found or kind is None or kind.made:
            return found
        text = sample(kind.pattern)
        if not self._grammar.tokens.exactly(text, terminal):
            return []
        try:
            return [read_token(self._grammar, Token(terminal, 0, len(text)), text)]
        except Unfit:
            return []

    def _kind(self, spot: Spot) -> Type:
        """The type of a leaf in a field."""
        name, index = spot
        kind = settle(self._grammar.signature.by_name[name].types[index])
        while isinstance(kind, Con) and kind.args:
            kind = settle(kind.args[0])
        return kind

    def _handed_on(self, symbol: int) -> Iterator[int | Production]:
        """The terminals whose value a symbol may have, and the productions that build it."""
        seen: set[int] = set()
        pending = [symbol]
        while pending:
            at = pending.pop()
            if at in seen:
                continue
            seen.add(at)
            if at >= 0:
                yield at
                continue
            if at in self._grammar.repeats:
                pending.append(self._grammar.repeats[at][1])
                continue
            for production in self._grammar.by_left.get(at, ()):
                if self._grammar.unwritten.intersection(production.right):
                    continue
                if isinstance(production.build, Pass):
                    pending.append(production.right[production.build.position])
                elif isinstance(production.build, Compose):
                    yield production

    def _built(self, symbol: int) -> list[Compose]:
        found = [one for one in self._handed_on(symbol) if isinstance(one, Production)]
        return [one.build for one in found if isinstance(one.build, Compose)]

    def _terminals(self, symbol: int) -> list[int]:
        return [one for one in self._handed_on(symbol) if isinstance(one, int)]
