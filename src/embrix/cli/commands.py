"""What each command does."""

from __future__ import annotations

import argparse
import json
import sys
import textwrap
from pathlib import Path
from typing import Any

from embrix.cli.choice import Chosen, choose_grammar, chosen, course_with, lanes_of, text_of
from embrix.cli.repl import converse
from embrix.cli.status import FAULTY, OK, REJECTED, UNREAD, status_of
from embrix.cli.usage import Faulty, Usage, course_folder
from embrix.course.changes import touched, touched_text
from embrix.grammar.decisions import as_cases, decisions
from embrix.grammar.difference import compare_grammars, comparison_text
from embrix.grammar.ebnf import export
from embrix.grammar.lr import parser_of
from embrix.grammar.model import Grammar
from embrix.grammar.parser import Parsed
from embrix.grammar.printing import Printer
from embrix.grammar.report import report_on, report_text
from embrix.grammar.steps import descent, shift_reduce
from embrix.grammar.tables import items_text, sets_text
from embrix.machine.lane import BadBinding, Lane
from embrix.machine.outcome import Outcome, Result
from embrix.runs.prompt import Prompt
from embrix.runs.session import Session, ending, result_data
from embrix.runs.sketch import how_far
from embrix.text.codes import CODES
from embrix.text.diagnostic import excerpt, render
from embrix.text.plural import counted
from embrix.text.source import Source, Span
from embrix.text.suggest import did_you_mean
from embrix.text.visible import cut, visible
from embrix.trace.walk import Walk, walkable


def check(arguments: argparse.Namespace) -> int:
    """Print everything there is to say about a course."""
    session = Session(course_folder(arguments.course))
    findings = session.diagnostics()
    if arguments.json:
        print(json.dumps([finding.as_data() for finding in findings], indent=2))
    else:
        for finding in findings:
            print(render(finding), end="\n\n")
        for text, report in {report.law.text: report for report in session.laws}.items():
            if report.untried:
                print(f"{text}\n    not tried: {report.untried}")
            elif report.counterexample is None:
                print(f"{text}\n    true for {report.tried} generated examples, "
                      f"seed {report.seed}")  # fmt: skip
        for name in session.course.languages:
            for lane in session.lanes(name):
                if not walkable(lane.interpreter):
                    print(f"{name}: {lane.name} has no `judgement` line: its runs have no steps, "
                          "and what goes wrong silently is not looked for")  # fmt: skip
        print(_census(session, findings))
    return FAULTY if any(finding.severity == "error" for finding in findings) else OK


def _census(session: Session, findings: list[Any]) -> str:
    course = session.course
    parts = []
    for name in course.languages:
        lanes = [*course.interpreters.get(name, {}), *course.broken.get(name, ())]
        parts.append(f"{name} with {', '.join(lanes) or 'no interpreter'}")
    errors = sum(finding.severity == "error" for finding in findings)
    warnings = len(findings) - errors
    told = f"{counted(errors, 'error')}, {counted(warnings, 'warning')}"
    told = told if findings else "nothing to report"
    return f"{course.title}: {'; '.join(parts) or 'no languages'}. {told}"


# ---------------------------------------------------------------------- programs


def run(arguments: argparse.Namespace) -> int:
    """Run a program on the lanes asked for."""
    work = chosen(arguments)
    results = [(lane, _result(work, lane)) for lane in work.lanes]
    if arguments.json:
        answers = [{"interpreter": lane.name, **_data(work, result)} for lane, result in results]
        print(json.dumps(answers[0] if len(answers) == 1 else answers, indent=2))
    else:
        told: set[str] = set()
        for lane, result in results:
            unread = result.outcome.kind in UNREAD
            if unread and result.outcome.sentence in told:
                continue  # a program is refused once, not once for each lane
            told.add(result.outcome.sentence)
            label = lane.name if len(results) > 1 and not unread else ""
            _print_result(work, result, label)
    return status_of([result.outcome.kind for _, result in results])


def _result(work: Chosen, lane: Lane) -> Result:
    try:
        return lane.run(work.source.text, work.given, limits=work.limits, given_input=work.input)
    except BadBinding as bad:
        raise Usage(f"--bind {bad}") from bad


def _data(work: Chosen, result: Result) -> dict[str, Any]:
    data = result_data(result)
    outcome: dict[str, Any] = data["outcome"]
    if result.outcome.place is not None:
        line, column = work.source.position(result.outcome.place[0])
        outcome["line"], outcome["column"] = line, column
    state = {"state": list(result.state)} if result.state else {}
    return {"outcome": outcome, "output": data["output"], "costs": data["costs"], **state}


