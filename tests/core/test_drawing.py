"""Pictures: nothing overlaps or is cut off, text stays text; rules are those of the clauses."""

from __future__ import annotations

import io
import re
from itertools import combinations
from pathlib import Path as FilePath
from xml.etree import ElementTree

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st
from pylatexenc.latex2text import LatexNodes2Text
from reportlab.pdfbase import pdfmetrics

from embrix.compare.range import SCALES, Scale
from embrix.course.load import Course
from embrix.documents.pictures import NoPicture, Wish, picture
from embrix.draw.cells import lay_out, shortened
from embrix.draw.charts import draw_bars, draw_growth
from embrix.draw.derivations import (
    Derivation,
    draw_derivation,
)
from embrix.draw.files import Unwritable, write_drawing
from embrix.draw.kinds import KINDS
from embrix.draw.latex import SIGNS, in_math, in_text
from embrix.draw.pdf import write_pdf
from embrix.draw.plot import LETTERS, plot
from embrix.draw.railroad import draw_grammar
from embrix.draw.rule_pictures import draw_rules
from embrix.draw.rules import InferenceRule
from embrix.draw.runs import draw_reduction
from embrix.draw.scene import Box, Label, Line, Path, Scene
from embrix.draw.svg import write_svg
from embrix.draw.ticks import ticks
from embrix.draw.trees import Tree, draw_tree, draw_trees, mark_difference
from embrix.draw.typefaces import ADVANCE, FILES, has, pieces, register, wide
from embrix.grammar.examples import form_examples
from embrix.lanes.inspection import look
from embrix.lanes.session import Session
from embrix.text.visible import visible, width
from embrix.trace.walk import Walk

SCOPE = "let rate = 2 in let toll = given tons: tons * rate in let rate = 10 in toll 3"


@pytest.fixture(scope="module")
def session(lockside: Course) -> Session:
    return Session(lockside.folder)


def check_geometry(scene: Scene) -> None:
    """No two texts overlap, everything lies inside the picture."""
    labels = list(scene.labels)
    for one, other in combinations(labels, 2):
        assert not one.box.overlaps(other.box), (one, other)
    for item in scene.items:
        if isinstance(item, Label | Box):
            box = item.box if isinstance(item, Label) else item
            corners = [(box.x, box.y), (box.x + box.width, box.y + box.height)]
        elif isinstance(item, Line):
            corners = [(item.x, item.y), (item.to_x, item.to_y)]
        else:
            assert isinstance(item, Path)
            corners = list(item.points)
        for x, y in corners:
            assert -0.01 <= x <= scene.width + 0.01, item
            assert -0.01 <= y <= scene.height + 0.01, item


def words(text: str) -> str:
    return "".join(text.split())


texts = st.text(st.characters(min_codepoint=33, max_codepoint=0x2FF), min_size=1, max_size=14)
trees = st.recursive(
    st.builds(Tree, texts, detail=texts),
    lambda inner: st.builds(Tree, texts, st.lists(inner, min_size=1, max_size=4)),
    max_leaves=25,
)
derivations = st.recursive(
    st.builds(Derivation, texts, texts),
    lambda inner: st.builds(
        Derivation, texts, texts, st.lists(inner, max_size=4), folded=st.integers(0, 2)
    ),
    max_leaves=25,
)


@given(trees)
@settings(max_examples=40)
def test_trees_do_not_overlap_at_any_shape(root: Tree) -> None:
    check_geometry(draw_tree(root, "t").pages[0])


@given(derivations, st.floats(60, 900))
@settings(max_examples=40)
def test_derivations_do_not_overlap_and_lose_nothing(root: Derivation, page: float) -> None:
    conclusions: list[str] = []
    pending = [root]
    while pending:
        node = pending.pop()
        conclusions.append(visible(node.conclusion))
        pending += node.premises
    drawing = draw_derivation(root, "d", page)
    for scene in drawing.pages:
        check_geometry(scene)
    shown = [label.text for scene in drawing.pages for label in scene.labels]
    for conclusion in set(conclusions):
        assert shown.count(conclusion) >= conclusions.count(conclusion)
    if len(drawing.pages) > 1:
        for number in range(2, len(drawing.pages) + 1):
            assert shown.count(f"part {number}") >= 2  # where it is referred to, and at its head


