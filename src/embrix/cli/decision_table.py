"""Decisions on the command line: the questions of the suites and the choices of the definitions,
and what a definition says otherwise than another."""

from __future__ import annotations

import argparse
import textwrap
from typing import Any

import msgspec

from embrix.checking.decisions import NoDecision, changed_by, decision_table
from embrix.cli.streams import print_answer
from embrix.cli.usage import Usage, course_folder
from embrix.compare.meaning import between_interpreters, between_languages, describe_changes
from embrix.course.naming import plain_name, split_version
from embrix.lanes.names import NoVersion
from embrix.lanes.session import Session
from embrix.messages.replies_on_suites import ChangedCase, ChoiceRow, QuestionRow
from embrix.text.suggest import did_you_mean
from embrix.text.visible import cut, visible


def questions(arguments: argparse.Namespace) -> int:
    """Print the questions of the suites with the answers of all lanes, and the choices; or the
    cases that change when a choice is decided otherwise."""
    session = Session(course_folder(arguments.course, about=True))
    known = session.course.languages
    if arguments.language is not None and arguments.language not in known:
        raise Usage(f"there is no language {arguments.language}; "
                    f"{did_you_mean(arguments.language, known)}".rstrip("; "))  # fmt: skip
    languages = [arguments.language] if arguments.language else list(known)
    if arguments.decision is not None:
        return _changes(session, languages, arguments)
    tables = {language: decision_table(session, language) for language in languages}
    if arguments.json:
        print_answer("questions", msgspec.to_builtins(tables))
        return 0
    some = False
    for language, table in tables.items():
        for question in table.questions:
            some = True
            _print_question(question)
        for choice in table.choices:
            some = True
            _print_choice(language, choice)
    if not some:
        print("no suite asks a question: see docs/suites.md")
    return 0


def _print_question(question: QuestionRow) -> None:
    print(question.name)
    print(textwrap.indent(visible(question.program, keep="\n").rstrip("\n"), "    │ "))
    wide = max((len(one.lane) for one in question.answers), default=0)
    labels = max((len(one.label or "none of these") for one in question.answers), default=0)
    for one in question.answers:
        label = one.label or "none of these"
        print(f"    {one.lane:<{wide}}  {label:<{labels}}  {visible(one.result)}")
    print()


def _print_choice(language: str, choice: ChoiceRow) -> None:
    print(f"{language}, {choice.name}: {choice.question}")
    wide = max(map(len, choice.ways))
    for way, why in choice.ways.items():
        lanes = ", ".join(lane for lane, own in choice.lanes.items() if own == way)
        print(f"    {way:<{wide}}  {visible(why)}" + (f"  ◆ {lanes}" if lanes else ""))
    print()


def _changes(session: Session, languages: list[str], arguments: argparse.Namespace) -> int:
    """Which cases change; in all languages that have the choice."""
    found: dict[str, list[ChangedCase]] = {}
    why = ""
    for language in languages:
        try:
            found[language] = changed_by(session, language, arguments.decision)
        except NoDecision as wrong:
            why = why or str(wrong)
    if not found:
        raise Usage(why)
    if arguments.json:
        print_answer("questions", msgspec.to_builtins(found))
        return 0
    for language, rows in found.items():
        cases = len({row.case for row in rows})
        print(f"{language}, {arguments.decision}: {cases or 'no'} case{'s'[: cases != 1]} "
              f"{'changes' if cases == 1 else 'change'}")  # fmt: skip
        for row in rows:
            print(f"    {row.case}")
            print(f"        {visible(row.before)}  becomes  {visible(row.after)}"
                  f"   on {', '.join(row.lanes)}")  # fmt: skip
    return 0


def differences(arguments: argparse.Namespace) -> int:
    """Print what tells two languages, interpreters or versions apart in meaning."""
    session = Session(course_folder(arguments.course, about=True))
    one, other = (_definition(session, name) for name in (arguments.one, arguments.other))
    if (one[1] is None) != (other[1] is None):
        raise Usage("a language and an interpreter cannot be held against each other")
    if one[1] is not None and other[1] is not None:
        found = between_interpreters(one[1], other[1])
    else:
        found = between_languages(one[0], other[0])
    if arguments.json:
        print_answer("differences", [
            {"part": c.part, "name": c.name, "state": c.state, "before": c.before,
             "after": c.after} for c in found
        ])  # fmt: skip
    else:
        for line in describe_changes(found):
            print(cut(visible(line), 200) if not arguments.whole else visible(line))
    return int(any(change.state != "taken over" for change in found))


def _definition(session: Session, name: str) -> tuple[Any, Any]:
    """The language that a name means, and the interpreter where it means one: `Rill`,
    `Rill.environment`, either with `@VERSION`."""
    plain, version = split_version(name)
    language, _, lane = plain.partition(".")
    try:
        course = session.version(version).course if version else session.course
    except NoVersion as wrong:
        raise Usage(str(wrong)) from wrong
    if language not in course.languages:
        hint = did_you_mean(language, course.languages, ", ".join(course.languages))
        raise Usage(f"there is no language {language}; {hint}".rstrip("; "))
    if not lane:
        return course.languages[language], None
    interpreters = course.interpreters.get(language, {})
    if plain_name(lane) not in interpreters:
        hint = did_you_mean(lane, interpreters, "there are: " + ", ".join(interpreters))
        raise Usage(f"{language} has no interpreter {lane} that can run; {hint}")
    return course.languages[language], interpreters[plain_name(lane)]
