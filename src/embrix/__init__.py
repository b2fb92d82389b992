"""Embrix: a workbench for definitional interpreters of small teaching languages.

As a library: `embrix.load(FOLDER)` and `embrix.demo()` give a course; see `embrix.api`.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

__version__ = "0.1.0"

if TYPE_CHECKING:
    from embrix.api import (
        BadValue,
        Course,
        Lane,
        NotFound,
        Problem,
        Result,
        Step,
        Verdict,
        demo,
        load,
    )

__all__ = [
    "BadValue",
    "Course",
    "Lane",
    "NotFound",
    "Problem",
    "Result",
    "Step",
    "Verdict",
    "__version__",
    "demo",
    "load",
]


def __getattr__(name: str) -> Any:
    """The library is read when something of it is asked for: the command needs it seldom."""
    if name in __all__:
        from embrix import api

        return getattr(api, name)
    raise AttributeError(f"module 'embrix' has no attribute {name!r}")
