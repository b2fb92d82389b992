"""Measure Embrix beside hand-written counterparts, in turn, in one process; print median ratios.

A ratio below one means that Embrix takes less time. Machines are noisy: only ratios are printed
as results, the times beside them are for orientation.
"""

from __future__ import annotations

import gc
import random
import resource
import statistics
import sys
import tempfile
from pathlib import Path

import embrix
from bench.by_hand import drip, drip_parser, weir_parser
from bench.checking import run_checking
from bench.closures import run_closures
from bench.desk import run_desk
from bench.growing import run_growing
from bench.keeping import run_keeping
from bench.measuring import compare, timed
from bench.rill import run_rill
from bench.searching import run_searching
from bench.suites import run_suites
from embrix.course.load import load_course
from embrix.grammar.earley import EarleyParser
from embrix.grammar.flatten import flatten
from embrix.grammar.lr import parser_of
from embrix.grammar.lr_tables import build_tables
from embrix.grammar.model import Alternative, Grammar, Item, Quoted, Rule, Use, fields_of
from embrix.grammar.parser import Parsed, Parser
from embrix.grammar.pattern import read_pattern
from embrix.grammar.sets import sets_of
from embrix.grammar.tokens import TokenKind, TokenTable
from embrix.lanes.inspection import look
from embrix.lanes.session import Session
from embrix.machine.lane import Lane
from embrix.machine.limits import Limits
from embrix.machine.recorder import WholeRecord
from embrix.terms.generate import Generator, Words
from embrix.terms.node import Constructor, Node, size
from embrix.terms.signature import Signature
from embrix.text.source import Span

NUMBERS = (0, 1, 2, 3, 7, 10)
LIMITS = Limits(calls=10**9, depth=10**6, events=10**9)


def programs(lane: Lane, count: int, depth: int) -> list[Node]:
    """Generated closed programs, always the same, those that end in a value."""
    chance = random.Random(7)
    signature = lane.interpreter.language.signature
    generator = Generator(signature, chance.randrange, Words(numbers=NUMBERS))
    found: list[Node] = []
    while len(found) < count:
        term = generator.term("Expr", depth)
        if size(term) < 3 * depth:
            continue
        if lane.machine.run(term, variant="plain", limits=LIMITS).outcome.kind == "value":
            found.append(term)
    return found