def test_no_page_of_a_drawing_is_written_over_a_file(tmp_path: FilePath) -> None:
    root = Derivation("⊢ whole", "Whole")
    for number in range(8):
        parts = [Derivation(f"⊢ part {number} of many {k} ⇓ {k}", "Part") for k in range(6)]
        root.premises.append(Derivation(f"⊢ half {number} ⇓ 2", "Half", parts))
    drawing = draw_derivation(root, "d")
    assert len(drawing.pages) > 2
    mine = tmp_path / "d-3.svg"
    mine.write_text("mine")
    with pytest.raises(Unwritable, match=r"d-3\.svg exists already"):
        write_drawing(drawing, tmp_path / "d.svg")
    assert [path.name for path in tmp_path.iterdir()] == ["d-3.svg"]
    assert mine.read_text() == "mine"
    written = write_drawing(drawing, tmp_path / "d.svg", replace=True)
    assert len(written) == len(drawing.pages)
    assert mine.read_text().startswith("<svg")


@pytest.mark.parametrize("kind", [kind for kind in KINDS if kind != "growth"])
def test_every_picture_has_a_sound_geometry_and_is_written_in_every_form(
    session: Session, kind: str
) -> None:
    lane = "rewriting" if kind == "steps" else "by_need"
    text = "let toll = 3 * 4 in let rate = 2 in toll + toll * rate"
    wish = Wish(kind, "Rill", text, (lane,), number=6)  # type: ignore[arg-type]
    if kind == "states":
        text = "open := 0; { while open = 0 do rest beside open := 1 } give open"
        wish = Wish("states", "Race", text, ("interleaving",))
    drawing = picture(session, wish)
    assert drawing.text.strip()
    for scene in drawing.pages:
        check_geometry(scene)
        root = ElementTree.fromstring(write_svg(scene, "dark"))
        told = {"".join(one.itertext()) for one in root.iter("{http://www.w3.org/2000/svg}text")}
        assert {label.text for label in scene.labels} <= told
    content = write_pdf(drawing.pages)
    assert content.startswith(b"%PDF")
    # The typefaces are embedded, and no other one is used.
    fonts = set(re.findall(rb"/BaseFont /([^ ]+)", content))
    assert fonts
    assert all(b"DejaVuS" in font for font in fonts)
    proportional = any(b"DejaVuSerif" in font for font in fonts)
    assert proportional == (kind in ("rules", "costs", "growth", "suite", "decisions", "tokens"))
    assert content.count(b"/FontFile2") >= len(fonts)


@pytest.mark.parametrize("language", ["Drip", "Eddy", "Gauge", "Mere", "Race", "Weir"])
def test_the_gallery_has_a_program_for_each_form(session: Session, language: str) -> None:
    """Its tree has the form in it; all forms of the language are there."""
    checked = session.course.languages[language]
    assert checked.grammar is not None
    examples = form_examples(checked.grammar)
    assert list(examples) == [form.name for form in checked.signature.forms]
    for name, program in examples.items():
        rows = look(session, language, program).tree
        assert name in {row.form for row in rows}, (name, program)
    drawing = picture(session, Wish("gallery", language))
    assert all(f"{name}: " in drawing.text for name in examples)
    for scene in drawing.pages:
        check_geometry(scene)
        assert scene.width < 1_100


def test_a_term_that_is_too_wide_goes_on_in_further_lines(session: Session) -> None:
    """Nothing is lost or said twice, and marks go on where a line breaks them."""
    text = "let toll = 3 * 4 in let rate = 2 + toll in toll + toll * rate + toll * rate * toll"
    lane = session.lane("Rill", "rewriting")
    walk = Walk(lane, lane.trace(text))
    (whole,), (broken,) = (draw_reduction(walk, "steps", broad).pages for broad in (None, 240.0))
    assert broken.width < 260 < whole.width
    assert broken.height > whole.height
    check_geometry(broken)

    def texts(scene: Scene, *, marked: bool = False) -> str:
        labels = (one for one in scene.labels if not marked or one.bold or one.underlined)
        return "".join(one.text for one in labels)

    assert texts(broken) == texts(whole)
    assert texts(broken, marked=True) == texts(whole, marked=True)


