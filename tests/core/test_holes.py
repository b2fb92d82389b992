"""What is unfinished or wrong runs as far as it goes, and each mistake is told once."""

from __future__ import annotations

import random
import re
from collections.abc import Callable

import pytest

from embrix.checking.diagnostics import diagnostics
from embrix.checking.verdicts import check_suite
from embrix.course.load import Course
from embrix.course.shipped import shipped_course
from embrix.lanes.session import Session
from embrix.machine.limits import Limits
from embrix.terms.generate import TOP, Generator, Words
from embrix.terms.node import size

Maker = Callable[..., Course]

LANGUAGE = """\
language Tally
  extension "tally"
numbers integer
tokens
  number  /[0-9]+/   as Number
  name    /[a-z]+/   as Name
  skip    / +/
forms Expr
  Lit(n: Number)
  Var(x: Name)  uses x
  Add(left: Expr, right: Expr)
  Let(x: Name, bound: Expr, body: Expr)  binds x in body
grammar
  start Expr
  Expr ::=
    | "let" x:name "=" bound:Expr "in" body:Expr  makes Let
    | Sum
  operators Sum : Expr
    left  "+" makes Add
    operand Atom
  Atom : Expr ::=
    | n:number      makes Lit
    | x:name        makes Var
    | "(" Expr ")"
"""
LANE = """\
interpreter values for Tally
value Value
  Num(n: Number)
error Unbound(x: Name)  "nothing called {x}"
judgement eval  "{env} ⊢ {e} ⇓ {result}"
main run
define run(p: Expr) -> Value
  eval(p, empty)
define eval(e: Expr, env: Env[Value]) -> Value by e
  Lit(n)              => Num(n)
  Var(x)              => env[x] otherwise fail Unbound(x)
  Add(left, right)    => add(eval(left, env), eval(right, env))
  Let(x, bound, body) => eval(body, env with x = eval(bound, env))
define add(a: Value, b: Value) -> Value by a, b
  Num(n), Num(m)      => Num(n + m)
"""


def test_what_stands_in_what_is_lost_is_checked_all_the_same(make_course: Maker) -> None:
    """A constructor in small letters is reported where it is declared, not at its uses; a wrong
    name among its arguments is reported as well."""
    lane = LANE.replace("  Num(n: Number)\n", "  num(n: Number)\n").replace(
        "=> Num(n + m)", "=> Num(n + k)"
    )
    course = make_course(tally=LANGUAGE, values=lane)
    assert [one.message.split(";")[0] for one in course.diagnostics] == [
        "the name of a constructor begins with a capital", "nothing called k is known here",
    ]  # fmt: skip


PROGRAMS = ("1", "x", "1 + 2", "let x = 1 in x")
RIGHT = ("Num(1)", "Unbound", "Num(3)", "Num(1)")


def outcomes(course: Course) -> list[str]:
    """What the programs come to: a value, the name of an error, or the kind of the outcome."""
    lane = Session(course.folder).lane("Tally", "values")
    ends = [lane.run(program).outcome for program in PROGRAMS]
    return [
        end.text if end.kind == "value" else end.name if end.kind == "failure" else end.kind
        for end in ends
    ]


def told(course: Course) -> list[tuple[str, int]]:
    """The code and the line of each finding."""
    return [(d.code, d.source.position(d.span.start)[0]) for d in course.diagnostics]


def test_the_example_is_in_order(make_course: Maker) -> None:
    course = make_course(tally=LANGUAGE, values=LANE)
    assert told(course) == []
    assert outcomes(course) == list(RIGHT)


