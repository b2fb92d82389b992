"""Grammars on the command line, and how they read a text."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path
from typing import Any

from embrix.cli.choice import choose_grammar, course_with, text_of
from embrix.cli.status import FAULTY, NEGATIVE, OK, REJECTED
from embrix.cli.streams import print_answer, tell_others
from embrix.cli.usage import Faulty, Usage, course_folder
from embrix.course.changes import touched, touched_text
from embrix.grammar.corner_cases import as_cases, decisions
from embrix.grammar.difference import Comparison, compare_grammars, comparison_text
from embrix.grammar.ebnf import export
from embrix.grammar.lr import parser_of
from embrix.grammar.lr_tables import items_text, sets_text
from embrix.grammar.model import Grammar
from embrix.grammar.parser import Parsed
from embrix.grammar.printing import Printer
from embrix.grammar.report import Report, report_on, report_text
from embrix.grammar.steps import ParseStep, descent, shift_reduce
from embrix.lanes.inspection import branch_of, derivation, look, with_rest
from embrix.lanes.session import Session
from embrix.messages.replies import Look, MistakeAt, Refusal
from embrix.services.sketch import how_far
from embrix.text.diagnostic import excerpt
from embrix.text.source import Source, Span
from embrix.text.suggest import did_you_mean
from embrix.text.visible import visible


def grammar(arguments: argparse.Namespace) -> int:
    """Print what kind of grammar each language has, with reasons and examples."""
    session = Session(course_folder(arguments.course))
    languages = session.course.languages
    if arguments.language is not None and arguments.language not in languages:
        hint = did_you_mean(arguments.language, languages, "there are: " + ", ".join(languages))
        raise Usage(f"the course has no language called {arguments.language}; {hint}")
    status = OK
    answers: list[dict[str, Any]] = []
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
        answer, lines, own = _report(session, name, target, arguments)
        status = max(status, own)
        answers.append({"language": name, **answer})
        if not arguments.json:
            print("\n".join(lines))
    if arguments.json:
        print_answer("grammar", answers)
    return status


def _report(
    session: Session, name: str, target: Grammar, arguments: argparse.Namespace
) -> tuple[dict[str, Any], list[str], int]:
    """What is asked of a grammar: as data, as lines of text, and the status."""
    if arguments.against is not None:
        return _against(session, name, target, arguments)
    if arguments.decisions or arguments.cases:
        found = decisions(target, parser_of(target), arguments.rule)
        if arguments.cases:
            lines = as_cases(name, found)
            return {"cases": "\n".join(lines)}, lines, OK
        lines = [f"{d.answer:<9} {d.question}:  {d.shown}" for d in found]
        rows = [
            {"question": d.question, "text": d.text, "shown": d.shown, "answer": d.answer}
            for d in found
        ]
        return {"decisions": rows}, lines, OK
    if arguments.ebnf is not None:
        lines = export(target, arguments.ebnf, arguments.rule)
        return {"ebnf": "\n".join(lines)}, lines, OK
    kinds: list[dict[str, Any]] = []
    lines = []
    status = OK
    for rule in [arguments.rule] if arguments.rule else target.starts:
        report = report_on(target, rule, arguments.length)
        kind = _kind(report)
        lines.append(f"{name}, " + "\n".join(report_text(report)))
        status = max(status, NEGATIVE if report.ambiguity else OK)
        if arguments.sets:
            kind["sets"] = sets_text(target, rule)
            lines += kind["sets"]
        if arguments.items:
            kind["items"] = items_text(target, rule)
            lines += kind["items"]
        kinds.append(kind)
    return {"from_rules": kinds}, lines, status


def _kind(report: Report) -> dict[str, Any]:
    """A report as data."""
    found: dict[str, Any] = {
        "rule": report.rule, "nonterminals": report.productions, "states": report.states,
        "against_ll1": list(report.ll1), "lalr1": report.lalr1, "lr1": report.lr1,
        "conflicts": [
            {"read": one.read, "next": one.next, "ways": list(one.choices)}
            for one in report.conflicts
        ],
        "searched_length": report.search.length, "searched_sentences": report.search.tried,
    }  # fmt: skip
    if report.ambiguity:
        sentence, first, second, where = report.ambiguity
        found["ambiguity"] = {"sentence": sentence, "trees": [first, second], "parting": where}
    return found


def _against(
    session: Session, name: str, grammar: Grammar, arguments: argparse.Namespace
) -> tuple[dict[str, Any], list[str], int]:
    """A grammar compared with another one on short sentences."""
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
    first, *others = comparison_text(comparison)
    return (
        {"against": _comparison(comparison, other, reached)},
        [f"{name} against {other}: {first}", *others, *reached],
        NEGATIVE if comparison.differences else OK,
    )


def _comparison(comparison: Comparison, other: str, reached: list[str]) -> dict[str, Any]:
    rows = [
        {"kind": d.kind, "sentence": d.sentence, "first": d.first, "second": d.second}
        for d in comparison.differences
    ]
    return {
        "other": other, "length": comparison.length, "tried": comparison.tried,
        "further": comparison.further, "differences": rows, "touched": reached,
    }  # fmt: skip


# ---------------------------------------------------------------------- texts


def parse(arguments: argparse.Namespace) -> int:
    """Print the tree of a text, its tokens, or how it is read step by step."""
    session, language, source = text_of(arguments)
    target = session.course.languages[language].grammar
    if target is None and not arguments.tokens:
        if session.course.has_errors:
            raise Faulty(f"{language} has no grammar that can be used; see embrix check")
        raise Usage(f"{language} has no grammar: only --tokens can be asked for")
    rule = arguments.rule
    if target is not None and rule is not None and rule not in target.entry:
        known = "there are: " + ", ".join(target.entry)
        raise Usage(
            f"{language} has no rule called {rule}; {did_you_mean(rule, target.entry, known)}"
        )
    found = look(session, language, source.text, rule)
    refused = found.refused
    if arguments.tokens and target is None and refused is not None and refused.name != "tokens":
        refused = None  # nothing else was asked for, and nothing else can be said
    answer: dict[str, Any] = {
        "language": language, "tokens": _tokens(found, source),
        "tree": [branch_of(row) for row in found.tree], "more_rows": found.cut,
    }  # fmt: skip
    lines: list[str] = []
    if arguments.tokens:
        lines = [_token_line(token) for token in answer["tokens"]]
    elif target is not None and (arguments.back or arguments.brackets):
        parsed = parser_of(target).parse(source.text, rule)
        if isinstance(parsed, Parsed):
            printer = Printer(target, bracketed=arguments.brackets)
            shown = printer.show(parsed.term, rule, width=max(8, arguments.width)).text
            answer["text"], lines = shown, [shown]
    elif arguments.derivation:
        trees = derivation(session, language, source.text, rule)
        answer["derivations"] = [
            [{"depth": row.depth, "name": row.form, "text": row.leaves,
              "place": [row.start, row.end]} for row in rows]
            for rows in trees
        ]  # fmt: skip
        lines = [
            "  " * row.depth + (visible(row.leaves) or row.form) for rows in trees for row in rows
        ]
    elif target is not None and (arguments.shifts or arguments.descent):
        steps = _steps(target, language, source.text, arguments)
        answer["steps"] = [{"stack": s.stack, "rest": s.rest, "action": s.action} for s in steps]
        lines = [f"{s.stack or '(empty)'}  ·  {s.rest or '(end)'}\n    {s.action}" for s in steps]
    else:
        trees = refused.trees if refused is not None and refused.trees else [
            with_rest(found.tree, found.cut)
        ]  # fmt: skip
        for number, rows in enumerate(trees):
            lines += ["or"] * (number > 0)
            lines += [
                "  " * row.depth + " ".join(filter(None, (row.field, row.form, row.leaves)))
                for row in rows
            ]
    if arguments.json:
        rejection = {"rejection": _rejection(refused, source)} if refused is not None else {}
        print_answer("parse", {**answer, **rejection})
    else:
        print("\n".join(lines) + "\n" * bool(lines), end="")
        if refused is not None:
            sys.stdout.flush()
            tell_refusal(refused, source)
            for row, begun, why in refused.reading:
                print(f"  tried {row}  (from {begun}): {why}", file=sys.stderr)
            tell_others(refused, source)
    return OK if refused is None else REJECTED


def _steps(
    target: Grammar, language: str, text: str, arguments: argparse.Namespace
) -> list[ParseStep]:
    steps = (descent if arguments.descent else shift_reduce)(target, text, arguments.rule)
    if steps is None:
        raise Usage(f"{language} is not LL(1); embrix grammar says why")
    return steps


def tell_refusal(refused: Refusal, source: Source) -> None:
    """Why a program is rejected, with its place, on standard error."""
    print(f"{refused.kind}: {visible(refused.text)}", file=sys.stderr)
    if refused.place is not None:
        rows = excerpt(source, Span(*refused.place))
        print("\n".join("  " + row for row in rows), file=sys.stderr)


def _rejection(refused: Refusal, source: Source) -> dict[str, Any]:
    start, end = refused.place or (0, 0)
    mistakes = refused.mistakes or [MistakeAt(refused.text, start, end)]
    found: dict[str, Any] = {
        "by": refused.name or refused.kind, "message": refused.text, "mistakes": [],
    }  # fmt: skip
    for one in mistakes:
        line, column = source.position(one.start)
        found["mistakes"].append(
            {"message": one.message, "place": [one.start, one.end], "line": line, "column": column}
        )
    if refused.trees:
        found["trees"] = [[branch_of(row) for row in tree] for tree in refused.trees]
    if refused.reading:
        found["reading"] = [f"{row}  (from {at}): {why}" for row, at, why in refused.reading]
    return found


def _tokens(found: Look, source: Source) -> list[dict[str, Any]]:
    rows = []
    for start, end, kind in found.tokens:
        line, column = source.position(start)
        value = found.values.get(str(start), "")
        rows.append({
            "place": [start, end], "line": line, "column": column, "kind": kind,
            "text": source.text[start:end], **({"value": value} if value else {}),
        })  # fmt: skip
    return rows


def _token_line(token: dict[str, Any]) -> str:
    text = f"   = {visible(token['value'])}" if "value" in token else ""
    place = f"{token['line']}:{token['column']:<4}"
    return f"{place} {token['kind']:<10} {visible(token['text'])}{text}"


def sketch(arguments: argparse.Namespace) -> int:
    """Print how far a program gets: tokens, tree, values, the first obstacle."""
    session, language, source = text_of(arguments)
    lanes = session.lanes(language)
    stages = how_far(session.course, language, lanes, session.parser(language), source.text)
    if arguments.json:
        print_answer("sketch", [{"stage": stage, "text": text} for stage, text in stages])
    else:
        width = max(len(stage) for stage, _ in stages)
        for stage, text in stages:
            print(f"{stage:<{width}}  {text}")
    return int(any(stage == "obstacle" for stage, _ in stages))
