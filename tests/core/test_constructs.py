"""Every construct of the notation: what it gives, how deep it goes, what it may not do."""

from __future__ import annotations

import keyword

import pytest

from embrix.lanes.session import Session
from embrix.machine.lane import Lane
from embrix.machine.limits import Limits
from embrix.terms.node import same
from tests.conftest import Maker

COUNT = """\
language Count
  extension "count"
tokens
  number /-?[0-9]+/ as Number
  skip   / +/
forms Expr
  Lit(n: Number)
  Up(e: Expr)
  Both(left: Expr, right: Expr)
grammar
  start Expr
  Expr ::= n:number makes Lit | "up" e:Expr makes Up | "[" left:Expr right:Expr "]" makes Both
error Low(n: Number)  "{n} is too low"
"""
HEAD = """\
interpreter trial for Count
main run
define run(p: Expr) -> Number
"""


def lane(make_course: Maker, text: str, **more: str) -> Lane:
    course = make_course(count=COUNT, trial=text, **more)
    found = [f"{d.code}: {d.message}" for d in course.diagnostics if d.severity == "error"]
    assert found == []
    return Session(course.folder).lane("Count", "trial")


DEEP = {
    "a call inside an operation": """
  down(p)
define down(e: Expr) -> Number by e
  Lit(n) => n
  Up(e) => 1 + down(e)
  Both(_, e) => down(e)""",
    "let": """
  down(p)
define down(e: Expr) -> Number by e
  Lit(n) => n
  Up(e) =>
    let n = down(e)
    n + 1
  Both(_, e) => down(e)""",
    "match": """
  down(p)
define down(e: Expr) -> Number by e
  Lit(n) => n
  Up(e) =>
    match down(e)
      0 => 1
      n => n + 1
  Both(_, e) => down(e)""",
    "if": """
  down(p)
define down(e: Expr) -> Number by e
  Lit(n) => n
  Up(e) => if down(e) >= 0 then size(path(e)) * 0 + 1 + down0(e) else 0
  Both(_, e) => down(e)
define path(e: Expr) -> List[Number]
  []
define down0(e: Expr) -> Number
  0""",
    "attempt": """
  down(p)
define down(e: Expr) -> Number by e
  Lit(n) => if n < 0 then fail Low(n) else n
  Up(e) =>
    let n = attempt down(e)
      on Low(n) => n + 1
    n + 1
  Both(_, e) => down(e)""",
    "tuples and stores": """
  let (n, _) = down(p, empty)
  n
define down(e: Expr, store: Store[Number]) -> (Number, Store[Number]) by e
  Lit(n) => (n, store)
  Up(e) =>
    let (n, store) = down(e, store)
    let (loc, store) = alloc(store, n)
    (store[loc] + 1, store)
  Both(_, e) => down(e, store)""",
    "functions that are values": """
  down(p, fn(n) => n)
define down(e: Expr, k: (Number) -> Number) -> Number by e
  Lit(n) => k(n)
  Up(e) => down(e, fn(n) => k(n + 1))
  Both(_, e) => down(e, k)""",
    "a function value not in tail position": """
  down(p, fn(n) => n)
define down(e: Expr, k: (Number) -> Number) -> Number by e
  Lit(n) => k(n)
  Up(e) => down(e, fn(n) => 1 + k(n))
  Both(_, e) => down(e, k)""",
    "fold": """
  down(p)
define down(e: Expr) -> Number by e
  Lit(n) => n
  Up(e) => fold([e], 1, fn(sum, e) => sum + down(e))
  Both(_, e) => down(e)""",
    "map": """
  down(p)
define down(e: Expr) -> Number by e
  Lit(n) => n
  Up(e) => map([e], fn(e) => down(e) + 1)[0]
  Both(_, e) => down(e)""",
    "otherwise": """
  down(p) otherwise 0
define down(e: Expr) -> Maybe[Number] by e
  Lit(n) => Some(n)
  Up(e) => Some(1 + (down(e) otherwise 0))
  Both(_, e) => down(e)""",
    "require and lists": """
  size(down(p)) - 1
define down(e: Expr) -> List[Number] by e
  Lit(n) => [n]
  Up(e) =>
    require true else []
    [1, ..down(e)]
  Both(_, e) => down(e)""",
    "two functions by turns": """
  down(p)
define down(e: Expr) -> Number by e
  Lit(n) => n
  Up(e) => 1 + other(e)
  Both(_, e) => other(e)
define other(e: Expr) -> Number by e
  Lit(n) => n
  Up(e) => 1 + down(e)
  Both(_, e) => down(e)""",
}


