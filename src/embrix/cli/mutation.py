"""`embrix mistakes`: how strong is a suite?"""

from __future__ import annotations

import argparse
import sys
from collections import Counter
from collections.abc import Iterator

from embrix.checking.strength import Noticed, try_mistakes
from embrix.cli.streams import print_answer
from embrix.cli.usage import Usage, course_folder
from embrix.lanes.session import Session
from embrix.text.plural import counted
from embrix.text.suggest import did_you_mean

_HOW = {
    "refused": "refused by the check", "warned": "warned of", "law": "against a law",
    "red": "a case turns red", "not found": "NOT FOUND",
}  # fmt: skip


def mistakes(arguments: argparse.Namespace) -> int:
    """Make mistakes in interpreters, one at a time, and tell what notices each."""
    session = Session(course_folder(arguments.course, about=True))
    total: Counter[str] = Counter()
    rows: list[dict[str, object]] = []
    for language, name in _wanted(session, arguments):
        found_here: Counter[str] = Counter()
        for found in try_mistakes(session, language, name, arguments.most):
            found_here[found.how] += 1
            lane = f"{language}.{name}"
            if arguments.json:
                rows.append(_data(lane, found))
            elif arguments.table:
                print(_row(lane, found))
            elif arguments.all or found.how == "not found":
                _tell(session, language, name, found)
        total += found_here
        if not arguments.json and not arguments.table:
            print(f"{language}.{name}: {_summary(found_here)}")
        sys.stdout.flush()
    if arguments.json:
        print_answer("mistakes", rows)
    elif not arguments.table:
        print(f"all: {_summary(total)}")
    return 1 if total["not found"] else 0


def _wanted(session: Session, arguments: argparse.Namespace) -> Iterator[tuple[str, str]]:
    course = session.course
    if arguments.language is not None and arguments.language not in course.languages:
        hint = did_you_mean(arguments.language, course.languages)
        raise Usage(f"there is no language {arguments.language}; {hint}".rstrip("; "))
    known = {name for lanes in course.interpreters.values() for name in lanes}
    for name in arguments.lanes or ():
        if name not in known:
            raise Usage(f"there is no interpreter {name}; {did_you_mean(name, known)}".rstrip("; "))
    for language, lanes in course.interpreters.items():
        for name in lanes:
            if arguments.language in (None, language) and name in (arguments.lanes or [name]):
                yield language, name


def _summary(found: Counter[str]) -> str:
    parts = [f"{found[how]} {text}" for how, text in _HOW.items() if found[how]]
    return counted(found.total(), "mistake") + "".join(f", {part}" for part in parts)


def _tell(session: Session, language: str, name: str, found: Noticed) -> None:
    source = session.course.interpreters[language][name].source
    by = f": {found.by}" if found.by else ""
    print(f"{source.name}:{found.line}  {found.mistake.what}  ({_HOW[found.how]}{by})")
    print(f"    − {found.before}")
    print(f"    + {found.after}")


def _row(lane: str, found: Noticed) -> str:
    cells = (lane, str(found.line), found.mistake.what, found.after, _HOW[found.how], found.by)
    return "| " + " | ".join(cell.replace("|", "\\|") for cell in cells) + " |"


def _data(lane: str, found: Noticed) -> dict[str, object]:
    return {
        "interpreter": lane, "line": found.line, "mistake": found.mistake.what,
        "before": found.before, "after": found.after, "noticed": found.how, "by": found.by,
    }  # fmt: skip
