"""Judgements as LaTeX, for mathematics mode with the standard packages amsmath and amssymb."""

from __future__ import annotations

import re

SIGNS = {
    "⊢": r"\vdash ", "⇓": r"\Downarrow ", "↓": r"\downarrow ", "↦": r"\mapsto ", "→": r"\to ",
    "⇒": r"\Rightarrow ", "∅": r"\varnothing ", "ρ": r"\rho ", "σ": r"\sigma ", "…": r"\ldots ",
    "≠": r"\neq ", "≤": r"\leq ", "≥": r"\geq ", "∈": r"\in ", "¬": r"\neg ", "∧": r"\wedge ",
    "∨": r"\vee ", "×": r"\times ", "−": "-", "·": r"\cdot ", "λ": r"\lambda ", "↝": r"\leadsto ",
    "⟶": r"\longrightarrow ", "*": r"\ast ", "{": r"\{", "}": r"\}", "_": r"\_", "#": r"\#",
    "%": r"\%", "&": r"\&", "$": r"\$", "~": r"\sim ", "^": r"\hat{\ }", "\\": r"\backslash ",
}  # fmt: skip
_PIECE = re.compile(r"[A-Za-z][A-Za-z0-9_']*|\d+(?:\.\d+)?|\s+|.", re.DOTALL)
_OUTSIDE = re.compile(r"[^\x20-\x7e]")


def in_math(text: str) -> str:
    """A line of text as mathematics: words stand upright, signs become commands."""
    pieces: list[str] = []
    for piece in _PIECE.findall(text):
        if piece[0].isspace():
            pieces.append(r"\ ")
        elif piece[0].isalpha() and piece.isascii():
            pieces.append(rf"\mathtt{{{piece.replace('_', chr(92) + '_')}}}")
        elif piece in SIGNS:
            pieces.append(SIGNS[piece])
        else:
            pieces.append(_OUTSIDE.sub(lambda found: rf"\text{{{found.group()}}}", piece))
    return "".join(pieces)
