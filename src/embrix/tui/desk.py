"""Between the bench and the worker processes: questions out, answers back as messages.

Answers to what is no longer asked are dropped; what is no longer needed is cancelled.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import Any, TypeAlias

from textual.message import Message
from textual.message_pump import MessagePump

from embrix.messages import wire
from embrix.messages.request import Request
from embrix.workers.ahead import LIVE_WORKER, WORKERS
from embrix.workers.pool import Pool

Take: TypeAlias = Callable[[Any], None]

PATIENCE = 0.25
"""Seconds after which it is told that an answer is still awaited, and that what is in view is what
came before."""


@dataclass
class Asked:
    """What has been asked, from then on until nobody needs the answer."""

    dropped: bool = False


class Delivered(Message):
    """An answer from a worker, on its way to who asked."""

    def __init__(self, take: Take, data: Any, question: Asked | None = None) -> None:
        super().__init__()
        self.take = take
        self.data = data
        self._question = question

    @property
    def wanted(self) -> bool:
        """Whether what it answers has not been given up meanwhile."""
        return self._question is None or not self._question.dropped

    @property
    def asker(self) -> object:
        """Whose method takes it."""
        take = self.take.func if isinstance(self.take, partial) else self.take
        return getattr(take, "__self__", None)


class Faulted(Message):
    """A worker could not answer, through a fault of Embrix itself or because what it was asked
    about is `missing`."""

    def __init__(self, text: str, missing: bool) -> None:
        super().__init__()
        self.text = text
        self.missing = missing


LEAD = 0.3
"""Seconds by which the suite goes before the lanes when the course is read anew."""


class Desk:
    """Asks workers for a widget."""

    def __init__(self, owner: MessagePump, pool: Pool | None = None) -> None:
        self._owner = owner
        self._pool = pool or Pool(WORKERS)
        self._asked: dict[str, dict[int, Asked]] = {}
        self._suite_over: Callable[[], None] | None = None

    def load(
        self, folder: str, take: Take, unsaved: dict[str, str] | None = None,
        extension: str | None = None, worker: int = LIVE_WORKER,
    ) -> None:  # fmt: skip
        """Load the course anew in all workers, or of it what programs with an extension need (with
        an empty one those of the first language); texts in `unsaved` stand for its files. One of
        them checks it all, and says what there is."""
        self._pool.load(folder, self._deliver(take), unsaved, extension, worker)

    def suite_first(self) -> None:
        """Let the suite go before everything that is asked from now on, for a moment or until it is
        over. Both at once take longer where workers share a processor."""
        self.suite_over()
        if self._pool.size > 1:
            self._suite_over = self._pool.pause(LIVE_WORKER, LEAD)

    def suite_over(self) -> None:
        """The suite that goes first has been run, or is not waited for any more."""
        if self._suite_over is not None:
            self._suite_over()
            self._suite_over = None

    def ask(
        self,
        topic: str,
        request: Request,
        take: Take,
        *,
        worker: int = LIVE_WORKER,
        progress: Take | None = None,
        failed: Take | None = None,
    ) -> None:
        """Ask something; `take` gets the answer later, on the interface's thread; `failed` gets the
        reason why none comes, if none does."""
        question = Asked()
        deliver = self._deliver(take, progress, failed, question)
        number = self._pool.ask(request, deliver, worker)
        self._asked.setdefault(topic, {})[number] = question

    def drop(self, topic: str) -> None:
        """Cancel everything asked under a topic. Answers that are on their way already are not
        taken any more."""
        for number, question in self._asked.pop(topic, {}).items():
            question.dropped = True
            self._pool.cancel(number)

    def close(self) -> None:
        self._pool.close()

    def _deliver(
        self,
        take: Take,
        progress: Take | None = None,
        failed: Take | None = None,
        question: Asked | None = None,
    ) -> Callable[[wire.Event], None]:
        def deliver(event: wire.Event) -> None:
            match event:
                case wire.Answered(answer=answer):
                    self._owner.post_message(Delivered(take, answer, question))
                case wire.Progress():
                    if progress is not None:
                        self._owner.post_message(Delivered(progress, event, question))
                case wire.Fault(text=text, kind=kind):
                    if failed is not None:
                        self._owner.post_message(Delivered(failed, text))
                    self._owner.post_message(Faulted(text, kind == "missing"))
                case _:
                    if failed is not None:
                        self._owner.post_message(Delivered(failed, "stopped"))

        return deliver
