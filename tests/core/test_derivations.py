"""Derivations as pictures: what is cut, folded, divided, and set in rows."""

from __future__ import annotations

import pytest

from embrix.course.load import Course
from embrix.documents.pictures import Wish, picture
from embrix.draw.derivations import (
    MOST_OF_A_VALUE,
    PAGE,
    Derivation,
    derivation_of,
    divided,
    draw_derivation,
)
from embrix.draw.scene import Line
from embrix.lanes.session import Session
from embrix.trace.walk import Walk
from tests.core.test_drawing import SCOPE, check_geometry, words


@pytest.fixture(scope="module")
def session(lockside: Course) -> Session:
    return Session(lockside.folder)


def test_long_values_are_cut_in_a_derivation(lockside: Course) -> None:
    """Pairs that are shared 16 times are 2 ** 17 numbers when they are written out."""
    lane = Session(lockside.folder).lane("Mere", "environment")
    text = "let f of n = given p: when n < 1 then p else f (n-1) [p,p] in f 16 1"
    root = derivation_of(Walk(lane, lane.trace(text)))
    assert root is not None
    order = [root]
    for node in order:
        order.extend(node.premises)
    assert max(len(node.conclusion) for node in order) < 3 * MOST_OF_A_VALUE + 20
    assert root.conclusion.endswith("…")


def test_a_large_derivation_is_divided_into_parts_that_fit() -> None:
    root = Derivation("⊢ whole ⇓ 1", "Whole")
    for number in range(8):
        parts = [Derivation(f"⊢ part {number} of many {k} ⇓ {k}", "Part") for k in range(6)]
        root.premises.append(Derivation(f"⊢ half {number} ⇓ 2", "Half", parts))
    assert len(divided(root)) > 1
    for scene in draw_derivation(root, "d").pages:
        assert scene.width <= PAGE + 40


def test_premises_that_have_no_room_beside_each_other_stand_in_rows_over_one_line() -> None:
    """Nothing is above them that could be a part of its own; LaTeX has the same rows."""
    leaves = [Derivation(f"⊢ a premise with a rather long text, {n} ⇓ {n}", "Leaf")
              for n in range(4)]  # fmt: skip
    drawing = draw_derivation(Derivation("⊢ whole ⇓ 1", "Whole", leaves), "d", 640.0)
    (scene,) = drawing.pages
    check_geometry(scene)
    assert scene.width <= 640 + 40
    heights = {one.y for one in scene.labels if one.text.startswith("⊢ a premise")}
    assert 1 < len(heights) <= 4
    assert len(drawing.text.splitlines()) == 2 * len(heights) + 2
    assert drawing.latex.count(r"\begin{array}") == 1
    assert drawing.latex.count(r"\\") >= len(heights) - 1
    short = draw_derivation(Derivation("⊢ 1", "Whole", [Derivation("⊢ 2"), Derivation("⊢ 3")]), "")
    assert r"\begin{array}" not in short.latex


def test_a_failed_run_is_a_partial_derivation(session: Session) -> None:
    text = "let a = 1 in a + b"
    drawing = picture(session, Wish("derivation", "Drip", text, ("environment",)))
    lines = [item for item in drawing.pages[0].items if isinstance(item, Line)]
    assert sum(line.dashed for line in lines) == 3  # b, a + b, the whole
    assert sum(not line.dashed for line in lines) == 2  # 1, a


def test_a_derivation_is_folded_below_a_depth(session: Session) -> None:
    whole = picture(session, Wish("derivation", "Rill", SCOPE, ("environment",)))
    folded = picture(session, Wish("derivation", "Rill", SCOPE, ("environment",), deep=2))
    assert "… 7 more" in folded.text
    assert "… " not in words(whole.text).replace("…", "")


# ---------------------------------------------------------------------- charts and LaTeX
