"""Files that are no texts, that never end, that are elsewhere or have strange names: each is told,
nothing hangs, nothing of what they hold gets out."""

from __future__ import annotations

import os
import signal
import stat
import subprocess
import sys
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from tests.conftest import leave_only
from tests.interfaces.test_cli import run

Capture = pytest.CaptureFixture[str]
STARTER = ("starter", "--language", "Drip", "--with", "environment", "--without", "Mul")


class Hanging(BaseException):
    """Nothing takes this for a fault of a file."""


@pytest.fixture(autouse=True)
def nothing_hangs() -> Iterator[None]:
    def late(_number: int, _frame: object) -> None:
        raise Hanging

    before = signal.signal(signal.SIGALRM, late)
    signal.alarm(60)
    yield
    signal.alarm(0)
    signal.signal(signal.SIGALRM, before)


@pytest.fixture
def drip(course_copy: Path) -> Path:
    leave_only(course_copy, "drip")
    return course_copy


def sparse(path: Path) -> None:
    path.touch()
    os.truncate(path, 8 << 30)


def folder(path: Path) -> None:
    path.mkdir()


Odd = Callable[[Path], None]
NAMES = ["odd.brix", "odd.suite.toml", "programs/odd.drip"]


@pytest.mark.parametrize("odd", [os.mkfifo, sparse, folder], ids=["pipe", "giant", "folder"])
def test_what_is_no_text_among_the_files_of_a_course(
    drip: Path, tmp_path: Path, capsys: Capture, odd: Odd
) -> None:
    for name in NAMES:
        odd(drip / "drip" / name)
    course = ("--course", str(drip))
    for words in (
        ("check",), ("test",), ("format", "--check"), ("uncovered", "--language", "Drip"),
        ("run", "-e", "1 + 2"), ("handout", "--to", str(tmp_path / "h.html")),
        (*STARTER, "--to", str(tmp_path / "s")),
        *(("run", str(drip / "drip" / name)) for name in NAMES),
    ):  # fmt: skip
        status, _, err = run(capsys, words[0], *course, *words[1:])
        assert status in (0, 1, 2, 4), (words, err)
        if status == 2:
            assert "odd." in err


@pytest.mark.parametrize("odd", [os.mkfifo, sparse], ids=["pipe", "giant"])
def test_what_is_no_text_as_the_file_of_the_course(drip: Path, capsys: Capture, odd: Odd) -> None:
    (drip / "course.toml").unlink()
    odd(drip / "course.toml")
    status, _, err = run(capsys, "check", "--course", str(drip))
    assert status in (0, 4), err


def test_what_only_bears_the_name_of_a_file_is_told_of(drip: Path, capsys: Capture) -> None:
    os.mkfifo(drip / "drip" / "pipe.brix")
    (drip / "drip" / "nowhere.suite.toml").symlink_to(drip / "gone")
    os.mkfifo(drip / "drip" / "pipe.txt")
    status, out, _ = run(capsys, "check", "--course", str(drip))
    told = [line for line in out.splitlines() if "is no file with a text; it is left out" in line]
    assert (status, len(told)) == (0, 2)
    assert "pipe.brix" in told[1]


@pytest.mark.parametrize(
    ("given", "status", "told"),
    [
        ("< bytes", 2, "standard input: byte 5 is not UTF-8 text"),
        ("< giant", 2, "standard input is larger than 16 MB"),
    ],
)  # fmt: skip
def test_standard_input_that_is_no_text(
    drip: Path, tmp_path: Path, given: str, status: int, told: str
) -> None:
    (tmp_path / "bytes").write_bytes(b"1 + \xff\n2\n")
    with (tmp_path / "giant").open("wb") as file:
        file.truncate(17 << 20)
    for words in ("run -", "run -e 1 --input -", "repl")[: 2 if "giant" in given else 3]:
        command = f"{sys.executable} -m embrix {words} --course {drip} --language Drip {given}"
        done = subprocess.run(command, shell=True, cwd=tmp_path, capture_output=True, text=True)
        assert "internal error" not in done.stderr
        assert "Traceback" not in done.stderr
        if words == "run -":
            assert (done.returncode, told in done.stderr) == (status, True), done.stderr


def test_links_that_lead_out_are_left_out_and_told(
    drip: Path, tmp_path: Path, capsys: Capture
) -> None:
    secret = tmp_path / "secret"
    secret.write_text("1 + 424242")
    for name in NAMES:
        (drip / "drip" / name).symlink_to(secret)
    (drip / "drip" / "inside.drip").symlink_to(drip / "drip" / "programs" / "toll.drip")
    (drip / "around").symlink_to(drip)
    course = ("--course", str(drip))
    status, out, _ = run(capsys, "check", *course)
    assert (status, out.count("is a link that leads out of the course")) == (0, 3)
    assert run(capsys, "handout", *course, "--to", str(tmp_path / "h.html"))[0] == 0
    assert run(capsys, *STARTER, *course, "--to", str(tmp_path / "s"))[0] == 0
    written = [tmp_path / "h.html", *(p for p in (tmp_path / "s").rglob("*") if p.is_file())]
    assert len(written) > 5
    assert not any("424242" in path.read_text() for path in written)
    assert (tmp_path / "s" / "drip" / "inside.drip").is_file()


