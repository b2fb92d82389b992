"""Worksheets: what is left out is what the key says, and no text becomes a command."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from embrix.course.load import Course
from embrix.documents.handout import HandoutPart
from embrix.documents.handout_files import write_handout
from embrix.documents.latex_pages import latex_of
from embrix.documents.worksheets import EXERCISES, NoExercise, Worksheet, WorksheetWish, worksheet
from embrix.draw.latex import SIGNS
from embrix.lanes.session import Session
from embrix.trace.walk import Walk

PROGRAM = "let x = 2 * 3 in let y = x + 1 in x * y - 2"
COUNTER = "new a := 1; a := a + 1; show a"


def asked(kind: str, lanes: tuple[str, ...], **more: object) -> WorksheetWish:
    fields = {"programs": (("p", PROGRAM),), "gaps": 4, "seed": 1, **more}
    return WorksheetWish(kind, "Drip", lanes, **fields)  # type: ignore[arg-type]


def text_of(parts: list[HandoutPart]) -> str:
    return "\n".join(part.text or "\n".join("  ".join(row) for row in part.rows) for part in parts)


def filled(sheet: Worksheet) -> str:
    """The sheet with every gap filled in from the key."""
    return re.sub(r"\((\d+)\) ______", lambda m: sheet.answers[int(m[1]) - 1], text_of(sheet.parts))


def test_steps_that_are_left_out_are_those_of_the_run(lockside: Course) -> None:
    session = Session(lockside.folder)
    sheet = worksheet(session, asked("steps", ("rewriting",)))
    lane = session.lane("Drip", "rewriting")
    lines = list(Walk(lane, lane.trace(PROGRAM)).each_line())
    assert len(sheet.answers) == 4
    shown = [
        line.lstrip("→ ") for line in filled(sheet).split("\n") if line.startswith(("→", "  "))
    ]
    assert shown == lines
    # The first one always stays.
    assert f"  {lines[0]}" in text_of(sheet.parts)


def test_outcomes_are_those_of_the_lanes(lockside: Course) -> None:
    """By hand: 6, 7, 6 * 7 - 2 = 40."""
    sheet = worksheet(
        Session(lockside.folder), asked("outcomes", ("environment", "rewriting"), gaps=9)
    )
    assert sheet.answers == ["40", "40"]
    sheet = worksheet(
        Session(lockside.folder),
        asked("outcomes", ("by_name", "environment"), programs=(("p", "let x = 1 / 0 in 7"),)),
    )
    assert sheet.answers == ["7", "error DivisionByZero"]


def test_names_and_stores_are_those_of_the_step(lockside: Course) -> None:
    session = Session(lockside.folder)
    names = worksheet(session, asked("names", ("environment",), gaps=6))
    assert set(names.answers) <= {"6", "7"}
    asked_store = WorksheetWish("store", "Weir", ("store_passing",), (("p", COUNTER),), 3, 2)
    store = worksheet(session, asked_store)
    assert len(store.answers) == 3
    assert set(store.answers) <= {"1", "2"}
    with pytest.raises(NoExercise, match="they are put into the term"):
        worksheet(session, asked("names", ("rewriting",)))
    with pytest.raises(NoExercise, match=r"^environment has no store$"):
        worksheet(session, asked("store", ("environment",)))


def test_a_derivation_has_its_gaps_in_the_picture(lockside: Course) -> None:
    sheet = worksheet(Session(lockside.folder), asked("derivation", ("environment",), seed=5))
    (picture,) = [part for part in sheet.parts if part.kind == "picture"]
    shown = " ".join(label.text for scene in picture.pictures for label in scene.labels)
    for number in range(1, 5):
        assert f"({number}) ______" in shown
    rules = {"Lit", "Var", "Add", "Sub", "Mul", "Let"}
    assert all(one in rules or one.lstrip("-").isdigit() for one in sheet.answers)


def test_a_mistake_is_one_that_a_case_shows(lockside: Course) -> None:
    session = Session(lockside.folder)
    sheet = worksheet(session, WorksheetWish("mistakes", "Drip", ("environment",), (), 2, 3))
    text = lockside.interpreters["Drip"]["environment"].source.text.split("\n")
    assert len(sheet.answers) == 4
    for line, right in zip(sheet.answers[::2], sheet.answers[1::2], strict=True):
        number = int(line.removeprefix("line "))
        assert text[number - 1].strip() == right
    listings = [part.text for part in sheet.parts if part.kind == "code"][::2]
    for listing, line in zip(listings, sheet.answers[::2], strict=True):
        number = int(line.removeprefix("line "))
        (shown,) = [row for row in listing.split("\n") if row.startswith(f"{number:>4}  ")]
        assert shown[6:] != text[number - 1]


def test_programs_that_tell_lanes_apart(lockside: Course) -> None:
    session = Session(lockside.folder)
    sheet = worksheet(session, WorksheetWish("apart", "Drip", ("environment", "by_name"), (), 4, 1))
    programs = [part.text for part in sheet.parts if part.kind == "code"]
    for program, answer in zip(programs, sheet.answers, strict=True):
        one, other = (
            session.lane("Drip", name).run(program).outcome for name in ("environment", "by_name")
        )
        assert answer.startswith("both ") == (one.sentence == other.sentence)
    assert any(not one.startswith("both ") for one in sheet.answers)
    with pytest.raises(NoExercise, match="name them with --with, twice"):
        worksheet(session, WorksheetWish("apart", "Drip", ("environment",)))


def test_a_seed_gives_one_sheet_and_another_seed_another(lockside: Course) -> None:
    session = Session(lockside.folder)

    def made(seed: int) -> str:
        return text_of(worksheet(session, asked("steps", ("rewriting",), seed=seed, gaps=2)).parts)

    assert made(1) == made(1)
    assert len({made(seed) for seed in range(1, 9)}) > 4


@pytest.mark.parametrize("kind", EXERCISES)
def test_every_kind_is_written_in_every_form(lockside: Course, tmp_path: Path, kind: str) -> None:
    lanes = {"steps": ("rewriting",), "apart": ("environment", "by_name")}.get(
        kind, ("environment",)
    )
    what = asked(kind, lanes, programs=() if kind in ("mistakes", "apart") else (("p", PROGRAM),))
    if kind == "store":
        what = WorksheetWish("store", "Weir", ("store_passing",), (("p", COUNTER),))
    sheet = worksheet(Session(lockside.folder), what)
    for ending in (".html", ".pdf", ".tex"):
        write_handout(sheet.parts, tmp_path / f"sheet{ending}")
        write_handout(sheet.key("answers"), tmp_path / f"key{ending}")
        assert (tmp_path / f"sheet{ending}").stat().st_size > 300
    key = (tmp_path / "key.html").read_text()
    assert key.count("<tr>") == len(sheet.answers) + 1


COMMANDS = {
    "documentclass", "usepackage", "setlength", "parindent", "parskip", "begin", "end", "section",
    "subsection", "subsubsection", "ttfamily", "small", "raggedright", "mbox", "newline", "strut",
    "par",
    "linewidth", "hline", "textbackslash", "textasciitilde", "textasciicircum",
    *re.findall(r"\\([A-Za-z]+)", " ".join(SIGNS.values())),
}  # fmt: skip


@given(st.text(st.characters(min_codepoint=9, max_codepoint=0x17F), max_size=40))
@settings(max_examples=150)
def test_no_text_of_a_program_issues_a_command(text: str) -> None:
    page = latex_of([
        HandoutPart("title", text), HandoutPart("text", text), HandoutPart("code", text),
        HandoutPart("table", rows=((text, text),)),
    ])  # fmt: skip
    assert set(re.findall(r"\\([A-Za-z]+)", page)) <= COMMANDS
    plain = re.sub(r"\\[{}]", "", page)
    assert plain.count("{") == plain.count("}")
    assert page.count(r"\begin{") == page.count(r"\end{") == 2


def test_what_cannot_be_asked_is_told(lockside: Course) -> None:
    session = Session(lockside.folder)
    for what, message in (
        (asked("steps", ("rewriting",), programs=()), "name a program"),
        (asked("steps", ("rewriting",), programs=(("p", "1 +"),)), "cannot be read"),
        (asked("steps", ("rewriting",), programs=(("p", "7"),)), "no steps that could be left out"),
        (asked("steps", ()), "Drip has no interpreter"),
    ):
        with pytest.raises(NoExercise, match=message):
            worksheet(session, what)


def test_a_sheet_says_that_there_is_more_only_where_there_is(lockside: Course) -> None:
    session = Session(lockside.folder)
    short = worksheet(session, asked("steps", ("rewriting",)))
    assert "more" not in text_of(short.parts)
    many = " + ".join(["1"] * 200)
    long = worksheet(session, asked("steps", ("rewriting",), programs=(("p", many),)))
    lane = session.lane("Drip", "rewriting")
    count = Walk(lane, lane.trace(many)).count_lines()
    shown = int(text_of(long.parts).partition("… and ")[2].split()[0])
    assert 0 < shown < count


def test_a_derivation_is_small_and_its_answers_are_whole(lockside: Course) -> None:
    """What a list of twenty numbers is joined from, by hand: the answer is the list."""
    numbers = "~".join(str(float(n)) for n in range(20, 0, -1))
    program = f"let s = {' ~ '.join(map(str, range(20, 0, -1)))} ~ end in s"
    found = set()
    for seed in range(12):
        wish = WorksheetWish("derivation", "Mere", lanes=("environment",),
                             programs=(("list.mere", program),), gaps=12, seed=seed)  # fmt: skip
        sheet = worksheet(Session(lockside.folder), wish)
        scenes = [scene for part in sheet.parts for scene in part.pictures]
        assert all(len(label.text) < 200 for scene in scenes for label in scene.labels)
        found |= {answer.replace(" ", "") for answer in sheet.answers}
    assert f"{numbers}~end" in found
