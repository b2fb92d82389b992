"""Whether two objects are made alike: the same values, and the same objects shared."""

from __future__ import annotations

from fractions import Fraction
from typing import Any

from msgspec import Struct
from msgspec.structs import asdict

PLAIN = (str, int, float, bytes, bool, type(None), Fraction)


def difference(one: Any, other: Any, without: frozenset[tuple[str, str]] = frozenset()) -> str:
    """Where two objects first differ; nothing where they do not. Fields `without` (class and name)
    are passed over. Structures, lists and tables that are one object on one side must be one on
    the other."""
    pairs: dict[int, Any] = {}
    backwards: dict[int, Any] = {}
    pending: list[tuple[Any, Any, str]] = [(one, other, "")]
    kept = []  # so that identities stay
    while pending:
        left, right, place = pending.pop()
        kept.append((left, right))
        if type(left) is not type(right):
            return f"{place}: {type(left).__name__} and {type(right).__name__}"
        if isinstance(left, PLAIN):
            if repr(left) != repr(right):
                return f"{place}: {left!r} and {right!r}"
            continue
        if isinstance(left, Struct | list | dict):
            if id(left) in pairs or id(right) in backwards:
                if pairs.get(id(left)) is not right or backwards.get(id(right)) is not left:
                    return f"{place}: shared otherwise"
                continue
            pairs[id(left)], backwards[id(right)] = right, left
        if isinstance(left, set | frozenset):
            if left != right:
                return f"{place}: {left} and {right}"
            continue
        if isinstance(left, Struct):
            kind = type(left).__name__
            inside = [
                (value, getattr(right, name), f"{place}.{name}")
                for name, value in asdict(left).items() if (kind, name) not in without
            ]  # fmt: skip
        elif isinstance(left, dict):
            inside = [(tuple(left), tuple(right), f"{place} keys"),
                      (tuple(left.values()), tuple(right.values()), place)]  # fmt: skip
        elif isinstance(left, list | tuple):
            if len(left) != len(right):
                return f"{place}: {len(left)} and {len(right)} parts"
            both = enumerate(zip(left, right, strict=True))
            inside = [(a, b, f"{place}[{at}]") for at, (a, b) in both]
        else:
            return f"{place}: a {type(left).__name__} is not known here"
        pending += inside
    return ""
