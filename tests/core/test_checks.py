"""Definitions that are wrong: each is reported with its code, its place and a repair; nothing that
anybody writes makes the reader or the checker fail."""

from __future__ import annotations

import textwrap
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from embrix.brix.core import Language
from embrix.brix.interpreter import check_interpreter
from embrix.brix.language import check_language
from embrix.brix.reader import read_definition
from embrix.brix.syntax import InterpreterSyntax, LanguageSyntax
from embrix.checking.diagnostics import diagnostics
from embrix.course.load import load_course
from embrix.course.shipped import shipped_course
from embrix.lanes.session import Session
from embrix.text.codes import CODES
from embrix.text.diagnostic import Diagnostic, Findings, render
from embrix.text.source import Source
from tests.conftest import TINY_LANGUAGE, Maker

INTERPRETER = """\
interpreter main for Tiny

value Value
  Num(n: Number)    shown Lit(n)

error Unbound(x: Name)  "nothing called {x}"

judgement eval  "{env} ⊢ {e} ⇓ {result}"
main run

define run(p: Expr, given: List[(Name, Value)]) -> Value
  eval(p, empty with all given)

define eval(e: Expr, env: Env[Value]) -> Value by e
  Lit(n)            => Num(n)
  Var(x)            => env[x] otherwise fail Unbound(x)
  Add(left, right)  => Num(number(eval(left, env)) + number(eval(right, env)))
  Let(x, bound, body) =>
    let v = eval(bound, env)
    eval(body, env with x = v)

define number(v: Value) -> Number by v
  Num(n) => n
"""

STEPS = """\
interpreter steps for Tiny
main run
error Unbound(x: Name)  "nothing called {x}"
define run(p: Expr) -> Expr
  repeat step(p)
define step(e: Expr) -> Expr by e
  final Lit(_)
  order Add(left, right) : left, right
  order Let(x, bound, body) : bound
  Add(Lit(a), Lit(b)) => Lit(a + b)
  Let(x, v, body)     => substitute(v, x, body)
  Var(x)              => fail Unbound(x)
"""


def check(language: str, interpreter: str = "") -> list[Diagnostic]:
    """Everything there is to say about a language and an interpreter of it."""
    findings = Findings()
    syntax = read_definition(Source("tiny.brix", language), findings)
    checked: Language | None = None
    if isinstance(syntax, LanguageSyntax):
        own = Findings()
        own.extend(findings.sorted())
        checked = check_language(syntax, own)
        findings.extend(own.sorted())
    if interpreter:
        lane = read_definition(Source("lane.brix", interpreter), findings)
        if isinstance(lane, InterpreterSyntax) and checked is not None and checked.sound:
            findings.extend(check_interpreter(lane, checked).found())
    return list(findings.sorted())


def test_the_definitions_used_here_are_right() -> None:
    """What the cases below break is in order before it is broken."""
    assert check(TINY_LANGUAGE, INTERPRETER) == []
    assert check(TINY_LANGUAGE, STEPS) == []


LANGUAGE_FAULTS = [
    ("bad_pattern", "[0-9]+", "[0-9", "["),
    ("empty_token", "[a-z]+", "[a-z]*", "[a-z]*"),
    ("type_mismatch", "as Number", "as Expr", "Expr"),
    ("declared_twice", "Lit(n: Number)", "Var(n: Number)", "Var(x: Name)"),
    ("unknown_type", "Lit(n: Number)", "Lit(n: Nummber)", "Nummber"),
    ("wrong_number", "Lit(n: Number)", "Lit(n: List)", "List"),
    ("unknown_field", "binds x in body", "binds x in boddy", "boddy"),
    ("type_mismatch", "binds x in body", "binds bound in body", "bound"),
    ("unknown_rule", 'in" body:Expr', 'in" body:Exp', "body:Exp"),
    ("unknown_rule", "operand Atom", "operand Atoms", "Atoms"),
    ("unknown_rule", "start Expr", "start Program", "Program"),
    ("missing_part", "  start Expr\n", "", "grammar"),
    ("missing_operand", "    operand Atom\n", "", "Sum"),
    ("unknown_constructor", "makes Add", "makes Plus", "Plus"),
    ("wrong_number", "makes Add", "makes Lit", "Lit"),
    ("missing_field", "body:Expr makes Let", "Expr makes Let", "Let"),
    ("unknown_field", "bound:Expr", "bond:Expr", "bond:Expr"),
    ("type_mismatch", "n:number makes Lit", "n:name makes Lit", "n:name"),
    ("makes_nothing", "x:name makes Var", "x:name number", "x:name number"),
    ("unused_rule", "| Sum", "| Atom", "Sum"),
    ("dropped_part", "body:Expr makes Let", "body:Expr number makes Let", "number"),
    ("unknown_word", "tokens\n", "tokns\n", "tokns"),
    ("unreadable", 'left "+" makes Add', 'left "+" Add', "Add"),
    ("unknown_character", '  extension "tiny"', '  extension "tiny" §', "§"),
    ("tab_indent", "  skip", "\tskip", "\t"),
    ("hidden_token", "  skip    / +/", "  word    /[a-z]+/\n  skip    / +/", "word"),
    ("hidden_token", "  skip    / +/", "  digit   /[0-9]/\n  skip    / +/", "digit"),
    (
        "endless_rule",
        "Atom : Expr ::= n:number makes Lit | x:name makes Var | ",
        "Atom : Expr ::= ",
        "Atom",
    ),
    (
        "empty_repetition",
        "n:number makes Lit",
        "n:number None* makes Lit\n  None : Expr ::= Some?",
        "None*",
    ),
    ("wrong_row", 'left "+" makes Add', 'left "+" left right makes Add', "left right"),
    ("wrong_pattern", "x:name makes Var", "x:name makes Var(1 + 2)", "1 + 2"),
    ("unknown_name", "x:name makes Var", "x:name makes Var(y)", "y"),
    ("type_mismatch", "x:name makes Var", "x:name makes Lit(x)", "x"),
    ("type_mismatch", "x:name makes Var", "x:name? makes Var", "x:name?"),
    ("dropped_part", "x:name makes Var", "x:name makes Lit(1)", "x:name"),
]

