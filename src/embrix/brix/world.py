"""Everything a definition may refer to: types, constructors, functions, errors. And unification."""

from __future__ import annotations

from collections.abc import Callable

from msgspec import Struct, field
from msgspec.structs import replace

from embrix.brix import syntax as s
from embrix.brix.core import Choice, ErrorType, Function, Todo
from embrix.terms.node import Constructor
from embrix.terms.types import (
    ARITY,
    NUMBER,
    Con,
    Fn,
    Hole,
    Tup,
    Type,
    Unknown,
    replaced_names,
    settle,
    unknown_in,
)
from embrix.text.diagnostic import Diagnostic, Findings
from embrix.text.source import Source, Span
from embrix.text.suggest import did_you_mean


class FunctionSignature(Struct):
    """What callers of a function must know."""

    name: str
    params: tuple[str, ...]
    types: tuple[Type, ...]
    result: Type
    subjects: tuple[int, ...]
    small_step: bool
    span: Span
    variables: frozenset[str] = frozenset()
    """The type variables of a generic function."""
    control: int = 0
    """The parameter that a small-step relation goes into."""
    damaged: bool = False
    """Whether a line of it cannot be read."""

    def instance(self) -> tuple[tuple[Type, ...], Type]:
        """The types of the parameters and of the result for one use."""
        if not self.variables:
            return self.types, self.result
        known: dict[str, Type] = {name: Hole() for name in self.variables}
        types = tuple(replaced_names(kind, known) for kind in self.types)
        return types, replaced_names(self.result, known)


FEW = 8
"""Errors before one that are looked at to see whether it follows from them."""


