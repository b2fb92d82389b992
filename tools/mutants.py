"""Put faults into Embrix, one at a time, and see whether a test turns red.

    ./dev mutants --count 40 --seed 1
    ./dev mutants --only brix/clauses.py --tests tests/core/test_matches.py

A fault is a small change of one line: a comparison or a condition turned round, a number one too
great, a call left out. Each is put into a copy of the sources; the tests that come to this line
(those of `tests/core`, if no others are named) run on it, the quickest first, until one fails.
Faults that all of them survive are printed, except those that `tools/survivors.txt` explains. The
status is 1 where one is left.

The first run notes which tests come to which lines, and how long they take, in `build/mutants`;
`--anew` does that again. For all tests of the core it takes more than half an hour.
"""

from __future__ import annotations

import argparse
import ast
import hashlib
import os
import random
import shutil
import subprocess
import sys
import tempfile
import xml.etree.ElementTree as Tree
from collections import Counter, defaultdict
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
SOURCES = ROOT / "src" / "embrix"
KEPT = ROOT / "build" / "mutants"
EXPLAINED = ROOT / "tools" / "survivors.txt"
LEFT_OUT = ("tui", "cli", "workers", "bench")
"""Packages that the tests of the core do not come to."""
SECONDS = 60.0
"""Of tests that are run on one fault."""
TIMES = 5
"""By how much longer than in the first run they may take before they count as never ending."""
TURNED = {
    ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq,
    ast.NotEq: ast.Eq, ast.In: ast.NotIn, ast.NotIn: ast.In, ast.Is: ast.IsNot, ast.IsNot: ast.Is,
    ast.And: ast.Or, ast.Or: ast.And, ast.Add: ast.Sub, ast.Sub: ast.Add,
}  # fmt: skip


@dataclass(frozen=True)
class Mutant:
    """A text in place of a part of a file: what stands from `start` to `end` in it."""

    file: str
    line: int
    start: int
    end: int
    old: str
    new: str

    def __str__(self) -> str:
        return f"{self.file}: {' '.join(self.old.split())}  ->  {' '.join(self.new.split())}"


# ---------------------------------------------------------------------- faults


def faults(file: str, text: str) -> Iterator[Mutant]:
    """All small faults that a file can have."""
    lines = text.encode().splitlines(keepends=True)
    starts = [0]
    for line in lines:
        starts.append(starts[-1] + len(line))
    module = ast.parse(text)
    plain = {id(part) for skipped in _not_code(module) for part in ast.walk(skipped)}
    for node in ast.walk(module):
        if id(node) in plain or not isinstance(node, ast.expr | ast.stmt):
            continue
        new = _changed(node)
        if new is not None and node.end_lineno is not None and node.end_col_offset is not None:
            start = starts[node.lineno - 1] + node.col_offset
            end = starts[node.end_lineno - 1] + node.end_col_offset
            old = text.encode()[start:end].decode()
            yield Mutant(file, node.lineno, start, end, old, new)


def _not_code(module: ast.Module) -> Iterator[ast.AST]:
    """Types, decorators and formatted texts: what is not carried out, or only read by people."""
    for node in ast.walk(module):
        if isinstance(node, ast.AnnAssign | ast.arg) and node.annotation is not None:
            yield node.annotation
        elif isinstance(node, ast.FunctionDef):
            yield from [*node.decorator_list, *([node.returns] if node.returns else [])]
        elif isinstance(node, ast.ClassDef):
            yield from [*node.decorator_list, *node.bases]
        elif isinstance(node, ast.JoinedStr):
            yield node


def _changed(node: ast.AST) -> str | None:
    match node:
        case ast.Compare(left, [operation], [right]) if type(operation) in TURNED:
            turned = TURNED[type(operation)]()
            return f"({ast.unparse(ast.Compare(left, [turned], [right]))})"  # type: ignore[list-item]
        case ast.BoolOp(operation, values):
            return f"({ast.unparse(ast.BoolOp(TURNED[type(operation)](), values))})"  # type: ignore[arg-type]
        case ast.BinOp(left, ast.Add() | ast.Sub() as operation, right):
            return f"({ast.unparse(ast.BinOp(left, TURNED[type(operation)](), right))})"  # type: ignore[arg-type]
        case ast.UnaryOp(ast.Not(), operand):
            return f"({ast.unparse(operand)})"
        case ast.Constant(bool() as value):
            return str(not value)
        case ast.Constant(int() as value):
            return str(value + 1)
        case ast.Expr(ast.Call()):
            return "pass"
        case ast.Continue():
            return "break"
    return None


# ---------------------------------------------------------------------- tests


@dataclass
class Known:
    """Which tests come to each line, and the seconds that each takes."""

    lines: dict[tuple[str, int], set[str]]
    seconds: dict[str, float]

    def tests_of(self, mutant: Mutant) -> tuple[list[str], float]:
        """The quickest tests that come to a line, and the seconds that they take."""
        chosen: list[str] = []
        whole = 0.0
        every = self.lines.get((mutant.file, mutant.line), set())
        for test in sorted(every, key=lambda one: (self.seconds.get(one, 1.0), one)):
            whole += self.seconds.get(test, 1.0)
            if chosen and whole > SECONDS:
                break
            chosen.append(test)
        return chosen, min(whole, SECONDS)