@pytest.mark.parametrize("construct", DEEP)
def test_recursion_goes_100_000_levels_deep(make_course: Maker, construct: str) -> None:
    text = HEAD + DEEP[construct].lstrip("\n") + "\n"
    if construct == "require and lists":
        text = text.replace("size(down(p)) - 1", "number(size(down(p)) - 1)")
    if construct == "if":
        text = text.replace("size(path(e)) * 0 + 1 + down0(e)", "1")
    depth = 100_000
    result = lane(make_course, text).run("up " * depth + "0", variant="plain")
    expected = "1" if construct == "if" else str(depth)
    assert (result.outcome.kind, result.outcome.text) == ("value", expected)


LOOPS = {
    "itself": "  loop(n)\ndefine loop(n: Number) -> Number\n  if n == 0 then 7 else loop(n - 1)\n",
    "each other": (
        "  even(n)\n"
        "define even(n: Number) -> Number\n  if n == 0 then 7 else odd(n - 1)\n"
        "define odd(n: Number) -> Number\n  if n == 0 then 8 else even(n - 1)\n"
    ),
    "a closure": (
        "  loop(n, fn(m) => m - 1)\n"
        "define loop(n: Number, f: (Number) -> Number) -> Number\n"
        "  if n == 0 then 7 else again(f(n), f)\n"
        "define again(n: Number, f: (Number) -> Number) -> Number\n"
        "  loop(n, fn(m) => f(m))\n"
    ),
    "unknown functions": (
        "  loop(n, loop_on)\n"
        "define loop_on(n: Number, f: (Number, Number) -> Number) -> Number\n  f(n, n)\n"
        "define loop(n: Number, g: (Number, (Number, Number) -> Number) -> Number) -> Number\n"
        "  if n == 0 then 7 else g(n - 1, fn(a, b) => loop(a, g))\n"
    ),
}


@pytest.mark.parametrize("kind", ["itself", "each other", "unknown functions"])
def test_loops_by_tail_calls_need_no_depth(make_course: Maker, kind: str) -> None:
    text = HEAD + "  let Lit(n) = p else _ => 0\n" + LOOPS[kind]
    target = lane(make_course, text)
    for variant in ("plain", "counted"):
        result = target.run("100000", variant=variant, limits=Limits(10**7, 1_500))  # type: ignore[arg-type]
        assert result.outcome.text == "7", result.outcome


def test_a_chain_of_closures_is_as_deep_as_it_is_long(make_course: Maker) -> None:
    text = HEAD + "  let Lit(n) = p else _ => 0\n" + LOOPS["a closure"]
    assert lane(make_course, text).run("300", variant="plain").outcome.text == "7"


WORDS = [w for w in keyword.kwlist if w.islower()] + ["print", "open", "eval", "exec", "self"]
NOTATION = {"if", "else", "with", "and", "or", "not", "is"}


def test_names_of_the_host_are_harmless(make_course: Maker) -> None:
    """Functions and variables called like Python's words, builtins and dunder names."""
    names = [w for w in WORDS if w not in NOTATION] + ["__class__", "__import__", "__globals__"]
    text = HEAD + "  " + " + ".join(f"{name}(1)" for name in names) + "\n"
    for name in names:
        text += f"define {name}({name}_: Number) -> Number\n  let {name} = {name}_\n  {name}\n"
    assert lane(make_course, text).run("0").outcome.text == str(len(names))