class World(Struct):
    source: Source
    findings: Findings
    sorts: set[str]
    numbers: str = "rational"
    one_number: bool = False
    """Whether all numbers are whole, so that `Int` and `Number` are one type."""
    types: dict[str, str] = field(default_factory=dict)
    """The author's value and data types: name and the word that declared it."""
    constructors: dict[str, Constructor] = field(default_factory=dict)
    own_constructors: dict[str, Span] = field(default_factory=dict)
    """Where those are declared that are declared in the file itself."""
    functions: dict[str, FunctionSignature] = field(default_factory=dict)
    errors: dict[str, ErrorType] = field(default_factory=dict)
    choices: dict[str, Choice] = field(default_factory=dict)
    arities: dict[str, int] = field(default_factory=dict)
    """How many types the author's generic types take."""
    abbreviations: dict[str, s.TypeDecl] = field(default_factory=dict)
    """What names stand for another type."""
    open_types: dict[str, Type] = field(default_factory=dict)
    """What the types in brackets of an abbreviation are, while it is looked at."""
    opened: tuple[str, ...] = ()
    """The abbreviations that are looked at, one inside the other."""
    variables: set[str] | None = None
    """The type variables met in a signature; None where there can be none."""
    lost: dict[str, Diagnostic] = field(default_factory=dict)
    """Names whose declarations have errors, so that they are not known: what is wrong with each is
    reported there, and not where they are used."""
    causes: list[Diagnostic] = field(default_factory=list)
    """Every error so far, with those of lost names once more for each use."""

    contained: list[Diagnostic] = field(default_factory=list)
    """Errors that stand in a part which gives way to a hole of its own."""
    checked: dict[str, Function] = field(default_factory=dict)
    """The functions that have been checked so far, all of them when warnings are looked for."""
    later: list[Callable[[], None]] = field(default_factory=list)
    """Searches for what is only warned of, for when somebody asks."""

    def aside(self) -> World:
        """The same world, with what is found in it kept apart."""
        return replace(self, findings=Findings(), causes=[], contained=[], later=[])

    def error(self, code: str, message: str, span: Span, hint: str = "") -> None:
        source = span.source or self.source
        found = Diagnostic(code, message, source, span, hint)
        follows = any(map(found.follows, self.causes[-FEW:]))
        # A text in single quotes has been reported when it was read.
        follows = follows or source.text[span.start : span.start + 1] == "'"
        if code != "type_mismatch" or not follows:
            self.findings.extend([found])
        self.causes.append(found)

    def is_lost(self, name: str) -> bool:
        """Whether a name is not known because of an error that has been reported."""
        if name in self.lost:
            self.causes.append(self.lost[name])
        return name in self.lost

    def mark(self) -> int:
        """For `hole`: what is wrong from here on."""
        return len(self.causes)

    def hole(self, mark: int, span: Span) -> Todo | None:
        """What stands in for a part in which something has been wrong since a mark; None when
        nothing was."""
        if len(self.causes) == mark:
            return None
        cause = self.causes[mark]
        return Todo(cause.note, span, cause.code)

    def contain(self, mark: int, span: Span) -> Todo | None:
        """What stands in for a part in which something has been wrong since a mark, so that what is
        around it runs; None when nothing was wrong."""
        hole = self.hole(mark, span)
        self.contained += self.causes[mark:]
        del self.causes[mark:]
        return hole

    def warning(self, code: str, message: str, span: Span, hint: str = "") -> None:
        self.findings.warning(code, message, self.source, span, hint)

    def type(self, syntax: s.TypeSyntax) -> Type:
        """The type that the author wrote; `Unknown` when it was reported."""
        if isinstance(syntax, s.TypeTuple):
            items = tuple(self.type(item) for item in syntax.items)
            return items[0] if len(items) == 1 else Tup(items)
        if isinstance(syntax, s.TypeFunction):
            params = tuple(self.type(param) for param in syntax.params)
            return Fn(params, self.type(syntax.result))
        if syntax.name in self.open_types and not syntax.args:
            return self.open_types[syntax.name]
        arity = ARITY.get(syntax.name)
        if syntax.name in self.abbreviations:
            arity = len(self.abbreviations[syntax.name].params)
        if arity is None and (syntax.name in self.sorts or syntax.name in self.types):
            arity = self.arities.get(syntax.name, 0)
        if arity is None and self.variables is not None and len(syntax.name) == 1:
            self.variables.add(syntax.name)
            arity = 0
        if arity is None and self.is_lost(syntax.name):
            return Unknown(self.causes[-1])
        if arity is None:
            self.no_type(syntax.name, syntax.span)
            return Unknown(self.causes[-1])
        if arity != len(syntax.args):
            self.error(
                "wrong_number", f"{syntax.name} takes {count(arity, 'type')} in brackets, "
                f"not {len(syntax.args)}", syntax.span,
                f"write {syntax.name}" + ("[" + ", ".join(["…"] * arity) + "]" if arity else ""),
            )  # fmt: skip
            return Unknown(self.causes[-1])
        args = tuple(self.type(arg) for arg in syntax.args)
        if syntax.name in self.abbreviations:
            return self._meant(self.abbreviations[syntax.name], args, syntax.span)
        return self.as_here(Con(syntax.name, args))

    @property
    def known_types(self) -> tuple[str, ...]:
        """The names of what this file declares."""
        return (*self.sorts, *self.types, *self.abbreviations)

    def check_abbreviations(self) -> None:
        """Look at what every abbreviation stands for, used or not."""
        for decl in self.abbreviations.values():
            self._meant(decl, tuple(Con(name) for name, _ in decl.params), decl.span)

    def _meant(self, decl: s.TypeDecl, args: tuple[Type, ...], span: Span) -> Type:
        """The type that an abbreviation stands for."""
        if decl.name in self.opened:
            self.error("unknown_type", f"{decl.name} stands for a type with itself inside", span,
                       "a type with itself inside is declared by `data`")  # fmt: skip
            return Unknown(self.causes[-1])
        assert decl.means is not None
        before = self.open_types, self.opened, self.variables
        names = (name for name, _ in decl.params)
        self.open_types = dict(zip(names, args, strict=True))
        self.opened, self.variables = (*self.opened, decl.name), None
        meant = self.type(decl.means)
        self.open_types, self.opened, self.variables = before
        return meant

    def as_here(self, kind: Type) -> Type:
        """A type as this language has it: `Number` for `Int` where all numbers are whole."""
        match kind if self.one_number else None:
            case Con("Int", ()):
                return NUMBER
            case Con(name, args) if args:
                return Con(name, tuple(map(self.as_here, args)))
            case Tup(items):
                return Tup(tuple(map(self.as_here, items)))
            case Fn(params, result):
                return Fn(tuple(map(self.as_here, params)), self.as_here(result))
        return kind

    def no_type(self, name: str, span: Span) -> None:
        """Report a type that is not known."""
        known = [*ARITY, *self.known_types]
        self.error(
            "unknown_type", f"there is no type called {name}", span,
            did_you_mean(name, known, "known are " + ", ".join(known)),
        )  # fmt: skip

    def blame(self, *kinds: Type) -> None:
        """Note why something of one of these types cannot be used: the type is not known."""
        if all(type(kind) is Con and not kind.args for kind in kinds):
            return  # nearly always
        wrong = next(filter(None, map(unknown_in, kinds)), None)
        if wrong is not None and isinstance(wrong.cause, Diagnostic):
            self.causes.append(wrong.cause)

    def instance(self, constructor: Constructor) -> tuple[tuple[Type, ...], Type]:
        """The types of the fields and of the whole for one use of a constructor. A field of a type
        that is not known may hold anything: what uses it cannot run."""
        self.blame(*constructor.types)
        if not constructor.params:
            return constructor.types, Con(constructor.owner)
        known: dict[str, Type] = {name: Hole() for name in constructor.params}
        types = tuple(replaced_names(kind, known) for kind in constructor.types)
        return types, Con(constructor.owner, tuple(known[name] for name in constructor.params))

    def of_type(self, name: str) -> list[Constructor]:
        return [c for c in self.constructors.values() if c.owner == name]


