"""What the declared binding of forms gives: free names, renaming, equality up to renaming,
capture-avoiding substitution.

What is bound where is said by `scopes`. All walks use stacks of their own, never Python's.
Source of the algorithms: the textbook definitions (free variables; substitution that renames a
binder when the substituted term would be captured; alpha-equivalence by levels of binding).
"""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import Any

from msgspec import Struct, field

from embrix.terms.names_inside import NamesInside, free_where_simple, unmetered
from embrix.terms.node import CONS, FIELDS, Constructor, Node, Value, list_items, make_list
from embrix.terms.putting import put_uncaptured
from embrix.terms.scopes import Around, ScopePart, parts_of_node
from embrix.terms.signature import Signature
from embrix.terms.simple_scopes import STRIDE, Meter

Accept = Callable[[str], bool]


def free_names(
    signature: Signature, term: Value, meter: Meter = unmetered, names: NamesInside | None = None
) -> frozenset[str]:
    """The names that occur free in a term, by the `uses` and `binds` of its forms. Where many terms
    are asked for that have parts in common, `names` remembers what stands in them."""
    if not isinstance(term, tuple):
        return frozenset()
    if names is not None and names.begin():
        return names.free(term, meter)
    if signature.scopes is not None:
        return free_where_simple(signature, term, meter)
    return free_anywhere(signature, term, meter)


def free_anywhere(signature: Signature, term: Node, meter: Meter) -> frozenset[str]:
    """The free names of a term, whatever is bound where."""
    known: dict[tuple[int, int], frozenset[str]] = {}
    parts: dict[tuple[int, int], tuple[ScopePart, ...] | None] = {}
    keep: list[Value] = []
    stack: list[tuple[Value, Around | None, bool]] = [(term, None, False)]
    while stack:
        node, around, ready = stack.pop()
        key = (id(node), id(around))
        if not isinstance(node, tuple) or key in known:
            continue
        if not ready:
            stack.append((node, around, True))
            parts[key] = found = parts_of_node(signature, node, around)
            for index, child in enumerate(node[FIELDS:]):
                stack.append((child, found[index].around if found else None, False))
            continue
        form = signature.form_of(node)
        found = parts[key]
        names: set[str] = set()
        for index, child in enumerate(node[FIELDS:]):
            if isinstance(child, tuple):
                inner = known[id(child), id(found[index].around if found else None)]
                names |= inner.difference(found[index].names) if found else inner
            elif form is not None and index in form.uses:
                names.add(child)
        known[key] = frozenset(names)
        keep.append((node, around, found))
        if len(keep) % STRIDE == 0:
            meter(STRIDE)
    return known[id(term), id(None)]


LETTERS = "abcdefghijklmnopqrstuvwxyz"
FEW_NUMBERS = 3
"""Numbers behind a name after which it is clear whether names may have numbers at all."""


def fresh(base: str, taken: Iterable[str], accept: Accept = lambda _: True) -> str:
    """A name like `base` that is not taken and that `accept` (the language's tokens) allows: with
    a number, else with marks or letters. Where no name of a bounded number of them is allowed, one
    that no program can write."""
    used = set(taken)
    if base not in used and accept(base):
        return base
    stem = base.rstrip("0123456789") or base
    numbered = 0
    for number in range(1, len(used) + FEW_NUMBERS + 1):
        for candidate in (f"{stem}{number}", f"{stem}_{number}", f"x{number}"):
            if accept(candidate):
                if candidate not in used:
                    return candidate
                numbered += 1
        if number >= FEW_NUMBERS and not numbered:
            break
    for candidate in _lettered(stem, len(used)):
        if candidate not in used and accept(candidate):
            return candidate
    return next(name for n in itertools.count(1) if (name := f"{stem}{n}") not in used)


