"""A grammar as text in two standard notations: ISO/IEC 14977 EBNF, and the EBNF of W3C documents.

Operator tables are written as the layers of rules they stand for. Token patterns have no place in
the ISO notation and are written as special sequences, `? /pattern/ ?`; what is skipped between
tokens is said in a comment.
"""

from __future__ import annotations

import re
from typing import Literal, TypeAlias

from embrix.grammar.lr_tables import reached
from embrix.grammar.model import Collect, Grammar, Production
from embrix.grammar.pattern import AnyOf, Chars, Pattern, Repetition, Sequence
from embrix.grammar.sketched import sketched
from embrix.grammar.tokens import TokenKind

Notation: TypeAlias = Literal["iso", "w3c"]


def export(grammar: Grammar, notation: Notation, rule: str | None = None) -> list[str]:
    """The rules that a rule reaches (default: the start rules), as lines."""
    return _Export(sketched(grammar), notation).lines(rule)


class _Export:
    def __init__(self, grammar: Grammar, notation: Notation) -> None:
        self.grammar = grammar
        self.iso = notation == "iso"
        self._names: dict[int, str] = {}

    def lines(self, rule: str | None) -> list[str]:
        grammar = self.grammar
        starts = [rule] if rule is not None else list(grammar.starts)
        order: dict[int, None] = {}
        for start in starts:
            order.update(dict.fromkeys(reached(grammar, grammar.entry[start])))
        rules = [left for left in order if not self._inlined(left)]
        result = []
        for left in rules:
            options = list(dict.fromkeys(map(self._row, grammar.by_left.get(left, ()))))
            joined = " | ".join(options)
            if self.iso:
                result.append(f"{self.name(left)} = {joined} ;")
            else:
                result.append(f"{self.name(left)} ::= {joined}")
        used = {symbol for production in grammar.productions for symbol in production.right}
        for number, kind in enumerate(grammar.tokens.kinds, len(grammar.tokens.literals)):
            if kind.made == "todo" and number not in used:
                continue
            if kind.skip:
                open_, close = ("(* ", " *)") if self.iso else ("/* ", " */")
                pattern = kind.pattern_text.replace("*)", "* )").replace("*/", "* /")
                result.append(f"{open_}skipped between tokens: {pattern}{close}")
            elif kind.made:
                text = kind.label or _MADE[kind.made]
                name = self.terminal(kind)
                result.append(f"{name} = ? {text} ? ;" if self.iso else f"{name} ::= /* {text} */")
            elif self.iso:
                result.append(f"{kind.name} = ? /{kind.pattern_text.replace('?', '{0,1}')}/ ? ;")
            else:
                result.append(f"{kind.name} ::= {_w3c(kind.pattern)}")
        return result

    def _inlined(self, left: int) -> bool:
        """Groups, optional parts and lists are written where they stand."""
        options = self.grammar.by_left.get(left, ())
        repeats = bool(options) and all(isinstance(p.build, Collect) for p in options)
        return repeats or left in self.grammar.groups

    def name(self, symbol: int) -> str:
        """A name that both notations allow: letters, digits and hyphens."""
        if symbol not in self._names:
            marked = self.grammar.names[symbol].translate(_PLAIN)
            plain = re.sub("[₀-₉]+", lambda m: f"-{m.group().translate(_DIGITS)}", marked)
            taken = set(self._names.values())
            name, number = plain, 1
            while name in taken:
                number += 1
                name = f"{plain}-{number}"
            self._names[symbol] = name
        return self._names[symbol]

    def terminal(self, kind: TokenKind) -> str:
        """The name of a token; parts still to be written are numbered."""
        if kind.made != "todo":
            return kind.name
        unwritten = [other.name for other in self.grammar.tokens.kinds if other.made == "todo"]
        return f"unwritten-{unwritten.index(kind.name) + 1}"

    def _row(self, production: Production) -> str:
        parts = [self._symbol(symbol) for symbol in production.right]
        if not parts:
            return "" if self.iso else "/* empty */"
        return (", " if self.iso else " ").join(parts)

    def _symbol(self, symbol: int) -> str:
        if symbol >= 0:
            kind = self.grammar.tokens.kind_of(symbol)
            return self.terminal(kind) if kind else _quote(self.grammar.tokens.literals[symbol])
        if symbol in self.grammar.groups:
            options = dict.fromkeys(map(self._row, self.grammar.by_left.get(symbol, ())))
            return f"( {' | '.join(options)} )"
        if symbol not in self.grammar.repeats:
            return self.name(symbol)
        repeated, inner, separator = self.grammar.repeats[symbol]
        item = self._symbol(inner)
        if repeated.sign == "?":
            return f"[ {item} ]" if self.iso else f"{item}?"
        if separator is not None:
            sign = self._symbol(separator)
            more = f"{item}, {{ {sign}, {item} }}" if self.iso else f"{item} ({sign} {item})*"
            if repeated.sign == "+":
                return more
            return f"[ {more} ]" if self.iso else f"({more})?"
        if self.iso:
            return f"{item}, {{ {item} }}" if repeated.sign == "+" else f"{{ {item} }}"
        return f"{item}{repeated.sign}"


_DIGITS = str.maketrans("₀₁₂₃₄₅₆₇₈₉", "0123456789")
_PLAIN = str.maketrans(
    {"'": "-tail", "+": "-open", "-": "-bare", "_": "-", "?": "", "*": ""}
)  # fmt: skip

_MADE = {
    "newline": "the end of a line",
    "indent": "the beginning of lines indented further",
    "dedent": "the end of lines indented further",
}


def _quote(text: str) -> str:
    if '"' not in text:
        return f'"{text}"'
    if "'" not in text:
        return f"'{text}'"
    return " ".join(f"'{c}'" if c == '"' else f'"{c}"' for c in text)


def _w3c(pattern: Pattern) -> str:
    """A token pattern in the notation of W3C documents."""
    match pattern:
        case Chars(ranges):
            if len(ranges) == 1 and ranges[0][0] == ranges[0][1]:
                return f"#x{ranges[0][0]:X}"
            return "[" + "".join(
                f"#x{low:X}" + (f"-#x{high:X}" if high > low else "") for low, high in ranges
            ) + "]"  # fmt: skip
        case Sequence(parts):
            return " ".join(f"({_w3c(p)})" if isinstance(p, AnyOf) else _w3c(p) for p in parts)
        case AnyOf(parts):
            return " | ".join(map(_w3c, parts))
        case Repetition(part, 0, 1):
            return f"{_grouped(part)}?"
        case Repetition(part, least, None):
            return " ".join([_grouped(part)] * max(0, least - 1) + [
                f"{_grouped(part)}{'*' if least == 0 else '+'}"
            ])  # fmt: skip
        case Repetition(part, least, most):
            assert most is not None
            fixed = [_grouped(part)] * least
            return " ".join([*fixed, *[f"{_grouped(part)}?"] * (most - least)])


def _grouped(pattern: Pattern) -> str:
    text = _w3c(pattern)
    return f"({text})" if isinstance(pattern, AnyOf | Sequence | Repetition) else text
