"""Lessons on the command line: whether they can be given, their stops, slides."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path
from typing import Any

from embrix.cli.status import FAULTY, OK
from embrix.cli.streams import print_answer
from embrix.cli.usage import Usage, course_folder, new_file
from embrix.documents.pictures import NoPicture
from embrix.documents.slides import slides
from embrix.lanes.names import NoLane
from embrix.lanes.results import ending
from embrix.lanes.session import Session
from embrix.lessons.lesson import Lesson
from embrix.lessons.lesson_check import check_lesson
from embrix.lessons.lesson_reader import lesson_of
from embrix.lessons.playing import Played, played_if_it_can_be
from embrix.text.diagnostic import Findings, render
from embrix.text.plural import counted
from embrix.text.refusal import refusal
from embrix.text.saving import save_text
from embrix.text.visible import cut, visible


def lessons(arguments: argparse.Namespace) -> int:
    """Print the stops of lessons, each with what it shows, and what is wrong with them."""
    near = arguments.lessons[0].resolve().parent if arguments.lessons else None
    session = Session(course_folder(arguments.course, near))
    paths = [path.resolve() for path in arguments.lessons] or list(session.course.lessons)
    if not paths:
        raise Usage(f"{session.course.title} has no lessons (files that end in .lesson.toml)")
    for path in paths:
        if not path.is_file():
            raise Usage(f"there is no file {path}")
    findings = Findings()
    read = [lesson_of(session, path, findings) for path in paths]
    answers: list[dict[str, Any]] = []
    for lesson in read:
        if lesson is None:
            continue
        check_lesson(session, lesson, findings)
        answers.append(_as_data(session, lesson))
    found = findings.sorted()
    if arguments.json:
        print_answer(
            "lessons", {"lessons": answers, "findings": [one.as_data() for one in found]}
        )  # fmt: skip
    else:
        for finding in found:
            print(render(finding), end="\n\n")
        for one in answers:
            _print(one)
    return FAULTY if any(one.severity == "error" for one in found) else OK


def _as_data(session: Session, lesson: Lesson) -> dict[str, Any]:
    stops = []
    for stop in lesson.stops:
        played, _ = played_if_it_can_be(session, lesson, stop)
        stops.append({
            "name": stop.name, "lanes": {lane: ending(r) for lane, r in played.results.items()},
            "step": played.number, "there": played.there, "shows": _step(played),
            "question": stop.question, "covered": list(stop.covered),
        })  # fmt: skip
    return {"file": lesson.source.name, "title": lesson.title, "language": lesson.language,
            "stops": stops}  # fmt: skip


def _step(played: Played) -> str:
    if played.walk is None or not len(played.walk):
        return ""
    return played.walk.step(played.number, renewed=False).text


def _print(lesson: dict[str, Any]) -> None:
    count = counted(len(lesson["stops"]), "stop")
    print(f"{lesson['file']}: {visible(lesson['title'])}, {count}")
    for number, stop in enumerate(lesson["stops"], 1):
        print(f"  {number}. {visible(stop['name'])}")
        for lane, gives in stop["lanes"].items():
            print(f"       {lane}: {visible(cut(gives, 80))}")
        if not stop["lanes"]:
            print("       cannot be shown as it stands")
            continue
        place = f"step {stop['step']}" if stop["there"] else f"near step {stop['step']}"
        print(f"       {place}: {visible(cut(' '.join(stop['shows'].split()), 90))}")
        if stop["question"]:
            print(f"       asks: {visible(cut(stop['question'], 90))}")
        if stop["covered"]:
            print(f"       covers: {', '.join(stop['covered'])}")


def sound_lesson(session: Session, path: Path) -> Lesson:
    """A lesson that can be given. What is wrong with it is printed; raises `Usage` then."""
    if not path.is_file():
        raise Usage(f"there is no file {path}")
    findings = Findings()
    lesson = lesson_of(session, path.resolve(), findings)
    if lesson is not None:
        check_lesson(session, lesson, findings)
    for finding in findings.sorted():
        print(render(finding), file=sys.stderr, end="\n\n")
    if lesson is None or findings.has_errors:
        raise Usage("the lesson cannot be given as it stands")
    return lesson


def make_slides(arguments: argparse.Namespace) -> int:
    """Write a lesson as a page of slides."""
    path: Path = arguments.lesson
    if arguments.to.suffix != ".html":
        raise Usage("the name of the file ends in .html")
    session = Session(course_folder(arguments.course, path.resolve().parent))
    lesson = sound_lesson(session, path)
    target = new_file(arguments.to, replace=arguments.replace)
    try:
        page = slides(session, lesson)
    except (NoPicture, NoLane) as nothing:
        raise Usage(str(nothing)) from nothing
    try:
        save_text(target, page)
    except OSError as fault:
        raise Usage(f"{target} cannot be written: {refusal(fault)}") from fault
    if arguments.json:
        print_answer("slides", {"files": [str(target)]})
    else:
        print(f"written to {target}")
    return OK