def _print_result(work: Chosen, result: Result, label: str) -> None:
    """What a program writes and gives goes to standard output, all else to standard error."""
    lead = f"{label}: " if label else ""
    for piece in result.output:
        sys.stdout.write(visible(piece, keep="\n"))
    if result.output and not result.output[-1].endswith("\n"):
        print()
    outcome = result.outcome
    silent = outcome.kind == "value" and outcome.text == "()"
    stream = sys.stdout if outcome.kind == "value" and not silent else sys.stderr
    sys.stdout.flush()
    print(lead + visible(ending(result)), file=stream)
    if result.state:
        print(f"  state: {visible(cut(', '.join(result.state), 200))}", file=stream)
    for line in _where(work, outcome):
        print(line, file=stream)
    stream.flush()


def _where(work: Chosen, outcome: Outcome) -> list[str]:
    """The place of an outcome in the program, with its line."""
    if outcome.place is None:
        return []
    span = Span(*outcome.place)
    line, column = work.source.position(span.start)
    rows = [f"  at {work.source.name}:{line}:{column}"]
    return rows + ["  " + row for row in excerpt(work.source, span)]


def steps(arguments: argparse.Namespace) -> int:
    """Print the reduction sequence, or the judgements in order of conclusion."""
    work = chosen(arguments)
    kinds: list[str] = []
    answers: list[dict[str, Any]] = []
    for lane in work.lanes:
        try:
            traced = lane.trace(
                work.source.text, work.given, limits=work.limits, given_input=work.input
            )
        except BadBinding as bad:
            raise Usage(f"--bind {bad}") from bad
        outcome = traced.result.outcome
        kinds.append(outcome.kind)
        walk = Walk(lane, traced)
        if not walk.count_lines() and outcome.kind not in UNREAD and not walkable(lane.interpreter):
            print(f"embrix: {lane.name} has no `judgement` line and no `final` line, so there are "
                  "no steps to print", file=sys.stderr)  # fmt: skip
        if arguments.json:
            data = _data(work, traced.result)
            answers.append(
                {"interpreter": lane.name, "steps": walk.lines(), "outcome": data["outcome"]}
            )
            continue
        if len(work.lanes) > 1:
            print(f"— {lane.name}")
        for line in walk.each_line():
            print(visible(line))
        if outcome.kind != "value":
            sys.stdout.flush()
            print(visible(outcome.sentence), file=sys.stderr)
            print("\n".join(_where(work, outcome)), file=sys.stderr)
            if outcome.kind in UNREAD:
                break  # all lanes read it alike
    if arguments.json:
        print(json.dumps(answers[0] if len(answers) == 1 else answers, indent=2))
    return status_of(kinds)


# ---------------------------------------------------------------------- grammars


def grammar(arguments: argparse.Namespace) -> int:
    """Print what kind of grammar each language has, with reasons and examples."""
    session = Session(course_folder(arguments.course))
    languages = session.course.languages
    if arguments.language is not None and arguments.language not in languages:
        hint = did_you_mean(arguments.language, languages, "there are: " + ", ".join(languages))
        raise Usage(f"the course has no language called {arguments.language}; {hint}")
    status = 0
    for name in [arguments.language] if arguments.language else list(languages):
        choose_grammar(session, name, arguments.grammar)
        target = languages[name].grammar
        if target is None:
            print(f"{name} has no grammar that can be used; see embrix check", file=sys.stderr)
            status = FAULTY
            continue
        if arguments.rule is not None and arguments.rule not in target.entry:
            hint = did_you_mean(
                arguments.rule, target.entry, "there are: " + ", ".join(target.entry)
            )
            raise Usage(f"{name} has no rule called {arguments.rule}; {hint}")
        if not 0 <= arguments.length <= 40:
            raise Usage("--length must be between 0 and 40")
        if arguments.against is not None:
            status = max(status, _against(session, name, target, arguments))
            continue
        if arguments.decisions or arguments.cases:
            found = decisions(target, parser_of(target), arguments.rule)
            rows = as_cases(name, found) if arguments.cases else [
                f"{d.answer:<9} {d.question}:  {d.shown}" for d in found
            ]  # fmt: skip
            print("\n".join(rows))
            continue
        if arguments.ebnf is not None:
            print("\n".join(export(target, arguments.ebnf, arguments.rule)))
            continue
        for rule in [arguments.rule] if arguments.rule else target.starts:
            report = report_on(target, rule, arguments.length)
            print(f"{name}, " + "\n".join(report_text(report)))
            status = max(status, int(bool(report.ambiguity)))
            if arguments.sets:
                print("\n".join(sets_text(target, rule)))
            if arguments.items:
                print("\n".join(items_text(target, rule)))
    return status


def _against(session: Session, name: str, grammar: Grammar, arguments: argparse.Namespace) -> int:
    """Compare a grammar with another one on short sentences."""
    languages, other = session.course.languages, arguments.against
    mine = (grammar, parser_of(grammar), arguments.rule or grammar.starts[0])
    reached: list[str] = []
    if other in grammar.entry:
        theirs = (grammar, mine[1], other)
    else:
        if other in languages:
            target: Grammar | None = languages[other].grammar
        elif other in languages[name].grammars:
            target = languages[name].grammars[other]
        else:
            changed = course_with(session, name, Path(other))
            target = changed.languages[name].grammar
            reached = touched_text(touched(session.course, changed, name))
        if target is None:
            raise Usage(f"{other} has no grammar that can be used; see embrix check")
        theirs = (target, parser_of(target), target.starts[0])
    comparison = compare_grammars(mine, theirs, min(arguments.length, 12))
    print(f"{name} against {other}: " + "\n".join([*comparison_text(comparison), *reached]))
    return int(bool(comparison.differences))


