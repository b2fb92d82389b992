"""Reports on suites for other programs and for people: JUnit XML, TAP, JSON, one HTML page."""

from __future__ import annotations

import html
import json
from collections.abc import Iterator, Sequence
from typing import Any
from xml.etree import ElementTree

from embrix.messages.replies_on_suites import CaseRow, CaseVerdict, SuiteReport
from embrix.suite.expected_steps import marks
from embrix.text.visible import visible

SCHEMA = 1
"""The version of the JSON report: see `docs/schemas/report.schema.json`."""


def write_report(form: str, title: str, reports: Sequence[SuiteReport]) -> str:
    """The report in one of the formats."""
    if form == "junit":
        return junit(title, reports)
    if form == "tap":
        return tap(reports)
    return page(title, reports) if form == "html" else as_json(title, reports)


def counted(reports: Sequence[SuiteReport]) -> dict[str, int]:
    """How many verdicts there are of each kind."""
    counts = {"passed": 0, "failed": 0, "left out": 0}
    for _, _, verdict in _verdicts(reports):
        counts[verdict.state] += 1
    return counts


def _verdicts(reports: Sequence[SuiteReport]) -> Iterator[tuple[SuiteReport, CaseRow, CaseVerdict]]:
    for report in reports:
        for case in report.cases:
            for verdict in case.verdicts:
                yield report, case, verdict


def as_json(title: str, reports: Sequence[SuiteReport]) -> str:
    """Every verdict by name instead of by place in a row."""
    suites = [
        {
            "file": report.file,
            "language": report.language,
            "lanes": report.lanes,
            "not_run": report.broken,
            "cases": [
                {
                    "name": case.name, "line": case.line, "tags": case.tags,
                    "program": case.program,
                    "verdicts": [_verdict(verdict) for verdict in case.verdicts],
                }
                for case in report.cases
            ],
            "questions": [
                {
                    "name": question.name,
                    "labels": question.labels,
                    "answers": [
                        {"lane": one.lane, "label": one.label, "result": one.result}
                        for one in question.answers
                    ],
                }
                for question in report.questions
            ],
        }
        for report in reports
    ]  # fmt: skip
    whole = {"schema": SCHEMA, "course": title, "counts": counted(reports), "suites": suites}
    return json.dumps(whole, indent=2)


def _verdict(verdict: CaseVerdict) -> dict[str, Any]:
    rows: dict[str, Any] = {"lane": verdict.lane, "state": verdict.state}
    if verdict.state == "failed":
        rows |= {
            "about": verdict.what, "expected": verdict.expected, "actual": verdict.actual,
        }  # fmt: skip
        if verdict.step >= 0:
            rows["step"] = verdict.step
    return rows


# ---------------------------------------------------------------------- JUnit

_ALLOWED = {"\t", "\n", "\r"}


def _clean(text: str) -> str:
    """Text without the characters that XML has no way to write."""
    return "".join(
        c if c in _ALLOWED or (c >= " " and not "\ud800" <= c <= "\udfff" and c < "\ufffe")
        or c > "\uffff" else "\ufffd"
        for c in text
    )  # fmt: skip


def junit(title: str, reports: Sequence[SuiteReport]) -> str:
    """JUnit XML: a test suite for each suite and lane, a test for each case."""
    root = ElementTree.Element("testsuites", name=_clean(title))
    totals = [0, 0, 0]
    for report in reports:
        for lane in report.lanes:
            own = [(c, v) for c in report.cases for v in c.verdicts if v.lane == lane]
            counts = [
                len(own), sum(v.state == "failed" for _, v in own),
                sum(v.state == "left out" for _, v in own),
            ]  # fmt: skip
            totals = [a + b for a, b in zip(totals, counts, strict=True)]
            suite = ElementTree.SubElement(
                root, "testsuite", name=_clean(f"{report.file} on {lane}"),
                tests=str(counts[0]), failures=str(counts[1]), errors="0",
                skipped=str(counts[2]),
            )  # fmt: skip
            for case, verdict in own:
                test = ElementTree.SubElement(
                    suite, "testcase", name=_clean(case.name),
                    classname=_clean(f"{report.language}.{lane}"),
                    file=_clean(report.file), line=str(case.line),
                )  # fmt: skip
                if verdict.state == "left out":
                    ElementTree.SubElement(test, "skipped", message="the case is not about it")
                elif verdict.state == "failed":
                    message = f"expected {verdict.expected}, but got {verdict.actual}"
                    failure = ElementTree.SubElement(
                        test, "failure", message=_clean(message), type=verdict.what or "outcome"
                    )
                    failure.text = _clean(case.program)
    root.set("tests", str(totals[0]))
    root.set("failures", str(totals[1]))
    root.set("errors", "0")
    root.set("skipped", str(totals[2]))
    ElementTree.indent(root)
    text = ElementTree.tostring(root, encoding="unicode")
    return f'<?xml version="1.0" encoding="UTF-8"?>\n{text}\n'


# ---------------------------------------------------------------------- TAP


