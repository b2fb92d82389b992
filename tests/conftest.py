"""Fixtures for all tests: user folders of their own, the shipped course, small made-up courses."""

from __future__ import annotations

import gc
import shutil
import textwrap
from collections.abc import Callable, Iterator
from functools import cache
from itertools import pairwise
from pathlib import Path

import pytest
from hypothesis import HealthCheck, settings

from embrix.course.load import Course, load_course
from embrix.course.shipped import shipped_course
from embrix.grammar.earley import EarleyParser
from embrix.lanes.session import Session
from embrix.machine.lane import Lane
from embrix.text.collecting import collect_seldom
from embrix.text.toml_places import heads
from embrix.text.user_folders import use_cache

UNHURRIED = settings(
    deadline=None,
    suppress_health_check=[HealthCheck.too_slow, HealthCheck.function_scoped_fixture],
)
settings.register_profile("embrix", UNHURRIED, derandomize=True, max_examples=40)
settings.register_profile("thorough", UNHURRIED, max_examples=1_000)
settings.load_profile("embrix")
collect_seldom()  # as every process of Embrix does


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Files of tests that mostly wait for a screen stand evenly between those that compute."""
    files: dict[Path, list[pytest.Item]] = {}
    for item in items:
        files.setdefault(item.path, []).append(item)
    kinds: dict[Path, list[Path]] = {}
    for path in files:
        kinds.setdefault(path.parent, []).append(path)
    spread = {path: number / len(paths) for paths in kinds.values()
              for number, path in enumerate(paths)}  # fmt: skip
    items[:] = [item for path in sorted(files, key=spread.__getitem__) for item in files[path]]


def pytest_collection_finish() -> None:
    """What has been imported and collected stays: garbage is not looked for there."""
    gc.freeze()


@pytest.fixture(autouse=True)
def own_folders(tmp_path_factory: pytest.TempPathFactory, monkeypatch: pytest.MonkeyPatch) -> Path:
    """No test reads or writes the folders of whoever runs it, or depends on where it is run."""
    home = tmp_path_factory.mktemp("home")
    for name in ("XDG_DATA_HOME", "XDG_STATE_HOME", "XDG_CONFIG_HOME", "XDG_CACHE_HOME"):
        monkeypatch.setenv(name, str(home / name.lower()))
    # What was compiled is kept for the tests that come after: only they read it.
    base = tmp_path_factory.getbasetemp()
    monkeypatch.setenv("XDG_CACHE_HOME", str(base / "cache"))
    key = home / "xdg_state_home" / "embrix" / "cache-key"
    key.parent.mkdir(parents=True)
    key.touch(0o600)
    key.write_bytes(str(base).encode()[-32:].rjust(32))
    monkeypatch.setenv("HOME", str(home))
    monkeypatch.chdir(home)
    use_cache(on=False)  # a test that came before may have carried out a command
    return home


@pytest.fixture(autouse=True)
def learn_little(request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch) -> None:
    """Little is learned of what makes good programs; tests of that are marked `well_taught`."""
    if request.node.get_closest_marker("well_taught") is None:
        monkeypatch.setattr("embrix.compare.weights.LEARNING", 200)


@pytest.fixture
def own_cache(own_folders: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    """What can be made again is kept, in a folder with nothing in it yet."""
    monkeypatch.setenv("XDG_CACHE_HOME", str(own_folders / "cache"))
    use_cache()
    yield
    use_cache(on=False)


@cache
def shipped_session() -> Session:
    """Over the shipped course, as shipped: one for all tests of a process."""
    return Session(shipped_course())


@pytest.fixture(scope="session")
def lockside() -> Course:
    """The shipped course, as shipped."""
    return shipped_session().course


@pytest.fixture(scope="session")
def drip_lanes(lockside: Course) -> dict[str, Lane]:
    """The lanes of Drip by name."""
    grammar = lockside.languages["Drip"].grammar
    assert grammar is not None
    parser = EarleyParser(grammar)
    return {name: Lane(lane, parser) for name, lane in lockside.interpreters["Drip"].items()}


@pytest.fixture
def course_copy(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A copy of the shipped course that a test may change. It always lies at the same place: what
    a test leaves as it is has been checked for the tests that came before."""
    target = tmp_path_factory.getbasetemp() / "copied" / "lockside"
    shutil.rmtree(target.parent, ignore_errors=True)
    shutil.copytree(shipped_course(), target)
    return target


def leave_only(folder: Path, *names: str) -> None:
    """Take all languages out of a copy of the shipped course but some: less to load."""
    extended = {"drip", "rill"} if set(names) - {"drip"} else {"drip"}
    for inside in folder.iterdir():
        if inside.is_dir() and inside.name not in extended.union(names):
            shutil.rmtree(inside)


def shorten_suites(folder: Path, cases: int) -> None:
    """Leave only the first cases of each suite, and all its questions: less to wait for."""
    for path in folder.rglob("*.suite.toml"):
        text = path.read_text(encoding="utf-8")
        begins = [*heads(text, ("case", "question")), (len(text), "end")]
        kept = [text[: begins[0][0]]]
        seen = 0
        for (at, kind), (end, _) in pairwise(begins):
            seen += kind == "case"
            if kind == "question" or seen <= cases:
                kept.append(text[at:end])
        path.write_text("".join(kept), encoding="utf-8")


Maker = Callable[..., Course]


@pytest.fixture
def make_course(tmp_path: Path) -> Maker:
    """Make a course from texts: `make_course(a="language A …", b="interpreter …")`."""

    def make(**texts: str) -> Course:
        (tmp_path / "course.toml").write_text('title = "made up"\n')
        for name, text in texts.items():
            (tmp_path / f"{name}.brix").write_text(textwrap.dedent(text))
        return load_course(tmp_path)

    return make


TINY_LANGUAGE = """\
language Tiny
  extension "tiny"

tokens
  number  /[0-9]+/        as Number
  name    /[a-z]+/        as Name
  skip    / +/

forms Expr
  Lit(n: Number)
  Var(x: Name)                            uses x
  Add(left: Expr, right: Expr)
  Let(x: Name, bound: Expr, body: Expr)   binds x in body

grammar
  start Expr
  Expr ::= "let" x:name "=" bound:Expr "in" body:Expr makes Let | Sum
  operators Sum : Expr
    left "+" makes Add
    operand Atom
  Atom : Expr ::= n:number makes Lit | x:name makes Var | "(" Expr ")"
"""
"""A language small enough to hold in the head."""
