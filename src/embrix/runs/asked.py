"""Requests of the views for comparing, by name: each takes the session, what is asked with it, and
a way to tell how far it is."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any, TypeAlias

from embrix.compare.growth import measured, told
from embrix.compare.meaning import between_interpreters, between_languages, told_changes
from embrix.machine.lane import BadBinding, Lane
from embrix.machine.limits import LIVE
from embrix.runs.beside import beside, walked_together
from embrix.runs.decisions import NoDecision, asked_and_chosen, changed_by
from embrix.runs.derived import derived, drawn
from embrix.runs.hunted import as_case, hunted
from embrix.runs.lanes import NoLane
from embrix.runs.pictures import NoPicture
from embrix.runs.session import Session
from embrix.runs.verdicts import acceptance

Asked: TypeAlias = Mapping[str, Any]
Telling: TypeAlias = Callable[[dict[str, Any]], None]
Answering: TypeAlias = Callable[[Session, Asked, Telling], Any]


def _beside(session: Session, a: Asked, _: Telling) -> Any:
    return beside(session, a["language"], a["lanes"], a["text"], a.get("given") or {},
                  a.get("input", ()))  # fmt: skip


def _together(session: Session, a: Asked, _: Telling) -> Any:
    return walked_together(session, a["language"], a["one"], a["other"], a["text"],
                           a.get("given") or {}, a.get("input", ()))  # fmt: skip


def _derived(session: Session, a: Asked, _: Telling) -> Any:
    return derived(session, a["language"], a["lane"], a["text"], a.get("given") or {},
                   a.get("input", ()), a["number"])  # fmt: skip


def _accept(session: Session, a: Asked, _: Telling) -> Any:
    return acceptance(session, Path(a["suite"]), a["case"], a["lane"], a["what"], a.get("typed"))


def _growth(session: Session, a: Asked, telling: Telling) -> Any:
    """Counted costs over a range, lane by lane, with the growth that fits each."""
    numbers = range(a["first"], a["last"] + 1, a["step"])
    points: dict[str, dict[str, list[tuple[float, float]]]] = {}
    ended: list[list[Any]] = []
    for number, name in enumerate(a["lanes"]):
        telling({"done": number, "of": len(a["lanes"])})
        try:
            lane: Lane = session.runner(a["language"], name)
            table, ends = measured([lane], a["text"], a["name"], numbers, a["costs"],
                                   a.get("given") or {}, a.get("input", ()), LIVE)  # fmt: skip
        except BadBinding as wrong:
            return {"refused": str(wrong)}
        except NoLane as wrong:
            ended.append([name, numbers[0], str(wrong)])
            continue
        for cost, of_lane in table.items():
            points.setdefault(cost, {}).update(of_lane)
        ended += [[lane_name, n, result.outcome.sentence] for lane_name, n, result in ends]
    growths = {
        cost: {lane: told(found) for lane, found in table.items()} for cost, table in points.items()
    }
    return {"refused": "", "points": points, "growths": growths, "ended": ended}


def _decisions(session: Session, a: Asked, _: Telling) -> Any:
    return asked_and_chosen(session, a["language"])


def _changed(session: Session, a: Asked, telling: Telling) -> Any:
    try:
        rows = changed_by(session, a["language"], a["decision"], telling)
    except NoDecision as wrong:
        return {"refused": str(wrong), "rows": []}
    return {"refused": "", "rows": rows}


def _hunt(session: Session, a: Asked, telling: Telling) -> Any:
    return hunted(session, a["language"], a["lanes"], a["most"], a["seed"], costs=a["costs"],
                  endless=a["endless"], progress=telling)  # fmt: skip


def _case(session: Session, a: Asked, _: Telling) -> Any:
    return as_case(session, Path(a["suite"]), a["program"], a["lanes"], a["origin"])


def _meaning(session: Session, a: Asked, _: Telling) -> Any:
    """What two lanes say otherwise, and their languages where these are two."""
    try:
        lanes = [session.lane(a["language"], name).interpreter for name in a["lanes"]]
    except NoLane as wrong:
        return {"lines": [str(wrong)]}
    one, other = lanes
    lines = told_changes(between_interpreters(one, other))
    if one.language is not other.language:
        found = told_changes(between_languages(one.language, other.language))
        lines = [*lines, "", f"their languages ({one.language.name}):", *found]
    return {"lines": lines}


def _handout(session: Session, a: Asked, _: Telling) -> Any:
    """Write a handout; which file, or why not."""
    from embrix.runs.handout import Selection, handout
    from embrix.runs.handout_files import write_handout

    programs = (tuple(a["program"]),) if "program" in a else None
    chosen = Selection(
        tuple(a["languages"]), tuple(a.get("lanes", ())), programs, tuple(a.get("marks", ())),
        given=dict(a.get("given") or {}), input=tuple(a.get("input", ())),
    )  # fmt: skip
    path = Path(a["path"])
    try:
        write_handout(handout(session, chosen), path)
    except (NoPicture, BadBinding, ValueError) as wrong:
        return {"written": [], "refused": str(wrong)}
    except OSError as fault:
        return {"written": [], "refused": f"{path.name}: {fault.strerror or fault}"}
    return {"written": [path.name], "refused": ""}


def _starter(session: Session, a: Asked, _: Telling) -> Any:
    """Write a starter; which folder, or why not."""
    from embrix.course.starter import NoStarter, make_starter, write_files

    forms = [form.strip() for form in a["forms"].split(",") if form.strip()]
    path = Path(a["path"])
    try:
        made = make_starter(session.course, a["language"], a["lane"], forms, "")
        write_files(made.files, path)
    except NoStarter as wrong:
        return {"written": [], "refused": str(wrong)}
    except OSError as fault:
        return {"written": [], "refused": f"{path}: {fault.strerror or fault}"}
    return {"written": [str(path)], "refused": ""}


def _extension(session: Session, a: Asked, _: Telling) -> Any:
    """What a language adds to the one that it extends, and a lane to the one that it extends."""
    course = session.course
    language = course.languages[a["language"]]
    lines: list[str] = []
    if language.syntax.base is not None:
        base = course.languages[language.syntax.base[0]]
        lines.append(f"{language.name} extends {base.name}:")
        lines += told_changes(between_languages(base, language))
    try:
        interpreter = session.lane(a["language"], a["lane"]).interpreter
    except NoLane as wrong:
        return {"lines": [*lines, str(wrong)]}
    extended = interpreter.syntax.base if interpreter.syntax is not None else None
    if extended is not None:
        owner, name = extended[:2]
        old = course.interpreters[owner][name]
        lines += ["", f"{interpreter.name} extends {owner}.{name}:",
                  *told_changes(between_interpreters(old, interpreter))]  # fmt: skip
    return {"lines": lines or [f"{language.name} and {a['lane']} extend nothing"]}


ANSWERS: dict[str, Answering] = {
    "beside": _beside, "together": _together, "derived": _derived, "accept": _accept,
    "growth": _growth, "decisions": _decisions, "changed": _changed, "hunt": _hunt,
    "case": _case, "meaning": _meaning, "handout": _handout, "starter": _starter,
    "extension": _extension,
    "picture": lambda session, a, _: drawn(session, a),
}  # fmt: skip
