"""Lists that a rule turns into forms around forms: calls, functions, sums."""

from __future__ import annotations

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from embrix.brix.core import Language
from embrix.grammar.examples import form_examples
from embrix.grammar.lr import parser_of
from embrix.grammar.parser import Parsed
from embrix.grammar.printing import Printer
from embrix.terms.node import Node, Value, same
from tests.conftest import Maker
from tests.core.test_groups import grammar_of, plain

CHAIN = """\
language Chain
  extension "chain"
tokens
  skip    /[ \\n]+/
  number  /[0-9]+/   as Number
  name    /[a-z]+/   as Name
forms Expr
  Lit(n: Number)
  Var(x: Name)                           uses x
  Fn(x: Name, body: Expr)                binds x in body
  Call(callee: Expr, arg: Expr)
  Add(left: Expr, right: Expr)
  Let(x: Name, bound: Expr, body: Expr)  binds x in body
  Lock(gate: Name, kind: Text, inside: Expr)
grammar
  start Expr
  Expr ::=
    | "\\\\" xs:name+ "." body:Expr                        makes Fn(each xs, body)
    | "let" f:name xs:name* "=" e:Expr "in" rest:Expr     makes Let(f, Fn(each xs, e), rest)
    | "close" gates:name* kind:("wood" | "steel") e:Sum   makes Lock(each gates, kind, e)
    | Sum
  Sum : Expr ::= first:Term more:("+" Term)*              makes Add(first, each more)
  operators Term : Expr
    postfix callee "(" args:list1(Expr, ",") ")"          makes Call(callee, each args)
    operand Atom
  Atom : Expr ::= n:number makes Lit | x:name makes Var | "(" Expr ")"
"""


@pytest.fixture
def chain(make_course: Maker) -> Language:
    course = make_course(chain=CHAIN)
    assert course.diagnostics == ()
    return course.languages["Chain"]


def read(language: Language, text: str) -> Node:
    parsed = parser_of(grammar_of(language)).parse(text)
    assert isinstance(parsed, Parsed), (text, parsed)
    return parsed.term


A, B, C = ("Var", "a"), ("Var", "b"), ("Var", "c")


@pytest.mark.parametrize(
    ("text", "tree"),
    [
        ("a(b, c)", ("Call", ("Call", A, B), C)),
        ("a(b)(c)", ("Call", ("Call", A, B), C)),
        ("a(b(c), a)", ("Call", ("Call", A, ("Call", B, C)), A)),
        (r"\x y. a", ("Fn", "x", ("Fn", "y", A))),
        ("a + b + c", ("Add", ("Add", A, B), C)),
        ("a + (b + c)", ("Add", A, ("Add", B, C))),
        ("a", A),
        ("let f x y = a in b", ("Let", "f", ("Fn", "x", ("Fn", "y", A)), B)),
        ("let f = a in b", ("Let", "f", A, B)),
        ("close wood a", A),
        ("close x y steel a + b", ("Lock", "x", "steel", ("Lock", "y", "steel", ("Add", A, B)))),
    ],
)
def test_a_list_becomes_forms_around_forms(chain: Language, text: str, tree: object) -> None:
    """Trees worked out by hand: what stands first in the text lies innermost where the seed stands
    first, and outermost where it stands last."""
    assert plain(chain, read(chain, text)) == tree


@pytest.mark.parametrize(
    ("text", "back"),
    [
        ("a(b)(c)", "a(b, c)"),
        (r"\x. \y. a", r"\ x y . a"),
        ("(a + b) + c", "a + b + c"),
        ("let f = \\x. \\y. a in b", "let f x y = a in b"),
        ("a(b + c)", "a(b + c)"),
        (r"(\x. a)(b)", r"(\ x . a)(b)"),
    ],
)
def test_forms_are_printed_as_the_list_that_they_may_come_from(
    chain: Language, text: str, back: str
) -> None:
    assert Printer(grammar_of(chain)).show(read(chain, text)).text == back


