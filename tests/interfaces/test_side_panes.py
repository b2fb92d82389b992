"""What stands beside the program: trees at a rule, conflicts, stores and suspensions."""

from __future__ import annotations

import asyncio
from pathlib import Path

from textual.widgets import Input

from embrix.tui.bars import Masthead, Title
from embrix.tui.dialogs import AskText
from embrix.tui.side_views import GrammarView, NotesView
from embrix.tui.step_details import StepDetails
from tests.interfaces.driving import bench, opened, outcomes, settled, shown, until, write


async def test_a_text_is_read_at_any_rule(course_copy: Path) -> None:
    """Ctrl+R chooses a rule: tokens and tree follow, no lane runs; and back to programs."""
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        await write(pilot, "(1 + 2)")
        await pilot.press("ctrl+r", *"atom", "enter")
        await until(lambda: screen.rule == "Atom", "the rule")
        assert "at rule Atom" in screen.query_one("#program-title", Title).right
        await until(lambda: "no program to run" in shown(screen.lanes)[0], "idle lanes")
        screen.editor.load_text("1 + 2")
        notice = screen.query_one("#notice")
        await until(lambda: "the end of the program could stand" in str(notice.render()), "why")
        await pilot.press("ctrl+r", *"as a", "enter")
        await until(lambda: outcomes(screen).get("rewriting") == "3", "the lanes again")


async def test_a_conflict_is_shown_on_the_grammar_face(course_copy: Path) -> None:
    """Breaking the grammar shows the ambiguous sentence with its two trees."""
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        await pilot.press("f3", "f3")
        assert screen.side_view == "grammar"
        view = screen.query_one(GrammarView)
        await until(lambda: any("LALR(1)    yes" in line for line in view.lines), "the verdict")
        path = course_copy / "drip" / "drip.brix"
        path.write_text(
            path.read_text().replace(
                "    | Sum\n", '    | Sum\n    | left:Expr "plus" right:Expr makes Add\n'
            )
        )
        await until(lambda: any("ambiguous  yes" in line for line in view.lines), "the ambiguity")
        assert any("conflict 1: after" in line for line in view.lines)
        notes = shown(screen.query_one(NotesView))
        await until(
            lambda: any("ambiguous_grammar" in n for n in shown(screen.query_one(NotesView))),
            f"the note among {notes}",
        )


async def test_stores_and_suspensions_stand_beside_the_names(course_copy: Path) -> None:
    async with opened(course_copy, "rill/programs/costly.rill") as pilot:
        screen = bench(pilot)
        assert screen.lanes.lanes[1] == "by_need"
        await pilot.press("f4", "f9")
        await settled(screen)
        await pilot.press("f7", "f7")
        step = screen.query_one(StepDetails)
        await until(lambda: bool(step.step and step.step.store), "the store")
        assert step.step is not None
        roles = {one.role for one in step.step.store}
        assert "settled" in roles
        shown = str(step.described())
        assert "store" in shown
        assert "●" in shown


async def test_another_lane_is_walked_at_the_same_part(course_copy: Path) -> None:
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        await write(pilot, "let a = 1 + 2 in a * 4")
        screen.choose_lane("environment")
        await settled(screen)
        details = screen.query_one(StepDetails)
        for number in range(screen.step_rows.length):
            screen.walking.go(number)
            await until(lambda: details.step is not None, "the step")
            assert details.step is not None
            if details.step.place == (17, 22) and details.step.kind == "enter":
                break
        screen.choose_lane("rewriting")
        await settled(screen)
        assert details.step is not None
        assert details.step.text == "3 * 4"
        screen.choose_lane("environment")  # at once, before the other one has been fetched
        screen.choose_lane("rewriting")
        screen.choose_lane("environment")
        await settled(screen)
        assert details.step.place == (17, 22)


