"""Code that is kept on disk is what would be made anew, and is believed only where we wrote it."""

from __future__ import annotations

import marshal
import os
import random
import shutil
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from embrix.course.load import Course, load_course
from embrix.course.shipped import shipped_course
from embrix.machine import compiler, kept_code, known_code, linking, run
from embrix.machine.lane import Lane, parser_for
from embrix.text import digests, sealed
from embrix.text.sealed import SealedFolder
from embrix.text.user_folders import cache_folder, state_folder, use_cache
from tests.core.test_known_code import changed_definitions, outcomes

RUNNING = "import sys; from embrix.cli.main import main; sys.exit(main(sys.argv[1:]))"


@pytest.fixture(autouse=True)
def in_use(own_cache: None) -> Iterator[None]:
    """With nothing kept yet, and no key."""
    (state_folder() / "cache-key").unlink()
    as_in_a_new_process()
    yield
    as_in_a_new_process()


def as_in_a_new_process() -> None:
    known_code._KNOWN.clear()
    run._COMPILED.clear()
    kept_code._LOOKED.clear()
    compiler.beside.cache_clear()


@pytest.fixture
def nothing_compiled(monkeypatch: pytest.MonkeyPatch) -> None:
    """Whoever compiles something fails."""

    def refused(*_: object, **__: object) -> Any:
        raise AssertionError("this is compiled")

    monkeypatch.setattr(linking, "compile", refused, raising=False)


def code_files() -> list[Path]:
    folder = cache_folder() / "code"
    return sorted(folder.iterdir()) if folder.exists() else []


def lane_of(course: Course, language: str, name: str) -> Lane:
    parser = parser_for(course.languages[language])
    assert parser is not None
    return Lane(course.interpreters[language][name], parser)


def gives(course: Course, language: str, name: str, text: str) -> str:
    return lane_of(course, language, name).run(text, variant="plain").outcome.text


def programs_of(course: Course, language: str) -> list[str]:
    folder = course.folder / language.lower() / "programs"
    return [path.read_text() for path in sorted(folder.iterdir())][:2]


SHIPPED = [
    (path.parent.name.capitalize(), path.stem)
    for path in sorted(shipped_course().glob("*/*.brix"))
    if path.read_text().startswith("interpreter ") and path.parent.name != "common"
]


@pytest.mark.parametrize(("language", "name"), SHIPPED)
def test_what_was_kept_runs_as_what_is_made(lockside: Course, language: str, name: str) -> None:
    """Every way to end, place, output, cost and step of every shipped lane. Nothing is compiled the
    second time, for whatever variant."""
    programs = programs_of(lockside, language)
    made = outcomes(lane_of(lockside, language, name), programs)
    assert code_files()
    as_in_a_new_process()
    compiled: list[object] = []
    with pytest.MonkeyPatch.context() as patched:
        patched.setattr(linking, "compile", lambda *args: compiled.append(args) or compile(*args),
                        raising=False)  # fmt: skip
        brief = lane_of(lockside, language, name)
        for variant in ("plain", "counted", "traced"):
            brief.machine.compiled(variant, brief=True)  # type: ignore[arg-type]
        assert compiled == []
    assert outcomes(lane_of(lockside, language, name), programs) == made


def test_what_is_there_is_not_written_again(lockside: Course) -> None:
    gives(lockside, "Rill", "environment", "1 + 2")
    (kept,) = code_files()
    os.utime(kept, ns=(1, 1))
    as_in_a_new_process()
    gives(lockside, "Rill", "environment", "1 + 2")
    assert kept.stat().st_mtime_ns == 1


def test_another_process_finds_it(lockside: Course, nothing_compiled: None) -> None:
    """One that orders sets and tables otherwise."""
    words = ["run", "-e", "1 + 2", "--language", "Rill", "--with", "environment",
             "--course", str(shipped_course())]  # fmt: skip
    ran = subprocess.run(
        [sys.executable, "-c", RUNNING, *words], env={**os.environ, "PYTHONHASHSEED": "11"},
        capture_output=True, text=True, timeout=120, check=False,
    )  # fmt: skip
    assert ran.stdout == "3\n"
    assert gives(lockside, "Rill", "environment", "3 * 4") == "12"


