"""Changes of whole lines: moved, doubled, commented out. Lines count from zero, the last is
included."""

from __future__ import annotations

from collections.abc import Sequence


def moved(lines: Sequence[str], first: int, last: int, by: int) -> list[str]:
    """Lines with some of them one place further up (`by` -1) or down (1); as they are at the
    border."""
    if first + by < 0 or last + by >= len(lines):
        return list(lines)
    block = list(lines[first : last + 1])
    rest = [*lines[:first], *lines[last + 1 :]]
    return [*rest[: first + by], *block, *rest[first + by :]]


def doubled(lines: Sequence[str], first: int, last: int) -> list[str]:
    """Lines with some of them once more behind themselves."""
    return [*lines[: last + 1], *lines[first : last + 1], *lines[last + 1 :]]


def commented(lines: Sequence[str], first: int, last: int, sign: str = "#") -> list[str]:
    """Lines with some of them commented out, or in again where all of them are: the sign stands
    where the leftmost of them begins. Blank lines stay as they are."""
    block = [line for line in lines[first : last + 1] if line.strip()]
    if not block:
        return list(lines)
    result = list(lines)
    column = min(len(line) - len(line.lstrip()) for line in block)
    off = all(line.lstrip().startswith(sign) for line in block)
    for number in range(first, last + 1):
        line = result[number]
        if not line.strip():
            continue
        if off:
            indent = line[: len(line) - len(line.lstrip())]
            rest = line.lstrip().removeprefix(sign)
            result[number] = indent + rest.removeprefix(" ")
        else:
            result[number] = f"{line[:column]}{sign} {line[column:]}"
    return result
