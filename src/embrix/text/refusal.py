"""Why the system refuses something that was asked of it, in words."""

from __future__ import annotations


def refusal(fault: BaseException) -> str:
    """The reason alone, `No space left on device`: number and path are left to who says what could
    not be done."""
    reason = fault.strerror if isinstance(fault, OSError) else None
    return reason or str(fault) or type(fault).__name__
