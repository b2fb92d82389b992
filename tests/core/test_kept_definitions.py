"""What is kept of definitions for the next process is what it would read and check anew."""

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

from embrix.brix.core import CheckedBefore, Interpreter
from embrix.brix.mutants import mistakes_in
from embrix.brix.syntax import InterpreterSyntax
from embrix.checking import diagnostics as checking
from embrix.course import checked, interpreters, kept_definitions, load, meanings
from embrix.course.checked import MEMORY
from embrix.course.load import Course, load_course
from embrix.grammar import lr
from embrix.lanes import session
from embrix.machine.lane import Lane, parser_for
from embrix.text import object_graphs
from embrix.text.diagnostic import Diagnostic, Findings
from embrix.text.user_folders import cache_folder, use_cache
from tests.conftest import leave_only
from tests.core.same_graph import difference
from tests.core.test_extends import SHORT_AND_WORDY
from tests.core.test_known_code import outcomes

OF_A_PROCESS = frozenset({
    ("Source", "path"), ("Source", "_starts"), ("Language", "meaning"), ("Interpreter", "meaning"),
    ("Grammar", "conversions"), ("TokenTable", "_automata"), ("TokenTable", "_spaced"),
})  # fmt: skip
"""By class, the fields that are not kept."""
MAKERS = [
    (meanings, "read_definition"), (load, "check_language"), (interpreters, "check_interpreter"),
]  # fmt: skip
BEHIND_THEM = [
    (lr, "build_tables"), (checking, "report_on"), (session, "read_suite"),
    (session, "depends_on"),
]  # fmt: skip


@pytest.fixture(autouse=True)
def in_use(own_cache: None) -> Iterator[None]:
    MEMORY.forget()
    yield
    MEMORY.forget()


def loaded(folder: Path) -> Course:
    """The course as a new process has it, with all that is wrong with it."""
    MEMORY.forget()
    course = load_course(folder)
    assert course.diagnostics is not None
    return course


def made_anew(folder: Path) -> Course:
    use_cache(on=False)
    course = loaded(folder)
    use_cache()
    return course


@pytest.fixture
def counted(monkeypatch: pytest.MonkeyPatch) -> dict[str, list[str]]:
    """The names of the files that are read, and of what is checked, by what does it."""
    found: dict[str, list[str]] = {name: [] for _, name in MAKERS}
    for module, name in MAKERS:
        make = getattr(module, name)

        def watched(one: Any, *rest: Any, name: str = name, make: Any = make) -> Any:
            found[name].append(getattr(one, "source", one).name)
            return make(one, *rest)

        monkeypatch.setattr(module, name, watched)
    return found


def files() -> dict[str, bytes]:
    folder = cache_folder() / "definitions"
    return {path.name: path.read_bytes() for path in folder.iterdir()} if folder.exists() else {}


def content(course: Course) -> tuple[object, ...]:
    lanes = [(language, name, one) for language, all_ in course.interpreters.items()
             for name, one in all_.items()]  # fmt: skip
    return list(course.languages.items()), lanes, list(course.libraries.items())


def told(found: tuple[Diagnostic, ...]) -> list[tuple[object, ...]]:
    return [(one.code, one.message, one.place, one.span.end, one.hint, one.severity)
            for one in found]  # fmt: skip


def test_nothing_of_the_shipped_course_is_made_twice(
    course_copy: Path, counted: dict[str, list[str]]
) -> None:
    """Every language, interpreter and library, and what they are warned of: the same objects,
    shared alike; and where nothing is kept, they are the same as well."""
    loaded(course_copy)
    assert all(counted.values())
    for names in counted.values():
        names.clear()
    found = loaded(course_copy)
    assert counted == {name: [] for _, name in MAKERS}
    anew = made_anew(course_copy)
    assert all(counted.values())
    assert difference(content(anew), content(found), OF_A_PROCESS) == ""
    assert told(found.diagnostics) == told(anew.diagnostics)


