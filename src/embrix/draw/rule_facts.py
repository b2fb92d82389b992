"""What conditions of a rule say that is always so, or never: `size([x]) = size([v])`, `called(v)`
of a function, that a part which takes a step is none that is final. The first need not be said, and
a rule with one of the others is none."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Sequence

from embrix.brix import core as k
from embrix.brix.core import Interpreter
from embrix.draw.helpers import conditions_of
from embrix.draw.rule_parts import Condition, ConditionKind
from embrix.draw.rule_terms import RuleTerm, changed, term_of
from embrix.terms.types import BOOL

Known = tuple[Condition, list[RuleTerm]]


class RuleFacts:
    """What is known of the functions of an interpreter that tell one constructor from another, and
    of the forms that take no more steps."""

    def __init__(self, interpreter: Interpreter) -> None:
        names = {one.tag: one.name for one in interpreter.constructors.values()}
        functions = interpreter.functions.values()
        self.told = {one.name: told for one in functions if (told := _told(one, names))}
        """By function for which constructors it is true, and whether it is for all others."""
        self.only = {one.name: only for one in functions if (only := _only(one, names))}
        """By function for which constructors, parameter by parameter, it can be true."""
        self.cases = {one.name: _cases(one, names) for one in functions if one.result == BOOL}
        """By function of truth for each clause the constructors it takes and what it gives."""
        self.final = {
            names[tag] for function in functions for one in function.finals
            if one.guard is None and (tag := _plain(one.patterns[0])) in names
        }  # fmt: skip
        """The constructors of what takes no more steps."""
        self._meant = {
            name: (params, term_of(text))
            for name, (params, text) in conditions_of(interpreter).items()
        }
        """By function that only names a condition its parameters and what it says."""

    def said(
        self, conditions: Sequence[Known], stepping: Collection[RuleTerm]
    ) -> list[Known] | None:
        """The conditions that say something, each by itself; None where they cannot hold together.
        `stepping` takes a step in some premise."""
        found = _once(one for known in conditions for one in self._parts(known))
        facts = _Facts(self, found, stepping)
        kept: list[Known] = []
        for known in found:
            one, terms = known
            if one.kind not in ("holds", "refuted"):
                if one.kind != "unlike" or not facts.implied(terms):
                    kept.append(known)
                continue
            true = facts.truth(terms[0], refuted=one.kind == "refuted")
            if true is not None and true is not (one.kind == "holds"):
                return None
            if true is None:
                kept += self._parts((one, [facts.rest(terms[0], one.kind)]))
        return _once(kept)

    # ------------------------------------------------------------ one condition as several

    def _parts(self, known: Known) -> Iterator[Known]:
        """What a condition comes to: each part of a conjunction, what takes no more steps."""
        one, terms = known
        if one.kind not in ("holds", "refuted"):
            yield known
            return
        term = self._opened(terms[0])
        refuted = one.kind == "refuted"
        if term.kind == "op" and term.text == "not":
            yield from self._parts(_condition("holds" if refuted else "refuted", term.parts[0]))
        elif term.kind == "op" and term.text == ("or" if refuted else "and"):
            for part in term.parts:
                yield from self._parts(_condition(one.kind, part))
        elif not refuted and is_final(term):
            yield _condition("final", term.parts[0])
        else:
            yield _condition(one.kind, term)

    def _opened(self, term: RuleTerm) -> RuleTerm:
        """A condition in place of the call that only names it."""
        if term.kind != "call" or term.text not in self._meant:
            return term
        params, said = self._meant[term.text]
        given = dict(zip(params, term.parts, strict=False))
        return changed(said, lambda one: given.get(one.text) if one.kind == "var" else None)


class _Facts:
    """What holds in one rule."""

    def __init__(
        self, known: RuleFacts, conditions: Sequence[Known], stepping: Collection[RuleTerm]
    ) -> None:
        self._known = known
        self._stepping = stepping
        self._conditions = conditions
        self._ended = [terms[0] for one, terms in conditions if one.kind == "final"]

    def truth(self, term: RuleTerm, *, refuted: bool = False) -> bool | None:
        """Whether a condition holds; None where that is not known."""
        if term.kind == "op" and term.text in ("and", "or", "not"):
            parts = [self.truth(part) for part in term.parts]
            if term.text == "not":
                return None if parts[0] is None else not parts[0]
            settling = term.text == "or"
            if settling in parts:
                return settling
            return None if None in parts else not settling
        if term.kind == "op" and term.text in ("==", "!="):
            left, right = map(_size, term.parts)
            if left is None or right is None:
                return None
            return (left == right) is (term.text == "==")
        if is_final(term):
            return self._is_final(term.parts[0])
        return self._called(term, refuted=refuted) if term.kind == "call" else None

    def _is_final(self, term: RuleTerm) -> bool | None:
        if term in self._stepping:
            return False
        return True if term in self._ended or term.text in self._known.final else None

    def _called(self, term: RuleTerm, *, refuted: bool) -> bool | None:
        """Whether a function that tells constructors apart is true."""
        only = self._known.only.get(term.text, ())
        for part, forms in zip(term.parts, only, strict=False):
            if part in self._stepping and forms is not None and forms <= self._known.final:
                return False
        decided = self._by_cases(term)
        if decided is not None or term.text not in self._known.told or len(term.parts) != 1:
            return decided
        (of,), (taken, otherwise) = term.parts, self._known.told[term.text]
        unlike = {terms[1].text for one, terms in self._conditions
                  if one.kind == "unlike" and terms[:-1] == [of]}  # fmt: skip
        if not refuted and not otherwise and taken <= unlike:
            return False  # of none of those for which it is true
        return None

    def _by_cases(self, term: RuleTerm) -> bool | None:
        """What the first clause gives that certainly takes the arguments, if none before may."""
        for forms, value in self._known.cases.get(term.text, ()):
            given = {at: term.parts[at] for at in forms if at < len(term.parts)}
            if any(one.kind == "make" and one.text != forms[at] for at, one in given.items()):
                continue
            whole = all(one.kind == "make" for one in given.values())
            return value if whole and len(given) == len(forms) else None
        return None

    def rest(self, term: RuleTerm, kind: ConditionKind) -> RuleTerm:
        """What of a condition is not known yet."""
        settled = term.kind == "op" and term.text == ("and" if kind == "refuted" else "or")
        parts = [part for part in term.parts if self.truth(part) is None] if settled else []
        if not parts:
            return term
        return parts[0] if len(parts) == 1 else RuleTerm("op", term.text, tuple(parts))

    def implied(self, terms: Sequence[RuleTerm]) -> bool:
        """Whether it follows that one of some terms is not of the form beside it."""
        pairs = list(zip(terms[::2], terms[1::2], strict=True))
        if any(one in self._stepping and form.text in self._known.final for one, form in pairs):
            return True
        return any(
            one.kind == "refuted" and all(self._says(part, pairs) for part in _conjuncts(said[0]))
            for one, said in self._conditions
        )

    def _says(self, term: RuleTerm, pairs: Sequence[tuple[RuleTerm, RuleTerm]]) -> bool:
        """Whether a call says of a term that it is of the form which stands beside it."""
        taken, otherwise = self._known.told.get(term.text, (set[str](), True))
        return not otherwise and any(
            term.parts == (one,) and taken == {form.text} for one, form in pairs
        )


def is_final(term: RuleTerm) -> bool:
    """Whether a condition says that something takes no more steps."""
    return (term.kind, term.text, len(term.parts)) == ("call", "final", 1)


def _once(conditions: Iterable[Known]) -> list[Known]:
    """Conditions, each said once."""
    return list({(one.kind, *terms): (one, terms) for one, terms in conditions}.values())


def _condition(kind: ConditionKind, term: RuleTerm) -> Known:
    return Condition(kind, (term.text,)), [term]


def _conjuncts(term: RuleTerm) -> tuple[RuleTerm, ...]:
    return term.parts if term.kind == "op" and term.text == "and" else (term,)


def _plain(pattern: k.CorePattern) -> int | None:
    """The tag of a constructor that a pattern takes whatever stands in it."""
    if isinstance(pattern, k.Shape) and all(isinstance(one, k.Bind) for one in pattern.fields):
        return pattern.tag
    return None


def _only(function: k.Function, names: dict[int, str]) -> tuple[set[str] | None, ...]:
    """For each parameter the constructors for which a function of truth can be true; None where it
    can be for all. Nothing where its clauses do not tell that."""
    if function.result != BOOL or not function.clauses:
        return ()
    found: list[set[str] | None] = [None for _ in function.params]
    for at, param in enumerate(function.subjects):
        patterns = [
            clause.patterns[at] for clause in function.clauses
            if not (isinstance(clause.body, k.Const) and clause.body.value is False)
        ]  # fmt: skip
        forms = {names.get(one.tag, "") for one in patterns if isinstance(one, k.Shape)}
        if "" not in forms and all(isinstance(one, k.Shape) for one in patterns):
            found[param] = forms
    return tuple(found)


def _cases(function: k.Function, names: dict[int, str]) -> list[tuple[dict[int, str], bool | None]]:
    """For each clause of a function the constructors that it takes, whatever they are made of, by
    parameter, and the truth value that it gives; None where that is not seen."""
    found: list[tuple[dict[int, str], bool | None]] = []
    for clause in function.clauses:
        pairs = list(zip(function.subjects, clause.patterns, strict=False))
        plain = {at: names.get(tag, "") for at, one in pairs if (tag := _plain(one)) is not None}
        seen = clause.guard is None and isinstance(clause.body, k.Const)
        if len(plain) + sum(isinstance(one, k.Bind) for _, one in pairs) < len(pairs) or not seen:
            break
        value = clause.body.value  # type: ignore[union-attr]
        found.append((plain, value if isinstance(value, bool) else None))
    return found


def _told(function: k.Function, names: dict[int, str]) -> tuple[set[str], bool] | None:
    """The constructors for which a function gives another truth value than for all else, and that
    value; None for other functions."""
    found: dict[str, bool] = {}
    for clause in function.clauses:
        plain = len(clause.patterns) == 1 and clause.guard is None
        if not plain or not isinstance(clause.body, k.Const):
            return None
        value, pattern = clause.body.value, clause.patterns[0]
        if not isinstance(value, bool):
            return None
        if isinstance(pattern, k.Bind):
            return {name for name, given in found.items() if given is not value}, value
        whole = isinstance(pattern, k.Shape) and all(
            isinstance(field, k.Bind) for field in pattern.fields
        )
        if not whole or pattern.tag not in names:  # type: ignore[union-attr]
            return None
        found.setdefault(names[pattern.tag], value)  # type: ignore[union-attr]
    return None


def _size(term: RuleTerm) -> int | None:
    """The number that a term is, where it is the size of a list whose elements are there."""
    if term.kind == "call" and term.text == "size" and term.parts[0].kind == "list":
        return len(term.parts[0].parts)
    return None