OPEN = "unfinished"
MISTAKES = [
    # what is put for what, the one finding, what the four programs come to
    ("=> Num(n)\n", "=> Nun(n)\n", ("unknown_constructor", 10), (OPEN, "Unbound", OPEN, OPEN)),
    ("eval(right, env))", "eval(right env))", ("other_habit", 12), (*RIGHT[:2], OPEN, RIGHT[3])),
    ("add(eval", "ad(eval", ("unknown_name", 12), (*RIGHT[:2], OPEN, RIGHT[3])),
    ("  Add(left, right) ", "  Plus(left, right)", ("unknown_constructor", 12),
     (*RIGHT[:2], OPEN, RIGHT[3])),
    ("  Num(n), Num(m)      => Num(n + m)", "  Num(n), Num(m)      => n + m",
     ("type_mismatch", 15), (*RIGHT[:2], OPEN, RIGHT[3])),
    ("  Num(n), Num(m)      => Num(n + m)", "  Num(n) Num(m)      => Num(n + m)",
     ("unreadable", 15), (*RIGHT[:2], OPEN, RIGHT[3])),
    ("define add(a: Value, b: Value) ->", "define add(a Value, b: Value) ->", ("other_habit", 14),
     (*RIGHT[:2], OPEN, RIGHT[3])),
    ("error Unbound(x: Name)  ", "error Unbound(x Name)  ", ("other_habit", 4),
     (RIGHT[0], OPEN, *RIGHT[2:])),
    ("fail Unbound(x)", "fail Unbond(x)", ("unknown_error", 11), (RIGHT[0], OPEN, *RIGHT[2:])),
    ("fail Unbound(x)", "fail Unbound(e)", ("type_mismatch", 11), (RIGHT[0], OPEN, *RIGHT[2:])),
    ("fail Unbound(x)", "fail Unbound", ("wrong_number", 11), (RIGHT[0], OPEN, *RIGHT[2:])),
    ('"nothing called {x}"', '"nothing called {y}"', ("unknown_name", 4), RIGHT),
    ("judgement eval  ", "judgement evil  ", ("unknown_name", 5), RIGHT),
    ("  Num(n: Number)\n", "  num(n: Number)\n", ("unreadable", 3), (OPEN, "Unbound", OPEN, OPEN)),
    ("=> Num(n + m)", f"=> Num({'9' * 5_000})", ("unreadable", 15), (*RIGHT[:2], OPEN, RIGHT[3])),
    ("  Num(n), Num(m) ", f"  Num({'9' * 5_000}), Num(m) ", ("unreadable", 15),
     (*RIGHT[:2], OPEN, RIGHT[3])),
    ("eval(right, env))\n", "eval(right, env) +\n", ("unreadable", 12),
     (*RIGHT[:2], OPEN, RIGHT[3])),
    ("eval(right, env))\n", "eval(right, env),\n", ("unreadable", 12),
     (*RIGHT[:2], OPEN, RIGHT[3])),
    ("main run\n", "main ran\n", ("unknown_name", 6), (OPEN,) * 4),
    ("main run\n", "", ("missing_part", 1), (OPEN,) * 4),
    ("main run\n", "main run\nlaw run(Lit(1)) == 1\n", ("type_mismatch", 7), RIGHT),
    ("main run\n", "main run\nlaw run(Lit(1) == Num(1)\n", ("unreadable", 7), RIGHT),
]  # fmt: skip


@pytest.mark.parametrize(("old", "new", "finding", "ends"), MISTAKES)
def test_a_mistake_is_told_once_and_hides_nothing(
    make_course: Maker, old: str, new: str, finding: tuple[str, int], ends: tuple[str, ...]
) -> None:
    """Ends worked out by hand: what does not need the wrong part is as before."""
    assert LANE.count(old) == 1
    course = make_course(tally=LANGUAGE, values=LANE.replace(old, new))
    assert told(course) == [finding]
    assert outcomes(course) == list(ends)
    assert course.faulty == {"Tally": {"values": 1}}


REJECTED = "rejected"
GRAMMARS = [
    ("makes Let\n", "makes Lett\n", ("unknown_constructor", 16), (*RIGHT[:3], REJECTED)),
    ("bound:Expr \"in\"", "bound:Exprr \"in\"", ("unknown_rule", 16), (*RIGHT[:3], REJECTED)),
    ("    operand Atom\n", "    operand Atomm\n", ("unknown_rule", 20), (REJECTED,) * 4),
    ("makes Add\n", "makes Adds\n", ("unknown_constructor", 19),
     (*RIGHT[:2], REJECTED, RIGHT[3])),
    ("  start Expr\n", "  start Exprr\n", ("unknown_rule", 14), RIGHT),
    ("  start Expr\n", "", ("missing_part", 13), RIGHT),
]  # fmt: skip