def test_suites_tables_and_reports_are_kept_as_well(
    course_copy: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """All that is told of a course, and all that its suites say; a text that a suite names outside
    of itself counts."""
    leave_only(course_copy, "rill", "weir")
    called: list[str] = []
    for module, name in BEHIND_THEM:
        make = getattr(module, name)

        def watched(*given: Any, name: str = name, make: Any = make) -> Any:
            called.append(name)
            return make(*given)

        monkeypatch.setattr(module, name, watched)

    def everything() -> tuple[Any, ...]:
        MEMORY.forget()
        course = session.Session(course_copy)
        found = Findings()
        suites = [course.suite(path, found) for path in course.course.suites]
        assert None not in suites
        told_of = checking.diagnostics(course, warnings=True)
        tables = {
            name: getattr(session._by_tables(one, one.chosen, grammar), "_tables", None)
            for name, one in course.course.languages.items()
            if (grammar := one.grammar) is not None
        }
        return suites, told((*told_of.findings, *found.sorted())), tables

    everything()
    assert {*called} == {name for _, name in BEHIND_THEM}
    called.clear()
    again = everything()
    assert called == []
    assert all(again[2].values())
    use_cache(on=False)
    assert difference(everything(), again, OF_A_PROCESS) == ""
    use_cache()
    called.clear()
    suite = course_copy / "rill" / "rill.suite.toml"
    program = suite.parent / "programs" / "named.rill"
    program.write_text("1 + 1")
    suite.write_text(
        suite.read_text()
        + '\n[[case]]\nname = "named"\nfile = "programs/named.rill"\nresult = "2"\n'
    )
    everything()
    assert "read_suite" in called
    called.clear()
    program.write_text("1 + 2")
    everything()
    assert called.count("read_suite") == 1
    assert "depends_on" not in called


@pytest.mark.parametrize("language", ["Drip", "Race", "Mere"])
def test_what_was_kept_runs_as_what_is_made(course_copy: Path, language: str) -> None:
    """Values, ways to end, places, output, costs and steps, on every lane."""
    leave_only(course_copy, language.lower())

    def everything(course: Course) -> list[object]:
        parser = parser_for(course.languages[language])
        assert parser is not None
        programs = [path.read_text() for path in course.programs[language]][:4]
        return [
            outcomes(Lane(one, parser), programs) for one in course.interpreters[language].values()
        ]

    loaded(course_copy)
    assert everything(loaded(course_copy)) == everything(made_anew(course_copy))


def test_another_process_finds_it(course_copy: Path, counted: dict[str, list[str]]) -> None:
    """One that orders sets and tables otherwise."""
    leave_only(course_copy, "rill")
    words = ["check", "--course", str(course_copy)]
    running = "import sys; from embrix.cli.main import main; sys.exit(main(sys.argv[1:]))"
    ran = subprocess.run(
        [sys.executable, "-c", running, *words], env={**os.environ, "PYTHONHASHSEED": "11"},
        capture_output=True, text=True, timeout=120, check=False,
    )  # fmt: skip
    assert ran.returncode == 0, ran.stdout + ran.stderr
    found = loaded(course_copy)
    assert counted == {name: [] for _, name in MAKERS}
    assert difference(content(made_anew(course_copy)), content(found), OF_A_PROCESS) == ""


@pytest.mark.parametrize(
    ("file", "again"),
    [
        ("rill/environment.brix", {"rill/environment.brix", "rill/dynamic_scope.brix"}),
        ("drip/drip.brix", {"drip/drip.brix", "drip/environment.brix", "drip/by_name.brix"}),
    ],
)
def test_what_a_change_does_not_touch_is_not_made_again(
    course_copy: Path, counted: dict[str, list[str]], file: str, again: set[str]
) -> None:
    """Read is the one file, checked what builds on it."""
    leave_only(course_copy, "drip", "rill")
    loaded(course_copy)
    path = course_copy / file
    path.write_text(path.read_text() + "\n-- changed\n")
    for names in counted.values():
        names.clear()
    loaded(course_copy)
    assert counted["read_definition"] == [file]
    checked = {*counted["check_language"], *counted["check_interpreter"]}
    assert {name for name in checked if name.split("/")[0] == file.split("/")[0]} >= again
    if file.startswith("rill"):
        assert checked == again


def test_what_is_typed_is_not_kept(course_copy: Path) -> None:
    leave_only(course_copy, "drip")
    loaded(course_copy)
    before = files()
    path = course_copy / "drip" / "environment.brix"
    for at in range(5):
        text = path.read_text() + f"-- {at}\n"
        course = load_course(course_copy, {path: text})
        assert course.interpreters["Drip"]["environment"].source.text == text
    assert files() == before


def test_without_use_nothing_is_left_behind(course_copy: Path) -> None:
    leave_only(course_copy, "drip")
    made_anew(course_copy)
    assert files() == {}
    assert not (cache_folder() / "definitions").exists()


def test_whatever_is_in_the_files_nothing_is_believed_that_was_not_written(
    course_copy: Path, counted: dict[str, list[str]], monkeypatch: pytest.MonkeyPatch
) -> None:
    """Bytes changed, cut off, added, files that change places: everything is made anew."""
    leave_only(course_copy, "drip")
    loaded(course_copy)
    kept = files()
    assert len(kept) >= 8
    believed: list[object] = []
    loads = marshal.loads
    monkeypatch.setattr(
        kept_definitions.marshal, "loads", lambda said: believed.append(said) or loads(said)
    )
    chance = random.Random(20)
    for turn in range(12):
        names = list(kept)
        for name, content in kept.items():
            at = chance.randrange(len(content))
            other = kept[names[names.index(name) - 1]]
            changed = bytearray(content)
            changed[at] ^= 1 << chance.randrange(8)
            (cache_folder() / "definitions" / name).write_bytes(
                (bytes(changed), content[:at], content + b"\0", other)[turn % 4]
            )
        for found in counted.values():
            found.clear()
        course = loaded(course_copy)
        assert believed == []
        assert len(counted["read_definition"]) == len(course.sources) - 1
        assert counted["check_language"] == ["drip/drip.brix"]
        assert set(files()) == set(kept)


def test_another_order_of_the_objects_of_a_part_is_noticed(course_copy: Path) -> None:
    """What a file names by place in a part holds only if that has the same objects in the same
    order: where the part was written otherwise, what builds on it is made anew."""
    leave_only(course_copy, "drip")
    loaded(course_copy)
    kept = files()
    begin = object_graphs._Writer.__init__

    def begin_with_another(self: Any, *given: Any) -> None:
        begin(self, *given)
        self.add("stands in front of all others")

    with pytest.MonkeyPatch.context() as patched:
        patched.setattr(object_graphs._Writer, "__init__", begin_with_another)
        shutil.rmtree(cache_folder() / "definitions")
        loaded(course_copy)
    assert set(files()) == set(kept)
    assert not set(files().values()) & set(kept.values())
    exchanged = 0
    for name in kept:  # what builds on definitions is what it was, and those are exchanged
        orders, _ = marshal.loads(kept[name][32:])
        if len(orders) > 1:
            (cache_folder() / "definitions" / name).write_bytes(kept[name])
            exchanged += 1
    assert 0 < exchanged < len(kept)
    found = loaded(course_copy)
    assert difference(content(made_anew(course_copy)), content(found), OF_A_PROCESS) == ""


def test_every_definition_that_somebody_has_begun_is_kept_as_it_is(
    course_copy: Path, counted: dict[str, list[str]]
) -> None:
    """Small mistakes in an interpreter, of every kind: what is wrong, what one is warned of and
    what runs as far as it goes is the same."""
    leave_only(course_copy, "drip")
    course = loaded(course_copy)
    source = course.interpreters["Drip"]["environment"].source
    syntax, _ = meanings.syntax_of(source)
    assert isinstance(syntax, InterpreterSyntax)
    path = course_copy / "drip" / "environment.brix"
    texts = [mistake.made(source.text) for mistake in mistakes_in(syntax)]
    chance = random.Random(20)
    words = source.text.split(" ")
    for _ in range(6):
        at, other = chance.randrange(len(words)), chance.randrange(len(words))
        texts.append(" ".join([*words[:at], words[other], *words[at + 1 :]]))
    wrong = 0
    for text in [*chance.sample(texts[:-6], 6), *texts[-6:]]:
        path.write_text(text)
        loaded(course_copy)
        for found in counted.values():
            found.clear()
        again = loaded(course_copy)
        assert counted["read_definition"] == counted["check_interpreter"] == []
        anew = made_anew(course_copy)
        assert told(again.diagnostics) == told(anew.diagnostics)
        assert again.broken == anew.broken
        assert again.faulty == anew.faulty
        assert difference(content(anew), content(again), OF_A_PROCESS) == ""
        wrong += bool(anew.diagnostics)
    assert wrong > 4


def test_an_interpreter_that_was_kept_can_be_extended(
    course_copy: Path, counted: dict[str, list[str]]
) -> None:
    """What it takes over is not checked again, as in the process that checked it."""
    leave_only(course_copy, "weir")
    loaded(course_copy)
    path = course_copy / "weir" / "stale_store.brix"
    path.write_text(path.read_text() + "\n-- changed\n")
    course = loaded(course_copy)
    names = "store_passing", "stale_store"
    anew = made_anew(course_copy)
    found = same_functions(*(course.interpreters["Weir"][name] for name in names))
    assert found == same_functions(*(anew.interpreters["Weir"][name] for name in names))


def same_functions(lower: Interpreter, upper: Interpreter) -> list[str]:
    """The functions of an interpreter that are those of another."""
    assert isinstance(lower.checked, CheckedBefore)
    found = [name for name, one in lower.functions.items() if upper.functions.get(name) is one]
    assert found
    return found


def test_what_other_modules_have_made_is_not_read(
    course_copy: Path, counted: dict[str, list[str]], monkeypatch: pytest.MonkeyPatch
) -> None:
    """Another version of Embrix, or of Python, makes its own."""
    leave_only(course_copy, "drip")
    loaded(course_copy)
    for found in counted.values():
        found.clear()
    monkeypatch.setattr(kept_definitions, "makers", lambda _: b"others")
    loaded(course_copy)
    assert all(counted.values())


def test_a_file_that_is_renamed_is_read_anew(course_copy: Path) -> None:
    """What has no name of its own is called by its file."""
    leave_only(course_copy, "drip")
    text = (course_copy / "drip" / "environment.brix").read_text()
    path = course_copy / "drip" / "one.brix"
    path.write_text(text.replace("interpreter environment for", "interpreter for"))
    assert "one" in loaded(course_copy).interpreters["Drip"]
    path.rename(path.with_name("two.brix"))
    again = loaded(course_copy)
    assert "two" in again.interpreters["Drip"]
    assert told(again.diagnostics) == told(made_anew(course_copy).diagnostics)


def test_what_is_forgotten_leaves_nothing_behind(
    course_copy: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Courses that are read one after the other, a suite that is none, a grammar with conflicts."""
    leave_only(course_copy, "drip")
    monkeypatch.setattr(checked, "ROOM", 0)
    (course_copy / "drip" / "none.suite.toml").write_text("[[[")
    drip = course_copy / "drip" / "drip.brix"
    drip.write_text(drip.read_text().replace('"(" Expr ")"', '"(" Expr ")" | Expr "?" Expr'))
    MEMORY.forget()
    for number in range(4):
        folder = course_copy.with_name(f"course{number}")
        shutil.copytree(course_copy, folder)
        (folder / "drip" / "drip.brix").write_text(drip.read_text() + f"# {number}\n")
        checking.diagnostics(session.Session(folder), warnings=True)
    units = [entry.unit for entry in MEMORY._known.values() if entry.unit is not None]
    assert set(MEMORY._units) == {id(unit.stands) for unit in units}
    assert MEMORY._units
    assert id(None) not in MEMORY._units


def test_each_grammar_of_a_language_has_its_own_tables_and_reports(tmp_path: Path) -> None:
    """One is without conflicts, in the other adding is ambiguous, and only from its second rule."""
    (tmp_path / "course.toml").write_text('title = "made up"\n')
    one, two = '"add" left:Expr "and" right:Expr "together"', '"add" left:Expr "and" right:Expr'
    text = SHORT_AND_WORDY.replace(one, f'{two} makes Add | left:Expr "+" right:Expr')
    text = text.replace("grammar wordy\n  start Expr", "grammar wordy\n  start Atom, Expr")
    text += "  Atom : Expr ::= n:number makes Lit\n"
    (tmp_path / "tide.brix").write_text(text)

    def everything() -> list[object]:
        MEMORY.forget()
        course = session.Session(tmp_path)
        parsers = [course.parser("Tide", name) for name in ("short", "wordy", "short")]
        assert None not in parsers
        outcomes = [
            type(parser.parse(program)).__name__
            for parser in parsers if parser is not None
            for program in ("1 + 2", "add 1 and 2", "1 + 2 + 3")
        ]  # fmt: skip
        language = course.course.languages["Tide"]
        kinds = [
            type(session._by_tables(language, name, grammar)).__name__
            for name, grammar in language.grammars.items()
        ]
        return [outcomes, told(checking.diagnostics(course).findings), kinds]

    first = everything()
    assert first[0] == [
        "Parsed", "Refused", "Parsed", "Parsed", "Parsed", "Ambiguous",
        "Parsed", "Refused", "Parsed",
    ]  # fmt: skip
    assert {one[0] for one in first[1]} >= {"grammar_conflict", "ambiguous_grammar"}
    assert first[2] == ["TableParser", "EarleyParser"]
    assert everything() == first
    use_cache(on=False)
    assert everything() == first
