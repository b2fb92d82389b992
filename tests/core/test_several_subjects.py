"""Small-step relations over configurations: `final Lit(_), []` and several subjects behind `by`."""

from __future__ import annotations

import random

import pytest

from embrix.brix.mutants import mistakes_in
from embrix.compare.meaning import between_interpreters
from embrix.course.load import Course
from embrix.draw.rules import inference_rules
from embrix.grammar.parser import Parsed
from embrix.lanes.session import Session
from embrix.machine.lane import Lane
from embrix.services.renaming import renamed
from embrix.terms.generate import Generator, Words
from embrix.terms.node import FIELDS, Node
from embrix.trace.state_graph import states_of
from embrix.trace.walk import Walk
from tests.conftest import TINY_LANGUAGE, Maker
from tests.core.test_reference import held_against

COUNTING = TINY_LANGUAGE.replace("\n\ntokens", "\nnumbers integer\n\ntokens")
BERTHS = COUNTING.replace("  Let(x", "  Row(items: List[Expr])\n  Let(x").replace(
    '"(" Expr ")"', '"(" Expr ")" | "[" items:list(Expr, ",") "]" makes Row'
)
MACHINE = """\
interpreter machine for Tiny
data Todo
  Right(e: Expr, saved: Env[Number])          shown "□ + {e}"
  Plus(n: Number)                             shown "{n} + □"
  Body(x: Name, e: Expr, saved: Env[Number])  shown "let {x} = □ in {e}"
error Unbound(x: Name) "nothing called {x}"
type State = (Expr, Env[Number], List[Todo])
main run
define run(p: Expr) -> Number
  let (Lit(n), _, _) = repeat go(p, empty, [])
  n
define go(control: Expr, env: Env[Number], stack: List[Todo]) -> State by control, stack
  final Lit(_), []
  Var(x), stack                     => (Lit(env[x] otherwise fail Unbound(x)), env, stack)
  Add(left, right), stack           => (left, env, [Right(right, env), ..stack])
  Let(x, v, body), stack            => (v, env, [Body(x, body, env), ..stack])
  Lit(n), [Right(e, saved), ..rest] => (e, saved, [Plus(n), ..rest])
  Lit(n), [Plus(m), ..rest]         => (Lit(m + n), env, rest)
  Lit(n), [Body(x, e, saved), ..rest] => (e, saved with x = n, rest)
"""
"""A machine: the control, the environment, and what is still to be done."""
NOTING = """\
interpreter noting for Tiny
main run
define run(p: Expr) -> (Expr, List[Name])
  repeat go([], p)
define go(seen: List[Name], e: Expr) -> (Expr, List[Name]) by seen, e
  final _, Lit(_)
  final _, Row(items) when final([], items)
  order Add(left, right)  : left, right
  order Row(items)        : items
  order Let(_, bound, _)  : bound
  _, Add(Lit(a), Lit(b))  => (Lit(a + b), seen)
  _, Let(x, v, body)      => (substitute(v, x, body), seen)
  _, Var(x)               => (Lit(size(seen)), [x, ..seen])
  no clause _, Add(_, _)  "rows are not added"
"""
"""A relation that goes into its second subject; the first notes names."""


def lane_of(make_course: Maker, text: str, language: str = BERTHS) -> Lane:
    course = make_course(lang=language, steps=text)
    assert [one.message for one in course.diagnostics] == []
    return Session(course.folder).lane("Tiny", text.split()[1])


def term_of(lane: Lane, program: str) -> Node:
    parsed = lane.parser.parse(program)
    assert isinstance(parsed, Parsed)
    return parsed.term


def errors(course: Course) -> list[tuple[str, str]]:
    return [(one.code, one.message) for one in course.diagnostics if one.severity == "error"]


