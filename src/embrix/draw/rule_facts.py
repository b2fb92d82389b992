"""What conditions of a rule say that is always so, or never: `size([x]) = size([v])`, `called(v)`
of a function. The first need not be said, and a rule with one of the others is none."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from embrix.brix import core as k
from embrix.brix.core import Interpreter
from embrix.draw.rule_parts import Condition
from embrix.draw.rule_terms import RuleTerm

Known = tuple[Condition, list[RuleTerm]]


class RuleFacts:
    """What is known of the functions of an interpreter that tell one constructor from another."""

    def __init__(self, interpreter: Interpreter) -> None:
        names = {one.tag: one.name for one in interpreter.constructors.values()}
        self._told = {
            function.name: told
            for function in interpreter.functions.values()
            if (told := _told(function, names)) is not None
        }
        """By function for which constructors it is true, and whether it is for all others."""

    def said(self, conditions: Sequence[Known]) -> list[Known] | None:
        """The conditions that say something; None where they cannot hold together."""
        found = []
        for one, terms in conditions:
            true = self._holds(one, terms, conditions)
            if true is False:
                return None
            if true is None:
                found.append((one, terms))
        return found

    def _holds(
        self, one: Condition, terms: Sequence[RuleTerm], others: Iterable[Known]
    ) -> bool | None:
        """Whether a condition holds beside others; None where that is not known."""
        if one.kind not in ("holds", "refuted"):
            return None
        true = self._truth(terms[0], others, refuted=one.kind == "refuted")
        return true if true is None or one.kind == "holds" else not true

    def _truth(self, term: RuleTerm, others: Iterable[Known], *, refuted: bool) -> bool | None:
        if term.kind == "op" and term.text in ("==", "!="):
            left, right = map(_size, term.parts)
            if left is None or right is None:
                return None
            return (left == right) is (term.text == "==")
        if term.kind != "call" or term.text not in self._told or len(term.parts) != 1:
            return None
        (of,), (taken, otherwise) = term.parts, self._told[term.text]
        if of.kind == "make":
            return otherwise if of.text not in taken else not otherwise
        unlike = {terms[1].text for one, terms in others
                  if one.kind == "unlike" and terms[0] == of}  # fmt: skip
        if not refuted and not otherwise and taken <= unlike:
            return False  # of none of those for which it is true
        return None


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