def test_names_that_are_no_unicode(drip: Path, tmp_path: Path, capsys: Capture) -> None:
    odd = os.fsdecode(b"x\xff")
    (drip / odd).mkdir()
    (drip / odd / f"{odd}.drip").write_text("1 + 2")
    (drip / odd / f"{odd}.brix").write_text("language Z\nforms E\n  A(\n")
    (drip / odd / f"{odd}.suite.toml").write_text(
        'language = "Drip"\n[[case]]\nname = "a"\nprogram = "1"\nvalue = 2\n'
    )
    course = ("--course", str(drip))
    for words, wanted in (
        (("check",), 4), (("check", "--json"), 4), (("test",), 1), (("test", "--json"), 1),
        (("test", "--report", "junit"), 1), (("test", "--report", "html"), 1), (("changed",), 0),
        (("format", "--check"), 4), (("handout", "--to", str(tmp_path / "h.html")), 0),
        (("handout", "--to", str(tmp_path / "h.pdf")), 0), (("mistakes", "--most", "1"), 0),
        (("run", str(drip / odd / f"{odd}.drip")), 0), ((*STARTER, "--to", str(tmp_path / "s")), 0),
        (("accept", str(drip / odd / f"{odd}.suite.toml"), "a", "--yes"), 0),
        (("accept", str(drip / odd / f"{odd}.suite.toml"), "--undo"), 0),
    ):  # fmt: skip
        status, out, err = run(capsys, words[0], *course, *words[1:])
        assert status == wanted, (words, out[-300:], err[-300:])
        assert (out + err).encode("utf-8", "strict")


def test_folders_of_ours_that_are_files(
    drip: Path, tmp_path: Path, capsys: Capture, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The state, data and config folders cannot be made: what needs them says so, all else goes
    on."""
    blocked = tmp_path / "blocked"
    blocked.write_text("")
    for name in ("XDG_DATA_HOME", "XDG_STATE_HOME", "XDG_CONFIG_HOME", "XDG_CACHE_HOME"):
        monkeypatch.setenv(name, str(blocked))
    (drip / "course.toml").write_text(
        'title = "t"\n[[outside]]\nlanguage = "Drip"\nname = "o"\ncommand = ["true"]\n'
    )
    suite = drip / "drip" / "drip.suite.toml"
    suite.write_text('language = "Drip"\n[[case]]\nname = "a"\nprogram = "1"\nvalue = 2\n')
    before = suite.read_bytes()
    course = ("--course", str(drip))
    for words, wanted, told in (
        (("check",), 0, ""), (("run", "-e", "1"), 0, ""), (("test",), 1, "not kept"),
        (("changed",), 2, "not kept"), (("allow", "o", "--yes"), 2, "cannot be kept"),
        (("accept", str(suite), "a", "--yes"), 2, "not written"),
    ):  # fmt: skip
        status, _, err = run(capsys, words[0], *course, *words[1:])
        assert status == wanted, (words, err)
        assert told in err
        assert "[Errno" not in err
    assert suite.read_bytes() == before


def test_formatting_files_of_all_kinds(drip: Path, tmp_path: Path, capsys: Capture) -> None:
    texts = {
        "empty.brix": b"", "bom.brix": b"\xef\xbb\xbflanguage A\nforms E\n  B( )\n",
        "latin.brix": b"language \xe9\n", "nul.brix": b"language A\x00\n",
        "crlf.brix": b"language A\r\nforms E\r\n  B\r\n", "code.py": b"def f(:\n",
        "error.brix": b"StopIteration\n",
        "deep.brix": b"language A\nforms E\n  B(x: " + b"L[" * 9_000,
    }  # fmt: skip
    for name, content in texts.items():
        path = tmp_path / name
        path.write_bytes(content)
        status, out, err = run(capsys, "format", str(path))
        assert status in (0, 1, 2, 4), (name, out, err)
        if status in (2, 4):
            assert path.read_bytes() == content


@pytest.mark.skipif(os.getuid() == 0, reason="root writes where others may not")
def test_formatting_in_a_folder_that_may_not_be_written(tmp_path: Path, capsys: Capture) -> None:
    path = tmp_path / "a.brix"
    path.write_text("language A\nforms E\n  B( )\n")
    tmp_path.chmod(stat.S_IRUSR | stat.S_IXUSR)
    try:
        status, _, err = run(capsys, "format", str(path))
    finally:
        tmp_path.chmod(stat.S_IRWXU)
    assert (status, "cannot be written" in err) == (2, True)
