"""Which interpreters can be specialised, as far as that does not rest on the program. The rest of
the package is loaded when there is something to specialise."""

from __future__ import annotations

from embrix.brix import core as k

UNTOUCHED: dict[type, str] = {
    k.Repeat: "it repeats small steps", k.StepList: "it repeats small steps",
    k.IsFinal: "it asks whether terms are final",
    k.TakeWay: "several ways are open",
}  # fmt: skip
"""What is not specialised, and how that is said."""
OF_TERMS = ("substitute", "free", "fresh", "alike")
"""Operations on terms, which only the run knows after them."""


def may_be_specialised(interpreter: k.Interpreter) -> bool:
    """Whether programs of an interpreter can be specialised, as far as that does not rest on the
    program."""
    parts = [
        part for name in interpreter.reached for part in k.parts_inside(interpreter.functions[name])
    ]
    return not any(
        type(part) in UNTOUCHED or (isinstance(part, k.Primitive) and part.operation in OF_TERMS)
        for part in parts
    )
