"""Names bound through lists: several at once, and in what follows in a list."""

from __future__ import annotations

import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from embrix.grammar.parser import Parsed
from embrix.lanes.session import Session
from embrix.machine.lane import Lane
from embrix.terms.binding import alike, free_names, fresh, substitute
from embrix.terms.node import FIELDS
from tests.conftest import Maker
from tests.strategies import terms

SEVERAL = """\
language Quay
  "Several names bound at once."

forms Expr
  Var(x: Name)                              uses x
  Add(left: Expr, right: Expr)
  Many(xs: List[Name], body: Expr)          binds xs in body
  Both(defs: List[Def], body: Expr)         binds defs.f in defs.rhs, body
  Do(body: List[Stmt])
  Put(v: Expr, z: Name, e: Expr)

forms Def
  Def(f: Name, param: Name, rhs: Expr)      binds param in rhs

forms Stmt
  New(x: Name, init: Expr)                  binds x in rest
  Set(x: Name, value: Expr)                 uses x
"""

PROBE = """\
interpreter probe for Quay
value Value
  Plain(e: Expr)  shown e
main run
define run(p: Expr) -> Value
  match p
    Put(v, z, e) => Plain(substitute(v, z, e))
    _            => Plain(p)
"""


def quay(make_course: Maker) -> Lane:
    course = make_course(quay=SEVERAL, probe=PROBE)
    assert [d.message for d in course.diagnostics if d.severity == "error"] == []
    return Session(course.folder).lane("Quay", "probe")


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        # A name of a list of names is renamed where it would capture, in the list too.
        (
            "Many([x, q], Add(Var(z), Var(x)))",
            "Many([x1, q], Add(Add(Var(x), Var(y)), Var(x1)))",
        ),
        ("Many([q, z], Var(z))", "Many([q, z], Var(z))"),
        # Definitions see each other; a parameter hides a definition of the same name.
        (
            "Both([Def(x, p, Add(Var(z), Var(x))), Def(g, x, Var(x))], Var(x))",
            "Both([Def(a, p, Add(Add(Var(x), Var(y)), Var(a))), Def(g, b, Var(b))], Var(a))",
        ),
        ("Both([Def(z, p, Var(z))], Var(z))", "Both([Def(z, p, Var(z))], Var(z))"),
        # What is declared is bound in the rest of its list, not in its own value.
        (
            "Do([New(x, Var(x)), Set(x, Add(Var(x), Var(z)))])",
            "Do([New(a, Var(x)), Set(a, Add(Var(a), Add(Var(x), Var(y))))])",
        ),
        (
            "Do([New(z, Var(z)), Set(q, Var(z))])",
            "Do([New(z, Add(Var(x), Var(y))), Set(q, Var(z))])",
        ),
        # The new name of a binder is not captured further in.
        (
            "Many([x], Many([x1], Add(Var(z), Var(x))))",
            "Many([a], Many([b], Add(Add(Var(x), Var(y)), Var(a))))",
        ),
        (
            "Many([x], Many([x1], Add(Var(x1), Var(x))))",
            "Many([a], Many([b], Add(Var(b), Var(a))))",
        ),
    ],
)
def test_several_names_bound_at_once(make_course: Maker, text: str, expected: str) -> None:
    lane = quay(make_course)
    signature = lane.interpreter.signature
    wanted = lane.parser.parse(f"term: {expected}")
    assert isinstance(wanted, Parsed)
    result = lane.run(f"term: Put(Add(Var(x), Var(y)), z, {text})")
    got = result.outcome.value
    assert got is not None, result.outcome.sentence
    assert alike(signature, got[FIELDS], wanted.term), result.outcome.text
    assert free_names(signature, got[FIELDS]) == free_names(signature, wanted.term)


