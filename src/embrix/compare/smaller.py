"""Making a term smaller part by part, as long as something stays true of it.

What is chosen in one stream of numbers does not always come loose; parts of a term do.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from fractions import Fraction

from embrix.terms.binding import free_names
from embrix.terms.node import CONS, FIELDS, NONE_NODE, SOME, Node, Value, nodes_of, size
from embrix.terms.signature import Signature
from embrix.terms.types import NUMBER, settle


def count_forms(signature: Signature, term: Value) -> int:
    """How many forms a term is built of."""
    return sum(signature.form_of(node) is not None for node in nodes_of(term))


def smallest(
    signature: Signature,
    term: Value,
    holds: Callable[[Value], bool],
    zero: Value = 0,
    *,
    closed: bool = True,
) -> Value:
    """A term made smaller as long as that is possible and something holds of it; a `closed` one
    stays so. `zero` is the simplest number of the language."""
    going = True
    while going:
        going = False
        for candidate in _smaller(signature, term, zero):
            if (not closed or not free_names(signature, candidate)) and holds(candidate):
                term, going = candidate, True
                break
    return term


def _smaller(signature: Signature, term: Value, zero: Value) -> Iterator[Value]:
    """The term with one part left out, or replaced by a part inside it of the same sort or by a
    leaf; the largest steps first."""
    if not isinstance(term, tuple):
        if isinstance(term, int | Fraction | float) and term not in (True, False, zero):
            yield zero
        return
    if term[0] == CONS:
        yield term[FIELDS + 1]
    elif term[0] == SOME:
        yield NONE_NODE
    form = signature.form_of(term)
    if form is not None and not form.params:
        for inner in _inside(term):
            other = signature.form_of(inner)
            if other is not None and other.owner == form.owner:
                yield inner
        if count_forms(signature, term) > 1:
            yield from _leaves(signature, form.owner, zero)
    for index, child in enumerate(term[FIELDS:], FIELDS):
        for made in _smaller(signature, child, zero):
            yield (*term[:index], made, *term[index + 1 :])


def _leaves(signature: Signature, sort: str, zero: Value) -> Iterator[Node]:
    """The smallest terms of a sort: of forms without fields, or with a number."""
    for form in signature.of_sort(sort):
        kinds = [settle(kind) for kind in form.types]
        if not kinds:
            yield (form.tag, None)
        elif kinds == [NUMBER]:
            yield (form.tag, None, zero)


def _inside(term: Node) -> list[Node]:
    """The parts of a term, the smallest first."""
    return sorted((node for node in nodes_of(term) if node is not term), key=size)