def test_a_formula_is_set_by_what_its_pieces_are() -> None:
    """Worked out by hand: variables slanted with their marks upright, words of the language in the
    typeface of code, words between formulas and signs upright; a sign that a proportional typeface
    lacks comes from that of code."""
    assert pieces("Γ ⊢ let x = e₁ in e′", "formula") == (
        ("serif", "Γ ⊢ "), ("mono", "let"), ("serif", " "), ("serif italic", "x"), ("serif", " = "),
        ("serif italic", "e"), ("serif", "₁ "), ("mono", "in"), ("serif", " "),
        ("serif italic", "e"), ("serif", "′"),
    )  # fmt: skip
    assert pieces("x ∉ dom(ρ)", "formula") == (
        ("serif italic", "x"), ("serif", " ∉ dom("), ("serif italic", "ρ"), ("serif", ")"),
    )  # fmt: skip
    assert pieces("∅ is final", "formula") == (("mono", "∅"), ("serif", " is final"))
    assert pieces("two words", "text") == (("serif", "two words"),)
    assert pieces("a ⟦b⟧", "text") == (
        ("serif", "a "),
        ("mono", "⟦"),
        ("serif", "b"),
        ("mono", "⟧"),
    )
    assert pieces("x = e", "code") == (("mono", "x = e"),)


@given(texts)
def test_the_parts_of_a_text_are_the_whole_text(text: str) -> None:
    for face in ("code", "text", "formula"):
        parts = pieces(text, face)  # type: ignore[arg-type]
        assert "".join(part for _, part in parts) == text
        assert all(style == "mono" or has(sign, style) for style, part in parts for sign in part)


def test_widths_are_those_of_the_typefaces() -> None:
    """By the measures of the library that writes the PDF."""
    register()
    for text, font, face in (("Widths: ill", "serif", "text"), ("e", "serif italic", "formula"),
                             ("⊢", "serif", "formula")):  # fmt: skip
        known = pdfmetrics.stringWidth(text, FILES[font], 10)  # type: ignore[index]
        assert wide(text, 10, face) == pytest.approx(known)  # type: ignore[arg-type]
    assert wide("ill", 10, "text") < wide("ill", 10) < wide("mmm", 10, "text")


def test_the_advance_is_that_of_the_typeface() -> None:
    register()
    assert pdfmetrics.stringWidth("⊢m↦", FILES["mono"], 100) == pytest.approx(
        300 * ADVANCE, abs=0.1
    )


@pytest.mark.parametrize("language", ["Drip", "Rill", "Weir", "Mere"])
def test_the_diagrams_of_all_grammars_are_sound(session: Session, language: str) -> None:
    grammar = session.course.languages[language].grammar
    assert grammar is not None
    (scene,) = draw_grammar(grammar, language).pages
    check_geometry(scene)
    shown = {label.text for label in scene.labels}
    assert {"let", "in", "Expr", "number"} <= shown


def test_two_trees_are_marked_where_they_part() -> None:
    """Subtraction that nests the wrong way: only the operands of the outer one differ."""
    left = Tree("Sub", [Tree("Sub", [Tree("Lit", detail="9"), Tree("Lit", detail="3")]),
                        Tree("Lit", detail="1")])  # fmt: skip
    inner = Tree("Sub", [Tree("Lit", detail="3"), Tree("Lit", detail="1")])
    right = Tree("Sub", [Tree("Lit", detail="9"), inner])
    mark_difference(left, right)
    assert not left.differs
    assert [child.differs for child in left.children] == [True, True]
    drawing = draw_trees([("left", left), ("right", right)], "trees")
    check_geometry(drawing.pages[0])
    assert "≠ │ Sub" in drawing.text


# ---------------------------------------------------------------------- rules


@given(st.floats(-1e6, 1e6), st.floats(0.001, 1e7))
def test_ticks_are_round_and_cover_the_axis(low: float, span: float) -> None:
    found = ticks(low, low + span)
    assert 1 <= len(found) <= 16
    assert all(low - span * 0.01 <= one <= low + span * 1.01 for one in found)


def test_bars_are_as_long_as_what_they_count() -> None:
    costs = {"by_name": {"calls": 40}, "by_need": {"calls": 10}, "other": {"calls": 0}}
    (scene,) = draw_bars(costs, ["calls", "lookups"], "bars").pages
    check_geometry(scene)
    long, short = (item.width for item in scene.items if isinstance(item, Box))
    assert long == pytest.approx(4 * short)
    assert "lookups" not in {label.text for label in scene.labels}