INTERPRETER_FAULTS = [
    ("unknown_name", "eval(bound, env)", "eval(bond, env)", "bond"),
    ("unknown_name", "number(eval(left, env))", "numbr(eval(left, env))", "numbr"),
    ("unknown_constructor", "Lit(n)            =>", "Lut(n)            =>", "Lut(n)"),
    ("unknown_error", "fail Unbound(x)", "fail Unbond(x)", "fail Unbond(x)"),
    ("wrong_number", "eval(bound, env)", "eval(bound)", "eval(bound)"),
    ("wrong_number", "Add(left, right)", "Add(left)", "Add(left)"),
    ("type_mismatch", "eval(bound, env)", "eval(env, bound)", "env"),
    ("type_mismatch", "=> Num(n)", "=> n", "n"),
    ("swapped_fields", "Add(left, right) ", "Add(right, left) ", "right"),
    ("missing_clause", "  Var(x)            => env[x] otherwise fail Unbound(x)\n", "", "eval"),
    ("unreachable_clause", "  Num(n) => n\n", "  Num(n) => n\n  _ => 0\n", "_ => 0"),
    ("type_mismatch", "=> Num(n)", "=> Num(number)", "number"),
    ("declared_twice", "Let(x, bound, body)", "Let(x, x, body)", "x"),
    ("missing_part", "main run\n", "", "interpreter main for Tiny"),
    ("unknown_name", "main run", "main ruin", "ruin"),
    ("type_mismatch", "main run", "main number", "number"),
    ("unreadable", "=> Num(n)", "=> Num(n", "("),
    ("unknown_type", "-> Number by v", "-> Numbr by v", "Numbr"),
    ("unknown_name", "by e\n", "by f\n", "f"),
    ("unknown_escape", '"nothing called {x}"', '"\\q {x}"', "\\q"),
    ("unknown_name", "called {x}", "called {y}", "y"),
]

STEP_FAULTS = [
    ("no_relation", "repeat step(p)", "repeat run(p)", "repeat run(p)"),
    ("unknown_name", ": left, right", ": left, rihgt", "rihgt"),
    ("no_relation", ": bound\n", ": x\n", "x"),
    ("missing_clause", "  order Add(left, right) : left, right\n",
     "  order Add(left, right) : left\n", "step"),
    ("unreachable_clause", "  Let(x, v, body)     =>",
     "  Add(Lit(a), Lit(b)) => Lit(a)\n  Let(x, v, body)     =>", "Add(Lit(a), Lit(b)) => Lit(a)"),
]  # fmt: skip


def expect(found: list[Diagnostic], code: str, text: str) -> None:
    matching = [d for d in found if d.code == code]
    assert matching, [render(d) for d in found]
    slices = {d.source.text[d.span.start : d.span.end].strip(" ") for d in matching}
    assert any(text in piece for piece in slices), slices


@pytest.mark.parametrize(("code", "right", "wrong", "at"), LANGUAGE_FAULTS)
def test_a_fault_in_a_language_is_found(code: str, right: str, wrong: str, at: str) -> None:
    assert right in TINY_LANGUAGE
    expect(check(TINY_LANGUAGE.replace(right, wrong, 1)), code, at)


