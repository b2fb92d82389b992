"""Looking into a run: parts of it that are recorded again, what happens where, walks in files."""

from __future__ import annotations

import gzip
import json
from collections.abc import Callable
from functools import partial
from pathlib import Path

import jsonschema
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from embrix.course.load import Course
from embrix.lanes.session import Session
from embrix.machine import lane as lane_module
from embrix.machine import window as window_module
from embrix.machine.lane import Lane
from embrix.machine.limits import Limits
from embrix.machine.outcome import Result
from embrix.machine.recorder import Recorder
from embrix.machine.sweep import Sweep
from embrix.machine.window import Window
from embrix.terms.binding import substitute
from embrix.terms.substitution_details import substitution_details
from embrix.trace import gaps, judgements
from embrix.trace.data import step_data
from embrix.trace.saved import SavedWalk, Unusable, save_walk
from embrix.trace.seeking import Kind, seek
from embrix.trace.walk import Walk

ROOT = Path(__file__).parents[2]
FIB = "let f of n = when n < 2 then n else f (n - 1) + f (n - 2) in f 9"
LOOP = "let add of n = when n is 0 then 7 else add (n - 1) in add 60"
SCOPE = "let rate = 2 in let toll = given tons: tons * rate in let rate = 10 in toll 3"


@pytest.fixture(scope="module")
def session(lockside: Course) -> Session:
    return Session(lockside.folder)


def walked(lane: Lane, text: str, events: int = 10**6) -> Walk:
    return Walk(lane, lane.trace(text, limits=Limits(events=events)))


@pytest.mark.parametrize("name", ["environment", "by_need", "store_passing", "rewriting"])
@given(data=st.data())
@settings(max_examples=12)
def test_what_was_not_kept_is_recorded_again_the_same(
    session: Session, name: str, data: st.DataObject
) -> None:
    """With room for few events every step is what it is with room for all."""
    lane = session.lane("Rill", name)
    few = FIB.replace("f 9", "f 3")  # terms take many events
    texts = [few, SCOPE] if name == "rewriting" else [FIB, LOOP, SCOPE]
    text = data.draw(st.sampled_from([*texts, f"{texts[0]} + nobody"]))
    whole = walked(lane, text)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(lane_module, "LAST", data.draw(st.integers(1, 40)))
        patch.setattr(judgements, "AGAIN", data.draw(st.integers(30, 60)))
        patch.setattr(judgements, "BEFORE", data.draw(st.integers(0, 29)))
        patch.setattr(window_module, "STRETCH", data.draw(st.integers(1, 64)))
        events = len(whole.traced.recorder.events)
        cut = walked(lane, text, events=data.draw(st.integers(1, events - 3)))
        assert len(cut) == len(whole)
        assert cut.traced.result.outcome == whole.traced.result.outcome
        numbers = data.draw(st.lists(st.integers(0, len(whole) - 1), min_size=1, max_size=12))
        for number in [*numbers, len(whole) - 1]:
            assert cut.step(number) == whole.step(number), number


LAZY = "let a = 1 + 2 in let b = a + a in let f of n = when n < 1 then b else f (n - 1) + n in f 3"
SOUGHT = [("text", "2"), ("text", "⇓ 3"), ("text", "nowhere"), ("lookup", "n"), ("lookup", ""),
          ("name", "n"), ("name", "b"), ("location", "@1"), ("location", "@4"), ("over", ""),
          ("out", ""), ("clause", "drip/environment.brix:16"), ("output", ""),
          ("clause", "rill/rewriting.brix:29"), ("text", "3 + 3"), ("end", "")]  # fmt: skip


def _counted(
    runs: list[Recorder], again: Callable[[Recorder], Result], recorder: Recorder
) -> Result:
    runs.append(recorder)
    return again(recorder)


FROM_HERE = ("name", "location", "over", "out")
"""Kinds for which the step at which a search begins has to be known."""


@pytest.mark.parametrize("name", ["environment", "by_need", "store_passing", "rewriting"])
@given(data=st.data())
@settings(max_examples=40)
def test_what_was_not_kept_is_gone_through_once(
    session: Session, name: str, data: st.DataObject
) -> None:
    """With room for few events everything is found where it is with room for all, forward and back;
    a search carries the run out once more, and some once to know the step at which they begin."""
    lane = session.lane("Rill", name)
    text = data.draw(st.sampled_from([LAZY, SCOPE, f"{SCOPE} + nobody"]))
    whole = walked(lane, text)
    kind, what = data.draw(st.sampled_from(SOUGHT))
    start, forward = data.draw(st.integers(0, len(whole) - 1)), data.draw(st.booleans())
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(lane_module, "LAST", data.draw(st.integers(1, 20)))
        patch.setattr(gaps, "PART", data.draw(st.integers(1, 40)))
        patch.setattr(window_module, "STRETCH", data.draw(st.integers(1, 64)))
        traced = lane.trace(text, limits=Limits(events=data.draw(st.integers(1, 30))))
        again = traced.again
        assert again is not None
        runs: list[Recorder] = []
        cut = Walk(lane, replace(traced, again=partial(_counted, runs, again)))
        assert seek(cut, kind, what, start, forward) == seek(whole, kind, what, start, forward)
        assert len(runs) <= (2 if kind in FROM_HERE else 1)


