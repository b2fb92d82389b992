"""Which pictures there are, and what each is made of."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path

from msgspec import Struct, field

from embrix.brix.core import Interpreter
from embrix.checking.decisions import decision_table
from embrix.checking.verdicts import check_suite
from embrix.compare.growth import measured
from embrix.compare.range import Scale
from embrix.course.naming import split_version
from embrix.draw.charts import draw_bars, draw_growth
from embrix.draw.derivations import derivation_of, draw_derivation
from embrix.draw.environments import draw_environment
from embrix.draw.kinds import Kind
from embrix.draw.railroad import draw_grammar
from embrix.draw.rule_pictures import draw_rules
from embrix.draw.rules import inference_rules
from embrix.draw.rules_on_paper import rules_on_paper
from embrix.draw.runs import draw_reduction, draw_store, draw_suspensions
from embrix.draw.scene import Drawing
from embrix.draw.states import TooMany, draw_states
from embrix.draw.tables import TableRow, draw_decisions, draw_suite, draw_tokens
from embrix.draw.trees import (
    Tree,
    draw_gallery,
    draw_tree,
    draw_trees,
    mark_difference,
    tree_of_rows,
)
from embrix.grammar.examples import form_examples
from embrix.lanes.inspection import derivation, look, with_rest
from embrix.lanes.session import Session
from embrix.machine.lane import Lane
from embrix.machine.limits import LIVE, Limits
from embrix.messages.replies import Look, TreeRow
from embrix.suite.cases import COSTS, MAIN_COSTS
from embrix.text.diagnostic import Findings
from embrix.text.plural import counted
from embrix.trace.state_graph import states_of
from embrix.trace.walk import Walk

LIMITS = Limits(calls=400_000, depth=20_000, output=100_000, events=200_000)


class NoPicture(Exception):
    """There is nothing to draw; the message says why."""


class Wish(Struct, frozen=True):
    """What is to be drawn. `number` is a step, `deep` how many levels of a derivation are shown,
    `over` a name with the numbers that it stands for; `abstract` keeps the words of the definition
    in rules."""

    kind: Kind
    language: str
    text: str = ""
    lanes: tuple[str, ...] = ()
    given: Mapping[str, str] = field(default_factory=dict)
    input: tuple[str, ...] = ()
    rule: str | None = None
    number: int = 0
    deep: int | None = None
    over: tuple[str, Sequence[int]] = ("", ())
    cost: str = "calls"
    scale: Scale = "linear"
    only: tuple[str, ...] = ()
    abstract: bool = False


def picture(session: Session, wish: Wish) -> Drawing:
    """The drawing that is wished for. Raises `NoPicture`, `NoLane` and
    `BadBinding`."""
    title = f"{wish.language}: {wish.kind}"
    match wish.kind:
        case "tokens" | "tree" | "grammar-tree" | "trees":
            return _of_text(session, wish, title)
        case "gallery":
            return _gallery(session, wish)
        case "grammar":
            grammar = session.course.languages[wish.language].grammar
            if grammar is None:
                raise NoPicture(f"{wish.language} has no grammar that can be used")
            if wish.rule is not None and wish.rule not in grammar.entry:
                raise NoPicture(f"{wish.language} has no rule called {wish.rule}")
            return draw_grammar(grammar, title, wish.rule)
        case "rules":
            made = inference_rules if wish.abstract else rules_on_paper
            found = made(_interpreter(session, wish), wish.only)
            if not found:
                raise NoPicture(f"{wish.lanes[0]} has no function with a judgement")
            return draw_rules(found, f"{wish.language} {wish.lanes[0]}: rules")
        case "suite":
            return _suite(session, wish, title)
        case "decisions":
            return _decisions(session, wish, title)
        case "states":
            return _states(session, wish)
        case "costs":
            return _costs(session, wish, title)
        case "growth":
            cost = COSTS.get(wish.cost, wish.cost)
            tables, _ = measured(
                _lanes(session, wish), wish.text, wish.over[0], wish.over[1], [cost], wish.given,
                wish.input, LIVE,
            )  # fmt: skip
            return draw_growth(tables[cost], wish.over[0], wish.cost, title, wish.scale)
    return _of_run(_walk(session, wish), wish, title)


def _gallery(session: Session, wish: Wish) -> Drawing:
    grammar = session.course.languages[wish.language].grammar
    if grammar is None:
        raise NoPicture(f"{wish.language} has no grammar that can be used")
    trees = []
    for name, program in form_examples(grammar).items():
        tree = _tree(look(session, wish.language, program))
        if tree is not None:
            trees.append((name, program, tree))
    if not trees:
        raise NoPicture(f"no rule of {wish.language} makes a form")
    return draw_gallery(trees, f"{wish.language}: a program for each form")


def _interpreter(session: Session, wish: Wish) -> Interpreter:
    return session.lane(wish.language, wish.lanes[0]).interpreter


def _lanes(session: Session, wish: Wish) -> list[Lane]:
    return [session.runner(wish.language, name) for name in wish.lanes]


def _of_text(session: Session, wish: Wish, title: str) -> Drawing:
    found = look(session, wish.language, wish.text, wish.rule)
    refused = found.refused
    if wish.kind == "tokens":
        return draw_tokens(wish.text, found, title)
    if wish.kind == "trees":
        return _two_trees(session, wish, title)
    if refused is not None:
        raise NoPicture(f"the program cannot be read: {refused.text}")
    tree = (tree_of_rows(_derivation_rows(session, wish)) if wish.kind == "grammar-tree"
            else _tree(found))  # fmt: skip
    if tree is None:
        raise NoPicture("this text has no tree")
    return draw_tree(tree, title)


def _tree(found: Look) -> Tree | None:
    return tree_of_rows(with_rest(found.tree, found.cut))


def _derivation_rows(session: Session, wish: Wish) -> list[TreeRow]:
    found = derivation(session, wish.language, wish.text, wish.rule)
    rows = found[0] if found else []
    # A literal has no name but its text.
    return [
        TreeRow(row.depth, row.field, row.form or row.leaves, row.leaves if row.form else "")
        for row in rows
    ]


def _two_trees(session: Session, wish: Wish, title: str) -> Drawing:
    """Of an ambiguous text both readings; as two versions read a text, where lanes of two versions
    are named; else the rules that cover it and the term."""
    found = look(session, wish.language, wish.text, wish.rule)
    refused = found.refused
    if refused is not None and refused.trees:
        one, other = (tree_of_rows(rows) for rows in refused.trees)
        names = ("one reading", "another reading")
    elif len(wish.lanes) == 2 and any(split_version(lane)[1] for lane in wish.lanes):
        names = (wish.lanes[0], wish.lanes[1])
        one, other = (_tree_as(session, wish, lane) for lane in names)
    elif refused is not None:
        raise NoPicture(f"the program cannot be read: {refused.text}")
    else:
        one = _tree(found)
        other = tree_of_rows(_derivation_rows(session, wish))
        names = ("term", "rules")
    if one is None or other is None:
        raise NoPicture("this text has no tree")
    if names[0] != "term":
        mark_difference(one, other)
    return draw_trees([(names[0], one), (names[1], other)], title)


def _tree_as(session: Session, wish: Wish, lane: str) -> Tree | None:
    """The tree of a text as the version of a lane reads it."""
    version = split_version(lane)[1]
    own = session.version(version) if version else session
    found = look(own, wish.language, wish.text, wish.rule)
    if found.refused is not None:
        raise NoPicture(f"{lane} cannot read the program: {found.refused.text}")
    return _tree(found)


def _walk(session: Session, wish: Wish) -> Walk:
    lane = session.lane(wish.language, wish.lanes[0])
    traced = lane.trace(wish.text, wish.given, limits=LIMITS, given_input=wish.input)
    if traced.term is None:
        raise NoPicture(f"the program cannot be read: {traced.result.outcome.text}")
    return Walk(lane, traced)


def _of_run(walk: Walk, wish: Wish, title: str) -> Drawing:
    name = f"{wish.language} {walk.lane.name}: {wish.kind}"
    match wish.kind:
        case "steps":
            return draw_reduction(walk, name)
        case "environment":
            if not 0 <= wish.number < len(walk):
                raise NoPicture(f"the run has steps 0 to {len(walk) - 1:,}")
            return draw_environment(walk, wish.number, name)
        case "store":
            return draw_store(walk, name)
        case "suspensions":
            return draw_suspensions(walk, name)
    root = derivation_of(walk, walk.judgement_at(wish.number), wish.deep)
    if root is None:
        raise NoPicture("this run has no conclusions")
    return draw_derivation(root, name)


def _states(session: Session, wish: Wish) -> Drawing:
    lane = session.lane(wish.language, wish.lanes[0])
    explored = lane.explore(wish.text, wish.given, given_input=wish.input)
    if not explored.states:
        one = explored.outcomes[0].outcome if explored.outcomes else None
        if one is not None and one.kind in ("rejected", "ambiguous", "gave up"):
            raise NoPicture(f"the program cannot be read: {one.text}")
        if not lane.several:
            raise NoPicture(f"{lane.name} leaves no ways open: the program has one outcome")
        raise NoPicture("states are those between the steps that `main` repeats, and "
                        f"{lane.name} repeats none")  # fmt: skip
    if not explored.whole:
        raise NoPicture(f"there are more than {counted(len(explored.states) - 1, 'state')}")
    try:
        return draw_states(
            explored, states_of(lane, explored), f"{wish.language} {lane.name}: states"
        )
    except TooMany as many:
        raise NoPicture(str(many)) from many


def _costs(session: Session, wish: Wish, title: str) -> Drawing:
    costs: dict[str, Mapping[str, int]] = {}
    for lane in _lanes(session, wish):
        result = lane.run(wish.text, wish.given, limits=LIVE, given_input=wish.input)
        costs[lane.name] = result.costs
    return draw_bars(costs, MAIN_COSTS, title)


def _suite(session: Session, wish: Wish, title: str) -> Drawing:
    for path in session.course.suites:
        suite = session.suite(path, Findings())
        if suite is not None and suite.language == wish.language:
            report = check_suite(session, Path(path), wanted=wish.lanes)
            return draw_suite(report, title)
    raise NoPicture(f"there is no suite for {wish.language}")


def _decisions(session: Session, wish: Wish, title: str) -> Drawing:
    """Questions with the answers of all lanes, then choices with the way of each lane."""
    found = decision_table(session, wish.language)
    table = [
        TableRow(row.name, {one.lane: one.label or one.result for one in row.answers})
        for row in found.questions
    ]
    table += [TableRow(f"{row.name}: {row.question}", row.lanes) for row in found.choices]
    if not table:
        raise NoPicture(f"no suite of {wish.language} asks a question, and nothing is to choose")
    return draw_decisions(table, title)
