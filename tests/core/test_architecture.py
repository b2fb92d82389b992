"""Who may import whom, and that definitions reach nothing outside."""

from __future__ import annotations

import ast
import re
import subprocess
import sys
from collections import Counter
from functools import cache
from graphlib import TopologicalSorter
from pathlib import Path
from typing import cast

import embrix

ROOT = Path(embrix.__file__).parent

ROAD = (
    "messages", "text", "terms", "grammar", "brix", "machine", "trace", "suite", "course",
    "compare", "draw", "lanes", "lessons", "checking", "documents", "services", "workers", "tui",
    "cli",
)  # fmt: skip
"""The road of a program: every package knows only those before it."""

NEVER = {
    "terms": {"text"},
    "course": {"messages"},
    "compare": {"course"},
    "draw": {"course"},
    "tui": {
        "terms",
        "grammar",
        "brix",
        "machine",
        "trace",
        "lanes",
        "lessons",
        "checking",
        "documents",
        "services",
    },
    "cli": {"terms"},
}
"""What a package does not know although it comes before."""

MAY_IMPORT = {name: set(ROAD[:number]) - NEVER.get(name, set()) for number, name in enumerate(ROAD)}


@cache
def nodes_of(path: Path) -> list[ast.AST]:
    """All nodes of a file of Python, which several tests look through."""
    return list(ast.walk(ast.parse(path.read_text())))


def imports(path: Path) -> set[str]:
    found: set[str] = set()
    for node in nodes_of(path):
        if isinstance(node, ast.ImportFrom) and node.module and node.level == 0:
            found.add(node.module)
        elif isinstance(node, ast.Import):
            found.update(alias.name for alias in node.names)
    return found


def test_imports_run_downwards() -> None:
    wrong = []
    for package, allowed in MAY_IMPORT.items():
        for path in (ROOT / package).rglob("*.py"):
            for module in imports(path):
                parts = module.split(".")
                inside = parts[0] == "embrix" and len(parts) > 1
                if inside and parts[1] not in allowed | {package}:
                    wrong.append(f"{path.relative_to(ROOT)} imports {module}")
    assert wrong == []
    packages = {path.name for path in ROOT.iterdir() if (path / "__init__.py").is_file()}
    assert packages == set(MAY_IMPORT)


def test_the_core_works_without_the_interface_library() -> None:
    """With textual and rich absent everything but the workbench can be imported and used."""
    code = (
        "import sys\n"
        "class Absent:\n"
        "    def find_spec(self, name, path=None, target=None):\n"
        "        if name.split('.')[0] in ('textual', 'rich'):\n"
        "            raise ImportError(name)\n"
        "sys.meta_path.insert(0, Absent())\n"
        "from embrix.cli.main import main\n"
        "sys.exit(main(['run', '-e', '6 * 7', '--language', 'Drip', '--with', 'environment']))\n"
    )
    done = subprocess.run(
        [sys.executable, "-c", code], capture_output=True, text=True, cwd=ROOT, check=False
    )
    assert (done.returncode, done.stdout.strip()) == (0, "42"), done.stderr


def test_nothing_in_the_core_prints() -> None:
    for package in MAY_IMPORT:
        if package in ("cli", "tui"):
            continue
        for path in (ROOT / package).rglob("*.py"):
            for node in nodes_of(path):
                assert not (
                    isinstance(node, ast.Call)
                    and isinstance(node.func, ast.Name)
                    and node.func.id in ("print", "input", "open", "eval")
                ), path


