"""Allowing the commands that a course names as interpreters."""

from __future__ import annotations

import argparse
import shlex

from embrix.cli.streams import print_answer
from embrix.cli.usage import Usage, course_folder
from embrix.course.load import load_course
from embrix.course.permission import allow, is_allowed
from embrix.course.records import Damaged
from embrix.text.plural import counted
from embrix.text.refusal import refusal
from embrix.text.suggest import did_you_mean
from embrix.text.visible import visible


def allow_commands(arguments: argparse.Namespace) -> int:
    """List the commands of a course, or allow one of them for this folder."""
    course = load_course(course_folder(arguments.course))
    known = {one.name: one for one in course.outside}
    listed: list[dict[str, object]] = []
    if arguments.name is not None and arguments.name not in known:
        hint = did_you_mean(arguments.name, known, "there are: " + (", ".join(known) or "none"))
        raise Usage(f"the course names no outside interpreter called {arguments.name}; {hint}")
    for one in known.values() if arguments.name is None else (known[arguments.name],):
        if arguments.name is not None and (arguments.yes or arguments.no):
            try:
                allow(course.folder, one, allowed=arguments.yes)
            except (OSError, Damaged) as fault:
                raise Usage(f"the permission cannot be kept: {refusal(fault)}") from fault
        allowed = is_allowed(course.folder, one)
        listed.append({
            "name": one.name, "language": one.language, "command": list(one.command),
            "allowed": allowed, "seconds": one.seconds, "megabytes": one.memory,
        })  # fmt: skip
        if arguments.json:
            continue
        text = "allowed" if allowed else "not allowed"
        command = visible(shlex.join(one.command))
        print(f"{one.name} ({one.language}): {command}")
        print(f"    {text} in {course.folder.name}; one run may take "
              f"{counted(one.seconds, 'second')} and {one.memory} MB of memory")  # fmt: skip
    if arguments.json:
        print_answer("allow", listed)
    elif not known:
        print("the course names no outside interpreters: see docs/suites.md")
    elif arguments.name is None:
        print("embrix allow NAME --yes lets one run, --no undoes it")
    return 0