async def test_what_a_substitution_does_is_marked_in_the_term(course_copy: Path) -> None:
    """Without colour as well: lines below, and a line through the binder that stops it."""
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        await write(pilot, "let x = 3 in x * (let x = 5 in x + 1)")
        screen.choose_lane("rewriting")
        await settled(screen)
        row = screen.step_rows.row(0)
        assert [text for text, style in row if style.strike] == ["x"]
        assert [text for text, style in row if style.underline] == ["let", "x"]
        assert "".join(text for text, _ in row).endswith("let x = 3 in x * (let x = 5 in x + 1)")
        assert next(text for text, style in screen.step_rows.row(1) if style.underline) == "3"


async def test_a_redex_is_marked_where_it_can_be_seen(course_copy: Path) -> None:
    """By its first word where it is everything; far to the right the row begins before it."""
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        await write(pilot, "let level = 1 in level + 2 * level")
        screen.choose_lane("rewriting")
        await settled(screen)

        def underlined(number: int) -> list[str]:
            return [text for text, style in screen.step_rows.row(number) if style.underline]

        assert underlined(0) == ["let", "level", "level"]  # the names that 1 is put in for
        assert underlined(1) == ["1", "2 * ", "1"]  # what has been put in, and the redex
        assert "".join(underlined(2)) == "1 + 2"  # the 2 is new as well
        far = " + ".join(["1"] * 2 + [f"(let b{n} = {n} in b{n})" for n in range(9)])
        await write(pilot, far.replace("1 + 1", "let q = 1 in q"))
        await write(pilot, f"0 - ({' - '.join(['1000'] * 30)} - (7 * 8))")
        rows = screen.step_rows
        last = rows.length - 1
        number = next(
            n for n in range(last + 1)
            if n in rows.known_steps and "7 * 8" in rows.known_steps[n].text
            and rows.known_steps[n].focus is not None
            and rows.known_steps[n].text[slice(*rows.known_steps[n].focus)] == "7 * 8"
        )  # fmt: skip
        assert underlined(number) == ["7 * 8"]
        line = rows.render_line(number - int(rows.scroll_offset.y)).text
        assert "7 * 8" in line


async def test_of_many_names_those_that_are_used_are_shown(course_copy: Path) -> None:
    """The oldest of fifteen, which would be cut off."""
    names = [f"v{'abcdefghijklmno'[number]}" for number in range(15)]
    program = "".join(f"let {name} = {n} in " for n, name in enumerate(names)) + "va + 1"
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        await write(pilot, program)
        screen.choose_lane("environment")
        await settled(screen)
        rows, details = screen.step_rows, screen.query_one(StepDetails)
        for number in range(rows.length):
            screen.walking.go(number)
            await until(lambda n=number: n in rows.known_steps, "the step")  # type: ignore[misc]
            if rows.known_steps[number].text.endswith("⊢ va + 1 ⇓ …"):
                break
        text = str(details.described())
        shown_first = [line.split()[0] for line in text.splitlines()[1:4]]
        assert shown_first == ["vo", "va", "vn"]  # the new one, the one that is used, then the rest
        assert (
            text.splitlines()[15].split()[0] == "vb"
        )  # the oldest but one, and no name is left out