def test_each_form_covers_its_own_part_of_the_text(chain: Language) -> None:
    """Places worked out by hand; a name has none, so the form around it covers everything."""

    def places(text: str, form: str) -> list[str]:
        found: list[str] = []

        def look(value: Value) -> None:
            if isinstance(value, tuple):
                made = chain.signature.form_of(value)
                if made is not None and made.name == form and value[1] is not None:
                    found.append(text[slice(*value[1])])
                for part in value[2:]:
                    look(part)

        look(read(chain, text))
        return found

    assert places("a(b + 1, c, 2)", "Call") == ["a(b + 1, c, 2)", "a(b + 1, c", "a(b + 1"]
    assert places("1 + a + b", "Add") == ["1 + a + b", "1 + a"]
    assert places(r"\x y. a", "Fn") == [r"\x y. a", r"\x y. a"]


NAMES = st.sampled_from(["a", "b", "x"])
EXPRS = st.recursive(
    st.one_of(NAMES, st.sampled_from(["1", "20"])),
    lambda inner: st.one_of(
        st.tuples(inner, inner).map(lambda two: f"({two[0]}) + ({two[1]})"),
        st.tuples(st.lists(NAMES, min_size=1, max_size=3), inner).map(
            lambda two: f"(\\{' '.join(two[0])}. {two[1]})"
        ),
        st.tuples(inner, st.lists(inner, min_size=1, max_size=3)).map(
            lambda two: f"({two[0]})({', '.join(two[1])})"
        ),
        st.tuples(NAMES, st.lists(NAMES, max_size=2), inner, inner).map(
            lambda four: f"(let {four[0]} {' '.join(four[1])} = {four[2]} in {four[3]})"
        ),
    ),
    max_leaves=12,
)


@settings(max_examples=80, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(text=EXPRS, width=st.sampled_from([None, 14]))
def test_what_is_printed_is_read_as_the_same_term(
    chain: Language, text: str, width: int | None
) -> None:
    term = read(chain, text)
    for bracketed in (False, True):
        printed = Printer(grammar_of(chain), bracketed=bracketed).show(term, width=width).text
        assert same(read(chain, printed), term), printed


def test_examples_show_the_forms_that_a_fold_makes(chain: Language) -> None:
    found = form_examples(grammar_of(chain))
    for form in ("Fn", "Call", "Add", "Lock"):
        text = repr(plain(chain, read(chain, found[form])))
        assert form in text


@pytest.mark.parametrize(
    ("old", "new", "message"),
    [
        ("Fn(each xs, body)", "Fn(each xs, each body)",
         "with `each` a form stands in another part of its own type; two parts say `each`"),
        ("Lock(each gates, kind, e)", "Each(each gates, kind)", "there is no form called Each"),
        ("Add(first, each more)", "Add(first, each body)", "nothing is captured as body"),
        ("Add(first, each more)", "Lit(each more)",
         "with `each` a form stands in another part of its own type; there is no other of type "
         "Expr"),
        ("makes Fn(each xs, body)", "makes each xs", "what is made must be a form"),
        ("Let(f, Fn(each xs, e), rest)", "Let(f, each xs, rest)",
         "this is of type List[Name], but List[Expr] is expected here"),
        ("Fn(each xs, body)", "Fn(each body, body)",
         "this is of type Expr, but List[Name] is expected here"),
    ],
)  # fmt: skip
def test_a_fold_that_cannot_be_made_is_told(
    make_course: Maker, old: str, new: str, message: str
) -> None:
    assert CHAIN.count(old) == 1
    found = make_course(chain=CHAIN.replace(old, new)).diagnostics
    line = CHAIN[: CHAIN.index(old)].count("\n") + 1
    assert (line, message) in [
        (one.source.position(one.span.start)[0], one.message) for one in found
    ], [one.message for one in found]