def test_a_machine_of_several_subjects_goes_as_on_paper(make_course: Maker) -> None:
    lane = lane_of(make_course, MACHINE, COUNTING)
    rest = "let x = □ in x + x"
    # Written down with the clauses in hand.
    assert Walk(lane, lane.trace("let x = 1 + 2 in x + x")).lines() == [
        "(let x = 1 + 2 in x + x, [])",
        f"(1 + 2, [{rest}])",
        f"(1, [□ + 2, {rest}])",
        f"(2, [1 + □, {rest}])",
        f"(3, [{rest}])",
        "(x + x, [])",
        "(x, [□ + x])",
        "(3, [□ + x])",
        "(x, [3 + □])",
        "(3, [3 + □])",
        "(6, [])",
    ]
    assert lane.run("1 + y").outcome.sentence == "Unbound: nothing called y"
    assert lane.run("1 + y").outcome.place == (4, 5)


def test_a_walk_follows_the_control(make_course: Maker) -> None:
    lane = lane_of(make_course, MACHINE, COUNTING)
    program = "let x = 1 + 2 in x + x"
    walk = Walk(lane, lane.trace(program))
    step = walk.step(8)  # the second x, with 3 put away
    assert step.text == "(x, [3 + □])"
    assert step.focus is not None
    assert step.text[step.focus.start : step.focus.end] == "x"
    assert step.place is not None
    assert step.place == (len(program) - 1, len(program))
    assert [(one.name, one.value) for one in step.bindings] == [("x", "3")]
    assert step.clause is not None
    source = step.clause.source
    assert source is not None
    assert source.text[step.clause.start :].startswith("Var(x), stack")
    environment = walk.environment_at(8)
    assert environment is not None
    assert walk.step(0).bindings == ()


def evaluated(term: Node, known: dict[str, int], lane: Lane) -> int:
    """What a term comes to, by the meaning of its forms; -1 where a name is not known."""
    form = lane.interpreter.language.signature.by_tag[term[0]].name
    parts = term[FIELDS:]
    if form == "Lit":
        return int(parts[0])
    if form == "Var":
        return known.get(parts[0], -1)
    if form == "Add":
        left, right = (evaluated(part, known, lane) for part in parts)
        return -1 if -1 in (left, right) else left + right
    bound = evaluated(parts[1], known, lane)
    return -1 if bound == -1 else evaluated(parts[2], {**known, parts[0]: bound}, lane)


@pytest.mark.parametrize("seed", range(40))
def test_a_machine_comes_to_what_its_programs_mean(make_course: Maker, seed: int) -> None:
    lane = lane_of(make_course, MACHINE, COUNTING)
    choose = random.Random(f"several subjects {seed}").randrange
    made = Generator(
        lane.interpreter.language.signature, choose, Words(names=("a", "b"), numbers=(0, 1, 7))
    )
    for _ in range(5):
        term = made.term("Expr", 5)
        assert isinstance(term, tuple)
        held_against(lane, term)
        came = lane.machine.run(term).outcome
        meant = evaluated(term, {}, lane)
        assert (came.kind, came.text) == ("value", str(meant)) or (came.name, meant) == (
            "Unbound", -1
        )  # fmt: skip


def test_other_subjects_are_handed_through_the_parts(make_course: Maker) -> None:
    lane = lane_of(make_course, NOTING)
    walk = Walk(lane, lane.trace("a + (b + a)"))
    assert walk.lines() == [
        "([], a + (b + a))",
        "([a], 0 + (b + a))",
        "([b, a], 0 + (1 + a))",
        "([a, b, a], 0 + (1 + 2))",
        "([a, b, a], 0 + 3)",
        "([a, b, a], 3)",
    ]
    step = walk.step(1)
    assert step.focus is not None
    assert step.text[step.focus.start : step.focus.end] == "b"
    assert lane.run("a + (b + a)").outcome.text == "3"
    assert lane.run("a + (b + a)").state == ("[a, b, a]",)
    assert Walk(lane, lane.trace("[a, [b + 1]]")).lines() == [
        "([], [a, [b + 1]])",
        "([a], [0, [b + 1]])",
        "([b, a], [0, [1 + 1]])",
        "([b, a], [0, [2]])",
    ]
    assert lane.run("1 + [a]").outcome.kind == "stuck"


