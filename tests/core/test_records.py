"""Files of our own: read with types and bounds, changed by one process at a time, never overwritten
when they are damaged."""

from __future__ import annotations

import contextlib
import json
import multiprocessing
import os
import sqlite3
import subprocess
import sys
from pathlib import Path

import platformdirs
import pytest

from embrix.course import permission
from embrix.course.outside import Outside
from embrix.course.records import MOST_BYTES, Damaged, Record, alone, read_record, write_record
from embrix.course.replacing import go_back, replace_file
from embrix.suite.accept import CannotAccept
from embrix.suite.adopt import adopt
from embrix.suite.cases import Suite
from embrix.suite.history import Since, Unkept, history_file, last_changes, remember, since_text
from embrix.text.saving import save_text
from embrix.text.source import Source
from tests.interfaces.test_cli import run


class Sample(Record):
    words: list[str]
    count: int = 0


def test_a_record_is_read_as_it_was_written(tmp_path: Path) -> None:
    target = tmp_path / "deep" / "sample.json"
    assert read_record(target, Sample) is None
    write_record(target, Sample(["a", "\udcff", "\u2028"], 3))
    assert read_record(target, Sample) == Sample(["a", "\udcff", "\u2028"], 3)


@pytest.mark.parametrize(
    "content",
    [b"", b"{", b"[" * 100_000, b"[]", b'{"words": 3}', b'{"words": [1]}', b"\x00", b"\xff\xfe",
     b'{"words": [], "count": "x"}', b"null", b"1e999", b'{"words": []}' + b" " * MOST_BYTES],
    ids=range(12),
)  # fmt: skip
def test_a_damaged_record_is_told_and_stays(tmp_path: Path, content: bytes) -> None:
    target = tmp_path / "sample.json"
    target.write_bytes(content)
    with pytest.raises(Damaged, match="sample"):
        read_record(target, Sample)
    assert target.read_bytes() == content


