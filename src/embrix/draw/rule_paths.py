"""Paths through the clauses of an interpreter: what each asks for, and on what condition.

A helper without a judgement of its own that asks for judgements is opened: its premises belong to
the rule. Choices are decided as in the lane.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

from msgspec import Struct, field
from msgspec.structs import replace

from embrix.brix import syntax as s
from embrix.brix.core import RESULT, Function, Interpreter
from embrix.brix.paths import inside
from embrix.draw.helpers import openable
from embrix.draw.rule_parts import Condition, ConditionKind, Said, failed
from embrix.text.source import Source, Span
from embrix.text.visible import cut

LONGEST = 400
"""Characters of what is handed to a helper, or comes from one."""
MOST_OPENED = 100
"""Helpers that are opened in one clause, on all paths through it."""
WORD = re.compile(r"[A-Za-z_][A-Za-z0-9_]*")


class RulePath(Struct, frozen=True):
    premises: tuple[Said, ...] = ()
    conditions: tuple[Condition, ...] = ()
    result: tuple[str, ...] = ()
    """The results, by component; empty while the path goes on."""
    names: tuple[tuple[str, str], ...] = ()
    """What names bound along the path are called in the rule: a name that is bound again gets a
    number, so that one name means one thing."""
    inside: bool = False
    """Whether the path goes through a helper."""


class FreshNames(Struct):
    """FreshNames for what premises give, different from all that the clause uses."""

    taken: set[str]
    count: dict[str, int] = field(default_factory=dict)

    def fresh(self, stem: str) -> str:
        while True:
            number = self.count[stem] = self.count.get(stem, 0) + 1
            name = f"{stem}{number}"
            if name not in self.taken:
                return name


class RuleFinder:
    """The paths through the clauses of one function."""

    def __init__(self, interpreter: Interpreter, function: Function, define: s.Define) -> None:
        self._interpreter = interpreter
        self._function = function
        self._define = define
        self._names = FreshNames(set())
        self._outer: set[str] = set()
        """The names in the conclusion: those of the parameters and of the pattern."""
        self._helpers = openable(interpreter)
        self._opened_so_far = 0
        """Helpers that have been opened in the present clause."""

    # ------------------------------------------------------------ paths through an expression

    def _paths(self, expr: s.Expr, path: RulePath) -> Iterator[RulePath]:
        match expr:
            case s.Block(lines, result):
                yield from self._block(lines, result, path)
            case s.If(s.ChoiceIs(name, wanted), yes, no):
                yield from self._paths(yes if self._decided(name) == wanted else no, path)
            case s.Match((s.Ref(name),), clauses) if name in self._interpreter.choices:
                for clause in clauses:
                    if _way(clause.patterns[0]) in (self._decided(name), None):
                        yield from self._paths(clause.body, path)
                        return
            case s.If(test, yes, no):
                text, path = self._hoisted(test, path)
                yield from self._paths(yes, when(path, "holds", text))
                yield from self._paths(no, when(path, "refuted", text))
            case s.Match(subjects, clauses):
                texts = []
                for subject in subjects:
                    text, path = self._hoisted(subject, path)
                    texts.append(text)
                for number, clause in enumerate(clauses):
                    inner = self._unlike(texts, clauses[:number], clause, path)
                    for text, pattern in zip(texts, clause.patterns, strict=False):
                        if not isinstance(pattern, s.PAny):
                            inner = self._named(inner, pattern)
                            inner = when(inner, "equal", text, self._said(inner, pattern))
                    yield from self._paths(clause.body, self._guarded(clause.guard, inner))
            case s.Attempt(value, handlers):
                yield from self._paths(value, path)
                for handler in handlers:
                    yield from self._paths(handler.body, self._failing(value, handler, path))
            case s.AnyOf(ways):
                for way in ways:
                    yield from self._paths(way.body, self._guarded(way.guard, path))
            case s.Otherwise(value, instead):
                yield from self._paths(value, path)
                missing = when(path, "absent", self._said(path, value))
                yield from self._paths(instead, missing)
            case s.Fail(error, args, _):
                for arg in args:  # what it tells has been worked out before
                    _, path = self._hoisted(arg, path)
                yield replace(path, result=(f"error {error}",))
            case s.Todo():
                yield replace(path, result=("todo",))
            case s.Apply(s.Ref(name), args) if self._judged(name) is not None:
                judged = self._judged(name)
                assert judged is not None
                results, path = self._premise(judged, args, path)
                yield replace(path, result=results)
            case s.Apply(s.Ref(name), args) if self._opens(name):
                for found in self._opened(self._helpers[name], args, path):
                    yield from self._handed_on(found)
            case s.Tuple(items) if any(isinstance(item, s.If) for item in items):
                yield from self._paths(_split(expr), path)
            case s.Tuple(items):
                results_: list[str] = []
                for item in items:
                    text, path = self._hoisted(item, path)
                    results_.append(text)
                yield replace(path, result=tuple(results_))
            case _:
                text, path = self._hoisted(expr, path)
                yield from self._handed_on(replace(path, result=(text,)))

    def _failing(self, value: s.Expr, handler: s.Clause, path: RulePath) -> RulePath:
        """What is known where a value fails with what a handler takes."""
        failing = self._named(path, handler.patterns[0])
        text = self._said(failing, handler.patterns[0])
        called = isinstance(value, s.Apply) and isinstance(value.callee, s.Ref)
        judged = self._judged(value.callee.name) if called else None  # type: ignore[union-attr]
        if judged is None:
            return when(failing, "fails", self._said(path, value), text)
        _, made = self._premise(judged, value.args, path, (f"error {text}",))  # type: ignore[union-attr]
        return replace(made, names=failing.names)

    def _unlike(
        self, texts: Sequence[str], before: Sequence[s.Clause], clause: s.Clause, path: RulePath
    ) -> RulePath:
        """What one subject is not where a clause takes all that others before it have left."""
        if len(texts) == 1 and isinstance(clause.patterns[0], s.PAny | s.PVar):
            for one in before:
                if one.guard is None:
                    path = when(path, "unlike", texts[0], self._open(one.patterns[0]))
        return path

    def _guarded(self, guard: s.Expr | None, path: RulePath) -> RulePath:
        """The path on which a guard holds."""
        if guard is None:
            return path
        text, path = self._hoisted(guard, path)
        return when(path, "holds", text)

    def _handed_on(self, path: RulePath) -> Iterator[RulePath]:
        """A path with a result for each component; one expression may give all of them: they get
        names then."""
        count = 1 if path.inside else self._components()
        if count == 1 or len(path.result) > 1 or failed(path.result):
            yield path
            return
        names = tuple(self._names.fresh("v" if n == 0 else "s") for n in range(count))
        given = when(path, "equal", f"({', '.join(names)})", path.result[0])
        yield replace(given, result=names)

    def _components(self) -> int:
        parts = self._function.judgement or ()
        return max((RESULT - part for part in parts
                    if isinstance(part, int) and part < RESULT), default=1)  # fmt: skip

    def _decided(self, choice: str) -> str:
        """How a choice is decided in this lane."""
        interpreter = self._interpreter
        return interpreter.decided.get(choice, interpreter.choices[choice].default)

    # ------------------------------------------------------------ helpers

    def _opens(self, name: str) -> bool:
        """Whether a function is a helper that is opened here: only so many are in one clause."""
        return name in self._helpers and self._opened_so_far < MOST_OPENED

    def _opened(
        self, helper: s.Define, args: Sequence[s.Expr], path: RulePath
    ) -> Iterator[RulePath]:
        """The paths through a helper; each has its results, and goes on as `path` did."""
        self._opened_so_far += 1
        texts = []
        for arg in args:
            text, path = self._hoisted(arg, path)
            texts.append(_operand(text))
        # FreshNames inside the helper are other ones than those that the rule shows so far.
        asked = (one.text for one in path.premises)
        beside = (one.text for one in path.conditions)
        shown = (*texts, *asked, *beside, *(name for _, name in path.names))
        self._outer |= {word for text in shown for word in WORD.findall(text)}
        self._names.taken |= {
            node.name for node in inside((helper.body, helper.rows))
            if isinstance(node, s.Ref | s.PVar)
        }  # fmt: skip
        params = tuple(param.name for param in helper.params)
        names = tuple(zip(params, texts, strict=False))
        inner = replace(path, names=names, inside=True)
        body = helper.body
        if body is None:
            rows = tuple(row for row in helper.rows if isinstance(row, s.Clause))
            subjects = tuple(s.Ref(name, span) for name, span in helper.subjects)
            body = s.Match(subjects, rows, helper.span)
        for found in self._paths(body, inner):
            yield replace(found, names=path.names, inside=path.inside)

    def _taken(self, pattern: s.Pattern, path: RulePath) -> RulePath:
        """What is known after `let pattern = …` gave the results of a path."""
        results = path.result
        path = replace(path, result=())
        items = pattern.items if isinstance(pattern, s.PTuple) else (pattern,)
        if len(items) != len(results):
            path = self._named(path, pattern)
            whole = results[0] if len(results) == 1 else f"({', '.join(results)})"
            return when(path, "equal", self._said(path, pattern), whole)
        for item, text in zip(items, results, strict=True):
            if isinstance(item, s.PVar):
                path = replace(path, names=(*path.names, (item.name, _operand(text))))
            elif not isinstance(item, s.PAny):
                path = self._named(path, item)
                path = when(path, "equal", self._said(path, item), text)
        return path

    # ------------------------------------------------------------ lines of a block

    def _block(
        self, lines: tuple[s.Line, ...], result: s.Expr, path: RulePath
    ) -> Iterator[RulePath]:
        if not lines:
            yield from self._paths(result, path)
            return
        line, rest = lines[0], lines[1:]
        match line:
            case s.Let(pattern, s.Otherwise(value, instead), misses):
                missing = when(path, "absent", self._said(path, value))
                bound = replace(line, value=value)
                yield from self._block((bound, *rest), result, path)
                yield from self._paths(instead, missing)
            case s.Let(pattern, s.Apply(s.Ref(name), args), misses) if self._opens(name):
                for found in self._opened(self._helpers[name], args, path):
                    if failed(found.result):
                        yield found
                        continue
                    yield from self._block(rest, result, self._taken(pattern, found))
                    for miss in misses:
                        missed = self._taken(miss.patterns[0], found)
                        yield from self._paths(miss.body, missed)
            case s.Let(pattern, value, misses):
                after = self._bound(pattern, value, path)
                yield from self._block(rest, result, after)
                for miss in misses:
                    made = self._missed(pattern, value, miss.patterns[0], path)
                    if made is not None:
                        yield from self._paths(miss.body, made)
                        continue
                    message, before = self._hoisted(value, path)
                    before = self._named(before, miss.patterns[0])
                    missed = when(before, "equal", message, self._said(before, miss.patterns[0]))
                    missed = when(missed, "unlike", message, self._open(pattern))
                    yield from self._paths(miss.body, missed)
            case s.LetRec(name, value):
                message, path = self._hoisted(value, path)
                path = self._renamed(path, [name])
                shown = dict(path.names).get(name, name)
                tied = when(path, "recursive", shown, message)
                yield from self._block(rest, result, tied)
            case s.Require(test, otherwise):
                message, path = self._hoisted(test, path)
                yield from self._block(rest, result, when(path, "holds", message))
                yield from self._paths(otherwise, when(path, "refuted", message))
            case s.Emit(text):
                message, path = self._hoisted(text, path)
                yield from self._block(rest, result, when(path, "written", message))

    def _bound(self, pattern: s.Pattern, value: s.Expr, path: RulePath) -> RulePath:
        """What is known after `let pattern = value`."""
        if isinstance(value, s.Apply) and isinstance(value.callee, s.Ref):
            judged = self._judged(value.callee.name)
            if judged is not None:
                items = pattern.items if isinstance(pattern, s.PTuple) else (pattern,)
                after = self._named(path, pattern)
                text = tuple(self._said(after, item) for item in items)
                made = self._premise(judged, value.args, path, text)[1]
                return replace(made, names=after.names)
        written_value, path = self._hoisted(value, path)
        path = self._named(path, pattern)
        return when(path, "equal", self._said(path, pattern), written_value)

    def _missed(
        self, pattern: s.Pattern, value: s.Expr, miss: s.Pattern, path: RulePath
    ) -> RulePath | None:
        """What is known after `let pattern = value else miss` did not match, where the value is a
        judgement; None where it is none, or of other components."""
        called = isinstance(value, s.Apply) and isinstance(value.callee, s.Ref)
        judged = self._judged(value.callee.name) if called else None  # type: ignore[union-attr]
        wanted = pattern.items if isinstance(pattern, s.PTuple) else (pattern,)
        taken = miss.items if isinstance(miss, s.PTuple) else (miss,)
        if judged is None or len(wanted) != len(taken):
            return None
        after = self._named(path, miss)
        results = tuple(
            self._names.fresh("v") if isinstance(item, s.PAny) else self._said(after, item)
            for item in taken
        )
        _, made = self._premise(judged, value.args, path, results)  # type: ignore[union-attr]
        made = replace(made, names=after.names)
        for result, item in zip(results, wanted, strict=True):
            if not isinstance(item, s.PAny | s.PVar):
                made = when(made, "unlike", result, self._open(item))
        return made

    def _named(self, path: RulePath, pattern: s.Pattern) -> RulePath:
        """The path with the names that a pattern binds."""
        return self._renamed(
            path, [node.name for node in inside(pattern) if isinstance(node, s.PVar | s.PAs)]
        )

    def _renamed(self, path: RulePath, names: Sequence[str]) -> RulePath:
        known = dict(path.names)
        for name in names:
            again = name in known or name in self._outer
            known[name] = self._names.fresh(name) if again else name
        return replace(path, names=tuple(known.items()))

    def _premise(
        self, judged: Function, args: Sequence[s.Expr], path: RulePath,
        results: tuple[str, ...] = (),
    ) -> tuple[tuple[str, ...], RulePath]:  # fmt: skip
        texts = []
        for arg in args:
            text, path = self._hoisted(arg, path)
            texts.append(text)
        if not results:
            parts = judged.judgement or ()
            count = len({part for part in parts if isinstance(part, int) and part < 0})
            results = tuple(self._names.fresh("v" if n == 0 else "s") for n in range(max(1, count)))
        premise = Said(judged, tuple(texts), results)
        return results, replace(path, premises=(*path.premises, premise))

    def _hoisted(self, expr: s.Expr, path: RulePath) -> tuple[str, RulePath]:
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
            between = renamed_words(raw[at : call.span.start - begin], path.names)
            pieces += [between, results[0]]
            at = call.span.end - begin
        if not calls:
            return text, path
        rest = renamed_words(raw[at:], path.names)
        return " ".join("".join([*pieces, rest]).split()), path

    # ------------------------------------------------------------ texts

    def _judged(self, name: str) -> Function | None:
        function = self._interpreter.functions.get(name)
        return function if function is not None and function.judgement is not None else None

    def _open(self, pattern: s.Pattern) -> str:
        """The form of a pattern, whatever stands in its parts."""
        while isinstance(pattern, s.PAs):
            pattern = pattern.inner
        if isinstance(pattern, s.PMake) and pattern.args:
            return f"{pattern.name}({', '.join('_' for _ in pattern.args)})"
        return self._one(pattern)

    def _said(self, path: RulePath, node: s.Expr | s.Pattern) -> str:
        """The text of an expression with the names of the path."""
        return renamed_words(self._text(node), path.names)

    def _text(self, node: s.Expr | s.Pattern) -> str:
        """What is written; of a function that has several lines only the parameters."""
        source = self._source(node.span)
        pieces, at = [], node.span.start
        for one in inside(node):
            if isinstance(one, s.Lambda) and isinstance(one.body, s.Block) and one.span.start >= at:
                pieces += [source.text[at : one.body.span.start], "…"]
                at = one.body.span.end
        pieces.append(source.text[at : node.span.end])
        return " ".join("".join(pieces).split())

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


def _split(whole: s.Tuple) -> s.If:
    """A tuple with a choice among its components as a choice of tuples."""
    at = next(n for n, item in enumerate(whole.items) if isinstance(item, s.If))
    choice = whole.items[at]
    assert isinstance(choice, s.If)
    yes, no = (
        replace(whole, items=(*whole.items[:at], way, *whole.items[at + 1 :]))
        for way in (choice.yes, choice.no)
    )
    return s.If(choice.test, yes, no, choice.span)


def _way(pattern: s.Pattern) -> str | None:
    """The alternative that a clause of a choice is for; None for what is left."""
    return pattern.name if isinstance(pattern, s.PVar) else None


def _operand(text: str) -> str:
    """A text that may stand inside another one: in brackets where it has several parts. A long one
    is cut: what is handed from helper to helper may grow with each."""
    text = cut(text, LONGEST)
    depth = 0
    for number, sign in enumerate(text):
        depth += {"(": 1, "[": 1, ")": -1, "]": -1}.get(sign, 0)
        inner = depth > 0 or (depth == 0 and sign in ")]")
        if not inner and not (sign.isalnum() or sign in "_′."):
            return f"({text})"
        if depth == 0 and sign in ")]" and number + 1 < len(text) and text[number + 1] not in "[(":
            return f"({text})"
    return text


def when(path: RulePath, kind: ConditionKind, *parts: str) -> RulePath:
    """The path with one condition more."""
    return replace(path, conditions=(*path.conditions, Condition(kind, parts)))


def renamed_words(text: str, names: Sequence[tuple[str, str]]) -> str:
    """A text with some of its words replaced."""
    known = dict(names)
    return WORD.sub(lambda found: known.get(found.group(), found.group()), text)


def _children(node: object) -> list[object]:
    """What lies directly inside a part, places left out."""
    if isinstance(node, tuple):
        return list(node)
    if isinstance(node, Struct) and not isinstance(node, Span):
        return [getattr(node, one) for one in node.__struct_fields__]
    return []
