"""Keys in the order in which they were pressed.

The interface library gives a character to the widget with the focus, but lets a binding (an arrow,
a deletion) travel on to the application first. When keys come in a burst (a held key, a slow line),
what is typed behind an arrow would happen before it. Widgets in which order matters carry out their
own bindings themselves.
"""

from __future__ import annotations

from typing import ClassVar

from textual import events
from textual.binding import Binding, BindingType
from textual.widget import Widget
from textual.widgets import Input


async def carried_out(widget: Widget, event: events.Key) -> bool:
    """Carry out what a widget binds to a key; whether it binds anything."""
    for binding in widget._bindings.key_to_bindings.get(event.key, ()):
        if not binding.priority:
            event.stop()
            event.prevent_default()
            await widget.app.run_action(binding.action, widget)
            return True
    return False


class LineInput(Input):
    """One line of text."""

    BINDINGS: ClassVar[list[BindingType]] = [Binding("ctrl+a", "select_all", show=False)]

    async def _on_key(self, event: events.Key) -> None:
        if not await carried_out(self, event):
            await super()._on_key(event)
