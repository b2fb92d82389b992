"""What is known of a value that one of two branches gives."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TypeAlias

from msgspec.structs import replace

from embrix.machine.residual.knowledge import (
    Frame,
    KnotFrame,
    Knowledge,
    KnownNames,
    KnownValue,
    MadeValue,
    NotResidual,
    OneOfTwo,
    RunValue,
)
from embrix.machine.residual.statements import (
    Assigned,
    Atom,
    Constant,
    Fork,
    ResidualTest,
    Statement,
)
from embrix.machine.residual.writer import Writer
from embrix.terms.node import NIL, SOME, TUPLE

Sides: TypeAlias = tuple[Atom, Knowledge | None, Knowledge | None]
"""Whether a value is the first of two, and what it is then and else; None where that is not so."""


class Joining(Writer):
    """Branches that come together."""

    def join(
        self, one: Knowledge, other: Knowledge, first: list[Statement], second: list[Statement]
    ) -> Knowledge:
        """What is known of a value that one of two branches gives."""
        if one is other:
            return one
        match one, other:
            case KnownValue(a), KnownValue(b) if a is b or (
                not isinstance(a, tuple | float) and type(a) is type(b) and a == b
            ):
                return one
            case RunValue(a, _), RunValue(b, _) if isinstance(a, str) and a == b:
                return one
            case MadeValue(tag, fields), MadeValue(again, others) if (
                tag == again and len(fields) == len(others)
                and (tag in (TUPLE, SOME) or tag in self.program.layout.bare
                     or self._holds_pieces(one) or self._holds_pieces(other))
            ):  # fmt: skip
                pairs = zip(fields, others, strict=True)
                return MadeValue(tag, tuple(self.join(a, b, first, second) for a, b in pairs))
            case KnownNames(frames, None), KnownNames(others, None) if len(frames) == len(others):
                return KnownNames(tuple(
                    self._join_frames(a, b, first, second)
                    for a, b in zip(frames, others, strict=True)
                ))  # fmt: skip
        two = self._one_of_two(one, other, first, second)
        if two is not None:
            return two
        name = self.fresh()
        self.give_to(name, one, first)
        self.give_to(name, other, second)
        kinds = [value.type for value in (one, other) if isinstance(value, RunValue)]
        return self.unknown(name, kinds[0] if kinds else None)

    def _join_frames(
        self, one: Frame | KnotFrame, other: Frame | KnotFrame,
        first: list[Statement], second: list[Statement],
    ) -> Frame | KnotFrame:  # fmt: skip
        if one is other:
            return one
        if isinstance(one, Frame) and isinstance(other, Frame) and one.name == other.name:
            return Frame(one.name, self.join(one.value, other.value, first, second))
        if isinstance(one, KnotFrame) and isinstance(other, KnotFrame) and (
            one.knot is other.knot and one.number == other.number and one.name == other.name
        ):  # fmt: skip
            captured = tuple(
                (slot, self.join(a, b, first, second))
                for (slot, a), (_, b) in zip(one.captured, other.captured, strict=True)
            )
            return replace(one, captured=captured)
        raise NotResidual("two branches lead to environments with different names")

    def _one_of_two(
        self, one: Knowledge, other: Knowledge, first: list[Statement], second: list[Statement]
    ) -> OneOfTwo | None:
        """Both values, where they have different constructors, with pieces of the program in one:
        the run notes which of them it is."""
        known = _tags(one), _tags(other)
        tags = {tag for some in known for tag in some}
        if (
            not all(known)
            or len(tags) != 2
            or not (self._holds_pieces(one) or self._holds_pieces(other))
        ):
            return None
        self.two_seen = True
        leading = max(tags)  # what is there, before what is not
        sides = [_sides(value, leading) for value in (one, other)]
        test = self.fresh()
        for (which, _, _), statements in zip(sides, (first, second), strict=True):
            statements.append(Assigned((test,), "copy", (which,), None, self.origin))
        (which, yes, no), (which_too, yes_too, no_too) = sides
        return OneOfTwo(
            test,
            self._join_side(yes, yes_too, (first, which, True), (second, which_too, True)),
            self._join_side(no, no_too, (first, which, False), (second, which_too, False)),
        )

    def _join_side(
        self, one: Knowledge | None, other: Knowledge | None,
        first: tuple[list[Statement], Atom, bool], second: tuple[list[Statement], Atom, bool],
    ) -> Knowledge:  # fmt: skip
        """One of the two values as two branches give it, each where it does."""
        if one is None or other is None:
            only = one if one is not None else other
            assert only is not None
            return only
        more: tuple[list[Statement], list[Statement]] = [], []
        joined = self.join(one, other, *more)
        for (statements, which, holds), added in zip((first, second), more, strict=True):
            if not added:
                continue
            if isinstance(which, str):
                test = (ResidualTest("true", which),)
                yes, no = (added, []) if holds else ([], added)
                statements.append(Fork(test, yes, no, self.origin))
            else:
                statements += added
        return joined

    def _holds_pieces(self, one: Knowledge) -> bool:
        """Whether there are pieces of the program in what holds no code itself; a list of none that
        may be there or not counts as one of them."""
        layout = self.program.layout
        match one:
            case OneOfTwo():
                return True
            case MadeValue(tag, (KnownValue(tuple() as value),)) if tag == SOME and value[0] == NIL:
                return True
            case MadeValue(tag, fields) if tag not in layout.shaped and tag not in layout.bare:
                return any(
                    isinstance(field, KnownNames | OneOfTwo) or self._holds_pieces(field)
                    or (isinstance(field, KnownValue) and field.given)
                    for field in fields
                )  # fmt: skip
        return False


def _tags(one: Knowledge) -> Sequence[int]:
    """The constructors that a value may have, as far as they are known."""
    match one:
        case MadeValue(tag):
            return (tag,)
        case KnownValue(tuple() as value):
            return (value[0],)
        case OneOfTwo(_, yes, no):
            return (*_tags(yes), *_tags(no))
    return ()


def _sides(one: Knowledge, leading: int) -> Sides:
    match one:
        case OneOfTwo(test, yes, no):
            return test, yes, no
    if _tags(one)[0] == leading:
        return Constant(True), one, None
    return Constant(False), None, one