def tap(reports: Sequence[SuiteReport]) -> str:
    """TAP version 14, a test point for each case on each lane."""
    rows = list(_verdicts(reports))
    lines = ["TAP version 14", f"1..{len(rows)}"]
    for number, (report, case, verdict) in enumerate(rows, 1):
        name = _escaped(f"{report.file}: {case.name} on {verdict.lane}")
        sign = "not ok" if verdict.state == "failed" else "ok"
        skip = " # SKIP the case is not about it" if verdict.state == "left out" else ""
        lines.append(f"{sign} {number} - {name}{skip}")
        if verdict.state == "failed":
            entries = {"about": verdict.what or "outcome", "expected": verdict.expected,
                    "actual": verdict.actual,
                    "file": report.file, "line": case.line}  # fmt: skip
            lines.append("  ---")
            lines += [f"  {key}: {json.dumps(value)}" for key, value in entries.items()]
            lines.append("  ...")
    return "\n".join(lines) + "\n"


def _escaped(text: str) -> str:
    """A description: hashes and backslashes are escaped, it stays on its line."""
    flat = " ".join(visible(text, keep="\n\t").split())
    return flat.replace("\\", "\\\\").replace("#", "\\#")


# ---------------------------------------------------------------------- HTML

_STYLE = """
body { font: 16px/1.5 Georgia, serif; margin: 2rem auto; max-width: 72rem; padding: 0 1rem;
       color: #1d2b33; background: #fff; }
h1, h2, h3 { font-weight: normal; } h2 { border-bottom: 2px solid #1d2b33; margin-top: 3rem; }
table { border-collapse: collapse; font-size: .85rem; } td, th { padding: .15rem .5rem; }
th { text-align: left; font-weight: normal; color: #55656e; vertical-align: bottom; }
th.lane { writing-mode: vertical-rl; transform: rotate(180deg); white-space: nowrap; }
tr + tr td { border-top: 1px solid #e4e9ec; } td.sign { text-align: center; }
.passed { color: #2c6e49; } .failed { color: #a3261c; font-weight: bold; } .out { color: #b7c1c7; }
pre { background: #f3f6f7; padding: .6rem .8rem; overflow-x: auto; font-size: .85rem; }
mark { background: #f6d4cf; color: inherit; } .why { color: #55656e; }
"""
_SIGNS = {"passed": ("◆", "passed"), "failed": ("✗", "failed"), "left out": ("·", "out")}


def page(title: str, reports: Sequence[SuiteReport]) -> str:
    """One page that needs nothing else: counts, cases × lanes, what failed and how, questions."""
    counts = counted(reports)
    text = f"{counts['passed']} pass, {counts['failed']} fail"
    body = [f"<h1>{_text(title)}</h1>", f"<p>{text}.</p>"]
    for report in reports:
        body += _section(report)
    return (
        f'<!DOCTYPE html>\n<html lang="en"><head><meta charset="utf-8">'
        f'<meta name="viewport" content="width=device-width"><title>{_text(title)}</title>'
        f"<style>{_STYLE}</style></head>\n<body>\n" + "\n".join(body) + "\n</body></html>\n"
    )


def _section(report: SuiteReport) -> Iterator[str]:
    lanes = report.lanes
    yield f"<h2>{_text(report.file)}</h2>"
    head = "".join(f'<th class="lane">{_text(lane)}</th>' for lane in lanes)
    yield f"<table><thead><tr>{head}<th>case</th></tr></thead><tbody>"
    for case in report.cases:
        cells = "".join(
            f'<td class="sign {_SIGNS[v.state][1]}" title="{_text(v.lane)}: {v.state}">'
            f"{_SIGNS[v.state][0]}</td>"
            for v in case.verdicts
        )
        yield f"<tr>{cells}<td>{_text(case.name)}</td></tr>"
    yield "</tbody></table>"
    for case in report.cases:
        wrong = [verdict for verdict in case.verdicts if verdict.state == "failed"]
        if wrong:
            yield f"<h3>{_text(case.name)}</h3>"
            if case.why:
                yield f'<p class="why">{_text(case.why)}</p>'
            yield f"<pre>{_text(case.program)}</pre><table>"
            for one in wrong:
                yield f"<tr><th>{_text(one.lane)}</th><td>expected</td><td>"
                yield f"{_marked(one.expected, one.parts[0])}</td></tr>"
                yield "<tr><th></th><td>but got</td><td>"
                yield f"{_marked(one.actual, one.parts[1])}</td></tr>"
            yield "</table>"
    for question in report.questions:
        yield f"<h3>{_text(question.name)}</h3><pre>{_text(question.program)}</pre><table>"
        for answer in question.answers:
            label = answer.label or "(none of these)"
            yield f"<tr><th>{_text(answer.lane)}</th><td>{_text(label)}</td>"
            yield f"<td>{_text(answer.result)}</td></tr>"
        yield "</table>"


def _text(text: str) -> str:
    return html.escape(visible(text, keep="\n\t"), quote=True)


def _marked(text: str, slices: Sequence[Sequence[int]]) -> str:
    pieces, at = [], 0
    for begin, end in slices:
        pieces += [_text(text[at:begin]), f"<mark>{_text(text[begin:end])}</mark>"]
        at = end
    return "".join([*pieces, _text(text[at:])])


# ---------------------------------------------------------------------- for the terminal


def under(lead: str, text: str, slices: Sequence[Sequence[int]]) -> list[str]:
    """A line with signs under what differs; none where everything does."""
    whole = sum(end - begin for begin, end in slices) >= len(text.strip())
    signs = "" if whole else marks([(a, b) for a, b in slices])
    return [lead + text, *([" " * len(lead) + signs] if signs else [])]