@pytest.mark.parametrize(
    ("body", "limit"),
    [
        ("  spin(1)\ndefine spin(n: Number) -> Number\n  spin(n + 1)\n", "calls"),
        ("  spin(1)\ndefine spin(n: Number) -> Number\n  1 + spin(n)\n", "depth"),
        ("  grow(2)\ndefine grow(n: Number) -> Number\n  grow(n * n)\n", "numbers"),
        ('  grow("ab")\ndefine grow(t: Text) -> Number\n  grow("{t}{t}")\n', "text"),
        ('  chat(1)\ndefine chat(n: Number) -> Number\n  emit "on and on"\n  chat(n)\n', "output"),
    ],
)
def test_what_never_ends_tells_its_limit(make_course: Maker, body: str, limit: str) -> None:
    target = lane(make_course, HEAD + body)
    limits = Limits(calls=3_000_000, depth=50_000, output=100_000)
    result = target.run("0", limits=limits)
    assert (result.outcome.kind, result.outcome.name) == ("out of fuel", limit)
    if limit == "output":
        assert "".join(result.output).startswith("on and on")


def test_shared_terms_are_printed_cut_off_and_compared_quickly(make_course: Maker) -> None:
    """A term doubled forty times would be written with more than a million million letters."""
    text = """\
interpreter trial for Count
main run
define run(p: Expr) -> (Expr, Bool)
  let a = doubled(Lit(1), 40)
  let b = doubled(Lit(1), 40)
  (a, a == b)
define doubled(e: Expr, n: Number) -> Expr
  if n == 0 then e else doubled(Both(e, e), n - 1)
"""
    target = lane(make_course, text)
    result = target.run("0")
    assert result.outcome.kind == "value"
    assert len(result.outcome.text) < 30_000
    assert result.state == ("true",)
    value = result.outcome.value
    assert same(value, value)
    traced = target.trace("0")
    assert len(traced.result.outcome.structure) < 30_000


LIBRARY = """\
library lists
data Pair[A, B]
  Pair(one: A, other: B)
error Empty  "there is nothing in the list"
define last(xs: List[A]) -> A
  match xs
    [x]         => x
    [_, ..rest] => last(rest)
    []          => fail Empty
define swapped(p: Pair[A, B]) -> Pair[B, A]
  let Pair(a, b) = p
  Pair(b, a)
"""


def test_libraries_are_generic(make_course: Maker) -> None:
    text = """\
interpreter trial for Count
use lists (last, Pair)
main run
define run(p: Expr) -> Number
  let Pair(n, t) = swapped(Pair("left", last([1, 2, 5])))
  if t == "left" then n + last([10]) else 0
"""
    assert lane(make_course, text, lists=LIBRARY).run("0").outcome.text == "15"
    for old, new, code in (
        ("use lists (", "use lits (", "unknown_name"),
        ("(last, Pair)", "(lats, Pair)", "unknown_name"),
        ("last([10])", 'last(["a"])', "type_mismatch"),
    ):
        course = make_course(count=COUNT, lists=LIBRARY, trial=text.replace(old, new))
        assert code in {d.code for d in course.diagnostics}


def test_maps_sets_and_lookups(make_course: Maker) -> None:
    text = (
        HEAD
        + """\
  let m = start() with "b" = 2 with "a" = 1
  let named = keys(m)
  let there = match lookup(m, "a")
    Some(n) => n
    None    => 100
  let nobody = match lookup(m, "c")
    Some(n) => n
    None    => 100
  let s = added(added(letters(), "x"), "x")
  let many = number(size(items(union(s, added(letters(), "y")))))
  m["b"] + there + nobody + number(size(named)) + (m["z"] otherwise 1000) + many
define start() -> Map[Text, Number]
  empty
define letters() -> Set[Text]
  empty
"""
    )
    assert lane(make_course, text).run("0").outcome.text == str(2 + 1 + 100 + 2 + 1000 + 2)
    stuck = lane(make_course, text.replace('(m["z"] otherwise 1000)', 'm["z"]')).run("0").outcome
    assert stuck.sentence == "stuck: the map has nothing at z"


