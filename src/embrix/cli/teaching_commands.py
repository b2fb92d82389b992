"""The commands for what a class sees, and takes home."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from pathlib import Path

from embrix.compare.range import SCALES

Adding = Callable[[str, str, str], argparse.ArgumentParser]
"""Adds a command: its name, the module and function that carry it out, what it does."""


def replacing(command: argparse.ArgumentParser) -> None:
    command.add_argument("--replace", action="store_true", help="write over a file that exists")


def add_teaching(add: Adding) -> None:
    """Pictures, handouts, lessons, worksheets, and what a course begins with."""
    draw = add(
        "draw",
        "draw.draw",
        "draw a tree, a grammar, rules, a derivation, a run, costs, a suite",
    )
    draw.add_argument("kind", metavar="WHAT", help="what is drawn: see docs/pictures.md")
    draw.add_argument("file", metavar="FILE", nargs="?", help="a program, or - for input")
    draw.add_argument("-e", metavar="TEXT", dest="text", help="a program text instead of a file")
    draw.add_argument("--to", metavar="FILE", type=Path,
                      help="a .svg, .pdf, .tex or .txt file (default: plain text)")  # fmt: skip
    replacing(draw)
    draw.add_argument("--theme", choices=("paper", "light", "dark"), default="paper",
                      help="colours (default: black on white)")  # fmt: skip
    draw.add_argument("--language", metavar="NAME", help="the language")
    draw.add_argument("--with", metavar="LANE", dest="lanes", action="append",
                      help="the lane; several for costs, growth and suite")  # fmt: skip
    draw.add_argument("--bind", metavar="NAME=EXPR", action="append", default=[],
                      help="supply a name by hand; may be given several times")  # fmt: skip
    draw.add_argument("--grammar", metavar="NAME", help="one of several grammars")
    draw.add_argument("--input", metavar="FILE", help="lines the program may read; - for input")
    draw.add_argument("--rule", metavar="RULE", help="a rule of the grammar to begin with")
    draw.add_argument("--at", metavar="N", type=int, default=0, help="a step of the walk")
    draw.add_argument("--deep", metavar="N", type=int, help="levels of a derivation that are shown")
    draw.add_argument("--over", metavar="NAME=A..B", help="for growth: the name and its range")
    draw.add_argument("--cost", metavar="COST", default="calls", help="for growth: what is counted")
    draw.add_argument("--axes", choices=SCALES, default="linear",
                      help="for growth: linear, the cost logarithmic, both")  # fmt: skip
    draw.add_argument("--abstract", action="store_true",
                      help="for rules: in the words of the definition")  # fmt: skip
    draw.add_argument("--json", action="store_true", help="print the answer as JSON")
    draw.set_defaults(calls=None, own_steps=False)

    give = add(
        "handout", "giving.give_handout", "write a handout for students: rules, programs, cases"
    )
    give.add_argument("--to", metavar="FILE", type=Path, required=True, help="a .html or .pdf file")
    replacing(give)
    give.add_argument("--language", metavar="NAME", dest="languages", action="append",
                      help="only this language; may be given several times")  # fmt: skip
    give.add_argument("--with", metavar="LANE", dest="lanes", action="append",
                      help="only this interpreter; may be given several times")  # fmt: skip
    give.add_argument("--grammar-as", choices=("diagram", "text"), default="diagram",
                      help="the grammar as diagrams or as text (default: diagram)")  # fmt: skip
    give.add_argument("--program", metavar="FILE", dest="programs", type=Path, action="append",
                      default=[], help="only this program; may be given several times")  # fmt: skip
    give.add_argument("--at", metavar="N", type=int, action="append", default=[],
                      help="only the program, with this step of its run")  # fmt: skip
    give.add_argument("--tag", metavar="TAG", dest="tags", action="append", default=[],
                      help="only cases with this tag; may be given several times")  # fmt: skip
    give.add_argument("--lesson", metavar="LESSON", type=Path,
                      help="a lesson instead: every stop with its notes and a picture")  # fmt: skip
    give.add_argument("--notes", metavar="FILE", type=Path, help="a text to begin with")

    give.add_argument("--json", action="store_true", help="print the answer as JSON")

    given = add(
        "lessons", "lessons.lessons", "list the stops of lessons, and report what is wrong there"
    )
    given.add_argument("lessons", metavar="LESSON", nargs="*", type=Path,
                       help="lessons (default: all of the course)")  # fmt: skip
    given.add_argument("--json", action="store_true", help="print the answer as JSON")
    page = add("slides", "lessons.make_slides", "write a lesson as slides: one page for a browser")
    page.add_argument("lesson", metavar="LESSON", type=Path, help="a .lesson.toml file")
    page.add_argument("--to", metavar="FILE", type=Path, required=True, help="a .html file")
    replacing(page)
    page.add_argument("--json", action="store_true", help="print the answer as JSON")

    sheet = add("worksheet", "exercises.make_worksheet", "make exercises with gaps from runs")
    sheet.add_argument("kind", metavar="WHAT", help="what is left open: see docs/lessons.md")
    sheet.add_argument("programs", metavar="FILE", nargs="*", type=Path, help="programs")
    sheet.add_argument("--lesson", metavar="LESSON", type=Path, help="the programs of a lesson")
    sheet.add_argument("--language", metavar="NAME", help="the language")
    sheet.add_argument("--with", metavar="LANE", dest="lanes", action="append",
                       help="the interpreter; may be given several times")  # fmt: skip
    sheet.add_argument("--gaps", metavar="N", type=int, default=4, help="how many (default: 4)")
    sheet.add_argument("--seed", metavar="N", type=int, default=1,
                       help="another number gives another sheet of the same kind")  # fmt: skip
    sheet.add_argument("--to", metavar="FILE", type=Path, required=True,
                       help="a .html, .pdf or .tex file; the answers go beside it")  # fmt: skip
    replacing(sheet)
    sheet.add_argument("--json", action="store_true", help="print the answer as JSON")

    new = add("new", "beginning.begin", "begin a course, language, interpreter, suite or program")
    new.add_argument("kind", choices=("course", "language", "interpreter", "suite", "program"),
                     help="what is begun")  # fmt: skip
    new.add_argument("name", metavar="NAME", help="its name; of a course, its folder")
    new.add_argument("--language", metavar="NAME",
                     help="the language of an interpreter, suite or program")  # fmt: skip
    new.add_argument("--extends", metavar="BASE", help="the language that a new one extends")
    new.add_argument(
        "--strategy", metavar="STRATEGY", default="environment",
        help="how a new interpreter works: environment (default), substitution, by_name, by_need, "
        "store_passing, machine or steps",
    )  # fmt: skip
    new.add_argument("--json", action="store_true", help="print the answer as JSON")

    start = add(
        "starter", "giving.give_starter", "write a course in which clauses are left to be written"
    )
    start.add_argument("--to", metavar="FOLDER", type=Path, required=True, help="a new folder")
    start.add_argument("--language", metavar="NAME", help="the language")
    start.add_argument("--with", metavar="LANE", dest="lane", required=True, help="its interpreter")
    start.add_argument("--without", metavar="FORM,…", required=True,
                       help="the forms whose clauses are left out")  # fmt: skip
    start.add_argument("--hint", metavar="TEXT", default="", help="what stands in their place")
    start.add_argument("--json", action="store_true", help="print the answer as JSON")