def test_damaged_permissions_are_not_overwritten(
    course_copy: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    (course_copy / "course.toml").write_text(
        'title = "t"\n[[outside]]\nlanguage = "Drip"\nname = "one"\ncommand = ["true"]\n'
    )
    file = Path(platformdirs.user_config_dir("embrix")) / "allowed.json"
    file.parent.mkdir(parents=True)
    file.write_text("{damaged")
    status, _, err = run(capsys, "allow", "one", "--yes", "--course", str(course_copy))
    assert status == 2
    assert "allowed.json is damaged" in err
    assert file.read_text() == "{damaged"


def test_a_damaged_record_of_changes_stops_a_change_before_it_happens(tmp_path: Path) -> None:
    suite = tmp_path / "a.suite.toml"
    suite.write_text("old")
    replace_file(suite, "old", "new")
    (record,) = (Path(platformdirs.user_state_dir("embrix")) / "before").iterdir()
    for bad in ("[]", '{"file": "x", "texts": [[1, 2]]}', '{"file": "x", "texts": [["a"]]}'):
        record.write_text(bad)
        with pytest.raises(Damaged):
            replace_file(suite, "new", "newer")
        with pytest.raises(Damaged):
            go_back(suite)
        assert (suite.read_text(), record.read_text()) == ("new", bad)


def _allow_some(folder: Path, first: int) -> None:
    for number in range(first, first + 8):
        permission.allow(folder, Outside("L", f"o{number}", ("true", str(number))))


def _append_some(path: Path, name: str) -> None:
    for number in range(8):
        with alone(path):
            text = path.read_text()
            save_text(path, f"{text}{name}{number}\n")


def test_three_writers_lose_nothing(tmp_path: Path) -> None:
    """Each reads, changes and writes while the others do."""
    log = tmp_path / "log"
    log.write_text("")
    context = multiprocessing.get_context("fork")
    jobs = [context.Process(target=_allow_some, args=(tmp_path, 8 * n)) for n in range(3)]
    jobs += [context.Process(target=_append_some, args=(log, name)) for name in "abc"]
    for job in jobs:
        job.start()
    for job in jobs:
        job.join(60)
    assert [job.exitcode for job in jobs] == [0] * 6
    outsides = [Outside("L", f"o{n}", ("true", str(n))) for n in range(24)]
    assert all(permission.is_allowed(tmp_path, one) for one in outsides)
    assert sorted(log.read_text().split()) == sorted(f"{a}{n}" for a in "abc" for n in range(8))


def test_three_commands_accept_at_once(course_copy: Path) -> None:
    """Each accepts another case of one suite; all three are in it afterwards."""
    suite = course_copy / "drip" / "drip.suite.toml"
    cases = "".join(
        f'[[case]]\nname = "c{n}"\nprogram = "{n} + 1"\nvalue = 99\n\n' for n in range(3)
    )
    suite.write_text(f'language = "Drip"\n{cases}')
    words = (sys.executable, "-m", "embrix", "accept", str(suite), "--yes", "--course",
             str(course_copy))  # fmt: skip
    jobs = [
        subprocess.Popen(
            [*words[:5], f"c{n}", *words[5:]], stdout=subprocess.DEVNULL, stderr=subprocess.PIPE
        )
        for n in range(3)
    ]
    assert [(job.communicate(timeout=120)[1], job.returncode) for job in jobs] == [(b"", 0)] * 3
    assert [f"value = {n + 1}\n" in suite.read_text() for n in range(3)] == [True] * 3


def test_temporary_files_of_killed_writers_are_swept(tmp_path: Path) -> None:
    target = tmp_path / "a.brix"
    gone = subprocess.Popen(["true"])
    gone.wait()
    left = tmp_path / f".a.brix.{gone.pid}.abc~"
    left.write_text("half")
    mine = tmp_path / f".a.brix.{os.getpid()}.abc~"
    mine.write_text("being written")
    other = tmp_path / f".b.brix.{gone.pid}.abc~"
    other.write_text("of another file")
    save_text(target, "whole")
    assert not left.exists()
    assert mine.exists()
    assert other.exists()
    assert target.read_text() == "whole"


# ---------------------------------------------------------------------- history


@pytest.mark.parametrize(
    "change",
    [
        "update verdicts set state = x'ff00'", "update runs set at = 'yesterday'",
        "update runs set number = 3, definitions = null", "update runs set definitions = 7.5",
        "update verdicts set name = 4, lane = null", "drop table runs",
        "alter table verdicts rename column state to other",
    ],
)  # fmt: skip
def test_a_history_that_holds_anything_is_told_or_used(tmp_path: Path, change: str) -> None:
    remember(tmp_path, "s", "d1", [("a", "l", "passed", "")])
    remember(tmp_path, "s", "d2", [("a", "l", "failed", "2")])
    with sqlite3.connect(history_file()) as database:
        database.execute("pragma foreign_keys = off")
        database.execute("pragma ignore_check_constraints = on")
        try:
            database.execute(change)
        except sqlite3.IntegrityError:
            pytest.skip("the database refuses that")
    for ask in (
        lambda: remember(tmp_path, "s", "d3", [("a", "l", "passed", "")]),
        lambda: last_changes(tmp_path, "s"),
    ):
        with contextlib.suppress(Unkept):
            told = ask()
            for since in told.values() if isinstance(told, dict) else ():
                assert since_text(since).startswith("since ")


@pytest.mark.parametrize("at", [0.0, -1e300, 1e300, float("inf"), 1e18])
def test_any_step_is_told(at: float) -> None:
    assert since_text(Since(at, 1, "")).startswith("since ")


# ---------------------------------------------------------------------- recorded answers


def _suite() -> Suite:
    text = 'language = "Drip"\n[[case]]\nname = "a"\nprogram = "1"\nvalue = 1\n'
    return Suite(Source("t.suite.toml", text), "Drip", "", (), ())


@pytest.mark.parametrize(
    ("answers", "told"),
    [
        ("[" * 100_000, "no JSON"),
        ("7", "answer 1"),
        ("[3]", "answer 1"),
        ('[{"program": 3, "value": 1}]', "program"),
        ('[{"program": "1", "value": 1}, {"program": "2", "value": [1]}]', "answer 2"),
        ('{"program": "1", "value": 1, "input": 5}', "input"),
        ('{"program": "1", "value": 1, "given": {"a": {}}}', "given"),
        ('{"program": "1", "value": null}', "value"),
        ('{"program": "1", "valu": 1}', "valu"),
        ('{"program": "1", "name": 4, "value": 1}', "name"),
        ('{"program": "1", "for": {"x": 3}}', "for"),
        ('{"program": "1"}', "no value, error or output"),
        ("[" + "{}," * 6_000 + "{}]", "more than 5,000"),
    ],
    ids=range(13),
)
def test_recorded_answers_of_other_kinds_are_told(answers: str, told: str) -> None:
    with pytest.raises(CannotAccept, match=told):
        adopt(_suite(), answers, "elsewhere")


def test_thousands_of_answers_are_taken_over_at_once() -> None:
    answers = [{"program": f"{n} + 1", "name": "same", "value": n + 1} for n in range(1_500)]
    made = adopt(_suite(), json.dumps(answers), "elsewhere").text
    assert made.count("[[case]]") == 1_501
    assert made.count('name = "same') == 1_500
