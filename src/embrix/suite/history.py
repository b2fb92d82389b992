"""What came of suites before: kept in a database in the user's data folder, so that it can be said
since when a case is red and what the last edit changed.

Only changes are kept: a row says that from some run on a case had a state on a lane. Losing the
database loses no work; what goes wrong with it is reported and otherwise ignored.
"""

from __future__ import annotations

import hashlib
import sqlite3
import time
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import closing, contextmanager
from functools import lru_cache
from pathlib import Path
from typing import Any, TypeAlias

from msgspec import Struct

from embrix.messages.replies_on_suites import SuiteReport
from embrix.text.refusal import refusal
from embrix.text.user_folders import data_folder

VERSION = 1
MOST_SECONDS = 250_000_000_000
"""The last moment that a calendar with four digits has, in seconds since the epoch."""
MOST_RUNS = 2_000
"""Runs that are kept for one suite."""
MOST_ROWS = 2_000_000
"""Rows of the database that are read for one suite."""
WAITING = 5.0
"""Seconds to wait for another process that is writing."""

_TABLES = """
create table if not exists runs (
  number integer primary key, course text not null, suite text not null,
  definitions text not null, at real not null);
create table if not exists verdicts (
  run integer not null references runs (number) on delete cascade,
  name text not null, lane text not null, state text not null, actual text not null);
create index if not exists by_suite on runs (course, suite, number);
create index if not exists by_run on verdicts (run);
"""


class Since(Struct, frozen=True):
    """From when on a case has had its state on a lane: seconds since the epoch, the runs with
    other definitions since then (this one counts), what the state was before, or nothing."""

    at: float
    edits: int
    before: str


Kept: TypeAlias = tuple[str, int, float, str]
"""The state of a case on a lane, the run that brought it, when, and the state before."""
_READ: dict[tuple[str, str], tuple[object, tuple[dict[tuple[str, str], Kept], list[int]]]] = {}
"""What has been read of each suite, and what the database looked like then."""


class Unkept(Exception):
    """The history cannot be read or written; the message says why."""


def history_file() -> Path:
    return data_folder() / "history.sqlite3"


def fingerprint(texts: Mapping[str, str]) -> str:
    """What tells one state of the definitions and suites of a course from another."""
    digest = hashlib.sha256()
    for name in sorted(texts):
        digest.update(_plain(f"{name}\0{len(texts[name])}\0{texts[name]}").encode())
    return digest.hexdigest()


def _plain(name: str) -> str:
    """A name of a file that need not be UTF-8, as a text that can be kept."""
    return name.encode("utf-8", "backslashreplace").decode()


@contextmanager
def _opened() -> Iterator[sqlite3.Connection]:
    path = history_file()
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        with closing(sqlite3.connect(path, timeout=WAITING)) as database:
            database.execute("pragma journal_mode = wal")
            database.execute("pragma foreign_keys = on")
            known = database.execute("pragma user_version").fetchone()[0]
            if known not in (0, VERSION):
                raise Unkept(f"{path.name} was written by another version of Embrix")
            database.executescript(_TABLES)
            if not known:
                database.execute(f"pragma user_version = {VERSION}")
            yield database
    except (OSError, sqlite3.Error) as fault:
        raise Unkept(f"results of suites are not kept: {refusal(fault)}") from fault


def remember(
    course: Path,
    suite: str,
    definitions: str,
    verdicts: Iterable[tuple[str, str, str, str]],
    now: float | None = None,
) -> dict[tuple[str, str], Since]:
    """Keep the verdicts of a run (case, lane, state, actual) and tell for each since when it is so.
    Raises `Unkept`."""
    at = time.time() if now is None else now
    key, suite = _plain(str(course.resolve())), _plain(suite)
    with _opened() as database, database:
        database.execute("begin immediate")
        last = _states(database, key, suite)
        row = database.execute(
            "select number, definitions from runs where course = ? and suite = ? "
            "order by number desc limit 1", (key, suite),
        ).fetchone()  # fmt: skip
        new = list(verdicts)
        changed = [one for one in new if last.get(one[:2], ("",))[0] != one[2]]
        if row is None or row[1] != definitions or changed:
            number = database.execute(
                "insert into runs (course, suite, definitions, at) values (?, ?, ?, ?)",
                (key, suite, definitions, at),
            ).lastrowid  # fmt: skip
            database.executemany(
                "insert into verdicts (run, name, lane, state, actual) values (?, ?, ?, ?, ?)",
                [(number, *one) for one in changed],
            )
        edits = _edits(database, key, suite)
        last = _states(database, key, suite)
        _prune(database, key, suite)
    return {(name, lane): _since(last[name, lane], edits) for name, lane, _, _ in new}


