"""The colours of pictures: black on white, or those of the workbench."""

from __future__ import annotations

from typing import Literal, TypeAlias

from embrix.draw.scene import Role

ThemeName: TypeAlias = Literal["paper", "light", "dark"]

THEMES: dict[ThemeName, dict[Role, str]] = {
    "paper": {
        "ink": "#000000", "faint": "#555555", "accent": "#000000", "good": "#000000",
        "bad": "#000000", "store": "#000000", "ground": "#ffffff", "shade": "#e6e6e6",
    },
    "light": {
        "ink": "#1d2a2e", "faint": "#5b6b6f", "accent": "#1b7489", "good": "#3f7a24",
        "bad": "#b03a2e", "store": "#77489c", "ground": "#f6f4ee", "shade": "#dfe6e2",
    },
    "dark": {
        "ink": "#dfe7e4", "faint": "#8a9a9b", "accent": "#57b8d0", "good": "#8fc774",
        "bad": "#e2786b", "store": "#c09be0", "ground": "#0f171b", "shade": "#1c2a30",
    },
}  # fmt: skip
"""For each theme the colour of every role."""
