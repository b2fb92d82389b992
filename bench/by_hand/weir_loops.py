"""As much of Weir as loops need, turned into closures: names are cells of one list, statements
change them in place. Written first, then left alone.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

Cells = list[Any]
Code = Callable[[Cells], Any]


class Weir:
    """The cells of a program by their names, and its code."""

    def __init__(self, signature: Any, program: Any) -> None:
        self._forms = {tag: form.name for tag, form in signature.by_tag.items()}
        self._cells: dict[str, int] = {}
        self._program = self.statement(program)

    def run(self, name: str) -> Any:
        """What a name stands for at the end."""
        cells: Cells = [None] * len(self._cells)
        self._program(cells)
        return cells[self._cells[name]]

    def statement(self, node: Any) -> Code:
        match self._forms[node[0]], *node[2:]:
            case "Declare", x, value:
                code, at = self.expression(value), self._cells.setdefault(x, len(self._cells))
                return lambda cells: cells.__setitem__(at, code(cells))
            case "Assign", x, value:
                code, at = self.expression(value), self._cells[x]
                return lambda cells: cells.__setitem__(at, code(cells))
            case "Block", items:
                steps = []
                while len(items) > 2:
                    steps.append(self.statement(items[2]))
                    items = items[3]

                def block(cells: Cells) -> None:
                    for step in steps:
                        step(cells)

                return block
            case "While", test, body:
                asked, done = self.expression(test), self.statement(body)

                def loop(cells: Cells) -> None:
                    while True:
                        v = asked(cells)
                        if v is False:
                            return
                        if v is not True:
                            raise TypeError("a truth was wanted")
                        done(cells)

                return loop
        raise AssertionError(node)

    def expression(self, node: Any) -> Code:
        match self._forms[node[0]], *node[2:]:
            case "Lit", n:
                return lambda cells: n
            case "Var", x:
                at = self._cells[x]
                return lambda cells: cells[at]
            case "Add", left, right:
                one, other = self.expression(left), self.expression(right)

                def add(cells: Cells) -> Any:
                    a, b = one(cells), other(cells)
                    if type(a) is int and type(b) is int:
                        return a + b
                    raise TypeError("a number was wanted")

                return add
            case "Less", left, right:
                one, other = self.expression(left), self.expression(right)

                def less(cells: Cells) -> Any:
                    a, b = one(cells), other(cells)
                    if type(a) is int and type(b) is int:
                        return a < b
                    raise TypeError("a number was wanted")

                return less
        raise AssertionError(node)