@pytest.mark.parametrize("scale", ["linear", "logarithmic", "both"])
def test_growth_names_what_fits(scale: str) -> None:
    table = {"squares": [(n, float(n * n)) for n in range(1, 15)],
             "line": [(n, 5.0 * n) for n in range(1, 15)]}  # fmt: skip
    drawing = draw_growth(table, "n", "calls", "growth", scale)  # type: ignore[arg-type]
    told = " ".join(label.text for label in drawing.pages[0].labels)
    assert "squares: quadratic" in told
    assert "line: linear" in told
    for item in drawing.pages[0].items:
        if isinstance(item, Path):
            assert all(0 <= x <= drawing.pages[0].width for x, _ in item.points)


def test_latex_holds_the_judgement() -> None:
    assert in_math("∅ ⊢ a_b * 2 ⇓ 4") == (
        r"\varnothing \ \vdash \ \mathtt{a\_b}\ \ast \ 2\ \Downarrow \ 4"
    )
    drawing = draw_derivation(Derivation("⊢ x ⇓ 1", "Var"), "d")
    assert drawing.latex.count("{") == drawing.latex.count("}")
    assert r"\dfrac{\mathstrut}{\vdash \ \mathtt{x}\ \Downarrow \ 1}" in drawing.latex


SIGNS_OF_TEXTS = st.characters(codec="ascii", exclude_categories=["Cc"]) | st.sampled_from("⊢λ…")


def _read_latex(text: str) -> str:
    """What a reader of LaTeX that is not ours reads, its typeset signs as typed ones."""
    read = LatexNodes2Text(keep_comments=True).latex_to_text(text)
    return read.translate(str.maketrans("’‘ˆ˜⟨⟩", "'`^~<>"))


@given(st.text(alphabet=SIGNS_OF_TEXTS))
@example("\\n ~ ^ {a_b} 50% #1 & $x$ -- `a' ``b''")
def test_latex_reads_back_as_the_text(text: str) -> None:
    """A reader of LaTeX that is not ours reads what we write as what was meant; whatever is written
    as mathematics, it holds no command of the author's."""
    told = " ".join(text.split())
    assert _read_latex(in_text(text)) == told
    commands = set(re.findall(r"\\([A-Za-z]+)", in_math(text)))
    ours = set(re.findall(r"\\([A-Za-z]+)", " ".join(SIGNS.values()))) | {"mathtt", "text"}
    assert commands <= ours


@pytest.mark.parametrize("sign", ["\\", "~", "^", "\n"])
def test_conditions_and_names_of_rules_are_text_in_latex(sign: str) -> None:
    rule = InferenceRule("eval", f"a{sign}b", (), (f"a{sign}b",), "⊢ x")
    for written in (
        draw_rules([rule], "r").latex,
        draw_derivation(Derivation("⊢ x ⇓ 1", f"a{sign}b"), "d").latex,
    ):
        inside = re.findall(r"\\text(?:sc)?\{(a.*?b)\}", written, re.DOTALL)
        told = "a b" if sign == "\n" else f"a{sign}b"
        assert inside
        assert set(map(_read_latex, inside)) == {told}


def test_what_cannot_be_drawn_is_said(session: Session) -> None:
    for wish in (
        Wish("tree", "Drip", "1 +"), Wish("derivation", "Drip", "1 +", ("environment",)),
        Wish("environment", "Drip", "1", ("environment",), number=99),
        Wish("grammar", "Drip", rule="Nothing"), Wish("decisions", "Drip"),
    ):  # fmt: skip
        with pytest.raises(NoPicture):
            picture(session, wish)


def test_characters_that_the_typeface_lacks_do_no_harm() -> None:
    scene = Scene(100, 30, (Label(5, 20, "船 ⊢ \U0001f6a2"),))
    assert io.BytesIO(write_pdf([scene])).read(4) == b"%PDF"


# ---------------------------------------------------------------------- character cells


