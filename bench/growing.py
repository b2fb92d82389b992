"""How reading a course, an edit, and a key in a program grow with the number of languages."""

from __future__ import annotations

import gc
import statistics
import time
from collections.abc import Callable
from pathlib import Path
from tempfile import TemporaryDirectory

from bench.desk import LANGUAGES, copied
from embrix.course.checked import MEMORY
from embrix.messages.requests import DescribeCourse, Load, LookAt, RunLane, TestSuite
from embrix.services.answering import Service

COPIES = (1, 3, 10, 30)
"""How often the course stands in one folder, under other names."""
TIMES = 7
CLAUSE = "Lit(n)            => Num(n)"


def run_growing() -> None:
    """Seconds of processor time, and how many times what one course takes."""
    first: dict[str, float] = {}
    for copies in COPIES:
        with TemporaryDirectory() as place:
            for number in range(copies):
                copied(Path(place), number)
            told = []
            for what, seconds in _measured(Path(place)).items():
                times = seconds / first.setdefault(what, seconds)
                told.append(f"{what} {1000 * seconds:,.0f} ms ({times:.1f} times)")
            print(f"{copies * len(LANGUAGES):>4} languages: {'; '.join(told)}", flush=True)


def _measured(folder: Path) -> dict[str, float]:
    """Processor time of each, the median of several but for reading."""
    MEMORY.forget()
    gc.collect()
    service = Service(lambda *_: None, lambda *_: None)

    def load(unsaved: dict[str, str]) -> None:
        service.load(Load(folder=str(folder), unsaved=unsaved))

    def read() -> None:
        load({})
        service.answer(DescribeCourse())

    file, suite = folder / "0/drip/environment.brix", folder / "0/drip/drip.suite.toml"
    text = file.read_text()
    assert CLAUSE in text
    program = min(folder.glob("0/drip/programs/*")).read_text()

    def edit(number: int) -> None:
        other = CLAUSE.replace("Num(n)", f"if {number} == {number} then Num(n) else Num(n)")
        load({str(file): text.replace(CLAUSE, other)})
        service.answer(TestSuite(suite=str(suite), keep=False))

    def key(number: int) -> None:
        typed = f"{program} + {number}"
        service.answer(LookAt(language="Drip0", text=typed))
        service.answer(RunLane(language="Drip0", lane="environment", text=typed))

    found = {"read": _used(read)}
    for what, work in (("an edit", edit), ("a key", key)):
        work(0)
        found[what] = statistics.median(
            _used(lambda work=work, number=number: work(number))  # type: ignore[misc]
            for number in range(1, TIMES)
        )
    return found


def _used(work: Callable[[], object]) -> float:
    begin = time.process_time()
    work()
    return time.process_time() - begin