BLOCKS = [
    # the first line of a block, in the language or in the interpreter, and how it is told
    ("forms Expr\n", "forms Expr ]]\n", "unreadable"),
    ("forms Expr\n", "forms Expr:\n", "other_habit"),
    ("forms Expr\n", "forms Expr = 1\n", "other_habit"),
    ("forms Expr\n", "forms expr\n", "unreadable"),
    ("forms Expr\n", "forms\n", "unreadable"),
    ("forms Expr\n", "forms 7\n", "unreadable"),
    ("tokens\n", "tokens ]\n", "unreadable"),
    ("tokens\n", "tokens:\n", "other_habit"),
    ("grammar\n", "grammar Plain\n", "unreadable"),
    ("grammar\n", "grammar {\n", "other_habit"),
    ("  operators Sum : Expr\n", "  operators Sum : Expr =\n", "other_habit"),
    ("value Value\n", "value Value ]\n", "unreadable"),
    ("value Value\n", "value Value:\n", "other_habit"),
    ("value Value\n", "value value\n", "unreadable"),
    ("value Value\n", "value\n", "unreadable"),
]


@pytest.mark.parametrize(("old", "new", "code"), BLOCKS)
def test_the_first_line_of_a_block_hides_nothing_in_it(
    make_course: Maker, old: str, new: str, code: str
) -> None:
    """One mistake, and every program gives what it gave before."""
    assert (LANGUAGE + LANE).count(old) == 1
    course = make_course(tally=LANGUAGE.replace(old, new), values=LANE.replace(old, new))
    assert [found for found, _ in told(course)] == [code]
    assert outcomes(course) == list(RIGHT)


@pytest.mark.parametrize(("old", "new", "finding", "ends"), GRAMMARS)
def test_a_wrong_rule_reads_like_one_that_is_not_written(
    make_course: Maker, old: str, new: str, finding: tuple[str, int], ends: tuple[str, ...]
) -> None:
    assert LANGUAGE.count(old) == 1
    course = make_course(tally=LANGUAGE.replace(old, new), values=LANE)
    errors = [d for d in course.diagnostics if d.severity == "error"]
    assert told(course)[:1] == [finding]
    assert len(errors) == 1
    assert outcomes(course) == list(ends)


def test_what_is_wrong_is_said_where_a_run_comes_to_it(make_course: Maker) -> None:
    wrong = LANE.replace("Num(n + m)", "Num(n + k)")
    outcome = Session(make_course(tally=LANGUAGE, values=wrong).folder).lane(
        "Tally", "values"
    ).run("1 + 2").outcome  # fmt: skip
    assert (outcome.kind, outcome.name) == ("unfinished", "unknown_name")
    assert outcome.text == "nothing called k is known here (values.brix:15:34)"
    assert outcome.place == (0, 5)


def test_warnings_of_other_functions_are_still_told(make_course: Maker) -> None:
    wrong = LANE.replace("Num(n + m)", "Num(n + k)").replace(
        "  Var(x)              => env[x] otherwise fail Unbound(x)\n", ""
    )
    course = make_course(tally=LANGUAGE, values=wrong)
    assert ("missing_clause", 9) in told(course)


def test_what_extends_a_wrong_interpreter_says_so_in_one_line(make_course: Maker) -> None:
    wrong = LANE.replace("Num(n + m)", "Num(n + k)")
    more = "interpreter more for Tally extends Tally.values\n"
    course = make_course(tally=LANGUAGE, values=wrong, more=more)
    assert told(course) == [("base_broken", 1), ("unknown_name", 15)]
    lane = Session(course.folder).lane("Tally", "more")
    assert [lane.run(text).outcome.kind for text in ("1", "1 + 1")] == ["value", OPEN]


def test_mutated_definitions_never_end_in_a_fault(make_course: Maker) -> None:
    """Words exchanged, dropped and doubled in shipped interpreters: whatever is left of a lane
    runs, and ends in some outcome."""
    folder = shipped_course() / "drip"
    language = (folder / "drip.brix").read_text()
    chance = random.Random(1709)
    for number in range(60):
        name = ("environment", "rewriting", "by_name")[number % 3]
        words = re.split(r"(\s+|\W)", (folder / f"{name}.brix").read_text())
        for _ in range(chance.randint(1, 3)):
            at, other = (chance.randrange(4, len(words)) for _ in range(2))
            words[at] = chance.choice(["", words[at] * 2, words[other]])
        course = make_course(drip=language, lane="".join(words))
        for lane in Session(course.folder).lanes("Drip"):
            for program in ("1 + 2 * 3", "let x = 2 in -x / 4", "1 / 0"):
                ended = lane.run(program, limits=Limits(calls=5_000, depth=2_000))
                assert ended.outcome.kind