@st.composite
def derivations(draw: st.DrawFn) -> tuple[list[int], list[str], list[str], list[int]]:
    """Judgements from the conclusion on: depths, texts, names, how many premises each has."""
    depths = [0]
    for _ in range(draw(st.integers(0, 25))):
        depths.append(draw(st.integers(1, depths[-1] + 1)))
    texts = [draw(st.sampled_from(["⊢ x ⇓ 1", "a", "⊢ " + "long " * 20 + "⇓ 5", "船 ⇓ 2"]))
             for _ in depths]  # fmt: skip
    names = [draw(st.sampled_from(["", "Var", "Let"])) for _ in depths]
    counts = [
        sum(1 for later in _inside(depths, at) if depths[later] == depth + 1)
        for at, depth in enumerate(depths)
    ]
    return depths, texts, names, counts


def _inside(depths: list[int], at: int) -> list[int]:
    found = []
    for later in range(at + 1, len(depths)):
        if depths[later] <= depths[at]:
            break
        found.append(later)
    return found


@given(derivations(), st.sets(st.integers(0, 25)))
def test_rules_in_cells_do_not_run_into_each_other(
    derivation: tuple[list[int], list[str], list[str], list[int]], folded: set[int]
) -> None:
    depths, texts, names, counts = derivation
    sheet = lay_out(depths, texts, names, counts, folded)
    by_node = {one.node: one for one in sheet.placed}
    hidden = {below for at in folded if at < len(depths) for below in _inside(depths, at)}
    assert set(by_node) == set(range(len(depths))) - hidden
    taken: dict[tuple[int, int], int] = {}
    for one in sheet.placed:
        assert 0 <= one.x <= one.end <= sheet.width
        assert 0 < one.y < sheet.height
        spots = [(one.y, one.x + n) for n in range(width(one.text))]
        spots += [(one.y - 1, one.line + n) for n in range(one.length)]
        spots += [(one.y - 1, one.line + one.length + 1 + n) for n in range(width(one.name))]
        spots += [(one.y - 2, one.hidden_x + n) for n in range(width(one.hidden))]
        for spot in spots:
            assert taken.setdefault(spot, one.node) == one.node
        # The line covers the conclusion and everything that stands over it.
        assert one.line <= one.x
        assert one.x + width(one.text) <= one.line + one.length
        for above in _inside(depths, one.node):
            if above in by_node and depths[above] == depths[one.node] + 1:
                assert by_node[above].y == one.y - 2
                assert one.line <= by_node[above].line
                assert by_node[above].end <= one.line + one.length


def test_a_judgement_that_is_too_long_keeps_what_it_gives() -> None:
    assert shortened("⊢ " + "x + " * 30 + "1 ⇓ 42", 30) == "⊢ x + x + x + x + x + x … ⇓ 42"
    assert shortened("⊢ 1 ⇓ 1", 30) == "⊢ 1 ⇓ 1"
    assert width(shortened("a" * 80, 30)) == 30


@given(
    st.lists(st.lists(st.tuples(st.integers(1, 500), st.integers(0, 10**6)), max_size=20,
                      unique_by=lambda point: point[0]), max_size=5),
    st.integers(10, 150), st.integers(3, 50), st.sampled_from(SCALES),
)  # fmt: skip
def test_a_chart_in_cells_stays_in_its_room(
    table: list[list[tuple[int, int]]], columns: int, rows: int, scale: Scale
) -> None:
    points = {str(n): [(float(a), float(b)) for a, b in row] for n, row in enumerate(table)}
    made = plot(points, columns, rows, scale)
    assert len(made) in (0, rows)
    for row in made:
        assert sum(width(cell.text) for cell in row) <= columns
    letters = {cell.text for row in made for cell in row if cell.row >= 0 and cell.text.isalpha()}
    some = {LETTERS[number] for number, row in enumerate(table) if row}
    assert not made or letters <= some
    # Of the lane that was drawn last every letter can be seen.
    last = max((number for number, row in enumerate(table) if row), default=None)
    assert not made or last is None or LETTERS[last] in letters


def test_a_chart_in_cells_rises_where_costs_rise() -> None:
    made = plot({"up": [(1, 1.0), (2, 10.0), (3, 100.0)]}, 60, 20)
    heights = [
        (column, height)
        for height, row in enumerate(made)
        for column, cell in enumerate(row)
        if cell.text == "a"
    ]
    (_, first), (_, second), (_, third) = sorted(heights)
    assert first > second > third
    assert made[third][0].text.strip().startswith("100")
