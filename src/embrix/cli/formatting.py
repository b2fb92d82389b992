"""`embrix format`: definitions laid out anew."""

from __future__ import annotations

import argparse
from pathlib import Path

from embrix.brix.format import formatted
from embrix.cli.status import FAULTY, NEGATIVE, OK
from embrix.cli.streams import print_answer
from embrix.cli.usage import Usage, course_folder, here
from embrix.course.finding import find_course, holds_course_files
from embrix.course.load import load_course
from embrix.text.plural import counted
from embrix.text.refusal import refusal
from embrix.text.saving import save_text
from embrix.text.source import BYTE_ORDER_MARK, Source, Unreadable, read_bytes, read_source


def format_files(arguments: argparse.Namespace) -> int:
    """Format `.brix` files, by default all of the course; or only list those that would change."""
    if arguments.files:
        paths = [path.resolve() for path in arguments.files]
    else:
        if (
            arguments.course is None
            and find_course(here()) is None
            and not holds_course_files(here())
        ):
            raise Usage("there is no course here; name one with --course, or files")
        course = load_course(course_folder(arguments.course))
        paths = [one.path for one in course.sources.values() if one.path is not None]
        paths = sorted(path for path in paths if path.suffix == ".brix")
    changed = broken = 0
    rows: list[dict[str, str]] = []
    say = (lambda _: None) if arguments.json else print
    for path in paths:
        try:
            source = read_source(path, path.name)
        except Unreadable as fault:
            raise Usage(str(fault)) from fault
        text = formatted(Source(path.name, source.text))
        if text is None:
            broken += 1
            rows.append({"file": shown(path), "state": "unreadable"})
            say(f"{shown(path)}: left as it is, because it cannot be read; see embrix check")
        elif text != source.text:
            changed += 1
            if not arguments.check:
                mark = read_bytes(path, path.name).startswith(BYTE_ORDER_MARK.encode())
                try:
                    save_text(path, (BYTE_ORDER_MARK if mark else "") + text)
                except OSError as fault:
                    reason = refusal(fault)
                    raise Usage(f"{shown(path)} cannot be written: {reason}") from fault
            rows.append({"file": shown(path), "state": "changed"})
            say(f"{shown(path)}: {'would be' if arguments.check else 'has been'} laid out anew")
        else:
            rows.append({"file": shown(path), "state": "well"})
    if arguments.json:
        print_answer("format", rows)
    elif not changed and not broken:
        print(f"{counted(len(paths), 'file')}, all laid out well")
    if broken:
        return FAULTY
    return NEGATIVE if arguments.check and changed else OK


def shown(path: Path) -> str:
    """A path as it is printed: from the current folder where it lies inside."""
    folder = here()
    return str(path.relative_to(folder)) if path.is_relative_to(folder) else str(path)
