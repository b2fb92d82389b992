"""What a case can state: each holds where it is right, and is told where it is not."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from embrix.checking.verdicts import Testing, answered, check_suite
from embrix.course.checked import MEMORY
from embrix.course.load import Course
from embrix.lanes.session import Session
from embrix.suite.cases import Suite
from embrix.suite.check import check_case
from embrix.suite.expected_steps import difference, marks, parting, reads_like
from embrix.text.diagnostic import Diagnostic, Findings
from embrix.text.source import Source
from tests.conftest import TINY_LANGUAGE, Maker


@pytest.fixture(scope="module")
def session(lockside: Course) -> Session:
    return Session(lockside.folder)


def read(session: Session, tmp_path: Path, text: str) -> tuple[Suite | None, list[Diagnostic]]:
    """A suite written beside the course, read with what the course has."""
    path = session.course.folder / "x.suite.toml"
    source = Source("x.suite.toml", text, path)
    findings = Findings()
    from embrix.suite.read import read_suite

    lanes = {name: list(known) for name, known in session.course.interpreters.items()}
    errors = {
        "Rill": {"Unbound", "NumberWanted", "TruthWanted"},
        "Weir": {"Unbound"},
        "Drip": {"Unbound"},
    }
    grammars = {name: one.grammars for name, one in session.course.languages.items()}
    choices = {
        name: {
            lane: {choice: one.choices[choice].alternatives for choice in one.choices}
            for lane, one in known.items()
        }
        for name, known in session.course.interpreters.items()
    }
    read = read_suite(source, lanes, errors, findings, grammars, choices)
    return read, list(findings.sorted())


def verdicts(session: Session, tmp_path: Path, case: str, language: str = "Rill") -> dict[str, str]:
    """What is told of one case on each lane that fails; nothing where all hold."""
    text = f'language = "{language}"\n[[case]]\nname = "c"\n{case}\n'
    suite, findings = read(session, tmp_path, text)
    assert suite is not None
    assert not findings, [f.message for f in findings]
    run = Testing(session, suite)
    return {
        v.lane: f"{v.what}: {v.expected} | {v.actual}"
        for one in suite.cases
        for v in run.verdicts(one)
        if v.state == "failed"
    }


LOCAL = 'lanes = ["environment"]\n'
NEED = 'lanes = ["by_need"]\nprogram = "let t = 1 + 2 in t + t"\nvalue = 6\n'


@pytest.mark.parametrize(
    ("case", "language", "told"),
    [
        (LOCAL + 'program = "1 + 2"\nvalue = 3', "Rill", ""),
        (LOCAL + 'program = "1 + 2"\nvalue = "Num(3)"', "Rill", ""),
        (LOCAL + 'program = "1 + 2"\nvalue = "Num(4)"', "Rill", "outcome: Num(4) | Num(3)"),
        (LOCAL + 'program = "1 + 2"\nshows = "3"', "Rill", ""),
        (LOCAL + 'program = "1 + 2"\nshows = "Num(3)"', "Rill",
         "outcome: shown as Num(3) | 3"),
        (LOCAL + 'program = "given x: x"\nshows = "<function>"', "Rill", ""),
        (LOCAL + 'program = "let loop of n = loop n in loop 1"\ndiverges = 5000', "Rill", ""),
        (LOCAL + 'program = "1"\ndiverges = true', "Rill", "outcome: no end | 1"),
        # Two lookups of t; the sum under it is computed once.
        (NEED + 'costs = { forced = 1, reused = "at least 1" }', "Rill", ""),
        (NEED + 'costs = { forced = "at most 0" }', "Rill",
         "costs: suspensions forced at most 0 | suspensions forced 1"),
        (LOCAL + 'program = "1 + 2"\nvalue = 3\ncosts = { lookups = 0, "calls of eval" = 3 }',
         "Rill", ""),
        (LOCAL + 'program = "a + 1"\ntokens = ["name a", "+", "number"]', "Rill", ""),
        (LOCAL + 'program = "a + 1"\ntokens = ["name b", "+", "number 1"]', "Rill",
         "tokens: token 1: name b | token 1: name a"),
        (LOCAL + 'program = "a"\ntokens = ["a", "+"]', "Rill",
         "tokens: token 2: + | token 2: no further token"),
        (LOCAL + 'program = "1 - 2 - 3"\nterm = "Sub(Sub(Lit(1), Lit(2)), Lit(3))"', "Rill", ""),
        (LOCAL + 'program = "1 - 2"\nterm = "Sub(Lit(2), Lit(1))"', "Rill",
         "term: term Sub(Lit(2), Lit(1)) | term Sub(Lit(1), Lit(2))"),
        ('lanes = ["store_passing"]\nprogram = "new a := 1; new b := a + 1"\n'
         'state = "@0 ↦ 1, @1 ↦ 2"', "Weir", ""),
        ('lanes = ["store_passing"]\nprogram = "new a := 1"\nstate = ["@0 ↦ 2"]', "Weir",
         "state: state @0 ↦ 2 | state @0 ↦ 1"),
        ('lanes = ["store_passing"]\nprogram = "show 1; show 2"\noutput = ["1", "2"]', "Weir", ""),
        ('lanes = ["store_passing"]\nprogram = "show 1"\noutput = ["2"]', "Weir",
         "output: output 2⏎ | output 1⏎"),
    ],
)  # fmt: skip
def test_what_a_case_states(
    session: Session, tmp_path: Path, case: str, language: str, told: str
) -> None:
    found = verdicts(session, tmp_path, case, language)
    assert "; ".join(found.values()).replace("↵", "⏎").replace("\\n", "⏎") == told


STEPS = """program = "1 + 2 * 3 - 4"
[case.steps]
rewriting = {}
"""
SUM = ["1 + 2 * 3 - 4", "1 + 6 - 4", "7 - 4", "3"]


@pytest.mark.parametrize(
    ("lines", "told"),
    [
        (SUM, ""),
        ([SUM[0], "...", "3"], ""),
        (["...", "7 - 4", "..."], ""),
        (["...", "7 - …", "3"], ""),
        (["..."], ""),
        ([SUM[0], "1 + … - 4", "…", "3"], ""),
        ([*SUM, "..."], ""),
        ([SUM[0], "...", "8 - 4", "3"], "steps: step 2: 8 - 4 | step 2: 7 - 4"),
        ([SUM[0], "1 + 6 - 4", "7 - 5", "3"], "steps: step 2: 7 - 5 | step 2: 7 - 4"),
        (SUM[:3], "steps: step 3: no further step | step 3: 3"),
        ([*SUM, "4"], "steps: step 4: 4 | step 4: no further step"),
        (["...", "7 - 4", "...", "1 + 6 - 4", "..."],
         "steps: step 4: 1 + 6 - 4 | step 4: no further step"),
    ],
)  # fmt: skip
def test_steps_with_what_is_left_out(
    session: Session, tmp_path: Path, lines: list[str], told: str
) -> None:
    quoted = "[" + ", ".join(f'"{line}"' for line in lines) + "]"
    found = verdicts(session, tmp_path, STEPS.format(quoted))
    assert "; ".join(found.values()) == told


def test_steps_of_a_part_of_a_run(session: Session, tmp_path: Path) -> None:
    """Worked out by hand: the judgements inside the sum, one level deep; then only the conclusions
    of `eval` that stand under the second operand."""
    case = """program = "let x = 2 in (x + 1) * x"