def known(files: list[str], anew: bool) -> Known:
    KEPT.mkdir(parents=True, exist_ok=True)
    digest = hashlib.sha256(" ".join(files).encode()).hexdigest()[:8]
    data, times = KEPT / f"{digest}.coverage", KEPT / f"{digest}.xml"
    if anew or not data.exists() or not times.exists():
        settings = KEPT / "settings"
        settings.write_text(f"[run]\ndata_file = {data}\nsource = {SOURCES}\n")
        command = [
            sys.executable, "-m", "coverage", "run", f"--rcfile={settings}", "-m", "pytest", "-q",
            "--timeout=0", "-p", "tools.noting", *files, f"--junitxml={times}",
        ]  # fmt: skip
        subprocess.run(command, cwd=ROOT, check=True)
    import coverage  # needed by nobody else here

    found = coverage.CoverageData(str(data))
    found.read()
    lines: dict[tuple[str, int], set[str]] = defaultdict(set)
    for path in found.measured_files():
        file = Path(path).relative_to(SOURCES).as_posix()
        for line, tests in found.contexts_by_lineno(path).items():
            lines[file, line] = {one for one in tests if one}
    seconds: Counter[str] = Counter()
    for case in Tree.parse(times).iter("testcase"):
        name = case.attrib["name"].partition("[")[0]
        seconds[_address(f"{case.attrib['classname']}.{name}")] += float(case.attrib["time"])  # type: ignore[assignment]
    return Known(lines, dict(seconds))


def _address(dotted: str) -> str:
    """`tests.core.test_x.test_y` as pytest names it."""
    module, _, function = dotted.rpartition(".")
    return f"{module.replace('.', '/')}.py::{function}"


def survives(mutant: Mutant, copy: Path, tests: list[str], seconds: float) -> bool:
    """Whether tests stay green on a copy of the sources with a fault in it."""
    target = copy / "embrix" / mutant.file
    text = target.read_bytes()
    target.write_bytes(text[: mutant.start] + mutant.new.encode() + text[mutant.end :])
    try:
        command = [sys.executable, "-m", "pytest", "-x", "-q", "-p", "no:cacheprovider", *tests]
        environment = {**os.environ, "PYTHONPATH": str(copy), "PYTHONDONTWRITEBYTECODE": "1"}
        ended = subprocess.run(command, cwd=ROOT, env=environment, stdout=subprocess.DEVNULL,
                               stderr=subprocess.DEVNULL, timeout=30 + TIMES * seconds)  # fmt: skip
        return ended.returncode == 0
    except subprocess.TimeoutExpired:
        return False
    finally:
        target.write_bytes(text)


# ---------------------------------------------------------------------- all of it


def main() -> int:
    asked = argparse.ArgumentParser(description="Put faults into Embrix and see what turns red.")
    asked.add_argument("--count", type=int, default=30, help="how many faults")
    asked.add_argument("--seed", type=int, default=1)
    asked.add_argument("--only", default="", metavar="PART", help="files with this in their name")
    asked.add_argument("--anew", action="store_true", help="note anew what each test comes to")
    asked.add_argument("--jobs", type=int, default=2)
    asked.add_argument("--tests", nargs="+", default=["tests/core"], metavar="FILE")
    wish = asked.parse_args()
    tests = known(wish.tests, wish.anew)
    every = [
        mutant
        for path in sorted(SOURCES.rglob("*.py"))
        if path.relative_to(SOURCES).parts[0] not in LEFT_OUT
        and wish.only in (file := path.relative_to(SOURCES).as_posix())
        for mutant in faults(file, path.read_text())
        if tests.lines.get((file, mutant.line))
    ]
    chosen = random.Random(wish.seed).sample(every, min(wish.count, len(every)))
    explained = EXPLAINED.read_text().splitlines() if EXPLAINED.exists() else []
    left = 0
    with tempfile.TemporaryDirectory() as place:
        copies = [Path(place, str(number)) for number in range(wish.jobs)]
        for copy in copies:
            shutil.copytree(SOURCES, copy / "embrix")
        free = list(copies)

        def tried(mutant: Mutant) -> bool:
            copy = free.pop()
            try:
                return survives(mutant, copy, *tests.tests_of(mutant))
            finally:
                free.append(copy)

        with ThreadPoolExecutor(wish.jobs) as several:
            results = zip(chosen, several.map(tried, chosen), strict=True)
            for number, (mutant, alive) in enumerate(results, 1):
                known_one = str(mutant) in explained
                left += alive and not known_one
                told = "explained" if alive and known_one else "SURVIVES" if alive else "found"
                where = f"{mutant.file}:{mutant.line}"
                print(f"{number:4} {told:9} {where}  {str(mutant).partition(': ')[2]}", flush=True)
    print(f"{len(chosen)} faults (seed {wish.seed} of {len(every)}): {left} survive")
    return 1 if left else 0


if __name__ == "__main__":
    raise SystemExit(main())