@pytest.mark.parametrize("seed", range(40))
def test_all_variants_and_the_reference_agree_on_configurations(
    make_course: Maker, seed: int
) -> None:
    lane = lane_of(make_course, NOTING)
    choose = random.Random(f"noting {seed}").randrange
    made = Generator(
        lane.interpreter.language.signature, choose, Words(names=("a", "b"), numbers=(0, 1, 7))
    )
    for _ in range(5):
        term = made.term("Expr", 4)
        assert isinstance(term, tuple)
        held_against(lane, term)


def test_what_is_final_may_depend_on_another_subject(make_course: Maker) -> None:
    """Two names noted are enough."""
    early = NOTING.replace("  order Add", "  final [_, _, .._], _\n  order Add", 1)
    lane = lane_of(make_course, early)
    assert Walk(lane, lane.trace("a + (b + a)")).lines()[-1] == "([b, a], 0 + (1 + a))"
    held_against(lane, term_of(lane, "a + (b + a)"))
    held_against(lane, term_of(lane, "[a, a, b, a]"))


def test_final_asks_about_all_subjects(make_course: Maker) -> None:
    asking = NOTING.replace(
        "  repeat go([], p)\n",
        "  let one = if final([], p) then 1 else 0\n"
        "  let many = if final([], [p, p]) then 1 else 0\n"
        "  (Row([Lit(one), Lit(many)]), [])\ndefine more(p: Expr) -> (Expr, List[Name])\n"
        "  repeat go([], p)\n",
    )
    lane = lane_of(make_course, asking)
    assert lane.run("1").outcome.text == "[1, 1]"
    assert lane.run("[1, [2]]").outcome.text == "[1, 1]"
    assert lane.run("[1, a]").outcome.text == "[0, 0]"


def test_operands_in_any_order_beside_another_subject(make_course: Maker) -> None:
    """Which name is noted first is left open: two outcomes."""
    free = NOTING.replace(": left, right", ": left, right in any order")
    lane = lane_of(make_course, free)
    explored = lane.explore("a + b")
    assert sorted(one.left for one in explored.outcomes) == [("[a, b]",), ("[b, a]",)]
    assert {one.outcome.text for one in explored.outcomes} == {"1"}
    states = states_of(lane, explored)
    # The beginning; a or b noted; both noted, in two ways; and the sums of these two.
    assert sorted(one.text for one in states) == [
        "([], a + b)", "([a, b], 1 + 0)", "([a], 0 + b)", "([b, a], 0 + 1)", "([b], a + 0)",
    ]  # fmt: skip
    assert all(one.beside == () for one in states)


def test_the_subject_may_be_a_tuple(make_course: Maker) -> None:
    text = (
        MACHINE.replace("repeat go(p, empty, [])", "repeat go((p, empty, []))")
        .replace(
            "define go(control: Expr, env: Env[Number], stack: List[Todo])",
            "define go(m: State)",
        )
        .replace("by control, stack", "by m")
        .replace("final Lit(_), []", "final (Lit(_), _, [])")
    )
    for form in ("Var(x), ", "Add(left, right), ", "Let(x, v, body), "):
        text = text.replace(f"  {form}stack ", f"  ({form}env, stack) ")
    text = text.replace("  Lit(n), [", "  (Lit(n), env, [").replace("..rest] ", "..rest]) ")
    text = text.replace("(Lit(n), env, [Right", "(Lit(n), _, [Right")
    text = text.replace("(Lit(n), env, [Body", "(Lit(n), _, [Body")
    lane = lane_of(make_course, text, COUNTING)
    assert Walk(lane, lane.trace("1 + 2")).lines() == [
        "(1 + 2, ∅, [])", "(1, ∅, [□ + 2])", "(2, ∅, [1 + □])", "(3, ∅, [])",
    ]  # fmt: skip
    held_against(lane, term_of(lane, "let x = 1 + 2 in x + x"))


