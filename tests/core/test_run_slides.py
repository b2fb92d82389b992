"""A run as a page of slides: a step on each, with what is active marked."""

from __future__ import annotations

import re
from html import unescape
from pathlib import Path

import pytest

from embrix.cli.main import main
from embrix.course.load import Course
from embrix.documents.run_slides import MOST_SLIDES, run_slides
from embrix.lanes.session import Session
from embrix.trace.walk import Walk

PROGRAM = "let x = 3 in x * (let x = 5 in x + 1)"


def sections(page: str) -> list[str]:
    return re.findall(r"<section>(.*?)</section>", page, re.DOTALL)


def plain(text: str) -> str:
    return unescape(re.sub(r"<[^>]*>", "", text))


def test_a_reduction_grows_line_by_line(lockside: Course) -> None:
    lane = Session(lockside.folder).lane("Drip", "rewriting")
    walk = Walk(lane, lane.trace(PROGRAM))
    lines = walk.lines()
    found = sections(run_slides(walk, "Drip rewriting", PROGRAM))
    assert len(found) == len(lines) == 5
    for number, one in enumerate(found):
        sequence = re.search(r'<pre class="sequence">(.*?)</pre>', one, re.DOTALL)
        assert sequence is not None
        before, present = re.findall(r"<span>(.*?)</span>", sequence[1]), sequence[1]
        assert [unescape(line) for line in before] == lines[:number]
        assert plain(re.sub(r"<span>.*?</span>", "", present)) == lines[number]
    # Where 3 goes, and the inner x that stops it; then the 3 that has been put in.
    assert "<b>x</b>" in found[0]
    assert "<s>x</s>" in found[0]
    assert "<b>3</b>" in found[1]


def test_a_judgement_stands_with_names_and_clause(lockside: Course) -> None:
    lane = Session(lockside.folder).lane("Rill", "by_need")
    walk = Walk(lane, lane.trace("let a = 1 + 1 in a * a"))
    found = sections(run_slides(walk, "Rill by_need", "let a = 1 + 1 in a * a"))
    assert len(found) == len(walk)
    for number, one in enumerate(found):
        step = walk.step(number)
        assert step.brief in plain(one)
        assert ("<h2>names</h2>" in one) == bool(step.bindings)
        assert ("<h2>store</h2>" in one) == bool(step.store)


def test_comments_are_told_from_the_program(lockside: Course) -> None:
    """Also one inside the active part, and one that looks like a program."""
    text = "# let y = 1\nlet x = 1 # one\n in x + 2"
    lane = Session(lockside.folder).lane("Drip", "environment")
    walk = Walk(lane, lane.trace(text))
    for number, one in enumerate(sections(run_slides(walk, "Drip", text))):
        shown = one.partition("<pre>")[2].partition("</pre>")[0]
        assert plain(shown) == text
        comments = re.findall(r'<i class="comment">(.*?)</i>', shown)
        assert comments == ["# let y = 1", "# one"], number
        place = walk.step(number).place
        marked = plain("".join(re.findall(r"<mark>(.*?)</mark>", shown, re.DOTALL)))
        assert marked == ("" if place in (None, (0, len(text))) else text[slice(*place)])


def test_a_long_run_is_cut_and_says_so(lockside: Course) -> None:
    lane = Session(lockside.folder).lane("Drip", "environment")
    text = " + ".join(["1"] * 400)
    walk = Walk(lane, lane.trace(text))
    found = sections(run_slides(walk, "Drip", text))
    assert len(found) == MOST_SLIDES + 1
    assert f"… and {len(walk) - MOST_SLIDES:,} more steps" in found[-1]
    later = sections(run_slides(walk, "Drip", text, len(walk) - 2))
    assert len(later) == 2


def test_nothing_in_a_program_becomes_a_part_of_the_page(lockside: Course) -> None:
    lane = Session(lockside.folder).lane("Rill", "environment")
    text = "# </section><script>alert(1)</script>\n1 < 2"
    page = run_slides(Walk(lane, lane.trace(text)), "<b>", text)
    assert page.count("<script>") == 1
    assert "&lt;script&gt;alert(1)" in page
    assert "<h1>&lt;b&gt;" in page


def test_slides_are_written_from_the_command_line(
    course_copy: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    target = tmp_path / "run.html"
    asked = ["walk", "-e", PROGRAM, "--course", str(course_copy), "--language", "Drip",
             "--with", "rewriting", "--slides", str(target)]  # fmt: skip
    assert main(asked) == 0
    assert len(sections(target.read_text())) == 5
    assert main(asked) == 2  # never written over
    assert "exists" in capsys.readouterr().err
    assert main([*asked[:-1], str(tmp_path / "run.pdf")]) == 2