def test_compiled_definitions_have_no_builtins_and_no_text_of_the_author() -> None:
    """All Python names in compiled code are made up; nothing of the host can be reached."""
    import itertools
    import re

    from embrix.course.load import load_course
    from embrix.machine.compiler import HELPERS, compile_interpreter

    course = load_course(ROOT / "demo" / "lockside")
    names = re.compile(r"(final_)?[a-z]\d*|link|stop|counts|spend|reset|fuel|here|get|lookups|hops"
                       r"|depth|deepest|rounds|allocated|read|written|made|forced|reused|substituted"
                       r"|error|payload")  # fmt: skip
    lanes = [lane for lanes in course.interpreters.values() for lane in lanes.values()]
    for lane, variant in itertools.product(lanes, ("counted", "traced")):
        compiled = compile_interpreter(lane, variant)
        around = {name for piece in compiled.functions for name in piece.code.co_freevars}
        variables = compiled.link(1, dict.fromkeys(around), lambda value: value)
        stack = []
        for piece in compiled.functions:
            function = variables[piece.name].cell_contents
            assert function.__globals__ == {"__builtins__": {}}
            stack.append(function.__code__)
        while stack:
            code = stack.pop()
            for name in (*code.co_varnames, *code.co_names, *code.co_freevars, code.co_name):
                assert names.fullmatch(name) or name in HELPERS, name
            stack.extend(c for c in code.co_consts if hasattr(c, "co_code"))


def test_the_workbench_opens_without_the_machine() -> None:
    """Workers have it; a screen that waits for it would open later."""
    code = "import embrix.tui.app, sys; print([n for n in sys.modules if n.startswith('embrix.')])"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert "'embrix.machine.run'" not in done.stdout
    assert "'embrix.brix" not in done.stdout


def test_numbers_of_things_agree_with_their_words() -> None:
    """A number that may be one stands before its word by `counted` alone: never "1 errors"."""
    counted = re.compile(r"\{(?:len\(|count\b|total\b|[a-z_.]*\.total)[^{}]*\} [a-z]+s\b")
    wrong = [
        f"{path.name}:{number}"
        for path in sorted(ROOT.rglob("*.py"))
        for number, line in enumerate(path.read_text().split("\n"), 1)
        if counted.search(line) and "counted(" not in line and path.name != "visible.py"
    ]
    assert not wrong


def test_no_files_import_each_other_in_a_circle() -> None:
    """Imports for types alone count as well."""
    graph: dict[str, set[str]] = {}
    for path in ROOT.rglob("*.py"):
        name = ".".join(("embrix", *path.relative_to(ROOT).with_suffix("").parts))
        graph[name.removesuffix(".__init__")] = set()
    for path in ROOT.rglob("*.py"):
        own = ".".join(("embrix", *path.relative_to(ROOT).with_suffix("").parts))
        own = own.removesuffix(".__init__")
        for node in nodes_of(path):
            if isinstance(node, ast.ImportFrom) and node.module:
                inner = {f"{node.module}.{alias.name}" for alias in node.names}
                graph[own] |= ({node.module, *inner} & graph.keys()) - {own}
    TopologicalSorter(graph).prepare()  # raises CycleError with the circle
    assert len(graph) > 200


def test_no_file_is_longer_than_one_reads_at_once() -> None:
    lines = {path.name: path.read_text().count("\n") for path in ROOT.rglob("*.py")}
    assert {name: many for name, many in lines.items() if many > 500} == {}


def test_no_two_files_have_one_name() -> None:
    names = [path.name for path in ROOT.rglob("*.py") if not path.name.startswith("__")]
    assert [name for name, count in Counter(names).items() if count > 1] == []


def test_no_two_classes_have_one_name() -> None:
    """But for those of the notation, which stand in a text and in the core, and those of the
    library, which are what users call them."""
    found: dict[str, list[str]] = {}
    for path in ROOT.rglob("*.py"):
        for node in cast(ast.Module, nodes_of(path)[0]).body:
            if isinstance(node, ast.ClassDef) and not node.name.startswith("_"):
                found.setdefault(node.name, []).append(path.name)
    twice = {name: files for name, files in found.items() if len(files) > 1}
    allowed = {"expression_syntax.py", "grammar_syntax.py", "syntax.py", "core_parts.py", "core.py",
               "api.py"}  # fmt: skip
    assert [n for n, files in twice.items() if len(set(files) - allowed) > 1] == []
