"""Lines of functions in the texts of rules: `fn(x) => let y = a; b` as one expression, which can be
read again."""

from __future__ import annotations

import re
from collections.abc import Iterator

_LET = re.compile(r"let (?P<pattern>.+?) = (?P<value>.+)", re.DOTALL)
_REQUIRE = re.compile(r"require (?P<test>.+) else (?P<instead>fail .+)", re.DOTALL)
_LINE = re.compile(r"=> (?=let |require )")
_DEPTHS = {"(": 1, "[": 1, ")": -1, "]": -1}


def as_expressions(text: str) -> str:
    """The text with a call in place of each `let` in the body of a function, and a choice in place
    of each `require`; what else stands in lines stays as it is."""
    for found in reversed(list(_LINE.finditer(text))):
        begin = found.end()
        end = next((at for at, depth, sign in _signs(text, begin)
                    if depth < 0 or (depth == 0 and sign == ",")), len(text))  # fmt: skip
        made = _one(text[begin:end])
        if made is not None:
            text = text[:begin] + made + text[end:]
    return text


def _one(lines: str) -> str | None:
    """Lines as one expression; None where one of them is neither `let` nor `require`."""
    end = next((at for at, depth, sign in _signs(lines, 0) if depth == 0 and sign == ";"), None)
    if end is None:
        return lines
    first, rest = lines[:end], _one(lines[end + 1 :].strip())
    if rest is None:
        return None
    if found := _LET.fullmatch(first):
        return f"(fn({found['pattern']}) => {rest})({found['value']})"
    if found := _REQUIRE.fullmatch(first):
        return f"if {found['test']} then {rest} else {found['instead']}"
    return None


def _signs(text: str, begin: int) -> Iterator[tuple[int, int, str]]:
    """The places of signs outside quoted texts, with the depth of brackets behind each."""
    depth, quoted, escaped = 0, False, False
    for at in range(begin, len(text)):
        sign = text[at]
        if sign == '"' and not escaped:
            quoted = not quoted
        escaped = sign == "\\" and not escaped
        if not quoted:
            depth += _DEPTHS.get(sign, 0)
            yield at, depth, sign