def _lettered(stem: str, many: int) -> Iterator[str]:
    """Names without numbers, more than are taken: with marks, with letters, of letters alone."""
    yield from (stem + "'" * number for number in range(1, 3))
    for one in (stem, ""):
        yield from (one + letter for letter in LETTERS)
        pairs = itertools.product(LETTERS, repeat=2)
        yield from (one + "".join(pair) for pair in itertools.islice(pairs, many + 1))
    yield from LETTERS.upper()


def substitute(
    signature: Signature,
    value: Value,
    name: str,
    term: Value,
    accept: Accept = lambda _: True,
    meter: Meter = unmetered,
    names: NamesInside | None = None,
) -> Value:
    """`term` with `value` in place of each free `name`, renaming binders that would capture.

    An occurrence is a node of a form with `uses` on its only name field; it is replaced whole.
    Nodes in which nothing changes are shared with `term`. Where many substitutions are made in the
    same terms, `names` remembers what stands in them.
    """
    if names is None or not names.begin():
        endangered = free_names(signature, value, meter)
        captures, names = bool(endangered), None
    else:
        endangered = names.free(value, meter)
        captures = bool(endangered) and names.binds(term, endangered.difference((name,)))
    if not captures and signature.scopes is not None:
        return put_uncaptured(signature, value, name, term, meter, names)
    return put_anywhere(signature, value, name, term, accept, meter, endangered)


def put_anywhere(
    signature: Signature, value: Value, name: str, term: Value, accept: Accept, meter: Meter,
    endangered: frozenset[str],
) -> Value:  # fmt: skip
    """Substitution whatever is bound where; the names that are free in the value are endangered."""
    visited = 0
    results: list[Value] = []
    work: list[tuple[Any, ...]] = [("visit", term, _Inside({name: value}, endangered))]
    while work:
        job = work.pop()
        if job[0] == "build":
            _, node, count = job
            parts = results[-count:] if count else []
            del results[len(results) - count :]
            unchanged = all(a is b for a, b in zip(parts, node[FIELDS:], strict=True))
            results.append(node if unchanged else (node[0], node[1], *parts))
            continue
        _, node, here = job
        if not isinstance(node, tuple) or not (here.mapping or here.renames):
            results.append(node)
            continue
        visited += 1
        if visited % STRIDE == 0:
            meter(STRIDE)
        form = signature.form_of(node)
        if form is not None and form.uses:
            used = here.mapping.get(node[FIELDS + form.uses[0]])
            if used is not None and len(node) == FIELDS + 1:
                results.append(used)
                continue
            node = _renamed_uses(signature, form, node, here.mapping)
        node, inner = _enter(signature, node, here, accept)
        work.append(("build", node, len(node) - FIELDS))
        for index in range(len(node) - FIELDS - 1, -1, -1):
            work.append(("visit", node[FIELDS + index], inner[index]))
    meter(visited % STRIDE)
    return results[0]


_NOTHING: dict[str, str] = {}


class _Inside(Struct, frozen=True):
    """What holds in some part of a term: the substitution, the names that are free in what is put
    in, what is said about elements, and the new names of binders that stand in them."""

    mapping: dict[str, Value]
    endangered: frozenset[str]
    around: Around | None = None
    renames: dict[str, str] = field(default_factory=dict)


def _enter(
    signature: Signature, node: Node, here: _Inside, accept: Accept
) -> tuple[Node, Sequence[_Inside]]:
    """The node with endangered binders renamed, and what holds inside each field."""
    found = parts_of_node(signature, node, here.around)
    if found is None:
        plain = _Inside(here.mapping, here.endangered)
        return node, [plain] * (len(node) - FIELDS)
    own = _new_names(signature, node, found, here, accept)
    inside: list[_Inside] = []
    parts = list(node)
    user = signature.user
    for index, part in enumerate(found):
        child = node[FIELDS + index]
        if part.binder and isinstance(child, str):
            parts[FIELDS + index] = own.get(child, here.renames.get(child, child))
        elif part.binder and own:
            renamed = [own.get(name, name) for name in list_items(child)]
            parts[FIELDS + index] = make_list(renamed)
        mapping, endangered = here.mapping, here.endangered
        if part.names:
            mapping = {key: kept for key, kept in mapping.items() if key not in part.names}
            put = {name: own[name] for name in part.names if name in own and user is not None}
            if put and user is not None:
                endangered = endangered.union(put.values())
                mapping |= {name: (user, node[1], new) for name, new in put.items()}
        heads = node[0] == CONS and index == 0
        renames = own if part.around is not None or heads else _NOTHING
        inside.append(_Inside(mapping, endangered, part.around, renames))
    return (tuple(parts) if own or here.renames else node), inside


