"""Pictures on the command line: as SVG, PDF, LaTeX or plain text."""

from __future__ import annotations

import argparse
from pathlib import Path

from embrix.cli.choice import Usage, chosen, course_folder
from embrix.cli.comparing import range_of
from embrix.draw.pdf import write_pdf
from embrix.draw.scene import Drawing
from embrix.draw.svg import write_svg
from embrix.draw.theme import ThemeName
from embrix.machine.lane import BadBinding
from embrix.runs.pictures import KINDS, OF_PROGRAMS, Kind, NoPicture, Wish, picture
from embrix.runs.session import Session, Undecided
from embrix.suite.model import COSTS
from embrix.text.saving import save_bytes, save_text
from embrix.text.suggest import did_you_mean

ENDINGS = (".svg", ".pdf", ".tex", ".txt")


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
    except Undecided as wrong:
        raise Usage(str(wrong.args[0])) from wrong
    except KeyError as wrong:
        raise Usage(f"{wish.language} has no lane called {wrong.args[0]}") from wrong
    except BadBinding as bad:
        raise Usage(f"--bind {bad}") from bad
    if arguments.to is None:
        print(drawing.text, end="")
        return 0
    for path in write_drawing(drawing, arguments.to, arguments.theme):
        print(f"written to {path}")
    return 0


def _wish(kind: Kind, arguments: argparse.Namespace) -> tuple[Session, Wish]:
    over = range_of(arguments.over) if arguments.over else ("", range(0))
    if kind == "growth" and not arguments.over:
        raise Usage("growth takes --over NAME=A..B, the name and its range")
    if kind in OF_PROGRAMS:
        work = chosen(arguments)
        return work.session, Wish(
            kind, work.language, work.source.text, tuple(lane.name for lane in work.lanes),
            work.given, work.input, arguments.rule, arguments.at, arguments.deep, over,
            arguments.cost, "logarithmic" if arguments.logarithmic else "linear",
        )  # fmt: skip
    session = Session(course_folder(arguments.course))
    languages = session.course.languages
    language = arguments.language or (next(iter(languages)) if len(languages) == 1 else None)
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
    return session, Wish(kind, language, lanes=lanes, rule=arguments.rule)


def write_drawing(drawing: Drawing, target: Path, theme: ThemeName = "paper") -> list[Path]:
    """Write a drawing in the form that the name of the file asks for; an SVG has one page, so a
    drawing of several is written to several files. Raises `Usage`."""
    written: list[Path] = []
    try:
        match target.suffix:
            case ".svg":
                for number, page in enumerate(drawing.pages, 1):
                    path = target if number == 1 else target.with_stem(f"{target.stem}-{number}")
                    save_text(path, write_svg(page, theme))
                    written.append(path)
            case ".pdf":
                save_bytes(target, write_pdf(drawing.pages, theme))
                written.append(target)
            case ".tex":
                if not drawing.latex:
                    raise Usage("only rules and derivations are written as LaTeX")
                save_text(target, drawing.latex + "\n")
                written.append(target)
            case ".txt":
                save_text(target, drawing.text)
                written.append(target)
            case _:
                raise Usage(f"the name of the file ends in one of {', '.join(ENDINGS)}")
    except OSError as fault:
        raise Usage(f"{target} cannot be written: {fault.strerror or fault}") from fault
    return written
