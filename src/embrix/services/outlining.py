"""The outline of a lane, and a clause that is missing in it."""

from __future__ import annotations

import re
from pathlib import Path

from embrix.brix.core import Function
from embrix.brix.parted import definition_at
from embrix.checking.outline import met, outline, subject_of
from embrix.course.missing import NoFunction
from embrix.course.naming import plain_name
from embrix.lanes.names import interpreter_of
from embrix.lanes.session import Session
from embrix.messages.replies_on_writing import OutlineCell, OutlineGrid, OutlineRow, TextChange
from embrix.terms.node import Constructor


def outline_grid(session: Session, language: str, lane: str, *, count: bool = False) -> OutlineGrid:
    """Forms and functions of a lane with what there is for each pair of them."""
    interpreter = session.course.interpreters.get(language, {}).get(plain_name(lane))
    if interpreter is None:
        return OutlineGrid(f"{language} has no lane called {lane} whose definition can be read")
    found = outline(interpreter)
    if not found.functions:
        return OutlineGrid(f"{lane} has no function that chooses by a form")
    seen = met(session, language, plain_name(lane)) if count else None
    rows = []
    for form, cells in found.forms:
        entries = []
        for cell in cells:
            source = session.course.sources.get(cell.file)
            line = source.position(cell.start)[0] if source is not None and cell.state else 0
            entries.append(OutlineCell(cell.state, cell.file, line, seen.of(cell) if seen else ""))
        rows.append(OutlineRow(_written(form), form.owner, entries))
    return OutlineGrid("", list(found.functions), rows, count)


def _written(form: Constructor) -> str:
    return f"{form.name}({', '.join(form.fields)})" if form.fields else form.name


def clause_written(
    session: Session, language: str, lane: str, function: str, form: str
) -> TextChange:
    """The file of a lane with a clause for a form behind the others of a function there; where the
    function is taken over, in an `extend` of its own. The result is still to be written."""
    interpreter = interpreter_of(session.course.interpreters.get(language, {}), plain_name(lane))
    found = interpreter.functions.get(function)
    made = next((one for one in interpreter.constructors.values() if one.name == form), None)
    if found is None or made is None:
        raise NoFunction(f"{lane} has nothing called {function if found is None else form} now")
    names = _fields(made, found)
    clause = f"{form}({', '.join(names)})" if names else form
    pattern = ", ".join(
        [clause if number == subject_of(interpreter, found)[0] else "_" for number in range(
            len(found.subjects))]
    )  # fmt: skip
    line = f'{pattern} => todo "what {form} gives"'
    text = interpreter.source.text
    head = re.compile(rf"^(?:define|extend|replace) {re.escape(function)}\(.*$", re.M).search(text)
    if head is None:
        lead = "" if text.endswith("\n") else "\n"
        new = f"{text}{lead}\nextend {function}({', '.join(found.params)})\n  {line}\n"
    else:
        new = _behind(text, head.end(), line)
    file = session.course.sources[interpreter.source.name].text
    _, whole = definition_at(file, len(text) - len(text.lstrip()))
    path = interpreter.source.path or session.course.folder / Path(interpreter.source.name)
    return TextChange("", file, whole(new), [path.relative_to(session.course.folder).as_posix()])


def _behind(text: str, head: int, line: str) -> str:
    """A text with a line at the end of the declaration whose first line ends at a place."""
    following = re.compile(r"^\S", re.M).search(text, head + 1)
    end = following.start() if following is not None else len(text)
    body = text[:end].rstrip()
    while body.rpartition("\n")[2].startswith("#"):
        body = body.rpartition("\n")[0].rstrip()  # a comment before what follows
    return f"{body}\n  {line}{text[len(body) :] or chr(10)}"


def _fields(form: Constructor, function: Function) -> list[str]:
    """Names for the fields of a form that are no parameters of the function."""
    return [f"{name}2" if name in function.params else name for name in form.fields]