async def test_the_step_beside_the_walk_scrolls_and_is_searched(course_copy: Path) -> None:
    """Sixty names and as many locations, of which few lines fit."""
    program = "".join(f"new v{'abcdefghijklmnopqrstuvwxyz'[n % 26] * (1 + n // 26)} := {n};\n"
                      for n in range(60))  # fmt: skip
    path = course_copy / "weir" / "programs" / "many.weir"
    path.write_text(program + "show va")
    async with opened(course_copy, program="weir/programs/many.weir") as pilot:
        screen = bench(pilot)
        screen.choose_lane("store_passing")
        await settled(screen)
        details = screen.query_one(StepDetails)
        await pilot.press("f9")
        await settled(screen)
        await pilot.press("f7", "f7")
        await until(lambda: "@59" in details.described().plain, "the step with the store")
        screen.set_focus(screen.step_rows)
        await pilot.press("f6")
        assert screen.focused is details
        assert details.max_scroll_y > 50
        await pilot.press("pagedown")
        await until(lambda: details.scroll_target_y > 0, "the next page")
        await pilot.press("home")
        await until(lambda: details.scroll_target_y == 0, "the first page")
        # The first location made stands last, below what can be seen.
        await pilot.press("slash")
        await until(lambda: isinstance(pilot.app.screen, AskText), "the question")
        pilot.app.screen.query_one(Input).value = "@0 "
        await pilot.press("enter")
        await until(lambda: details.word == "@0 ", "the word")
        assert details.scroll_target_y < 50  # the name that stands for it
        await pilot.press("n")
        await until(lambda: details.scroll_target_y > 50, "the place")
        at = int(details.scroll_target_y)
        lines = details.described().plain.split("\n")
        assert any(line.split()[:1] == ["@0"] for line in lines[at : at + details.size.height])
        await pilot.press("slash")
        await until(lambda: isinstance(pilot.app.screen, AskText), "the question")
        pilot.app.screen.query_one(Input).value = "sluice"
        await pilot.press("enter")
        notice = screen.query_one(Masthead)
        await until(lambda: "no “sluice” in this step" in notice.notice, "the answer")
        steps = screen.at
        await pilot.press("up", "down")  # in the walk these are steps
        assert screen.at == steps


async def test_the_store_can_be_reached_in_a_small_terminal(course_copy: Path) -> None:
    async with opened(course_copy, program="weir/programs/chamber.weir", size=(80, 24)) as pilot:
        screen = bench(pilot)
        screen.choose_lane("store_passing")
        await settled(screen)
        await pilot.press("f9")
        await settled(screen)
        await pilot.press("f7", "f7")
        screen.set_focus(screen.step_rows)
        await pilot.press("f6")
        details = screen.query_one(StepDetails)
        assert screen.focused is details
        await until(lambda: details.size.height > 12, "room")
        assert not screen.step_rows.display
        assert "store" in details.described().plain


async def test_long_reasons_of_the_grammar_are_read_in_full(course_copy: Path) -> None:
    """Lines that are too long for the pane go on below; they are broken anew with its width."""
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        screen.show_side_view("grammar")
        view = screen.query_one(GrammarView)
        await until(lambda: bool(view.lines) and view.size.width > 20, "the report")
        long = next(line for line in view.lines if "one token does not tell" in line)

        def shown() -> list[str]:
            texts = ["".join(text for text, _ in view.row(n)) for n in range(view.count())]
            return [text.strip() for text in texts]

        assert len(long) > view.size.width
        assert " ".join(long.split()) in " ".join(shown())
        await until(lambda: all(len(text) <= view.size.width for text in shown()), "short lines")
        before = view.count()
        await pilot.resize_terminal(220, 44)
        await until(lambda: view.count() < before, "fewer lines")
        assert " ".join(long.split()) in " ".join(shown())


async def test_keys_that_come_before_the_run_are_not_lost(course_copy: Path) -> None:
    """F8 and F9 while the run is still recorded: they were dropped when there was none before."""
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        await write(pilot, "1 + 2 + 3")
        for action, wanted in ((screen.action_ends, 2), (screen.action_forward, 1)):
            screen.walking.forget()
            screen.choose_lane("rewriting")
            assert screen.step_rows.length == 0
            action()
            await settled(screen)
            assert (screen.at, screen.step_rows.length) == (wanted, 3)


async def test_a_key_between_a_run_and_its_steps_is_not_lost(course_copy: Path) -> None:
    """The run is known, its first steps are not there yet, the one before is still in view."""
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        await write(pilot, "1 + 2 + 3")
        for lane in ("rewriting", "environment", "rewriting", "by_name"):
            screen.choose_lane(lane)
            walking = screen.walking
            while walking._begins is None and not walking.settled:
                await asyncio.sleep(0)
            assert walking._begins is not None
            screen.action_ends()
            await settled(screen)
            assert screen.at == screen.step_rows.length - 1 > 0
