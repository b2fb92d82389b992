"""Suites beside checks by hand under pytest, from the start of a process to its end."""

from __future__ import annotations

import subprocess
import sys
import tempfile
from pathlib import Path

from bench.by_hand import rill
from bench.measuring import compare
from embrix.checking.verdicts import check_suite
from embrix.grammar.parser import Parsed
from embrix.lanes.session import Session
from embrix.text.diagnostic import Findings

ROOT = Path(__file__).resolve().parent.parent
LANES = ("environment", "rewriting", "by_need")

BY_HAND = """
import sys
import pytest
sys.path.insert(0, {root!r})
from bench.by_hand import rill
from bench.by_hand.rill import *  # the trees are written with its classes
from fractions import Fraction

RUN = {{
    "environment": lambda tree: rill.evaluate(tree, None),
    "rewriting": rill.rewrite,
    "by_need": lambda tree: rill.need(tree, None, rill.EMPTY),
}}
CASES = [
{cases}
]

@pytest.mark.parametrize("lane", list(RUN))
@pytest.mark.parametrize(("name", "tree", "expected"), CASES)
def test_case(lane, name, tree, expected):
    kind, text = expected.get(lane, expected[""])
    if kind == "error":
        with pytest.raises(rill.RillError) as caught:
            RUN[lane](tree)
        assert caught.value.name == text
        return
    result = RUN[lane](tree)
    value = result[0] if isinstance(result, tuple) else result
    assert rill.shown(value) == text
"""


def run_suites(folder: Path) -> None:
    """Rill's suite on three lanes, with what it expects of values and errors; cases about steps,
    costs, trees or names supplied by hand are asked of our side alone."""
    session = Session(folder)
    path = folder / "rill" / "rill.suite.toml"
    suite = session.suite(path, Findings())
    assert suite is not None
    lane = session.lane("Rill", "environment")
    rows = []
    for case in suite.cases:
        parsed = lane.parser.parse(case.program)
        if case.given or case.expected is None or not isinstance(parsed, Parsed):
            continue
        said = {"": case.expected, **{n: e for n, e in case.instead.items() if n in LANES}}
        # Values that are shown by hand as well: whole numbers and truth values.
        if all(one.kind in ("value", "error") and not set(one.text) & set("(<./")
               for one in said.values()):  # fmt: skip
            expected = {name: (one.kind, one.text) for name, one in said.items()}
            tree = rill.from_node(lane.interpreter.signature, parsed.term)
            rows.append(f"    ({case.name!r}, {tree!r}, {expected!r}),")
    print(f"Rill's suite: {len(suite.cases)} cases here, {len(rows)} by hand, on 3 lanes")
    own = [str(path), *(word for name in LANES for word in ("--with", name))]
    side_by_side("  from start to end", folder, own, rows)
    verdicts = sum(
        verdict.state != "left out"
        for one in session.course.suites
        for case in check_suite(session, one).cases
        for verdict in case.verdicts
    )
    # Not every lane of the course has a counterpart: those that have one are asked over again.
    again = -(-verdicts // (len(rows) * len(LANES)))
    print(f"The whole course: {verdicts:,} verdicts on all lanes here, by hand Rill's cases on 3 "
          f"lanes {again} times over: {again * len(rows) * len(LANES):,}")  # fmt: skip
    side_by_side("  from start to end", folder, [], rows * again)


def side_by_side(label: str, folder: Path, words: list[str], rows: list[str]) -> None:
    """Our command with some words beside pytest on some cases."""
    with tempfile.TemporaryDirectory() as scratch:
        theirs = Path(scratch) / "test_by_hand.py"
        theirs.write_text(BY_HAND.format(root=str(ROOT), cases="\n".join(rows)), encoding="utf-8")

        def by_hand() -> None:
            done = subprocess.run(
                [sys.executable, "-m", "pytest", "-q", "-p", "no:cacheprovider", "--rootdir",
                 scratch, str(theirs)], cwd=scratch, capture_output=True, check=False,
            )  # fmt: skip
            assert done.returncode == 0, done.stdout.decode()[-2000:]

        def ours() -> None:
            command = [sys.executable, "-m", "embrix", "test", *words, "--course", str(folder),
                       "--report", "tap"]  # fmt: skip
            done = subprocess.run(command, cwd=ROOT, capture_output=True, check=False)
            assert done.returncode == 0, done.stderr.decode()[-2000:]

        compare(label, ours, by_hand, rounds=5)
