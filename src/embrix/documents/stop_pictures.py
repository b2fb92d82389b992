"""What a stop of a lesson shows in place of its step, as a drawing."""

from __future__ import annotations

from embrix.documents.pictures import NoPicture, Wish, picture
from embrix.draw.kinds import Kind
from embrix.draw.scene import Drawing
from embrix.lanes.session import Session
from embrix.lessons.lesson import Lesson
from embrix.lessons.playing import Played

PICTURES: dict[str, Kind] = {
    "steps": "steps", "derivation": "derivation", "environment": "environment", "store": "store",
    "tree": "tree", "states": "states",
}  # fmt: skip


def stop_picture(session: Session, lesson: Lesson, played: Played) -> Drawing:
    """Raises `NoPicture`, which names the stop."""
    stop = played.stop
    wish = Wish(PICTURES[stop.shown], lesson.language, stop.program, stop.lanes[:1], stop.given,
                stop.input, number=played.number)  # fmt: skip
    try:
        return picture(session, wish)
    except NoPicture as nothing:
        raise NoPicture(f"the stop “{stop.name}”: {nothing}") from nothing
