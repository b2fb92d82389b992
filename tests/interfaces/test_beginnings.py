"""`embrix new`: what is begun checks, runs and has a case that passes; nothing is overwritten."""

from __future__ import annotations

import os
import tomllib
from pathlib import Path

import pytest

from embrix.brix.format import formatted
from embrix.course.load import Course, load_course
from embrix.documents.beginnings import begin_course, begin_interpreter, write_new
from embrix.documents.skeleton import STRATEGIES, skeleton
from embrix.lanes.session import Session
from embrix.text.source import Source
from embrix.trace.walk import Walk
from tests.conftest import TINY_LANGUAGE, Maker, leave_only
from tests.interfaces.test_cli import run

Capture = pytest.CaptureFixture[str]


@pytest.fixture
def empty(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """An empty folder, in which the user is."""
    folder = tmp_path / "lectures"
    folder.mkdir()
    monkeypatch.chdir(folder)
    return folder


def test_a_course_is_begun_in_an_empty_folder(empty: Path, capsys: Capture) -> None:
    status, out, _ = run(capsys, "new", "course", "keep")
    assert (status, len(out.splitlines())) == (0, 5)
    os.chdir(empty / "keep")
    assert run(capsys, "check")[1] == "keep: First with environment. nothing to report\n"
    assert "1 passed, 0 failed" in run(capsys, "test")[1]
    assert run(capsys, "run", "first/programs/begin.first") == (0, "4\n", "")
    before = {path: path.read_bytes() for path in empty.rglob("*") if path.is_file()}
    for words in (("course", "."), ("language", "First"), ("program", "begin"), ("suite", "first"),
                  ("interpreter", "environment")):  # fmt: skip
        status, _, err = run(capsys, "new", *words)
        assert status == 2, words
        assert "already" in err
    assert before == {path: path.read_bytes() for path in empty.rglob("*") if path.is_file()}


def test_a_language_that_extends_another_has_its_lanes(empty: Path, capsys: Capture) -> None:
    run(capsys, "new", "course", ".")
    assert run(capsys, "new", "language", "Second", "--extends", "First")[0] == 0
    assert run(capsys, "new", "interpreter", "steps", "--language", "Second", "--strategy",
               "steps")[0] == 0  # fmt: skip
    assert run(capsys, "new", "suite", "more", "--language", "First")[0] == 0
    assert run(capsys, "new", "program", "one", "--language", "Second")[0] == 0
    status, out, _ = run(capsys, "check")
    assert status == 0
    assert "Second with environment, steps. nothing to report" in out
    status, out, _ = run(capsys, "test", "--with", "environment")
    assert (status, out.count("1 passed, 0 failed")) == (0, 3)
    course = load_course(empty)
    assert len({language.extension for language in course.languages.values()}) == 2


NAMES = [
    (("language", "second"), "begins with a capital"),
    (("interpreter", "Big"), "small letters"),
    (("interpreter", "a/b"), "small letters"),
    (("suite", "../out"), "letters, digits"),
    (("program", ""), "letters, digits"),
    (("interpreter", "x", "--strategy", "stepz"), "did you mean steps?"),
    (("language", "Third", "--extends", "Frist"), "did you mean First?"),
    (("suite", "x", "--language", "Frist"), "did you mean First?"),
]


@pytest.mark.parametrize(("words", "told"), NAMES)
def test_wrong_names_write_nothing(
    empty: Path, capsys: Capture, words: tuple[str, ...], told: str
) -> None:
    run(capsys, "new", "course", ".")
    before = sorted(empty.parent.rglob("*"))
    status, _, err = run(capsys, "new", *words)
    assert status == 2
    assert told in err
    assert sorted(empty.parent.rglob("*")) == before


def test_nothing_is_put_into_the_shipped_course(empty: Path, capsys: Capture) -> None:
    status, _, err = run(capsys, "new", "language", "Mine")
    assert (status, err) == (
        2, "embrix: there is no course here: embrix new course FOLDER begins one\n",
    )  # fmt: skip
    assert list(empty.iterdir()) == []


SMALL = {
    "Drip": ("1", "let x = 1 in x"), "Rill": ("1", "let x = 1 in x"),
    "Mere": ("1", "let x = 1 in x"), "Weir": (),
}  # fmt: skip


@pytest.mark.parametrize("strategy", STRATEGIES)
@pytest.mark.parametrize("language", SMALL)
def test_an_interpreter_is_written_from_the_forms(
    lockside: Course, course_copy: Path, language: str, strategy: str
) -> None:
    """Literals and what `let` binds follow from the forms; all else is a `todo` that says what."""
    leave_only(course_copy, language.lower())
    path = course_copy / "begun.brix"
    path.write_text(skeleton(lockside.languages[language], "begun", strategy))
    session = Session(course_copy)
    found = session.course.diagnostics
    assert [d.message for d in found if d.source.name == "begun.brix"] == []
    lane = session.lane(language, "begun")
    for program in SMALL[language]:
        assert float(lane.run(program).outcome.text) == 1
    if SMALL[language]:
        outcome = lane.run("1 + 1").outcome
        assert (outcome.kind, outcome.text) == ("unfinished", "what Add gives")


CATCHING = TINY_LANGUAGE.replace(
    "forms Expr\n", "forms Expr\n  Try(body: Expr, x: Name, rescue: Expr)  binds x in rescue\n"
).replace(
    "  Expr ::= ", '  Expr ::= "try" body:Expr "with" x:name "then" rescue:Expr makes Try | '
)  # fmt: skip


@pytest.mark.parametrize("strategy", STRATEGIES)
def test_what_binds_otherwise_than_let_is_a_decision(make_course: Maker, strategy: str) -> None:
    """A handler names what was thrown, and not what the part before it gives."""
    course = make_course(catching=CATCHING)
    text = skeleton(course.languages["Tiny"], "begun", strategy)
    lane = Session(make_course(catching=CATCHING, begun=text).folder).lane("Tiny", "begun")
    outcome = lane.run("try 1 with x then 2").outcome
    assert (outcome.kind, outcome.text) == ("unfinished", "what Try gives")
    assert lane.run("let x = 1 in x").outcome.text == "1"
    if strategy == "machine":
        # What runs later, whatever decides it, needs its environment.
        assert "TryBody(x: Name, rescue: Expr, env: Env[Value])" in text


STATEMENTS = """\
language Orders
  extension "orders"

tokens
  number  /[0-9]+/        as Number
  name    /[a-z]+/        as Name
  skip    / +/

forms Order
  Say(e: Sum)
  Both(first: Order, second: Order)
  Name(x: Name, bound: Sum, body: Order)  binds x in body

forms Sum
  Lit(n: Number)
  Var(x: Name)                            uses x
  Add(left: Sum, right: Sum)
  Several(items: List[Item])

forms Item
  Nothing

grammar
  start Order
  Order ::=
    | "say" e:Sum                                        makes Say
    | "name" x:name "as" bound:Sum "for" body:Order      makes Name
    | "(" first:Order "and" second:Order ")"             makes Both
  operators Sum
    left "+" makes Add
    operand Atom
  Atom : Sum ::= n:number makes Lit | x:name makes Var

error Unknown(x: Name)  "nothing called {x} is known"
"""


@pytest.mark.parametrize("strategy", STRATEGIES)
def test_statements_and_expressions_have_a_function_each(make_course: Maker, strategy: str) -> None:
    """Sorts of parts have one, with a clause for every form; others have none. Where a machine or
    small steps are begun, what is done with them is said to be missing."""
    text = skeleton(make_course(orders=STATEMENTS).languages["Orders"], "begun", strategy)
    session = Session(make_course(orders=STATEMENTS, begun=text).folder)
    assert [d.message for d in session.course.diagnostics if d.severity == "error"] == []
    lane = session.lane("Orders", "begun")
    told = {
        program: lane.run(program).outcome
        for program in (
            "say 1",
            "(say x and say 1)",
            "name x as 1 for say x",
            "name x as 1 + x for say 1",
        )
    }
    kinds = [one.kind for one in told.values()]
    if strategy in ("machine", "steps"):
        assert "eval" not in text
        assert text.endswith("# what is done with a term of sort Sum is still to be written\n")
        # With no literals in sight the first form is taken for a value, with a note.
        assert kinds[2:] == ["unfinished"] * 2
        return
    assert text.count("define eval") == 2
    assert [
        f"{name}(" in text.partition("define eval_sum")[2]
        for name in ("Lit", "Var", "Add", "Several", "Say")
    ] == [True] * 4 + [False]
    unfinished, unknown = "unfinished", "failure"
    assert (
        kinds
        == {
            "environment": [unfinished, unfinished, unfinished, unfinished],
            "substitution": [unfinished, unfinished, unfinished, unfinished],
            "by_name": [unfinished, unfinished, unfinished, unfinished],
            "store_passing": [unfinished, unknown, unfinished, unknown],
            "by_need": [unfinished, unknown, unfinished, unfinished],
        }[strategy]
    ), told
    assert told["say 1"].text == "what Say gives"
    # What binds is there: a number that is named comes to what is done with it.
    binding = {
        "environment": "eval(body, env with x = eval_sum(bound, env))",
        "substitution": "eval(substitute(eval_sum(bound), x, body))",
        "by_name": "eval(substitute(bound, x, body))",
        "store_passing": "eval(body, env with x = v, store)",
        "by_need": "let (loc, store) = alloc(store, Waiting(bound, env))",
    }
    assert binding[strategy] in text
    if strategy == "by_need":
        assert "Waiting(e: Sum, env: Env[Loc])" in text
        assert "eval_sum(e, env, store with loc = Busy)" in text
        said = text.replace('todo "what Say gives"', "(v, store)", 1)
        session = Session(make_course(orders=STATEMENTS, begun=said).folder)
        assert session.lane("Orders", "begun").run("name x as 1 for say x").outcome.text == "1"


BRANCHES = TINY_LANGUAGE.replace("forms Expr\n", """\
forms Expr
  When(test: Expr, yes: Expr, no: Expr)
  Split(e: Expr, none: Expr, x: Name, some: Expr)   binds x in some
""").replace('  Expr ::= ', """\
  Expr ::=
    | "when" test:Expr "then" yes:Expr "else" no:Expr          makes When
    | "split" e:Expr "none" none:Expr "some" x:name some:Expr  makes Split
    | """)  # fmt: skip


@pytest.mark.parametrize("strategy", STRATEGIES)
def test_parts_that_may_not_run_are_left_to_whoever_decides(
    make_course: Maker, strategy: str
) -> None:
    """The first part of several decides which of the others runs: only that one is evaluated."""
    text = skeleton(make_course(tiny=BRANCHES).languages["Tiny"], "begun", strategy)
    session = Session(make_course(tiny=BRANCHES, begun=text).folder)
    assert [d.message for d in session.course.diagnostics if d.severity == "error"] == []
    lane = session.lane("Tiny", "begun")
    for program, name in (
        ("when 1 then nobody else nobody", "When"),
        ("split 1 none nobody some x nobody", "Split"),
    ):
        outcome = lane.run(program).outcome
        assert (outcome.kind, outcome.text) == ("unfinished", f"what {name} gives")
    if strategy in ("store_passing", "by_need"):
        rest = "# eval(yes, env, store), eval(no, env, store)"
        assert f'todo "what When gives"   {rest}' in text
    if strategy in ("store_passing", "by_need", "machine", "steps"):
        assert lane.run("when nobody then 1 else 2").outcome.name == "Unbound"
    if strategy == "steps":
        assert "order When(test, yes, no) : test" in text


def test_the_substitution_by_cases_is_right(lockside: Course, course_copy: Path) -> None:
    """Its law holds it against the built-in one, over generated terms."""
    path = course_copy / "begun.brix"
    text = skeleton(lockside.languages["Drip"], "begun", "steps")
    assert "law alike(put(v, x, e), substitute(v, x, e)) when free(v) == empty" in text
    path.write_text(text)
    session = Session(course_copy)
    from embrix.checking.laws import try_law

    lane = session.lane("Drip", "begun")
    (law,) = lane.interpreter.laws
    assert try_law(lane.machine, law).counterexample is None
    path.write_text(text.replace("Let(y, put(v, x, bound), body)", "Let(y, bound, body)"))
    lane = Session(course_copy).lane("Drip", "begun")
    assert try_law(lane.machine, lane.interpreter.laws[0]).counterexample is not None


def test_a_relation_without_finals_runs(lockside: Course, course_copy: Path) -> None:
    """Which terms are values may still be to be decided: no term is final then."""
    text = skeleton(lockside.languages["Drip"], "begun", "steps").replace("  final Lit(_)\n", "")
    (course_copy / "begun.brix").write_text(text)
    outcome = Session(course_copy).lane("Drip", "begun").run("1").outcome
    assert outcome.kind in ("stuck", "unfinished")


def test_a_machine_is_finished_by_what_its_decisions_say(make_course: Maker) -> None:
    """Parts run in the order of the page; what a frame does with the last value is all that is
    left to say."""
    course = make_course(tiny=TINY_LANGUAGE)
    text = skeleton(course.languages["Tiny"], "machine", "machine")
    assert text.count("todo") == 1
    done = text.replace('todo "what Add gives"', "back(sum(left, v), stack)") + (
        "define sum(a: Value, b: Value) -> Value by a, b\n  Num(m), Num(n) => Num(m + n)\n"
    )
    session = Session(make_course(tiny=TINY_LANGUAGE, machine=done).folder)
    assert [d.message for d in session.course.diagnostics if d.severity == "error"] == []
    lane = session.lane("Tiny", "machine")
    program = "let x = 1 + 2 in let y = x + x in y + x"
    assert lane.run(program).outcome.text == "9"
    traced = Walk(lane, lane.trace("1 + 2")).lines()
    assert any("AddRight(Num(1))" in line for line in traced)


@pytest.mark.parametrize("strategy", [None, *STRATEGIES])
def test_what_is_begun_is_laid_out_as_it_is_formatted(tmp_path: Path, strategy: str | None) -> None:
    write_new(begin_course(tmp_path, "made up"))
    if strategy is not None:
        course = load_course(tmp_path)
        write_new(begin_interpreter(course, "First", f"other_{strategy}", strategy))
    definitions = sorted(tmp_path.rglob("*.brix"))
    assert len(definitions) == (2 if strategy is None else 3)
    for path in definitions:
        assert formatted(Source(path.name, path.read_text())) == path.read_text()


def test_a_case_that_is_begun_says_what_is_written(
    course_copy: Path, monkeypatch: pytest.MonkeyPatch, capsys: Capture
) -> None:
    """The shortest program that ends in a value, with its lines as they are."""
    leave_only(course_copy, "weir", "rill", "drip")
    for path in course_copy.glob("weir/programs/*"):
        path.unlink()
    text = '# What is in "it".\nnew x := 1;\nshow x + 1;\nshow 3\n'
    (course_copy / "weir/programs/one.weir").write_text(text, encoding="utf-8")
    monkeypatch.chdir(course_copy)
    assert run(capsys, "new", "suite", "more", "--language", "Weir")[0] == 0
    written = (course_copy / "weir/more.suite.toml").read_text(encoding="utf-8")
    assert f'program = """\n{text}"""\n' in written
    assert tomllib.loads(written)["case"] == [
        {"name": "a first program", "program": text, "value": "()", "output": "2\n3\n"}
    ]
    status, out, _ = run(capsys, "test", "weir/more.suite.toml", "--with", "store_passing")
    assert (status, "1 passed, 0 failed" in out) == (0, True)


LISTED = TINY_LANGUAGE.replace(
    "  start Expr\n", '  start Exprs\n  Exprs : List[Expr] ::= list(Expr, ";")\n'
)


def test_a_program_that_would_be_a_list_is_told_where_it_begins(
    make_course: Maker, capsys: Capture
) -> None:
    """What to write instead holds it, whether a form is there or is still to be declared. Trees of
    lists are shown all the same."""
    more = LISTED.replace("forms Expr\n", "forms Expr\n  Row(items: List[Expr])\n")
    for text, hint in (
        (LISTED, "declare `FORM(parts: List[Expr])`, and begin with a rule like "
                 "`Program : Expr ::= parts:Exprs makes FORM`"),
        (more, "begin with a rule that makes one, as in "
               "`Program : Expr ::= items:Exprs makes Row`"),
    ):  # fmt: skip
        course = make_course(
            tiny=text, plain="interpreter plain for Tiny\nmain run\n"
            "define run(e: Expr) -> Number\n  0\n"
        )  # fmt: skip
        (found,) = [one for one in course.diagnostics if one.severity == "error"]
        assert found.message == "a program is a form, but Exprs gives List[Expr]"
        assert found.hint == hint
        assert found.source.position(found.span.start)[0] == 1 + text[: text.index("start")].count(
            "\n"
        )
    words = ("--language", "Tiny", "--course", str(course.folder))
    status, out, _ = run(capsys, "parse", "-e", "1; let x = 2 in x", *words)
    assert (status, out.splitlines()) == (0, [
        "a list of 2", "  1 Lit n 1", "  2 Let x x", "    bound Lit n 2", "    body Var x x",
    ])  # fmt: skip
    assert run(capsys, "parse", "-e", "", *words)[1] == "an empty list\n"
    good = more.replace(
        "start Exprs\n", "start Program\n  Program : Expr ::= items:Exprs makes Row\n"
    )
    course = make_course(tiny=good)
    assert [one.message for one in course.diagnostics if one.severity == "error"] == []


RULES = """\
  Names : List[Name] ::= list(name, ",")
  Perhaps : Maybe[Expr] ::= Expr?
  Called : Name ::= name
  Counted : Number ::= number
"""


@pytest.mark.parametrize(
    ("rule", "text", "rows"),
    [
        ("Names", "a, b", ["a list of 2 a, b"]),
        ("Names", ", ".join("ab" for _ in range(25)), [f"a list of 25 {'ab, ' * 20}…"]),
        ("Perhaps", "", ["nothing"]),
        ("Perhaps", "1 + a", ["Add", "  left Lit n 1", "  right Var x a"]),
        ("Called", "tons", ["tons"]),
        ("Counted", "12", ["12"]),
    ],
)
def test_what_a_rule_gives_is_shown_whatever_it_is(
    make_course: Maker, capsys: Capture, rule: str, text: str, rows: list[str]
) -> None:
    course = make_course(tiny=TINY_LANGUAGE + RULES)
    words = ("--language", "Tiny", "--course", str(course.folder), "--rule", rule)
    status, out, _ = run(capsys, "parse", "-e", text, *words)
    assert (status, [" ".join(out.split()) and line for line in out.splitlines()]) == (0, rows)
