"""A rule on its way to paper: its judgements and conditions as terms, and what is done with these.

Two names of one thing become one, what a premise gives is written in the form that a condition
says, a reserved location is one that is not there, and what is worked out inside a constructor gets
a name.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from copy import copy
from itertools import count

from msgspec.structs import replace

from embrix.brix import core as k
from embrix.draw.rule_letters import MADE
from embrix.draw.rule_parts import ERROR, Condition, RuleParts, Said, failed
from embrix.draw.rule_terms import RuleTerm, changed, parts_within, term_of
from embrix.terms.types import Tup, Type, settle

NUMBERED = re.compile(r" \d+$")
"""How names end that are made for parts which may be anything."""


class JudgementTerms:
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

    @property
    def said_of(self) -> list[RuleTerm]:
        """What it is about, as far as its template says that."""
        template = self.said.function.judgement
        return [term for number, term in enumerate(self.args)
                if template is None or number in template]  # fmt: skip

    @property
    def given(self) -> list[RuleTerm]:
        """What it gives, as far as its template says that."""
        return [term for number, term in enumerate(self.results) if self._is_given(number)]

    @property
    def left_out(self) -> list[RuleTerm]:
        """What it gives and its template does not say."""
        return [term for number, term in enumerate(self.results) if not self._is_given(number)]

    def _is_given(self, number: int) -> bool:
        """Whether the template says one of its results."""
        template = self.said.function.judgement
        whole = template is None or len(self.results) == 1 or k.RESULT in template
        return whole or k.RESULT - 1 - number in (template or ())


class RuleDraft:
    """A rule on its way: its judgements and conditions as terms."""

    def __init__(self, rule: RuleParts) -> None:
        self.rule = rule
        self.premises = [JudgementTerms(said) for said in rule.premises]
        self.conclusion = JudgementTerms(rule.conclusion)
        self.conclusion.args = [changed(one, _context) for one in self.conclusion.args]
        self.conditions = [(one, [term_of(part) for part in one.parts]) for one in rule.conditions]

    def copied(self) -> RuleDraft:
        """The same, to be changed otherwise."""
        other = copy(self)
        other.premises, other.conclusion = list(map(copy, self.premises)), copy(self.conclusion)
        other.conditions = [(one, list(terms)) for one, terms in self.conditions]
        return other

    @property
    def judged(self) -> list[JudgementTerms]:
        return [*self.premises, self.conclusion]

    def terms(self) -> Iterator[RuleTerm]:
        """All terms in the order in which they are read."""
        yield from self.conclusion.args
        for one in self.premises:
            yield from (*one.args, *one.results)
        for _, parts in self.conditions:
            yield from parts
        yield from self.conclusion.results

    def written(self) -> list[RuleTerm]:
        """The terms that are written, in the order in which they are read: of judgements what their
        templates say and what is said behind them, and those in conditions."""
        found = list(self.conclusion.said_of)
        for one in self.premises:
            found += [*one.said_of, *one.given]
            for name, term in self.handed_on(one):
                found += [RuleTerm("var", name), term]
            found += self.giving(one)
        for _, parts in self.conditions:
            found += parts
        return [*found, *self.conclusion.given]

    def _seen(self) -> set[str]:
        """The texts of what judgements say by their templates, and of conditions."""
        terms = [term for one in self.judged for term in (*one.said_of, *one.given)]
        terms += [term for _, parts in self.conditions for term in parts]
        return {part.text for term in terms for part in parts_within(term)}

    def handed_on(self, premise: JudgementTerms) -> list[tuple[str, RuleTerm]]:
        """What a premise is handed that its template does not say, by parameter, where it is
        something else than what the conclusion has, and speaks of something that is said in the
        rule."""
        own, seen = self.conclusion.said.function.params, self._seen()
        found = []
        for number, name in premise.said.unsaid:
            term = premise.args[number]
            unchanged = term == RuleTerm("var", name) and name in own
            whole = term.kind in ("raw", "const")
            if not unchanged and (whole or any(
                part.text in seen or part.text in own for part in parts_within(term)
            )):  # fmt: skip
                found.append((name, term))
        return found

    def giving(self, premise: JudgementTerms) -> list[RuleTerm]:
        """What a premise gives that its template does not say, where the rule speaks of it."""
        seen = self._seen() | {
            part.text for one in self.premises for _, term in self.handed_on(one)
            for part in parts_within(term)
        }  # fmt: skip
        return [one for one in premise.left_out if one.kind == "var" and one.text in seen]

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


def _context(term: RuleTerm) -> RuleTerm | None:
    """What stands in brackets behind a name in a pattern: nothing is looked up there."""
    if term.kind != "at":
        return None
    around, inner = term.parts
    return RuleTerm("context", around.text, (changed(inner, _context),))


def taken_apart(draft: RuleDraft) -> None:
    """What the conclusion is given with a name for the whole (`Fun(_, _) as e`) is written out
    wherever the name stands."""
    wholes: dict[str, RuleTerm] = {}
    for term in draft.conclusion.args:
        for part in parts_within(term):
            if part.kind == "as":
                wholes[part.text] = _all_named(part.parts[0], part.text)
    draft.change(lambda term: wholes.get(term.text) if term.kind in ("var", "as") else None)


def truth_said(draft: RuleDraft, call: RuleTerm) -> RuleTerm | None:
    """What a condition says that a truth value is; it need not be said beside the premise then."""
    for condition, terms in draft.conditions:
        if condition.kind in ("holds", "refuted") and terms == [call]:
            draft.conditions = [one for one in draft.conditions if one[1] is not terms]
            return RuleTerm("const", "true" if condition.kind == "holds" else "false")
    return None


def made_one(draft: RuleDraft) -> None:
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
            part.kind not in ("make", "var", "any", "const", "list", "rest")
            for part in parts_within(other)
        )
        said = [part for one in draft.terms() for part in parts_within(one)]
        short = len(other.parts) == 1 or said.count(first) <= 2
        if first == other or (first.kind == "var" and (
            other.kind == "var" or (form and (first in given or short))
        )):  # fmt: skip
            draft.conditions = [one for one in draft.conditions if one[1] is not terms]
            draft.put(first, _all_named(other, first.text))


def decided(draft: RuleDraft) -> None:
    """What a premise gives that a condition says to be so, or not, is true or false."""
    given = [term for one in draft.premises for term in one.results if term.kind == "var"]
    for condition, terms in tuple(draft.conditions):
        if condition.kind in ("holds", "refuted") and terms[0] in given:
            draft.conditions = [one for one in draft.conditions if one[1] is not terms]
            text = "true" if condition.kind == "holds" else "false"
            draft.put(terms[0], RuleTerm("const", text))


def reserved(draft: RuleDraft) -> None:
    """A location that is reserved, and into which something is put wherever the store is used that
    has it, is one that the store before has not."""
    for number, (condition, terms) in enumerate(draft.conditions):
        first, last = terms[0], terms[-1]
        reserving = (last.kind, last.text, len(last.parts)) == ("call", "reserve", 1)
        if condition.kind != "equal" or not reserving or len(first.parts) != 2:
            continue
        (location, after), (store,) = first.parts, last.parts
        absent = RuleTerm("at", "", (store, location))
        others = draft.copied()
        del others.conditions[number]

        def put(
            term: RuleTerm, after: RuleTerm = after, location: RuleTerm = location,
            store: RuleTerm = store,
        ) -> RuleTerm | None:  # fmt: skip
            if term.kind == "with" and term.parts[:2] == (after, location):
                return replace(term, parts=(store, *term.parts[1:]))
            return None

        others.change(put)
        if after not in (part for term in others.terms() for part in parts_within(term)):
            draft.change(put)
            draft.conditions[number] = (Condition("absent", (absent.text,)), [absent])


def _all_named(term: RuleTerm, name: str) -> RuleTerm:
    """A term with a name for every part that may be anything."""
    numbers = count(1)
    return changed(term, lambda one: RuleTerm("var", f"{name} {next(numbers)}")
                   if one.kind == "any" else None)  # fmt: skip


def unnamed(draft: RuleDraft) -> None:
    """What was named in vain may be anything again; the only part of a form says what form that
    is."""
    within = [part for term in draft.terms() for part in parts_within(term)]
    names = [part.text for part in within]
    alone = {part.parts[0].text for part in within if len(part.parts) == 1}
    vain = {name for name in names if NUMBERED.search(name) and names.count(name) == 1} - alone
    draft.change(lambda one: RuleTerm("any", "_") if one.kind == "var" and one.text in vain
                 else None)  # fmt: skip


def found_or_not(term: RuleTerm) -> RuleTerm | None:
    """What there is of something that may be missing, or what stands in for it."""
    if term.kind == "otherwise" and len(term.parts) == 2 and term.parts[0].kind == "make":
        there, instead = term.parts
        return there.parts[0] if there.parts else instead
    return None


def named(draft: RuleDraft) -> None:
    """Names for what is worked out inside a constructor, with the conditions that say so."""
    made: dict[RuleTerm, RuleTerm] = {}

    def name(term: RuleTerm, parent: bool = False) -> RuleTerm:
        if term.kind == "fn":
            return term  # nothing is worked out before it is called
        if parent and term.kind in ("op", "call", "if"):
            return made.setdefault(term, RuleTerm("var", f"{MADE}{len(made)}"))
        inside = term.kind == "make"
        return replace(term, parts=tuple(name(part, inside) for part in term.parts))

    for one in draft.judged:
        one.results = [name(term) for term in one.results]
        one.args = [name(term) for term in one.args]
    for term, new in made.items():
        draft.conditions.append((Condition("equal", (new.text, term.text)), [new, term]))