def _new_names(
    signature: Signature, node: Node, found: Sequence[ScopePart], here: _Inside, accept: Accept
) -> dict[str, str]:
    """The binders of a node that would capture something, with the names they get instead; those
    that were renamed further out among them."""
    named = {
        name
        for part in found
        for names in (part.names, *(part.around.bound.values() if part.around else ()))
        for name in names
    }
    own = {name: here.renames[name] for name in named if name in here.renames}
    for name in sorted(named & here.endangered):
        below = {key for key in here.mapping if key != name}
        if name in own or not below:
            continue
        free = [free_names(signature, child) for child in node[FIELDS:]]
        scopes = [names for names, part in zip(free, found, strict=True)
                  if part.names or part.around]  # fmt: skip
        if any(key in names for names in scopes for key in below):
            taken = frozenset().union(here.endangered, here.mapping, named, own.values(), *free)
            own[name] = fresh(name, taken, accept)
    return own


def _renamed_uses(
    signature: Signature, form: Constructor, node: Node, mapping: dict[str, Value]
) -> Node:
    """A node that uses names beside its other fields, such as an assignment: what a name is renamed
    to takes its place; anything else that stands for the name cannot."""
    named = {index: mapping.get(node[FIELDS + index]) for index in form.uses}
    renamed = {
        index: other[FIELDS] for index, other in named.items()
        if isinstance(other, tuple) and other[0] == signature.user
    }  # fmt: skip
    if not renamed:
        return node
    parts = list(node)
    for index, name in renamed.items():
        parts[FIELDS + index] = name
    return tuple(parts)


def alike(signature: Signature, left: Value, right: Value, meter: Meter = unmetered) -> bool:
    """Equality up to the names of bound variables; places are ignored."""
    stack: list[tuple[Any, ...]] = [(left, right, {}, {}, None, None)]
    visited = 0
    while stack:
        a, b, above_a, above_b, around_a, around_b = stack.pop()
        visited += 1
        if visited % STRIDE == 0:
            meter(STRIDE)
        if not isinstance(a, tuple) or not isinstance(b, tuple):
            if isinstance(a, tuple) or isinstance(b, tuple) or a != b:
                return False
            continue
        if a[0] != b[0] or len(a) != len(b):
            return False
        form = signature.form_of(a)
        parts_a = parts_of_node(signature, a, around_a)
        parts_b = parts_of_node(signature, b, around_b)
        if parts_a is None or parts_b is None:
            if parts_a is not parts_b:
                return False
            parts_a = parts_b = (ScopePart((), None, False),) * (len(a) - FIELDS)
        for index, (one, other) in enumerate(zip(parts_a, parts_b, strict=True)):
            x, y = a[FIELDS + index], b[FIELDS + index]
            if one.binder and other.binder:
                if isinstance(x, tuple) and len(list(list_items(x))) != len(list(list_items(y))):
                    return False
                continue
            if form is not None and index in form.uses:
                if above_a.get(x, x) != above_b.get(y, y):
                    return False
                continue
            if len(one.names) != len(other.names):
                return False
            inner_a, inner_b = above_a, above_b
            if one.names:
                levels = range(len(above_a), len(above_a) + len(one.names))
                marks = [(level, visited) for level in levels]
                inner_a = {**above_a, **dict(zip(one.names, marks, strict=True))}
                inner_b = {**above_b, **dict(zip(other.names, marks, strict=True))}
            stack.append((x, y, inner_a, inner_b, one.around, other.around))
    return True
