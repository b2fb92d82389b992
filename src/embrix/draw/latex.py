"""Judgements as LaTeX, for mathematics mode with the standard packages amsmath and amssymb."""

from __future__ import annotations

from embrix.draw.typefaces import FORMULA, WORDS
from embrix.text.visible import visible

SIGNS = {
    "⊢": r"\vdash ", "⇓": r"\Downarrow ", "↓": r"\downarrow ", "↦": r"\mapsto ", "→": r"\to ",
    "⇒": r"\Rightarrow ", "∅": r"\varnothing ", "ρ": r"\rho ", "σ": r"\sigma ", "…": r"\ldots ",
    "≠": r"\neq ", "≤": r"\leq ", "≥": r"\geq ", "∈": r"\in ", "¬": r"\neg ", "∧": r"\wedge ",
    "∨": r"\vee ", "×": r"\times ", "−": "-", "·": r"\cdot ", "λ": r"\lambda ", "↝": r"\leadsto ",
    "⟶": r"\longrightarrow ", "Γ": r"\Gamma ", "Δ": r"\Delta ", "τ": r"\tau ",
    "∉": r"\notin ", "′": "'", "⟨": r"\langle ", "⟩": r"\rangle ",
    **{sign: f"_{{{number}}}" for number, sign in enumerate("₀₁₂₃₄₅₆₇₈₉")},
    "*": r"\ast ", "{": r"\{", "}": r"\}", "_": r"\_", "#": r"\#",
    "%": r"\%", "&": r"\&", "$": r"\$", "~": r"\sim ", "^": r"\hat{\ }", "\\": r"\backslash ",
}  # fmt: skip
_IN_TEXT = {
    "\\": r"\textbackslash{}", "~": r"\textasciitilde{}", "^": r"\textasciicircum{}",
    "<": "$<$", ">": "$>$", "|": "$|$",
    "-": "{-}", "'": "{'}", "`": "{`}",
    **{sign: f"\\{sign}" for sign in "{}_#%&$"},
}  # fmt: skip
"""How signs that steer LaTeX, or that it would join or replace, stand in running text."""


def in_math(text: str, *, letters: bool = False) -> str:
    """A line of text as mathematics: words stand upright, signs become commands. With `letters` a
    letter alone is a variable, and the words between formulas are those of a text."""
    pieces: list[str] = []
    for piece in FORMULA.findall(visible(text, keep="\n\r\t")):
        if piece[0] in " \n\r\t":
            pieces.append(r"\ ")
        elif letters and piece.isascii() and piece.isalpha() and len(piece) == 1:
            pieces.append(r"\ell " if piece == "l" else piece)
        elif letters and piece in WORDS:
            pieces.append(r"\mathrm{" + piece.replace(" ", r"\ ") + "}")
        elif piece[0].isalpha() and piece.isascii():
            pieces.append(
                r"\mathtt{" + piece.replace("_", r"\_").replace(" ", r"}\ \mathtt{") + "}"
            )
        elif piece in SIGNS:
            pieces.append(SIGNS[piece])
        else:
            pieces.append(piece if piece.isascii() else rf"\text{{{piece}}}")
    return "".join(pieces)


def in_text(text: str) -> str:
    """A line of text as running text; signs that only mathematics has become mathematics."""
    pieces: list[str] = []
    for sign in visible(" ".join(text.split())):
        if sign in SIGNS and not sign.isascii():
            pieces.append(f"${SIGNS[sign].strip()}$")
        else:
            pieces.append(_IN_TEXT.get(sign, sign))
    return "".join(pieces)
