"""Drawings in files."""

from __future__ import annotations

from pathlib import Path

from embrix.draw.palette import ThemeName
from embrix.draw.pdf import write_pdf
from embrix.draw.scene import Drawing
from embrix.draw.svg import write_svg
from embrix.text.saving import save_bytes, save_text

ENDINGS = (".svg", ".pdf", ".tex", ".txt")


class Unwritable(Exception):
    """The drawing cannot be written in that form or there; the message says why."""


def write_drawing(drawing: Drawing, target: Path, theme: ThemeName = "paper") -> list[Path]:
    """Write a drawing in the form that the name of the file asks for; an SVG has one page, so a
    drawing of several is written to several files. Gives the files. Raises `Unwritable`."""
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
                    raise Unwritable("only rules and derivations are written as LaTeX")
                save_text(target, drawing.latex + "\n")
                written.append(target)
            case ".txt":
                save_text(target, drawing.text)
                written.append(target)
            case _:
                raise Unwritable(f"the name of the file ends in one of {', '.join(ENDINGS)}")
    except OSError as fault:
        raise Unwritable(f"{target} cannot be written: {fault.strerror or fault}") from fault
    return written
