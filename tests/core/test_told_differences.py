"""Every sentence that tells two lanes apart is so: held against what the reference interpreter
records, by a reading of the sentences alone."""

from __future__ import annotations

import itertools
import re
from collections import Counter
from dataclasses import dataclass, field

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from embrix.compare.sides import LONGEST, parted, side
from embrix.course.load import Course
from embrix.grammar.parser import Parsed
from embrix.lanes.session import Session
from embrix.machine.lane import Lane
from embrix.machine.limits import Limits
from embrix.machine.reference import evaluate
from embrix.terms.node import FIELDS, TUPLE, Node, nodes_of
from embrix.text.visible import cut
from tests.conftest import TINY_LANGUAGE, Maker
from tests.core.test_comparing import DIRECT, ON_A_STACK, PASSING, REPLACING
from tests.strategies import terms

PART = r"`(?P<text{0}>.*?)` \((?P<line{0}>\d+):(?P<column{0}>\d+)\)"
MADE = r"(?P<made{0}>a term made from )?" + PART
GIVES = re.compile(MADE.format(1) + r" gives (?P<one>.*) in (?P<a>\S+), (?P<two>.*) in (?P<b>\S+)")
OFTEN = re.compile(
    r"(?P<a>\S+) evaluates " + PART.format(1) + r" (?P<one>\S+(?: times)?), (?P<b>\S+) (?P<two>.*)"
)
ONWARD = re.compile(
    r"(?P<a>\S+) goes on with " + MADE.format(1) + r", (?P<b>\S+) with " + MADE.format(2)
)
LONGER = re.compile(r"(?P<a>\S+) goes on with " + MADE.format(1) + r", where (?P<b>\S+) is done")
BOTH_END = re.compile(r"both end with (?P<end>.*)")
END = re.compile(r"(?P<a>\S+) ends with (?P<one>.*), (?P<b>\S+) with (?P<two>.*)")
SAME = "they evaluate the same parts in the same order"
TIMES = {"never": 0, "once": 1, "twice": 2}
LIMITS = Limits(calls=4_000)


@dataclass
class Seen:
    """What the reference interpreter records of a run: the parts that judgements are about, in
    order, and what each gave."""

    parts: list[tuple[str, str]] = field(default_factory=list)
    """Text with its place, and whether the term was made by a clause."""
    gave: dict[tuple[str, str], list[str]] = field(default_factory=dict)
    end: str = ""


def seen(lane: Lane, program: str, term: Node) -> Seen | None:
    """None where the run has no end within the limits."""
    meant = evaluate(lane.machine, term, limits=LIMITS)
    if meant.kind == "out of fuel":
        return None
    forms = {(node[1], node[0]) for node in nodes_of(term)}
    found = Seen(end=lane.run(program).outcome.sentence)
    functions = lane.interpreter.functions
    for one in meant.judged:
        subject = functions[one.function].subject
        node = one.arguments[subject] if subject is not None else None
        if not isinstance(node, tuple) or node[1] is None:
            continue
        start, end = node[1]
        line = program.count("\n", 0, start) + 1
        column = start - (program.rfind("\n", 0, start) + 1) + 1
        text = cut(" ".join(program[start:end].split()), LONGEST)
        part = f"`{text}` ({line}:{column})", "" if (node[1], node[0]) in forms else "made"
        found.parts.append(part)
        if one.result is not None:
            whole = one.result
            value = whole[FIELDS] if isinstance(whole, tuple) and whole[0] == TUPLE else whole
            found.gave.setdefault(part, []).append(cut(lane.machine.display.show(value), LONGEST))
    return found


def part_in(match: re.Match[str], number: int) -> tuple[str, str]:
    text, line, column = (match[f"{name}{number}"] for name in ("text", "line", "column"))
    made = match.groupdict().get(f"made{number}")
    return f"`{text}` ({line}:{column})", "made" if made else ""


def holds(sentence: str, lanes: dict[str, Seen], direct: set[str]) -> bool:
    """Whether a sentence is true of two runs; `direct` lanes give what a part comes to."""
    if match := GIVES.fullmatch(sentence):
        part = part_in(match, 1)
        told = ((match["a"], match["one"]), (match["b"], match["two"]))
        for name, given in told:
            results = lanes[name].gave.get(part, [])
            if name not in direct:
                return False
            if given.startswith("nothing"):
                if len(results) == lanes[name].parts.count(part):
                    return False
            elif given not in results:
                return False
        return match["one"] != match["two"]
    if match := OFTEN.fullmatch(sentence):
        part = part_in(match, 1)[0], ""
        for name, often in ((match["a"], match["one"]), (match["b"], match["two"])):
            said = TIMES[often] if often in TIMES else int(often.split()[0].replace(",", ""))
            if Counter(lanes[name].parts)[part] != said:
                return False
        return match["one"] != match["two"]
    if match := ONWARD.fullmatch(sentence):
        rows = zip(lanes[match["a"]].parts, lanes[match["b"]].parts, strict=False)
        first = next((row for row in rows if row[0] != row[1]), None)
        return first == (part_in(match, 1), part_in(match, 2))
    if match := LONGER.fullmatch(sentence):
        longer, shorter = lanes[match["a"]].parts, lanes[match["b"]].parts
        begun = longer[: len(shorter)] == shorter
        return begun and longer[len(shorter)] == part_in(match, 1)
    one, two = lanes.values()
    if match := END.fullmatch(sentence):
        return (match["one"], match["two"]) == (lanes[match["a"]].end, lanes[match["b"]].end)
    if match := BOTH_END.fullmatch(sentence):
        return one.end == two.end == match["end"].partition("; ")[0]
    if sentence.startswith(SAME):
        results = one.gave == two.gave or "with the same results" not in sentence
        return one.parts == two.parts and results and one.end == two.end
    return False


