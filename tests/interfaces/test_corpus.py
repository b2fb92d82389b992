"""Every odd text that `./dev fuzz texts` ever found, given to the commands again."""

from __future__ import annotations

import random
import tempfile
from collections.abc import Iterator
from pathlib import Path

import pytest

from tools.odd_texts import CORPUS, KINDS, Course, courses_in, made, smaller, sources_of, tried

FOUND = sorted(path for path in CORPUS.rglob("*") if path.is_file())


@pytest.fixture(scope="module")
def courses() -> Iterator[dict[str, Course]]:
    with tempfile.TemporaryDirectory(prefix="embrix-odd-") as place:
        yield courses_in(Path(place))


@pytest.mark.parametrize("path", FOUND, ids=lambda path: f"{path.parent.name} {path.name[:12]}")
def test_texts_that_were_wrong_once(courses: dict[str, Course], path: Path) -> None:
    kind = path.parent.name
    wrong = {
        " ".join(words): fault
        for words in KINDS[kind].commands
        if (fault := tried(courses[kind], kind, path.read_bytes(), words, "Drip"))
    }
    assert not wrong


@pytest.mark.parametrize("kind", KINDS)
def test_some_new_ones(courses: dict[str, Course], kind: str) -> None:
    chance = random.Random(f"{kind} 5")
    sources = sources_of(kind)
    for _ in range(6):
        content = made(kind, sources, chance)
        words = chance.choice(KINDS[kind].commands)
        assert tried(courses[kind], kind, content, words, "Rill") == "", (words, content)


def test_a_fault_would_be_seen(courses: dict[str, Course], monkeypatch: pytest.MonkeyPatch) -> None:
    """A command that ends in a fault of its own, by a status that means nothing, or never."""
    from embrix.cli import findings

    def break_down(_arguments: object) -> int:
        raise KeyError("x")

    course = courses["course"]
    for told, instead in (
        ("internal error", break_down), ("status 9", lambda _: 9), ("Traceback", lambda _: print(
            "Traceback (most recent call last)") or 0),
    ):  # fmt: skip
        monkeypatch.setattr(findings, "check", instead)
        assert told in tried(course, "course", b'title = "t"\n', ("check",), "Drip")
    assert course.folder.joinpath("course.toml").read_bytes() != b'title = "t"\n'


def test_what_is_wrong_is_made_smaller() -> None:
    assert smaller(lambda text: b"x" in text and b"y" in text, b"aaxbbbbbycc" * 30) == b"xy"