[case.steps.environment]
under = "… ⊢ x + 1 ⇓ …"
lines = ["…x = 2… ⊢ x ⇓ 2", "…x = 2… ⊢ 1 ⇓ 1", "…x = 2… ⊢ x + 1 ⇓ 3"]
"""
    suite, _ = read(session, tmp_path, f'language = "Rill"\n[[case]]\nname = "c"\n{case}')
    assert suite is not None
    lane = session.lane("Rill", "environment")
    from embrix.suite.check import steps_of

    lines = [line for _, line in steps_of(suite.cases[0], lane, suite.cases[0].steps[lane.name])]
    assert [line.split("⊢")[1].strip() for line in lines] == ["x ⇓ 2", "1 ⇓ 1", "x + 1 ⇓ 3"]
    shallow = case.replace("under", "deep = 0\nunder")
    suite, _ = read(session, tmp_path, f'language = "Rill"\n[[case]]\nname = "c"\n{shallow}')
    assert suite is not None
    lines = [line for _, line in steps_of(suite.cases[0], lane, suite.cases[0].steps[lane.name])]
    assert [line.split("⊢")[1].strip() for line in lines] == ["x + 1 ⇓ 3"]
    nowhere = case.replace("x + 1 ⇓ …", "x + 9 ⇓ …")
    found = verdicts(session, tmp_path, nowhere)
    assert found["environment"].endswith("| none does")


def test_steps_up_to_renaming(session: Session, tmp_path: Path) -> None:
    case = """program = "(given x: given y: x) 1"
