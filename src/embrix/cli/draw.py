"""Pictures on the command line: as SVG, PDF, LaTeX or plain text."""

from __future__ import annotations

import argparse

from embrix.cli.choice import chosen, text_of
from embrix.cli.comparison import range_argument
from embrix.cli.streams import print_answer
from embrix.cli.usage import Usage, course_folder, new_file
from embrix.documents.pictures import NoPicture, Wish, picture
from embrix.draw.files import Unwritable, write_drawing
from embrix.draw.kinds import KINDS, OF_PROGRAMS, OF_TEXTS, Kind
from embrix.lanes.names import NoLane
from embrix.lanes.session import Session
from embrix.machine.lane import BadBinding
from embrix.suite.cases import COSTS
from embrix.text.plural import counted
from embrix.text.suggest import did_you_mean


def draw(arguments: argparse.Namespace) -> int:
    """Draw something, to a file or as plain text."""
    kind = next((one for one in KINDS if one == arguments.kind), None)
    if kind is None:
        hint = did_you_mean(arguments.kind, KINDS, "there are: " + ", ".join(KINDS))
        raise Usage(f"nothing called {arguments.kind} can be drawn; {hint}")
    if arguments.deep is not None and arguments.deep < 0:
        raise Usage("--deep must not be negative")
    if arguments.cost not in COSTS and arguments.cost not in COSTS.values():
        raise Usage(f"nothing called {arguments.cost} is counted; there are {', '.join(COSTS)}")
    session, wish = _wish(kind, arguments)
    try:
        drawing = picture(session, wish)
    except NoPicture as nothing:
        raise Usage(str(nothing)) from nothing
    except NoLane as wrong:
        raise Usage(str(wrong)) from wrong
    except BadBinding as bad:
        raise Usage(f"--bind {bad}") from bad
    if arguments.to is None:
        if arguments.json:
            print_answer("draw", {"files": [], "text": drawing.text})
        else:
            print(drawing.text, end="")
        return 0
    new_file(arguments.to, replace=arguments.replace)
    try:
        written = write_drawing(drawing, arguments.to, arguments.theme, replace=arguments.replace)
    except Unwritable as wrong:
        raise Usage(str(wrong)) from wrong
    if arguments.json:
        print_answer("draw", {"files": list(map(str, written))})
        return 0
    print(f"written to {written[0]}")
    if len(written) > 1:
        print(f"and on to {written[-1]}: {counted(len(written), 'page')}")
    return 0


def _wish(kind: Kind, arguments: argparse.Namespace) -> tuple[Session, Wish]:
    over = range_argument(arguments.over) if arguments.over else ("", range(0))
    if kind == "growth" and not arguments.over:
        raise Usage("growth takes --over NAME=A..B, the name and its range")
    if kind in OF_TEXTS and not arguments.lanes:
        session, name, source = text_of(arguments)
        return session, Wish(kind, name, source.text, rule=arguments.rule)
    if kind in OF_PROGRAMS:
        work = chosen(arguments)
        return work.session, Wish(
            kind, work.language, work.source.text, tuple(lane.name for lane in work.lanes),
            work.given, work.input, arguments.rule, arguments.at, arguments.deep, over,
            arguments.cost, arguments.axes,
        )  # fmt: skip
    session = Session(course_folder(arguments.course))
    languages = session.course.languages
    language = arguments.language or (next(iter(languages)) if len(languages) == 1 else "")
    if language not in languages:
        known = ", ".join(languages)
        raise Usage(f"--language says which language is meant; there are: {known}")
    if arguments.grammar is not None:
        if arguments.grammar not in languages[language].grammars:
            raise Usage(f"{language} has no grammar called {arguments.grammar}")
        session.use_grammar(language, arguments.grammar)
    lanes = tuple(arguments.lanes or session.course.interpreters.get(language, {}))
    if kind == "rules" and not lanes:
        raise Usage(f"{language} has no interpreter whose rules could be drawn")
    return session, Wish(
        kind, language, lanes=lanes, rule=arguments.rule, abstract=arguments.abstract
    )
