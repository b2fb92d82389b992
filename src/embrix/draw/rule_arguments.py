"""What a clause asks for in the parts of an expression: judgements become premises, helpers are
opened, choices among arguments go several ways."""

from __future__ import annotations

import re
from abc import abstractmethod
from collections.abc import Iterator, Mapping, Sequence

from msgspec import Struct
from msgspec.structs import replace

from embrix.brix import syntax as s
from embrix.brix.core import Function, Interpreter
from embrix.brix.paths import inside
from embrix.brix.pattern_parts import mentioned
from embrix.draw.helpers import always_failing, openable
from embrix.draw.rule_parts import Said, components, failed
from embrix.draw.rule_terms import term_of
from embrix.draw.rule_texts import WORD, RulePath, RuleTexts, operand, renamed_words, when
from embrix.terms.types import Tup, settle
from embrix.text.source import Span

CALL = re.compile(r"\b[a-z_]\w*\(")
_CHOOSING = (s.If, s.Match, s.Attempt, s.AnyOf, s.Otherwise, s.Block)
"""What evaluates some of its parts only."""
MOST_OPENED = 100
"""Helpers that are opened in one clause, on all paths through it."""


class RuleArguments(RuleTexts):
    """What the parts of expressions come to."""

    def __init__(
        self, interpreter: Interpreter, judged: Mapping[str, Function], define: s.Define
    ) -> None:
        """`judged` are the functions that rules are about, by name."""
        super().__init__(interpreter, judged, define)
        self._helpers = openable(interpreter)
        self._failing_always = always_failing(interpreter)
        self._plain = {name for name in judged if interpreter.functions[name].judgement is None}
        """The functions whose judgement is only that of their rules."""
        self._opened_so_far = 0
        """Helpers that have been opened in the present clause."""

    @abstractmethod
    def _paths(self, expr: s.Expr, path: RulePath) -> Iterator[RulePath]:
        """The paths through an expression, each with its results."""

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
            texts.append(operand(text))
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
                path = replace(path, names=(*path.names, (item.name, operand(text))))
                if CALL.search(text):
                    path = when(path, "done", text)
            elif not isinstance(item, s.PAny):
                path = self._named(path, item)
                path = when(path, "equal", self._said(path, item), text)
        return path

    # ------------------------------------------------------------ choices and lists in arguments

    def _argument_ways(
        self, args: tuple[s.Expr, ...], path: RulePath, behind: object
    ) -> Iterator[tuple[tuple[s.Expr, ...], RulePath]]:
        """The ways in which choices among arguments may go, each with what it rests on. `behind` is
        what follows: a name of something that may be missing stands there for what is not."""
        at = next((number for number, arg in enumerate(args) if chooses(arg, behind)), None)
        if at is None:
            yield args, path
            return
        arg, head, tail = args[at], args[:at], args[at + 1 :]
        ways: list[tuple[s.Expr, RulePath]] = []
        match arg:
            case s.If(test, yes, no):
                text, path = self._hoisted(test, path)
                ways = [(yes, when(path, "holds", text)), (no, when(path, "refuted", text))]
            case s.Otherwise(s.Ref(name) as value, instead):
                text = self._said(path, value)
                there = self._names.fresh(name)
                named = replace(path, names=(*path.names, (name, there)))
                ways = [(value, when(named, "equal", text, f"Some({there})")),
                        (instead, when(path, "equal", text, "None"))]  # fmt: skip
        for way, inner in ways:
            yield from self._argument_ways((*head, way, *tail), inner, behind)

    def _elements(self, expr: s.Expr, path: RulePath) -> list[tuple[str, ...]] | None:
        """The elements of a list that is known by its elements, or of two that are gone through
        together."""
        match expr:
            case s.Apply(s.Ref("zip"), args):
                lists = args
            case _:
                lists = (expr,)
        found: list[tuple[str, ...]] = []
        for one in lists:
            known = term_of(self._said(path, one))
            if known.kind != "list" or any(part.kind != "var" for part in known.parts):
                return None
            found.append(tuple(part.text for part in known.parts))
        return list(zip(*found, strict=True)) if len(set(map(len, found))) == 1 else None

    def _folded(
        self, each: s.Lambda, elements: Sequence[tuple[str, ...]], init: s.Expr, path: RulePath
    ) -> Iterator[RulePath]:
        """The paths through what is done with each element of a list, one after the other; the
        results are those of the last."""
        items = init.items if isinstance(init, s.Tuple) else (init,)
        texts = []
        for item in items:
            text, path = self._hoisted(item, path)
            texts.append(text)
        paths = [replace(path, result=tuple(texts))]
        for element in elements:
            paths = [
                replace(found, names=path.names, inside=path.inside)
                for before in paths
                for found in (
                    [before] if failed(before.result) else
                    self._paths(each.body, self._given(each, before.result, element, before))
                )
            ]  # fmt: skip
        yield from paths

    def _given(
        self, each: s.Lambda, so_far: Sequence[str], element: Sequence[str], path: RulePath
    ) -> RulePath:
        """The path into a function of what has come so far and an element."""
        named: list[tuple[str, str]] = []
        for pattern, texts in zip(each.params, (so_far, element), strict=True):
            parts = pattern.items if isinstance(pattern, s.PTuple) else (pattern,)
            named += [(part.name, operand(text))
                      for part, text in zip(parts, texts, strict=False)
                      if isinstance(part, s.PVar)]  # fmt: skip
            self._outer |= {word for text in texts for word in WORD.findall(text)}
        return replace(path, names=(*path.names, *named), result=(), inside=True)

    # ------------------------------------------------------------ judgements

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

    def fresh_results(self, judged: Function, number: int) -> tuple[str, ...]:
        """Names for what a judgement gives: what comes beside the first is called as the parameter
        that it goes on from."""
        kind = settle(judged.result)
        kinds = kind.items if isinstance(kind, Tup) and len(kind.items) == number else ()
        stems = ["v"] + ["s"] * (number - 1)
        for at, one in enumerate(kinds[1:], 1):
            own = (param for param, other in zip(judged.params, judged.types, strict=True)
                   if settle(other) == settle(one))  # fmt: skip
            stems[at] = next(own, "s")
        return tuple(map(self._names.fresh, stems))

    def _premise(
        self, judged: Function, args: Sequence[s.Expr], path: RulePath,
        results: tuple[str, ...] = (), *, many: bool = False,
    ) -> tuple[tuple[str, ...], RulePath]:  # fmt: skip
        """What a judgement gives that is asked for, and the path with it; `many` where it takes
        steps until none is left."""
        texts = []
        for arg in args:
            text, path = self._hoisted(arg, path)
            texts.append(text)
        return self._asked(judged, texts, path, results, many=many)

    def _asked(
        self, judged: Function, args: Sequence[str], path: RulePath, results: tuple[str, ...] = (),
        *, many: bool = False,
    ) -> tuple[tuple[str, ...], RulePath]:  # fmt: skip
        """The same of what the arguments have come to."""
        if not results:
            plain = judged.name in self._plain
            results = self.fresh_results(judged, components(judged, apart=plain))
        premise = Said(judged, tuple(args), results, many)
        return results, replace(path, premises=(*path.premises, premise))

    def _judgement_in(self, expr: object) -> tuple[Function, tuple[s.Expr, ...], bool] | None:
        """The judgement that an expression asks for, with what it is about, and whether it takes
        steps until none is left; None where it is another expression."""
        match expr:
            case s.Apply(s.Ref(name), args):
                many = False
            case s.Repeat(name, args):
                many = True
            case _:
                return None
        judged = self._judged(name)
        return None if judged is None else (judged, args, many)

    def _asks(self, expr: s.Expr) -> bool:
        """Whether a judgement is asked for in an expression."""
        return any(
            isinstance(node, s.Apply) and isinstance(node.callee, s.Ref)
            and (self._judged(node.callee.name) is not None or node.callee.name in self._helpers)
            for node in inside(expr)
        )  # fmt: skip

    def _branches(self, node: object) -> bool:
        """Whether a part of an expression is itself evaluated on several paths: a helper that is
        opened, or what fails where something is missing."""
        match node:
            case s.Apply(s.Ref(name)):
                return self._judged(name) is None and self._opens(name)
            case s.Otherwise(_, s.Fail()):
                return True
        return False

    def _each_hoisted(self, expr: s.Expr, path: RulePath) -> Iterator[tuple[str | None, RulePath]]:
        """The paths through an expression with its text on each, in which what is asked for is a
        name and helpers are opened; no text where the path ends by a failure."""
        parts = list(self._outermost(expr))
        if not any(map(self._branches, parts)):
            yield self._hoisted(expr, path)
            return
        source, begin = self._source(expr.span), expr.span.start
        raw = source.text[begin : expr.span.end]
        yield from self._in_turn(parts, raw, begin, path, "", 0)

    def _outermost(self, expr: object, *, always: bool = True) -> Iterator[s.Expr]:
        """The parts of an expression that are judgements asked for, or go several paths, in the
        order of the text; not what is in them. What is not `always` evaluated goes no paths."""
        if self._judgement_in(expr) is not None or (always and self._branches(expr)):
            yield expr  # type: ignore[misc]
            return
        if not isinstance(expr, s.Lambda):
            always = always and not isinstance(expr, _CHOOSING)
            for child in _children(expr):
                yield from self._outermost(child, always=always)

    def _in_turn(
        self, parts: Sequence[s.Expr], raw: str, begin: int, path: RulePath, done: str, at: int
    ) -> Iterator[tuple[str | None, RulePath]]:
        """An expression of which some parts are still to be evaluated, from its text; `done` is
        what stands before `at`, `begin` where the text begins."""
        if not parts:
            whole = done + renamed_words(raw[at:], path.names)
            yield " ".join(whole.split()), path
            return
        part, rest = parts[0], parts[1:]
        done += renamed_words(raw[at : part.span.start - begin], path.names)
        end = part.span.end - begin
        inner = replace(path, inside=True, result=())
        for found in self._paths(part, inner):
            made = replace(found, inside=path.inside, names=path.names, result=())
            if failed(found.result):
                yield None, replace(made, result=found.result)
                continue
            one = found.result[0] if len(found.result) == 1 else f"({', '.join(found.result)})"
            text = one if len(raw) == end - (part.span.start - begin) else operand(one)
            yield from self._in_turn(rest, raw, begin, made, done + text, end)

    def _hoisted(self, expr: s.Expr, path: RulePath) -> tuple[str, RulePath]:
        """The text of an expression in which each judgement asked for is a name, with the premises
        that give these names."""
        calls = list(self._outermost(expr, always=False))
        text = self._said(path, expr)
        source, begin = self._source(expr.span), expr.span.start
        raw = source.text[begin : expr.span.end]
        pieces: list[str] = []
        at = 0
        for call in calls:
            asked = self._judgement_in(call)
            assert asked is not None
            judged, args, many = asked
            results, path = self._premise(judged, args, path, many=many)
            between = renamed_words(raw[at : call.span.start - begin], path.names)
            pieces += [between, results[0]]
            at = call.span.end - begin
        if not calls:
            return text, path
        rest = renamed_words(raw[at:], path.names)
        return " ".join("".join([*pieces, rest]).split()), path


def chooses(arg: s.Expr, behind: object) -> bool:
    """Whether something is chosen in an argument: by a test, or because something is missing that
    is not spoken of `behind` it."""
    if isinstance(arg, s.If):
        return not isinstance(arg.test, s.ChoiceIs)
    missing = isinstance(arg, s.Otherwise) and isinstance(arg.value, s.Ref)
    return missing and arg.value.name not in mentioned(behind)  # type: ignore[union-attr]


def _children(node: object) -> list[object]:
    """What lies directly inside a part, places left out."""
    if isinstance(node, tuple):
        return list(node)
    if isinstance(node, Struct) and not isinstance(node, Span):
        return [getattr(node, one) for one in node.__struct_fields__]
    return []
