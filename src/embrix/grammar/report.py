"""What kind of grammar this is, and why: LL(1), LALR(1), LR(1), ambiguous, with examples."""

from __future__ import annotations

from msgspec import Struct

from embrix.grammar.ambiguity import Search, search_ambiguity
from embrix.grammar.canonical import is_lr1
from embrix.grammar.lr_tables import (
    START,
    Conflict,
    Tables,
    build_tables,
    name_of,
    production_text,
    reached,
)
from embrix.grammar.model import Grammar
from embrix.grammar.predictive import against_ll1
from embrix.grammar.sentences import (
    DerivationTree,
    bracketed,
    part_at,
    sentence_text,
    shortest,
    terminal_text,
    yields,
)
from embrix.grammar.sets import Sets, sets_of
from embrix.grammar.sketched import sketched
from embrix.text.plural import counted
from embrix.text.source import Span


class Story(Struct, frozen=True):
    """A conflict shown by an example: what has been read, what comes next, what could be meant."""

    read: str
    next: str
    choices: tuple[str, ...]
    origin: Span
    """The place in the definition of the alternative that might end."""


class Report(Struct, frozen=True):
    """The verdicts on a grammar from one rule. `lr1` is None when it was not decided. `ll1` lists
    the reasons against; none means that the grammar is LL(1)."""

    rule: str
    productions: int
    states: int
    ll1: tuple[str, ...]
    lalr1: bool
    lr1: bool | None
    conflicts: tuple[Story, ...]
    search: Search
    ambiguity: tuple[str, ...]
    """The ambiguous sentence, its two trees, and where they part; empty without one."""


def report_on(grammar: Grammar, rule: str | None = None, length: int = 9) -> Report:
    """Look at a grammar from a rule (default: its first start rule), as far as it is written:
    alternatives need not make a form yet."""
    grammar = sketched(grammar)
    name = rule or grammar.starts[0]
    start = grammar.entry[name]
    sets = sets_of(grammar)
    tables = build_tables(grammar, sets, start)
    stories = tuple(_story(grammar, tables, conflict) for conflict in tables.conflicts)
    lr1 = True if not tables.conflicts else is_lr1(grammar, sets, start)
    search = search_ambiguity(grammar, sets, start, length if not lr1 else 0)
    if not lr1 and search.found is None:
        around = _around_conflicts(grammar, sets, start, length)
        if around.found is not None:
            search = around
    return Report(
        name, len(reached(grammar, start)), len(tables.kernels),
        against_ll1(grammar, start), not tables.conflicts, lr1, stories, search,
        _two_trees(grammar, search),
    )  # fmt: skip


def _around_conflicts(grammar: Grammar, sets: Sets, start: int, length: int) -> Search:
    """A search that goes further: parts that are unambiguous by themselves are not varied."""
    best = shortest(grammar)
    settled = {
        left: best[left]
        for left in reached(grammar, start)
        if left != start
        and left in best
        and best[left]
        and not build_tables(grammar, sets, left).conflicts
    }
    return search_ambiguity(grammar, sets, start, length + 4, settled=settled)


def _story(grammar: Grammar, tables: Tables, conflict: Conflict) -> Story:
    symbols: list[int] = []
    state = conflict.state
    while state > 0:
        state, symbol = tables.back[state]
        symbols.append(symbol)
    best = shortest(grammar)
    read: tuple[int, ...] = ()
    for symbol in reversed(symbols):
        read += best.get(symbol, ()) if symbol < 0 else (symbol,)
    choices: list[str] = []
    if conflict.shifts:
        going = [
            production_text(grammar, grammar.productions[number], dot, levels=False)
            for number, dot in sorted(tables.kernels[conflict.state])
            if number != START
            and dot < len(grammar.productions[number].right)
            and _may_read(grammar, grammar.productions[number].right[dot], conflict.terminal)
        ]
        into = (
            going[0]
            if going
            else f"a part that begins with {name_of(grammar, conflict.terminal, levels=False)}"
        )
        choices.append(f"read on: {into}")
    for number in conflict.reduces:
        if number == START:
            choices.append("end here: the whole text has been read")
        else:
            choices.append(
                f"end here: {production_text(grammar, grammar.productions[number], levels=False)}"
            )
    shown = sentence_text(grammar, read)
    ending = next((number for number in conflict.reduces if number != START), None)
    origin = grammar.productions[ending].origin if ending is not None else Span(0, 0)
    return Story(shown, terminal_text(grammar, conflict.terminal), tuple(choices), origin)


def _may_read(grammar: Grammar, symbol: int, terminal: int) -> bool:
    return sets_of(grammar).may_begin(symbol, terminal)


def _two_trees(grammar: Grammar, search: Search) -> tuple[str, ...]:
    found = search.found
    if found is None:
        return ()
    first, second = bracketed(grammar, found.first), bracketed(grammar, found.second)
    a, b = part_at(grammar, found.first, found.second)
    if first == second:
        # Nothing visible differs: only the rules tell the trees apart.
        first = bracketed(grammar, found.first, named=True)
        second = bracketed(grammar, found.second, named=True)
    where = f"they part at {sentence_text(grammar, yields(a))}: {_difference(grammar, a, b)}"
    return sentence_text(grammar, found.sentence), first, second, where


def _difference(grammar: Grammar, a: DerivationTree, b: DerivationTree) -> str:
    """How two derivations of one text differ at their top."""
    if a.production is not b.production:
        one, other = (production_text(grammar, d.production, levels=False) for d in (a, b))
        return f"{one} against {other}" if one != other else f"two alternatives are {one}"
    for x, y in zip(a.parts, b.parts, strict=True):
        if (
            isinstance(x, DerivationTree)
            and isinstance(y, DerivationTree)
            and yields(x) != yields(y)
        ):
            name = name_of(grammar, x.production.left, levels=False)
            one, other = (sentence_text(grammar, yields(d)) for d in (x, y))
            return f"{name} takes in {one}, or {other}"
    return production_text(grammar, a.production, levels=False)


def report_text(report: Report) -> list[str]:
    """A report as lines of text."""
    search = report.search
    size = f"{counted(report.productions, 'nonterminal')}, {counted(report.states, 'state')}"
    lines = [f"from {report.rule}: {size}"]
    yes_no = {True: "yes", False: "no", None: "not decided within its bound"}
    lines.append(f"  LL(1)      {yes_no[not report.ll1]}")
    lines += [f"               {reason}" for reason in report.ll1[:5]]
    if len(report.ll1) > 5:
        lines.append(f"               and {len(report.ll1) - 5} more reasons")
    lines.append(f"  LALR(1)    {yes_no[report.lalr1]}")
    lines.append(f"  LR(1)      {yes_no[report.lr1]}")
    if report.ambiguity:
        sentence, first, second, where = report.ambiguity
        lines += [
            f"  ambiguous  yes: {sentence}",
            f"               {first}",
            f"               {second}",
            f"               {where}",
        ]
    elif report.lr1:
        lines.append("  ambiguous  no: a grammar that is LR(1) never is")
    else:
        lines.append(
            f"  ambiguous  none found up to length {search.length} ({search.tried:,} sentences)"
        )
    if report.conflicts and report.lr1:
        lines.append("  these conflicts come from merging states (LALR); LR(1) has none of them:")
    for number, story in enumerate(report.conflicts, 1):
        lines.append(f"  conflict {number}: after  {story.read}  with  {story.next}  next")
        lines += [f"               {choice}" for choice in story.choices]
    return lines
