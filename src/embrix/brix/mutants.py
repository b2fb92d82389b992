"""One-line mistakes that can be made in a definition, as changes of its text.

They are what people get wrong: an old store, the caller's environment, a missed shadowing, swapped
operands, a value never forced, a second evaluation, lost output, a wrong branch; in a machine a
frame that is dropped, an environment that is not kept or not taken up, components in each other's
place. Whether a change is noticed is for others to find out.
"""

from __future__ import annotations

from collections.abc import Iterator
from itertools import chain, pairwise, starmap

from msgspec import Struct

from embrix.brix import syntax as s
from embrix.brix.paths import inside
from embrix.text.source import Source, Span

_SWAPPED = ("-", "/", "div", "mod", "<", ">", "<=", ">=")
_OTHERWISE = {"<": "<=", "<=": "<", ">": ">=", ">=": ">", "==": "!=", "!=": "==",
              "and": "or", "or": "and", "+": "-", "*": "+"}  # fmt: skip


class Mistake(Struct, frozen=True):
    """A change of a text: what stands at `span` becomes `instead`."""

    what: str
    span: Span
    instead: str

    def made(self, text: str) -> str:
        """The text with the mistake in it."""
        return text[: self.span.start] + self.instead + text[self.span.end :]


def mistakes_in(syntax: s.InterpreterSyntax) -> list[Mistake]:
    """All mistakes of the known kinds, in the order of the text."""
    found: dict[tuple[int, int, str], Mistake] = {}
    work = _Making(syntax.source, syntax)
    functions: list[tuple[tuple[s.DefineRow, ...], s.Expr | None]] = [
        *((define.rows, define.body) for define in syntax.functions),
        *((widening.rows, widening.body) for widening in syntax.widenings),
    ]
    machines = map(work.machine, syntax.functions)
    for made in chain(starmap(work.function, functions), machines):
        for mistake in made:
            if mistake.instead != syntax.source.text[mistake.span.start : mistake.span.end]:
                found.setdefault((mistake.span.start, mistake.span.end, mistake.instead), mistake)
    return sorted(found.values(), key=lambda one: (one.span.start, one.span.end))


def _said(kind: s.TypeSyntax) -> object:
    """A type, wherever it stands."""
    return (kind.name, *map(_said, kind.args)) if isinstance(kind, s.TypeName) else kind


def _is_environment(kind: s.TypeSyntax) -> bool:
    return isinstance(kind, s.TypeName) and kind.name == "Env"


