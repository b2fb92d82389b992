"""What definitions say otherwise, as lines of text."""

from __future__ import annotations

from collections.abc import Sequence

from embrix.compare.meaning import between_interpreters, between_languages, describe_changes
from embrix.lanes.names import NoLane
from embrix.lanes.session import Session


def meaning_of(session: Session, language: str, lanes: Sequence[str]) -> list[str]:
    """What two lanes say otherwise, and their languages where these are two."""
    try:
        one, other = (session.lane(language, name).interpreter for name in lanes)
    except NoLane as wrong:
        return [str(wrong)]
    lines = describe_changes(between_interpreters(one, other))
    if one.language is not other.language:
        found = describe_changes(between_languages(one.language, other.language))
        lines = [*lines, "", f"their languages ({one.language.name}):", *found]
    return lines


def extension_of(session: Session, language: str, lane: str) -> list[str]:
    """What a language adds to the one that it extends, and a lane to the one that it extends."""
    course = session.course
    own = course.languages[language]
    lines: list[str] = []
    if own.syntax.base is not None:
        base = course.languages[own.syntax.base[0]]
        lines.append(f"{own.name} extends {base.name}:")
        lines += describe_changes(between_languages(base, own))
    try:
        interpreter = session.lane(language, lane).interpreter
    except NoLane as wrong:
        return [*lines, str(wrong)]
    extended = interpreter.syntax.base if interpreter.syntax is not None else None
    if extended is not None:
        owner, name = extended[:2]
        old = course.interpreters[owner][name]
        lines += ["", f"{interpreter.name} extends {owner}.{name}:",
                  *describe_changes(between_interpreters(old, interpreter))]  # fmt: skip
    return lines or [f"{language} and {lane} extend nothing"]