@pytest.mark.parametrize("name", ["environment", "rewriting"])
@pytest.mark.parametrize("events", [1, 5, 12])
def test_to_go_through_all_that_was_not_kept_takes_one_run(
    session: Session, name: str, events: int
) -> None:
    """Wherever its parts end, and whatever of a step lies across that; what is kept takes none."""
    lane = session.lane("Rill", name)
    whole = walked(lane, LAZY)
    last = len(whole) - 1
    for part in (1, 2, 3, 5, 8, 13, 21, 34, 55):
        for forward in (True, False):
            with pytest.MonkeyPatch.context() as patch:
                patch.setattr(lane_module, "LAST", 7)
                patch.setattr(gaps, "PART", part)
                traced = lane.trace(LAZY, limits=Limits(events=events))
                again = traced.again
                assert again is not None
                runs: list[Recorder] = []
                cut = Walk(lane, replace(traced, again=partial(_counted, runs, again)))
                assert seek(cut, "text", "nowhere", 0 if forward else last, forward) is None
                assert len(runs) == 1
                kept = gaps.not_kept(cut)
                for number in {0, kept.start - 1, kept.stop, last} - {*kept, -1}:
                    assert cut.step(number, renewed=False) == whole.step(number, renewed=False)
                assert len(runs) == 1


@pytest.mark.parametrize(
    ("name", "kind", "what"),
    [("environment", "name", "n"), ("by_need", "location", "@1"), ("by_need", "name", "n"),
     ("Weir", "location", "@0"), ("store_passing", "lookup", "n"), ("rewriting", "text", "3 + 3"),
     ("rewriting", "text", "- 1"), ("rewriting", "clause", "rill/rewriting.brix:29")],
)  # fmt: skip
@pytest.mark.parametrize("part", [7, 40])
def test_changes_are_met_from_every_step_on_in_what_was_not_kept(
    session: Session, name: str, kind: Kind, what: str, part: int
) -> None:
    """Going down nearly all of the run is gone through upwards, and the last change is found."""
    weir = name == "Weir"
    lane = session.lane("Weir", "store_passing") if weir else session.lane("Rill", name)
    text = "new a := 1; while a < 9 do a := a + 1; show a" if weir else LAZY
    if name == "rewriting":
        text = "let f of n = when n < 1 then 3 + 3 else f (n - 1) + n in f 5 + (3 + 3) + f 4"
    whole = walked(lane, text)
    found = 0
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(lane_module, "LAST", 5)
        patch.setattr(gaps, "PART", part)
        cut = walked(lane, text, events=5)
        for start in range(0, len(whole), 3):
            for forward in (True, False):
                at = seek(whole, kind, what, start, forward)
                assert seek(cut, kind, what, start, forward) == at
                found += at is not None and cut.cut < at < len(whole) - 6
    assert found > 10


def test_a_cut_recording_holds_a_bounded_part(session: Session) -> None:
    lane = session.lane("Rill", "environment")
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(lane_module, "LAST", 50)
        cut = walked(lane, "let f of n = when n is 0 then 7 else f (n - 1) in f 3000", events=100)
    last = cut.traced.last
    assert last is not None
    assert 100 <= cut.cut <= 110
    assert len(last.events) == 50
    assert len(last.functions) < 400
    assert max(cut.levels()) > 0


def test_a_run_that_is_gone_through_is_held_part_by_part(session: Session) -> None:
    """In the end each event has been in one of the parts, in its place."""
    traced = walked(session.lane("Rill", "environment"), FIB).traced
    whole = list(traced.recorder.events)
    assert traced.again is not None
    sizes: list[int] = []
    events: list[int] = []

    def seen(record: Sweep) -> bool:
        assert record.begin == len(events)
        sizes.append(len(record.functions))
        events.extend(record.events)
        return False

    record = Sweep(0, lambda begin: begin + 50, seen)
    traced.again(record)
    record.end()
    assert events == whole
    assert max(sizes) < 0.2 * len(traced.recorder.functions)
    part = Window(300, 50)
    traced.again(part)
    assert list(part.events) == whole[300:350]
    assert len(part.functions) < 0.2 * len(traced.recorder.functions)