def test_many_processes_at_once(lockside: Course, nothing_compiled: None) -> None:
    """On an empty folder, where each makes a key of its own: one of them remains, and in the end
    so does what was written with it."""
    words = ["run", "-e", "1 + 2", "--language", "Drip", "--with", "environment",
             "--course", str(shipped_course())]  # fmt: skip
    command = [sys.executable, "-c", RUNNING, *words]
    for _ in range(2):
        running = [subprocess.Popen(command, stdout=subprocess.PIPE, text=True) for _ in range(4)]
        assert [one.communicate(timeout=120)[0] for one in running] == ["3\n"] * 4
    assert gives(lockside, "Drip", "environment", "3 * 4") == "12"


def test_whatever_is_in_the_files_nothing_is_believed_that_was_not_written(
    lockside: Course, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Bytes changed, cut off, added; files that change places; an older file; none of our key."""
    chance = random.Random(20)
    gives(lockside, "Rill", "environment", "1 + 2")
    gives(lockside, "Rill", "by_name", "1 + 2")
    kept = {path: path.read_bytes() for path in code_files()}
    assert len(kept) == 2
    believed: list[bytes] = []
    loads = marshal.loads

    def watched(content: bytes) -> Any:
        believed.append(content)
        return loads(content)

    monkeypatch.setattr(marshal, "loads", watched)
    whole = set(kept.values())
    for turn in range(60):
        first, second = kept
        for path, content in kept.items():
            at = chance.randrange(len(content))
            changed = bytearray(content)
            changed[at] ^= 1 << chance.randrange(8)
            other = kept[first if path == second else second]
            path.write_bytes((
                bytes(changed), content[:at], content + b"\0", other, os.urandom(at), b"",
                os.urandom(32) + content[32:],
            )[turn % 7])  # fmt: skip
            assert path.read_bytes() not in whole or turn % 7 == 3
        as_in_a_new_process()
        assert gives(lockside, "Rill", "environment", "3 * 4") == "12"
        assert believed == []
        # It is there again.
        as_in_a_new_process()
        assert gives(lockside, "Rill", "environment", "3 * 4") == "12"
        assert len(believed) == 1
        believed.clear()


@pytest.mark.parametrize("kind", ["pipe", "a link to a pipe", "a folder", "large"])
def test_what_is_no_ordinary_file_is_not_read(
    lockside: Course, own_folders: Path, kind: str
) -> None:
    """Neither as code nor as a key; nobody waits for it."""
    os.mkfifo(own_folders / "endless")
    gives(lockside, "Drip", "environment", "1 + 2")
    (kept,), key = code_files(), state_folder() / "cache-key"
    for path in (kept, key):
        path.unlink()
        match kind:
            case "pipe":
                os.mkfifo(path)
            case "a link to a pipe":
                path.symlink_to(own_folders / "endless")
            case "a folder":
                path.mkdir()
            case _:
                with path.open("wb") as file:
                    file.truncate(1 << 40)
        as_in_a_new_process()
        assert gives(lockside, "Drip", "environment", "3 * 4") == "12"


def test_a_link_is_replaced_and_not_what_it_leads_to(lockside: Course, own_folders: Path) -> None:
    """Who can write there makes Embrix write nowhere else."""
    gives(lockside, "Drip", "environment", "1 + 2")
    (kept,), key = code_files(), state_folder() / "cache-key"
    precious = own_folders / "precious"
    precious.write_text("not to be lost")
    for path in (kept, key):
        path.unlink()
        path.symlink_to(precious)
        as_in_a_new_process()
        assert gives(lockside, "Drip", "environment", "3 * 4") == "12"
        assert precious.read_text() == "not to be lost"
        assert path.is_file()
        assert not path.is_symlink()


def forged(name: str) -> bytes:
    """What somebody would put there who can write files, but has not got the key."""
    evil = compile("open('stolen', 'w').close()", "<definition>", "exec")
    rows = ((bytes(16), (("f0", evil, ()),)),)
    content = kept_code.makers(kept_code.MAKERS) + marshal.dumps(rows)
    return sealed._seal(b"\0" * 32, name, content) + content


def test_code_from_somewhere_else_is_not_loaded(
    lockside: Course, monkeypatch: pytest.MonkeyPatch
) -> None:
    gives(lockside, "Drip", "environment", "1 + 2")
    for path in code_files():
        path.write_bytes(forged(path.name))
    loaded: list[bytes] = []
    monkeypatch.setattr(marshal, "loads", loaded.append)
    as_in_a_new_process()
    assert gives(lockside, "Drip", "environment", "3 * 4") == "12"
    assert loaded == []
    assert not Path("stolen").exists()


@pytest.mark.parametrize("wrong", ["short", "empty", "seen", "a folder"])
def test_a_key_that_is_none_is_replaced(lockside: Course, wrong: str) -> None:
    """Too short, or such that others could have read it."""
    gives(lockside, "Drip", "environment", "1 + 2")
    key = state_folder() / "cache-key"
    before = key.read_bytes()
    assert key.stat().st_mode & 0o777 == 0o600
    match wrong:
        case "short":
            key.write_bytes(before[:31])
        case "empty":
            key.write_bytes(b"")
        case "seen":
            key.chmod(0o644)
        case _:
            key.unlink()
            key.mkdir()
    as_in_a_new_process()
    assert gives(lockside, "Drip", "environment", "3 * 4") == "12"
    if wrong != "a folder":
        assert len(key.read_bytes()) == 32
        assert key.read_bytes() != before
        assert key.stat().st_mode & 0o777 == 0o600


def test_code_for_another_python_or_by_other_modules_is_not_even_looked_at(
    lockside: Course, monkeypatch: pytest.MonkeyPatch
) -> None:
    gives(lockside, "Drip", "environment", "1 + 2")
    as_in_a_new_process()
    digests.makers.cache_clear()
    monkeypatch.setattr(digests, "MAGIC_NUMBER", b"other")
    monkeypatch.setattr(marshal, "loads", lambda content: pytest.fail("it is loaded"))
    try:
        assert gives(lockside, "Drip", "environment", "3 * 4") == "12"
    finally:
        digests.makers.cache_clear()


def test_a_module_that_makes_code_is_among_what_code_depends_on(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Another file, another length, another time: each is another maker."""
    for package in kept_code.MAKERS:
        (tmp_path / package / "inner").mkdir(parents=True)
    module = tmp_path / "machine" / "inner" / "body.py"
    module.write_text("one = 1\n")
    monkeypatch.setattr(digests.embrix, "__file__", str(tmp_path / "__init__.py"))
    found = []
    try:
        for change in (
            lambda: None, lambda: module.write_text("one = 12\n"),
            lambda: os.utime(module, ns=(1, 1)), lambda: (module.parent / "new.py").write_text(""),
        ):  # fmt: skip
            change()
            digests.makers.cache_clear()
            found.append(digests.makers(kept_code.MAKERS))
    finally:
        digests.makers.cache_clear()
    assert len(set(found)) == 4


def test_where_nothing_can_be_kept_everything_runs(
    lockside: Course, monkeypatch: pytest.MonkeyPatch
) -> None:
    for name in ("XDG_CACHE_HOME", "XDG_STATE_HOME"):
        in_the_way = Path(os.environ[name])
        shutil.rmtree(in_the_way, ignore_errors=True)
        in_the_way.write_text("a file")
        for _ in range(2):
            as_in_a_new_process()
            assert gives(lockside, "Drip", "environment", "3 * 4") == "12"
        in_the_way.unlink()


def test_a_library_leaves_nothing_behind(lockside: Course) -> None:
    use_cache(on=False)
    gives(lockside, "Drip", "environment", "1 + 2")
    assert code_files() == []
    assert not (state_folder() / "cache-key").exists()


def test_an_edit_writes_nothing_and_the_next_process_what_it_needs(
    course_copy: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """What is typed is compiled as ever; the next process compiles only what has changed."""
    gives(load_course(course_copy), "Drip", "environment", "1 + 2")
    (kept,) = code_files()
    before = kept.read_bytes()
    path = course_copy / "drip" / "environment.brix"
    changed = path.read_text().replace("Num(n)  => n\n", "Num(n)  => n + 1\n")
    assert changed != path.read_text()
    path.write_text(changed)
    assert gives(load_course(course_copy), "Drip", "environment", "1 + 2") == "5"
    assert kept.read_bytes() == before
    as_in_a_new_process()
    compiled: list[object] = []
    monkeypatch.setattr(linking, "compile", lambda *args: compiled.append(args) or compile(*args),
                        raising=False)  # fmt: skip
    assert gives(load_course(course_copy), "Drip", "environment", "1 + 2") == "5"
    assert len(compiled) == 1
    assert kept.read_bytes() != before
    assert code_files() == [kept]


def test_definitions_of_the_same_name_do_not_drive_each_other_out(
    lockside: Course, course_copy: Path, nothing_compiled: None
) -> None:
    """Two courses that call different things the same, opened by turns."""
    path = course_copy / "drip" / "environment.brix"
    path.write_text(path.read_text().replace("Num(n)  => n\n", "Num(n)  => n + 1\n"))
    with pytest.MonkeyPatch.context() as patched:
        patched.setattr(linking, "compile", compile, raising=False)
        for course in (load_course(course_copy), lockside):
            gives(course, "Drip", "environment", "1 + 2")
            as_in_a_new_process()
    for _ in range(2):
        assert gives(load_course(course_copy), "Drip", "environment", "1 + 2") == "5"
        as_in_a_new_process()
        assert gives(lockside, "Drip", "environment", "1 + 2") == "3"
        as_in_a_new_process()
    assert len(code_files()) == 1


@pytest.mark.parametrize(("language", "name", "every"), [
    ("Drip", "environment", 14), ("Rill", "by_need", 36), ("Weir", "store_passing", 34),
    ("Siren", "environment", 9), ("Gauge", "checking", 12),
])  # fmt: skip
def test_changed_definitions_never_get_code_of_each_other(
    lockside: Course, language: str, name: str, every: int
) -> None:
    """Small changes by turns, each in a process of its own that finds what the others have left."""
    programs = programs_of(lockside, language)[:1]
    lanes = changed_definitions(lockside, language, name, every)
    assert len(lanes) >= 3
    found: dict[bool, list[list[tuple[object, ...]]]] = {True: [], False: []}
    for on in (True, False):
        use_cache(on=on)
        for lane in (*lanes, *lanes):
            as_in_a_new_process()
            found[on].append(outcomes(lane(), programs))
    assert found[True] == found[False]
    assert len({repr(one) for one in found[True]}) > 2


def test_what_was_written_longest_ago_makes_room(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Looked at now and then: here with every file."""
    monkeypatch.setattr(sealed, "MOST_FILES", 3)
    monkeypatch.setattr(sealed, "OFTEN", 1)
    files = SealedFolder(tmp_path / "kept", tmp_path / "key")
    names = [f"{number:032x}" for number in range(6)]
    (tmp_path / "kept").mkdir()
    others = [tmp_path / "kept" / f"picture{number}.jpg" for number in range(9)]
    for other in others:
        other.write_text("somebody's")
        os.utime(other, ns=(0, 0))
    for number, name in enumerate(names):
        files.write(name, b"content")
        os.utime(tmp_path / "kept" / name, ns=(number, number))
    assert [files.read(name) for name in names] == [None] * 3 + [b"content"] * 3
    assert all(other.exists() for other in others)
    monkeypatch.setattr(sealed, "MOST_BYTES", 38)
    assert files.read(names[-1]) is None
