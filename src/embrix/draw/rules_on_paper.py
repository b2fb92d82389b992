"""Inference rules as they stand in a textbook: programs in their concrete syntax, letters for what
they are made of, `Γ[x ↦ v]` for an environment with a binding more.

What a constructor is given is named before it is put in: `Num(a + b)` is n with the condition
n = n₁ + n₂. Helpers that only take a value apart are seen through: where `number(v)` is the n of
`Num(n)` and fails for all else, the premise gives n.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import count

from msgspec.structs import replace

from embrix.brix import core as k
from embrix.brix.core import Function, Interpreter
from embrix.draw.rule_forms import ConcreteForms
from embrix.draw.rule_letters import MADE, VariableTypes, letters_of
from embrix.draw.rule_parts import Condition, RuleParts, Said, failed
from embrix.draw.rule_terms import RuleTerm, changed, parts_within, term_of
from embrix.draw.rule_writing import RuleWriting
from embrix.draw.rules import InferenceRule, rules_in_parts
from embrix.machine.unit import substituters
from embrix.terms.types import Tup, Type, settle


def rules_on_paper(interpreter: Interpreter, only: Sequence[str] = ()) -> list[InferenceRule]:
    """The rules of every function with a judgement, in the order of the clauses."""
    paper = _Paper(interpreter)
    return [paper.rule(rule) for rule in rules_in_parts(interpreter, only)]


class _Judged:
    """A judgement of a rule with its parts as terms."""

    def __init__(self, said: Said) -> None:
        self.said, self.fails = said, failed(said.results)
        self.args = [term_of(text) for text in said.args]
        self.results = [] if self.fails else [term_of(text) for text in said.results]

    @property
    def kinds(self) -> list[Type]:
        """The types of the results."""
        function = self.said.function
        kind = settle(function.result)
        whole = len(self.results) == 1 and k.RESULT in (function.judgement or ())
        return [kind] if whole or not isinstance(kind, Tup) else list(kind.items)


class _Paper:
    def __init__(self, interpreter: Interpreter) -> None:
        self._interpreter = interpreter
        self._forms = ConcreteForms(interpreter)
        self._selectors = dict(_selectors(interpreter))
        self._substituting = substituters(interpreter)

    def rule(self, rule: RuleParts) -> InferenceRule:
        premises = [_Judged(said) for said in rule.premises]
        conclusion = _Judged(rule.conclusion)
        conditions = [(one, [term_of(part) for part in one.parts]) for one in rule.conditions]
        _taken_apart(conclusion, premises, conditions)
        conditions = self._seen_through(premises, conclusion, conditions)
        conditions = self._same(premises, conclusion, conditions)
        conditions += self._named([*premises, conclusion], premises)
        judged = [*premises, conclusion]
        types = VariableTypes(self._interpreter)
        for _ in range(2):  # what is found later may tell what stands before it
            for one in (conclusion, *premises):
                types.all(one.args, one.said.function.types)
                types.all(one.results, one.kinds)
            for condition, terms in conditions:
                self._look(types, condition, terms)
        terms = [*conclusion.args, *(t for one in premises for t in (*one.args, *one.results))]
        terms += [*conclusion.results, *(term for _, parts in conditions for term in parts)]
        letters = letters_of(
            self._interpreter, types.of, terms, conclusion.said.function, conclusion.args
        )
        writing = RuleWriting(self._forms, letters, self._substituting)
        written = [self._said(one, writing) for one in judged]
        return InferenceRule(
            rule.conclusion.function.name, rule.name, tuple(written[:-1]),
            tuple(text for one, parts in conditions for text in writing.condition(one, parts)),
            written[-1], rule.place, paper=True,
        )  # fmt: skip

    def _said(self, judged: _Judged, writing: RuleWriting) -> str:
        results = judged.said.results if judged.fails else tuple(map(writing.text, judged.results))
        args = tuple(map(writing.text, judged.args))
        return replace(judged.said, args=args, results=results).text

    @staticmethod
    def _look(types: VariableTypes, condition: Condition, terms: Sequence[RuleTerm]) -> None:
        kind: Type | None = None
        for term in (*terms, terms[0]) if condition.kind in ("equal", "recursive") else terms:
            kind = types.look(term, kind)

    # ------------------------------------------------------------ what is seen through

    def _seen_through(
        self, premises: Sequence[_Judged], conclusion: _Judged,
        conditions: list[tuple[Condition, list[RuleTerm]]],
    ) -> list[tuple[Condition, list[RuleTerm]]]:  # fmt: skip
        """Where all uses of what a premise gives are calls of one helper that takes it apart, the
        premise gives what that helper finds."""
        for judged in premises:
            for place, result in enumerate(judged.results):
                if result.kind != "var":
                    continue
                others = [
                    *conclusion.args,
                    *conclusion.results,
                    *(t for _, ts in conditions for t in ts),
                ]
                others += [t for one in premises for t in one.args]
                others += [t for one in premises for t in one.results if t is not result]
                found = self._selector(result.text, others)
                if found is None:
                    continue
                name, constructor = found
                inner = RuleTerm("var", f"{result.text}_inside")
                truth = self._truth(result.text, name, conditions)
                if truth is not None:
                    at, inner = truth
                    conditions = [*conditions[:at], *conditions[at + 1 :]]
                call = RuleTerm("call", name, (result,))

                def instead(
                    term: RuleTerm, call: RuleTerm = call, inner: RuleTerm = inner
                ) -> RuleTerm | None:
                    return inner if term == call else None

                for one in (*premises, conclusion):
                    one.args = [changed(term, instead) for term in one.args]
                    one.results = [changed(term, instead) for term in one.results]
                conditions = [(c, [changed(t, instead) for t in ts]) for c, ts in conditions]
                judged.results[place] = RuleTerm("make", constructor, (inner,))
        return conditions

    def _selector(self, variable: str, terms: Sequence[RuleTerm]) -> tuple[str, str] | None:
        """The one helper that all uses of a variable are handed to, with the constructor that it
        takes apart."""
        uses = sum(
            part.kind == "var" and part.text == variable for t in terms for part in parts_within(t)
        )
        called = {
            part.text for term in terms for part in parts_within(term)
            if part.kind == "call" and part.text in self._selectors
            and part.parts == (RuleTerm("var", variable),)
        }  # fmt: skip
        if len(called) != 1:
            return None
        (name,) = called
        calls = sum(
            part.kind == "call" and part.text == name and part.parts == (RuleTerm("var", variable),)
            for term in terms for part in parts_within(term)
        )  # fmt: skip
        return (name, self._selectors[name]) if calls == uses else None

    @staticmethod
    def _truth(
        variable: str, name: str, conditions: Sequence[tuple[Condition, list[RuleTerm]]]
    ) -> tuple[int, RuleTerm] | None:
        """The number of the condition that says that a truth value is true, or false, and which."""
        call = RuleTerm("call", name, (RuleTerm("var", variable),))
        for number, (condition, terms) in enumerate(conditions):
            if condition.kind in ("holds", "refuted") and terms == [call]:
                return number, RuleTerm("const", "true" if condition.kind == "holds" else "false")
        return None

    @staticmethod
    def _same(
        premises: Sequence[_Judged], conclusion: _Judged,
        conditions: list[tuple[Condition, list[RuleTerm]]],
    ) -> list[tuple[Condition, list[RuleTerm]]]:  # fmt: skip
        """Two names for one thing become one name."""
        for number, (condition, terms) in enumerate(conditions):
            if condition.kind == "equal" and {term.kind for term in terms} == {"var"}:
                first, other = terms
                rest = [*conditions[:number], *conditions[number + 1 :]]

                def instead(
                    term: RuleTerm, first: RuleTerm = first, other: RuleTerm = other
                ) -> RuleTerm | None:
                    return first if term == other else None

                for one in (*premises, conclusion):
                    one.args = [changed(term, instead) for term in one.args]
                    one.results = [changed(term, instead) for term in one.results]
                rest = [(c, [changed(t, instead) for t in ts]) for c, ts in rest]
                return _Paper._same(premises, conclusion, rest)
        return conditions

    def _named(
        self, judged: Sequence[_Judged], premises: Sequence[_Judged]
    ) -> list[tuple[Condition, list[RuleTerm]]]:
        """Names for what is worked out inside a constructor, with the conditions that say so."""
        made: list[tuple[Condition, list[RuleTerm]]] = []
        known: dict[RuleTerm, RuleTerm] = {}

        def name(term: RuleTerm, parent: bool = False) -> RuleTerm:
            if parent and term in known:
                return known[term]
            if parent and term.kind in ("op", "call", "if"):
                new = known[term] = RuleTerm("var", f"{MADE}{len(made)}")
                condition = Condition("equal", (new.text, term.text))
                made.append((condition, [new, term]))
                return new
            inside = term.kind == "make"
            return replace(term, parts=tuple(name(part, inside) for part in term.parts))

        for one in judged:
            one.results = [name(term) for term in one.results]
            one.args = [name(term) for term in one.args]
        return made


def _taken_apart(
    conclusion: _Judged, premises: Sequence[_Judged],
    conditions: Sequence[tuple[Condition, list[RuleTerm]]],
) -> None:  # fmt: skip
    """What the conclusion is given with a name for the whole (`Fun(_, _) as e`) is written out
    wherever the name stands."""
    wholes: dict[str, RuleTerm] = {}
    for term in conclusion.args:
        for part in parts_within(term):
            if part.kind == "as":
                numbers = count(1)

                def named(
                    one: RuleTerm, name: str = part.text, of: Iterator[int] = numbers
                ) -> RuleTerm | None:
                    return RuleTerm("var", f"{name} {next(of)}") if one.kind == "any" else None

                wholes[part.text] = changed(part.parts[0], named)

    def written(term: RuleTerm) -> RuleTerm | None:
        return wholes.get(term.text) if term.kind in ("var", "as") else None

    for judged in (conclusion, *premises):
        judged.args = [changed(term, written) for term in judged.args]
        judged.results = [changed(term, written) for term in judged.results]
    for _, terms in conditions:
        terms[:] = [changed(term, written) for term in terms]


def _selectors(interpreter: Interpreter) -> Iterator[tuple[str, str]]:
    """The functions that give what stands in one constructor and fail for all else, as the choices
    of the lane are decided, with the constructor."""
    names = {one.tag: one.name for one in interpreter.constructors.values()}
    for function in interpreter.functions.values():
        if function.judgement is not None or len(function.params) != 1 or function.finals:
            continue
        found = [one for one in function.clauses if not _never(interpreter, function, one)]
        taking = [one for one in found if not isinstance(one.body, k.Fail)]
        if len(taking) == 1 and taking[0].guard is None:
            (pattern,) = taking[0].patterns
            field = pattern.fields[0] if isinstance(pattern, k.Shape) and pattern.fields else None
            given = taking[0].body
            if (
                isinstance(pattern, k.Shape) and len(pattern.fields) == 1 and pattern.tag in names
                and isinstance(field, k.Bind) and isinstance(given, k.Local)
                and given.slot == field.slot
            ):  # fmt: skip
                yield function.name, names[pattern.tag]


def _never(interpreter: Interpreter, function: Function, clause: k.CoreClause) -> bool:
    """Whether a choice of the lane keeps a clause from being taken."""
    for part in k.parts_of(clause.guard):
        if isinstance(part, k.Decided):
            known = interpreter.choices[part.choice]
            decided = interpreter.decided.get(part.choice, known.default)
            if decided != part.alternative and isinstance(clause.guard, k.Decided | k.Test):
                return clause.guard == part or (
                    isinstance(clause.guard, k.Test) and clause.guard.no == k.Const(False)
                )
    return False
