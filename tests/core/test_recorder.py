"""The record of a run against what happened, whatever is packed meanwhile."""

from __future__ import annotations

from unittest.mock import patch

import pytest
from hypothesis import given
from hypothesis import strategies as st

from embrix.machine.faults import OutOfFuel
from embrix.machine.recorder import NOT_LEFT, WholeRecord

happenings = st.lists(st.sampled_from(["enter", "leave", "try", "caught", "look"]), max_size=60)


@given(happenings, st.integers(0, 40), st.integers(1, 7))
def test_what_happened_is_what_is_recorded(steps: list[str], most: int, piece: int) -> None:
    events: list[int] = []
    parents: list[int] = []
    opened: list[int] = []
    results: dict[int, object] = {}
    marks: list[tuple[tuple[int, int], int]] = []
    with patch("embrix.machine.recorder.PIECE", piece):
        record = WholeRecord(most)
        for step in steps:
            if step == "enter":
                number = len(parents)
                parents.append(opened[-1] if opened else -1)
                if len(events) >= most:
                    with pytest.raises(OutOfFuel):
                        record.enter(number % 3, (number,))
                    break
                assert record.enter(number % 3, (number,)) == number
                events.append(number)
                opened.append(number)
            elif step == "leave" and opened and (not marks or len(opened) > marks[-1][1]):
                left = opened.pop()
                results[left] = f"result of {left}"
                assert record.leave(left, results[left]) is results[left]
                events.append(~left)
            elif step == "try":
                marks.append((record.mark(), len(opened)))
            elif step == "caught" and marks:
                mark, height = marks.pop()
                record.caught(mark)
                while len(opened) > height:
                    events.append(~opened.pop())
            elif step == "look":
                assert list(record.events) == events
            assert record.now == len(events)
            assert record.current == (opened[-1] if opened else -1)
    assert list(record.events) == events
    assert list(record.parents) == parents
    assert [one[0] for one in record.arguments] == list(range(len(parents)))
    assert record.functions == [number % 3 for number in range(len(parents))]
    for number, result in enumerate(record.results):
        assert result is results.get(number, NOT_LEFT)
