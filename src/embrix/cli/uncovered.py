"""`embrix uncovered`: what no case of a suite meets."""

from __future__ import annotations

import argparse

from embrix.checking.suite_coverage import uncovered
from embrix.cli.streams import print_answer
from embrix.cli.usage import Usage, course_folder
from embrix.lanes.session import Session
from embrix.text.suggest import did_you_mean
from embrix.text.visible import cut, visible


def tell_uncovered(arguments: argparse.Namespace) -> int:
    """Print the tokens, forms, alternatives, clauses, errors and choices that no case covers."""
    session = Session(course_folder(arguments.course, about=True))
    known = session.course.languages
    if arguments.language is not None and arguments.language not in known:
        hint = did_you_mean(arguments.language, known)
        raise Usage(f"there is no language {arguments.language}; {hint}".rstrip("; "))
    found = uncovered(session, [arguments.language] if arguments.language else None)
    if arguments.json:
        print_answer("uncovered", [one.as_data() for one in found])
    else:
        for one in found:
            place = f"{one.file}:{one.line}"
            text = cut(visible(" ".join(one.text.split())), 72)
            print(f"{place:<28} {one.what:<12} {one.owner:<22} {text}")
            if one.program:
                print(f"{'':<28} reached by   {cut(visible(one.program), 96)}")
        languages = arguments.language or ", ".join(known)
        print(f"{languages}: {len(found) or 'nothing'} that no case covers")
    return 1 if found else 0