def sentences_are_so(lanes: list[Lane], direct: set[str], programs: st.SearchStrategy[Node]) -> int:
    """How many sentences were looked at."""
    many = 0

    @settings(max_examples=150)
    @given(st.data())
    def held(data: st.DataObject) -> None:
        nonlocal many
        one, other = data.draw(st.permutations(lanes))[:2]
        printer = lanes[0].machine.printer
        assert printer is not None
        program = printer.show(data.draw(programs)).text
        parsed = one.parser.parse(program)
        if not isinstance(parsed, Parsed):
            return
        record = {lane.name: seen(lane, program, parsed.term) for lane in (one, other)}
        if None in record.values():
            return
        found = parted(program, side(one, program), side(other, program))
        for sentence in (found.sentence, *found.more):
            many += 1
            assert holds(sentence, record, direct), (sentence, program)  # type: ignore[arg-type]

    held()
    return many


def test_of_the_lanes_of_rill(lockside: Course) -> None:
    session = Session(lockside.folder)
    names = ("environment", "dynamic_scope", "by_name", "by_need", "store_passing")
    known = session.course.interpreters["Rill"]
    lanes = [session.lane("Rill", name) for name in names if name in known]
    assert len(lanes) >= 4
    signature = session.course.languages["Rill"].signature
    programs = terms(signature, "Expr", 4, (), ("a", "b"))
    assert sentences_are_so(lanes, set(names), programs) > 50


def test_of_machines_continuations_and_substitution(make_course: Maker) -> None:
    """Of the first two nothing is said of what a part gives."""
    course = make_course(
        tiny=TINY_LANGUAGE, one=DIRECT, two=PASSING, three=ON_A_STACK, four=REPLACING,
        five=DIRECT.replace("direct for", "other for").replace("r, env)\n", "r, env) + 7\n"),
    )  # fmt: skip
    session = Session(course.folder)
    lanes = session.lanes("Tiny")
    assert len(lanes) == 5
    programs = terms(course.languages["Tiny"].signature, "Expr", 5, (), ("a", "b"))
    direct = {lane.name for lane in lanes} - {"passing", "a"}
    stack = next(lane.name for lane in lanes if lane.name not in ("direct", "other", "passing",
                                                                  "replacing"))  # fmt: skip
    assert sentences_are_so(lanes, direct - {stack}, programs) > 50


WRAPPED = """\
interpreter wrapped for Tiny
value Value
  Num(n: Number)  shown Lit(n)
data Result
  Fine(v: Value)
error Unbound(x: Name)  "nothing called {x}"
judgement eval  "{env} ⊢ {e} ⇓ {result}"
main run
define run(p: Expr, given: List[(Name, Value)]) -> Value
  let Fine(v) = eval(p, empty with all given)
  v
define eval(e: Expr, env: Env[Value]) -> Result by e
  Lit(n) => Fine(Num(n))
  Var(x) => Fine(env[x] otherwise fail Unbound(x))
  Add(left, right) =>
    let Fine(Num(a)) = eval(left, env)
    let Fine(Num(b)) = eval(right, env)
    Fine(Num(a + b))
  Let(x, bound, body) =>
    let Fine(v) = eval(bound, env)
    eval(body, env with x = v)
"""


def test_results_that_are_wrapped_are_compared_as_they_are_shown(make_course: Maker) -> None:
    shown = WRAPPED.replace("Fine(v: Value)", 'Fine(v: Value)  shown "{v}"')
    told = []
    for other in (WRAPPED, shown):
        course = make_course(tiny=TINY_LANGUAGE, one=DIRECT, two=other)
        session = Session(course.folder)
        sides = [side(session.lane("Tiny", name), "1 + 2") for name in ("direct", "wrapped")]
        told.append(parted("1 + 2", *sides).sentence)
    assert told == ["`1` (1:1) gives 1 in direct, Fine(Num(1)) in wrapped",
                    f"{SAME}, with the same results"]  # fmt: skip


SEEN = {
    "a": Seen([("`1` (1:1)", ""), ("`x` (1:5)", "")], {("`x` (1:5)", ""): ["2"]}, "3"),
    "b": Seen([("`1` (1:1)", ""), ("`2` (1:9)", "")], {("`x` (1:5)", ""): ["4"]}, "5"),
}
"""Made up, to see what the reading of a sentence takes."""


@pytest.mark.parametrize(("sentence", "so"), [
    ("`x` (1:5) gives 2 in a, 4 in b", True),
    ("`x` (1:5) gives 2 in a, 5 in b", False),
    ("`x` (1:6) gives 2 in a, 4 in b", False),
    ("a goes on with `x` (1:5), b with `2` (1:9)", True),
    ("a goes on with `1` (1:1), b with `2` (1:9)", False),
    ("a goes on with a term made from `x` (1:5), b with `2` (1:9)", False),
    ("a evaluates `x` (1:5) once, b never", True),
    ("a evaluates `x` (1:5) twice, b never", False),
    ("a ends with 3, b with 5", True),
    ("a ends with 3, b with 3", False),
    ("both end with 3", False),
    ("they evaluate the same parts in the same order, and end alike", False),
    ("something else is said", False),
])  # fmt: skip
def test_the_reading_tells_what_is_not_so(sentence: str, so: bool) -> None:
    assert holds(sentence, SEEN, {"a", "b"}) is so


def test_what_is_said_of_continuations_is_never_so() -> None:
    assert not holds("`x` (1:5) gives 2 in a, 4 in b", SEEN, {"a"})
    assert list(itertools.islice(SEEN, 1)) == ["a"]