def test_heights_are_the_greatest_depths_of_stretches(session: Session) -> None:
    traced = walked(session.lane("Rill", "environment"), FIB).traced
    assert traced.again is not None
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(window_module, "STRETCH", 64)
        last = Window(None, 10)
        traced.again(last)
    depths = [0]
    for event in traced.recorder.events:
        depths.append(depths[-1] + (1 if event >= 0 else -1))
    stretches = [depths[at : at + 65] for at in range(0, len(depths) - 1, 64)]
    assert last.heights == [max(one) for one in stretches]
    last.trim()
    assert list(last.events) == list(traced.recorder.events)[-10:]


def steps_where(walk: Walk, test: object) -> list[int]:
    return [n for n in range(len(walk)) if test(walk.step(n))]  # type: ignore[operator]


def test_lookups_are_found_both_ways(session: Session) -> None:
    """Steps were counted by hand: `rate` is looked up once, inside the function."""
    walk = walked(session.lane("Rill", "environment"), SCOPE)
    assert seek(walk, "lookup", "rate", 0, True) == 17
    assert seek(walk, "lookup", "rate", 17, True) is None
    assert seek(walk, "lookup", "rate", 24, False) == 17
    assert seek(walk, "lookup", "toll", 0, True) == 10
    assert seek(walk, "lookup", "nobody", 0, True) is None
    for kind in ("location", "clause"):
        assert seek(walk, kind, "9" * 5_000, 0, True) is None
    steps = walked(session.lane("Drip", "rewriting"), "let x = 1 + 1 in x + x")
    assert len(steps.lines()) == 4
    assert seek(steps, "lookup", "x", 0, True) is None  # substitution leaves none to look up


def test_over_and_out(session: Session) -> None:
    walk = walked(session.lane("Rill", "environment"), SCOPE)
    assert seek(walk, "over", "", 4, True) == 5  # `given tons: …` is entered at 4, left at 5
    assert seek(walk, "over", "", 3, True) == 22
    assert seek(walk, "over", "", 22, False) == 3
    assert seek(walk, "out", "", 17, True) == 19
    assert seek(walk, "out", "", 17, False) == 14
    assert seek(walk, "out", "", 0, True) == len(walk) - 1
    assert seek(walk, "end", "", 3, True) == len(walk) - 1


def test_changes_of_names_and_locations(session: Session) -> None:
    walk = walked(session.lane("Rill", "environment"), SCOPE)
    place = seek(walk, "name", "rate", 3, True)
    assert place is not None
    (bound,) = [b for b in walk.step(place).bindings if b.name == "rate" and not b.shadowed]
    assert bound.value == "10"
    back = seek(walk, "name", "rate", place, True)
    assert back == 14  # inside the function rate is 2 again
    weir = walked(session.lane("Weir", "store_passing"), "new a := 1; a := a + 1; a := 2; show a")
    found = []
    at: int | None = 0
    while (at := seek(weir, "location", "@0", at, True)) is not None:
        found.append({h.location: h.value for h in weir.step(at).store}["@0"])
        if len(found) > 20:
            break
    assert found[0] == "2"
    assert "@0" in weir.step(seek(weir, "location", "@0", 0, True) or 0).changed


def test_suspensions_wait_are_forced_and_used_again(session: Session) -> None:
    """By hand: `3 * 4` waits until the first `toll`, is forced there, and used again twice."""
    walk = walked(session.lane("Rill", "by_need"), "let toll = 3 * 4 in toll + toll + toll")
    told = [[(h.role, h.reused) for h in walk.step(n).store] for n in range(len(walk) - 1)]
    assert told[0] == []
    assert told[1:4] == [[("suspended", 0)]] * 3
    assert told[4:11] == [[("forcing", 0)]] * 7
    assert told[11:15] == [[("settled", 0)]] * 4
    assert told[15:20] == [[("settled", 1)]] * 5
    assert told[20:] == [[("settled", 2)]] * 4


