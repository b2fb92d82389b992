"""Values told apart by what they hold, places aside, without holding them against each other.

Each node has a fingerprint of 16 bytes, made of its tag and of the fingerprints of its parts; two
that differ have different ones, as far as anybody has ever seen (BLAKE2b, RFC 7693). Parts that
several values share are gone through once.
"""

from __future__ import annotations

from hashlib import blake2b

from embrix.terms.node import FIELDS, KNOT, MAP, STORE, Node, Value

SIZE = 16
"""Bytes of a fingerprint."""
MOST_KEPT = 500_000
"""Nodes whose fingerprints are remembered."""


class Fingerprints:
    """Those of the values that one search comes to."""

    def __init__(self) -> None:
        self._known: dict[int, tuple[Value, bytes]] = {}
        """By the number of an object the object, which keeps its number as long as it is here."""

    def of(self, value: Value) -> bytes:
        if len(self._known) > MOST_KEPT:
            self._known.clear()
        done: list[bytes] = []
        stack: list[tuple[Value, bool]] = [(value, False)]
        while stack:
            node, ready = stack.pop()
            known = self._known.get(id(node))
            if known is not None and known[0] is node:
                done.append(known[1])
                continue
            if not isinstance(node, tuple):
                done.append(self._leaf(node))
                continue
            parts = _parts(node)
            if not ready:
                stack.append((node, True))
                stack.extend((part, False) for part in reversed(parts))
                continue
            made = blake2b(str((node[0], len(parts))).encode(), digest_size=SIZE)
            for part in done[len(done) - len(parts) :]:
                made.update(part)
            del done[len(done) - len(parts) :]
            done.append(made.digest())
            self._known[id(node)] = (node, done[-1])
        return done[0]

    def _leaf(self, leaf: Value) -> bytes:
        """That of a number, text, truth value, set or function. `true` is no number, and 2 is not
        2.0; a function is itself alone."""
        if isinstance(leaf, frozenset):
            text = "".join(sorted(self.of(one).hex() for one in leaf))
        else:
            text = repr(leaf)
        name = type(leaf).__name__
        found = blake2b(f"{name} {text}".encode(errors="surrogatepass"), digest_size=SIZE).digest()
        if callable(leaf):
            self._known[id(leaf)] = (leaf, found)
        return found


def _parts(node: Node) -> tuple[Value, ...]:
    if node[0] in (STORE, MAP):
        held = sorted(node[FIELDS].items(), key=lambda entry: repr(entry[0]))
        return tuple(part for entry in held for part in entry)
    # How a knot fills itself in follows from what it holds.
    return node[FIELDS : FIELDS + 3] if node[0] == KNOT else node[FIELDS:]
