"""What programs have taught is kept as long as everything says the same."""

from __future__ import annotations

import random
from pathlib import Path

import pytest

from embrix.compare import kept_weights, weights
from embrix.compare.search import hunt
from embrix.compare.weights import WeightedGenerator, Weights, learned
from embrix.course.checked import MEMORY
from embrix.course.load import Course
from embrix.lanes.session import Session
from embrix.machine.lane import Lane
from embrix.text.sealed import SealedFolder
from embrix.text.user_folders import cache_folder
from tests.conftest import leave_only

SORTS = [("Drip", "environment", "Expr"), ("Mere", "by_need", "Expr"),
         ("Race", "interleaving", "Program")]  # fmt: skip


@pytest.fixture(autouse=True)
def brief(own_cache: None, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(weights, "LEARNING", 150)


@pytest.fixture
def taught(monkeypatch: pytest.MonkeyPatch) -> list[str]:
    """The lanes on which something is learned."""
    found: list[str] = []

    def watched(lane: Lane, *args: object) -> Weights:
        found.append(lane.name)
        return learned(lane, *args)  # type: ignore[arg-type]

    monkeypatch.setattr(kept_weights, "learned", watched)
    return found


def kept(folder: Path, language: str, name: str, sort: str, seed: int = 1) -> tuple[Lane, Weights]:
    """As in a process that knows nothing yet."""
    kept_weights._KNOWN.clear()
    MEMORY.forget()
    lane = Session(folder).lane(language, name)
    return lane, kept_weights.weights_of(lane, sort, seed, lambda: None)


@pytest.mark.parametrize(("language", "name", "sort"), SORTS)
def test_what_is_found_again_is_what_was_learned(
    lockside: Course, taught: list[str], language: str, name: str, sort: str
) -> None:
    _, first = kept(lockside.folder, language, name, sort)
    lane, again = kept(lockside.folder, language, name, sort)
    assert taught == [name]
    assert again.taught() == first.taught() == learned(lane, sort, 1, lambda: None).taught()
    assert len(again.taught().good) > 20

    def made(known: Weights) -> list[object]:
        generator = WeightedGenerator(lane.interpreter.language, random.Random(9).randrange, known)
        return [generator.program(sort) for _ in range(60)]

    assert made(again) == made(learned(lane, sort, 1, lambda: None))


@pytest.mark.parametrize(
    ("file", "old", "new", "anew"),
    [
        ("drip/environment.brix", "Num(n)", "Num(n + 0)", True),
        ("drip/drip.brix", "Let(", "Let (", True),
        ("drip/environment.brix", "\n\n", "\n# more\n\n", False),
        ("drip/by_name.brix", "\n\n", "\n# more\n\n", False),
    ],
)
def test_a_change_teaches_anew(
    course_copy: Path, taught: list[str], file: str, old: str, new: str, anew: bool
) -> None:
    leave_only(course_copy, "drip")
    kept(course_copy, "Drip", "environment", "Expr")
    path = course_copy / file
    assert old in path.read_text()
    path.write_text(path.read_text().replace(old, new, 1))
    kept(course_copy, "Drip", "environment", "Expr")
    assert len(taught) == 1 + anew


def test_seeds_lanes_and_choices_are_kept_apart(course_copy: Path, taught: list[str]) -> None:
    leave_only(course_copy, "rill")
    of = [("environment", 1), ("environment", 2), ("by_need", 1), ("environment[first=right]", 1)]
    first = [kept(course_copy, "Rill", name, "Expr", seed)[1].taught() for name, seed in of]
    assert taught == [name for name, _ in of]
    again = [kept(course_copy, "Rill", name, "Expr", seed)[1].taught() for name, seed in of]
    assert len(taught) == len(of)
    assert again == first


def test_little_is_kept_beside_much(course_copy: Path, taught: list[str]) -> None:
    leave_only(course_copy, "drip")
    _, much = kept(course_copy, "Drip", "environment", "Expr")
    for _ in range(2):
        kept_weights._KNOWN.clear()
        lane = Session(course_copy).lane("Drip", "environment")
        little = kept_weights.weights_of(lane, "Expr", 1, lambda: None, 40)
        assert sum(count for *_, count in little.taught().good) < sum(
            count for *_, count in much.taught().good
        )
    assert len(taught) == 2


def test_a_damaged_file_is_not_believed(course_copy: Path, taught: list[str]) -> None:
    leave_only(course_copy, "drip")
    _, first = kept(course_copy, "Drip", "environment", "Expr")
    (path,) = [one for one in (cache_folder() / "weights").iterdir() if one.is_file()]
    content = path.read_bytes()
    for damaged in (b"", content[:-3], content[:40] + b"9" + content[41:]):
        path.write_bytes(damaged)
        _, again = kept(course_copy, "Drip", "environment", "Expr")
        assert again.taught() == first.taught()
    assert len(taught) == 4
    for other in (b"null", b"{}", b'{"good": 1}'):
        SealedFolder.of_user("weights").write(path.name, other)
        _, again = kept(course_copy, "Drip", "environment", "Expr")
        assert again.taught() == first.taught()
    assert len(taught) == 7


def test_a_hunt_finds_the_same(course_copy: Path, taught: list[str]) -> None:
    leave_only(course_copy, "rill")
    found = []
    for _ in range(2):
        lane, _ = kept(course_copy, "Rill", "environment", "Expr")
        other = Session(course_copy).lane("Rill", "dynamic_scope")
        done = hunt(lane, other, most=200, seed=1)
        found.append((done.tried, done.program, done.ended, done.forms))
    assert found[0] == found[1]
    assert taught == ["environment"] * 2  # a little, and much
