"""What the variables of a rule stand for, and the letters that are written for them.

The types of the variables follow from where they stand; letters follow from types: e for an
expression, Γ for an environment, σ for a store, v for a value, n for a number. Where several
variables of a rule have one letter they are numbered in the order in which they appear; what the
conclusion is given keeps the letter alone.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence

from embrix.brix.core import Function, Interpreter
from embrix.draw.rule_terms import BOUND, PRIME, RuleTerm, parts_within
from embrix.terms.node import Constructor
from embrix.terms.types import BOOL, LOC, NAME, NUMBER, TEXT, Con, Fn, Tup, Type, settle

LETTERS = {
    "Env": "Γ", "Store": "σ", "Loc": "l", "Number": "n", "Int": "n", "Bool": "b", "Text": "t",
    "Name": "x", "Expr": "e", "Stmt": "s", "Value": "v", "Kind": "τ", "Type": "τ",
}  # fmt: skip
MADE = "made "
"""How the names begin that are made for what is worked out; they keep the letter alone."""
_ENDING = re.compile(r"\d+$")
_SUBSCRIPTS = str.maketrans("0123456789", "₀₁₂₃₄₅₆₇₈₉")


class VariableTypes:
    """The types of the variables of one rule, found by where these stand."""

    def __init__(self, interpreter: Interpreter) -> None:
        self.of: dict[str, Type] = {}
        self._functions = interpreter.functions
        self._constructors: dict[str, Constructor] = {
            one.name: one for one in interpreter.constructors.values()
        }

    def all(self, terms: Sequence[RuleTerm], types: Sequence[Type]) -> None:
        """Terms of known types."""
        for term, kind in zip(terms, types, strict=False):
            self.look(term, kind)

    def look(self, term: RuleTerm, wanted: Type | None) -> Type | None:
        """The type of a term, with those of the variables in it."""
        parts = term.parts
        match term.kind:
            case "var":
                if wanted is not None:
                    self.of.setdefault(term.text.removesuffix(PRIME), wanted)
                return self.of.get(term.text.removesuffix(PRIME), wanted)
            case "make" if (made := self._constructors.get(term.text)) is not None:
                self.all(parts, () if made.params else made.types)
                return Con(made.owner) if not made.params else wanted
            case "make" if term.text == "Some" and parts:
                settled = settle(wanted) if wanted is not None else None
                maybe = isinstance(settled, Con) and bool(settled.args)
                self.look(parts[0], settled.args[0] if maybe else None)  # type: ignore[union-attr]
                return wanted
            case "call" if (function := self._functions.get(term.text)) is not None:
                self.all(parts, function.types)
                return function.result
            case "call" if term.text in ("alloc", "reserve") and parts:
                store = self.look(parts[0], None)
                self.all(parts[1:], [t for t in (self._inside(store)[1],) if t is not None])
                return Tup((LOC, store)) if store is not None else None
            case "call" if term.text in ("fold", "map", "filter") and parts[-1].kind == "fn":
                element = self._element(self.look(parts[0], None))
                so_far = self.look(parts[1], wanted) if term.text == "fold" else None
                given = [element] if so_far is None else [so_far, element]
                for pattern, kind in zip(parts[-1].parts[:-1], given, strict=False):
                    self.look(pattern, kind)
                self.look(parts[-1].parts[-1], so_far)
                return wanted if so_far is None else so_far
            case "call" if term.text == "zip":
                kinds = [self._element(self.look(part, None)) for part in parts]
                items = tuple(kind for kind in kinds if kind is not None)
                return Con("List", (Tup(items),)) if len(items) == len(kinds) else wanted
            case "call" if term.text == "substitute":
                self.all(parts, [t for t in (wanted, NAME, wanted) if t is not None])
                return wanted
            case "at":
                inside = self._inside(self.look(parts[0], None))
                self.look(parts[1], inside[0])
                return inside[1] or wanted
            case "with":
                kind = self.look(parts[0], wanted) or wanted
                key, value = self._inside(kind)
                self.look(parts[1], key)
                self.look(parts[2], value)
                return kind
            case "tuple":
                settled = settle(wanted) if wanted is not None else None
                wished = settled.items if isinstance(settled, Tup) else (None,) * len(parts)
                kinds = [self.look(*pair) for pair in zip(parts, wished, strict=False)]
                items = tuple(kind for kind in kinds if kind is not None)
                return Tup(items) if wanted is None and len(items) == len(parts) else wanted
            case "list" | "rest":
                settled = settle(wanted) if wanted is not None else None
                item = self._element(wanted)
                for number, part in enumerate(parts):
                    last = term.kind == "rest" and number == len(parts) - 1
                    kind = self.look(part, wanted if last else item)
                    item = kind if item is None and not last else item
                return wanted or (Con("List", (item,)) if item is not None else None)
            case "op":
                return self._operation(term)
            case "context":
                return self.look(parts[0], wanted)
            case "fn":
                kind = settle(wanted) if wanted is not None else None
                if isinstance(kind, Fn):
                    self.all(parts, (*kind.params, kind.result))
                    return wanted
            case "let":
                self.look(parts[0], self.look(parts[1], None))
                return self.look(parts[2], wanted)
            case "if":
                self.look(parts[0], BOOL)
                return self.look(parts[1], wanted) or self.look(parts[2], wanted)
        for part in parts:
            self.look(part, None)
        return wanted

    def _operation(self, term: RuleTerm) -> Type | None:
        if term.text in ("and", "or", "not"):
            for part in term.parts:
                self.look(part, BOOL)
            return BOOL
        if term.text in ("==", "!="):
            found = self.look(term.parts[0], None)
            self.look(term.parts[0], self.look(term.parts[-1], found))
            return BOOL
        for part in term.parts:
            self.look(part, TEXT if term.text == "++" else NUMBER)
        if term.text == "++":
            return TEXT
        return BOOL if term.text in ("<", ">", "<=", ">=") else NUMBER

    def _element(self, kind: Type | None) -> Type | None:
        """The type of the elements of a list."""
        settled = settle(kind) if kind is not None else None
        return settled.args[0] if isinstance(settled, Con) and settled.args else None

    def _inside(self, kind: Type | None) -> tuple[Type | None, Type | None]:
        """The types of the keys and of what is found in an environment, a store or a map."""
        settled = settle(kind) if kind is not None else None
        if not isinstance(settled, Con) or not settled.args:
            return None, None
        keys: Mapping[str, Type] = {"Env": NAME, "Store": LOC}
        return keys.get(settled.name, settled.args[0]), settled.args[-1]


def letters_of(
    interpreter: Interpreter, types: Mapping[str, Type], terms: Iterable[RuleTerm],
    conclusion: Function, given: Sequence[RuleTerm],
) -> dict[str, str]:  # fmt: skip
    """What is written for each variable in some terms, which stand in the order of the rule;
    `given` is what the conclusion is about."""
    order: dict[str, None] = {}
    for term in terms:
        for part in parts_within(term):
            if part.kind == "var":
                order.setdefault(part.text.removesuffix(PRIME))
    alone = {
        term.text for term, param in zip(given, conclusion.params, strict=False)
        if term.kind == "var" and term.text == param
    }  # fmt: skip
    syntax = interpreter.syntax
    known = dict(LETTERS)
    if syntax is not None:
        known |= {one.name: "v" for one in syntax.types if one.word == "value"}
        known |= {one.type: one.letter for one in syntax.letters}
    groups: dict[str, list[str]] = {}
    for name in order:
        groups.setdefault(_letter(name, types.get(name), known), []).append(name)
    found: dict[str, str] = {}
    for letter, names in groups.items():
        plain = [name for name in names if name in alone or name.startswith(MADE)]
        if letter == LETTERS["Name"]:
            plain = plain or [name for name in names if name == letter]
        if len(names) == 1 or len(plain) == 1:
            found[(plain or names)[0]] = letter
            names = [name for name in names if name not in found]
        found |= {name: letter + subscript(n) for n, name in enumerate(names, 1)}
    return found


def _letter(name: str, kind: Type | None, known: Mapping[str, str]) -> str:
    """The letter for a type; of a name with one letter the own name, and of what has no letter the
    own name without the number at its end."""
    settled = settle(kind) if kind is not None else None
    owner = settled.name if isinstance(settled, Con) else ""
    if owner == "Name" and len(name.partition(BOUND)[0]) == 1 and known["Name"] == LETTERS["Name"]:
        return name.partition(BOUND)[0]
    own = "w" if " " in name else _ENDING.sub("", name.partition(BOUND)[0])
    return known.get(owner, own)


def subscript(number: str | int) -> str:
    """A number as it stands below a letter."""
    return str(number).translate(_SUBSCRIPTS)