@pytest.mark.parametrize(
    ("old", "new", "message"),
    [
        ("final Lit(_), []", "final Lit(_)", "this line has one pattern for two subjects"),
        ("final Lit(_), []", "final Lit(_), [], _",
            "this line has three patterns for two subjects"),
        (
            "-> State by", "-> (Expr, Text, List[Todo]) by",
            "a step gives Text besides, and go takes no parameter of that type",
        ),
        (
            "-> State by", "-> Expr by",
            "a step must give (Expr, List[Todo]), not Expr",
        ),
        (
            "-> State by", "-> (Env[Number], List[Todo]) by",
            "a step must give (Expr, List[Todo]), not (Env[Number], List[Todo])",
        ),
    ],
)  # fmt: skip
def test_what_does_not_fit_the_subjects(
    make_course: Maker, old: str, new: str, message: str
) -> None:
    assert MACHINE.count(old) == 1
    course = make_course(lang=COUNTING, steps=MACHINE.replace(old, new))
    assert message in [text for _, text in errors(course)]


def test_the_number_of_subjects_is_told_where_final_is_asked(make_course: Maker) -> None:
    text = NOTING.replace("when final([], items)", "when final(items)")
    (found,) = make_course(lang=BERTHS, steps=text).diagnostics
    assert (found.message, found.hint) == (
        "whether go takes a step depends on two subjects, not 1", "write final(seen, e)",
    )  # fmt: skip


def test_nothing_follows_a_final_line_that_cannot_be_read(make_course: Maker) -> None:
    text = MACHINE.replace("final Lit(_), []", "final Lit(_), [")
    course = make_course(lang=COUNTING, steps=text)
    assert [code for code, _ in errors(course)] == ["unreadable"]


def test_clauses_over_several_subjects_are_looked_through(make_course: Maker) -> None:
    def told(text: str, language: str = COUNTING) -> list[tuple[str, str]]:
        found = make_course(lang=language, steps=text).diagnostics
        return [(one.code, one.message) for one in found]

    less = MACHINE.replace("  Lit(n), [Plus(m), ..rest]         => (Lit(m + n), env, rest)\n", "")
    assert told(less) == [("missing_clause", "go has no clause for Lit(_), [Plus(_), .._]")]
    hidden = MACHINE + "  Add(Lit(a), _), []  => (Lit(a), env, [])\n"
    assert [code for code, _ in told(hidden)] == ["unreachable_clause"]
    # Where the part is not final, `order` takes it, whatever the other subject is.
    assert told(NOTING, BERTHS) == []
    without = NOTING.replace("  _, Var(x)               => (Lit(size(seen)), [x, ..seen])\n", "")
    assert told(without, BERTHS) == [("missing_clause", "go has no clause for _, Var(_)")]
    plain = NOTING.replace('  no clause _, Add(_, _)  "rows are not added"\n', "")
    plain = plain.replace("  order Row(items)        : items\n", "")
    always = plain.replace("final _, Row(items) when final([], items)", "final _, Row(_)")
    ((code, message),) = told(always, BERTHS)
    assert code == "missing_clause"
    assert message.startswith("go has no clause for _, Add(Lit(_), Row(_)); _, Add(Row(_), Lit(_))")
    # It may depend on the other subject: then nothing is said of what holds a row.
    some = plain.replace("final _, Row(items) when final([], items)", "final [], Row(_)")
    assert told(some, BERTHS) == [("missing_clause", "go has no clause for [_, .._], Row(_)")]