@pytest.mark.parametrize(("code", "right", "wrong", "at"), INTERPRETER_FAULTS)
def test_a_fault_in_an_interpreter_is_found(code: str, right: str, wrong: str, at: str) -> None:
    assert right in INTERPRETER
    expect(check(TINY_LANGUAGE, INTERPRETER.replace(right, wrong, 1)), code, at)


@pytest.mark.parametrize(("code", "right", "wrong", "at"), STEP_FAULTS)
def test_a_fault_in_a_relation_is_found(code: str, right: str, wrong: str, at: str) -> None:
    assert right in STEPS
    expect(check(TINY_LANGUAGE, STEPS.replace(right, wrong, 1)), code, at)


def test_a_new_form_is_listed_wherever_nothing_handles_it() -> None:
    """After adding a form every interpreter says which clause it lacks, ready to paste."""
    wider = TINY_LANGUAGE.replace("  Let(x", "  Twice(arg: Expr)\n  Let(x")
    wider = wider.replace('| "(" Expr', '| "twice" arg:Atom makes Twice | "(" Expr')
    for lane in (INTERPRETER, STEPS):
        (finding,) = [d for d in check(wider, lane) if d.code == "missing_clause"]
        assert "Twice(_)" in finding.message
        assert "Twice(arg) => todo" in finding.hint


def test_several_faults_are_reported_at_once() -> None:
    """A broken clause hides no other, and nothing is reported because of something else."""
    broken = INTERPRETER.replace("eval(bound, env)", "eval(bond, env)")
    broken = broken.replace("fail Unbound(x)", "fail Unbond(x)").replace("=> n\n", "=> )\n")
    found = check(TINY_LANGUAGE, broken)
    assert {d.code for d in found} == {"unknown_name", "unknown_error", "unreadable"}
    assert len(found) == 3


def test_every_code_is_explained_and_every_hint_is_a_sentence_part() -> None:
    for code, text in CODES.items():
        assert code.replace("_", "").isalpha()
        assert text.endswith(".")


def test_misspelt_names_get_a_suggestion() -> None:
    (finding,) = check(TINY_LANGUAGE, INTERPRETER.replace("eval(bound, env)", "eval(bond, env)"))
    assert finding.hint == "did you mean bound?"


def test_how_what_comes_out_has_a_name_is_said() -> None:
    """By the very line that is proposed the text is right."""
    shown = INTERPRETER.replace("{result}", "{v}")
    (finding,) = check(TINY_LANGUAGE, shown)
    assert finding.message == "v cannot stand in this text"
    assert finding.hint == ("known here are e, env, result; what comes out has a name where "
                            "`gives NAME` stands behind the text")  # fmt: skip
    assert check(TINY_LANGUAGE, shown.replace('{v}"', '{v}"  gives v')) == []
    (finding,) = check(TINY_LANGUAGE, shown.replace('{v}"', '{v}"  gives w'))
    assert finding.hint == "known here are e, env, result, w"


SHIPPED = sorted(shipped_course().rglob("*.brix"))
TEXTS = [path.read_text() for path in SHIPPED]


@settings(max_examples=70)
@given(st.data())
def test_no_mutation_of_a_definition_crashes_the_reader_or_checker(data: st.DataObject) -> None:
    """Pieces cut out, doubled, moved or replaced: diagnostics or silence, never an exception."""
    base = data.draw(st.sampled_from([TINY_LANGUAGE, INTERPRETER, STEPS, *TEXTS]))
    for _ in range(data.draw(st.integers(1, 3))):
        start = data.draw(st.integers(0, len(base)))
        end = min(len(base), start + data.draw(st.integers(0, 30)))
        junk = data.draw(
            st.one_of(
                st.sampled_from(["", "(", ")", "=>", "\n", "\n  ", '"', "{", "order", "fail", "_"]),
                st.text(max_size=6),
                st.just(base[start:end] * 2),
            )
        )
        base = base[:start] + junk + base[end:]
    findings = Findings()
    syntax = read_definition(Source("mutant", base), findings)
    if isinstance(syntax, LanguageSyntax):
        check(base, INTERPRETER)
    elif syntax is not None:
        check(TINY_LANGUAGE, base)
    for finding in findings.sorted():
        assert render(finding)


