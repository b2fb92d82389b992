"""What residual programs look like, worked out by hand from the clauses."""

from __future__ import annotations

import json
import re
from pathlib import Path
from types import SimpleNamespace

import pytest

from embrix.cli.main import main
from embrix.course.load import Course
from embrix.grammar.parser import Parsed
from embrix.lanes.session import Session
from embrix.machine.residual.second_names import without_copies
from embrix.machine.residual.statements import (
    Assigned,
    Atom,
    Constant,
    Field,
    Fork,
    Give,
    Residual,
    ResidualTest,
    Statement,
    statements_in,
)
from embrix.messages.replies_on_comparing import ResidualRow, ResidualShown
from embrix.messages.requests import ShowResidual
from embrix.services.residual_reply import residual_shown
from tests.conftest import Maker


@pytest.fixture(scope="module")
def session(lockside: Course) -> Session:
    return Session(lockside.folder)


def shown(session: Session, language: str, lane: str, text: str) -> ResidualShown:
    return residual_shown(session, ShowResidual(language=language, lane=lane, text=text))


def left(found: ResidualShown) -> list[str]:
    """What is done, each line set in as it is."""
    return ["  " * row.inset + row.text for row in found.rows if not row.decided]


def test_a_function_of_the_program_is_one_of_the_residual_program(session: Session) -> None:
    text = "let fib of n = when n < 2 then n else fib (n - 1) + fib (n - 2) in fib 9"
    assert left(shown(session, "Rill", "environment", text)) == [
        "program()",
        "  fib(9)",
        "",
        "fib(n)   eval of when n < 2 then n else fib (n - 1) + fi…",
        "  if n < 2 then",
        "    n",
        "  else",
        "    let v3 = fib(n - 1)",
        "    let v5 = fib(n - 2)",
        "    v3 + v5",
    ]


def test_tests_that_always_come_out_one_way_are_left_out(session: Session) -> None:
    """All calls of `f` hand it numbers, and it gives numbers; with one call more it does not."""
    text = "let f of n = when n < 2 then n else f (n - 1) + 1 in f 9"
    assert not any("require" in line for line in left(shown(session, "Rill", "environment", text)))
    more = left(shown(session, "Rill", "environment", f"({text}) + (let f = 1 in f)"))
    assert not any("require" in line for line in more)
    other = text.replace("f 9", "when f 9 is 1 then f true else f 8")
    lines = left(shown(session, "Rill", "environment", other))
    assert "  require n is a number else fail NumberWanted" in lines


def test_what_the_program_says_is_worked_out_beforehand(session: Session) -> None:
    found = shown(session, "Rill", "environment", "let x = 4 in when x < 5 then x * 10 else x / 0")
    assert left(found) == ["program()", "  40"]
    assert found.summary == (
        "1 function; 9 calls of the interpreter decided beforehand, 0 calls left"
    )


def test_a_function_that_only_the_run_knows_carries_its_code(session: Session) -> None:
    """What is handed to a function that calls itself is general there."""
    text = "let go of f = when f 0 < 1 then go (given y: f y + 1) else f in go (given z: z) 5"
    lines = left(shown(session, "Rill", "environment", text))
    assert any(line.startswith("go(f)") for line in lines)
    assert any("run f with 0" in line for line in lines)
    assert "  let v2 = go(Closure(f))" in lines
    # The function that is made there holds the one that was handed to it.
    assert "    go(Closure(f_2 with f))   again" in lines
    assert any(line.startswith("f_2(f, y)   eval of f y + 1") for line in lines)


def test_a_store_that_is_changed_in_place(session: Session) -> None:
    text = "new n := 3; while 0 < n do n := n - 1; show n"
    found = shown(session, "Weir", "store_passing", text)
    assert found.summary.endswith("one store, changed in place")
    lines = left(found)
    assert lines[1] == "  let n = new location with 3"
    assert any(re.fullmatch(r" +store\[n\] := v\d+ - 1", line) for line in lines)
    assert "    exec(n)   again" in lines


def test_every_store_is_kept_of_a_lane_that_goes_back(session: Session) -> None:
    text = "new n := 3; new f := given x: begin n := n + x give n; n := f 1 + f 1; show n"
    found = shown(session, "Weir", "stale_store", text)
    assert found.summary.endswith("every store is kept")
    assert any("store_with(" in line for line in left(found))


