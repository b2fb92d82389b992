"""A handout or worksheet as LaTeX. No text of a program can issue a command: everything is
escaped, line by line."""

from __future__ import annotations

from collections.abc import Sequence

from embrix.documents.handout import HandoutPart
from embrix.draw.latex import in_text

HEAD = r"""\documentclass[11pt]{article}
\usepackage[T1]{fontenc}
\usepackage{amsmath,amssymb,longtable}
\setlength{\parindent}{0pt}
\setlength{\parskip}{4pt}
\begin{document}
"""
_TAGS = {"title": r"\section*", "heading": r"\subsection*", "subheading": r"\subsubsection*"}


def latex_of(parts: Sequence[HandoutPart]) -> str:
    """A whole document; pictures stand in it as text."""
    lines = [HEAD.rstrip("\n")]
    for part in parts:
        if part.kind in _TAGS:
            lines.append(f"{_TAGS[part.kind]}{{{in_text(part.text)}}}")
        elif part.kind == "text":
            lines.append(in_text(part.text) + "\n")
        elif part.kind in ("code", "picture"):
            lines += _typed(part.text)
        elif part.rows:
            lines += _table(part.rows)
    return "\n".join([*lines, r"\end{document}", ""])


def _typed(text: str) -> list[str]:
    """Lines as they are typed: blanks at their beginnings and between words are kept."""
    rows = []
    for line in text.rstrip("\n").split("\n"):
        rows.append(_spaced(line) or r"\strut")
    return [r"{\ttfamily\small\raggedright", *(rf"\mbox{{}}{row}\\" for row in rows[:-1]),
            rf"\mbox{{}}{rows[-1]}\par}}", ""]  # fmt: skip


def _spaced(line: str) -> str:
    """A line whose blanks are all kept."""
    return r"\ ".join(in_text(word) if word else "" for word in line.split(" "))


def _table(rows: Sequence[tuple[str, ...]]) -> list[str]:
    columns = max(map(len, rows))
    share = 0.9 / columns
    lines = [r"\begin{longtable}{" + f"p{{{share:.2f}\\linewidth}}" * columns + "}"]
    for number, row in enumerate(rows):
        said = (in_text, *[_spaced if number else in_text] * columns)
        """What a row is about, in words; the rest is as it is typed."""
        cells = (
            r"\newline ".join(map(write, cell.split("\n")))
            for write, cell in zip(said, row, strict=False)
        )
        lines.append(" & ".join(cells) + r"\\" + (r"\hline" * (not number)))
    return [*lines, r"\end{longtable}", ""]