@pytest.mark.parametrize(
    ("one", "other"),
    [
        ("Many([x, y], Var(x))", "Many([x, y], Var(y))"),
        ("Many([x], Var(x))", "Many([x, y], Var(x))"),
        ("Both([Def(f, p, Var(f))], Var(f))", "Both([Def(f, p, Var(p))], Var(f))"),
        ("Do([New(x, Var(y)), Set(x, Var(x))])", "Do([New(x, Var(y)), Set(y, Var(x))])"),
        ("Do([New(x, Var(x))])", "Do([New(y, Var(y))])"),
    ],
)
def test_what_is_not_alike(make_course: Maker, one: str, other: str) -> None:
    lane = quay(make_course)
    both = [lane.parser.parse(f"term: {text}") for text in (one, other)]
    found = [parsed.term for parsed in both if isinstance(parsed, Parsed)]
    assert not alike(lane.interpreter.signature, found[0], found[1])


@given(data=st.data())
def test_binding_through_lists_keeps_the_laws(make_course: Maker, data: st.DataObject) -> None:
    signature = quay(make_course).interpreter.signature
    names = ("x", "y", "x1")
    assert not free_names(signature, data.draw(terms(signature, "Expr", 4, (), names)))
    term = data.draw(terms(signature, "Expr", 5, names, names))
    value = data.draw(terms(signature, "Expr", 2, ("y", "x1"), names))
    assert alike(signature, term, term)
    before = free_names(signature, term)
    result = substitute(signature, value, "x", term)
    after = free_names(signature, result)
    if "x" not in before:
        assert alike(signature, result, term)
    else:
        # An assignment to a free name cannot take an expression: the name stays there.
        assert before - {"x"} <= after <= before | free_names(signature, value)


@pytest.mark.parametrize(
    ("row", "code"),
    [
        ("Bad(defs: List[Def], body: Expr)  binds defs.g in body", "unknown_field"),
        ("Bad(defs: List[Def], body: Expr)  binds defs.rhs in body", "type_mismatch"),
        ("Bad(body: Expr)  binds body.x in body", "type_mismatch"),
        ("Bad(defs: List[Def], body: Expr)  binds defs in body", "type_mismatch"),
    ],
)
def test_binding_that_means_nothing(make_course: Maker, row: str, code: str) -> None:
    course = make_course(quay=SEVERAL.replace("  Do(body", f"  {row}\n  Do(body"))
    assert code in {d.code for d in course.diagnostics}


@given(
    st.sampled_from([r"[a-z]", r"[a-z]+", r"[a-z][0-9]*", r"[a-z]'*", r"[A-Z]", r"[xyz]", r"qq"]),
    st.sets(st.sampled_from([*"abcxyz", "x1", "x2", "x'", "xa"])),
)
def test_a_fresh_name_comes_to_an_end_whatever_names_are_allowed(
    pattern: str, taken: set[str]
) -> None:
    """Renaming ran for ever where names have no numbers."""
    found = fresh("x", taken, lambda name: re.fullmatch(pattern, name) is not None)
    assert found not in taken
    if pattern not in ("qq", "[xyz]"):
        assert re.fullmatch(pattern, found)


LETTERS_ONLY = """\
language Lam
  extension "lam"
tokens
  name  /[a-z]/  as Name
  skip  / +/
forms T
  Var(x: Name)           uses x
  Fun(x: Name, body: T)  binds x in body
  Call(f: T, a: T)
grammar
  start T
  T ::= "^" x:name "." body:T makes Fun | Run
  Run : T ::= f:Run a:Atom makes Call | Atom
  Atom : T ::= x:name makes Var | "(" T ")"
"""
REDUCING = """\
interpreter reducing for Lam
judgement step "{t} → {result}"
main run
define run(p: T) -> T
  repeat step(p)
define step(t: T) -> T by t
  final Fun(_, _)
  final Var(_)
  order Call(f, a)    : f
  Call(Fun(x, b), a)  => substitute(a, x, b)
"""


def test_a_binder_is_renamed_where_names_are_single_letters(make_course: Maker) -> None:
    session = Session(make_course(lam=LETTERS_ONLY, reducing=REDUCING).folder)
    outcome = session.lane("Lam", "reducing").run("(^x.^y.x y) y").outcome
    assert outcome.text == "^ a . y a"
