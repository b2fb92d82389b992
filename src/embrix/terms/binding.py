"""What the declared binding of forms gives: free names, renaming, equality up to renaming,
capture-avoiding substitution.

A scope is a field of the form that binds. All walks use stacks of their own, never Python's.
Source of the algorithms: the textbook definitions (free variables; substitution that renames a
binder when the substituted term would be captured; alpha-equivalence by levels of binding).
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from embrix.terms.node import FIELDS, Constructor, Node, Value
from embrix.terms.signature import Signature

Accept = Callable[[str], bool]

Meter = Callable[[int], None]
"""Told of work every so many nodes; it may raise to end the walk."""

STRIDE = 256
"""Nodes between two calls of a meter."""


def _unmetered(_nodes: int) -> None:
    return None


def free_names(signature: Signature, term: Value, meter: Meter = _unmetered) -> frozenset[str]:
    """The names that occur free in a term, by the `uses` and `binds` of its forms."""
    known: dict[int, frozenset[str]] = {}
    keep: list[Value] = []
    stack: list[tuple[Value, bool]] = [(term, False)]
    nothing: frozenset[str] = frozenset()
    while stack:
        node, ready = stack.pop()
        if not isinstance(node, tuple) or id(node) in known:
            continue
        if not ready:
            stack.append((node, True))
            stack.extend((child, False) for child in node[FIELDS:])
            continue
        form = signature.form_of(node)
        names: set[str] = set()
        for index, child in enumerate(node[FIELDS:]):
            inner = known[id(child)] if isinstance(child, tuple) else nothing
            if form is not None:
                inner = inner - _bound_in(form, node, index)
                if index in form.uses:
                    inner = inner | {child}
            names |= inner
        known[id(node)] = frozenset(names)
        keep.append(node)
        if len(keep) % STRIDE == 0:
            meter(STRIDE)
    return known[id(term)] if isinstance(term, tuple) else nothing


def _bound_in(form: Constructor, node: Node, index: int) -> frozenset[str]:
    return frozenset(node[FIELDS + bind.name] for bind in form.binds if index in bind.scopes)


def fresh(base: str, taken: Iterable[str], accept: Accept = lambda _: True) -> str:
    """A name like `base` that is not taken and that `accept` (the language's tokens) allows."""
    used = set(taken)
    if base not in used and accept(base):
        return base
    stem = base.rstrip("0123456789") or base
    number = 1
    while True:
        for candidate in (f"{stem}{number}", f"{stem}_{number}", f"x{number}"):
            if candidate not in used and accept(candidate):
                return candidate
        number += 1


def substitute(
    signature: Signature,
    value: Value,
    name: str,
    term: Value,
    accept: Accept = lambda _: True,
    meter: Meter = _unmetered,
) -> Value:
    """`term` with `value` in place of each free `name`, renaming binders that would capture.

    An occurrence is a node of a form with `uses` on its only name field; it is replaced whole.
    Nodes in which nothing changes are shared with `term`.
    """
    endangered = free_names(signature, value, meter)
    visited = 0
    results: list[Value] = []
    work: list[tuple[Any, ...]] = [("visit", term, {name: value})]
    while work:
        job = work.pop()
        if job[0] == "build":
            _, node, count = job
            parts = results[-count:] if count else []
            del results[len(results) - count :]
            unchanged = all(a is b for a, b in zip(parts, node[FIELDS:], strict=True))
            results.append(node if unchanged else (node[0], node[1], *parts))
            continue
        _, node, mapping = job
        if not isinstance(node, tuple) or not mapping:
            results.append(node)
            continue
        visited += 1
        if visited % STRIDE == 0:
            meter(STRIDE)
        form = signature.form_of(node)
        if form is not None and form.uses and node[FIELDS + form.uses[0]] in mapping:
            results.append(mapping[node[FIELDS + form.uses[0]]])
            continue
        node, inner = _enter(signature, form, node, mapping, endangered, accept)
        work.append(("build", node, len(node) - FIELDS))
        for index in range(len(node) - FIELDS - 1, -1, -1):
            work.append(("visit", node[FIELDS + index], inner[index]))
    meter(visited % STRIDE)
    return results[0]


def _enter(
    signature: Signature,
    form: Constructor | None,
    node: Node,
    mapping: dict[str, Value],
    endangered: frozenset[str],
    accept: Accept,
) -> tuple[Node, list[dict[str, Value]]]:
    """The node with endangered binders renamed, and the substitution valid inside each field."""
    count = len(node) - FIELDS
    inner = [mapping] * count
    if form is None or not form.binds:
        return node, inner
    parts = list(node)
    for bind in form.binds:
        binder = parts[FIELDS + bind.name]
        renamed = binder
        below = {key: value for key, value in mapping.items() if key != binder}
        if binder in endangered and below:
            scopes = [free_names(signature, node[FIELDS + scope]) for scope in bind.scopes]
            if any(key in names for names in scopes for key in below):
                taken = frozenset().union(endangered, mapping, *scopes)
                renamed = fresh(binder, taken, accept)
                parts[FIELDS + bind.name] = renamed
        for scope in bind.scopes:
            kept = {key: value for key, value in inner[scope].items() if key != binder}
            if renamed != binder:
                user = _user(signature)
                if user is not None:
                    kept[binder] = (user.tag, node[1], renamed)
            inner[scope] = kept
    return tuple(parts), inner


def _user(signature: Signature) -> Constructor | None:
    """The form that marks an occurrence of a name and holds nothing else."""
    for form in signature.forms:
        if form.uses and len(form.fields) == 1:
            return form
    return None


def alike(signature: Signature, left: Value, right: Value, meter: Meter = _unmetered) -> bool:
    """Equality up to the names of bound variables; places are ignored."""
    stack: list[tuple[Value, Value, dict[str, int], dict[str, int], int]] = [
        (left, right, {}, {}, 0)
    ]
    visited = 0
    while stack:
        a, b, above_a, above_b, depth = stack.pop()
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
        binders = {bind.name for bind in form.binds} if form else set()
        for index in range(len(a) - FIELDS):
            x, y = a[FIELDS + index], b[FIELDS + index]
            if index in binders:
                continue
            if form is not None and index in form.uses:
                if above_a.get(x, x) != above_b.get(y, y):
                    return False
                continue
            inner_a, inner_b, level = above_a, above_b, depth
            for bind in form.binds if form else ():
                if index in bind.scopes:
                    level += 1
                    inner_a = {**inner_a, a[FIELDS + bind.name]: level}
                    inner_b = {**inner_b, b[FIELDS + bind.name]: level}
            stack.append((x, y, inner_a, inner_b, level))
    return True
