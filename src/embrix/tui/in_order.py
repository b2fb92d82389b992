"""Keys one after the other: each is carried out before the next one finds its place.

The interface library gives a key to what has the focus when the key *arrives*, and carries it out
later, in several hops. When keys come in a burst (a held key, somebody who types ahead, a slow
line), what is typed behind an arrow happens before it, and what is typed behind the Enter that
closes a dialog goes to the dialog and is lost. So the application holds keys back until the one
before them has done its work.
"""

from __future__ import annotations

import asyncio
from collections import deque
from collections.abc import Callable, Iterable
from contextlib import suppress
from time import monotonic
from typing import TypeGuard, TypeVar

from textual import events
from textual.app import App
from textual.message_pump import MessagePump
from textual.widget import Widget
from textual.widgets import Input, TextArea

Result = TypeVar("Result")
PATIENCE = 5.0
"""Seconds after which a key no longer waits for a place that does nothing."""
ROUNDS = 20
"""How often the way of a key is looked at until nothing moves on it."""


class KeysInOrder(App[Result]):
    """An application that carries out keys and pasted text one by one."""

    def __init__(self) -> None:
        super().__init__()
        self._held: deque[events.Event] = deque()
        self._released: events.Event | None = None
        self._under_way: asyncio.Task[None] | None = None

    async def on_event(self, event: events.Event) -> None:
        typed = isinstance(event, events.Key | events.Paste) and not event.is_forwarded
        if typed and event is not self._released:
            if self._under_way is not None:
                self._held.append(event)
                return
            self._under_way = asyncio.create_task(self._carry_out(event))
        await super().on_event(event)

    async def _press_keys(self, keys: Iterable[str]) -> None:
        """Keys that a program presses: they have been carried out when this is done."""
        await super()._press_keys(keys)
        while self._under_way is not None:
            await asyncio.sleep(0.005)

    async def _carry_out(self, event: events.Event) -> None:
        """Wait for the key that was given out; then the held ones, in their order."""
        try:
            await self._settled(event)
            while self._held and self.is_running:
                self._released = self._held.popleft()
                self.post_message(self._released)
                await self._settled(self._released)
        finally:
            self._under_way = self._released = None

    async def _settled(self, event: events.Event) -> None:
        """Until nothing that a key has set going is on its way any more."""
        text = self.focused if self.screen_stack else None
        if _typed_into(text, event):  # it goes no further than the text
            await _called(self, self.call_later)
            await _called(text, text.call_later)
            return
        for _ in range(ROUNDS):
            if not self.screen_stack:
                return
            screen, focused = self.screen, self.focused
            way: list[MessagePump] = [self, *(focused or screen).ancestors_with_self, self]
            for place in way:
                if not await _called(place, place.call_later):
                    return
            if not self.screen_stack:
                return
            if (screen, focused) != (self.screen, self.focused):
                # What has just come is drawn before it knows where the focus is.
                await _called(self.screen, self.screen.call_after_refresh)
            elif not any(place.message_queue_size for place in way):
                return


def _typed_into(place: Widget | None, event: events.Event) -> TypeGuard[Widget]:
    """Whether an event puts a character into what has the focus."""
    typed = isinstance(event, events.Key) and event.is_printable
    return typed and isinstance(place, Input | TextArea)


async def _called(place: MessagePump, later: Callable[[Callable[[], None]], bool]) -> bool:
    """Wait until a place has come to a call, or is closed; False where nothing comes of it for
    long, so that one place that is busy holds no key back for ever."""
    reached, end = asyncio.Event(), monotonic() + PATIENCE
    while not place.is_running and not place._closed and monotonic() < end:
        await asyncio.sleep(0.005)  # a screen that is about to come
    if not later(reached.set):
        return True
    while not reached.is_set() and place.is_running:
        if monotonic() > end:
            return False
        with suppress(TimeoutError):
            await asyncio.wait_for(reached.wait(), 0.05)
    return True