[case.steps.rewriting]
lines = ["(given a: given b: a) 1", "given z: 1"]
"""
    assert "steps: step 0" in verdicts(session, tmp_path, case)["rewriting"]
    assert verdicts(session, tmp_path, case + "renaming = true\n") == {}
    captured = case.replace("given z: 1", "given z: z")
    found = verdicts(session, tmp_path, captured + "renaming = true\n")
    assert found["rewriting"].startswith("steps: step 1: given z: z")


@given(
    st.lists(st.sampled_from("abcd"), max_size=12),
    st.lists(st.booleans(), min_size=12, max_size=12),
)
def test_leaving_steps_out_never_makes_a_right_sequence_wrong(
    found: list[str], kept: list[bool]
) -> None:
    wanted: list[str] = []
    for line, keep in zip(found, kept, strict=False):
        if keep:
            wanted.append(line)
        elif wanted[-1:] != ["..."]:
            wanted.append("...")
    assert parting(wanted, found) is None
    if any(kept[: len(found)]):
        changed = ["z" if line in "abcd" else line for line in wanted]
        assert parting(changed, found) is not None


@given(st.text(max_size=20), st.text(max_size=20))
def test_the_difference_of_two_lines(left: str, right: str) -> None:
    """What is left without the slices is the same on both sides."""
    sides = difference(left, right)
    rest = []
    for text, slices in zip((left, right), sides, strict=True):
        assert all(0 <= a < b <= len(text) for a, b in slices)
        inside = {at for a, b in slices for at in range(a, b)}
        rest.append("".join(c for at, c in enumerate(text) if at not in inside))
    assert rest[0] == rest[1]
    assert (sides == ([], [])) == (left == right)


def test_signs_under_a_difference() -> None:
    assert marks(difference("x = 12 + y", "x = 13 + z")[0]) == "    ^^   ^"
    assert reads_like("a … c", "a b c")
    assert not reads_like("a … c", "a b d")


TABLE = """language = "Rill"
[[case]]
name = "tolls"
program = "n + rate"
given = { rate = "2" }
lanes = ["environment"]
table = [
  { given.n = "1", value = 3 },
  { given = { n = "2", rate = "10" }, value = 12 },
  { given.n = "true", error = "NumberWanted" },
]
"""


def test_a_table_is_a_case_for_each_row(session: Session, tmp_path: Path) -> None:
    suite, findings = read(session, tmp_path, TABLE)
    assert suite is not None
    assert not findings
    names = [case.name for case in suite.cases]
    assert names == [
        "tolls: rate = 2, n = 1", "tolls: rate = 10, n = 2", "tolls: rate = 2, n = true",
    ]  # fmt: skip
    run = Testing(session, suite)
    states = [
        v.state for case in suite.cases for v in run.verdicts(case) if v.lane == "environment"
    ]
    assert states == ["passed"] * 3


@pytest.mark.parametrize(
    ("case", "place", "message", "hint"),
    [
        ('program = "1"\nvalue = 1\ncots = {}', "5:1", "an entry called cots", "costs"),
        ('program = "1"\ncosts = { forcd = 1 }', "4:11", "nothing called forcd", "forced"),
        ('program = "1"\ncosts = { forced = "about 1" }', "4:11", "a cost is a number", "at most"),
        (f'program = "1"\ncosts = {{ forced = "{"9" * 5_000}" }}', "4:11", "a cost is a number",
         "at most"),
        ('program = "1"\nvalue = 1\nshows = "1"', "5:1", "exclude each other", ""),
        ('program = "1"\nrejected = "grammar"\noutput = "1"', "5:1", "has no output", "leave out"),
        ('program = "1"\nat = "1:1"', "4:1", "none is stated", ""),
        ('program = "1"\nvalue = 1\nlanes = ["by_need"]\nfor.by_name = { value = 2 }', "6:5",
         "limited to other interpreters", "lanes"),
        ('program = "1"\nvalue = 1\ngrammar = "plain"', "5:1", "no grammar called plain", ""),
        ('program = "1"\nvalue = 1\ntags = "x"', "5:1", "list of words", ""),
        ('program = "1"\ntable = []', "4:1", "list of rows", ""),
        ('program = "1"\ndiverges = "yes"', "4:1", "has not ended", "diverges = true"),
        ('program = "1"\nsteps.rewriting = { lins = ["1"] }', "4:21", "lins", "lines"),
        ('program = "1"\nsteps.rewriting = { lines = ["1"], deep = -1 }', "4:36", "levels", ""),
    ],
)  # fmt: skip
def test_wrong_entries_are_located(
    session: Session, tmp_path: Path, case: str, place: str, message: str, hint: str
) -> None:
    text = f'[[case]]\nname = "c"\n{case}\n'
    suite, findings = read(session, tmp_path, text + 'language = "Rill"\n')
    assert suite is None
    suite, findings = read(session, tmp_path, f'language = "Rill"\n{text}')
    assert suite is not None
    found = next(one for one in findings if message in one.message)
    line, column = found.source.position(found.span.start)
    line -= 1  # the head of the file
    assert hint in found.hint, found.hint
    assert f"{line}:{column}" == place


QUESTION = """language = "Rill"
[[question]]
name = "which scope?"
program = "let x = 1 in let f = given y: x in let x = 2 in f 0"
answers = { static = 1, dynamic = 2 }
lanes = ["environment", "dynamic_scope"]
[[question]]
name = "who runs first?"
program = "true + (1 / 0)"
answers.left = { error = "NumberWanted" }
answers.right = { error = "Unbound" }
lanes = ["environment"]
"""


def test_questions_are_answered_by_every_lane_and_choice(session: Session, tmp_path: Path) -> None:
    suite, findings = read(session, tmp_path, QUESTION)
    assert suite is not None
    assert not findings
    scope, order = answered(session, "Rill", suite.questions)
    plain = [answer for answer in scope.answers if "[" not in answer.lane]
    assert [(one.lane, one.label, one.result) for one in plain] == [
        ("dynamic_scope", "dynamic", "2"), ("environment", "static", "1"),
    ]  # fmt: skip
    answers = {one.lane: (one.label, one.result) for one in order.answers}
    # By default both operands run before either is looked at: the division fails first.
    assert answers["environment"][0] == ""
    assert answers["environment"][1].startswith("error DivisionByZero at 1:9")
    assert answers["environment[checking=at_once]"][0] == "left"
    _, findings = read(session, tmp_path, QUESTION.replace("dynamic = 2", "dynamic = 1"))
    assert "stands there already" in findings[0].message


def test_verdicts_are_kept_for_what_did_not_change(course_copy: Path) -> None:
    """Only the edited interpreter and what extends it are run again."""
    ran: list[str] = []
    checked = check_case

    def watched(case: object, lane: object, limits: object = None) -> object:
        ran.append(lane.name)  # type: ignore[attr-defined]
        return checked(case, lane)  # type: ignore[arg-type]

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("embrix.checking.verdicts.check_case", watched)
        MEMORY.forget()  # other tests know the same texts
        suite = course_copy / "drip" / "drip.suite.toml"
        check_suite(Session(course_copy), suite)
        assert set(ran) == {"by_name", "environment", "rewriting"}
        ran.clear()
        check_suite(Session(course_copy), suite)
        assert ran == []
        path = course_copy / "drip" / "by_name.brix"
        text = path.read_text(encoding="utf-8")
        path.write_text("# a remark\n" + text, encoding="utf-8")
        check_suite(Session(course_copy), suite)
        assert ran == []
        path.write_text(
            text.replace("  Num(n)  ", "  Num(m)  ").replace("shown Lit(n)", "shown Lit(m)")
        )
        check_suite(Session(course_copy), suite)
        assert set(ran) == {"by_name"}


# ---------------------------------------------------------------------- by choice


def test_what_is_said_of_a_choice_holds_for_every_lane_that_has_it(
    session: Session, tmp_path: Path
) -> None:
    """What is said of a lane by name counts before that, wherever it stands."""
    case = 'program = "when 3 then 1 else 2"\nerror = "TruthWanted"\n'
    wrong = verdicts(session, tmp_path, case + '[case.for."truth=zero_is_false"]\nvalue = 2')
    lanes = session.course.interpreters["Rill"]
    assert set(wrong) == {f"{lane}[truth=zero_is_false]" for lane in lanes}
    assert wrong["by_need[truth=zero_is_false]"] == "outcome: 2 | 1"
    named = '[case.for."environment[truth=zero_is_false]"]\nvalue = 1\n'
    choice = '[case.for."truth=zero_is_false"]\nvalue = 2\n'
    for both in (named + choice, choice + named):
        wrong = verdicts(session, tmp_path, case + both)
        assert "environment[truth=zero_is_false]" not in wrong
        assert len(wrong) == len(lanes) - 1
    few = verdicts(session, tmp_path, f'lanes = ["by_need"]\n{case}{choice}')
    assert set(few) == {"by_need[truth=zero_is_false]"}


@pytest.mark.parametrize(
    ("key", "told"),
    [
        ("truht=zero_is_false", "there is no choice called truht"),
        ("truth=zero", "truth is not decided by zero"),
        ("truth=", "truth is not decided by nothing"),
    ],
)
def test_a_choice_that_there_is_not_is_told(
    session: Session, tmp_path: Path, key: str, told: str
) -> None:
    text = (
        f'language = "Rill"\n[[case]]\nname = "c"\nprogram = "1"\nvalue = 1\n'
        f'[case.for."{key}"]\nvalue = 2\n'
    )
    _, findings = read(session, tmp_path, text)
    (finding,) = findings
    assert finding.message == told
    assert finding.source.position(finding.span.start)[0] == 6


def test_a_state_is_compared_as_it_is_printed(
    make_course: Callable[..., Course], tmp_path: Path
) -> None:
    """A map is one part of the state and prints as several: written in any of these ways it is the
    state that `run` prints."""
    lane = """\
        interpreter maps for Tiny
        main run
        define run(p: Expr) -> (Number, Map[Name, Number], Store[Number])
          eval(p, empty, empty)
        define eval(e: Expr, m: Map[Name, Number], s: Store[Number])
            -> (Number, Map[Name, Number], Store[Number]) by e
          Lit(n) => (n, m, s)
          Var(x) => (0, m, s)
          Add(left, right) => (0, m, s)
          Let(x, bound, body) =>
            let (a, m, s) = eval(bound, m, s)
            let (_, s) = alloc(s, a)
            eval(body, m with x = a, s)
        """
    program = "let a = 1 in let b = 2 in 3"
    states = (
        '"a ↦ 1, b ↦ 2, @0 ↦ 1, @1 ↦ 2"', '["a ↦ 1, b ↦ 2", "@0 ↦ 1, @1 ↦ 2"]',
        '["a ↦ 1", "b ↦ 2", "@0 ↦ 1", "@1 ↦ 2"]', '"a ↦ 1, b ↦ 2, @0 ↦ 1"',
    )  # fmt: skip
    made = make_course(a=TINY_LANGUAGE, b=lane)
    text = 'language = "Tiny"\n' + "".join(
        f'[[case]]\nname = "{n}"\nprogram = "{program}"\nstate = {state}\n'
        for n, state in enumerate(states)
    )
    (tmp_path / "t.suite.toml").write_text(text)
    session = Session(made.folder)
    suite = session.suite(tmp_path / "t.suite.toml", Findings())
    assert suite is not None
    run = Testing(session, suite)
    assert [v.state for one in suite.cases for v in run.verdicts(one)] == [
        "passed", "passed", "passed", "failed",
    ]  # fmt: skip


def test_why_a_run_ended_early_is_told_before_the_output_that_is_missing(
    make_course: Maker,
) -> None:
    """A program that is refused, or fails, writes nothing more: the cause is told, not that."""
    lane = """\
interpreter says for Tiny
error Odd "it is odd"
main run
define run(p: Expr) -> Text by p
  Add(a, b) =>
    emit "begun "
    run(b)
  Lit(1) => fail Odd
  _ =>
    emit "done"
    "end"
"""
    session = Session(make_course(tiny=TINY_LANGUAGE, says=lane).folder)
    path = session.course.folder / "tiny.suite.toml"
    path.write_text("""\
language = "Tiny"
[[case]]
name = "refused"
program = "2 +"
output = "done"
[[case]]
name = "failed"
program = "3 + 1"
output = "begun done"
[[case]]
name = "wrong output before it fails"
program = "3 + 1"
output = "other"
[[case]]
name = "wrong output"
program = "2"
output = "begun"
""")
    report = check_suite(Session(session.course.folder), path)
    told = [(v.what, v.actual.partition(" at ")[0]) for case in report.cases for v in case.verdicts]
    assert told == [
        ("outcome", "rejected by the grammar: the program ends here, but `(`, a number or "
         "a name could stand here"),
        ("outcome", "error Odd"),
        ("output", "output begun "),
        ("output", "output done"),
    ]  # fmt: skip