def parse(arguments: argparse.Namespace) -> int:
    """Print the tree of a text, its tokens, or how it is read step by step."""
    session, language, source = text_of(arguments)
    target = session.course.languages[language].grammar
    if target is None and not arguments.tokens:
        if session.course.has_errors:
            raise Faulty(f"{language} has no grammar that can be used; see embrix check")
        raise Usage(f"{language} has no grammar: only --tokens can be asked for")
    if target is None:
        return _tokens(session.look(language, source.text), source, refused=False)
    rule = arguments.rule
    if rule is not None and rule not in target.entry:
        known = "there are: " + ", ".join(target.entry)
        raise Usage(
            f"{language} has no rule called {rule}; {did_you_mean(rule, target.entry, known)}"
        )
    look = session.look(language, source.text, rule)
    refused = look["refused"]
    if arguments.back:
        parsed = parser_of(target).parse(source.text, rule)
        if isinstance(parsed, Parsed):
            print(Printer(target).show(parsed.term, rule, width=max(8, arguments.width)).text)
    elif arguments.derivation:
        for tree in session.derivation(language, source.text, rule):
            for depth, _, name, piece, _, _ in tree["rows"]:
                print("  " * depth + (visible(piece) or name))
    elif arguments.tokens:
        _tokens(look, source, refused=refused is not None)
    elif arguments.shifts or arguments.descent:
        steps = (descent if arguments.descent else shift_reduce)(target, source.text, rule)
        if steps is None:
            raise Usage(f"{language} is not LL(1); embrix grammar says why")
        for step in steps:
            print(f"{step.stack or '(empty)'}  ·  {step.rest or '(end)'}\n    {step.action}")
    for depth, field, form, leaves, _, _ in look["tree"]:
        if not _another_view(arguments):
            print("  " * depth + " ".join(part for part in (field, form, leaves) if part))
    if refused is not None:
        sys.stdout.flush()
        tell_refusal(refused, source)
        for row, begun, why in refused.get("reading", ()):
            print(f"  tried {row}  (from {begun}): {why}", file=sys.stderr)
    return OK if refused is None else REJECTED


def tell_refusal(refused: dict[str, Any], source: Source) -> None:
    """Why a program is rejected, with its place, on standard error."""
    print(f"{refused['kind']}: {visible(refused['text'])}", file=sys.stderr)
    if "place" in refused:
        rows = excerpt(source, Span(*refused["place"]))
        print("\n".join("  " + row for row in rows), file=sys.stderr)


def _tokens(look: dict[str, Any], source: Source, *, refused: bool) -> int:
    for start, end, kind in look["tokens"]:
        line, column = source.position(start)
        value = look.get("values", {}).get(str(start), "")
        told = f"   = {visible(value)}" if value else ""
        print(f"{line}:{column:<4} {kind:<10} {visible(source.text[start:end])}{told}")
    return REJECTED if refused else OK


def _another_view(arguments: argparse.Namespace) -> bool:
    views = ("tokens", "shifts", "descent", "derivation", "back")
    return any(getattr(arguments, view) for view in views)


def sketch(arguments: argparse.Namespace) -> int:
    """Print how far a program gets: tokens, tree, values, the first obstacle."""
    session, language, source = text_of(arguments)
    lanes = session.lanes(language)
    stages = how_far(session.course, language, lanes, session.parser(language), source.text)
    width = max(len(stage) for stage, _ in stages)
    for stage, told in stages:
        print(f"{stage:<{width}}  {told}")
    return int(any(stage == "obstacle" for stage, _ in stages))


def repl(arguments: argparse.Namespace) -> int:
    """A prompt; what is typed at a terminal can be edited and is remembered for the session."""
    session, language, lanes = lanes_of(arguments)
    if sys.stdin.isatty():
        import readline  # noqa: F401  (gives input() its line editing)

        print(f"{language}: an entry is a program; ? lists what can be asked, ?quit leaves")
        converse(Prompt(session, language, lanes, print), input)
    else:
        converse(Prompt(session, language, lanes, print), lambda _: input())
    return 0


def explain(arguments: argparse.Namespace) -> int:
    """Print what codes mean."""
    code = arguments.code
    if code is None:
        for name, text in sorted(CODES.items()):
            print(textwrap.fill(f"{name}: {text}", 96, subsequent_indent="    "))
        return 0
    if code not in CODES:
        raise Usage(f"there is no code {code}; {did_you_mean(code, CODES)}".rstrip("; "))
    print(textwrap.fill(CODES[code], 96))
    return 0