def a_program(lines: int) -> str:
    """A Drip program of many lines, always the same: lets in rows of five inside sums."""
    chance = random.Random(11)
    parts = []
    for number in range(lines // 5):
        factor = chance.randrange(2, 90)
        parts.append(
            f"(let tons = {factor} + {number} * 3 in   # barge {number}\n"
            f" let rate = tons / ({factor}.5 - 1) in\n"
            f" let rate = rate * 2 - -tons in\n"
            f" tons * rate + (let gates = 8 in gates - rate) / 4\n"
            f")"
        )
    return " +\n".join(parts)


def a_long_program(lines: int) -> str:
    """A Weir program of many lines, always the same: every kind of statement and expression."""
    chance = random.Random(13)
    parts = ["new total := 0", "new toll := given tons, rate: tons * rate"]
    for number in range(lines // 10):
        parts.append(
            f"new level{number} := {chance.randrange(2, 90)};      # chamber {number}\n"
            f"while level{number} < 100 do {{\n"
            f"  level{number} := level{number} + {chance.randrange(1, 9)}.5 * 2;\n"
            f"  when level{number} < 20 or total is 3 do show level{number}\n"
            f"  otherwise total := total + toll[level{number}, 4 - -1]\n"
            f"}};\n"
            f"run (let half of n = when n < 1 then 0 else half (n - 2) in half {number});\n"
            f"new turn{number} := given by: begin total := total - by give total / 2;\n"
            f"show turn{number} 7 + (let gates = 8 in gates * gates);\n"
            f"{{ new total := true and 1 < 2; run total }}"
        )
    return ";\n".join(parts)


def parsing_long(parser: Parser) -> None:
    """The largest shipped language, beside its hand-written parser."""
    for lines in (500, 2_000, 10_000):
        text = a_long_program(lines)
        assert isinstance(parser.parse(text), Parsed)
        print(f"Weir, reading a program of {lines:,} lines, {len(text):,} characters")
        compare("  tree with places", lambda t=text: parser.parse(t),
                lambda t=text: weir_parser.Parser(t).program())  # fmt: skip


def parsing(parser: Parser) -> None:
    """Programs of three sizes, beside a hand-written recursive-descent parser."""
    for lines in (500, 2_000, 10_000):
        text = a_program(lines)
        print(f"Drip, reading a program of {lines:,} lines, {len(text):,} characters")
        compare("  tree with places", lambda t=text: parser.parse(t),
                lambda t=text: drip_parser.Parser(t).program())  # fmt: skip


def typing(folder: Path) -> None:
    """What a key press in a program of 500 lines asks for: tokens and tree, as plain data."""
    session = Session(folder)
    text = a_program(500)
    look(session, "Drip", text)
    times = []
    for number in range(41):
        changed = text.replace("tons * rate", f"tons * rate{'e' * number}", 1)
        gc.collect()
        times.append(timed(lambda t=changed: look(session, "Drip", t)))
    print(f"tokens and tree after a key press    {1000 * statistics.median(times):8.1f} ms "
          f"in a program of 500 lines")  # fmt: skip


def general(parser: EarleyParser) -> None:
    """The general parser on programs of three sizes: growth of the time a character takes."""
    base = 0.0
    for lines in (125, 250, 500):
        text = a_program(lines)
        took = min(timed(lambda t=text: parser.parse(t)) for _ in range(3)) / len(text)
        base = base or took
        print(f"general parser, {lines:>4} lines          {took / base:5.2f} of the time a "
              f"character took at 125 ({1e6 * took:.1f} us a character)")  # fmt: skip


def tokenizing() -> None:
    """Longest match where each pattern is linear and the naive way is quadratic: /a/ and /a*b/."""
    table = TokenTable((), (
        TokenKind("letter", read_pattern("a"), "a"), TokenKind("word", read_pattern("a*b"), "a*b"),
    ))  # fmt: skip
    base = 0.0
    for length in (250_000, 500_000, 1_000_000):
        text = "a" * length
        took = min(timed(lambda t=text: table.cut(t)) for _ in range(3))
        base = base or took / length
        print(f"tokens of {length:>9,} characters   {took / length / base:5.2f} of the time a "
              f"character took at 250,000 ({1000 * took:.0f} ms)")  # fmt: skip


LOOPS = {
    "itself": "define loop(n: Number) -> Number\n  if n == 0 then 7 else loop(n - 1)\n",
    "each other": (
        "define loop(n: Number) -> Number\n  if n == 0 then 7 else other(n - 1)\n"
        "define other(n: Number) -> Number\n  if n == 0 then 8 else loop(n - 1)\n"
    ),
    "unknown functions": (
        "define loop(n: Number) -> Number\n  on(n, again)\n"
        "define again(n: Number, f: (Number) -> Number) -> Number\n"
        "  if n == 0 then 7 else f(n)\n"
        "define on(n: Number, g: (Number, (Number) -> Number) -> Number) -> Number\n"
        "  g(n, fn(m) => on(m - 1, g))\n"
    ),
}


def loops() -> None:
    """Ten million iterations through tail calls: time beside a Python loop, and memory."""
    count = 10_000_000
    language = (
        'language Loop\n  extension "loop"\ntokens\n  number /[0-9]+/ as Number\n'
        "forms Expr\n  Lit(n: Number)\ngrammar\n  start Expr\n  Expr ::= n:number makes Lit\n"
    )
    head = "interpreter run for Loop\nmain go\ndefine go(p: Expr) -> Number by p\n"

    def by_hand() -> int:
        n = count
        while n != 0:
            n = n - 1
        return n

    base = timed(by_hand)
    for kind, body in LOOPS.items():
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            (folder / "course.toml").write_text('title = "loops"\n')
            (folder / "loop.brix").write_text(language)
            (folder / "run.brix").write_text(f"{head}  Lit(n) => loop(n)\n{body}")
            lane = Session(folder).lane("Loop", "run")
            before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
            limits = Limits(calls=10 * count, depth=2_000)
            took = timed(lambda: lane.run(str(count), limits=limits, variant="plain"))  # noqa: B023
            more = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) / 1024
        print(f"10,000,000 tail calls, {kind:<18} ratio {took / base:5.1f} to a while loop in "
              f"Python ({took:.1f} s), {more:.0f} MB more")  # fmt: skip


def tables() -> None:
    """The time for parse tables, by number of rules (three sizes; no counterpart)."""
    for rules in (50, 100, 150):
        grammar = layered(rules)
        sets = sets_of(grammar)
        took = min(
            timed(lambda g=grammar, s=sets: build_tables(g, s, g.entry["R0"])) for _ in range(3)
        )
        print(f"tables of {rules:>4} rules               {1000 * took:8.1f} ms")


def layered(rules: int) -> Grammar:
    """A grammar of layers, each with two operators of its own and brackets at the end."""
    unit = Constructor("Unit", 20, "E", (), (), is_form=True)
    made: list[Rule] = []
    literals: dict[str, None] = {}
    for number in range(rules):
        signs = [f"o{number}", f"p{number}"]
        literals.update(dict.fromkeys(signs))
        below = Use(f"R{number + 1}") if number + 1 < rules else Quoted("x")
        rows = [(Item(Use(f"R{number}")), Item(Quoted(sign)), Item(below)) for sign in signs]
        rows.append((Item(below),))
        options = tuple(Alternative(row, fields_of(unit), Span(0, 0)) for row in rows)
        made.append(Rule(f"R{number}", "E", options, Span(0, 0)))
    tokens = TokenTable((*literals, "x"), ())
    return flatten(tokens, Signature((unit,)), "integer", ("R0",), made)


def main() -> None:
    """Everything, or only what is named: `closures`, `rill`, `searching`, `checking`, `suites`,
    `keeping`, `desk`, `growing`."""
    sys.setrecursionlimit(1_000_000)
    folder = Path(embrix.__file__).parent / "demo" / "lockside"
    parts = sys.argv[1:] or [
        "closures", "rill", "searching", "checking", "suites", "keeping", "desk", "growing",
        "all",
    ]  # fmt: skip
    if "desk" in parts:
        run_desk()
    if "growing" in parts:
        run_growing()
    if "checking" in parts:
        run_checking(folder)
    if "keeping" in parts:
        run_keeping(folder)
    if "suites" in parts:
        run_suites(folder)
    if "closures" in parts:
        run_closures(Session(folder))
    if "searching" in parts:
        run_searching(Session(folder))
    if "rill" in parts:
        run_rill(Session(folder))
    if "all" in parts:
        drip_and_parsers(folder)


def drip_and_parsers(folder: Path) -> None:
    course = load_course(folder)
    drip = course.languages["Drip"].grammar
    assert drip is not None
    parser = parser_of(drip)
    lane = Lane(course.interpreters["Drip"]["environment"], parser)
    signature = lane.interpreter.language.signature
    for count, depth in ((200, 6), (100, 8), (40, 10)):
        terms = programs(lane, count, depth)
        by_hand = [drip.from_node(signature, term) for term in terms]
        nodes = sum(map(size, terms))
        print(f"Drip environment, {count} programs of depth {depth}, {nodes:,} nodes")

        def theirs(trees: list[drip.Expr] = by_hand) -> None:
            for tree in trees:
                drip.evaluate(tree, None)

        def plain(programs: list[Node] = terms) -> None:
            for term in programs:
                lane.machine.run(term, variant="plain", limits=LIMITS)

        def evaluating(programs: list[Node] = terms) -> None:
            with lane.machine.evaluator(LIMITS) as evaluate:
                for term in programs:
                    evaluate(term)

        def counted(programs: list[Node] = terms) -> None:
            for term in programs:
                lane.machine.run(term, variant="counted", limits=LIMITS)

        def traced(programs: list[Node] = terms) -> None:
            for term in programs:
                recorder = WholeRecord(LIMITS.events)
                lane.machine.run(term, variant="traced", limits=LIMITS, recorder=recorder)

        compare("  evaluation alone", evaluating, theirs)
        compare("  plain, with outcome shown", plain, theirs)
        compare("  counted, with outcome shown", counted, theirs)
        compare("  traced, with outcome shown", traced, theirs)
    parsing(parser)
    weir_grammar = course.languages["Weir"].grammar
    assert weir_grammar is not None
    weir = parser_of(weir_grammar)
    parsing_long(weir)
    typing(course.folder)
    grammar = course.languages["Drip"].grammar
    assert grammar is not None
    general(EarleyParser(grammar))
    tokenizing()
    tables()
    loops()


if __name__ == "__main__":
    main()
