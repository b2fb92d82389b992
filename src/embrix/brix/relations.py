"""Small-step relations: what they go into, what a step gives, and the expressions about them.

A relation has one subject or several: the parts of a configuration. The first that is a term of the
language is what it goes into (its *control*); steps inside it, places and walks follow that one.
What a step gives takes the place of parameters: each component that of the first parameter of its
type that has none yet, subjects before the others.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import Protocol

from embrix.brix import core as k
from embrix.brix import syntax as s
from embrix.brix.calls import CallChecks
from embrix.brix.scope import WRONG
from embrix.brix.world import FunctionSignature, count, unify
from embrix.terms.types import BOOL, UNKNOWN, Con, Tup, Type, listing, settle, show_type
from embrix.text.suggest import did_you_mean


def term_among(
    sorts: Collection[str], types: Sequence[Type], subjects: Sequence[int]
) -> int | None:
    """The first subject that is a term of the language."""
    for number in subjects:
        kind = settle(types[number])
        if isinstance(kind, Con) and kind.name in sorts:
            return number
    return None


def control_of(sorts: Collection[str], types: Sequence[Type], subjects: Sequence[int]) -> int:
    """The parameter that a relation goes into."""
    term = term_among(sorts, types, subjects)
    return next(iter(subjects), 0) if term is None else term


class Params(Protocol):
    """What is known of the parameters of a function, checked or not yet."""

    @property
    def params(self) -> tuple[str, ...]: ...
    @property
    def types(self) -> tuple[Type, ...]: ...
    @property
    def control(self) -> int: ...


def handed_over(whole: Params, part: Params, number: int) -> int | None:
    """The parameter of the relation of a whole that is handed to the step of a part as one of its:
    of its type, and of its name if there are several; None where there is none."""
    if number == part.control:
        return whole.control
    wanted = show_type(part.types[number])
    fits = [own for own, kind in enumerate(whole.types)
            if own != whole.control and show_type(kind) == wanted]  # fmt: skip
    alike = [own for own in fits if whole.params[own] == part.params[number]]
    return next(iter(alike or fits), None)


def after_step(signature: FunctionSignature) -> tuple[int, ...] | Type:
    """The parameters that the components of a step become; none where a step gives the one subject
    alone. The type of a component for which there is no parameter, if there is one."""
    types, subjects = signature.types, signature.subjects
    result = settle(signature.result)
    if len(subjects) == 1 and unify(types[subjects[0]], result):
        return ()
    if not isinstance(result, Tup):
        return result
    shown = [show_type(kind) for kind in types]
    given = [show_type(kind) for kind in result.items]
    if len(subjects) > 1 and given == shown:
        return tuple(range(len(shown)))
    free = [*subjects, *(number for number in range(len(types)) if number not in subjects)]
    taken: list[int] = []
    for kind, text in zip(result.items, given, strict=True):
        fits = [number for number in free if shown[number] == text or unify(types[number], kind)]
        if not fits:
            return kind
        taken.append(fits[0])
        free.remove(fits[0])
    return tuple(taken)


def wrong_step(signature: FunctionSignature) -> str | None:
    """What is said where a relation gives what cannot take the place of its parameters; None where
    it can."""
    becomes = after_step(signature)
    if isinstance(becomes, tuple) and (not becomes or signature.control in becomes):
        return None
    if isinstance(settle(signature.result), Tup) and not isinstance(becomes, tuple):
        return (
            f"a step gives {show_type(becomes)} besides, and {signature.name} takes no parameter "
            "of that type"
        )
    subjects = [show_type(signature.types[number]) for number in signature.subjects]
    wanted = f"{subjects[0]}, perhaps with more in a tuple"
    if len(subjects) > 1:
        wanted = f"({', '.join(subjects)})"
    return f"a step must give {wanted}, not {show_type(signature.result)}"


class RelationChecks(CallChecks):
    """`repeat` and `final`."""

    def relation_on(self, kind: Type) -> FunctionSignature | None:
        """The relation that goes into terms of a type."""
        kind = settle(kind)
        for signature in self.world.functions.values():
            if signature.small_step and settle(signature.types[signature.control]) == kind:
                return signature
        return None

    def repeat(self, expr: s.Repeat) -> tuple[k.Core, Type]:
        signature = self.world.functions.get(expr.step)
        if signature is None or not signature.small_step:
            for arg in expr.args:
                self.infer(arg)
            if signature is not None and signature.damaged:
                note = f"a line of {expr.step} cannot be read"
                return k.Todo(note, expr.span, "unreadable"), signature.result
            relations = [f.name for f in self.world.functions.values() if f.small_step]
            self.world.error(
                "no_relation", f"{expr.step} is no small-step relation", expr.span,
                did_you_mean(expr.step, relations, "a relation has `final` lines"),
            )  # fmt: skip
            return WRONG, UNKNOWN
        args = self.arguments(expr.step, expr.args, signature.params, signature.types, expr.span)
        wrong = wrong_step(signature)
        if wrong is not None:
            self.world.error("type_mismatch", wrong, expr.span)
            return WRONG, signature.result
        done = WRONG if args is None else k.Repeat(expr.step, args, expr.span)
        return done, signature.result

    def is_final(self, expr: s.Apply) -> tuple[k.Core, Type]:
        """`final(e)`, `final(items)`, or `final(a, b)` of a relation with several subjects."""
        if not expr.args:
            self.world.error("wrong_number", "final takes one argument", expr.span)
            return WRONG, BOOL
        args, kinds = zip(*map(self.infer, expr.args), strict=True)
        found = self.asked(kinds)
        if found is None:
            shown = " and ".join(map(show_type, kinds))
            self.world.error(
                "no_relation", f"no small-step relation works on {shown}", expr.span,
                "a relation is a `define … by` with `final` lines",
            )  # fmt: skip
            return WRONG, BOOL
        relation, position, listed = found
        types = [relation.types[number] for number in relation.subjects]
        if len(args) != len(types):
            names = ", ".join(relation.params[number] for number in relation.subjects)
            self.world.error(
                "wrong_number", f"whether {relation.name} takes a step depends on "
                f"{count(len(types), 'subject')}, not {len(args)}", expr.span,
                f"write final({names})",
            )  # fmt: skip
            return WRONG, BOOL
        if listed:
            types[position] = listing(types[position])
        for arg, kind, wanted in zip(expr.args, kinds, types, strict=True):
            if not unify(kind, wanted):
                self.mismatch(kind, wanted, arg.span)
        return k.IsFinal(relation.name, args, listed), BOOL

    def asked(self, kinds: Sequence[Type]) -> tuple[FunctionSignature, int, bool] | None:
        """The relation that `final` asks about, the number of the argument that it goes into, and
        whether that is a list."""
        relations = [one for one in self.world.functions.values() if one.small_step]
        alike = [one for one in relations if len(one.subjects) == len(kinds)]
        for listed in (False, True):
            for one in alike or relations:
                position = one.subjects.index(one.control) if one in alike else 0
                kind = settle(kinds[position])
                if listed and isinstance(kind, Con) and kind.name == "List":
                    kind = settle(kind.args[0])
                elif listed:
                    continue
                if settle(one.types[one.control]) == kind:
                    return one, position, listed
        return None