class _Making:
    def __init__(self, source: Source, syntax: s.InterpreterSyntax) -> None:
        self.source = source
        self.judged = {decl.function for decl in syntax.judgements}
        self.fields = {
            made.name: [field.type for field in made.fields]
            for decl in syntax.types for made in decl.constructors
        }  # fmt: skip
        """The types of the fields of each constructor that is declared here."""

    def text(self, node: s.Expr | s.Pattern) -> str:
        return self.source.text[node.span.start : node.span.end]

    def function(self, rows: tuple[s.DefineRow, ...], body: s.Expr | None) -> Iterator[Mistake]:
        for row in rows:
            if isinstance(row, s.Clause):
                if row.guard is not None:
                    yield from self.guard(row)
                yield from self.body(row.body, row.patterns)
            elif isinstance(row, s.Order) and len(row.children) > 1:
                (first, one), (second, other) = row.children[:2]
                yield Mistake("the other part steps first", Span(one.start, other.end),
                              f"{second}, {first}")  # fmt: skip
        if body is not None:
            yield from self.body(body, ())

    def guard(self, row: s.Clause) -> Iterator[Mistake]:
        assert row.guard is not None
        if isinstance(row.guard, s.Binary) and row.guard.operator == "==":
            yield Mistake("a shadowing is missed", row.guard.span, "false")
        else:
            yield Mistake("a condition is left out", row.guard.span, "true")

    def body(self, body: s.Expr, patterns: tuple[s.Pattern, ...]) -> Iterator[Mistake]:
        operands = [
            arg.name for pattern in patterns for part in inside(pattern)
            if isinstance(part, s.PMake) for arg in part.args if isinstance(arg, s.PVar)
        ]  # fmt: skip
        siblings = self.siblings(patterns)
        for node in inside(body):
            match node:
                case s.Make() if node.name in self.fields:
                    yield from self.made(node, siblings)
                case s.ListOf((_, *_), rest, span) if rest is not None:
                    yield Mistake("a frame is dropped", span, self.text(rest))
                case s.Binary():
                    yield from self.binary(node)
                case s.If():
                    yield from self.branches(node)
                case s.With(container, _, _, span):
                    yield Mistake("what is bound or stored is lost", span, self.text(container))
                case s.Apply(callee, args, span) if isinstance(callee, s.Ref):
                    yield from self.application(callee, args, span, operands)
                case s.NumberLit(value, span) if isinstance(value, int):
                    yield Mistake("another number", span, str(value + 1))
                case s.Block(lines):
                    for line in lines:
                        yield from self.line(line)
                case _:
                    pass

    def binary(self, node: s.Binary) -> Iterator[Mistake]:
        left, right = self.text(node.left), self.text(node.right)
        between = self.source.text[node.left.span.end : node.right.span.start]
        if node.operator in _SWAPPED:
            yield Mistake("swapped operands", node.span, f"{right}{between}{left}")
        other = _OTHERWISE.get(node.operator)
        if other is not None:
            changed = between.replace(node.operator, other, 1)
            yield Mistake("another operation", node.span, f"{left}{changed}{right}")

    def branches(self, node: s.If) -> Iterator[Mistake]:
        yes, no = node.yes, node.no
        if "\n" in self.text(node):
            return
        if isinstance(node.test, s.Binary) and node.test.operator == "==":
            yield Mistake("a shadowing or limit is missed", node.span, self.text(no))
        between = self.source.text[yes.span.end : no.span.start]
        span = Span(yes.span.start, no.span.end)
        yield Mistake("the wrong branch", span, f"{self.text(no)}{between}{self.text(yes)}")

    def application(
        self, callee: s.Ref, args: tuple[s.Expr, ...], span: Span, operands: list[str]
    ) -> Iterator[Mistake]:
        """Another part of the program, the caller's environment, or no call at all."""
        if len(args) == 1 and "\n" not in self.text(args[0]):
            yield Mistake(f"{callee.name} is forgotten", span, self.text(args[0]))
        if callee.name not in self.judged:
            return
        subject = args[0] if args else None
        if isinstance(subject, s.Ref) and subject.name in operands:
            for other in operands:
                if other != subject.name:
                    yield Mistake("another part of the program", subject.span, other)
        for arg in args[1:]:
            base = arg.container if isinstance(arg, s.With) else arg
            if isinstance(base, s.Ref) and base.name not in ("env", "store"):
                yield Mistake("the caller's environment", base.span, "env")
        if len(args) > 1 and callee.name == "force":
            yield Mistake("never forced", span, f"({self.text(args[0])}, {self.text(args[-1])})")

    def machine(self, define: s.Define) -> Iterator[Mistake]:
        """In the steps of a machine with several subjects: another part of the program as what is
        evaluated next, and the environment at hand for one that a frame or a closure keeps."""
        if len(define.subjects) < 2 or not any(isinstance(row, s.Final) for row in define.rows):
            return
        environments = [param.name for param in define.params if _is_environment(param.type)]
        for row in define.rows:
            if not isinstance(row, s.Clause):
                continue
            parts = list(inside(row.body))
            named = (one.pattern for one in parts if isinstance(one, s.Let))
            siblings, kept = self.siblings(row.patterns), self.kept((*row.patterns, *named))
            for step in parts:
                for item in step.items if isinstance(step, s.Tuple) else ():
                    base = item.container if isinstance(item, s.With) else item
                    if not isinstance(base, s.Ref):
                        continue
                    for name in siblings.get(base.name, ()):
                        yield Mistake("another part of the program", base.span, name)
                    for name in environments if base.name in kept else ():
                        yield Mistake("another environment", base.span, name)

    def kept(self, patterns: tuple[s.Pattern, ...]) -> set[str]:
        """The names of environments in what the patterns take apart."""
        found: set[str] = set()
        for pattern in patterns:
            for part in inside(pattern):
                if isinstance(part, s.PMake):
                    pairs = zip(part.args, self.fields.get(part.name, ()), strict=False)
                    found |= {
                        arg.name for arg, kind in pairs
                        if isinstance(arg, s.PVar) and _is_environment(kind)
                    }  # fmt: skip
        return found

    def siblings(self, patterns: tuple[s.Pattern, ...]) -> dict[str, list[str]]:
        """For each part of a form of the program the others."""
        found: dict[str, list[str]] = {}
        for pattern in patterns:
            for part in inside(pattern):
                if isinstance(part, s.PMake) and part.name not in self.fields:
                    names = [arg.name for arg in part.args if isinstance(arg, s.PVar)]
                    found |= {one: [name for name in names if name != one] for one in names}
        return found

    def made(self, node: s.Make, siblings: dict[str, list[str]]) -> Iterator[Mistake]:
        """Another part of the program in a state, a frame or a value, an environment that is not
        kept, two components in each other's place."""
        kinds = self.fields[node.name]
        pairs = list(zip(node.args, kinds, strict=False))
        for arg, kind in pairs:
            if not isinstance(arg, s.Ref) or not isinstance(kind, s.TypeName):
                continue
            if _is_environment(kind):
                yield Mistake("the environment is not kept", arg.span, "empty")
            for name in siblings.get(arg.name, ()):
                yield Mistake("another part of the program", arg.span, name)
        for (one, kind), (other, same) in pairwise(pairs):
            between = self.source.text[one.span.end : other.span.start]
            if _said(kind) == _said(same) and "\n" not in between:
                span = Span(one.span.start, other.span.end)
                yield Mistake("swapped components", span,
                              f"{self.text(other)}{between}{self.text(one)}")  # fmt: skip

    def line(self, line: s.Line) -> Iterator[Mistake]:
        span = self.whole_line(line.span)
        match line:
            case s.Emit():
                yield Mistake("output is lost", span, "")
            case s.Require():
                if "\n" not in self.source.text[line.span.start : line.span.end]:
                    yield Mistake("a check is left out", span, "")
            case s.Let(pattern, value, _):
                text = self.source.text[span.start : span.end]
                called = isinstance(value, s.Apply) and isinstance(value.callee, s.Ref)
                if called and value.callee.name in self.judged and text.count("\n") == 1:  # type: ignore[union-attr]
                    yield Mistake("evaluated twice", span, text + text)
                if isinstance(pattern, s.PTuple) and len(pattern.items) > 1:
                    last = pattern.items[-1]
                    if isinstance(last, s.PVar) and last.name == "store":
                        yield Mistake("an old store", last.span, "_")
            case _:
                pass

    def whole_line(self, span: Span) -> Span:
        """The lines that a part stands on, with the line end."""
        text = self.source.text
        start = text.rfind("\n", 0, span.start) + 1
        end = text.find("\n", span.end)
        return Span(start, len(text) if end < 0 else end + 1)