def test_terms_end_where_a_grammar_lets_forms_stand_that_need_one_another(
    make_course: Maker,
) -> None:
    """Such a grammar has errors, but what makes up programs must come to an end."""
    signature = make_course(tally=LANGUAGE).languages["Tally"].signature
    only = frozenset({"Add"})
    words = Words(parts={TOP: only, ("Add", 0): only, ("Add", 1): only})
    term = Generator(signature, random.Random(5).randrange, words).term("Expr", 3)
    assert 1 < size(term) < 20_000


WORDS = """\
define print(val: Number, case: Number) -> Number
  for(case, val) + this(val) + none(case)
define for(const: Number, self: Number) -> Number
  try(const) + self
define try(while: Number) -> Number
  let switch = while
  let return = switch
  var(return)
define var(null: Number) -> Number
  null
define this(lambda: Number) -> Number
  lambda + 1
define none(throw: Number) -> Number
  function(throw)
define function(n: Number) -> Number
  if n == 0 then n else raise(n)
define raise(elif: Number) -> Number
  elif
"""


def test_words_of_other_languages_may_be_names(make_course: Maker) -> None:
    """By hand: print(1, 2) = (2 + 1) + (1 + 1) + 2."""
    course = make_course(
        tally=LANGUAGE, values=LANE.replace("Num(n + m)", "Num(print(n, m))") + WORDS
    )
    assert told(course) == []
    assert outcomes(course)[2] == "Num(7)"


def test_a_body_that_begins_with_a_constructor_may_hold_arrows(make_course: Maker) -> None:
    """By hand: ((0 + 1 + 3) + 2 + 3)."""
    changed = LANE.replace("      => Num(n + m)", "      => sum(n + m)") + (
        "define sum(n: Number) -> Value\n  Num(fold([1, 2], 0, fn(a, b) => a + b + n))\n"
    )
    course = make_course(tally=LANGUAGE, values=changed)
    assert told(course) == []
    assert outcomes(course)[2] == "Num(9)"


UNKNOWN_TYPES = """\
interpreter loose for Tally
value Value
  Num(n: Nmber)
  Many(s: Set[Thing])
  Plain(n: Number)
error Bad(v: Valu)  "bad {v}"
main run
define run(p: Expr) -> Value
  eval(p)
define eval(e: Expr) -> Value by e
  Lit(0)            => fail Bad(1)
  Lit(1)            => Plain(helper("x"))
  Lit(2)            => Plain(caught(e))
  Lit(3)            => Many(added(empty, true))
  Lit(4)            => Plain(4)
  Lit(n)            => Num("a")
  Add(left, right)  => Plain(number(eval(left)) + number(eval(right)))
  Var(x)            => Num(x)
  Let(_, _, body)   => eval(body)
define number(v: Value) -> Number by v
  Num(n)            => n + 1
  Many(s)           => number(s)
  Plain(n)          => n
define helper(x: Foo) -> Number
  x + 1
define caught(e: Expr) -> Number
  attempt number(eval(Lit(0)))
    on Bad(v) => v + 1
"""


@pytest.mark.parametrize(
    ("program", "told"),
    [("0", "bad 1"), ("1", "called Foo"), ("2", "called Valu"), ("3", "called Thing"),
     ("4", "Plain(4)"), ("5", "called Nmber"), ("4 + 4", "Plain(8)"), ("4 + 5", "called Nmber")],
)  # fmt: skip
def test_what_rests_on_a_type_that_is_not_known_does_not_run(
    make_course: Maker, program: str, told: str
) -> None:
    """Such a field may hold anything: a number is not added to a text because of it."""
    session = Session(make_course(tally=LANGUAGE, loose=UNKNOWN_TYPES).folder)
    outcome = session.lane("Tally", "loose").run(program).outcome
    assert told in outcome.text
    assert (outcome.kind == "unfinished") == ("called" in told)


