"""The colours of the workbench: slate, paper, brass and canal water. Each colour has one meaning.

Colour never speaks alone: whatever it says, a sign or a word says too.
"""

from __future__ import annotations

from functools import lru_cache

from rich.style import Style
from textual.app import App
from textual.theme import Theme

NIGHT, DAY = "lockside-night", "lockside-day"

_PALETTES: dict[str, dict[str, str]] = {
    NIGHT: {
        "ground": "#101a1e", "bank": "#16242a", "wall": "#1f333b", "ink": "#dce5e0",
        "faint": "#8299a0", "brass": "#e0ac4c", "water": "#5ab8cf", "deep": "#27606f",
        "moss": "#93c572", "brick": "#ee7f68", "heather": "#c0a4e6", "highlight": "#4a3d16",
    },
    DAY: {
        "ground": "#faf6ec", "bank": "#f0eadb", "wall": "#e0d8c3", "ink": "#1d2a2b",
        "faint": "#66716c", "brass": "#8a5a00", "water": "#0b6078", "deep": "#9cc7d1",
        "moss": "#3a6b16", "brick": "#b0301a", "heather": "#6a3fa0", "highlight": "#ffe9a8",
    },
}  # fmt: skip


def themes() -> list[Theme]:
    """Our dark and our light theme."""
    return [_theme(name, palette, name == NIGHT) for name, palette in _PALETTES.items()]


def _theme(name: str, palette: dict[str, str], dark: bool) -> Theme:
    return Theme(
        name=name, primary=palette["brass"], secondary=palette["water"], accent=palette["brass"],
        warning=palette["brass"], error=palette["brick"], success=palette["moss"],
        foreground=palette["ink"], background=palette["ground"], surface=palette["bank"],
        panel=palette["wall"], dark=dark, variables={f"lock-{k}": v for k, v in palette.items()},
    )  # fmt: skip


def ink(app: App[object], name: str, ground: str | None = None, **more: bool) -> Style:
    """The style of a named colour in the theme of the moment, perhaps on another ground."""
    return _style(app.theme, name, ground, **more)


@lru_cache(maxsize=2_000)
def _style(theme: str, name: str, ground: str | None, **more: bool) -> Style:
    palette = _PALETTES.get(theme, _PALETTES[NIGHT])
    bgcolor = palette[ground] if ground else None
    return Style(color=palette[name], bgcolor=bgcolor, **more)  # type: ignore[arg-type]


def mark_ink(app: App[object], kind: str) -> Style:
    """How a place looks at which a substitution does something: a name that something is `put` in
    for, a `value` that has been, a binder that has `stopped` it or is `renamed`."""
    if kind == "stopped":
        return ink(app, "brass", bold=True, strike=True)
    if kind == "renamed":
        return ink(app, "heather", bold=True, italic=True, underline=True)
    return ink(app, "moss", bold=True, underline=True)


TOKEN_INKS = {
    "word": ("brass", True),
    "sign": ("ink", False),
    "number": ("water", False),
    "name": ("moss", False),
    "skip": ("faint", False),
}
"""Colour and weight by kind of token; kinds of the author's own take turns below."""

OTHER_TOKEN_INKS = ("heather", "water", "moss")


def token_ink(app: App[object], kind: str) -> Style:
    """How a token of a kind is written."""
    colour, bold = TOKEN_INKS.get(
        kind, (OTHER_TOKEN_INKS[sum(map(ord, kind)) % len(OTHER_TOKEN_INKS)], False)
    )
    return ink(app, colour, bold=bold, italic=kind == "skip")
