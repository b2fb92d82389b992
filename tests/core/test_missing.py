"""Definitions change while questions are on their way: what is asked about may be gone."""

from __future__ import annotations

import typing
from pathlib import Path
from typing import Any

import msgspec
import pytest

from embrix.course.missing import NotThere
from embrix.messages.recipes import WalkRecipe
from embrix.messages.request import Request
from embrix.messages.requests import AnyRequest, Load, LookAt
from embrix.messages.wire import Fault
from embrix.services.answering import Service
from embrix.workers.pool import Pool
from tests.conftest import TINY_LANGUAGE, Maker
from tests.core.test_naming import LANE, SUITE

GRAMMAR = TINY_LANGUAGE.index("grammar")
BROKEN = {
    "as it was": TINY_LANGUAGE,
    "no grammar": TINY_LANGUAGE[:GRAMMAR],
    "a line of a program in place of the grammar": TINY_LANGUAGE[:GRAMMAR] + "let x = 8 in x",
    "no forms": TINY_LANGUAGE.replace("forms Expr", "form Expr"),
    "no tokens": TINY_LANGUAGE.replace("tokens", "tkens"),
    "a rule that is nowhere": TINY_LANGUAGE.replace("operand Atom", "operand Atm"),
    "only a name": "language Tiny\n",
    "another name": TINY_LANGUAGE.replace("language Tiny", "language Tuny"),
    "nothing": "",
}


LESSON = """\
title = "T"
language = "Tiny"
[[stop]]
name = "one"
program = "1 + 2"
lanes = ["values"]
[[stop]]
name = "two"
program = "2 + 2"
lanes = ["values"]
"""


def asked(folder: Path, text: str) -> list[Request]:
    """One request of each kind, as the workbench would ask it of the course as it was."""
    walk = WalkRecipe("1", "Tiny", "values", "let q = 8 in q + 1")
    known: dict[str, Any] = {
        "language": "Tiny", "languages": ["Tiny"], "lane": "values", "lanes": ["values", "values"],
        "text": walk.text, "given": {}, "input": [], "suite": str(folder / "tiny.suite.toml"),
        "case": "one", "file": "tiny.brix", "definition": text, "offset": 40, "line": 9,
        "folder": str(folder), "unsaved": {}, "walk": walk, "path": str(folder / "made"),
        "name": "rate", "new": "other", "what": "value", "typed": None, "how": "duplicate",
        "function": "eval", "form": "Add", "decision": "first", "seed": 1, "kind": "lookup",
        "start": 0, "first": 0, "last": 2, "step": 1, "forward": True, "grammar": None, "most": 20,
        "costs": [], "endless": False, "one": "values", "other": "values", "number": 0,
        "lesson": str(folder / "tiny.lesson.toml"), "by": 1,
        "program": "1 + 2", "origin": "a hunt", "forms": "Add", "choices": {}, "rule": "Expr",
        "gaps": 2, "exercise": "outcomes",
    }  # fmt: skip
    costs = {"HuntDifference": False}
    found = []
    for kind in typing.get_args(AnyRequest):
        parts = {one.name: known[one.name] for one in msgspec.structs.fields(kind)
                 if one.required or one.name == "language"}  # fmt: skip
        if kind.__name__ in costs:
            parts["costs"] = costs[kind.__name__]
        found.append(msgspec.convert(parts, kind, from_attributes=True))
    return found


@pytest.mark.parametrize("how", BROKEN)
def test_every_question_about_a_language_that_broke_is_answered_or_told_to_be_about_what_is_gone(
    make_course: Maker, how: str
) -> None:
    folder = make_course(tiny=TINY_LANGUAGE, values=LANE).folder
    (folder / "tiny.suite.toml").write_text(SUITE)
    (folder / "tiny.lesson.toml").write_text(LESSON)
    text = BROKEN[how]
    answers, told = 0, []
    for request in asked(folder, text):
        service = Service(lambda *_: None, lambda *_: None)
        service.load(Load(folder=str(folder), unsaved={str(folder / "tiny.brix"): text}))
        try:
            service.answer(request)
            answers += 1
        except NotThere as gone:
            told.append(str(gone))
    assert answers > (30 if how == "as it was" else 15)
    assert all(told)
    assert how != "as it was" or not told


def test_a_worker_tells_what_is_gone_from_what_is_its_own_fault(make_course: Maker) -> None:
    pool = Pool(1)
    try:
        pool.load(str(make_course(tiny=TINY_LANGUAGE, values=LANE).folder), lambda _: None)
        gone = pool.request(LookAt(language="Tony", text="1"), 30)
        assert isinstance(gone, Fault)
        assert gone.kind == "missing"
        assert gone.text == "the course has no language called Tony; there are: Tiny"
    finally:
        pool.close()
