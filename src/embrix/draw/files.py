"""Drawings in files."""

from __future__ import annotations

from pathlib import Path

from embrix.draw.palette import ThemeName
from embrix.draw.pdf import write_pdf
from embrix.draw.scene import Drawing
from embrix.draw.svg import write_svg
from embrix.text.refusal import refusal
from embrix.text.saving import save_bytes, save_text

ENDINGS = (".svg", ".pdf", ".tex", ".txt")


class Unwritable(Exception):
    """The drawing cannot be written in that form or there; the message says why."""


def write_drawing(
    drawing: Drawing, target: Path, theme: ThemeName = "paper", *, replace: bool = False
) -> list[Path]:
    """Write a drawing in the form that the name of the file asks for; an SVG has one page, so a
    drawing of several is written to several files, none when one of them exists. Gives the files.
    Raises `Unwritable`, also for files that exist, unless they may be replaced."""
    paths = [target]
    if target.suffix == ".svg":
        more = range(2, len(drawing.pages) + 1)
        paths += [target.with_stem(f"{target.stem}-{number}") for number in more]
    for path in paths:
        if not replace and (path.exists() or path.is_symlink()):
            raise Unwritable(f"{path} exists already")
    try:
        match target.suffix:
            case ".svg":
                for path, page in zip(paths, drawing.pages, strict=True):
                    save_text(path, write_svg(page, theme))
            case ".pdf":
                save_bytes(target, write_pdf(drawing.pages, theme))
            case ".tex":
                if not drawing.latex:
                    raise Unwritable("only rules and derivations are written as LaTeX")
                save_text(target, drawing.latex + "\n")
            case ".txt":
                save_text(target, drawing.text)
            case _:
                raise Unwritable(f"the name of the file ends in one of {', '.join(ENDINGS)}")
    except OSError as fault:
        raise Unwritable(f"{target} cannot be written: {refusal(fault)}") from fault
    return paths
