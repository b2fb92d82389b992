"""A recursive-descent parser for Weir as somebody would write it by hand: one regular expression
for the tokens, a method for each rule, nodes with their places. Written first, then left alone.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

_TOKEN = re.compile(
    r"(?P<skip>[ \t\r\n]+|\#[^\n]*)|(?P<number>\d+(?:\.\d+)?)|(?P<name>[a-z_][a-z0-9_]*)"
    r"|(?P<sign>:=|[-+*/()=<;:,{}\[\]])"
)
_WORDS = frozenset(
    ["let", "in", "of", "when", "then", "else", "given", "true", "false", "and", "or", "is", "new",
     "do", "otherwise", "while", "show", "ask", "run", "begin", "give"]
)  # fmt: skip
_LEVELS: list[dict[str, str]] = [
    {"or": "Or"}, {"and": "And"}, {"<": "Less", "is": "Equal"}, {"+": "Add", "-": "Sub"},
    {"*": "Mul", "/": "Div"},
]  # fmt: skip


@dataclass(slots=True)
class Tree:
    """A form with its place and its fields."""

    form: str
    start: int
    end: int
    fields: tuple[Any, ...]


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
                if kind == "name" and piece in _WORDS:
                    kind = "word"
                self.tokens.append((kind, piece, at, found.end()))
            at = found.end()
        self.tokens.append(("end", "", at, at))
        self.at = 0

    def take(self, text: str) -> None:
        if self.tokens[self.at][1] != text:
            raise Wrong(f"{text} expected at {self.tokens[self.at][2]}")
        self.at += 1

    def name(self) -> str:
        kind, piece, start, _ = self.tokens[self.at]
        if kind != "name":
            raise Wrong(f"a name expected at {start}")
        self.at += 1
        return piece

    def made(self, form: str, start: int, *fields: Any) -> Tree:
        return Tree(form, start, self.tokens[self.at - 1][3], fields)

    def program(self) -> Tree:
        start = self.tokens[0][2]
        body = self.body()
        if self.tokens[self.at][0] != "end":
            raise Wrong(f"the end expected at {self.tokens[self.at][2]}")
        return self.made("Block", start, body)

    def body(self) -> list[Tree]:
        found: list[Tree] = []
        if self.tokens[self.at][1] in ("}", "give", ""):
            return found
        found.append(self.statement())
        while self.tokens[self.at][1] == ";":
            self.at += 1
            found.append(self.statement())
        return found

    def statement(self) -> Tree:
        kind, piece, start, _ = self.tokens[self.at]
        if kind == "name":
            self.at += 1
            self.take(":=")
            return self.made("Assign", start, piece, self.expression())
        self.at += 1
        if piece == "new":
            name = self.name()
            self.take(":=")
            return self.made("Declare", start, name, self.expression())
        if piece == "{":
            body = self.body()
            self.take("}")
            return self.made("Block", start, body)
        if piece == "when":
            test = self.expression()
            self.take("do")
            yes = self.statement()
            no = None
            if self.tokens[self.at][1] == "otherwise":
                self.at += 1
                no = self.statement()
            return self.made("Branch", start, test, yes, no)
        if piece == "while":
            test = self.expression()
            self.take("do")
            return self.made("While", start, test, self.statement())
        if piece == "show":
            return self.made("Print", start, self.expression())
        if piece == "ask":
            return self.made("Read", start, self.name())
        if piece == "run":
            return self.made("Do", start, self.expression())
        raise Wrong(f"a statement expected at {start}")

    def expression(self) -> Tree:
        kind, piece, start, _ = self.tokens[self.at]
        if kind != "word" or piece in ("true", "false"):
            return self.operation(0)
        self.at += 1
        if piece == "let":
            name = self.name()
            if self.tokens[self.at][1] == "of":
                self.at += 1
                param = self.name()
                self.take("=")
                rhs = self.expression()
                self.take("in")
                return self.made("Rec", start, name, param, rhs, self.expression())
            self.take("=")
            bound = self.expression()
            self.take("in")
            return self.made("Let", start, name, bound, self.expression())
        if piece == "when":
            test = self.expression()
            self.take("then")
            yes = self.expression()
            self.take("else")
            return self.made("If", start, test, yes, self.expression())
        if piece == "given":
            names = [self.name()]
            while self.tokens[self.at][1] == ",":
                self.at += 1
                names.append(self.name())
            self.take(":")
            body = self.expression()
            if len(names) == 1:
                return self.made("Fun", start, names[0], body)
            return self.made("Many", start, names[0], names[1:], body)
        if piece == "begin":
            inner = self.body()
            self.take("give")
            return self.made("Give", start, inner, self.expression())
        raise Wrong(f"an expression expected at {start}")

    def operation(self, level: int) -> Tree:
        if level == len(_LEVELS):
            return self.prefixed()
        left = self.operation(level + 1)
        signs = _LEVELS[level]
        while (form := signs.get(self.tokens[self.at][1])) is not None:
            self.at += 1
            right = self.operation(level + 1)
            left = self.made(form, left.start, left, right)
            if level == 2:
                break
        return left

    def prefixed(self) -> Tree:
        if self.tokens[self.at][1] == "-":
            start = self.tokens[self.at][2]
            self.at += 1
            return self.made("Neg", start, self.prefixed())
        result = self.applied()
        while True:
            kind, piece, _, _ = self.tokens[self.at]
            if kind not in ("name", "number") and piece not in ("(", "true", "false"):
                return result
            result = self.made("Call", result.start, result, self.applied())

    def applied(self) -> Tree:
        result = self.atom()
        while self.tokens[self.at][1] == "[":
            self.at += 1
            args: list[Tree] = []
            while self.tokens[self.at][1] != "]":
                args.append(self.expression())
                if self.tokens[self.at][1] != ",":
                    break
                self.at += 1
            self.take("]")
            result = self.made("Apply", result.start, result, args)
        return result

    def atom(self) -> Tree:
        kind, piece, start, end = self.tokens[self.at]
        self.at += 1
        if kind == "number":
            exact = Fraction(piece)
            value = exact.numerator if exact.denominator == 1 else exact
            return Tree("Lit", start, end, (value,))
        if kind == "name":
            return Tree("Var", start, end, (piece,))
        if piece in ("true", "false"):
            return Tree(piece.capitalize(), start, end, ())
        if piece == "(":
            inner = self.expression()
            self.take(")")
            inner.start, inner.end = start, self.tokens[self.at - 1][3]
            return inner
        raise Wrong(f"an expression expected at {start}")