@pytest.mark.parametrize(
    "text",
    ["", "#", "language", "interpreter", "language A\nforms\n", "\ufeff",
     "language A\r\n  \"x\"\r\n", "x" * 100_000, "language A\nforms E\n  F(" + "(" * 5_000,
     "interpreter a for Tiny\nmain x\n"
     "define x(e: Expr) -> Expr\n  " + "(" * 3_000 + "e" + ")" * 3_000,
     "interpreter a for Tiny\ndefine x(e: Expr) -> Expr\n  " + "let y = e\n  " * 3_000 + "e"],
)  # fmt: skip
def test_strange_files_are_answered(text: str) -> None:
    """Empty, cut off, endless or absurdly nested files get diagnostics."""
    for finding in check(TINY_LANGUAGE, text) if text.startswith("interp") else check(text):
        assert finding.message


def test_carriage_returns_and_byte_order_marks_change_nothing(tmp_path: Path) -> None:
    (tmp_path / "course.toml").write_text('title = "t"\n')
    marked = "\ufeff" + TINY_LANGUAGE.replace("\n", "\r\n")
    (tmp_path / "tiny.brix").write_bytes(marked.encode())
    (tmp_path / "lane.brix").write_bytes(INTERPRETER.replace("\n", "\r\n").encode())
    course = load_course(tmp_path)
    assert course.diagnostics == ()
    assert "main" in course.interpreters["Tiny"]


def test_a_course_reports_what_does_not_belong_together(make_course: Maker) -> None:
    course = make_course(a="interpreter x for Drap\nmain y\n", b=TINY_LANGUAGE, c=TINY_LANGUAGE)
    assert {d.code for d in course.diagnostics} == {"unknown_language", "declared_twice"}


def test_a_fault_in_the_forms_is_not_told_again_in_interpreters(
    make_course: Maker,
) -> None:
    """One fault in the forms does not become fifty faults in the interpreters."""
    broken = TINY_LANGUAGE.replace("Lit(n: Number)", "Lit(n: Nummber)")
    course = make_course(a=broken, b=textwrap.dedent(INTERPRETER))
    assert [d.code for d in course.diagnostics] == ["unknown_type"]
    assert course.broken == {}
    lane = Session(course.folder).lane("Tiny", "main")
    assert lane.run("1").outcome.kind == "unfinished"  # what is in Lit is not known
    assert lane.run("x").outcome.kind == "failure"


def test_arguments_in_each_others_place_are_one_mistake(make_course: Maker) -> None:
    course = make_course(
        tiny=TINY_LANGUAGE,
        swapped="""\
        interpreter swapped for Tiny
        value Value
          Num(n: Number)  shown Lit(n)
        error Unbound(x: Name)  "{x}"
        judgement eval "{env} ⊢ {e} ⇓ {result}"
        main run
        define run(p: Expr) -> Value
          eval(p, empty)
        define eval(e: Expr, env: Env[Value]) -> Value by e
          Lit(n)              => Num(n)
          Var(x)              => env[x] otherwise fail Unbound(x)
          Add(left, right)    => eval(env, left)
          Let(x, bound, body) => eval(body, env with x = eval(bound, env))
        """,
    )
    (found,) = [d for d in course.diagnostics if d.severity == "error"]
    assert found.code == "type_mismatch"
    assert found.message == ("env stands where e of eval belongs, and left where env does")
    assert found.hint == "the order is eval(e, env)"
    assert found.source.text[found.span.start : found.span.end] == "env"


def test_codes_that_other_tests_do_not_meet(make_course: Maker, tmp_path: Path) -> None:
    course = make_course(
        tiny=TINY_LANGUAGE,
        nothing="# only a comment\n",
        base="""\
        interpreter base for Tiny
        value Value
          Num(n: Number)  shown Lit(n)
        main eval
        law alike(put(v, x, e), substitute(v, x, e)) when free(v) == empty
        define eval(e: Expr) -> Value by e
          Lit(n)  => Num(n)
          _       => Num(0)
        define put(v: Expr, x: Name, e: Expr) -> Expr by e
          Var(y)              => if y == x then v else e
          Lit(_)              => e
          Add(left, right)    => Add(put(v, x, left), put(v, x, right))
          Let(y, bound, body) => Let(y, put(v, x, bound), put(v, x, body))
        """,
        wider="""\
        interpreter wider for Tiny extends Tiny.base
        extend eval(e)
          Lit(n)  => Num(n + 1)
        """,
    )
    (tmp_path / "bytes.brix").write_bytes(b"language \xff")
    course = load_course(tmp_path)
    found = {d.code for d in course.diagnostics}
    assert {"empty_file", "hides_base", "unreadable_file", "under_same_binder"} <= found
    session = Session(tmp_path)
    (law,) = [d for d in diagnostics(session).findings if d.code == "law_fails"]
    assert "false for" in law.message
    assert "generated examples were tried, seed" in law.hint