@pytest.mark.parametrize("subjects", ["p", "p, e", "e, p"])
def test_clauses_that_choose_by_no_parameter_do_not_run(make_course: Maker, subjects: str) -> None:
    lane = LANE.replace("by e\n", f"by {subjects}\n", 1)
    session = Session(make_course(tally=LANGUAGE, values=lane).folder)
    outcome = session.lane("Tally", "values").run("1 + 2").outcome
    assert (outcome.kind, outcome.text.split(" (")[0]) == (
        "unfinished", "eval has no parameter called p"
    )  # fmt: skip


@pytest.mark.parametrize(
    ("right", "wrong", "program"),
    [("Lit(n)              => Num(n)", "Lit(n)              => Num(n) Num(1)", "1"),
     ("as Number", "asx Number", "1"),
     ('"(" Expr ")"', '"(" Expr ")" ]', "(1)"),
     ("  Num(n: Number)\n", "  Num(n: Number) 7\n", "1")],
)  # fmt: skip
def test_a_line_with_something_behind_its_end_gives_nothing(
    make_course: Maker, right: str, wrong: str, program: str
) -> None:
    """It does not run as if what is too much were not there; and it is told once."""
    texts = {"tally": LANGUAGE, "values": LANE}
    assert any(right in text for text in texts.values())
    course = make_course(**{name: text.replace(right, wrong, 1) for name, text in texts.items()})
    assert [d.code for d in course.diagnostics if d.severity == "error"] == ["unreadable"]
    lanes = Session(course.folder).lanes("Tally")
    assert all(one.run(program).outcome.kind in ("unfinished", "rejected") for one in lanes)


def test_a_declaration_of_another_kind_of_definition_is_named(make_course: Maker) -> None:
    other = make_course(tally=LANGUAGE + "main run\n")
    assert [found.hint for found in other.diagnostics] == ["`main` is for an interpreter"]


ONE_CASE = """\
language = "Tally"
[[case]]
name = "one"
program = "1 + 2"
value = "N(3)"
"""
HEADERS = [
    ("tally", "language Tally", "languag Tally", (1, 1)),
    ("tally", "language Tally", "language tally", (1, 10)),
    ("tally", "language Tally", "language", (1, 8)),
    ("tally", "language Tally", "language 3", (1, 10)),
    ("lane", "interpreter values for", "interpretor values for", (1, 1)),
    ("lane", "interpreter values for", "interpreter Values for", (1, 13)),
    ("lane", "interpreter values for", "interpreter values", (1, 20)),
    ("lane", "for Tally", "for tally", (1, 24)),
    ("lane", "for Tally", "for Tallly", (1, 24)),
]


@pytest.mark.parametrize(("file", "old", "new", "place"), HEADERS, ids=[h[2] for h in HEADERS])
def test_a_broken_header_hides_nothing_behind_it(
    make_course: Maker, file: str, old: str, new: str, place: tuple[int, int]
) -> None:
    """It is told once, and every lane and case runs as before."""
    lane = """\
interpreter values for Tally
value V
  N(n: Number)
main run
judgement run "{e} ⇓ {result}"
define run(e: Expr) -> V by e
  Add(left, right) =>
    let N(a) = run(left)
    let N(b) = run(right)
    N(a + b)
  Lit(n) => N(n)
  _ => todo "more"
"""
    texts = {"tally": LANGUAGE, "lane": lane}
    assert old in texts[file]
    texts[file] = texts[file].replace(old, new, 1)
    made = make_course(**texts)
    (made.folder / "tally.suite.toml").write_text(ONE_CASE)
    errors = [one for one in made.diagnostics if one.severity == "error"]
    assert [one.source.position(one.span.start) for one in errors] == [place]
    report = check_suite(Session(made.folder), made.folder / "tally.suite.toml")
    assert [one.state for row in report.cases for one in row.verdicts] == ["passed"]


def test_a_law_about_no_terms_at_all_is_tried(make_course: Maker) -> None:
    """What it makes has no place to be made at."""
    for law, holds in (
        ("run(Lit(1)) == Num(1)", True),
        ("run(Add(Lit(1), Lit(1))) == Num(3)", False),
    ):
        lane = LANE.replace("main run\n", f"main run\nlaw {law}\n")
        course = make_course(tally=LANGUAGE, values=lane)
        found = [one.code for one in diagnostics(Session(course.folder)).findings]
        assert ("law_fails" in found) != holds