def test_each_line_has_a_place_and_a_clause(session: Session) -> None:
    text = "let x = 1 in\nlet f = given y: y + x in f (x + 2)"
    found = shown(session, "Rill", "environment", text)
    for row in found.rows:
        if row.inset:
            assert row.file in ("rill/environment.brix", "drip/environment.brix")
            lines = (session.course.folder / row.file).read_text().split("\n")
            assert lines[row.line - 1].strip().startswith(row.clause.partition("\n")[0])
    decided = [text[slice(*row.place)] for row in found.rows if row.decided and row.place]
    # The interpreter goes through the program in this order.
    assert decided[:4] == [text, "1", text[13:], "given y: y + x"]


@pytest.mark.parametrize(
    ("language", "lane", "text", "reason"),
    [
        ("Rill", "rewriting", "1 + 2", "rewriting is not specialised: it repeats small steps"),
        ("Rill", "environment", "1 +", "rejected: the program ends here"),
        ("Race", "interleaving", "rest give 1", "it repeats small steps"),
    ],
)
def test_what_is_not_specialised_says_why(
    session: Session, language: str, lane: str, text: str, reason: str
) -> None:
    found = shown(session, language, lane, text)
    assert found.rows == []
    assert reason in found.refused


def test_what_is_caught_is_left_to_the_interpreter_and_said_so(session: Session) -> None:
    """A guard whose body gives a value is that value; where an alarm is heard the run goes back."""
    lane = session.lane("Siren", "environment")
    note = "# what fails from here on may be caught: in the interpreter"
    cases = [
        ("guard 3 + 4 else given x: 1", "7"),
        ("1 + (guard 3 + (alarm 4) else given x: x * 10)", "41"),
        ("let f = given x: guard 7 / x else given y: y in f 2", "3.5"),
        ("guard (guard alarm 1 else given x: alarm 2) else given y: y + 5", "7"),
    ]
    for text, value in cases:
        found = shown(session, "Siren", "environment", text)
        assert note in [row.text for row in found.rows]
        for residual in (True, False):
            parsed = lane.parser.parse(text)
            assert isinstance(parsed, Parsed)
            ran = lane.machine.run(parsed.term, variant="plain", residual=residual)
            assert (ran.outcome.kind, ran.outcome.text) == ("value", value)


