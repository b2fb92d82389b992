"""Pictures, handouts, starters, and the files that something begins with."""

from __future__ import annotations

from pathlib import Path
from typing import cast

from embrix.compare.range import Scale
from embrix.documents.pictures import NoPicture, Wish, picture
from embrix.draw.files import Unwritable, write_drawing
from embrix.draw.kinds import Exercise, Kind
from embrix.draw.palette import ThemeName
from embrix.lanes.names import NoLane
from embrix.lanes.session import Session
from embrix.machine.lane import BadBinding
from embrix.messages.replies import Written
from embrix.messages.requests import (
    Begin,
    WriteHandout,
    WritePicture,
    WriteStarter,
    WriteWorksheet,
)
from embrix.text.refusal import refusal


def write_picture(session: Session, request: WritePicture) -> Written:
    name, *bounds = request.over if request.over is not None else ("",)
    wish = Wish(
        cast(Kind, request.kind), request.language, request.text, tuple(request.lanes),
        request.given, tuple(request.input), None, request.number,
        over=(name, range(*bounds)) if bounds else ("", ()), cost=request.cost,
        scale=cast(Scale, request.scale),
    )  # fmt: skip
    try:
        written = write_drawing(
            picture(session, wish), Path(request.path), cast(ThemeName, request.theme),
            replace=request.replace,
        )  # fmt: skip
    except (NoPicture, Unwritable, BadBinding, NoLane) as wrong:
        return Written([], str(wrong))
    return Written([path.name for path in written])


def write_handout(session: Session, request: WriteHandout) -> Written:
    from embrix.documents.handout import Selection, handout
    from embrix.documents.handout_files import write_handout as write

    chosen = Selection(
        tuple(request.languages), tuple(request.lanes),
        (request.program,) if request.program is not None else None, tuple(request.marks),
        given=request.given, input=tuple(request.input),
    )  # fmt: skip
    path = Path(request.path)
    try:
        write(handout(session, chosen), path)
    except (NoPicture, BadBinding, ValueError) as wrong:
        return Written([], str(wrong))
    except OSError as fault:
        return Written([], f"{path.name}: {refusal(fault)}")
    return Written([path.name])


def write_exercises(session: Session, request: WriteWorksheet) -> Written:
    from embrix.documents.worksheet_files import key_beside, write_worksheet
    from embrix.documents.worksheets import NoExercise, WorksheetWish

    # Those that are about a lane or two have their programs from the suites.
    programs = () if request.exercise in ("apart", "mistakes") else ((request.name, request.text),)
    wish = WorksheetWish(
        cast(Exercise, request.exercise), request.language, tuple(request.lanes), programs,
        request.gaps, request.seed, request.given, tuple(request.input),
    )  # fmt: skip
    path = Path(request.path)
    try:
        write_worksheet(session, wish, path)
    except (NoExercise, NoLane, BadBinding, ValueError) as wrong:
        return Written([], str(wrong))
    except OSError as fault:
        return Written([], f"{path.name}: {refusal(fault)}")
    return Written([path.name, key_beside(path).name])


def write_starter(session: Session, request: WriteStarter) -> Written:
    from embrix.documents.starter import NoStarter, make_starter, write_files

    forms = [form.strip() for form in request.forms.split(",") if form.strip()]
    path = Path(request.path)
    try:
        made = make_starter(session.course, request.language, request.lane, forms, "")
        write_files(made.files, path)
    except NoStarter as wrong:
        return Written([], str(wrong))
    except OSError as fault:
        return Written([], f"{path}: {refusal(fault)}")
    return Written([str(path)])


def begin(session: Session, request: Begin) -> Written:
    """Nothing that exists is written over."""
    from embrix.documents import beginnings as b

    course = session.course
    try:
        match request.kind:
            case "language":
                files = b.begin_language(course, request.name, request.extends or None)
            case "interpreter":
                files = b.begin_interpreter(
                    course, request.language, request.name, request.strategy
                )
            case "suite":
                files = b.begin_suite(course, request.language, request.name)
            case _:
                files = b.begin_program(course, request.language, request.name)
        written = b.write_new(files)
    except b.NotBegun as wrong:
        return Written([], str(wrong))
    except OSError as fault:
        return Written([], f"{fault.filename or ''}: {refusal(fault)}")
    return Written([str(path) for path in written])
