"""Paths through the clauses of an interpreter: what each asks for, and on what condition.

A helper without a judgement of its own that asks for judgements is opened: its premises belong to
the rule. Choices are decided as in the lane.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from msgspec.structs import replace

from embrix.brix import syntax as s
from embrix.brix.core import Function
from embrix.draw.rule_arguments import RuleArguments, chooses
from embrix.draw.rule_parts import components, failed
from embrix.draw.rule_texts import RulePath, when
from embrix.text.source import Source, Span


class RuleFinder(RuleArguments):
    """The paths through the clauses of one function."""

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
            case s.Binary("and" | "or" as sign, left, right, span) if self._asks(right):
                known = _constant("false" if sign == "and" else "true")
                yes, no = (right, known) if sign == "and" else (known, right)
                yield from self._paths(s.If(left, yes, no, span), path)
            case s.If(s.Apply(s.Ref(name), args), yes, no) if (
                judged := self._judged(name)
            ) is not None:
                for results, asked in self._premises(judged, args, path):
                    if failed(results):
                        yield replace(asked, result=results)
                        continue
                    yield from self._paths(yes, when(asked, "holds", results[0]))
                    yield from self._paths(no, when(asked, "refuted", results[0]))
            case s.If(test, yes, no):
                for text, found in self._each_hoisted(test, path):
                    if text is None:
                        yield found
                        continue
                    yield from self._paths(yes, when(found, "holds", text))
                    yield from self._paths(no, when(found, "refuted", text))
            case s.Match(subjects, clauses):
                for found in self._components_of(subjects, path, ()):
                    if failed(found.result):
                        yield found
                    else:
                        yield from self._matched(found.result, clauses, replace(found, result=()))
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
                for results, asked in self._premises(judged, args, path):
                    yield replace(asked, result=results)
            case s.Apply(s.Ref(name), args) if self._opens(name):
                for found in self._opened(self._helpers[name], args, path):
                    yield from self._handed_on(found)
            case s.Apply(s.Ref(name), args) if name in self._failing_always:
                yield from self._paths(replace(self._failing_always[name], args=args), path)
            case s.Tuple(items) if any(isinstance(item, s.If) for item in items):
                yield from self._paths(_split(expr), path)
            case s.Tuple(items):
                yield from self._components_of(items, path, ())
            case _:
                for said, found in self._each_hoisted(expr, path):
                    if said is None:
                        yield found
                    else:
                        yield from self._handed_on(replace(found, result=(said,)))

    def _premises(
        self, judged: Function, args: tuple[s.Expr, ...], path: RulePath
    ) -> Iterator[tuple[tuple[str, ...], RulePath]]:
        """The ways in which a judgement is asked for: those of choices and helpers among its
        arguments. Its results, or those of a failure before."""
        for chosen, inner in self._argument_ways(args, path, ()):
            for found in self._components_of(chosen, inner, ()):
                if failed(found.result):
                    yield found.result, found
                else:
                    yield self._asked(judged, found.result, replace(found, result=path.result))

    def _matched(
        self, texts: Sequence[str], clauses: Sequence[s.Clause], path: RulePath
    ) -> Iterator[RulePath]:
        """The paths through the clauses of a match whose subjects have come to some texts."""
        for number, clause in enumerate(clauses):
            inner = self._unlike(texts, clauses[:number], clause, path)
            for text, pattern in zip(texts, clause.patterns, strict=False):
                if not isinstance(pattern, s.PAny):
                    inner = self._named(inner, pattern)
                    inner = when(inner, "equal", text, self._said(inner, pattern))
            yield from self._paths(clause.body, self._guarded(clause.guard, inner))

    def _components_of(
        self, items: Sequence[s.Expr], path: RulePath, before: tuple[str, ...]
    ) -> Iterator[RulePath]:
        """The paths through the components of a tuple, one after the other."""
        if not items:
            yield replace(path, result=before)
            return
        for text, found in self._each_hoisted(items[0], path):
            if text is None:
                yield found
            else:
                yield from self._components_of(items[1:], found, (*before, text))

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
        count = 1 if path.inside else components(self._function)
        if count == 1 or len(path.result) > 1 or failed(path.result):
            yield path
            return
        names = self.fresh_results(self._function, count)
        given = when(path, "equal", f"({', '.join(names)})", path.result[0])
        yield replace(given, result=names)

    def _decided(self, choice: str) -> str:
        """How a choice is decided in this lane; nothing of one that is not declared."""
        known = self._interpreter.choices.get(choice)
        return self._interpreter.decided.get(choice, known.default if known is not None else "")

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
            case s.Let(pattern, s.Match((s.Ref(choice),), clauses), ()) if (
                choice in self._interpreter.choices
            ):
                decided = (one.body for one in clauses
                           if _way(one.patterns[0]) in (self._decided(choice), None))  # fmt: skip
                for found in self._paths(next(decided), replace(path, inside=True)):
                    after = self._taken(pattern, replace(found, inside=path.inside))
                    yield from self._block(rest, result, after)
            case s.Let(_, s.Apply(s.Ref(name), args) as call) if self._judged(
                name
            ) is not None and any(chooses(arg, (rest, result)) for arg in args):
                for chosen, inner in self._argument_ways(args, path, (rest, result)):
                    plain = replace(line, value=replace(call, args=chosen))
                    yield from self._block((plain, *rest), result, inner)
            case s.Let(pattern, s.Apply(s.Ref("fold"), (whole, init, s.Lambda() as each)), _) if (
                elements := self._elements(whole, path) if len(each.params) == 2 else None
            ) is not None:
                for found in self._folded(each, elements, init, path):
                    if failed(found.result):
                        yield found
                    else:
                        yield from self._block(rest, result, self._taken(pattern, found))
            case s.Let(s.PTuple(parts), s.Tuple(items), ()) if len(parts) == len(items):
                for found in self._components_of(items, path, ()):
                    if failed(found.result):
                        yield found
                    else:
                        yield from self._block(rest, result, self._taken(line.pattern, found))
            case s.Let(pattern, value, ()) if any(map(self._branches, self._outermost(value))):
                for text, found in self._each_hoisted(value, path):
                    if text is None:
                        yield found
                        continue
                    after = self._named(found, pattern)
                    after = when(after, "equal", self._said(after, pattern), text)
                    yield from self._block(rest, result, after)
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
        asked = self._judgement_in(value)
        if asked is not None:
            judged, args, many = asked
            items = pattern.items if isinstance(pattern, s.PTuple) else (pattern,)
            after = self._named(path, pattern)
            text = tuple(self._said(after, item) for item in items)
            made = self._premise(judged, args, path, text, many=many)[1]
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
        fresh = self.fresh_results(judged, len(taken))
        results = tuple(
            name if isinstance(item, s.PAny) else self._said(after, item)
            for name, item in zip(fresh, taken, strict=True)
        )
        _, made = self._premise(judged, value.args, path, results)  # type: ignore[union-attr]
        made = replace(made, names=after.names)
        for result, item in zip(results, wanted, strict=True):
            if not isinstance(item, s.PAny | s.PVar):
                made = when(made, "unlike", result, self._open(item))
        return made


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


def _constant(text: str) -> s.Ref:
    """A truth value that stands nowhere in the definition."""
    return s.Ref(text, Span(0, len(text), Source("rule", text)))


def _way(pattern: s.Pattern) -> str | None:
    """The alternative that a clause of a choice is for; None for what is left."""
    return pattern.name if isinstance(pattern, s.PVar) else None