def test_names_in_the_patterns_of_final_are_renamed(make_course: Maker) -> None:
    session = Session(make_course(lang=BERTHS, steps=NOTING).folder)
    change = renamed(session, "steps.brix", NOTING, NOTING.index("items)"), "parts")
    (file,) = change.files
    assert "final _, Row(parts) when final([], parts)" in file.text
    assert "order Row(items)" in file.text


def test_one_of_several_patterns_in_final(make_course: Maker) -> None:
    """`P | Q` in each of the places."""
    text = NOTING.replace("final _, Lit(_)", "final _, Lit(_) | Add(Lit(_), Lit(_))")
    lane = lane_of(
        make_course, text.replace("  _, Add(Lit(a), Lit(b))  => (Lit(a + b), seen)\n", "")
    )
    assert Walk(lane, lane.trace("a + 1")).lines() == ["([], a + 1)", "([a], 0 + 1)"]


def test_the_rules_name_all_subjects(make_course: Maker) -> None:
    """Worked out by hand: what `order` says of a part and of the whole, and a clause that speaks of
    a subject by the name of its parameter."""
    told = NOTING.replace("main run", 'judgement go "{seen} ⊢ {e} → {result}"\nmain run')
    lane = lane_of(make_course, told)
    rules = {rule.name: rule for rule in inference_rules(lane.interpreter)}
    assert rules["Add-left"].premises == ("seen ⊢ left → (left′, seen′)",)
    assert rules["Add-left"].conclusion == "seen ⊢ Add(left, right) → (Add(left′, right), seen′)"
    assert rules["Add-right"].conditions == ("left is final",)
    conclusions = [rule.conclusion for rule in inference_rules(lane.interpreter)]
    assert "seen ⊢ Var(x) → (Lit(size(seen)), [x, ..seen])" in conclusions
    whole = told.replace(
        "_, Var(x)               => (Lit(size(seen)),", "_, Var(x) => (Row([e, e]),"
    )
    lane = lane_of(make_course, whole)
    conclusions = [rule.conclusion for rule in inference_rules(lane.interpreter)]
    assert "seen ⊢ Var(x) as e → (Row([e, e]), [x, ..seen])" in conclusions


def test_mistakes_are_put_into_the_steps_of_a_machine(make_course: Maker) -> None:
    """Each by hand: the wrong part goes first, and a machine that stays in its environment."""
    syntax = lane_of(make_course, MACHINE, COUNTING).interpreter.syntax
    assert syntax is not None
    text = syntax.source.text
    changed = [
        (one.what, line.split("=>")[1].strip())
        for one in mistakes_in(syntax)
        for line in set(one.made(text).splitlines()) - set(text.splitlines()) if "=>" in line
    ]  # fmt: skip
    assert ("another part of the program", "(right, env, [Right(right, env), ..stack])") in changed
    assert sorted(line for what, line in changed if what == "another environment") == [
        "(e, env with x = n, rest)", "(e, env, [Plus(n), ..rest])",
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("judgement", "second"),
    [
        ("{control} | {env} | {stack} → {result}", "1 | ∅ | [□ + 2]"),
        ("⟨{control}, {stack}⟩ → ⟨{next}, {rest}⟩", "⟨1, [□ + 2]⟩"),
        ("{env} ⊢ {control} ⇒ {result}", "∅ ⊢ 1"),
        ("{control}→{result}", "1"),
        # Without the control nobody could follow.
        ("{stack} → {result}", "(1, [□ + 2])"),
        ("go: {result}", "(1, [□ + 2])"),
    ],
)
def test_a_configuration_looks_as_its_judgement_says(
    make_course: Maker, judgement: str, second: str
) -> None:
    gives = " gives (next, _, rest)" if "{next}" in judgement else ""
    text = MACHINE.replace("main run", f'judgement go "{judgement}"{gives}\nmain run', 1)
    lane = lane_of(make_course, text, COUNTING)
    walk = Walk(lane, lane.trace("1 + 2"))
    assert walk.lines()[1] == second
    step = walk.step(1)
    assert step.focus is not None
    assert step.text[step.focus.start : step.focus.end] == "1"


