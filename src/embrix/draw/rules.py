"""The rules of an interpreter as inference rules, made from its clauses.

Each path through a clause is a rule: the pattern shapes the conclusion, each judgement that the
clause asks for is a premise, guards and conditions along the path stand beside them.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

from msgspec import Struct, field
from msgspec.structs import replace

from embrix.brix import syntax as s
from embrix.brix.core import RESULT, Function, Interpreter
from embrix.draw.derivations import Derivation, rule_block, rule_latex
from embrix.draw.latex import in_math, in_text
from embrix.draw.plain import write_text
from embrix.draw.scene import LINE, Drawing, Tile, paged, text_block
from embrix.text.source import Source, Span

_WORD = re.compile(r"[A-Za-z_][A-Za-z0-9_]*")
MOST_PATHS = 24
"""Paths through one clause that are made into rules."""


class InferenceRule(Struct, frozen=True):
    """Premises are judgements; conditions stand beside them, without a judgement."""

    function: str
    name: str
    premises: tuple[str, ...]
    conditions: tuple[str, ...]
    conclusion: str
    place: Span | None = None


class _Path(Struct, frozen=True):
    premises: tuple[str, ...] = ()
    conditions: tuple[str, ...] = ()
    result: tuple[str, ...] = ()
    """The results, by component; empty while the path goes on."""
    names: tuple[tuple[str, str], ...] = ()
    """What names bound along the path are called in the rule: a name that is bound again gets a
    number, so that one name means one thing."""


class _Names(Struct):
    """Names for what premises give, different from all that the clause uses."""

    taken: set[str]
    count: dict[str, int] = field(default_factory=dict)

    def fresh(self, stem: str) -> str:
        while True:
            number = self.count[stem] = self.count.get(stem, 0) + 1
            name = f"{stem}{number}"
            if name not in self.taken:
                return name


def inference_rules(interpreter: Interpreter, only: Sequence[str] = ()) -> list[InferenceRule]:
    """The rules of every function with a judgement, in the order of the clauses."""
    if interpreter.syntax is None:
        return []
    found: list[InferenceRule] = []
    for define in interpreter.syntax.functions:
        function = interpreter.functions.get(define.name)
        if function is None or function.judgement is None or (only and define.name not in only):
            continue
        found += _Rules(interpreter, function, define).all()
    return found


class _Rules:
    def __init__(self, interpreter: Interpreter, function: Function, define: s.Define) -> None:
        self._interpreter = interpreter
        self._function = function
        self._define = define
        self._names = _Names(set())
        self._outer: set[str] = set()
        """The names in the conclusion: those of the parameters and of the pattern."""

    def all(self) -> Iterator[InferenceRule]:
        define = self._define
        if define.body is not None:
            yield from self._clause(define.name, {}, None, define.body, define.span)
        for row in define.rows:
            if isinstance(row, s.Clause):
                shapes = {
                    name: self._one(pattern)
                    for (name, _), pattern in zip(define.subjects, row.patterns, strict=False)
                }
                first = row.patterns[0]
                while isinstance(first, s.PAs):
                    first = first.inner
                name = first.name if isinstance(first, s.PMake) else define.name
                yield from self._clause(name, shapes, row.guard, row.body, row.span)
            elif isinstance(row, s.Order):
                yield from self._order(row)

    def _clause(
        self, name: str, shapes: dict[str, str], guard: s.Expr | None, body: s.Expr, span: Span
    ) -> Iterator[InferenceRule]:
        words = {
            node.name for node in _nodes((body, guard, *self._define.rows))
            if isinstance(node, s.Ref | s.PVar)
        }  # fmt: skip
        self._names = _Names(words | set(self._function.params))
        self._outer = set(self._function.params)
        for text in shapes.values():
            self._outer |= set(_WORD.findall(text))
        start = _Path()
        if guard is not None:
            start = replace(start, conditions=(self._text(guard),))
        for number, path in enumerate(self._paths(body, start)):
            if number >= MOST_PATHS:
                return
            arguments = tuple(shapes.get(param, param) for param in self._function.params)
            yield InferenceRule(
                self._function.name, name, path.premises, path.conditions,
                self._filled(self._function, arguments, path.result), span,
            )  # fmt: skip

    def _order(self, row: s.Order) -> Iterator[InferenceRule]:
        """A part takes a step, and the whole with it; parts before it have come to an end."""
        whole = self._text(row.pattern)
        subject = self._function.params[self._function.subjects[0]]
        form = row.pattern.name if isinstance(row.pattern, s.PMake) else self._function.name
        before: list[str] = []
        for child, _ in row.children:
            params = self._function.params
            results = self._components()
            stepped = tuple(f"{one}′" for one in (child, *params[1:]))[: max(1, results)]
            inner = tuple(child if p == subject else p for p in params)
            outer = tuple(whole if p == subject else p for p in params)
            after = (_renamed_words(whole, ((child, stepped[0]),)), *stepped[1:])
            conditions = [f"{one} is final" for one in before if not row.free]
            conditions += [self._text(row.guard)] if row.guard is not None else []
            yield InferenceRule(
                self._function.name, f"{form}-{child}",
                (self._filled(self._function, inner, stepped),), tuple(conditions),
                self._filled(self._function, outer, after), row.span,
            )  # fmt: skip
            before.append(child)

    def _components(self) -> int:
        parts = self._function.judgement or ()
        return max((RESULT - part for part in parts
                    if isinstance(part, int) and part < RESULT), default=1)  # fmt: skip

    # ------------------------------------------------------------ paths through an expression

    def _paths(self, expr: s.Expr, path: _Path) -> Iterator[_Path]:
        match expr:
            case s.Block(lines, result):
                yield from self._block(lines, result, path)
            case s.If(test, yes, no):
                text, path = self._hoisted(test, path)
                yield from self._paths(yes, _when(path, text))
                yield from self._paths(no, _when(path, _not(text)))
            case s.Match(subjects, clauses):
                texts = []
                for subject in subjects:
                    text, path = self._hoisted(subject, path)
                    texts.append(text)
                for clause in clauses:
                    inner = path
                    for text, pattern in zip(texts, clause.patterns, strict=False):
                        if not isinstance(pattern, s.PAny):
                            inner = self._named(inner, pattern)
                            inner = _when(inner, f"{text} = {self._said(inner, pattern)}")
                    if clause.guard is not None:
                        guard, inner = self._hoisted(clause.guard, inner)
                        inner = _when(inner, guard)
                    yield from self._paths(clause.body, inner)
            case s.Attempt(value, handlers):
                yield from self._paths(value, path)
                for handler in handlers:
                    failing = self._named(path, handler.patterns[0])
                    text = self._said(failing, handler.patterns[0])
                    failing = _when(failing, f"{self._said(path, value)} fails with {text}")
                    yield from self._paths(handler.body, failing)
            case s.AnyOf(ways):
                for way in ways:
                    inner = path
                    if way.guard is not None:
                        guard, inner = self._hoisted(way.guard, inner)
                        inner = _when(inner, guard)
                    yield from self._paths(way.body, inner)
            case s.Otherwise(value, instead):
                yield from self._paths(value, path)
                text = f"there is no {self._said(path, value)}"
                yield from self._paths(instead, _when(path, text))
            case s.Fail(error, _, _):
                yield replace(path, result=(f"error {error}",))
            case s.Todo():
                yield replace(path, result=("todo",))
            case s.Apply(s.Ref(name), args) if self._judged(name) is not None:
                judged = self._judged(name)
                assert judged is not None
                results, path = self._premise(judged, args, path)
                yield replace(path, result=results)
            case s.Tuple(items):
                results_: list[str] = []
                for item in items:
                    text, path = self._hoisted(item, path)
                    results_.append(text)
                yield replace(path, result=tuple(results_))
            case _:
                text, path = self._hoisted(expr, path)
                count = self._components()
                if count == 1:
                    yield replace(path, result=(text,))
                    return
                # One expression gives all results: they get names.
                names = tuple(self._names.fresh("v" if n == 0 else "s") for n in range(count))
                yield replace(_when(path, f"({', '.join(names)}) = {text}"), result=names)

    def _block(self, lines: tuple[s.Line, ...], result: s.Expr, path: _Path) -> Iterator[_Path]:
        if not lines:
            yield from self._paths(result, path)
            return
        line, rest = lines[0], lines[1:]
        match line:
            case s.Let(pattern, s.Otherwise(value, instead), misses):
                message = f"there is no {self._said(path, value)}"
                bound = replace(line, value=value)
                yield from self._block((bound, *rest), result, path)
                yield from self._paths(instead, _when(path, message))
            case s.Let(pattern, value, misses):
                after = self._bound(pattern, value, path)
                yield from self._block(rest, result, after)
                for miss in misses:
                    message, before = self._hoisted(value, path)
                    before = self._named(before, miss.patterns[0])
                    missed = _when(before, f"{message} = {self._said(before, miss.patterns[0])}")
                    yield from self._paths(miss.body, missed)
            case s.LetRec(name, value):
                message, path = self._hoisted(value, path)
                path = self._renamed(path, [name])
                shown = dict(path.names).get(name, name)
                yield from self._block(
                    rest, result, _when(path, f"{shown} = {message}, recursively")
                )
            case s.Require(test, otherwise):
                message, path = self._hoisted(test, path)
                yield from self._block(rest, result, _when(path, message))
                yield from self._paths(otherwise, _when(path, _not(message)))
            case s.Emit(text):
                message, path = self._hoisted(text, path)
                yield from self._block(rest, result, _when(path, f"{message} is written"))

    def _bound(self, pattern: s.Pattern, value: s.Expr, path: _Path) -> _Path:
        """What is known after `let pattern = value`."""
        if isinstance(value, s.Apply) and isinstance(value.callee, s.Ref):
            judged = self._judged(value.callee.name)
            if judged is not None:
                items = pattern.items if isinstance(pattern, s.PTuple) else (pattern,)
                after = self._named(path, pattern)
                text = tuple(self._said(after, item) for item in items)
                made = self._premise(judged, value.args, path, text)[1]
                return replace(made, names=after.names)
        told_value, path = self._hoisted(value, path)
        path = self._named(path, pattern)
        return _when(path, f"{self._said(path, pattern)} = {told_value}")

    def _named(self, path: _Path, pattern: s.Pattern) -> _Path:
        """The path with the names that a pattern binds."""
        return self._renamed(
            path, [node.name for node in _nodes(pattern) if isinstance(node, s.PVar | s.PAs)]
        )

    def _renamed(self, path: _Path, names: Sequence[str]) -> _Path:
        known = dict(path.names)
        for name in names:
            again = name in known or name in self._outer
            known[name] = self._names.fresh(name) if again else name
        return replace(path, names=tuple(known.items()))

    def _premise(
        self, judged: Function, args: Sequence[s.Expr], path: _Path,
        results: tuple[str, ...] = (),
    ) -> tuple[tuple[str, ...], _Path]:  # fmt: skip
        texts = []
        for arg in args:
            text, path = self._hoisted(arg, path)
            texts.append(text)
        if not results:
            parts = judged.judgement or ()
            count = len({part for part in parts if isinstance(part, int) and part < 0})
            results = tuple(self._names.fresh("v" if n == 0 else "s") for n in range(max(1, count)))
        premise = self._filled(judged, texts, results)
        return results, replace(path, premises=(*path.premises, premise))

    def _hoisted(self, expr: s.Expr, path: _Path) -> tuple[str, _Path]:
        """The text of an expression in which each judgement asked for is a name, with the premises
        that give these names."""
        calls: list[s.Apply] = []
        pending: list[object] = [expr]
        while pending:
            node = pending.pop()
            if isinstance(node, s.Apply) and isinstance(node.callee, s.Ref):
                judged = self._judged(node.callee.name)
                if judged is not None:
                    calls.append(node)
                    continue
            if not isinstance(node, s.Lambda):
                pending += reversed(_children(node))
        text = self._said(path, expr)
        source, begin = self._source(expr.span), expr.span.start
        raw = source.text[begin : expr.span.end]
        pieces: list[str] = []
        at = 0
        for call in sorted(calls, key=lambda one: one.span.start):
            judged = self._judged(call.callee.name)  # type: ignore[union-attr]
            assert judged is not None
            results, path = self._premise(judged, call.args, path)
            between = _renamed_words(raw[at : call.span.start - begin], path.names)
            pieces += [between, results[0]]
            at = call.span.end - begin
        if not calls:
            return text, path
        rest = _renamed_words(raw[at:], path.names)
        return " ".join("".join([*pieces, rest]).split()), path

    # ------------------------------------------------------------ texts

    def _judged(self, name: str) -> Function | None:
        function = self._interpreter.functions.get(name)
        return function if function is not None and function.judgement is not None else None

    def _filled(self, function: Function, args: Sequence[str], results: Sequence[str]) -> str:
        failed = len(results) == 1 and results[0].startswith("error ")
        pieces: list[str] = []
        for part in function.judgement or ():
            if isinstance(part, str):
                pieces.append(part)
            elif part >= 0:
                pieces.append(args[part] if part < len(args) else function.params[part])
            else:
                number = 0 if part == RESULT else RESULT - part - 1
                if failed:
                    pieces.append(results[0] if number == 0 or part == RESULT else "…")
                elif part == RESULT:
                    pieces.append(", ".join(results))
                elif number < len(results):
                    pieces.append(results[number])
                else:
                    pieces.append("…")
        return "".join(pieces)

    def _said(self, path: _Path, node: s.Expr | s.Pattern) -> str:
        """The text of an expression with the names of the path."""
        return _renamed_words(self._text(node), path.names)

    def _text(self, node: s.Expr | s.Pattern) -> str:
        source = self._source(node.span)
        return " ".join(source.text[node.span.start : node.span.end].split())

    def _one(self, pattern: s.Pattern) -> str:
        """A pattern that is one of several at its place, without the others."""
        match pattern:
            case s.PMake(name, args, _, None) if args:
                return f"{name}({', '.join(map(self._one, args))})"
            case s.PTuple(items):
                return f"({', '.join(map(self._one, items))})"
            case s.PAs(inner, name):
                return f"{self._one(inner)} as {name}"
        return self._text(pattern)

    def _source(self, span: Span) -> Source:
        return span.source or self._interpreter.source


def _when(path: _Path, condition: str) -> _Path:
    return replace(path, conditions=(*path.conditions, condition))


def _not(condition: str) -> str:
    plain = condition.replace("_", "").isalnum()
    call = condition.endswith(")") and condition.split("(")[0].replace("_", "").isalnum()
    return f"not {condition}" if plain or call else f"not ({condition})"


def _renamed_words(text: str, names: Sequence[tuple[str, str]]) -> str:
    """A text with some of its words replaced."""
    known = dict(names)
    return _WORD.sub(lambda found: known.get(found.group(), found.group()), text)


def _children(node: object) -> list[object]:
    if isinstance(node, tuple):
        return list(node)
    if isinstance(node, Struct) and not isinstance(node, Span):
        return [getattr(node, one) for one in node.__struct_fields__]
    return []


def _nodes(root: object) -> Iterator[object]:
    pending = [root]
    while pending:
        node = pending.pop()
        yield node
        pending += _children(node)


# ---------------------------------------------------------------------- pictures


def draw_rules(rules: Sequence[InferenceRule], title: str, high: float | None = None) -> Drawing:
    """Rules below each other, on pages of a height if one is given."""
    blocks: list[Tile] = []
    latex: list[str] = []
    for rule in rules:
        # Conditions stand above the line as premises do, after them.
        parts = [text_block(one) for one in rule.premises]
        parts += [text_block(one, "faint") for one in rule.conditions]
        blocks.append(rule_block(Derivation(rule.conclusion, rule.name), parts))
        conditions = [rf"\text{{{one}}}" for one in map(in_text, rule.conditions)]
        premises = [*map(in_math, rule.premises), *conditions]
        latex.append("\\[\n" + rule_latex(premises, in_math(rule.conclusion), rule.name) + "\n\\]")
    pages = paged(blocks, LINE, title, high)
    return Drawing(tuple(pages), "\n".join(map(write_text, pages)), "\n\n".join(latex))