def count(number: int, noun: str) -> str:
    """`1 type`, `2 types`, `no types`."""
    words = {0: "no", 1: "one", 2: "two", 3: "three", 4: "four"}
    return f"{words.get(number, str(number))} {noun}{'' if number == 1 else 's'}"


def unify(left: Type, right: Type) -> bool:
    """Make two types equal by filling holes; False when that cannot be."""
    left, right = settle(left), settle(right)
    if type(left) is Con and type(right) is Con and not left.args and not right.args:
        return left.name == right.name  # nearly always
    if left is right or isinstance(left, Unknown) or isinstance(right, Unknown):
        return True
    if isinstance(left, Hole):
        if _occurs(left, right):
            return False
        left.found = right
        return True
    if isinstance(right, Hole):
        return unify(right, left)
    match left, right:
        case Con(a, xs), Con(b, ys):
            same = a == b and len(xs) == len(ys)
            return same and all(unify(x, y) for x, y in zip(xs, ys, strict=True))
        case Tup(xs), Tup(ys):
            return len(xs) == len(ys) and all(unify(x, y) for x, y in zip(xs, ys, strict=True))
        case Fn(xs, x), Fn(ys, y):
            same = len(xs) == len(ys) and all(unify(a, b) for a, b in zip(xs, ys, strict=True))
            return same and unify(x, y)
    return False


def lean(kind: Type, wanted: Type | None) -> None:
    """What is generic is taken to be of the type that is wanted, so that its parts are; anything
    else is held against that type when its parts are known."""
    settled = settle(kind)
    generic = isinstance(settled, Hole) or (
        isinstance(settled, Con)
        and bool(settled.args)
        and all(isinstance(settle(arg), Hole) for arg in settled.args)
    )
    if wanted is not None and generic:
        unify(settled, wanted)


def _occurs(hole: Hole, kind: Type) -> bool:
    kind = settle(kind)
    match kind:
        case Hole():
            return kind is hole
        case Con(_, args):
            return any(_occurs(hole, arg) for arg in args)
        case Tup(items):
            return any(_occurs(hole, item) for item in items)
        case Fn(params, result):
            return any(_occurs(hole, p) for p in (*params, result))
    return False
