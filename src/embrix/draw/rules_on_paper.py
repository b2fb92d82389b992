"""Inference rules as they stand in a textbook: programs in their concrete syntax, letters for what
they are made of, `Γ[x ↦ v]` for an environment with a binding more.

What a constructor is given is named before it is put in: `Num(a + b)` is n with the condition
n = n₁ + n₂. Helpers that only take a value apart are seen through: where `number(v)` is the n of
`Num(n)` and fails for all else, the premise gives n.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from copy import copy
from itertools import count

from msgspec.structs import replace

from embrix.brix import core as k
from embrix.brix.core import Interpreter
from embrix.draw.rule_facts import RuleFacts
from embrix.draw.rule_forms import ConcreteForms
from embrix.draw.rule_letters import MADE, VariableTypes, letters_of
from embrix.draw.rule_parts import ERROR, Condition, RuleParts, Said, failed
from embrix.draw.rule_terms import RuleTerm, changed, parts_within, term_of
from embrix.draw.rule_writing import RuleWriting
from embrix.draw.rules import InferenceRule, rules_in_parts
from embrix.machine.unit import substituters
from embrix.terms.types import Con, Tup, Type, settle


def rules_on_paper(interpreter: Interpreter, only: Sequence[str] = ()) -> list[InferenceRule]:
    """The rules of every function with a judgement, in the order of the clauses."""
    paper = _Paper(interpreter)
    return [made for rule in rules_in_parts(interpreter, only) for made in paper.rules(rule)]


class _Judged:
    """A judgement of a rule with its parts as terms."""

    def __init__(self, said: Said) -> None:
        self.said, self.fails = said, failed(said.results)
        self.args = [term_of(text) for text in said.args]
        self.results = [term_of(text.removeprefix(ERROR)) for text in said.results]
        """What it gives; of one that fails the error."""

    @property
    def kinds(self) -> list[Type]:
        """The types of the results."""
        function = self.said.function
        kind = settle(function.result)
        whole = len(self.results) == 1 and k.RESULT in (function.judgement or ())
        return [kind] if whole or not isinstance(kind, Tup) else list(kind.items)


class _Draft:
    """A rule on its way: its judgements and conditions as terms."""

    def __init__(self, rule: RuleParts) -> None:
        self.rule = rule
        self.premises = [_Judged(said) for said in rule.premises]
        self.conclusion = _Judged(rule.conclusion)
        self.conditions = [(one, [term_of(part) for part in one.parts]) for one in rule.conditions]

    def copied(self) -> _Draft:
        """The same, to be changed otherwise."""
        other = copy(self)
        other.premises, other.conclusion = list(map(copy, self.premises)), copy(self.conclusion)
        other.conditions = [(one, list(terms)) for one, terms in self.conditions]
        return other

    @property
    def judged(self) -> list[_Judged]:
        return [*self.premises, self.conclusion]

    def terms(self) -> Iterator[RuleTerm]:
        """All terms in the order in which they are read."""
        yield from self.conclusion.args
        for one in self.premises:
            yield from (*one.args, *one.results)
        yield from self.conclusion.results
        for _, parts in self.conditions:
            yield from parts

    def change(self, change: Callable[[RuleTerm], RuleTerm | None]) -> None:
        """Put other parts everywhere in place of those for which something is given."""
        for one in self.judged:
            one.args = [changed(term, change) for term in one.args]
            one.results = [changed(term, change) for term in one.results]
        for _, terms in self.conditions:
            terms[:] = [changed(term, change) for term in terms]

    def within(self, form: RuleTerm, part: RuleTerm, new: RuleTerm) -> None:
        """Put a term in place of a part of a form; of a variable wherever it stands."""
        if part.kind == "var":
            self.put(part, new)
        else:
            self.put(form, replace(form, parts=tuple(
                new if one is part else one for one in form.parts)))  # fmt: skip

    def put(self, old: RuleTerm, new: RuleTerm) -> None:
        """Put one term everywhere in place of another one."""
        self.change(lambda term: new if term == old else None)


class _Paper:
    def __init__(self, interpreter: Interpreter) -> None:
        self._interpreter = interpreter
        self._forms = ConcreteForms(interpreter)
        self._selectors = dict(_selectors(interpreter))
        self._substituting = substituters(interpreter)
        self._facts = RuleFacts(interpreter)

    def rules(self, rule: RuleParts) -> Iterator[InferenceRule]:
        """The rule, in two where a part of a form may be missing; none where its conditions cannot
        hold."""
        draft = _Draft(rule)
        _taken_apart(draft)
        self._seen_through(draft)
        draft.conditions = [one for one in draft.conditions if one[0].kind != "done"]
        _same(draft)
        once = {(one.kind, *terms): (one, terms) for one, terms in draft.conditions}
        conditions = self._facts.said(list(once.values()))
        if conditions is not None:
            draft.conditions = conditions
            yield from map(self._written, self._with_and_without(draft))

    def _with_and_without(self, draft: _Draft) -> Iterator[_Draft]:
        """The same for each way in which parts that may be missing are there or not."""
        forms = {one.name: one for one in self._interpreter.constructors.values()}
        for form in (part for arg in draft.conclusion.args for part in parts_within(arg)):
            known = forms.get(form.text) if form.kind == "make" else None
            for part, kind in zip(form.parts, known.types if known else (), strict=False):
                settled = settle(kind)
                maybe = isinstance(settled, Con) and settled.name == "Maybe"
                if maybe and part.kind in ("var", "any"):
                    name = part.text if part.kind == "var" else "part"
                    there = RuleTerm("make", "Some", (RuleTerm("var", f"{name} there"),))
                    for way in (there, RuleTerm("make", "None")):
                        other = draft.copied()
                        other.within(form, part, way)
                        other.change(_found)
                        yield from self._with_and_without(other)
                    return
        yield draft

    def _written(self, draft: _Draft) -> InferenceRule:
        """The rule with its letters."""
        rule = draft.rule
        _named(draft)
        types = VariableTypes(self._interpreter)
        for _ in range(2):  # what is found later may tell what stands before it
            for one in (draft.conclusion, *draft.premises):
                types.all(one.args, one.said.function.types)
                types.all(one.results, one.kinds)
            for condition, terms in draft.conditions:
                _look(types, condition, terms)
        function = draft.conclusion.said.function
        letters = letters_of(
            self._interpreter, types.of, draft.terms(), function, draft.conclusion.args
        )
        writing = RuleWriting(self._forms, letters, self._substituting)
        *premises, conclusion = (_said(one, writing) for one in draft.judged)
        beside = (text for one, parts in draft.conditions
                  for text in writing.condition(one, parts))  # fmt: skip
        return InferenceRule(function.name, rule.name, tuple(premises), tuple(beside),
                             conclusion, rule.place, paper=True)  # fmt: skip

    # ------------------------------------------------------------ what is seen through

    def _seen_through(self, draft: _Draft) -> None:
        """Where all uses of what a premise gives are calls of one helper that takes it apart, the
        premise gives what that helper finds."""
        for judged in draft.premises:
            for place, result in enumerate(judged.results):
                name = self._selector(result, list(draft.terms())) if result.kind == "var" else ""
                if name:
                    call = RuleTerm("call", name, (result,))
                    inner = _truth(draft, call) or RuleTerm("var", f"{result.text} inside")
                    draft.put(call, inner)
                    judged.results[place] = RuleTerm("make", self._selectors[name], (inner,))

    def _selector(self, variable: RuleTerm, terms: Sequence[RuleTerm]) -> str:
        """The one helper that all uses of a variable, beside the place that gives it, are handed
        to; nothing where there is none."""
        parts = [part for term in terms for part in parts_within(term)]
        uses = parts.count(variable) - 1
        calls = [part.text for part in parts
                 if part.kind == "call" and part.parts == (variable,)]  # fmt: skip
        one = len(set(calls)) == 1 and len(calls) == uses and calls[0] in self._selectors
        return calls[0] if one else ""


def _said(judged: _Judged, writing: RuleWriting) -> str:
    results = tuple(map(writing.text, judged.results))
    if judged.fails:
        results = (ERROR + results[0],)
    args = tuple(map(writing.text, judged.args))
    return replace(judged.said, args=args, results=results).text


def _look(types: VariableTypes, condition: Condition, terms: Sequence[RuleTerm]) -> None:
    kind: Type | None = None
    for term in (*terms, terms[0]) if condition.kind in ("equal", "recursive") else terms:
        kind = types.look(term, kind)


def _taken_apart(draft: _Draft) -> None:
    """What the conclusion is given with a name for the whole (`Fun(_, _) as e`) is written out
    wherever the name stands."""
    wholes: dict[str, RuleTerm] = {}
    for term in draft.conclusion.args:
        for part in parts_within(term):
            if part.kind == "as":
                wholes[part.text] = _all_named(part.parts[0], part.text)
    draft.change(lambda term: wholes.get(term.text) if term.kind in ("var", "as") else None)


def _truth(draft: _Draft, call: RuleTerm) -> RuleTerm | None:
    """What a condition says that a truth value is; it need not be said beside the premise then."""
    for condition, terms in draft.conditions:
        if condition.kind in ("holds", "refuted") and terms == [call]:
            draft.conditions = [one for one in draft.conditions if one[1] is not terms]
            return RuleTerm("const", "true" if condition.kind == "holds" else "false")
    return None


def _same(draft: _Draft) -> None:
    """Two names for one thing become one name; what a premise gives that a condition says to be of
    some form is written in that form."""
    for condition, terms in tuple(draft.conditions):
        asked = condition.kind == "holds" and (terms[0].kind, terms[0].text) == ("op", "==")
        if condition.kind != "equal" and not asked:
            continue
        first, other = terms[0].parts if asked else terms
        whole = [one for judged in draft.premises for one in judged.results]
        given = [part for one in (*whole, *draft.conclusion.args) for part in parts_within(one)]
        if first.kind != "var" or (other.kind == "var" and first not in given):
            first, other = other, first
        form = other.kind == "make" and not any(
            part.kind not in ("make", "var", "any", "const") for part in parts_within(other)
        )
        if first == other or (first.kind == "var" and (
            other.kind == "var" or (first in given and form)
        )):  # fmt: skip
            draft.conditions = [one for one in draft.conditions if one[1] is not terms]
            draft.put(first, _all_named(other, first.text))


def _all_named(term: RuleTerm, name: str) -> RuleTerm:
    """A term with a name for every part that may be anything."""
    numbers = count(1)
    return changed(term, lambda one: RuleTerm("var", f"{name} {next(numbers)}")
                   if one.kind == "any" else None)  # fmt: skip


def _found(term: RuleTerm) -> RuleTerm | None:
    """What there is of something that may be missing, or what stands in for it."""
    if term.kind == "otherwise" and len(term.parts) == 2 and term.parts[0].kind == "make":
        there, instead = term.parts
        return there.parts[0] if there.parts else instead
    return None


def _named(draft: _Draft) -> None:
    """Names for what is worked out inside a constructor, with the conditions that say so."""
    made: dict[RuleTerm, RuleTerm] = {}

    def name(term: RuleTerm, parent: bool = False) -> RuleTerm:
        if parent and term.kind in ("op", "call", "if"):
            return made.setdefault(term, RuleTerm("var", f"{MADE}{len(made)}"))
        inside = term.kind == "make"
        return replace(term, parts=tuple(name(part, inside) for part in term.parts))

    for one in draft.judged:
        one.results = [name(term) for term in one.results]
        one.args = [name(term) for term in one.args]
    for term, new in made.items():
        draft.conditions.append((Condition("equal", (new.text, term.text)), [new, term]))


def _selectors(interpreter: Interpreter) -> Iterator[tuple[str, str]]:
    """The functions that give what stands in one constructor and fail for all else, as the choices
    of the lane are decided, with the constructor."""
    names = {one.tag: one.name for one in interpreter.constructors.values()}

    def known(guard: k.Core | None) -> bool | None:
        choices, decided = interpreter.choices, interpreter.decided
        return k.known_guard(guard, lambda name: decided.get(name, choices[name].default))

    for function in interpreter.functions.values():
        if function.judgement is not None or len(function.params) != 1 or function.finals:
            continue
        found = [one for one in function.clauses if known(one.guard) is not False]
        taking = [one for one in found if not isinstance(one.body, k.Fail)]
        if len(taking) == 1 and known(taking[0].guard):
            (pattern,), given = taking[0].patterns, taking[0].body
            if isinstance(pattern, k.Shape) and pattern.tag in names and len(pattern.fields) == 1:
                (field,) = pattern.fields
                same = isinstance(field, k.Bind) and isinstance(given, k.Local)
                if same and field.slot == given.slot:  # type: ignore[union-attr]
                    yield function.name, names[pattern.tag]
