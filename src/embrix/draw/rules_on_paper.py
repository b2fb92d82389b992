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
from embrix.brix.core import Interpreter
from embrix.draw.rule_drafts import (
    JudgementTerms,
    RuleDraft,
    decided,
    found_or_not,
    made_one,
    named,
    reserved,
    taken_apart,
    truth_said,
    unnamed,
)
from embrix.draw.rule_facts import RuleFacts
from embrix.draw.rule_forms import ConcreteForms
from embrix.draw.rule_letters import VariableTypes, letters_of
from embrix.draw.rule_parts import ERROR, Condition, RuleParts, failed
from embrix.draw.rule_terms import RuleTerm, changed, parts_within
from embrix.draw.rule_writing import RuleWriting
from embrix.draw.rules import InferenceRule, rules_in_parts
from embrix.machine.unit import substituters
from embrix.terms.types import Con, Type, settle


def rules_on_paper(interpreter: Interpreter, only: Sequence[str] = ()) -> list[InferenceRule]:
    """The rules of every function with a judgement, in the order of the clauses."""
    paper = _Paper(interpreter)
    return [made for rule in rules_in_parts(interpreter, only) for made in paper.rules(rule)]


LEAVES = ("Number", "Int", "Name", "Text")
"""Types of what is written by nothing but itself."""


class _Paper:
    def __init__(self, interpreter: Interpreter) -> None:
        self._interpreter = interpreter
        self._forms = ConcreteForms(interpreter)
        self._selectors = dict(_selectors(interpreter))
        self._substituting = substituters(interpreter)
        self._facts = RuleFacts(interpreter)
        self._constructors = {one.name: one for one in interpreter.constructors.values()}

    def rules(self, rule: RuleParts) -> Iterator[InferenceRule]:
        """The rule, in two where a part of a form may be missing; none where its conditions cannot
        hold."""
        draft = RuleDraft(rule)
        self._leaves_named(draft)
        taken_apart(draft)
        self._seen_through(draft)
        draft.conditions = [one for one in draft.conditions if one[0].kind != "done"]
        made_one(draft)
        decided(draft)
        reserved(draft)
        unnamed(draft)
        stepping = [
            one.args[relation.control] for one in draft.premises
            if (relation := one.said.function).finals and not failed(one.said.results)
        ]  # fmt: skip
        conditions = self._facts.said(draft.conditions, stepping)
        if conditions is not None:
            draft.conditions = conditions
            yield from map(self._written, self._with_and_without(draft))

    def _leaves_named(self, draft: RuleDraft) -> None:
        """A number, a name or a text that may be any is still one: it gets a name."""
        numbers = count(1)

        def name(term: RuleTerm) -> RuleTerm | None:
            form = self._constructors.get(term.text) if term.kind == "make" else None
            if form is None or len(term.parts) != 1 or term.parts[0].kind != "any":
                return None
            kind = settle(form.types[0])
            leaf = isinstance(kind, Con) and kind.name in LEAVES
            part = RuleTerm("var", f"{term.text} {next(numbers)}")
            return replace(term, parts=(part,)) if leaf else None

        for one in draft.judged:
            one.args = [changed(term, name) for term in one.args]
            one.results = [changed(term, name) for term in one.results]

    def _with_and_without(self, draft: RuleDraft) -> Iterator[RuleDraft]:
        """The same for each way in which parts that may be missing are there or not."""
        for form in (part for arg in draft.conclusion.args for part in parts_within(arg)):
            known = self._constructors.get(form.text) if form.kind == "make" else None
            for part, kind in zip(form.parts, known.types if known else (), strict=False):
                settled = settle(kind)
                maybe = isinstance(settled, Con) and settled.name == "Maybe"
                if maybe and part.kind in ("var", "any"):
                    name = part.text if part.kind == "var" else "part"
                    there = RuleTerm("make", "Some", (RuleTerm("var", f"{name} there"),))
                    for way in (there, RuleTerm("make", "None")):
                        other = draft.copied()
                        other.within(form, part, way)
                        other.change(found_or_not)
                        yield from self._with_and_without(other)
                    return
        yield draft

    def _written(self, draft: RuleDraft) -> InferenceRule:
        """The rule with its letters."""
        rule = draft.rule
        named(draft)
        types = VariableTypes(self._interpreter)
        for _ in range(2):  # what is found later may tell what stands before it
            for one in (draft.conclusion, *draft.premises):
                types.all(one.args, one.said.function.types)
                types.all(one.results, one.kinds)
            for condition, terms in draft.conditions:
                _look(types, condition, terms)
        function = draft.conclusion.said.function
        letters = letters_of(
            self._interpreter, types.of, draft.written(), function, draft.conclusion.args
        )
        around = {part.text for arg in draft.conclusion.args for part in parts_within(arg)
                  if part.kind == "context"}  # fmt: skip
        writing = RuleWriting(self._forms, letters, self._substituting, around)
        *premises, conclusion = (_said(one, writing) for one in draft.judged)
        premises = [
            said + _behind(draft, one, writing)
            for said, one in zip(premises, draft.premises, strict=True)
        ]
        beside = [text for term in draft.conclusion.args for text in writing.around(term)]
        beside += [text for one, parts in draft.conditions
                   for text in writing.condition(one, parts)]  # fmt: skip
        once = tuple(dict.fromkeys(beside))
        return InferenceRule(function.name, rule.name, tuple(premises), once, conclusion,
                             rule.place, paper=True)  # fmt: skip

    # ------------------------------------------------------------ what is seen through

    def _seen_through(self, draft: RuleDraft) -> None:
        """Where all uses of what a premise gives are calls of one helper that takes it apart, the
        premise gives what that helper finds."""
        for judged in draft.premises:
            for place, result in enumerate(judged.results):
                name = self._selector(result, list(draft.terms())) if result.kind == "var" else ""
                if name:
                    call = RuleTerm("call", name, (result,))
                    inner = truth_said(draft, call) or RuleTerm("var", f"{result.text} inside")
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


def _said(judged: JudgementTerms, writing: RuleWriting) -> str:
    results = tuple(map(writing.text, judged.results))
    if judged.fails:
        results = (ERROR + results[0],)
    args = tuple(map(writing.text, judged.args))
    return replace(judged.said, args=args, results=results).text


def _behind(draft: RuleDraft, premise: JudgementTerms, writing: RuleWriting) -> str:
    """What is said behind a premise: what its template leaves out."""
    handed = [f"{writing.text(RuleTerm('var', name))} = {writing.text(term)}"
              for name, term in draft.handed_on(premise)]  # fmt: skip
    given = ", ".join(map(writing.text, draft.giving(premise)))
    said = f" where {', '.join(handed)}" if handed else ""
    return f"{said}{',' if said else ''} giving {given}" if given else said


def _look(types: VariableTypes, condition: Condition, terms: Sequence[RuleTerm]) -> None:
    kind: Type | None = None
    for term in (*terms, terms[0]) if condition.kind in ("equal", "recursive") else terms:
        kind = types.look(term, kind)


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
