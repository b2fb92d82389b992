"""Drip in plain Python: an example of an interpreter outside.

A program comes on standard input, its value goes to standard output; what goes wrong is said on
standard error. Names come as --name NAME=VALUE. With --steps it writes the lines of a walk
instead: one for each part it works out.
"""

import itertools
import json
import re
import sys
from fractions import Fraction

TOKEN = re.compile(r"\s*(?:#[^\n]*\s*)*(\d+(?:\.\d+)?|[A-Za-z_]\w*|[-+*/()=])")


class Refused(Exception):
    pass


class Failed(Exception):
    pass


def tokens(text):
    text = re.sub(r"#[^\n]*", "", text)
    at, found = 0, []
    while text[at:].strip():
        match = TOKEN.match(text, at)
        if not match:
            raise Refused("no token begins here")
        found.append(match.group(1))
        at = match.end()
    return found


class Reader:
    def __init__(self, found):
        self.found = found

    def next(self, *wanted):
        if not self.found or (wanted and self.found[0] not in wanted):
            raise Refused(f"expected {' or '.join(wanted) or 'something'}")
        return self.found.pop(0)

    def ahead(self, *wanted):
        return bool(self.found) and self.found[0] in wanted

    def expr(self):
        if not self.ahead("let"):
            return self.chain(self.product, "+", "-")
        self.next("let")
        name = self.next()
        if not name.isidentifier() or name in ("let", "in"):
            raise Refused("a name is expected")
        self.next("=")
        bound = self.expr()
        self.next("in")
        return ("let", name, bound, self.expr())

    def product(self):
        return self.chain(self.sign, "*", "/")

    def chain(self, part, *signs):
        left = part()
        while self.ahead(*signs):
            left = (self.next(), left, part())
        return left

    def sign(self):
        if self.ahead("-"):
            self.next("-")
            return ("minus", self.sign())
        return self.atom()

    def atom(self):
        token = self.next()
        if token == "(":
            inner = self.expr()
            self.next(")")
            return inner
        if token[0].isdigit():
            return ("number", Fraction(token))
        if token.isidentifier() and token not in ("let", "in"):
            return ("name", token)
        raise Refused(f"{token} cannot stand here")


def shown(number):
    if number.denominator == 1:
        return str(number.numerator)
    rest = number.denominator
    for prime in (2, 5):
        while rest % prime == 0:
            rest //= prime
    if rest == 1:
        digits = 0
        while (number * 10**digits).denominator != 1:
            digits += 1
        sign = "-" if number < 0 else ""
        whole = str(abs(number * 10**digits).numerator).rjust(digits + 1, "0")
        return f"{sign}{whole[:-digits]}.{whole[-digits:]}"
    return f"{number.numerator}/{number.denominator}"


def written(tree):
    kind, *parts = tree
    if kind == "number":
        return shown(parts[0])
    if kind == "name":
        return parts[0]
    if kind == "let":
        return f"let {parts[0]} = {written(parts[1])} in {written(parts[2])}"
    if kind == "minus":
        return f"-({written(parts[0])})"
    return f"({written(parts[0])} {kind} {written(parts[1])})"


def evaluate(tree, names, steps):
    value = worked_out(tree, names, steps)
    steps.append((f"{written(tree)} gives {shown(value)}", dict(names)))
    return value


def worked_out(tree, names, steps):
    kind, *parts = tree
    if kind == "number":
        return parts[0]
    if kind == "name":
        if parts[0] not in names:
            raise Failed(f"unbound name {parts[0]}")
        return names[parts[0]]
    if kind == "let":
        value = evaluate(parts[1], names, steps)
        return evaluate(parts[2], {**names, parts[0]: value}, steps)
    if kind == "minus":
        return -evaluate(parts[0], names, steps)
    left, right = (evaluate(part, names, steps) for part in parts)
    if kind == "/":
        if right == 0:
            raise Failed("division by zero")
        return left / right
    return {"+": left + right, "-": left - right, "*": left * right}[kind]


def walk(program, steps, ending):
    head = {
        "embrix": "walk",
        "version": 2,
        "language": "Drip",
        "lane": "abacus",
        "program": program,
        "style": "judgements",
        "length": len(steps) + 1,
        "outcome": {"kind": "value", "text": ending},
        "output": [],
        "levels": [1],
    }
    print(json.dumps(head))
    rows = [("leave", text, names) for text, names in steps] + [("end", ending, {})]
    for number, (kind, text, names) in enumerate(rows):
        bindings = [[name, shown(value), False, "around"] for name, value in names.items()]
        print(
            json.dumps(
                {
                    "number": number,
                    "kind": kind,
                    "text": text,
                    "brief": text,
                    "focus": None,
                    "place": None,
                    "depth": 0,
                    "bindings": bindings,
                    "store": [],
                    "store_size": 0,
                    "changed": [],
                    "clause": None,
                    "refused": [],
                    "stack": [],
                    "put": [],
                    "renewed": None,
                    "written": "",
                    "note": "",
                }
            )
        )


def supplied():
    """The names that stand on the command line: --name NAME=VALUE."""
    words, names = sys.argv[1:], {}
    for word, text in itertools.pairwise(words):
        if word == "--name":
            name, _, value = text.partition("=")
            names[name] = evaluate(Reader(tokens(value)).expr(), {}, [])
    return names


def main():
    program, steps = sys.stdin.read(), []
    try:
        reader = Reader(tokens(program))
        tree = reader.expr()
        if reader.found:
            raise Refused(f"{reader.found[0]} cannot stand here")
        ending = shown(evaluate(tree, supplied(), steps))
    except Refused as wrong:
        print(f"cannot be read: {wrong}", file=sys.stderr)
        return 1
    except Failed as wrong:
        if "--steps" not in sys.argv:
            print(wrong, file=sys.stderr)
            return 1
        ending = str(wrong)
    if "--steps" in sys.argv:
        walk(program, steps, ending)
    else:
        print(ending)
    return 0


sys.setrecursionlimit(10_000)
sys.exit(main())
