"""The faults that are put into Embrix to see whether its tests find them."""

from __future__ import annotations

import ast

import pytest

from tools.mutants import Mutant, faults

TEXT = '''\
"""A text with 3 numbers."""
LIMIT: Literal[7] = 4
@cache(size=5)
def low(items: list[int], deep: bool) -> Literal[9]:
    for item in items:
        if item < LIMIT and not deep:
            continue
        note(f"{item + 1} of {len(items)}")
    return "é" + items[0]
'''
BY_HAND = {
    ("4", "5"), ("item < LIMIT", "(item <= LIMIT)"), ("not deep", "(deep)"), ("continue", "break"),
    ("item < LIMIT and not deep", "(item < LIMIT or not deep)"), ("0", "1"),
    ('note(f"{item + 1} of {len(items)}")', "pass"), ('"é" + items[0]', "('é' - items[0])"),
}  # fmt: skip


def test_faults_are_made_of_what_is_carried_out() -> None:
    found = list(faults("low.py", TEXT))
    assert {(one.old, one.new) for one in found} == BY_HAND


@pytest.mark.parametrize("one", list(faults("low.py", TEXT)), ids=str)
def test_each_fault_is_another_program(one: Mutant) -> None:
    text = TEXT.encode()
    changed = (text[: one.start] + one.new.encode() + text[one.end :]).decode()
    assert ast.dump(ast.parse(changed)) != ast.dump(ast.parse(TEXT))
