"""Pictures, handouts, starters, and the files that something begins with."""

from __future__ import annotations

from pathlib import Path
from typing import cast

from embrix.compare.range import Scale
from embrix.documents.pictures import NoPicture, Wish, picture
from embrix.draw.files import Unwritable, write_drawing
from embrix.draw.kinds import Kind
from embrix.draw.palette import ThemeName
from embrix.lanes.names import NoLane
from embrix.lanes.session import Session
from embrix.machine.lane import BadBinding
from embrix.messages.replies import Written
from embrix.messages.requests import Begin, WriteHandout, WritePicture, WriteStarter


def write_picture(session: Session, asked: WritePicture) -> Written:
    name, *bounds = asked.over if asked.over is not None else ("",)
    wish = Wish(
        cast(Kind, asked.kind), asked.language, asked.text, tuple(asked.lanes), asked.given,
        tuple(asked.input), None, asked.number,
        over=(name, range(*bounds)) if bounds else ("", ()), cost=asked.cost,
        scale=cast(Scale, asked.scale),
    )  # fmt: skip
    try:
        written = write_drawing(
            picture(session, wish), Path(asked.path), cast(ThemeName, asked.theme),
            replace=asked.replace,
        )  # fmt: skip
    except (NoPicture, Unwritable, BadBinding, NoLane) as wrong:
        return Written([], str(wrong))
    return Written([path.name for path in written])


def write_handout(session: Session, asked: WriteHandout) -> Written:
    from embrix.documents.handout import Selection, handout
    from embrix.documents.handout_files import write_handout as write

    chosen = Selection(
        tuple(asked.languages), tuple(asked.lanes),
        (asked.program,) if asked.program is not None else None, tuple(asked.marks),
        given=asked.given, input=tuple(asked.input),
    )  # fmt: skip
    path = Path(asked.path)
    try:
        write(handout(session, chosen), path)
    except (NoPicture, BadBinding, ValueError) as wrong:
        return Written([], str(wrong))
    except OSError as fault:
        return Written([], f"{path.name}: {fault.strerror or fault}")
    return Written([path.name])


def write_starter(session: Session, asked: WriteStarter) -> Written:
    from embrix.documents.starter import NoStarter, make_starter, write_files

    forms = [form.strip() for form in asked.forms.split(",") if form.strip()]
    path = Path(asked.path)
    try:
        made = make_starter(session.course, asked.language, asked.lane, forms, "")
        write_files(made.files, path)
    except NoStarter as wrong:
        return Written([], str(wrong))
    except OSError as fault:
        return Written([], f"{path}: {fault.strerror or fault}")
    return Written([str(path)])


def begin(session: Session, asked: Begin) -> Written:
    """Nothing that exists is written over."""
    from embrix.documents import beginnings as b

    course = session.course
    try:
        match asked.kind:
            case "language":
                files = b.begin_language(course, asked.name, asked.extends or None)
            case "interpreter":
                files = b.begin_interpreter(course, asked.language, asked.name, asked.strategy)
            case "suite":
                files = b.begin_suite(course, asked.language, asked.name)
            case _:
                files = b.begin_program(course, asked.language, asked.name)
        written = b.write_new(files)
    except b.NotBegun as wrong:
        return Written([], str(wrong))
    except OSError as fault:
        return Written([], f"{fault.filename or ''}: {fault.strerror or fault}")
    return Written([str(path) for path in written])
