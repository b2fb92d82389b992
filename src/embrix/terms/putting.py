"""Substitution where scopes are simple and no binder captures anything."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from embrix.terms import simple_scopes
from embrix.terms.names_inside import NamesInside
from embrix.terms.node import FIELDS, Node, Value
from embrix.terms.signature import Signature
from embrix.terms.simple_scopes import STRIDE, Meter, Parts, names_held, walk_of


def put_uncaptured(
    signature: Signature, value: Value, name: str, term: Value, meter: Meter,
    names: NamesInside | None = None,
) -> Value:  # fmt: skip
    """`term` with `value` in place of each free `name`, where no binder captures anything. Where
    the `names` in nodes are known, parts that say nothing of this one are not gone through; the
    work told is that of a walk through everything."""
    if type(term) is not tuple:
        meter(0)
        return term
    putting = _Putting(signature, value, name, meter, names)
    result = putting.at_root(term)
    if names is not None:
        names.met += putting.visited
    meter(putting.visited % STRIDE)
    return result


class _Putting:
    """A substitution on its way through a term."""

    __slots__ = ("beside", "known", "meter", "name", "value", "visited", "walks")

    def __init__(
        self, signature: Signature, value: Value, name: str, meter: Meter, names: NamesInside | None
    ) -> None:
        self.walks = signature.walks
        renames = type(value) is tuple and value[0] == signature.user
        self.beside = signature.beside if renames else {}
        """The forms in which a name changes where another name is put in for it."""
        self.value = value
        self.name = name
        self.meter = meter
        self.known = names.known if names is not None else {}
        self.visited = 0

    def at_root(self, term: Node) -> Value:
        """The whole term with everything put in; the term itself where nothing changes."""
        walk = walk_of(self.walks, term)
        if isinstance(walk, int):
            self._visited(1)
            return self.value if term[walk] == self.name else term
        return self._walker()(term, walk, 0)

    def _walker(self) -> Callable[[Node, Parts, int], Value]:
        """What goes through the parts of a node at some depth. A name or a node without parts is
        dealt with where it stands."""
        name, value, beside = self.name, self.value, self.beside
        walks, known = self.walks, self.known.get
        deepest = simple_scopes.DEEPEST

        def into(node: Node, walk: Parts, depth: int) -> Value:
            if depth == deepest:
                return self._deep(node)
            if node[0] in beside:
                node = self._renamed(node)
            met = 1
            parts: list[Any] | None = None
            for at, binders in walk:
                if binders and self._hidden(node, binders):
                    continue
                child = node[at]
                below = walks.get(child[0])
                if below is None:
                    below = walk_of(walks, child)
                if isinstance(below, int):
                    met += 1
                    if child[below] != name:
                        continue
                    new = value
                elif not below and child[0] not in beside:
                    met += 1
                    continue
                else:
                    inside = known(id(child))
                    if inside is not None and name not in inside.names:
                        met += inside.size
                        continue
                    new = into(child, below, depth + 1)
                if new is not child:
                    if parts is None:
                        parts = [*node]
                    parts[at] = new
            self._visited(met)
            return node if parts is None else tuple(parts)

        return into

    def _visited(self, nodes: int) -> None:
        """So many nodes have been gone by."""
        before = self.visited
        self.visited = after = before + nodes
        if after % STRIDE < nodes:
            for _ in range(after // STRIDE - before // STRIDE):
                self.meter(STRIDE)

    def _hidden(self, node: Node, binders: tuple[int, ...]) -> bool:
        """Whether some fields of a node bind the name."""
        return any(self.name in names_held(node[at]) for at in binders)

    def _renamed(self, node: Node) -> Node:
        """A node that uses names beside its other fields, such as an assignment."""
        held = [at for at in self.beside[node[0]] if node[at] == self.name]
        if not held:
            return node
        parts = [*node]
        for at in held:
            parts[at] = self.value[FIELDS]
        return tuple(parts)

    def _deep(self, term: Any) -> Value:
        """The same, by a stack of its own."""
        results: list[Value] = []
        work: list[Any] = [term]
        while work:
            node = work.pop()
            kind = type(node)
            if kind is list:
                (node,) = node
                count = len(node) - FIELDS
                parts = results[-count:]
                del results[-count:]
                same = all(new is old for new, old in zip(parts, node[FIELDS:], strict=True))
                results.append(node if same else (node[0], node[1], *parts))
                continue
            if kind is not tuple:
                results.append(node.held if kind is _Kept else node)
                continue
            self._visited(1)
            walk = walk_of(self.walks, node)
            if isinstance(walk, int):
                results.append(self.value if node[walk] == self.name else node)
                continue
            if len(node) == FIELDS:
                results.append(node)
                continue
            if node[0] in self.beside:
                node = self._renamed(node)
            work.append([node])
            reached = {at for at, binders in walk if self._reaches(node, at, binders)}
            for index in range(len(node) - 1, FIELDS - 1, -1):
                work.append(node[index] if index in reached else _Kept(node[index]))
        return results[0]

    def _reaches(self, node: Node, at: int, binders: tuple[int, ...]) -> bool:
        """Whether a part has to be gone through; where it need not be, its nodes are told if they
        lie in the scope of the name."""
        if binders and self._hidden(node, binders):
            return False
        inside = self.known.get(id(node[at]))
        if inside is None or self.name in inside.names:
            return True
        self._visited(inside.size)
        return False


class _Kept:
    """A part in which nothing is put in."""

    __slots__ = ("held",)

    def __init__(self, held: Value) -> None:
        self.held = held
