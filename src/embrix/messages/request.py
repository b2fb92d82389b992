"""What all requests have in common."""

from __future__ import annotations

from typing import Any, ClassVar

import msgspec


class Request(msgspec.Struct, frozen=True, tag_field="do", forbid_unknown_fields=True):
    """A request; `writes` says whether it must not simply be carried out once more, because it
    writes files or comes after others."""

    reply: ClassVar[Any] = None
    writes: ClassVar[bool] = False


class OnProgram(Request, frozen=True, kw_only=True):
    """A request about a program of a language."""

    language: str
    text: str


class OnRun(OnProgram, frozen=True, kw_only=True):
    """A request about a run, with names supplied by hand and lines of input."""

    given: dict[str, str] = {}
    input: list[str] = []