def remembered(
    course: Path, suite: str, verdicts: Iterable[tuple[str, str, str, str]]
) -> dict[tuple[str, str], Since]:
    """Since when the verdicts of a run are so, for those that are as they were when they were kept
    last. Nothing is kept of this run. Raises `Unkept`."""
    key, suite = _plain(str(course.resolve())), _plain(suite)
    last, edits = _kept(key, suite)
    return {
        (name, lane): _since(last[name, lane], edits)
        for name, lane, state, _ in verdicts
        if last.get((name, lane), ("",))[0] == state
    }


def _kept(course: str, suite: str) -> tuple[dict[tuple[str, str], Kept], list[int]]:
    """The last states of a suite and its edits, read again when the database has been written."""
    now = tuple(map(_written_at, (history_file(), Path(f"{history_file()}-wal"))))
    known = _READ.get((course, suite))
    if known is None or known[0] != now:
        with _opened() as database:
            read = _states(database, course, suite), _edits(database, course, suite)
        known = _READ[course, suite] = (now, read)
    return known[1]


def _written_at(path: Path) -> tuple[int, int]:
    """When a file was written last, and its size; nothing of one that is not there."""
    try:
        found = path.stat()
    except OSError:
        return (0, 0)
    return (found.st_mtime_ns, found.st_size)


def _since(kept: Kept, edits: Sequence[int]) -> Since:
    _, run, begun, before = kept
    return Since(begun, sum(1 for other in edits if other >= run), before)


def _states(database: sqlite3.Connection, course: str, suite: str) -> dict[tuple[str, str], Kept]:
    """The last state of each case on each lane."""
    found: dict[tuple[str, str], Kept] = {}
    rows = database.execute(
        "select name, lane, state, runs.number, runs.at from verdicts join runs "
        "on verdicts.run = runs.number where course = ? and suite = ? order by runs.number",
        (course, suite),
    )
    for name, lane, state, run, at in _typed(rows, (str, str, str, int, float)):
        before = found[name, lane][0] if (name, lane) in found else ""
        found[name, lane] = (state, run, at, before)
    return found


def _typed(rows: Iterable[Sequence[Any]], kinds: Sequence[type]) -> Iterator[Sequence[Any]]:
    """Rows of the database, which anything may have been written into. Raises `Unkept`."""
    for number, row in enumerate(rows):
        if number >= MOST_ROWS:
            raise Unkept("results of suites are not kept: there is more of it than can be")
        if not all(map(isinstance, row, kinds)):
            raise Unkept("results of suites are not kept: the history is damaged")
        yield row


def _edits(database: sqlite3.Connection, course: str, suite: str) -> list[int]:
    """The runs whose definitions were not those of the run before."""
    rows = database.execute(
        "select number, definitions from runs where course = ? and suite = ? order by number",
        (course, suite),
    )
    found, last = [], None
    for number, definitions in _typed(rows, (int, str)):
        if definitions != last:
            found.append(number)
        last = definitions
    return found


def _prune(database: sqlite3.Connection, course: str, suite: str) -> None:
    """Forget the oldest runs that no present state rests on."""
    rows = database.execute(
        "select number from runs where course = ? and suite = ? order by number desc "
        "limit -1 offset ?", (course, suite, MOST_RUNS),
    ).fetchall()  # fmt: skip
    needed = {run for _, run, _, _ in _states(database, course, suite).values()}
    old = [(number,) for (number,) in rows if number not in needed]
    database.executemany("delete from verdicts where run = ?", old)
    database.executemany("delete from runs where number = ?", old)


def last_changes(course: Path, suite: str) -> list[tuple[str, str, str, str]]:
    """What the last run changed: case, lane, the state before (or nothing) and the one since.
    Raises `Unkept`."""
    key, suite = _plain(str(course.resolve())), _plain(suite)
    with _opened() as database:
        row = database.execute(
            "select max(number) from runs where course = ? and suite = ?", (key, suite)
        ).fetchone()
        if row is None or row[0] is None:
            return []
        states = _states(database, key, suite)
    return [
        (name, lane, before, state)
        for (name, lane), (state, run, _, before) in states.items()
        if run == row[0] and before
    ]


def since_text(since: Since, now: float | None = None) -> str:
    """For people: `since 14:05, 3 edits ago`."""
    text = f"since {_moment(since.at, _day(time.time() if now is None else now))}"
    return f"{text}, {since.edits} edits ago" if since.edits > 1 else text


def _day(at: float) -> tuple[int, ...]:
    return time.localtime(at)[:3]


@lru_cache(1_000)
def _moment(at: float, today: tuple[int, ...]) -> str:
    """The time of a moment today, or its day as well."""
    moment = time.localtime(min(max(at, 0.0), MOST_SECONDS))
    form = "%H:%M" if moment[:3] == today else "%Y-%m-%d %H:%M"
    return time.strftime(form, moment)


def rows_of(report: SuiteReport) -> list[tuple[str, str, str, str]]:
    """The verdicts of a report as rows; what is left out is not kept."""
    return [
        (case.name, verdict.lane, verdict.state, verdict.actual)
        for case in report.cases
        for verdict in case.verdicts
        if verdict.state != "left out"
    ]
