"""A line to type in, with the keys of the other texts."""

from __future__ import annotations

from typing import ClassVar

from textual.binding import Binding, BindingType
from textual.widgets import Input


class LineInput(Input):
    """One line of text."""

    BINDINGS: ClassVar[list[BindingType]] = [Binding("ctrl+a", "select_all", show=False)]
