"""A hunt tries some programs when little has been learned, and the others when much has."""

from __future__ import annotations

import pytest

from embrix.compare import kept_weights, search
from embrix.compare.search import Hunt, hunt
from embrix.compare.weights import Weights, learned
from embrix.lanes.session import Session
from embrix.machine.lane import Lane
from tests.conftest import shipped_session

LITTLE, MUCH = 60, 130


@pytest.fixture
def session() -> Session:
    return shipped_session()


@pytest.fixture(autouse=True)
def brief(monkeypatch: pytest.MonkeyPatch) -> None:
    kept_weights._KNOWN.clear()
    monkeypatch.setattr("embrix.compare.search.AT_FIRST", LITTLE)
    monkeypatch.setattr("embrix.compare.weights.LEARNING", MUCH)


@pytest.fixture
def learning(monkeypatch: pytest.MonkeyPatch) -> list[object]:
    """How many programs are learned from, each time."""
    found: list[object] = []

    def watched(lane: Lane, *args: object) -> Weights:
        found.append(args[-1])
        return learned(lane, *args)  # type: ignore[arg-type]

    monkeypatch.setattr(kept_weights, "learned", watched)
    return found


def of_rill(session: Session, *names: str) -> list[Lane]:
    return [session.lane("Rill", name) for name in names]


def test_what_differs_soon_is_found_when_little_is_learned(
    session: Session, learning: list[object]
) -> None:
    found = hunt(*of_rill(session, "environment", "by_name"))
    assert found.program
    assert found.tried <= search.FIRST_LOOK
    assert learning == [LITTLE]


def test_all_that_were_asked_for_are_tried_once(
    session: Session, learning: list[object], monkeypatch: pytest.MonkeyPatch
) -> None:
    """A quarter of them first; none of these comes again."""
    one, other = of_rill(session, "environment", "store_passing")
    tried: list[tuple[int, Weights, object]] = []
    run = search._Search._run

    def watched(self: search._Search, lane: Lane, term: tuple[object, ...]) -> object:
        if lane is one:
            tried.append((len(learning), self.weights, term))
        return run(self, lane, term)

    monkeypatch.setattr(search._Search, "_run", watched)
    found = hunt(one, other, most=40)
    assert (found.program, found.tried) == ("", 40)
    assert learning == [LITTLE, MUCH]
    assert [times for times, _, _ in tried] == [1] * 10 + [2] * 30
    assert [used is tried[0][1] for _, used, _ in tried] == [True] * 10 + [False] * 30
    assert len({term for _, _, term in tried}) == 40


def test_few_programs_are_tried_when_much_is_learned(
    session: Session, learning: list[object]
) -> None:
    found = hunt(*of_rill(session, "environment", "store_passing"), most=3)
    assert (found.tried, learning) == (3, [LITTLE, MUCH])


def test_what_differs_later_is_found_all_the_same(
    session: Session, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The first look has one program."""
    monkeypatch.setattr(search, "FIRST_LOOK", 1)
    found = hunt(*of_rill(session, "environment", "by_name"))
    assert found.program
    assert found.tried > 1


def test_a_first_look_that_is_stopped_is_the_last(session: Session, learning: list[object]) -> None:
    def stop(so_far: Hunt) -> None:
        if so_far.tried == 100:
            raise InterruptedError

    found = hunt(*of_rill(session, "environment", "store_passing"), progress=stop)
    assert (found.stopped, found.tried, learning) == (True, 100, [LITTLE])


def test_it_is_told_that_learning_goes_on_and_may_be_stopped(session: Session) -> None:
    lanes = of_rill(session, "environment", "store_passing")
    told: list[tuple[bool, int]] = []

    def stop(so_far: Hunt) -> None:
        told.append((so_far.learning, so_far.tried))
        if so_far.learning and so_far.tried:
            raise InterruptedError

    found = hunt(*lanes, most=4_000, progress=stop)
    assert told[0] == (True, 0)
    assert told[-1] == (True, search.FIRST_LOOK)
    assert (False, 100) in told
    assert found.stopped
    assert not found.learning
    assert found.sentence == (
        "stopped after 300 of 4,000 programs (seed 1); on none of these the lanes differ"
    )
