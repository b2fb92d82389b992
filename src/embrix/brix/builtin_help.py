"""Every function that the notation gives: how it is called, what it is for, and an example.

Examples speak of the program p, `let x = 1 in x + y`, which is `Let(x, bound, body)`, and of a map
m that holds 1 under "a"; a test runs them all.
"""

from __future__ import annotations

from msgspec import Struct

from embrix.brix.builtins import BUILT_INS
from embrix.terms.types import show_type

_GENERAL = {
    "fold": ("(items: List[A], start: B, f: (B, A) -> B) -> B",
             "f of a start and the first item, then f of that and the next, and so on"),
    "map": ("(items: List[A], f: (A) -> B) -> List[B]", "what a function gives for each item"),
    "filter": ("(items: List[A], f: (A) -> Bool) -> List[A]", "the items for which a test holds"),
    "lookup": ("(container, key) -> Maybe[A]",
               "what an environment, a store, a map or a list (by number, from 0) has there"),
    "free": ("(e: SORT) -> Set[Name]", "the names that a term uses and does not bind"),
    "substitute": ("(v: SORT, x: Name, e: SORT) -> SORT",
                   "e with v for each free x; binders that would catch a name of v are renamed"),
    "alike": ("(a: SORT, b: SORT) -> Bool", "whether two terms differ at most in bound names"),
    "fresh": ("(x: Name, names: Set[Name]) -> Name", "x, or a name like it that is not among some"),
    "final": ("(e, …) -> Bool", "whether a `final` line of a relation takes its subjects"),
}  # fmt: skip

EXAMPLES = {
    "length": ('length("canal")', "5"),
    "characters": ('characters("lock")', "[l, o, c, k]"),
    "joined": ('joined(["a", "b"], ", ")', "a, b"),
    "part": ('part("canal", 1, 3)', "ana"),
    "replaced": ('replaced("a-b-c", "-", "+")', "a+b+c"),
    "begins": ('begins("canal", "can")', "true"),
    "parse_number": ('parse_number("4")', "Some(4)"),
    "whole": ("whole(number(3))", "Some(3)"),
    "size": ("size([7, 8, 9])", "3"),
    "name_of": ('name_of("rate")', "rate"),
    "codes": ('codes("lock")', "[108, 111, 99, 107]"),
    "text_of": ("text_of([104, 105])", "hi"),
    "removed": ('keys(removed(m with "b" = 2, "a"))', "[b]"),
    "reversed": ("reversed([1, 2, 3])", "[3, 2, 1]"),
    "number": ('number(length("abc")) + 1', "4"),
    "alloc": ("alloc(empty, 7)", "(@0, @0 ↦ 7)"),
    "reserve": ("reserve(empty)", "(@0, ∅)"),
    "keys": ('keys(m with "b" = 2)', "[a, b]"),
    "has": ("has(free(p), x)", "false"),
    "added": ("added(free(p), x)", "{x, y}"),
    "union": ("union(free(p), free(body))", "{x, y}"),
    "items": ("items(free(body))", "[x, y]"),
    "zip": ('zip([1, 2, 3], ["a", "b"])', "[(1, a), (2, b)]"),
    "appended": ("appended([1, 2], [3])", "[1, 2, 3]"),
    "fold": ("fold([1, 2, 3], 0, fn(sum, n) => sum + n)", "6"),
    "map": ("map([1, 2, 3], fn(n) => n * n)", "[1, 4, 9]"),
    "filter": ("filter([1, 2, 3], fn(n) => n > 1)", "[2, 3]"),
    "lookup": ("lookup([7, 8], 1)", "Some(8)"),
    "free": ("free(p)", "{y}"),
    "substitute": ("substitute(bound, x, body)", "1 + y"),
    "alike": ("alike(body, substitute(bound, x, body))", "false"),
    "fresh": ("fresh(x, free(bound))", "x"),
    "final": ("final(bound)", "true"),
}


class FunctionHelp(Struct, frozen=True):
    """How a function is called with the types of its parts, what it is for, and an example with
    what that gives."""

    call: str
    meaning: str
    example: str
    gives: str


def _help(name: str) -> FunctionHelp:
    example, gives = EXAMPLES[name]
    if name in _GENERAL:
        types, meaning = _GENERAL[name]
        return FunctionHelp(f"{name}{types}", meaning, example, gives)
    one = BUILT_INS[name]
    types_of, result = one.shape()
    typed = zip(one.params, types_of, strict=True)
    params = ", ".join(f"{param}: {show_type(kind)}" for param, kind in typed)
    return FunctionHelp(f"{name}({params}) -> {show_type(result)}", one.meaning, example, gives)


FUNCTIONS = {name: _help(name) for name in [*BUILT_INS, *_GENERAL]}


def reference_table() -> str:
    """All functions as the lines of the reference."""
    lines = []
    for one in FUNCTIONS.values():
        lines += [f"- `{one.call}`: {one.meaning}. `{one.example}` gives `{one.gives}`."]
    return "\n".join(lines)
