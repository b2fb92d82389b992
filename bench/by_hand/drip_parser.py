"""A recursive-descent parser for Drip as somebody would write it by hand: one regular expression
for the tokens, one method for each rule, nodes with their places. Written first, then left alone.
"""

from __future__ import annotations

import re
from fractions import Fraction

from bench.by_hand.drip import Binary, Expr, Let, Lit, Neg, Number, Var

_TOKEN = re.compile(
    r"(?P<skip>[ \t\r\n]+|\#[^\n]*)|(?P<number>\d+(?:\.\d+)?)|(?P<name>[a-z_][a-z0-9_]*)"
    r"|(?P<sign>[-+*/()=])"
)
_SUMS = {"+": "Add", "-": "Sub"}
_PRODUCTS = {"*": "Mul", "/": "Div"}


class Wrong(Exception):
    """The text is no program; the message says where."""


class Parser:
    def __init__(self, text: str) -> None:
        self.tokens: list[tuple[str, str, int, int]] = []
        at = 0
        while at < len(text):
            found = _TOKEN.match(text, at)
            if found is None:
                raise Wrong(f"no token at {at}")
            kind = found.lastgroup or ""
            if kind != "skip":
                piece = found.group()
                if kind == "name" and piece in ("let", "in"):
                    kind = "word"
                self.tokens.append((kind, piece, at, found.end()))
            at = found.end()
        self.tokens.append(("end", "", at, at))
        self.at = 0

    def program(self) -> Expr:
        result = self.expr()
        if self.tokens[self.at][0] != "end":
            raise Wrong(f"unexpected {self.tokens[self.at][1]!r} at {self.tokens[self.at][2]}")
        return result

    def take(self, piece: str) -> tuple[str, str, int, int]:
        token = self.tokens[self.at]
        if token[1] != piece:
            raise Wrong(f"{piece!r} expected at {token[2]}")
        self.at += 1
        return token

    def expr(self) -> Expr:
        kind, piece, start, _ = self.tokens[self.at]
        if kind == "word" and piece == "let":
            self.at += 1
            kind, name, _, _ = self.tokens[self.at]
            if kind != "name":
                raise Wrong("a name expected")
            self.at += 1
            self.take("=")
            bound = self.expr()
            self.take("in")
            body = self.expr()
            return Let(name, bound, body, (start, body.place[1] if body.place else 0))
        return self.sum()

    def sum(self) -> Expr:
        left = self.product()
        while self.tokens[self.at][1] in _SUMS:
            op = _SUMS[self.tokens[self.at][1]]
            self.at += 1
            right = self.product()
            left = Binary(op, left, right, (left.place[0], right.place[1]))  # type: ignore[index]
        return left

    def product(self) -> Expr:
        left = self.signed()
        while self.tokens[self.at][1] in _PRODUCTS:
            op = _PRODUCTS[self.tokens[self.at][1]]
            self.at += 1
            right = self.signed()
            left = Binary(op, left, right, (left.place[0], right.place[1]))  # type: ignore[index]
        return left

    def signed(self) -> Expr:
        _, piece, start, _ = self.tokens[self.at]
        if piece == "-":
            self.at += 1
            arg = self.signed()
            return Neg(arg, (start, arg.place[1]))  # type: ignore[index]
        return self.atom()

    def atom(self) -> Expr:
        kind, piece, start, end = self.tokens[self.at]
        if kind == "number":
            self.at += 1
            return Lit(number(piece), (start, end))
        if kind == "name":
            self.at += 1
            return Var(piece, (start, end))
        self.take("(")
        inner = self.expr()
        self.take(")")
        return inner


def number(piece: str) -> Number:
    if "." not in piece:
        return int(piece)
    exact = Fraction(piece)
    return exact.numerator if exact.denominator == 1 else exact