def test_what_beside_the_look_of_a_state_is_told(make_course: Maker) -> None:
    """The environment is no subject; a judgement may show it."""
    free = MACHINE.replace("(left, env, [Right(right, env), ..stack])", "any of\n"
                           "    (left, env, [Right(right, env), ..stack])\n"
                           "    (right, env, [Right(left, env), ..stack])")  # fmt: skip
    lane = lane_of(make_course, free, COUNTING)
    first = states_of(lane, lane.explore("1 + 2"))[0]
    assert (first.text, first.beside) == ("(1 + 2, [])", ("∅",))
    shown = free.replace(
        "main run", 'judgement go "{control} | {env} | {stack} → {result}"\nmain run'
    )
    lane = lane_of(make_course, shown, COUNTING)
    first = states_of(lane, lane.explore("1 + 2"))[0]
    assert (first.text, first.beside) == ("1 + 2 | ∅ | []", ())


def test_components_of_one_type_keep_the_order_of_the_parameters(make_course: Maker) -> None:
    """Whatever stands first behind `by`: the first component becomes the first parameter."""
    text = """\
interpreter pouring for Tiny
main run
define run(p: Expr) -> (Expr, Expr) by p
  Add(l, r) => repeat pour(l, r)
  _         => (p, p)
define pour(lower: Expr, upper: Expr) -> (Expr, Expr) by upper, lower
  final Lit(0), _
  Lit(n), Lit(m) => (Lit(m + 1), Lit(n - 1))
  no clause _, _ "only numbers are poured"
"""
    lane = lane_of(make_course, text, COUNTING)
    held_against(lane, term_of(lane, "5 + 3"))
    assert lane.run("5 + 3").outcome.text == "8"
    assert lane.run("5 + 3").state == ("0",)


def test_a_component_goes_to_a_subject_before_it_goes_to_another_parameter(
    make_course: Maker,
) -> None:
    text = """\
interpreter noted for Tiny
main run
define run(p: Expr) -> (Expr, List[Name])
  repeat go(Lit(9), p, [])
define go(limit: Expr, e: Expr, seen: List[Name]) -> (Expr, List[Name]) by e, seen
  final Lit(_), _
  Var(x), seen           => (limit, [x, ..seen])
  Add(_, r), seen        => (r, seen)
  Let(x, _, body), seen  => (body, [x, ..seen])
"""
    lane = lane_of(make_course, text, COUNTING)
    assert Walk(lane, lane.trace("1 + (let a = 2 in b)")).lines() == [
        "(1 + (let a = 2 in b), [])", "(let a = 2 in b, [])", "(b, [a])", "(9, [b, a])",
    ]  # fmt: skip
    held_against(lane, term_of(lane, "1 + (let a = 2 in b)"))


def test_the_order_of_subjects_is_a_part_of_what_a_relation_means(make_course: Maker) -> None:
    """With patterns that fit either way: another order is another relation."""
    text = """\
interpreter pouring for Tiny
main run
define run(p: Expr) -> (Expr, Expr) by p
  Add(l, r) => repeat pour(l, r)
  _         => (p, p)
define pour(lower: Expr, upper: Expr) -> (Expr, Expr) by upper, lower
  final Lit(0), _
  Lit(n), Lit(m) => (Lit(m), Lit(n - 1))
  no clause _, _ "only numbers are poured"
"""
    before = lane_of(make_course, text, COUNTING).interpreter
    after = lane_of(make_course, text.replace("by upper, lower", "by lower, upper"), COUNTING)
    found = between_interpreters(before, after.interpreter)
    assert [(one.part, one.name) for one in found if one.state != "taken over"] == [
        ("function", "pour")
    ]