def test_outputs_texts_and_clauses(session: Session) -> None:
    lane = session.lane("Weir", "store_passing")
    walk = walked(lane, "show 1; new a := 2; show a + 1")
    first = seek(walk, "output", "", 0, True)
    assert first is not None
    second = seek(walk, "output", "", first, True)
    assert second is not None
    assert seek(walk, "output", "", second, True) is None
    assert seek(walk, "output", "", second, False) == first
    assert seek(walk, "text", "A + 1", 0, True) == steps_where(
        walk, lambda s: "a + 1" in s.text.casefold()
    )[1]  # fmt: skip
    step = next(s for s in map(walk.step, range(len(walk))) if s.clause is not None)
    assert step.clause is not None
    source = step.clause.source or lane.interpreter.source
    line, _ = source.position(step.clause.start)
    where = f"{source.name}:{line}"
    assert seek(walk, "clause", where, len(walk) - 1, False) == max(
        steps_where(walk, lambda s: s.clause == step.clause and s.kind == "enter")
    )


def test_where_frames_come_from(session: Session) -> None:
    """Inside the function: its parameter is fresh, what the closure holds is captured; inside the
    sum of the body both are around."""
    walk = walked(session.lane("Rill", "environment"), SCOPE)
    body = {b.name: b.origin for b in walk.step(14).bindings}
    assert body == {"tons": "fresh", "rate": "captured"}
    inner = {b.name: b.origin for b in walk.step(17).bindings}
    assert inner == {"tons": "around", "rate": "around"}
    third = {(b.name, b.value): (b.origin, b.shadowed) for b in walk.step(9).bindings}
    assert third["rate", "10"] == ("fresh", False)
    assert third["rate", "2"] == ("around", True)
    weir = walked(session.lane("Weir", "store_passing"), "new a := 1; new b := 2; show a")
    kinds = {b.origin for n in range(len(weir)) for b in weir.step(n).bindings}
    assert "captured" not in kinds


def test_the_stack_and_clauses_that_were_not_taken(session: Session) -> None:
    walk = walked(session.lane("Rill", "environment"), SCOPE)
    step = walk.step(17)
    assert len(step.stack) == 5
    assert step.stack[0].endswith("tons * rate ⇓ …")
    assert step.refused == ()


def test_what_a_substitution_does_is_told(session: Session) -> None:
    """By hand: x stands free before the inner let and in what that binds; its body is its own."""
    text = "let x = 1 + 1 in x * (let x = x in x + x)"
    walk = walked(session.lane("Drip", "rewriting"), text)
    assert walk.step(0).put == ()
    (put,) = walk.step(1).put
    assert (put.value, put.details.name) == ("2", "x")
    free = [text.index("x *"), text.index("x in x + x)")]
    assert sorted(place[0] for place in put.details.places if place) == free
    assert put.details.stopped == (("Let", (text.index("let x = x"), len(text) - 1)),)
    assert put.details.renamed == ()
    big = walked(session.lane("Rill", "substitution"), "(given x: given y: x + y) 3")
    found = [(n, put) for n in range(len(big)) for put in big.step(n).put]
    assert [(put.details.name, put.value, len(put.details.places)) for _, put in found] == [
        ("x", "3", 1)
    ]  # fmt: skip


def test_the_last_change_of_a_term_and_what_was_written(session: Session) -> None:
    """By hand: 1 + 2 * 3 → 1 + 6 → 7, so first the product is new, then the whole."""
    walk = walked(session.lane("Drip", "rewriting"), "1 + 2 * 3")
    told = []
    for number in range(len(walk)):
        step = walk.step(number)
        part = step.renewed
        told.append(step.text[part.start : part.end] if part is not None else None)
    assert told == [None, "6", "7"]
    weir = walked(session.lane("Weir", "store_passing"), "show 1; show 2; show 3")
    texts = [weir.step(number).written for number in range(len(weir))]
    assert texts[0] == ""
    assert texts[-1] == "1\n2\n3\n"
    assert list(dict.fromkeys(texts)) == ["", "1\n", "1\n2\n", "1\n2\n3\n"]


def test_a_reduction_sequence_has_a_term_for_each_step(lockside: Course, session: Session) -> None:
    """Steps inside steps (a statement inside an expression) are no terms of their own."""
    for path in sorted((lockside.folder / "weir" / "programs").glob("*.weir")):
        text = path.read_text(encoding="utf-8")
        lane = session.lane("Weir", "rewriting")
        lines = ("4", "9", "0")
        limits = Limits(calls=20_000)
        result = lane.run(text, limits=limits, given_input=lines)
        if result.outcome.kind != "value":
            continue
        walk = Walk(lane, lane.trace(text, limits=limits, given_input=lines))
        assert len(walk) == result.costs["steps"] + 1, path.name
        assert walk.step(len(walk) - 1).written == "".join(result.output)[-200:]