def test_on_the_command_line(
    lockside: Course, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    program = tmp_path / "sum.rill"
    program.write_text("let sum of n = when n < 1 then 0 else n + sum (n - 1) in sum 4\n")
    course = ["--course", str(lockside.folder)]
    assert main(["residual", str(program), "--with", "environment", *course]) == 0
    out = capsys.readouterr().out.split("\n")
    assert out[0].startswith("environment: 2 functions; ")
    assert out[3].split() == ["sum(4)", "1:58", "rill/environment.brix:87"]
    assert not any("·" in line for line in out)
    main(["residual", str(program), "--with", "environment", "--decided", *course])
    assert "· eval of sum 4" in capsys.readouterr().out
    main(["residual", str(program), "--with", "environment", "--json", *course])
    answer = json.loads(capsys.readouterr().out)
    assert answer["interpreter"] == "environment"
    assert {"text": "n", "inset": 1} not in answer["rows"]
    program.write_text("1 +\n")
    assert main(["residual", str(program), *course]) == 3
    assert "sum.rill:1:4" in capsys.readouterr().err
    program.write_text("1 + 2\n")
    assert main(["residual", str(program), "--with", "rewriting", *course]) == 1
    assert "it repeats small steps" in capsys.readouterr().err


def test_names_supplied_by_hand_are_parameters(session: Session) -> None:
    request = ShowResidual(
        language="Rill", lane="environment", text="let y = x * x in y + z", run=True,
        given={"x": "3", "z": "4"},
    )  # fmt: skip
    found = residual_shown(session, request)
    assert left(found) == [
        "program(x, z)",
        "  require x is a number else fail NumberWanted",
        "  require z is a number else fail NumberWanted",
        "  (x * x) + z",
    ]
    assert found.ran.startswith("13: 0 calls and 2 operations")
    wrong = ShowResidual(language="Rill", lane="environment", text="x", given={"x": "1 +"})
    assert "the program ends here" in residual_shown(session, wrong).refused


def test_what_a_run_takes(session: Session) -> None:
    """Five calls of `sum`; for each of 4, 3, 2 and 1 a comparison, a subtraction and an addition,
    for 0 a comparison."""
    text = "let sum of n = when n < 1 then 0 else n + sum (n - 1) in sum 4"
    request = ShowResidual(language="Rill", lane="environment", text=text, run=True)
    found = residual_shown(session, request)
    assert (found.costs["calls"], found.costs["operations"]) == (5, 13)
    lane = session.lane("Rill", "environment")
    assert found.costs["calls of the interpreter"] == lane.run(text).costs["calls"]
    assert found.ran.startswith("10: 5 calls and 13 operations where the interpreter makes ")
    fails = ShowResidual(language="Rill", lane="environment", text="1 / 0", run=True)
    assert "the interpreter tells that" in residual_shown(session, fails).ran


def test_rows_are_plain_data() -> None:
    assert ResidualRow("x").decided is False


BASIN = """\
language Basin
  extension "basin"
tokens
  number  /[0-9]+/  as Number
  name    /[a-z]+/  as Name
  skip    / +/
forms Stmt
  New(x: Name, init: Expr, after: Stmt)                 binds x in after
  Fill(x: Name, below: Expr, after: Stmt)               uses x
  Give(e: Expr)
forms Expr
  Lit(n: Number)
  Var(x: Name)                                         uses x
grammar
  start Stmt
  Stmt ::=
    | "new" x:name "=" init:Expr ";" after:Stmt         makes New
    | "fill" x:name "below" below:Expr ";" after:Stmt   makes Fill
    | "give" e:Expr                                    makes Give
  Expr ::= n:number makes Lit | x:name makes Var
error Unbound(x: Name)  "{x}"
"""
NAMED = """\
interpreter named for Basin
value Value
  Num(n: Number)  shown "{n}"
data Bound
  Held(l: Loc)
  Late(e: Expr)
judgement exec  "{s}"
main run
define run(p: Stmt, given: List[(Name, Value)]) -> (Value, Store[Value])
  exec(p, empty, empty)
define exec(s: Stmt, env: Env[Bound], store: Store[Value]) -> (Value, Store[Value]) by s
  New(x, init, after)   =>
    let (l, store) = alloc(store, value(init, env, store))
    exec(after, env with x = Held(l), store)
  Fill(x, below, after) =>
    let Num(n) = value(Var(x), env, store)
    let Num(most) = value(below, env, store)
    let l = place(x, env)
    if n < most then exec(s, env, store with l = Num(n + 1)) else exec(after, env, store)
  Give(e)              => (value(e, env, store), store)
define place(x: Name, env: Env[Bound]) -> Loc
  match env[x] otherwise fail Unbound(x)
    Held(l) => l
    Late(_) => fail Unbound(x)
define value(e: Expr, env: Env[Bound], store: Store[Value]) -> Value by e
  Lit(n) => Num(n)
  Var(x) =>
    match env[x] otherwise fail Unbound(x)
      Held(l)  => store[l]
      Late(e)  => value(e, env, store)
"""


def test_where_one_branch_is_left_what_it_gives_has_one_name(make_course: Maker) -> None:
    """Every name is held at a location, so that no `Late` is left, and no second name either."""
    course = make_course(basin=BASIN, named=NAMED)
    assert [d.message for d in course.diagnostics if d.severity == "error"] == []
    text = "new tons = 2; new most = 9; fill tons below most; give tons"
    session = Session(course.folder)
    lines = left(shown(session, "Basin", "named", text))
    assert lines[-8:] == [
        "  let v1 = value(tons, a2)",
        "  let v3 = a2[most.1]",
        "  if v1 < v3 then",
        "    let v9 = store_with(a2, tons.1, v1 + 1)",
        "    exec(most, tons, v9)   again",
        "  else",
        "    let v11 = a2[tons.1]",
        "    v11, a2",
    ]
    assert session.lane("Basin", "named").run(text).outcome.text == "9"


def test_names_of_names_are_one_variable() -> None:
    body: list[Statement] = [
        Assigned(("v1",), "field", ("p0",), 0),
        Assigned(("v2",), "copy", ("v1",)),
        Assigned(("v3",), "copy", ("v2",)),
        Fork(
            (ResidualTest("true", "v3"),),
            [Assigned(("v4",), "copy", ("v3",)), Assigned(("v5",), "copy", ("v4",))],
            [Assigned(("v5",), "copy", ("p0",))],
        ),
        Give((Field("v2", 1), "v5")),
    ]
    one = Residual(0, "f", ("p0",), body, names={"v3": "tons"})
    without_copies(SimpleNamespace(residuals={"f": one}))  # type: ignore[arg-type]
    first, fork, give = one.body
    assert isinstance(first, Assigned)
    assert isinstance(fork, Fork)
    assert isinstance(give, Give)
    assert first.names == ("v1",)
    assert fork.conditions[0].of == "v1"
    assert [one.args for one in fork.yes if isinstance(one, Assigned)] == [("v1",)]
    assert [one.args for one in fork.no if isinstance(one, Assigned)] == [("p0",)]
    held, value = give.values
    assert isinstance(held, Field)
    assert (held.of, value) == ("v1", "v5")
    assert one.names == {"v3": "tons", "v1": "tons"}


def copy(name: str, of: Atom) -> Assigned:
    return Assigned((name,), "copy", (of,))


def branches(test: str, yes: list[Statement], no: list[Statement]) -> Fork:
    return Fork((ResidualTest("true", test),), yes, no)


def without_second_names(body: list[Statement]) -> list[Statement]:
    one = Residual(0, "f", ("p0", "p1"), body)
    without_copies(SimpleNamespace(residuals={"f": one}))  # type: ignore[arg-type]
    return one.body


def test_what_two_branches_give_goes_where_it_is_handed_on_to() -> None:
    three = Constant(3)
    inner: list[Statement] = [branches("p1", [copy("v1", "p0")], [copy("v1", three)])]
    ends: list[Statement] = [copy("v2", "p1")]
    (fork, _) = without_second_names(
        [branches("p0", [*inner, copy("v2", "v1")], ends), Give(("v2",))]
    )
    assert isinstance(fork, Fork)
    (within,) = fork.yes
    assert isinstance(within, Fork)
    for statements, given in ((within.yes, "p0"), (within.no, three), (fork.no, "p1")):
        (only,) = statements
        assert isinstance(only, Assigned)
        assert only.names == ("v2",)
        assert only.args == (given,)


@pytest.mark.parametrize(
    ("before", "after"),
    [
        ([], [copy("v3", "v1")]),  # it is used again
        ([copy("v1", Constant(5))], []),  # it is given a value elsewhere as well
        ([], [branches("v1", [], [])]),  # it is tested
    ],
)
def test_what_is_used_otherwise_keeps_its_name(
    before: list[Statement], after: list[Statement]
) -> None:
    fork = branches("p1", [copy("v1", "p0")], [copy("v1", Constant(3))])
    found = without_second_names([
        branches("p0", [*before, fork, copy("v2", "v1"), *after], [copy("v2", "p1")]),
        Give(("v2", "v3")),
    ])  # fmt: skip
    made = [one for one in statements_in(found) if isinstance(one, Assigned)]
    assert next(one.names for one in made if one.args == ("v1",)) == ("v2",)


@pytest.mark.parametrize(
    ("yes", "no", "reads"),
    [
        (copy("v1", Constant(True)), copy("v1", Constant(False)), "p0"),
        (copy("v1", Constant(False)), copy("v1", Constant(True)), "v1"),
        (copy("v1", Constant(True)), copy("v1", Constant(True)), "v1"),
        (copy("v1", Constant(True)), copy("v2", Constant(False)), "v1"),
        (copy("v1", Constant(1)), copy("v1", Constant(0)), "v1"),
    ],
)
def test_branches_that_note_what_is_tested(yes: Assigned, no: Assigned, reads: str) -> None:
    *_, give = without_second_names([branches("p0", [yes], [no]), Give(("v1",))])
    assert isinstance(give, Give)
    assert give.values == (reads,)
