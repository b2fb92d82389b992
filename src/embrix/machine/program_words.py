"""What programs that are made up may hold: the forms and leaves that a grammar can write in each
field or, in a language without a grammar, those that an interpreter speaks of."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Sequence
from contextlib import suppress

from embrix.brix import core as k
from embrix.brix.core import Interpreter, Language
from embrix.grammar.actions import Unfit, read_token
from embrix.grammar.model import (
    Compose,
    Fixed,
    Fold,
    Grammar,
    OrElse,
    Production,
    Several,
    Slot,
    Template,
)
from embrix.grammar.printing import Printer
from embrix.grammar.sentences import samples
from embrix.grammar.tokens import Token
from embrix.terms.generate import NAMES, TEXTS, TOP, Spot, Words, numbers_for
from embrix.terms.node import Constructor, Value
from embrix.terms.types import INT, NUMBER, TEXT, Con, Type, settle

MOST_WAYS = 12
"""Texts of one kind of token that are tried in a field."""
MOST_CONSTANTS = 8
"""Numbers and texts each that are taken from the clauses of an interpreter."""


def words_of(
    interpreter: Interpreter, printer: Printer | None, other: Interpreter | None = None
) -> Words:
    """What programs for an interpreter are made of, and for the one it is compared with; `printer`
    is that of its grammar. Numbers and texts that their clauses speak of are among it."""
    language = interpreter.language
    numbers, texts = _constants([interpreter] if other is None else [interpreter, other])
    if language.grammar is None or printer is None:
        return _spoken_of(interpreter, numbers)
    return _written(language, language.grammar, printer, numbers, texts)


def _constants(interpreters: Sequence[Interpreter]) -> tuple[list[Value], list[Value]]:
    """The first numbers and texts that clauses compare with or look for."""
    numbers: dict[Value, None] = {}
    texts: dict[Value, None] = {}
    for interpreter in interpreters:
        for function in interpreter.functions.values():
            for part in k.parts_inside(function):
                if isinstance(part, k.Const | k.Equals) and not isinstance(part.value, bool):
                    (texts if isinstance(part.value, str) else numbers)[part.value] = None
    return list(numbers)[:MOST_CONSTANTS], list(texts)[:MOST_CONSTANTS]


def _numbers(kind: str, constants: Sequence[Value]) -> list[Value]:
    """The usual numbers of a kind, and constants."""
    made = [float(one) if kind == "float" else one for one in constants]
    fit = [one for one in made if kind != "integer" or isinstance(one, int)]
    return list(dict.fromkeys([*numbers_for(kind), *fit]))


def _spoken_of(interpreter: Interpreter, numbers: Sequence[Value]) -> Words:
    """Where nothing says what texts a field may hold, those that clauses look for there."""
    constructors = interpreter.constructors
    found: dict[Spot, dict[str, None]] = defaultdict(dict)
    for function in interpreter.functions.values():
        for part in k.parts_inside(function):
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
    return Words(numbers=_numbers(interpreter.language.numbers, numbers), leaves=leaves)


def _written(
    language: Language,
    grammar: Grammar,
    printer: Printer,
    constants: Sequence[Value],
    texts: Sequence[Value],
) -> Words:
    every = _numbers(language.numbers, constants)
    numbers = [one for one in every if printer.literal(one) is not None]
    names = [one for one in NAMES if printer.literal(one) is not None]
    spots = _Spots(grammar, printer, every, texts)
    return Words(names or NAMES, numbers or every, spots.leaves(), spots.parts(language))


class _Spots:
    """What the productions of a grammar put into each field."""

    def __init__(
        self, grammar: Grammar, printer: Printer, numbers: Sequence[Value], texts: Sequence[Value]
    ) -> None:
        self._grammar = grammar
        self._printer = printer
        self._numbers = numbers
        self._texts = texts
        self._forms: dict[Spot, set[str]] = defaultdict(set)
        self._leaves: dict[Spot, dict[Value, None]] = defaultdict(dict)
        for production in grammar.productions:
            if isinstance(production.build, Compose | Fold):
                self._made(production, production.build)

    def leaves(self) -> dict[Spot, tuple[Value, ...]]:
        return {spot: tuple(found) for spot, found in self._leaves.items() if found}

    def parts(self, language: Language) -> dict[Spot, frozenset[str]]:
        """The forms in each field, and those of whole programs."""
        found = {spot: frozenset(forms) for spot, forms in self._forms.items() if forms}
        tops: set[str] = set()
        for start in self._grammar.starts:
            tops |= {made.name for made in self._built(self._grammar.entry[start])}
        return {**found, TOP: frozenset(tops)} if tops else found

    def _made(self, production: Production, build: Compose | Fold) -> None:
        made = build.make if isinstance(build, Fold) else build
        if isinstance(build, Fold):
            self._forms[made.form.name, build.seed].add(made.form.name)
        self._fields(production, made)

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
            case Fold(inner, _, seed):
                self._forms[spot].add(inner.form.name)
                self._made(production, template)
                self._template(production, spot, inner.parts[seed])
            case OrElse(number, instead):
                self._template(production, spot, Slot(number))
                self._template(production, spot, instead)
            case Slot(number):
                for symbol, slot in zip(production.right, production.captures, strict=True):
                    if slot == number:
                        self._symbol(spot, symbol)

    def _symbol(self, spot: Spot, symbol: int) -> None:
        self._forms[spot] |= {made.name for made in self._built(symbol)}
        for terminal in self._terminals(symbol):
            literals = self._grammar.tokens.literals
            texts = [literals[terminal]] if terminal < len(literals) else self._kept(spot, terminal)
            self._leaves[spot].update(dict.fromkeys(texts))

    def _kept(self, spot: Spot, terminal: int) -> list[Value]:
        """Values that a token can write in a field: some of the usual ones, those that clauses
        speak of, and where none of the usual ones fits, what short texts mean."""
        numeric = self._kind(spot) in (NUMBER, INT)
        usual = self._numbers if numeric else (*NAMES, *TEXTS)
        found = [one for one in usual if self._printer.writes(terminal, one)]
        if self._kind(spot) == TEXT:
            spoken = [one for one in self._texts if self._printer.writes(terminal, one)]
            return found + spoken if found else spoken + self._short(terminal)
        return found or self._short(terminal)

    def _short(self, terminal: int) -> list[Value]:
        """What short texts of a token mean."""
        kind = self._grammar.tokens.kind_of(terminal)
        found: list[Value] = []
        for text in () if kind is None or kind.made else samples(kind.pattern, MOST_WAYS):
            if self._grammar.tokens.exactly(text, terminal):
                with suppress(Unfit):
                    token = Token(terminal, 0, len(text))
                    found.append(read_token(self._grammar, token, text))
        return found

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
                pending.append(self._grammar.repeats[at].inner)
                continue
            for production in self._grammar.by_left.get(at, ()):
                if self._grammar.unwritten.intersection(production.right):
                    continue
                if production.passes is not None:
                    pending.append(production.right[production.passes])
                if production.form is not None:
                    yield production

    def _built(self, symbol: int) -> list[Constructor]:
        """The forms that are made where a symbol stands."""
        found = [one for one in self._handed_on(symbol) if isinstance(one, Production)]
        return [one.form for one in found if one.form is not None]

    def _terminals(self, symbol: int) -> list[int]:
        return [one for one in self._handed_on(symbol) if isinstance(one, int)]
