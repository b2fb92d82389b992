"""Checking blocks, matches, attempts and choices."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from operator import is_

from embrix.brix import core as k
from embrix.brix import syntax as s
from embrix.brix.built_in_calls import BuiltInCalls
from embrix.brix.patterns import Patterns
from embrix.brix.scope import WRONG
from embrix.brix.world import count
from embrix.terms.types import (
    BOOL,
    NAME,
    TEXT,
    Hole,
    Type,
    env,
)
from embrix.text.source import Span
from embrix.text.suggest import did_you_mean


def _worked_out(value: k.Core, knot: int, once: Callable[[k.Core], k.Core]) -> k.Core:
    """The value of a knot, where `once` stands for each part of it that does not mention the knot
    and is worked out; the same value where there is none."""
    if isinstance(value, k.Local | k.Const | k.Lambda | k.Empty):
        return value
    if isinstance(value, k.Build):
        parts = value.args
    elif isinstance(value, k.BuildTuple):
        parts = value.items
    elif k.Local(knot) in k.parts_of(value):
        return value
    else:
        return once(value)
    changed = tuple(_worked_out(part, knot, once) for part in parts)
    if all(map(is_, changed, parts)):
        return value
    return (
        k.Build(value.constructor, changed) if isinstance(value, k.Build) else k.BuildTuple(changed)
    )


class Blocks(BuiltInCalls):
    """What has lines or clauses inside: blocks, matches, choices, attempts."""

    def block(self, expr: s.Block, wanted: Type) -> k.Core:
        return self.lines(expr.lines, expr.result, wanted)

    def lines(self, lines: Sequence[s.Line], result: s.Expr, wanted: Type) -> k.Core:
        if not lines:
            return self.check(result, wanted)
        line, rest = lines[0], lines[1:]
        if isinstance(line, s.Emit):
            text = self.check(line.text, TEXT)
            return k.Emit(text, self.lines(rest, result, wanted))
        if isinstance(line, s.Require):
            test = self.check(line.test, BOOL)
            otherwise = self.check(line.otherwise, wanted)
            return k.Test(test, self.lines(rest, result, wanted), otherwise)
        if isinstance(line, s.LetRec):
            return self.knot(line, rest, result, wanted)
        asked = line.value.value if isinstance(line.value, s.Otherwise) else line.value
        self.may_ask = asked if isinstance(asked, s.Ask) else None
        value, kind = self.infer(line.value)
        slot = self.slot()
        misses = self.clauses(line.misses, [kind], wanted)
        self.scopes.append({})
        pattern = Patterns(self.world, self.declare).check(line.pattern, kind)
        then = self.lines(rest, result, wanted)
        self.scopes.pop()
        hit = k.CoreClause((pattern,), None, then, line.pattern.span)
        made = k.Match((value,), (slot,), (hit, *misses), line.span, wanted)
        # What comes out of `repeat` is final, which the type does not say.
        if misses or not (line.certain or isinstance(value, k.Repeat)):
            self.matches.append(("let", made, [kind]))
        return made

    def knot(self, line: s.LetRec, rest: Sequence[s.Line], result: s.Expr, wanted: Type) -> k.Core:
        """`let rec NAME = BASE with KEY = VALUE …`: the values may mention NAME."""
        pairs: list[tuple[s.Expr, s.Expr]] = []
        base = line.value
        while isinstance(base, s.With):
            pairs.insert(0, (base.key, base.value))
            base = base.container
        if not pairs:
            self.world.error(
                "wrong_pattern", "`let rec` ties an environment to values inside it", line.span,
                "write: let rec inner = env with f = …",
            )  # fmt: skip
            return WRONG
        hole = Hole()
        outer = self.check(base, env(hole))
        keys = [self.check(key, NAME) for key, _ in pairs]
        self.scopes.append({})
        slot = self.declare(line.name, env(hole), line.span)
        values = [self.check(value, hole) for _, value in pairs]
        then = self.lines(rest, result, wanted)
        self.scopes.pop()
        first: list[tuple[int, k.Core]] = []

        def once(part: k.Core) -> k.Core:
            first.append((self.slot(), part))
            return k.Local(first[-1][0])

        # A knot is filled in whenever it is read; what does not need it is worked out once, behind
        # what stands before it.
        if any(_worked_out(value, slot, lambda _: WRONG) is not value for value in values):
            outer, keys = once(outer), [once(key) for key in keys]
            values = [_worked_out(value, slot, once) for value in values]
        made: k.Core = k.Knot(outer, tuple(zip(keys, values, strict=True)), slot, then)
        for number, part in reversed(first):
            clause = k.CoreClause((k.Bind(number),), None, made, line.span)
            made = k.Match((part,), (self.slot(),), (clause,), line.span, wanted)
        return made

    # ---------------------------------------------------------------- clauses

    def match(self, expr: s.Match, wanted: Type) -> k.Core:
        only = expr.subjects[0]
        if len(expr.subjects) == 1 and isinstance(only, s.Ref) and self.find(only.name) is None:
            choice = self.world.choices.get(only.name)
            if choice is not None:
                return self.match_choice(choice, expr, wanted)
        pairs = [self.infer(subject) for subject in expr.subjects]
        types = [kind for _, kind in pairs]
        slots = tuple(self.slot() for _ in pairs)
        clauses = self.clauses(expr.clauses, types, wanted)
        made = k.Match(tuple(core for core, _ in pairs), slots, clauses, expr.span, wanted)
        # What comes out of `repeat` is final, which the type does not say.
        if not isinstance(pairs[0][0], k.Repeat):
            self.matches.append(("match", made, types))
        return made

    def clauses(
        self, clauses: Sequence[s.Clause], types: Sequence[Type], wanted: Type
    ) -> tuple[k.CoreClause, ...]:
        """Those of which it can be said what they are about."""
        made = (self.clause(clause, types, wanted) for clause in clauses)
        return tuple(clause for clause in made if clause is not None)

    def clause(self, clause: s.Clause, types: Sequence[Type], wanted: Type) -> k.CoreClause | None:
        """A clause; where what it gives is wrong, that is still to be written; None where it
        cannot be said what it is about."""
        mark = self.world.mark()
        unread = isinstance(clause.body, s.Todo) and bool(clause.body.code)
        if len(clause.patterns) != len(types) and unread:
            return None
        if len(clause.patterns) != len(types):
            self.world.error(
                "wrong_number", f"this clause has {count(len(clause.patterns), 'pattern')} for "
                f"{count(len(types), 'subject')}", clause.span,
            )  # fmt: skip
        self.scopes.append({})
        patterns = Patterns(self.world, self.declare)
        parts = tuple(patterns.check(p, t) for p, t in zip(clause.patterns, types, strict=False))
        parts += tuple(k.Bind(None) for _ in types[len(parts) :])
        if clause.only is not None:
            tags = frozenset(
                c.tag for c in self.world.constructors.values() if c.name in clause.only
            )
            parts = (k.Among(tags, parts[0]), *parts[1:])
        known = self.world.mark() == mark
        guard = self.check(clause.guard, BOOL) if clause.guard is not None else None
        body = self.check(clause.body, wanted)
        self.scopes.pop()
        if not known:
            return None
        hole = self.world.hole(mark, clause.span)
        if hole is not None:
            return k.CoreClause(parts, None, hole, clause.span)
        return k.CoreClause(parts, guard, body, clause.span)

    def attempt(self, expr: s.Attempt, wanted: Type) -> k.Core:
        value = self.check(expr.value, wanted)
        handlers: list[k.Handler] = []
        for clause in expr.handlers:
            pattern = clause.patterns[0]
            error = self.world.errors.get(pattern.name) if isinstance(pattern, s.PMake) else None
            if error is None or not isinstance(pattern, s.PMake):
                known = ", ".join(self.world.errors)
                self.world.error(
                    "unknown_error", "only a declared error can be caught", pattern.span,
                    f"declared are {known}" if known else "declare: error NAME \"…\"",
                )  # fmt: skip
                continue
            if len(pattern.args) != len(error.types):
                self.world.error(
                    "wrong_number", f"{error.name} has {count(len(error.types), 'field')}",
                    pattern.span,
                )  # fmt: skip
                continue
            self.scopes.append({})
            patterns = Patterns(self.world, self.declare)
            parts = tuple(
                patterns.check(p, t) for p, t in zip(pattern.args, error.types, strict=True)
            )
            guard = self.check(clause.guard, BOOL) if clause.guard is not None else None
            handlers.append(k.Handler(error, parts, guard, self.check(clause.body, wanted)))
            self.scopes.pop()
        return k.Attempt(value, tuple(handlers), expr.span)

    def any_of(self, expr: s.AnyOf, wanted: Type) -> k.Core:
        """The way that a run takes is looked up by its number."""
        guards: list[k.Core] = []
        clauses: list[k.CoreClause] = []
        for number, way in enumerate(expr.ways):
            mark = self.world.mark()
            guards.append(self.check(way.guard, BOOL) if way.guard is not None else k.Const(True))
            body = self.check(way.body, wanted)
            taken: k.CorePattern = k.Equals(number) if way is not expr.ways[-1] else k.Bind(None)
            body = self.world.contain(mark, way.span) or body
            clauses.append(k.CoreClause((taken,), None, body, way.span))
        took = k.TakeWay(tuple(guards), expr.span)
        return k.Match((took,), (self.slot(),), tuple(clauses), expr.span)

    # ---------------------------------------------------------------- choices

    def choice_is(self, expr: s.ChoiceIs) -> k.Core:
        choice = self.world.choices.get(expr.name)
        if choice is None:
            self.world.error(
                "unknown_name", f"there is no choice called {expr.name}", expr.span,
                did_you_mean(expr.name, self.world.choices),
            )  # fmt: skip
        elif expr.alternative not in choice.alternatives:
            self.unknown_alternative(choice, expr.alternative, expr.span)
        else:
            return k.Decided(expr.name, expr.alternative)
        return WRONG

    def unknown_alternative(self, choice: k.Choice, name: str, span: Span) -> None:
        known = ", ".join(choice.alternatives)
        self.world.error(
            "unknown_name", f"{choice.name} has no alternative called {name}", span,
            did_you_mean(name, choice.alternatives, f"they are {known}"),
        )  # fmt: skip

    def match_choice(self, choice: k.Choice, expr: s.Match, wanted: Type) -> k.Core:
        """`match CHOICE`: one line for each alternative, or `_` for all others."""
        result: k.Core | None = None
        for clause in reversed(expr.clauses):
            pattern = clause.patterns[0]
            body = self.check(clause.body, wanted)
            if isinstance(pattern, s.PAny):
                result = body
            elif isinstance(pattern, s.PVar) and pattern.name in choice.alternatives:
                test = k.Decided(choice.name, pattern.name)
                result = body if result is None else k.Test(test, body, result)
            else:
                name = pattern.name if isinstance(pattern, s.PVar) else "this"
                self.unknown_alternative(choice, name, pattern.span)
        named = {p.name for c in expr.clauses if isinstance(p := c.patterns[0], s.PVar)}
        others = any(isinstance(clause.patterns[0], s.PAny) for clause in expr.clauses)
        missing = [name for name in choice.alternatives if name not in named]
        if missing and not others:
            self.world.error(
                "missing_clause", f"there is no clause for {', '.join(missing)} of {choice.name}",
                expr.span, f"add: {missing[0]} => …",
            )  # fmt: skip
        return result if result is not None else WRONG