FAULTY = {
    "wrong_place": HEAD + "  f(p)\ndefine f(e: Expr) -> Number by e\n"
    "  Lit(n) when loud(n) => n\n  _ => 0\n"
    'define loud(n: Number) -> Bool\n  emit "loud"\n  n > 1\n',
    "needless_answer": HEAD.replace("main run", 'deliberately missing_clause "none"\nmain run')
    + "  1\n",
    "missing_part": 'interpreter trial for Count\nchoice way "Which?"\n  one "only" default\n'
    "main run\ndefine run(p: Expr) -> Number\n  1\n",
    "not_a_function": HEAD + "  let n = 1\n  n(2)\n",
    "unknown_error": HEAD + "  attempt 1\n    on Nothing => 2\n",
}


@pytest.mark.parametrize("code", FAULTY)
def test_faults_are_found(make_course: Maker, code: str) -> None:
    found = make_course(count=COUNT, trial=FAULTY[code]).diagnostics
    assert code in {d.code for d in found}, [(d.code, d.message) for d in found]


def test_a_warning_is_answered_and_an_absence_is_meant(make_course: Maker) -> None:
    text = HEAD + "  f(p)\ndefine f(e: Expr) -> Number by e\n  Lit(n) => n\n  Up(e) => f(e)\n"
    course = make_course(count=COUNT, trial=text)
    assert [d.code for d in course.diagnostics] == ["missing_clause"]
    assert "Both(left, right) => todo" in course.diagnostics[0].hint
    meant = text + '  no clause Both(_, _) "two at a time are not looked at"\n'
    assert make_course(count=COUNT, trial=meant).diagnostics == ()
    told = text.replace("define f", 'deliberately missing_clause "the same"\ndefine f')
    assert make_course(count=COUNT, trial=told).diagnostics == ()


def test_guards_that_ask_for_choices_count_exactly(make_course: Maker) -> None:
    choice = 'choice way "Which?"\n  one "the first" default\n  two "the second"\nmain run'
    text = HEAD.replace("main run", choice) + "  f(p)\ndefine f(e: Expr) -> Number by e\n"
    whole = text + "  _ when way is one => 1\n  _ when way is two => 2\n"
    assert make_course(count=COUNT, trial=whole).diagnostics == ()
    half = text + "  _ when way is one => 1\n  Lit(_) => 2\n"
    found = make_course(count=COUNT, trial=half).diagnostics
    assert [d.code for d in found] == ["missing_clause"]
    never = whole + "  Lit(_) => 3\n"
    found = make_course(count=COUNT, trial=never).diagnostics
    assert [d.code for d in found] == ["unreachable_clause"]


def test_every_interpreter_lists_a_new_form(make_course: Maker) -> None:
    """A catch-all of the base does not answer for forms that came later, unless it is inherited."""
    base = HEAD + "  f(p)\ndefine f(e: Expr) -> Number by e\n  Lit(n) => n\n  _ => 0\n"
    wider = """\
language Wide extends Count
  extension "wide"
forms Expr
  Down(e: Expr)
grammar
  Expr ::= ... | "down" e:Expr makes Down
"""
    silent = "interpreter trial for Wide extends Count.trial\n"
    course = make_course(count=COUNT, trial=base, wide=wider, widetrial=silent)
    (finding,) = course.diagnostics
    assert finding.code == "missing_clause"
    assert "Down(_)" in finding.message
    inherited = silent + "extend f(e)\n  inherit _ for Down\n"
    course = make_course(count=COUNT, trial=base, wide=wider, widetrial=inherited)
    assert course.diagnostics == ()
    lane_of_wide = Session(course.folder).lane("Wide", "trial")
    assert lane_of_wide.run("down 5").outcome.text == "0"


def test_a_step_that_leads_back_is_a_cycle(lockside_rill_rewriting: Lane) -> None:
    limits = Limits(calls=50_000)
    text = "(given x: x x) (given x: x x)"
    outcome = lockside_rill_rewriting.run(text, limits=limits).outcome
    assert (outcome.kind, outcome.text[:35]) == ("cycle", "step 1 begins with the term of step")


@pytest.fixture
def lockside_rill_rewriting(lockside: object) -> Lane:
    from embrix.course.shipped import shipped_course

    return Session(shipped_course()).lane("Rill", "rewriting")
