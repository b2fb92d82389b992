"""What is left of runs that end without a value: nothing that holds frames, and nothing that is
given back once too often."""

from __future__ import annotations

import gc
import subprocess
import sys

import pytest

from embrix.lanes.session import Session
from embrix.machine import stack
from tests.conftest import TINY_LANGUAGE, Maker

LANE = """\
interpreter lane for Tiny
value Num
  Num(n: Number)  shown "{n}"
error Odd(n: Number)  "{n} is odd"
main run
define run(e: Expr) -> Num by e
  Lit(13) => fail Odd(13)
  Lit(14) => todo "later"
  Lit(15) => forever(15)
  Lit(16) => deeper(16)
  Lit(17) => taken(17)
  _ => Num(1)
define forever(n: Number) -> Num
  forever(n)
define deeper(n: Number) -> Num
  let Num(m) = deeper(n + 1)
  Num(m)
define taken(n: Number) -> Num by n
  1 => Num(1)
"""
ENDS = {"13": "failure", "14": "unfinished", "15": "out of fuel", "16": "out of fuel",
        "17": "stuck"}  # fmt: skip


@pytest.mark.parametrize("program", ENDS)
def test_a_run_that_ends_without_a_value_leaves_no_frames(make_course: Maker, program: str) -> None:
    """Each frame with room that is left takes 16 MB of addresses."""
    lane = Session(make_course(tiny=TINY_LANGUAGE, lane=LANE).folder).lane("Tiny", "lane")
    assert lane.run(program).outcome.kind == ENDS[program]
    gc.collect()
    gc.disable()
    try:
        before = sys.getrefcount(stack._roomy)
        for _ in range(5):
            lane.run(program)
        after = sys.getrefcount(stack._roomy)  # not in the assertion, which holds it too
    finally:
        gc.enable()
    assert after == before


WITHOUT_ROOM = """
import resource, sys
from embrix.machine import stack
now = int(open("/proc/self/statm").read().split()[0]) * resource.getpagesize()
resource.setrlimit(resource.RLIMIT_AS, (now + (20 << 20), now + (20 << 20)))
before = sys.getrefcount(stack._roomy)
faults = 0
for _ in range(20):
    try:
        stack.with_room(lambda: 1)
    except (MemoryError, SystemError):
        faults += 1
print(faults, sys.getrefcount(stack._roomy) >= before, stack._roomy.__name__)
"""


@pytest.mark.skipif(sys.platform != "linux", reason="memory is limited as on Linux")
def test_a_frame_that_finds_no_memory_takes_nothing_along() -> None:
    """In CPython 3.11 the function was freed after some times, and calls went anywhere."""
    done = subprocess.run([sys.executable, "-c", WITHOUT_ROOM], capture_output=True, text=True,
                          check=False)  # fmt: skip
    assert done.stdout.split() == ["20", "True", "_roomy"], done
