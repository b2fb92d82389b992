"""What `--json` prints about lessons."""

from __future__ import annotations

from embrix.cli.schema_parts import AnswerData, Finding


class StopData(AnswerData):
    """A stop of a lesson: what each lane gives, the step that is shown (the nearest where the one
    that is meant is not `there`), what is asked and covered."""

    name: str
    lanes: dict[str, str]
    step: int
    there: bool
    shows: str
    question: str
    covered: list[str]


class LessonData(AnswerData):
    """A lesson with its stops."""

    file: str
    title: str
    language: str
    stops: list[StopData]


class LessonsData(AnswerData):
    """embrix lessons"""

    lessons: list[LessonData]
    findings: list[Finding]