def test_the_redex_is_found_in_statements(session: Session) -> None:
    """By hand: the sum, the statement that shows it, the block without its first statement."""
    walk = walked(session.lane("Weir", "rewriting"), "show 1 + 2; show 5")
    told = []
    for number in range(len(walk) - 1):
        step = walk.step(number)
        assert step.focus is not None
        told.append(step.text[step.focus.start : step.focus.end])
    assert told == ["1 + 2", "show 3", "{}; show 5", "show 5", "{}"]


def test_a_renamed_binder_is_told(session: Session) -> None:
    lane = session.lane("Rill", "rewriting")
    signature = lane.interpreter.signature
    term, value = (lane.parser.parse(text).term for text in ("given y: x + y", "y"))  # type: ignore[union-attr]
    told = substitution_details(signature, "x", term, substitute(signature, value, "x", term))
    assert len(told.places) == 1
    assert told.renamed == (("y", "y1"),)


# ---------------------------------------------------------------------- files


@pytest.fixture
def kept(session: Session, tmp_path: Path) -> tuple[Walk, Path]:
    walk = walked(session.lane("Weir", "store_passing"), "new a := 1; show a; nobody := 2")
    path = tmp_path / "a.walk.gz"
    save_walk(walk, "new a := 1; show a; nobody := 2", "Weir", path)
    return walk, path


def test_a_saved_walk_is_the_same_walk(kept: tuple[Walk, Path]) -> None:
    walk, path = kept
    opened = SavedWalk(path)
    assert len(opened) == len(walk)
    assert opened.head["outcome"]["name"] == "Unbound"
    for number in reversed(range(len(walk))):
        told = step_data(walk, walk.step(number))
        assert opened.step(number) == told
    assert opened.find("SHOW A", 0, True) == seek(walk, "text", "show a", 0, True)


def test_a_saved_walk_follows_its_schema(kept: tuple[Walk, Path]) -> None:
    schema = json.loads((ROOT / "docs/schemas/walk.schema.json").read_text(encoding="utf-8"))
    jsonschema.Draft202012Validator.check_schema(schema)
    validator = jsonschema.Draft202012Validator(schema)
    with gzip.open(kept[1], "rt", encoding="utf-8") as lines:
        for line in lines:
            validator.validate(json.loads(line))
    with pytest.raises(jsonschema.ValidationError):
        validator.validate({"number": 1})


@pytest.mark.parametrize(
    ("spoil", "message"),
    [
        (lambda lines: [b"no json\n", *lines[1:]], ":1: this is not JSON"),
        (lambda lines: [b'{"embrix": "walk"}\n', *lines[1:]], ":1: `language` is missing"),
        (lambda lines: lines[:-1], "holds"),
        (lambda lines: [*lines[:-1], lines[-1][:-5]], "is not whole"),
        (lambda lines: [lines[0].replace(b'"version":2', b'"version":9'), *lines[1:]],
         "another version"),
        (lambda lines: [lines[0].replace(b'"embrix":"walk"', b'"embrix":"log"'), *lines[1:]],
         "not a walk"),
    ],
)  # fmt: skip
def test_files_that_are_no_walks(kept: tuple[Walk, Path], spoil: object, message: str) -> None:
    path = kept[1]
    lines = gzip.decompress(path.read_bytes()).splitlines(keepends=True)
    path.write_bytes(gzip.compress(b"".join(spoil(lines))))  # type: ignore[operator]
    with pytest.raises(Unusable, match=message):
        SavedWalk(path)


def test_a_walk_of_the_first_version_is_read(kept: tuple[Walk, Path]) -> None:
    walk, path = kept
    lines = gzip.decompress(path.read_bytes())
    assert b'"version":2' in lines
    for style, then in (("judgements", "moments"), ("reductions", "steps")):
        lines = lines.replace(f'"style":"{style}"'.encode(), f'"style":"{then}"'.encode())
    path.write_bytes(gzip.compress(lines.replace(b'"version":2', b'"version":1', 1)))
    assert SavedWalk(path).head["style"] == walk.style


def test_broken_bytes_and_steps_out_of_place(kept: tuple[Walk, Path]) -> None:
    path = kept[1]
    raw = path.read_bytes()
    path.write_bytes(raw[: len(raw) // 2])
    with pytest.raises(Unusable, match="cannot be read"):
        SavedWalk(path)
    path.write_bytes(b"plain text")
    with pytest.raises(Unusable, match="cannot be read"):
        SavedWalk(path)
    lines = gzip.decompress(raw).splitlines(keepends=True)
    lines[1], lines[2] = lines[2], lines[1]
    path.write_bytes(gzip.compress(b"".join(lines)))
    with pytest.raises(Unusable, match="not where it belongs"):
        SavedWalk(path).step(0)
